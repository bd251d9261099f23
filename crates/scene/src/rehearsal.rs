//! *Harbour Hall, rehearsal*: the afternoon before the evening. A cajón and a marimba loose against the beat, a shaker that a trigger has
//! doubled, and two takes of the accordion.

use crate::harbour_hall::{BPM, FIRST_BEAT_FRAME, RATE_HZ};
use crate::instruments::{self as play, add};
use crate::layers::grains;
use crate::room::{Mic, Room};
use crate::stages::noisy;
use crate::takes::{FINGER, noise};
use crate::{Rendered, Scene, SoundSource, Take};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// Length in seconds.
pub const SECONDS: f64 = 46.0;
/// Frames since midnight at which the recorders were started: ten past four in the afternoon.
pub const TIME_REFERENCE: u64 = (16 * 3_600 + 10 * 60) * RATE_HZ as u64;
/// One stroke of the cajón comes this much late.
pub const STRAY_MS: f64 = 90.0;
/// A phrase of the second take of the accordion comes this much early.
pub const EARLY_MS: f64 = 70.0;
/// The trigger takes this long for a stroke of the shaker, more or less.
pub const TRIGGER_MS: f64 = 6.0;

const HZ: f64 = RATE_HZ as f64;
const BARS: usize = 17;

/// The recordings, and what is off in them.
pub struct Rehearsal {
    /// Files and arrivals.
    pub rendered: Rendered,
    /// Frame at which the stray stroke of the cajón is played.
    pub stray: f64,
    /// Frames of the strokes of the shaker, and of their doubles.
    pub doubled: Vec<[f64; 2]>,
    /// The stroke of the shaker that the trigger missed.
    pub missed: f64,
    /// The stroke of the layer that comes twice.
    pub twice: f64,
    /// First and last chord of the phrase that is early, in the second take.
    pub early: [f64; 2],
    /// From one frame to another, where fingers are heard in the first take.
    pub fingers: Vec<[f64; 2]>,
}

/// Where a quarter falls, in frames.
fn place(quarter: f64) -> f64 {
    FIRST_BEAT_FRAME as f64 + quarter * 60.0 / BPM * HZ
}

/// About a normal deviate.
fn normal(rng: &mut ChaCha8Rng) -> f64 {
    (0..4).map(|_| rng.random_range(-1.0..1.0)).sum::<f64>() * 0.87
}

/// The rehearsal of a seed.
pub fn rehearsal(seed: u64) -> Rehearsal {
    let rng = &mut ChaCha8Rng::seed_from_u64(seed ^ 0x0a7e);
    let (scene, stray) = set(rng, seed);
    let mut rendered = scene.render();
    let (shaker, doubled, missed, twice) = shaken(scene.frames, rng);
    let [source, layer] = shaker;
    rendered.files.push(("Shaker.wav".into(), vec![source]));
    rendered.files.push(("Shaker layer.wav".into(), vec![layer]));
    let (accordion, early, fingers) = accordion(scene.frames, rng);
    for (n, take) in (1..).zip(accordion) {
        rendered.files.push((format!("Accordion take {n}.wav"), vec![take]));
    }
    Rehearsal { rendered, stray, doubled, missed, twice, early, fingers }
}

/// Cajón and marimba in the hall, each with its microphone, and a pair in front of both: eighths, 12 ms about the beat.
fn set(rng: &mut ChaCha8Rng, seed: u64) -> (Scene, f64) {
    let frames = (SECONDS * HZ) as usize;
    let mut parts = [(); 2].map(|()| (vec![0f32; frames], Vec::new()));
    let mut stray = 0.0;
    for eighth in 0..8 * BARS {
        let (bar, beat) = (eighth / 8, eighth % 8);
        let mut when = || place(eighth as f64 / 2.0) + 0.012 * HZ * normal(rng);
        let at = [when(), when()];
        let plays = [matches!(beat, 0 | 3 | 4 | 6) || bar % 4 == 3 && beat == 7, matches!(beat, 0 | 2 | 5)];
        let force = rng.random_range(0.55..1.0);
        if plays[0] {
            let late = bar == 9 && beat == 4;
            let at = if late { place(eighth as f64 / 2.0) + 0.001 * HZ * STRAY_MS } else { at[0] }.round();
            stray = if late { at } else { stray };
            let (dry, hits) = &mut parts[0];
            add(dry, at as i64, &play::cajon(HZ, beat == 4, force, rng), 0.8);
            hits.push(at as i64);
        }
        if plays[1] {
            let key = 57.0 + [0.0, 3.0, 7.0, 10.0, 12.0, 15.0][rng.random_range(0..6)];
            let (dry, hits) = &mut parts[1];
            add(dry, at[1].round() as i64, &play::marimba(HZ, key, force, rng), 0.8);
            hits.push(at[1].round() as i64);
        }
    }
    let [cajon, marimba] = parts;
    let source = |name: &str, position, (dry, hits): (Vec<f32>, Vec<i64>)| SoundSource {
        name: name.into(),
        position,
        front: None,
        dry,
        hits,
        direct: None,
    };
    let mono = |file: &str, mic: Mic| Take { file: file.into(), mics: vec![mic] };
    let pair = |x: f64| Mic::at([x, 5.6, 2.7], [if x < 9.2 { -0.4 } else { 0.4 }, 1.0, -0.4], 0.5);
    let scene = Scene {
        rate_hz: RATE_HZ,
        frames,
        room: Room { size: [18.0, 12.0, 7.0], reflection: 0.72, order: 3, reverberation_s: 0.9 },
        sources: vec![source("Cajón", [10.9, 8.7, 0.45], cajon), source("Marimba", [7.6, 8.0, 0.95], marimba)],
        takes: vec![
            mono("Cajón.wav", Mic::at([10.9, 8.35, 0.45], [0.0, 1.0, 0.0], 0.5)),
            mono("Marimba.wav", Mic::at([7.6, 7.9, 1.35], [0.0, 0.25, -1.0], 0.5)),
            Take { file: "Pair.wav".into(), mics: vec![pair(9.05), pair(9.35)] },
        ],
        seed,
        faults: Vec::new(),
    };
    (scene, stray)
}

