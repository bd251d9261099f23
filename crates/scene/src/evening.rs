//! The whole of *Harbour Hall*: the ensemble with an accordion among it, two recordings of the hall, and what was recorded
//! apart from them on the same time line.

use crate::harbour_hall::{self, BPM, RATE_HZ};
use crate::instruments::{self as play, Mode, add};
use crate::room::{Mic, Room};
use crate::{Fault, Rendered, Scene, SoundSource, Take};
use marea_core::units::amplitude_of_db;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// The right channel of the accordion's file comes this much late, in frames.
pub const ACCORDION_LATE_FRAMES: f64 = 6.5;
/// The right channel of the bells' file against the left, in dB.
pub const BELLS_LOUDER_DB: f64 = 1.7;

/// Offset of the seeds, so that what is added changes nothing of what the ensemble plays.
const APART: u64 = 0x4ac0;

/// An evening that was recorded: the files, and what was done wrong on purpose.
pub struct Evening {
    /// Files and arrivals.
    pub rendered: Rendered,
    /// Faults of the hall's recordings. Times and levels between the channels of a file are in the constants above.
    pub faults: Vec<Fault>,
}

/// The evening of a seed.
pub fn evening(seconds: f64, seed: u64) -> Evening {
    let hall = with_accordion(seconds, seed);
    let mut rendered = hall.render();
    low_effects(&mut rendered);
    let bells = bells(hall.frames, seconds, seed);
    rendered.files.push(("Bells rendered.wav".into(), bells));
    for take in 1..=3 {
        let flute = flute(hall.frames, seconds, seed, take).render();
        rendered.files.extend(flute.files);
        rendered.arrivals.extend(flute.arrivals);
    }
    Evening { rendered, faults: hall.faults }
}

/// The ensemble with the accordion, and the hall heard from the choir stall and all round.
fn with_accordion(seconds: f64, seed: u64) -> Scene {
    let mut scene = harbour_hall::scene(seconds, seed);
    let place = [4.2, 7.6, 0.9];
    let (dry, hits) = accordion(scene.frames, seconds, seed);
    scene.sources.push(SoundSource { name: "Accordion".into(), position: place, front: None, dry, hits, direct: None });
    // Two cardioids at one place: between them level tells the sides, and a constant time is a fault.
    let near = |turn: f64| Mic::at([4.2, 7.1, 1.1], [turn, 1.0, -0.2], 0.5);
    let mut right = near(0.9);
    right.latency_frames = ACCORDION_LATE_FRAMES;
    scene.takes.push(Take { file: "Accordion.wav".into(), mics: vec![near(-0.9), right] });
    let stall = |x: f64| Mic::at([x, 3.4, 2.2], [if x < 9.0 { -0.5 } else { 0.5 }, 1.0, -0.1], 0.5);
    let mut left = stall(8.9);
    left.inverted = true;
    scene.takes.push(Take { file: "Choir stall pair.wav".into(), mics: vec![left, stall(9.1)] });
    // Five microphones within arm's length of one another, the surrounds wider in what they hear.
    let round = |x: f64, y: f64, facing: [f64; 3], pattern: f64| Mic::at([x, y, 3.0], facing, pattern);
    let mut surround = round(8.6, 3.0, [-1.0, -0.4, 0.0], 0.35);
    surround.inverted = true;
    // In the order of WAV: left, right, centre, low effects, left and right surround.
    scene.takes.push(Take {
        file: "Hall 5.1.wav".into(),
        mics: vec![
            round(8.55, 3.6, [-0.8, 1.0, -0.2], 0.5),
            round(9.25, 3.6, [0.8, 1.0, -0.2], 0.5),
            round(8.9, 3.75, [0.0, 1.0, -0.2], 0.5),
            round(8.9, 3.7, [0.0, 1.0, -0.2], 0.5),
            surround,
            round(9.2, 3.0, [1.0, -0.4, 0.0], 0.35),
        ],
    });
    scene.faults.push(Fault::Inverted { file: "Choir stall pair.wav".into(), channel: 1 });
    scene.faults.push(Fault::Inverted { file: "Hall 5.1.wav".into(), channel: 5 });
    scene
}

/// The low effects channel has only what is below 120 Hz: low passes forwards and backwards, which leave the phase alone.
fn low_effects(rendered: &mut Rendered) {
    let Some((_, planes)) = rendered.files.iter_mut().find(|(name, _)| name == "Hall 5.1.wav") else { return };
    let keep = (-std::f64::consts::TAU * 120.0 / f64::from(RATE_HZ)).exp() as f32;
    for _ in 0..4 {
        let mut low = 0f32;
        for v in &mut planes[3] {
            low = keep * low + (1.0 - keep) * *v;
            *v = low;
        }
        planes[3].reverse();
    }
}

