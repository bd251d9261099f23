//! Two takes of one part, played by one person on one instrument on two occasions, with the true moment of every chord in each.

use crate::instruments::{add, bowed, marimba, plucked, reed};
use crate::renders::{Instrument, roomy};
use crate::stages::noisy;
use marea_core::edit::tempo::TempoMap;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

const HZ: f64 = 48_000.0;
const PLAYED: [Instrument; 4] = [Instrument::Plucked, Instrument::Reed, Instrument::Bowed, Instrument::Marimba];

/// The two takes and the truth.
pub struct Takes {
    /// What is played.
    pub instrument: Instrument,
    /// The two recordings at 48 kHz.
    pub sounds: [Vec<f32>; 2],
    /// What they were played to.
    pub beats: TempoMap,
    /// Frames at which a chord begins in the first and in the second.
    pub chords: Vec<[f64; 2]>,
    /// By how much one take's chord is off, where it is off on purpose, in ms: which take, and by how much.
    pub off: Vec<Option<(usize, f64)>>,
    /// Chords that one of the takes does not have: the take that has it, and when.
    pub alone: Vec<(usize, f64)>,
}

/// Two recordings that are no takes of one part: two parts on one instrument, to one tempo and from one moment on. By the seed the second
/// has the rhythm of the first, or one of its own, or another tempo.
pub fn strangers(seconds: f64, seed: u64) -> [Vec<f32>; 2] {
    let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(0x0057_7a4e).wrapping_add(3));
    let rng = &mut rng;
    let instrument = PLAYED[(seed % 4) as usize];
    let bpm = f64::from(rng.random_range(64..138));
    let others = if seed / 4 % 3 == 2 { bpm * rng.random_range(1.05..1.3) } else { bpm };
    let parts = [0, 1].map(|_| written(rng, (seconds * bpm.max(others) / 60.0) as u32, instrument));
    let [first, mut second] = parts;
    if (seed / 4).is_multiple_of(3) {
        second = first.iter().zip(second.iter().cycle()).map(|(a, b)| Chord { keys: b.keys.clone(), ..*a }).collect();
    }
    let mut sounds = [vec![0f32; ((seconds + 4.0) * HZ) as usize], vec![0f32; ((seconds + 4.0) * HZ) as usize]];
    for (n, (part, bpm)) in [(first, bpm), (second, others)].into_iter().enumerate() {
        let loose = rng.random_range(3.0..9.0);
        for chord in part.iter().filter(|c| c.quarter * 60.0 / bpm < seconds) {
            let astray = (0..4).map(|_| rng.random_range(-1.0..1.0)).sum::<f64>() * 0.87 * loose;
            let at = 0.5 * HZ + HZ * (chord.quarter * 60.0 / bpm + 0.001 * astray);
            let strum = Strum { instrument, force: rng.random_range(0.4..1.0), lasts_s: chord.lasts * 60.0 / bpm };
            strum.play(&mut sounds[n], at.round(), &chord.keys, rng);
        }
    }
    sounds.map(|x| elsewhere(x, rng))
}

/// A take with noises before some of its chords.
pub struct Blemished {
    /// At 48 kHz.
    pub sound: Vec<f32>,
    /// The same without the noises.
    pub clean: Vec<f32>,
    /// Frames at which its chords begin.
    pub chords: Vec<f64>,
    /// From one frame to another, where there are noises.
    pub noises: Vec<[f64; 2]>,
}

