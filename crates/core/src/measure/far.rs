//! Lags of any size: prints, and machines with their own clock.

use super::onset::Envelope;
use super::spectrum::{Transform, planned, quick_len};
use realfft::ComplexToReal;
use realfft::num_complex::Complex32;
use std::sync::Arc;

/// Points to either side that belong to a peak.
const NEIGHBOURS: usize = 10;

/// A lag of any size found by the rises of the two envelopes; none when nothing stands out or two places fit alike.
///
/// `hop_ms` is the length of the envelopes' hops.
pub fn far_lag(a: &Envelope, b: &Envelope, hop_ms: usize) -> Option<i64> {
    let rises = |e: &Envelope, factor: usize| -> Vec<f32> {
        let coarse: Vec<f32> =
            e.power.chunks(factor).map(|c| (c.iter().sum::<f32>() / c.len() as f32 + 1e-9).ln()).collect();
        let raw: Vec<f32> = coarse.windows(2).map(|w| (w[1] - w[0]).max(0.0)).collect();
        let mean = raw.iter().sum::<f32>() / raw.len().max(1) as f32;
        raw.iter().map(|v| v - mean).collect()
    };
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
    if f64::from(time[peak]) < 8.0 * rms || rival > 0.7 * time[peak] {
        return None;
    }
    let steps = if peak > n / 2 { peak as i64 - n as i64 } else { peak as i64 };
    Some(steps * (factor * a.hop) as i64 + b.first - a.first)
}
