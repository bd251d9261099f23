//! *Harbour Hall*: an evening with a small ensemble, and what went wrong with its microphones.

use crate::instruments::{self as play, add};
use crate::room::{Mic, Room};
use crate::{Fault, Scene, SoundSource, Take};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// Rate of the session in Hz.
pub const RATE_HZ: u32 = 48_000;
/// Length of the demo in seconds.
pub const SECONDS: f64 = 75.0;
/// Frames since midnight at which the recorders were started: a quarter past eight in the evening.
pub const TIME_REFERENCE: u64 = (20 * 3_600 + 15 * 60) * RATE_HZ as u64;
/// The cello's near microphone comes this much late, in frames (4.6 ms).
pub const CELLO_LATE_FRAMES: f64 = 221.0;

/// How twelve of its tracks are played, as docs/paths.schema.json has it.
pub const PATHS: &str = include_str!("harbour_hall_paths.json");

/// Quarter notes a minute.
pub const BPM: f64 = 96.0;
/// Where the music begins: after a second, at 48 kHz.
pub const FIRST_BEAT_FRAME: i64 = 48_000;

struct Part {
    dry: Vec<f32>,
    hits: Vec<i64>,
}

impl Part {
    fn new(frames: usize) -> Self {
        Self { dry: vec![0.0; frames], hits: Vec::new() }
    }

    fn strike(&mut self, at: i64, sound: &[f32], gain: f64) {
        add(&mut self.dry, at, sound, gain);
        self.hits.push(at);
    }
}

/// The scene of a seed: positions and faults are always those of the demo, playing and noise follow the seed.
pub fn scene(seconds: f64, seed: u64) -> Scene {
    let rate = f64::from(RATE_HZ);
    let frames = (seconds * rate) as usize;
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let [low, high, cajon, drum, cello] = score(frames, rate, seconds, &mut rng);
    let source = |name: &str, position, front, part: Part| SoundSource {
        name: name.into(),
        position,
        front,
        dry: part.dry,
        hits: part.hits,
        direct: None,
    };
    let front = Some([0.0, -1.0, 0.0]);
    let sources = vec![
        source("Marimba low", [7.6, 8.0, 0.95], None, low),
        source("Marimba high", [8.9, 8.0, 0.95], None, high),
        source("Cajón", [10.9, 8.7, 0.45], front, cajon),
        source("Frame drum", [5.6, 8.4, 1.1], None, drum),
        source("Cello", [12.7, 8.0, 0.75], None, cello),
    ];
    let ahead = [0.0, 1.0, -0.1];
    let down = [0.0, 0.25, -1.0];
    let mono = |file: &str, mic: Mic| Take { file: file.into(), mics: vec![mic] };
    let mut drum_mic = Mic::at([5.6, 8.05, 1.3], ahead, 0.5);
    drum_mic.inverted = true;
    let mut cello_mic = Mic::at([12.65, 7.5, 0.85], ahead, 0.5);
    cello_mic.latency_frames = CELLO_LATE_FRAMES;
    let mut pickup = Mic::at([12.7, 8.0, 0.75], ahead, 0.0);
    pickup.contact = Some(4);
    pickup.noise_db = -72.0;
    let main = |x: f64| Mic::at([x, 5.6, 2.7], [if x < 9.2 { -0.4 } else { 0.4 }, 1.0, -0.4], 0.5);
    let hall = |x: f64| Mic::at([x, 1.2, 3.4], [0.0, 1.0, -0.2], 0.0);
    Scene {
        rate_hz: RATE_HZ,
        frames,
        room: Room { size: [18.0, 12.0, 7.0], reflection: 0.72, order: 3, reverberation_s: 0.9 },
        sources,
        takes: vec![
            mono("Marimba low.wav", Mic::at([7.6, 7.9, 1.35], down, 0.5)),
            mono("Marimba high.wav", Mic::at([8.9, 7.9, 1.35], down, 0.5)),
            mono("Cajón front.wav", Mic::at([10.9, 8.35, 0.45], [0.0, 1.0, 0.0], 0.5)),
            mono("Cajón back.wav", Mic::at([10.9, 9.1, 0.5], [0.0, -1.0, 0.0], 0.5)),
            mono("Frame drum.wav", drum_mic),
            mono("Cello near.wav", cello_mic),
            mono("Cello pickup.wav", pickup),
            Take { file: "Main pair.wav".into(), mics: vec![main(9.05), main(9.35)] },
            // The cables of this pair were swapped: channel 1 holds the right microphone.
            Take { file: "Hall pair.wav".into(), mics: vec![hall(11.8), hall(6.6)] },
        ],
        seed,
        faults: vec![
            Fault::Inverted { file: "Frame drum.wav".into(), channel: 1 },
            Fault::Late { file: "Cello near.wav".into(), channel: 1, frames: CELLO_LATE_FRAMES },
            Fault::Swapped { left: ("Hall pair.wav".into(), 1), right: ("Hall pair.wav".into(), 2) },
        ],
    }
}