/// A shaker on eighths, and a sample of another one at each of its strokes but for one, with one twice.
fn shaken(frames: usize, rng: &mut ChaCha8Rng) -> ([Vec<f32>; 2], Vec<[f64; 2]>, f64, f64) {
    let (mut source, mut layer) = (vec![0f32; frames], vec![0f32; frames]);
    let sample = grains(1.0, 1.0, rng);
    let (mut doubled, mut missed, mut twice) = (Vec::new(), 0.0, 0.0);
    for eighth in 0..8 * BARS {
        let at = (place(eighth as f64 / 2.0) + 0.006 * HZ * normal(rng)).round();
        let force = if eighth % 2 == 0 { rng.random_range(0.7..1.0) } else { rng.random_range(0.35..0.6) };
        add(&mut source, at as i64, &grains(force, 1.0, rng), 0.6);
        if eighth == 44 {
            missed = at;
            continue;
        }
        let there = (at + 0.001 * HZ * (TRIGGER_MS + 0.5 * normal(rng))).round();
        add(&mut layer, there as i64, &sample, 0.5 * force);
        doubled.push([at, there]);
        if eighth == 82 {
            twice = there + 0.07 * HZ;
            add(&mut layer, twice as i64, &sample, 0.4 * force);
        }
    }
    ([noisy(source, -72.0, rng), noisy(layer, -80.0, rng)], doubled, missed, twice)
}

/// Two takes of the accordion's chords, each on its own occasion: a phrase of the second is early, and fingers are heard before two chords
/// of the first.
fn accordion(frames: usize, rng: &mut ChaCha8Rng) -> ([Vec<f32>; 2], [f64; 2], Vec<[f64; 2]>) {
    let mut sounds = [(); 2].map(|()| vec![0f32; frames]);
    let (mut early, mut fingers) = ([f64::MAX, f64::MIN], Vec::new());
    let roots = [57.0, 60.0, 55.0, 62.0, 64.0, 53.0, 59.0, 65.0];
    for bar in 0..BARS {
        for (n, (starts, lasts)) in [(0.0, 1.4), (1.5, 0.9), (2.5, 1.3)].into_iter().enumerate() {
            let quarter = 4.0 * bar as f64 + starts;
            let root = roots[(3 * bar + 2 * n) % 8];
            let steps: &[f64] = if (bar + n) % 2 == 0 { &[0.0, 4.0, 7.0] } else { &[0.0, 3.0, 10.0] };
            for (take, sound) in sounds.iter_mut().enumerate() {
                let is_early = take == 1 && (10..12).contains(&bar);
                let meant = if is_early { -0.001 * HZ * EARLY_MS } else { 0.0 };
                let at = (place(quarter) + meant + 0.005 * HZ * normal(rng)).round();
                if is_early {
                    early = [early[0].min(at), early[1].max(at)];
                }
                let force = rng.random_range(0.7..0.95);
                for step in steps {
                    add(sound, at as i64, &play::reed(HZ, root + step, force, lasts * 60.0 / BPM, rng), 0.3);
                }
                if take == 0 && n == 0 && (bar == 4 || bar == 13) {
                    // It ends 50 ms before the chord, 18 dB under it.
                    let finger = noise(FINGER, (0.06 * HZ) as usize, rng);
                    let loudest = |x: &[f32]| x.iter().fold(1e-9f32, |m, v| m.max(v.abs()));
                    let chord = loudest(&sound[at as usize..at as usize + 4_800]);
                    let from = at - 0.11 * HZ;
                    add(sound, from as i64, &finger, f64::from(0.126 * chord / loudest(&finger)));
                    fingers.push([from, from + finger.len() as f64]);
                }
            }
        }
    }
    (sounds.map(|x| noisy(x, -78.0, rng)), early, fingers)
}
