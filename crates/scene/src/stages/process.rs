//! What each stage does to sound at 48 kHz.

use super::parts::{biquad, convolved, delayed, hann, low_pass, noisy, peak, smooth};
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use realfft::RealFftPlanner;
use std::f64::consts::TAU;

/// Turns the gain down 72 samples before a peak comes.
pub(super) fn limiter(x: &[f32], _: &mut ChaCha8Rng) -> Vec<f32> {
    const AHEAD: usize = 72;
    const CEILING: f32 = 0.4;
    let (mut gain, release) = (1.0f32, smooth(0.05) as f32);
    (0..x.len())
        .map(|n| {
            let ahead = &x[n.saturating_sub(AHEAD)..=n];
            let loudest = ahead.iter().fold(0f32, |m, v| m.max(v.abs()));
            let wanted = (CEILING / loudest.max(CEILING)).min(1.0);
            gain = if wanted < gain { wanted } else { wanted + (gain - wanted) * release };
            n.checked_sub(AHEAD).map_or(0.0, |k| x[k] * gain)
        })
        .collect()
}

/// Lifts the highs by half, with the middle of a long symmetrical filter at 2,048 samples.
pub(super) fn linear_phase(x: &[f32], _: &mut ChaCha8Rng) -> Vec<f32> {
    let mut taps: Vec<f32> = low_pass(3_000.0, 2_048).iter().map(|t| -0.5 * t).collect();
    taps[2_048] += 1.5;
    convolved(x, &taps)
}

/// Spectral gate in blocks of 8,192 samples, half of them new each time: a block must be whole before any of it can go out.
pub(super) fn noise_reduction(x: &[f32], _: &mut ChaCha8Rng) -> Vec<f32> {
    const BLOCK: usize = 8_192;
    let mut planner = RealFftPlanner::<f32>::new();
    let (forward, inverse) = (planner.plan_fft_forward(BLOCK), planner.plan_fft_inverse(BLOCK));
    let window: Vec<f32> = hann(BLOCK).iter().map(|w| w.sqrt()).collect();
    let mut out = vec![0f32; x.len() + 2 * BLOCK];
    let mut start = 0i64 - BLOCK as i64 / 2;
    while start < x.len() as i64 {
        let at = |k: usize| usize::try_from(start + k as i64).ok().and_then(|n| x.get(n)).copied().unwrap_or(0.0);
        let mut block: Vec<f32> = (0..BLOCK).map(|k| at(k) * window[k]).collect();
        let mut bins = forward.make_output_vec();
        forward.process(&mut block, &mut bins).expect("lengths fit by construction");
        bins.iter_mut().for_each(|b| *b *= if b.norm() < 0.02 { 0.2 } else { 1.0 } / BLOCK as f32);
        let mut back = inverse.make_output_vec();
        inverse.process(&mut bins, &mut back).expect("lengths fit by construction");
        for k in 0..BLOCK {
            if let Ok(n) = usize::try_from(start + k as i64 + BLOCK as i64) {
                out[n] += back[k] * window[k];
            }
        }
        start += BLOCK as i64 / 2;
    }
    out.truncate(x.len());
    out
}

/// Bends the peaks at twice the rate; its two half-band filters come to 31.5 samples together.
pub(super) fn saturation(x: &[f32], _: &mut ChaCha8Rng) -> Vec<f32> {
    let bent: Vec<f32> = x.iter().map(|v| (1.5 * v).tanh() / 1.5).collect();
    delayed(&convolved(&bent, &low_pass(21_500.0, 30)), 1.5)
}

/// Out of the computer and in again: filters to 20 kHz, a part of a sample, a little noise.
pub(super) fn converters(x: &[f32], rng: &mut ChaCha8Rng) -> Vec<f32> {
    noisy(delayed(&convolved(x, &low_pass(20_500.0, 60)), 1.37), -96.0, rng)
}

/// 5.3 ms, 15 kHz and the noise of a radio.
pub(super) fn wireless(x: &[f32], rng: &mut ChaCha8Rng) -> Vec<f32> {
    noisy(delayed(&convolved(x, &low_pass(15_000.0, 40)), 214.4), -66.0, rng)
}

/// 188 ms between the heads, with wow, hiss and bent peaks.
pub(super) fn tape(x: &[f32], rng: &mut ChaCha8Rng) -> Vec<f32> {
    let (wow, phase) = (rng.random_range(20.0..40.0), rng.random_range(0.0..TAU));
    let read = |n: usize| {
        let at = n as f64 - 9_000.0 - wow * (TAU * 0.7 * n as f64 / 48_000.0 + phase).sin();
        let (whole, part) = (at.floor(), at - at.floor());
        let v = |k: f64| if k < 0.0 { 0.0 } else { x.get(k as usize).copied().unwrap_or(0.0) };
        f64::from(v(whole)) * (1.0 - part) + f64::from(v(whole + 1.0)) * part
    };
    let played: Vec<f32> = (0..x.len()).map(|n| (1.2 * read(n)).tanh() as f32).collect();
    noisy(played, -58.0, rng)
}

/// Nothing but reflections, denser and denser.
pub(super) fn plate(x: &[f32], rng: &mut ChaCha8Rng) -> Vec<f32> {
    let tail = |n: usize| {
        let size = (-(n as f64) / 24_000.0).exp() * 0.02;
        (size * rng.random_range(-1.0..1.0f64)) as f32
    };
    let taps: Vec<f32> = (0..72_000).map(tail).collect();
    convolved(x, &taps)
}

/// A loudspeaker 40 cm before a microphone, wired the other way round.
pub(super) fn cabinet(x: &[f32], rng: &mut ChaCha8Rng) -> Vec<f32> {
    let coloured = peak(&peak(&peak(x, 110.0, 5.0, 1.0), 2_600.0, 6.0, 1.4), 7_500.0, -6.0, 0.8);
    let turned: Vec<f32> = coloured.iter().map(|v| -v).collect();
    noisy(delayed(&turned, 56.2), -60.0, rng)
}

/// Takes the lowest octave away and turns its phase.
pub(super) fn transformer(x: &[f32], _: &mut ChaCha8Rng) -> Vec<f32> {
    // A high pass of second order at 18 Hz (R. Bristow-Johnson's cookbook).
    let w = TAU * 18.0 / 48_000.0;
    let alpha = w.sin() / 1.4;
    let half = (1.0 + w.cos()) / 2.0;
    biquad(x, [half, -2.0 * half, half], [1.0 + alpha, -2.0 * w.cos(), 1.0 - alpha])
}

/// Follows the level; no latency.
pub(super) fn compressor(x: &[f32], _: &mut ChaCha8Rng) -> Vec<f32> {
    let (attack, release) = (smooth(0.005), smooth(0.1));
    let mut level = 0.0f64;
    let one = |v: &f32| {
        let now = f64::from(v.abs());
        level = now + (level - now) * if now > level { attack } else { release };
        let gain = (0.1 / level.max(0.1)).powf(0.5);
        (f64::from(*v) * gain) as f32
    };
    x.iter().map(one).collect()
}

/// Packets of 1,024 samples and 5 ms of patience.
pub(super) fn network(x: &[f32], _: &mut ChaCha8Rng) -> Vec<f32> {
    let mut out = vec![0f32; 1_264];
    out.extend_from_slice(x);
    out.truncate(x.len());
    out
}