/// The first take of a seed, and before every fourth chord or so a finger on the strings, a breath, or a click, 12 to 28 dB under the chord's
/// largest sample, that ends 15 to 120 ms before it.
pub fn blemished(seconds: f64, seed: u64) -> Blemished {
    let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(0x0b1e_5eed).wrapping_add(5));
    let rng = &mut rng;
    let Takes { sounds: [mut sound, _], chords, alone, .. } = takes(seconds, seed);
    let mut chords: Vec<f64> =
        chords.iter().map(|c| c[0]).chain(alone.iter().filter(|a| a.0 == 0).map(|a| a.1)).collect();
    chords.sort_by(f64::total_cmp);
    let clean = sound.clone();
    let mut noises = Vec::new();
    for n in 1..chords.len() {
        let (kind, ends) = (rng.random_range(0..3), rng.random_range(0.015..0.12) * HZ);
        let lasts =
            HZ * [rng.random_range(0.03..0.09), rng.random_range(0.1..0.25), rng.random_range(0.002..0.006)][kind];
        let from = chords[n] - ends - lasts;
        if !rng.random_bool(0.3) || from < chords[n - 1] + 0.12 * HZ {
            continue;
        }
        let at = chords[n] as usize;
        let loud = sound[at..(at + 2_400).min(sound.len())].iter().fold(0f32, |m, v| m.max(v.abs()));
        let level = loud * 10f32.powf(-rng.random_range(12.0..28.0f32) / 20.0);
        let noise = noise(kind, lasts as usize, rng);
        let most = noise.iter().fold(1e-9f32, |m, v| m.max(v.abs()));
        let scaled: Vec<f32> = noise.iter().map(|v| v / most * level).collect();
        add(&mut sound, from.round() as i64, &scaled, 1.0);
        noises.push([from, from + lasts]);
    }
    Blemished { sound, clean, chords, noises }
}

/// The kind of noise that a finger makes.
pub(crate) const FINGER: usize = 0;

/// A squeak about a frequency that slides, a breath, or a click.
pub(crate) fn noise(kind: usize, frames: usize, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let [from_hz, to_hz] = [0, 1].map(|_| rng.random_range(1_500.0..4_500.0f64));
    let (mut low, mut band, mut held) = (0f64, 0f64, 0f64);
    let one = |n: usize| {
        let part = n as f64 / frames as f64;
        let white = rng.random_range(-1.0..1.0);
        let hz = if kind == 0 { from_hz + part * (to_hz - from_hz) } else { 2_500.0 };
        let (f, damping) = (2.0 * (std::f64::consts::PI * hz / HZ).sin(), if kind == 0 { 0.35 } else { 1.6 });
        low += f * band;
        band += f * (white - low - damping * band);
        held += 0.5 * (white - held);
        let shape = (std::f64::consts::PI * part).sin();
        (shape * if kind == 2 { held } else { band }) as f32
    };
    (0..frames.max(2)).map(one).collect()
}

/// The takes of a seed, about so many seconds long.
pub fn takes(seconds: f64, seed: u64) -> Takes {
    let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(0x0051_a7e5).wrapping_add(7));
    let rng = &mut rng;
    let instrument = PLAYED[(seed % 4) as usize];
    let bpm = f64::from(rng.random_range(64..138));
    let beats = TempoMap::single(bpm, 4, 0.5 * HZ);
    let quarter = HZ * 60.0 / bpm;
    let written = written(rng, (seconds * bpm / 60.0) as u32, instrument);
    let off = off_on_purpose(rng, written.len());
    let late = [0, 1].map(|_| rng.random_range(-15.0..15.0));
    let loose = [0, 1].map(|_| rng.random_range(3.0..9.0));
    let frames = ((seconds + 4.0) * HZ) as usize;
    let mut sounds = [vec![0f32; frames], vec![0f32; frames]];
    let (mut chords, mut kept, mut alone) = (Vec::new(), Vec::new(), Vec::new());
    for (chord, off) in written.iter().zip(off) {
        let at = [0, 1].map(|n| {
            let astray = (0..4).map(|_| rng.random_range(-1.0..1.0)).sum::<f64>() * 0.87 * loose[n];
            let meant = off.filter(|(take, _)| *take == n).map_or(0.0, |(_, ms)| ms);
            (0.5 * HZ + chord.quarter * quarter + 0.001 * HZ * (late[n] + astray + meant)).round()
        });
        let left_out = rng.random_bool(0.02).then(|| rng.random_range(0..2usize));
        for n in (0..2).filter(|n| left_out != Some(*n)) {
            let strum = Strum { instrument, force: rng.random_range(0.4..1.0), lasts_s: chord.lasts * 60.0 / bpm };
            strum.play(&mut sounds[n], at[n], &chord.keys, rng);
        }
        match left_out {
            Some(n) => alone.push((1 - n, at[1 - n])),
            None => (chords.push(at), kept.push(off)).1,
        }
    }
    let sounds = sounds.map(|x| elsewhere(x, rng));
    Takes { instrument, sounds, beats, chords, off: kept, alone }
}