/// Chords on the first beat and after it, with bars of rest.
fn accordion(frames: usize, seconds: f64, seed: u64) -> (Vec<f32>, Vec<i64>) {
    let rate = f64::from(RATE_HZ);
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ APART);
    let (mut dry, mut hits) = (vec![0f32; frames], Vec::new());
    let beat = 60.0 / BPM;
    for bar in 0..((seconds - 3.0) / (4.0 * beat)) as usize {
        if bar % 4 == 3 {
            continue;
        }
        for (start, length) in [(0.0, 1.4), (2.5, 1.2)] {
            let at = ((1.0 + (bar as f64 * 4.0 + start) * beat + rng.random_range(-0.015..0.015)) * rate) as i64;
            let root = [57.0, 60.0, 64.0, 62.0][bar % 4];
            for step in [0.0, 3.0, 7.0] {
                add(&mut dry, at, &play::reed(rate, root + step, 0.8, length * beat, &mut rng), 0.35);
            }
            hits.push(at);
        }
    }
    (dry, hits)
}

/// The notes of the bells: half notes from bar 1 on, with rests; number of the half and key.
pub(crate) fn bells_played(seconds: f64) -> impl Iterator<Item = (u32, u8)> {
    let halves = 0..((seconds - 4.0) * BPM / 120.0) as u32;
    halves.filter(|half| half % 4 != 1).map(|half| (half, 76 + [0, 3, 7, 10, 12][half as usize % 5]))
}

/// A part played by a machine from notes: struck tubes in the middle, the right channel louder by a wrong setting.
fn bells(frames: usize, seconds: f64, seed: u64) -> Vec<Vec<f32>> {
    let rate = f64::from(RATE_HZ);
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ (APART + 1));
    let mut planes = vec![vec![0f32; frames]; 2];
    let right = amplitude_of_db(BELLS_LOUDER_DB);
    for (half, key) in bells_played(seconds) {
        let hz = play::key_hz(f64::from(key));
        let modes = [(1.0, 0.5, 1.8), (2.76, 0.25, 1.1), (5.4, 0.12, 0.6)].map(|(ratio, gain, decay_s)| Mode {
            hz: hz * ratio,
            gain,
            decay_s,
        });
        let sound = play::struck(rate, &modes, 0.05, 0.001, &mut rng);
        let at = ((1.0 + f64::from(half) * 120.0 / BPM) * rate) as i64;
        add(&mut planes[0], at, &sound, 0.25);
        add(&mut planes[1], at, &sound, 0.25 * right);
    }
    planes
}

/// A line played after the evening to what was recorded, in a small dry room; every take has its own timing.
fn flute(frames: usize, seconds: f64, seed: u64, take: u64) -> Scene {
    let rate = f64::from(RATE_HZ);
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ (APART + 1 + take));
    let (mut dry, mut hits) = (vec![0f32; frames], Vec::new());
    let beat = 60.0 / BPM;
    let line =
        [(0.0, 76.0, 1.0), (1.0, 79.0, 0.5), (1.5, 81.0, 0.5), (2.0, 83.0, 1.5), (4.0, 81.0, 1.0), (5.0, 79.0, 2.0)];
    for phrase in 0..((seconds - 4.0) / (8.0 * beat)) as usize {
        for (start, key, length) in line {
            let at = ((1.0 + (phrase as f64 * 8.0 + start) * beat + rng.random_range(-0.03..0.03)) * rate) as i64;
            add(&mut dry, at, &play::flute(rate, key, 0.8, length * beat * 0.92, &mut rng), 0.8);
            hits.push(at);
        }
    }
    Scene {
        rate_hz: RATE_HZ,
        frames,
        room: Room { size: [4.0, 3.2, 2.6], reflection: 0.3, order: 2, reverberation_s: 0.15 },
        sources: vec![SoundSource {
            name: "Flute".into(),
            position: [2.0, 1.9, 1.4],
            front: None,
            dry,
            hits,
            direct: None,
        }],
        takes: vec![Take {
            file: format!("Flute take {take}.wav"),
            mics: vec![Mic::at([2.0, 1.5, 1.5], [0.0, 1.0, -0.2], 0.5)],
        }],
        seed: seed ^ (0x77 + take),
        faults: Vec::new(),
    }
}