/// What the five play: eighths in four-bar groups, with bars in which somebody rests.
fn score(frames: usize, rate: f64, seconds: f64, rng: &mut ChaCha8Rng) -> [Part; 5] {
    let mut parts = [(); 5].map(|()| Part::new(frames));
    let eighth = 30.0 / BPM;
    let scale = [0.0, 2.0, 3.0, 5.0, 7.0, 9.0, 10.0];
    let eighths = ((seconds - 2.0) / eighth) as usize;
    let mut bowed_until = 0.0;
    for step in 0..eighths {
        let bar = step / 8;
        let beat = step % 8;
        // A player leans on or hangs back; nobody is exactly together.
        let when = |rng: &mut ChaCha8Rng| {
            ((FIRST_BEAT_FRAME as f64 / rate + step as f64 * eighth + rng.random_range(-0.022..0.022)) * rate) as i64
        };
        let plays = |who: usize, rng: &mut ChaCha8Rng, chance: f64| (bar + who) % 5 != 4 && rng.random_bool(chance);
        if plays(0, rng, if beat % 4 == 0 { 0.75 } else { 0.3 }) {
            let key = 45.0 + scale[rng.random_range(0..7)] + if rng.random_bool(0.3) { 12.0 } else { 0.0 };
            let force = rng.random_range(0.55..1.0);
            let sound = play::marimba(rate, key, force, rng);
            parts[0].strike(when(rng), &sound, 0.9);
        }
        if plays(1, rng, 0.42) {
            let key = 69.0 + scale[rng.random_range(0..7)] + if rng.random_bool(0.4) { 12.0 } else { 0.0 };
            let force = rng.random_range(0.5..1.0);
            let sound = play::marimba(rate, key, force, rng);
            parts[1].strike(when(rng), &sound, 0.8);
        }
        if plays(2, rng, if beat == 0 || beat == 3 { 0.85 } else { 0.2 }) {
            let force = rng.random_range(0.6..1.0);
            let sound = play::cajon(rate, beat % 4 == 3, force, rng);
            parts[2].strike(when(rng), &sound, 0.8);
        }
        if plays(3, rng, if beat % 2 == 1 { 0.45 } else { 0.15 }) {
            let force = rng.random_range(0.5..1.0);
            let sound = play::frame_drum(rate, force, rng);
            parts[3].strike(when(rng), &sound, 0.85);
        }
        let now = step as f64 * eighth;
        if now >= bowed_until && plays(4, rng, 0.8) {
            let key = 36.0 + scale[rng.random_range(0..7)] + if rng.random_bool(0.5) { 12.0 } else { 0.0 };
            let force = rng.random_range(0.5..0.9);
            // Every third four-bar group is plucked.
            let (sound, length) = if (bar / 4) % 3 == 2 {
                (play::plucked(rate, key, force, 1.2, rng), eighth * 2.0)
            } else {
                let length = eighth * f64::from(rng.random_range(2..7));
                (play::bowed(rate, key, force, length * 0.97, rng), length)
            };
            parts[4].strike(when(rng), &sound, 0.8);
            bowed_until = now + length;
        }
    }
    parts
}
