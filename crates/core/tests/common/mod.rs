//! Made-up sounds for the tests of the core.
#![allow(dead_code)]

pub mod stage;

use marea_core::measure::pair::options::PairOptions;
use marea_core::measure::pair::{PairMeasurement, measure_pair};
use marea_core::render::sinc::{kaiser, sinc};
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

pub fn rate() -> SampleRate {
    SampleRate::new(48_000).unwrap()
}

pub fn noise(frames: usize, seed: u64) -> Vec<f32> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    (0..frames).map(|_| rng.random_range(-0.5..0.5)).collect()
}

/// Noise bursts with decay at irregular places: struck.
pub fn hits(frames: usize, seed: u64) -> Vec<f32> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut out = vec![0f32; frames];
    let mut at = 6_000;
    while at + 9_000 < frames {
        let force: f32 = rng.random_range(0.2..0.8);
        for k in 0..7_000 {
            let v: f32 = rng.random_range(-1.0..1.0);
            out[at + k] += force * v * (-(k as f32) / 900.0).exp();
        }
        at += rng.random_range(8_500..15_000);
    }
    out
}

/// A microphone: when and how loud it hears each of two players, who strike in turn.
pub fn in_turn(seed: u64, hears: [(usize, f32); 2]) -> MemSource {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut x: Vec<f32> = (0..288_000).map(|_| rng.random_range(-1e-4f32..1e-4)).collect();
    for (n, at) in (10_000..270_000).step_by(13_000).enumerate() {
        let (late, level) = hears[n % 2];
        let mut strike = ChaCha8Rng::seed_from_u64((n % 2) as u64);
        let decay = |i: usize| (-(i as f32) / 700.0).exp();
        (0..4_800).for_each(|i| x[at + late + i] += level * decay(i) * strike.random_range(-0.5f32..0.5));
    }
    MemSource(x)
}

/// Noise that swells and fades: sustained, without attacks.
pub fn swelling(frames: usize, seed: u64) -> Vec<f32> {
    let mut past = 0.0;
    noise(frames, seed)
        .iter()
        .enumerate()
        .map(|(n, v)| {
            past = 0.6 * past + 0.4 * v;
            past * (0.15 + (n as f32 / 40_000.0).sin().powi(2))
        })
        .collect()
}

/// A band-limited copy, later by any number of frames: an oracle written apart from the renderer (wide window, f64).
pub fn delayed(x: &[f32], delay: f64, gain: f64) -> Vec<f32> {
    let whole = delay.floor() as i64;
    let taps: Vec<f64> = (-79..=80)
        .map(|k| f64::from(k) + (delay - delay.floor()))
        .map(|d| sinc(d) * kaiser(d / 81.0, 12.0) * gain)
        .collect();
    (0..x.len() as i64)
        .map(|n| {
            let sum: f64 = taps
                .iter()
                .enumerate()
                .filter_map(|(i, t)| {
                    usize::try_from(n - whole - 79 + i as i64).ok().and_then(|k| x.get(k)).map(|v| (t, v))
                })
                .map(|(t, v)| t * f64::from(*v))
                .sum();
            sum as f32
        })
        .collect()
}

pub fn plus(a: &[f32], b: &[f32]) -> Vec<f32> {
    a.iter().zip(b).map(|(x, y)| x + y).collect()
}

pub fn scaled(a: &[f32], gain: f32) -> Vec<f32> {
    a.iter().map(|v| v * gain).collect()
}

pub fn measure(a: &[f32], b: &[f32]) -> PairMeasurement {
    measure_with(a, b, PairOptions::default())
}

pub fn measure_with(a: &[f32], b: &[f32], options: PairOptions) -> PairMeasurement {
    let (a, b) = (MemSource(a.to_vec()), MemSource(b.to_vec()));
    measure_pair(
        &Placed { source: &a, start: SessionFrame(0) },
        &Placed { source: &b, start: SessionFrame(0) },
        rate(),
        options,
        &mut |_| true,
    )
    .unwrap()
}

pub fn vector(name: &str) -> serde_json::Value {
    let path = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/vectors").join(format!("{name}.json"));
    serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
}

pub fn floats(v: &serde_json::Value) -> Vec<f32> {
    v.as_array().unwrap().iter().map(|x| x.as_f64().unwrap() as f32).collect()
}