/// A chord as it is written.
struct Chord {
    quarter: f64,
    /// In quarters.
    lasts: f64,
    keys: Vec<f64>,
}

/// Chords of a mode on quarters and eighths, of one to four voices.
fn written(rng: &mut ChaCha8Rng, quarters: u32, instrument: Instrument) -> Vec<Chord> {
    let mode = [0.0, 2.0, 3.0, 5.0, 7.0, 8.0, 10.0];
    let tonic = f64::from(rng.random_range(48..60u8));
    let (mut chords, mut at) = (Vec::new(), 0.0);
    while at < f64::from(quarters) {
        let lasts = [0.5, 0.5, 1.0, 1.0, 2.0][rng.random_range(0..5)];
        if rng.random_bool(0.88) {
            let root = rng.random_range(0..8usize);
            let most = if instrument == Instrument::Bowed { 3 } else { 5 };
            let degree = |n: usize| root + 2 * n;
            let keys = (0..rng.random_range(1..most)).map(|n| {
                let d = degree(n);
                tonic + mode[d % 7] + 12.0 * (d / 7) as f64
            });
            chords.push(Chord { quarter: at, lasts, keys: keys.collect() });
        }
        at += lasts;
    }
    chords
}

/// Two early phrases and three late chords, each in one of the takes.
fn off_on_purpose(rng: &mut ChaCha8Rng, count: usize) -> Vec<Option<(usize, f64)>> {
    let mut off = vec![None; count];
    for _ in 0..2 {
        let (take, ms) = (rng.random_range(0..2), -rng.random_range(55.0..95.0));
        let from = rng.random_range(0..count.max(8) - 6);
        (from..from + rng.random_range(3..7)).filter(|n| *n < count).for_each(|n| off[n] = Some((take, ms)));
    }
    for _ in 0..3 {
        let n = rng.random_range(1..count.max(3) - 1);
        let near = n.saturating_sub(2)..(n + 3).min(count);
        if off[near].iter().all(Option::is_none) {
            off[n] = Some((rng.random_range(0..2), rng.random_range(50.0..90.0)));
        }
    }
    off
}

/// How a chord is played.
struct Strum {
    instrument: Instrument,
    force: f64,
    lasts_s: f64,
}

impl Strum {
    /// The lowest first, the others up to some tens of ms later.
    fn play(&self, sound: &mut [f32], at: f64, keys: &[f64], rng: &mut ChaCha8Rng) {
        let spread_ms = match self.instrument {
            Instrument::Plucked => rng.random_range(4.0..28.0),
            Instrument::Reed => rng.random_range(0.0..6.0),
            _ => rng.random_range(0.0..12.0),
        };
        let lasts = (0.92 * self.lasts_s).max(0.2);
        for (n, key) in keys.iter().enumerate() {
            let later = spread_ms * n as f64 / keys.len().max(2) as f64 * rng.random_range(0.8..1.2);
            let force = self.force * rng.random_range(0.7..1.0);
            let one = match self.instrument {
                Instrument::Reed => reed(HZ, *key, force, lasts, rng),
                Instrument::Bowed => bowed(HZ, *key, force, lasts, rng),
                Instrument::Marimba => marimba(HZ, *key, force, rng),
                _ => damped(plucked(HZ, *key, force, lasts + 0.3, rng)),
            };
            add(sound, (at + 0.001 * HZ * later).round() as i64, &one, 0.25);
        }
    }
}

/// A string that a finger stops within 15 ms.
fn damped(mut x: Vec<f32>) -> Vec<f32> {
    let (len, stops) = (x.len(), 0.015 * HZ);
    x.iter_mut().enumerate().for_each(|(n, v)| *v *= ((len - n) as f64 / stops).min(1.0) as f32);
    x
}

/// Another day: another place before the microphone, another colour, other noise.
pub(crate) fn elsewhere(mut x: Vec<f32>, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let keep = rng.random_range(0.0..0.35f32);
    let mut held = 0.0;
    x.iter_mut().for_each(|v| {
        held = *v + keep * (held - *v);
        *v = held;
    });
    if rng.random_bool(0.5) {
        roomy(&mut x, rng.random_range(0.2..0.8), rng.random_range(-30.0..-18.0), rng);
    }
    noisy(x, rng.random_range(-95.0..-60.0), rng)
}
