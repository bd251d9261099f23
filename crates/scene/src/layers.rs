//! A struck instrument and a track that doubles it hit by hit, with the true lag of every hit: a print of the same strokes, replaced samples,
//! or claps; some missed, some double.

use crate::instruments::{Mode, add, struck};
use crate::stages::noisy;
use marea_core::units::amplitude_of_db;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

const HZ: f64 = 48_000.0;

/// What doubles.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// The same strokes through another path.
    Print,
    /// One to three other drum samples, taken in turn.
    Samples,
    /// One to three claps: bursts of noise without lows.
    Claps,
    /// A sample for every stroke of a shaker, of which no two are alike.
    Shaken,
}

/// The two tracks and the truth.
pub struct Layers {
    /// What was played.
    pub source: Vec<f32>,
    /// What doubles it.
    pub layer: Vec<f32>,
    /// How it was made.
    pub kind: Kind,
    /// Frames at which a stroke begins in the source and in the layer.
    pub matches: Vec<[f64; 2]>,
    /// Strokes of the source that the layer misses.
    pub missed: Vec<f64>,
    /// Second strokes of the layer.
    pub doubled: Vec<f64>,
    /// The layer's lows go the other way.
    pub inverts: bool,
}

/// The layers of a seed.
pub fn layers(seconds: f64, seed: u64) -> Layers {
    let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(0x9e37_79b9).wrapping_add(31));
    let rng = &mut rng;
    let kind = [Kind::Print, Kind::Samples, Kind::Claps][(seed % 3) as usize];
    let frames = (seconds * HZ) as usize;
    let (mut source, mut layer) = (vec![0f32; frames], vec![0f32; frames]);
    let body: [f64; 3] =
        [rng.random_range(140.0..260.0), rng.random_range(300.0..450.0), rng.random_range(500.0..900.0)];
    let other: [f64; 3] = std::array::from_fn(|n| body[n] * rng.random_range(0.8..1.3));
    let count = rng.random_range(1..4);
    let sounds: Vec<Vec<f32>> = (0..count)
        .map(|_| if kind == Kind::Claps { clap(rng) } else { drum(&other, rng.random_range(0.7..1.0), rng) })
        .collect();
    let inverts = rng.random_bool(0.5);
    let sign = if inverts { -1.0 } else { 1.0 };
    let latency = rng.random_range(-2.0..14.0);
    let scatter = rng.random_range(0.1..1.6);
    let step = HZ * 60.0 / rng.random_range(90.0..150.0) / 2.0;
    let (mut at, mut n) = (0.4 * HZ, 0usize);
    let (mut matches, mut missed, mut doubled) = (Vec::new(), Vec::new(), Vec::new());
    while at + HZ < frames as f64 {
        let place = (at + rng.random_range(-0.012..0.012) * HZ) as usize;
        at += step * f64::from(rng.random_range(1..4u8));
        let force = if rng.random_bool(0.12) { rng.random_range(0.12..0.3) } else { rng.random_range(0.5..1.0) };
        let stroke = drum(&body.map(|hz| hz * rng.random_range(0.99..1.01)), force, rng);
        add(&mut source, place as i64, &stroke, 1.0);
        n += 1;
        if rng.random_bool(0.05) {
            missed.push(place as f64);
            continue;
        }
        let off: f64 = (0..4).map(|_| rng.random_range(-1.0..1.0)).sum::<f64>() * scatter;
        let there = (place as f64 + (latency + off) * 0.001 * HZ).max(0.0) as usize;
        let gain = sign * rng.random_range(0.6..1.0);
        let sound = if kind == Kind::Print { &stroke } else { &sounds[n % sounds.len()] };
        let gain = if kind == Kind::Print { gain } else { gain * force.sqrt() };
        add(&mut layer, there as i64, sound, gain);
        matches.push([place as f64, there as f64]);
        if rng.random_bool(0.05) {
            let again = there + rng.random_range(1_200..2_900);
            add(&mut layer, again as i64, sound, 0.8 * gain);
            doubled.push(again as f64);
        }
    }
    bleed(&mut source, step, rng);
    let quiet = |rng: &mut ChaCha8Rng| rng.random_range(-75.0..-55.0);
    let (a, b) = (quiet(rng), quiet(rng));
    Layers { source: noisy(source, a, rng), layer: noisy(layer, b, rng), kind, matches, missed, doubled, inverts }
}

