//! Lags of any size: prints, and machines with their own clock.

use crate::dsp::envelope::Envelope;
use crate::dsp::spectrum::{Transform, planned, quick_len};
use crate::dsp::sums::energy;
use crate::signal::index;
use realfft::ComplexToReal;
use realfft::num_complex::Complex32;
use std::sync::Arc;

/// Points to either side that belong to a peak.
const NEIGHBOURS: usize = 10;

/// Heights over the RMS of a correlation from which a peak stands out.
const STANDS_OUT: f64 = 8.0;

/// Rises of an envelope's logarithm, `factor` hops each, about their mean.
fn rises(e: &Envelope, factor: usize) -> Vec<f32> {
    let coarse: Vec<f32> =
        e.power.chunks(factor).map(|c| (c.iter().sum::<f32>() / c.len() as f32 + 1e-9).ln()).collect();
    let raw: Vec<f32> = coarse.windows(2).map(|w| (w[1] - w[0]).max(0.0)).collect();
    let mean = raw.iter().sum::<f32>() / raw.len().max(1) as f32;
    raw.iter().map(|v| v - mean).collect()
}

/// Two envelopes rise together as they stand, within so many hops: recorders with a common start, most of all sessions. Without
/// any transform; where it is not so, [`far_lag`] looks everywhere.
pub fn together(a: &Envelope, b: &Envelope, within: i64) -> bool {
    let (ra, rb) = (rises(a, 1), rises(b, 1));
    let offset = (b.first - a.first) / a.hop as i64;
    let sum = |x: &[f32], y: &[f32]| x.iter().zip(y).map(|(x, y)| x * y).sum::<f32>();
    // What unrelated rises come to at any one lag.
    let chance = (f64::from(energy(&ra)) * f64::from(energy(&rb)) / ra.len().max(rb.len()).max(1) as f64).sqrt();
    (0..=within).flat_map(|lag| [lag, -lag]).any(|lag| {
        let shift = offset + lag;
        let (from_a, from_b) = (index(shift.max(0)).min(ra.len()), index((-shift).max(0)).min(rb.len()));
        let (x, y) = (&ra[from_a..], &rb[from_b..]);
        f64::from(sum(x, y)) > STANDS_OUT * chance
    })
}

/// A lag of any size found by the rises of the two envelopes; none when nothing stands out or two places fit alike.
///
/// `hop_ms` is the length of the envelopes' hops.
pub fn far_lag(a: &Envelope, b: &Envelope, hop_ms: usize) -> Option<i64> {
    // Up to 35 minutes at 4 ms; longer recordings are looked at more coarsely, so memory stays bounded.
    let longest = a.power.len().max(b.power.len()) * hop_ms;
    let factor = (4 / hop_ms).max(1) * longest.div_ceil(1 << 21).max(1);
    let (ra, rb) = (rises(a, factor), rises(b, factor));
    if ra.len() < 16 || rb.len() < 16 {
        return None;
    }
    let n = quick_len(ra.len() + rb.len());
    let mut t = Transform::new(n);
    let mut fa = vec![Complex32::default(); t.bins()];
    let mut fb = fa.clone();
    t.forward(&ra, &mut fa);
    t.forward(&rb, &mut fb);
    let inverse: Arc<dyn ComplexToReal<f32>> = planned(n, |p| p.plan_fft_inverse(n));
    let mut cross: Vec<Complex32> = fa.iter().zip(&fb).map(|(x, y)| x.conj() * y).collect();
    cross[0].im = 0.0;
    let last = cross.len() - 1;
    cross[last].im = 0.0;
    let mut time = inverse.make_output_vec();
    inverse.process(&mut cross, &mut time).ok()?;
    let peak = (0..n).max_by(|x, y| time[*x].total_cmp(&time[*y]))?;
    let rms = (time.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / n as f64).sqrt();
    // All but the neighbours of the peak; the curve goes round.
    let (next, last) = (peak + NEIGHBOURS + 1, peak + n - NEIGHBOURS);
    let rival = (next..last).map(|i| time[if i < n { i } else { i - n }]).fold(0f32, |m, v| if v > m { v } else { m });
    if f64::from(time[peak]) < STANDS_OUT * rms || rival > 0.7 * time[peak] {
        return None;
    }
    let steps = if peak > n / 2 { peak as i64 - n as i64 } else { peak as i64 };
    Some(steps * (factor * a.hop) as i64 + b.first - a.first)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;

    /// Strikes at places that nothing repeats, ringing on for some hops each.
    fn playing(seed: u64, first: i64) -> Envelope {
        let mut power = vec![1e-6f32; 6_000];
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut at = 40;
        while at < 5_900 {
            (0..40).for_each(|k| power[at + k] += 0.5f32.powi(k as i32 / 4));
            at += rng.random_range(50..160);
        }
        Envelope { power, first, hop: 192 }
    }

    #[test]
    fn recorders_with_a_common_start_rise_together_and_others_do_not() {
        let here = playing(1, 0);
        for (hops, expected) in [(0, true), (3, true), (-9, true), (400, false), (-700, false)] {
            let there = playing(1, hops * 192);
            assert_eq!(together(&here, &there, 15), expected, "{hops} hops apart");
            // Looking everywhere finds it in any case.
            assert_eq!(far_lag(&here, &there, 4), Some(hops * 192));
        }
        assert!(!together(&here, &playing(2, 0), 15), "strangers");
    }
}
