//! Bass and guitar: what goes into the amplifier, and what comes out of it.

use crate::instruments::{add, plucked};
use rand::Rng;
use rand_chacha::ChaCha8Rng;

/// A line of notes as it comes from the strings, and its onsets.
pub fn line(frames: usize, rate: f64, bass: bool, rng: &mut ChaCha8Rng) -> (Vec<f32>, Vec<i64>) {
    let (mut out, mut hits) = (vec![0f32; frames], Vec::new());
    let step = 30.0 / rng.random_range(90.0..165.0);
    let root = if bass { 30.0 } else { 52.0 };
    let scale = [0.0, 3.0, 5.0, 7.0, 10.0, 12.0];
    let mut at_s = 0.7;
    while at_s < frames as f64 / rate - 1.5 {
        let at = (at_s * rate) as i64;
        let sound = plucked(rate, root + scale[rng.random_range(0..6)], rng.random_range(0.4..0.9), 0.7, rng);
        add(&mut out, at, &sound, 0.7);
        hits.push(at);
        at_s += step * f64::from(rng.random_range(1..5));
    }
    (out, hits)
}

/// Through an amplifier: saturation between a low cut and the high cut of a loudspeaker.
pub fn amplified(x: &[f32], rate: f64, bass: bool, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let drive = rng.random_range(1.5..9.0);
    let (low, high) = if bass { (45.0, 3_500.0) } else { (110.0, 5_000.0) };
    let keep = |hz: f64| (-std::f64::consts::TAU * hz / rate).exp();
    let (kl, kh) = (keep(low), keep(high * rng.random_range(0.8..1.2)));
    let (mut l, mut h1, mut h2) = (0.0, 0.0, 0.0);
    x.iter()
        .map(|v| {
            l = kl * l + (1.0 - kl) * f64::from(*v);
            let hot = ((f64::from(*v) - l) * drive).tanh() * 0.5;
            h1 = kh * h1 + (1.0 - kh) * hot;
            h2 = kh * h2 + (1.0 - kh) * h1;
            h2 as f32
        })
        .collect()
}