/// A shaker of a seed, with some bleed, and one sample for all of its strokes.
pub fn shaken(seconds: f64, seed: u64) -> Layers {
    let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(0x5ba_4e12).wrapping_add(17));
    let rng = &mut rng;
    let frames = (seconds * HZ) as usize;
    let (mut source, mut layer) = (vec![0f32; frames], vec![0f32; frames]);
    let rise_ms = rng.random_range(0.2..2.5);
    let sample = grains(1.0, rng.random_range(0.2..2.0), rng);
    let inverts = rng.random_bool(0.5);
    let (latency, scatter) = (rng.random_range(-2.0..14.0), rng.random_range(0.1..1.2));
    let step = HZ * 60.0 / rng.random_range(70.0..130.0) / 2.0;
    let (mut matches, mut missed, mut doubled) = (Vec::new(), Vec::new(), Vec::new());
    for n in 0..((frames as f64 - HZ) / step) as usize {
        let place = ((0.4 * HZ + n as f64 * step) + rng.random_range(-0.012..0.012) * HZ).round();
        // The way back is softer than the way there.
        let force = if n % 2 == 0 { rng.random_range(0.6..1.0) } else { rng.random_range(0.25..0.6) };
        add(&mut source, place as i64, &grains(force, rise_ms, rng), 0.6);
        if rng.random_bool(0.05) {
            missed.push(place);
            continue;
        }
        let off: f64 = (0..4).map(|_| rng.random_range(-1.0..1.0)).sum::<f64>() * scatter;
        let there = (place + (latency + off) * 0.001 * HZ).max(0.0).round();
        let gain = 0.5 * force * if inverts { -1.0 } else { 1.0 };
        add(&mut layer, there as i64, &sample, gain);
        matches.push([place, there]);
        if rng.random_bool(0.05) {
            let again = there + f64::from(rng.random_range(1_200..2_900));
            add(&mut layer, again as i64, &sample, 0.8 * gain);
            doubled.push(again);
        }
    }
    bleed(&mut source, step, rng);
    let quiet = |rng: &mut ChaCha8Rng| rng.random_range(-75.0..-55.0);
    let (a, b) = (quiet(rng), quiet(rng));
    let (source, layer) = (noisy(source, a, rng), noisy(layer, b, rng));
    Layers { source, layer, kind: Kind::Shaken, matches, missed, doubled, inverts }
}

/// What one shake sounds like: noise without lows that rises within some ms and falls by itself.
pub(crate) fn grains(force: f64, rise_ms: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let (rise, fall) = (0.001 * rise_ms * HZ, rng.random_range(0.025..0.035) * HZ);
    let mut past = 0.0;
    let one = |n: i32| {
        let white: f64 = rng.random_range(-1.0..1.0);
        let edge = white - past;
        past = white;
        (0.35 * force * (f64::from(n) / rise).min(1.0) * (-f64::from(n) / fall).exp() * edge) as f32
    };
    (0..9_600).map(one).collect()
}

/// A drum of three modes.
fn drum(modes: &[f64; 3], force: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let mode = |(n, hz): (usize, &f64)| Mode {
        hz: *hz,
        gain: force * [0.5, 0.25, 0.12][n] * rng.random_range(0.85..1.15),
        decay_s: [0.35, 0.2, 0.12][n],
    };
    let modes: Vec<Mode> = modes.iter().enumerate().map(mode).collect();
    struck(HZ, &modes, 0.4 * force * force.sqrt(), rng.random_range(0.01..0.03), rng)
}

/// A burst of noise that rises within a third of a millisecond, without lows.
fn clap(rng: &mut ChaCha8Rng) -> Vec<f32> {
    let fall = rng.random_range(0.02..0.06) * HZ;
    let mut past = 0.0;
    (0..12_000)
        .map(|n| {
            let white: f64 = rng.random_range(-1.0..1.0);
            let edge = white - past;
            past = white;
            (0.4 * (f64::from(n) / 16.0).min(1.0) * (-f64::from(n) / fall).exp() * edge) as f32
        })
        .collect()
}

/// Another instrument in the source's microphone: low strokes 20 to 30 dB under it.
fn bleed(source: &mut [f32], step: f64, rng: &mut ChaCha8Rng) {
    let level = amplitude_of_db(rng.random_range(-30.0..-20.0));
    let mut at = 0.2 * HZ;
    while at + HZ < source.len() as f64 {
        let low = drum(&[60.0, 95.0, 160.0], 1.0, rng);
        add(source, at as i64, &low, level);
        at += 2.0 * step * rng.random_range(0.98..1.02);
    }
}
