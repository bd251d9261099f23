//! Where one struck sound begins: what linear prediction from the sound before cannot tell.

use crate::dsp::prediction::{predictor, residual};
use crate::units::db_of_power;

/// Order of the prediction.
const ORDER: usize = 20;
/// The sound after the change is louder by so much, or there is none.
const LOUDER_DB: f64 = 10.0;
/// Mean gain in log-likelihood a sample from which a change is one (found on simulated renderings, see docs/accuracy-notes.md).
const DEPTH: f64 = 0.3;
/// Power of a residual under the largest of the window that counts as nothing.
const NOTHING: f64 = 1e-10;

/// The sample of `x` at which a sound begins, none when nothing stands out. `x[..before]` is what sounded before and lasts over the order
/// of the prediction at least; the beginning is looked for after it.
///
/// Two variances of the residual, one before and one after, are fitted at every place (change of variance by maximum likelihood).
pub fn beginning(x: &[f32], before: usize) -> Option<usize> {
    let predictor = predictor::<ORDER>(&x[..before]);
    let residual: Vec<f64> = residual(x, before, &predictor).into_iter().map(|z| z * z).collect();
    let len = residual.len();
    let most = residual.iter().copied().fold(0.0, f64::max);
    if most <= 0.0 || len < 4 * ORDER {
        return None;
    }
    let mut sums = vec![0f64; len + 1];
    residual.iter().enumerate().for_each(|(i, r)| sums[i + 1] = sums[i] + r.max(NOTHING * most));
    let variance = |from: usize, to: usize| sums[to].mul_add(1.0, -sums[from]) / (to - from) as f64;
    let cost = |k: usize| k as f64 * variance(0, k).ln() + (len - k) as f64 * variance(k, len).ln();
    let at = (ORDER..len - ORDER).min_by(|a, b| cost(*a).total_cmp(&cost(*b)))?;
    let louder = db_of_power(variance(at, len) / variance(0, at));
    let depth = variance(0, len).ln() - cost(at) / len as f64;
    (louder > LOUDER_DB && depth > DEPTH).then_some(before + at)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;

    #[test]
    fn a_stroke_is_found_under_a_ringing_tone_and_in_silence() {
        let mut rng = ChaCha8Rng::seed_from_u64(4);
        for ringing in [0.0, 0.3] {
            let mut x: Vec<f32> = (0..4_000).map(|n| ringing * (0.05 * n as f32).sin()).collect();
            (3_000..4_000).for_each(|n| x[n] += rng.random_range(-0.4f32..0.4));
            let at = beginning(&x, 2_000).unwrap();
            assert!(at.abs_diff(3_000) <= 2, "{at}");
        }
    }

    #[test]
    fn nothing_begins_in_noise_a_tone_or_silence() {
        let mut rng = ChaCha8Rng::seed_from_u64(5);
        let noise: Vec<f32> = (0..4_000).map(|_| rng.random_range(-0.4f32..0.4)).collect();
        let tone: Vec<f32> = (0..4_000).map(|n| (0.05 * n as f32).sin()).collect();
        for x in [noise, tone, vec![0.0; 4_000]] {
            assert_eq!(beginning(&x, 2_000), None);
        }
    }
}
