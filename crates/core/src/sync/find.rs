//! Where a part of one recording may lie in another.

use super::features::{BANDS, Features};
use crate::dsp::spectrum::{Transform, planned, quick_len};
use rayon::prelude::*;
use realfft::num_complex::Complex32;

/// Places kept a query.
const KEPT: usize = 6;
/// Hops about a place that belong to it.
const NEAR: usize = 15;
/// Places looked at in one transform, in lengths of the query.
const AT_ONCE: usize = 4;

/// A place: hops by which the query's beginning lies after the recording's, and its height over the RMS of all.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Found {
    /// In hops.
    pub hops: i64,
    /// Over the RMS.
    pub height: f32,
}

/// The best places of a query in a recording, the highest first; also such that reach over its ends by half.
pub fn places(all: &Features, query: &Features, part: std::ops::Range<usize>) -> Vec<Found> {
    let want = part.len();
    let len = quick_len((AT_ONCE + 1) * want);
    let step = len - want;
    let mut t = Transform::new(len);
    let spectra: Vec<Vec<Complex32>> = (0..BANDS)
        .map(|b| {
            let mut spectrum = vec![Complex32::default(); t.bins()];
            t.forward(&query.bands[b][part.clone()], &mut spectrum);
            spectrum
        })
        .collect();
    // Half of the query may lie before the beginning and after the end.
    let first = -(want as i64 / 2);
    let last = all.hops() as i64 - want as i64 / 2;
    let blocks: Vec<i64> = (first..last).step_by(step).collect();
    let sums: Vec<Vec<f32>> = blocks.par_iter().map(|at| block(all, &spectra, *at, len, want)).collect();
    let mut curve: Vec<f32> = sums.concat();
    curve.truncate((last - first).max(0) as usize);
    let rms = (curve.iter().map(|v| v * v).sum::<f32>() / curve.len().max(1) as f32).sqrt();
    let mut found = Vec::new();
    for _ in 0..KEPT {
        let Some(at) = (0..curve.len()).max_by(|a, b| curve[*a].total_cmp(&curve[*b])) else { break };
        if curve[at] <= 0.0 {
            break;
        }
        found.push(Found { hops: at as i64 + first, height: curve[at] / rms });
        let end = curve.len().min(at + NEAR + 1);
        curve[at.saturating_sub(NEAR)..end].fill(0.0);
    }
    found
}

/// Sums of products over all bands, for places from `at` on.
fn block(all: &Features, query: &[Vec<Complex32>], at: i64, len: usize, want: usize) -> Vec<f32> {
    let mut t = Transform::new(len);
    let mut spectrum = vec![Complex32::default(); t.bins()];
    let mut sum = spectrum.clone();
    let mut x = vec![0f32; len];
    for (band, q) in all.bands.iter().zip(query) {
        x.iter_mut().enumerate().for_each(|(n, v)| {
            *v = usize::try_from(at + n as i64).ok().and_then(|n| band.get(n)).copied().unwrap_or(0.0);
        });
        t.forward(&x, &mut spectrum);
        sum.iter_mut().zip(spectrum.iter().zip(q)).for_each(|(s, (x, q))| *s += q.conj() * x);
    }
    let inverse = planned(len, |p| p.plan_fft_inverse(len));
    let mut out = inverse.make_output_vec();
    sum[0].im = 0.0;
    let last = sum.len() - 1;
    sum[last].im = 0.0;
    inverse.process(&mut sum, &mut out).expect("lengths fit by construction");
    out.truncate(len - want);
    out
}
