//! What stages are built from.

use marea_core::render::sinc::{FractionalDelay, kaiser, sinc};
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use realfft::RealFftPlanner;
use std::f64::consts::{PI, TAU};

/// Later by so many samples, fractional; as long as before.
pub fn delayed(x: &[f32], samples: f64) -> Vec<f32> {
    let whole = samples.floor();
    let filter = FractionalDelay::new(samples - whole);
    let (before, after) = (filter.margin_before(), filter.margin_after());
    let mut padded = vec![0f32; before + whole as usize];
    padded.extend_from_slice(x);
    padded.resize(padded.len() + after, 0.0);
    padded.truncate(before + x.len() + after);
    let mut out = vec![0f32; x.len()];
    filter.apply(&padded, &mut out);
    out
}

/// Through a filter of finite length, from its first tap on.
pub fn convolved(x: &[f32], taps: &[f32]) -> Vec<f32> {
    let len = (x.len() + taps.len()).next_power_of_two();
    let mut planner = RealFftPlanner::<f32>::new();
    let (forward, inverse) = (planner.plan_fft_forward(len), planner.plan_fft_inverse(len));
    let spectrum = |y: &[f32]| {
        let mut input = y.to_vec();
        input.resize(len, 0.0);
        let mut bins = forward.make_output_vec();
        forward.process(&mut input, &mut bins).expect("lengths fit by construction");
        bins
    };
    let mut bins = spectrum(x);
    bins.iter_mut().zip(spectrum(taps)).for_each(|(a, b)| *a *= b);
    let mut out = inverse.make_output_vec();
    inverse.process(&mut bins, &mut out).expect("lengths fit by construction");
    out.truncate(x.len());
    out.iter_mut().for_each(|v| *v /= len as f32);
    out
}

/// A linear-phase low pass: its middle tap is number `half`.
pub fn low_pass(hz: f64, half: usize) -> Vec<f32> {
    let part = 2.0 * hz / 48_000.0;
    let tap = |k: usize| {
        let n = k as f64 - half as f64;
        (part * sinc(part * n) * kaiser(n / (half as f64 + 1.0), 8.0)) as f32
    };
    (0..=2 * half).map(tap).collect()
}

/// A second-order bell of minimum phase (R. Bristow-Johnson, *Cookbook formulae for audio EQ biquad filter coefficients*).
pub fn peak(x: &[f32], hz: f64, db: f64, q: f64) -> Vec<f32> {
    let (w, a) = (TAU * hz / 48_000.0, 10f64.powf(db / 40.0));
    let alpha = w.sin() / (2.0 * q);
    let b = [1.0 + alpha * a, -2.0 * w.cos(), 1.0 - alpha * a];
    let d = [1.0 + alpha / a, -2.0 * w.cos(), 1.0 - alpha / a];
    biquad(x, b, d)
}

/// A second-order low pass of minimum phase without a hump, as what is not digital has it: its poles are those of the analogue filter, and it
/// has no zero at half the rate.
pub fn low_pass_analogue(x: &[f32], hz: f64) -> Vec<f32> {
    let turn = TAU * hz / 48_000.0 / std::f64::consts::SQRT_2;
    let (radius, d1) = ((-turn).exp(), -2.0 * (-turn).exp() * turn.cos());
    let d2 = radius * radius;
    biquad(x, [1.0 + d1 + d2, 0.0, 0.0], [1.0, d1, d2])
}

/// A filter of second order by its coefficients.
pub(super) fn biquad(x: &[f32], b: [f64; 3], d: [f64; 3]) -> Vec<f32> {
    let (mut x1, mut x2, mut y1, mut y2) = (0.0, 0.0, 0.0, 0.0);
    let one = |v: &f32| {
        let v = f64::from(*v);
        let y = (b[0] * v + b[1] * x1 + b[2] * x2 - d[1] * y1 - d[2] * y2) / d[0];
        (x2, x1, y2, y1) = (x1, v, y1, y);
        y as f32
    };
    x.iter().map(one).collect()
}

/// White noise of an RMS in dB below full scale, added.
pub fn noisy(mut x: Vec<f32>, dbfs: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let level = 10f64.powf(dbfs / 20.0);
    for v in &mut x {
        // Box and Muller's way to a normal number.
        let (u, w): (f64, f64) = (rng.random_range(1e-12..1.0), rng.random_range(0.0..1.0));
        *v += (level * (-2.0 * u.ln()).sqrt() * (TAU * w).cos()) as f32;
    }
    x
}

/// A one-pole smoother's factor for a time in seconds.
pub(super) fn smooth(seconds: f64) -> f64 {
    (-1.0 / (seconds * 48_000.0)).exp()
}

/// A periodic Hann window.
pub(super) fn hann(len: usize) -> Vec<f32> {
    (0..len).map(|n| (0.5 - 0.5 * (2.0 * PI * n as f64 / len as f64).cos()) as f32).collect()
}
