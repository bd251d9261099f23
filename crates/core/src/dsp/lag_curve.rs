//! The curve of agreement against lag.

use crate::dsp::spectrum::{CrossSpectrum, planned};
use crate::dsp::sums::energy;
use realfft::ComplexToReal;
use realfft::num_complex::Complex32;
use std::cell::RefCell;
use std::sync::Arc;

/// Agreement against lag: the inverse transform of the whitened cross-spectrum.
pub struct LagCurve {
    /// Values from the lowest to the highest lag, `oversampling` points a frame.
    pub values: Vec<f32>,
    /// Lag of the first value in frames.
    pub first_lag: f64,
    /// Points a frame.
    pub oversampling: usize,
    /// Root mean square of the values.
    pub rms: f64,
}

impl LagCurve {
    /// The lag of a point in frames.
    pub fn lag_of(&self, point: usize) -> f64 {
        self.first_lag + point as f64 / self.oversampling as f64
    }

    /// Which way up a point is.
    pub fn sign_at(&self, point: usize) -> i8 {
        if self.values[point] < 0.0 { -1 } else { 1 }
    }

    /// The point of largest absolute value.
    pub fn peak(&self) -> usize {
        self.largest(|_| true)
    }

    /// The largest local extreme at least `guard` frames away from `point`.
    pub fn rival(&self, point: usize, guard: f64) -> usize {
        let guard = (guard * self.oversampling as f64).ceil() as usize;
        self.largest(|i| i.abs_diff(point) >= guard && self.is_extreme(i))
    }

    /// The largest local extreme at least `guard` frames before `point`; none at the very edge.
    pub fn before(&self, point: usize, guard: f64) -> Option<usize> {
        let end = point.checked_sub((guard * self.oversampling as f64).ceil() as usize)?;
        (9..=end).filter(|i| self.is_extreme(*i)).max_by(|a, b| self.values[*a].abs().total_cmp(&self.values[*b].abs()))
    }

    fn is_extreme(&self, i: usize) -> bool {
        let v = |k: usize| self.values[k].abs();
        (i == 0 || v(i) >= v(i - 1)) && (i + 1 >= self.values.len() || v(i) >= v(i + 1))
    }

    fn largest(&self, keep: impl Fn(usize) -> bool) -> usize {
        let mut best = 0;
        let mut value = -1.0;
        for (i, v) in self.values.iter().enumerate() {
            if v.abs() > value && keep(i) {
                value = v.abs();
                best = i;
            }
        }
        best
    }

    /// Lag of an extreme refined by a parabola through its neighbours, in frames.
    pub fn refined(&self, point: usize) -> f64 {
        if point == 0 || point + 1 >= self.values.len() {
            return self.lag_of(point);
        }
        let (l, m, r) =
            (f64::from(self.values[point - 1]), f64::from(self.values[point]), f64::from(self.values[point + 1]));
        let bend = l - 2.0 * m + r;
        let shift = if bend == 0.0 { 0.0 } else { (0.5 * (l - r) / bend).clamp(-0.5, 0.5) };
        let step = 1.0 / self.oversampling as f64;
        self.lag_of(point) + shift * step
    }
}

/// Band and search range of a [`lag_curve`].
#[derive(Debug, Clone, Copy)]
pub struct CurveRange {
    /// Lower edge in bins, included.
    pub low_bin: usize,
    /// Upper edge in bins, excluded.
    pub high_bin: usize,
    /// Largest lag either way in frames.
    pub max_lag: usize,
    /// Points a frame.
    pub oversampling: usize,
    /// Frames by which B's windows began before A's; the curve counts it in.
    pub lead: usize,
}

/// Whitens by 1/√(S_aa·S_bb) (SCOT: Knapp & Carter 1976), weights each bin by its coherence, and goes back to lags on a
/// finer grid. A transform of `fft_len` samples made the spectra.
///
/// The weight by coherence keeps bins that hold nothing but noise from adding to the curve: tuned instruments fill a
/// small part of the band, and plain whitening would lift all the rest to the same height.
pub fn lag_curve(sum: &CrossSpectrum, fft_len: usize, range: CurveRange) -> LagCurve {
    let high = range.high_bin.min(sum.ab.len() - 1);
    let coherence = sum.coherences(high);
    curve_of(fft_len, range, high, |bin| {
        let power = sum.aa[bin] * sum.bb[bin];
        let near = neighbours(&coherence, bin);
        let weight = || near.iter().sum::<f32>() / (near.len() as f32 * power.sqrt());
        if power > 0.0 { sum.ab[bin] * weight() } else { Complex32::default() }
    })
}

/// What each bin counts in [`single_curve`]: the coherence of the sum of all windows, as [`CrossSpectrum::coherences`] gives it, over
/// five neighbouring bins.
pub fn bin_weights(coherence: &[f32]) -> Vec<f32> {
    let weight = |bin| {
        let near = neighbours(coherence, bin);
        near.iter().sum::<f32>() / near.len().max(1) as f32
    };
    (0..coherence.len()).map(weight).collect()
}

/// Agreement of one window by itself, as `ab` has it, with every bin counting as in the sum of all: one window alone cannot say
/// which of its bins hold the sound. `weights` come from [`bin_weights`], a bin each.
pub fn single_curve(ab: &[Complex32], weights: &[f32], fft_len: usize, range: CurveRange) -> LagCurve {
    let high = range.high_bin.min(ab.len() - 1).min(weights.len());
    curve_of(fft_len, range, high, |bin| {
        let size = ab[bin].norm_sqr().sqrt();
        if size > 0.0 { ab[bin] * (weights[bin] / size) } else { Complex32::default() }
    })
}

/// Five neighbouring bins: single bins of few windows are too noisy to weigh with.
fn neighbours(coherence: &[f32], bin: usize) -> &[f32] {
    &coherence[bin.saturating_sub(2).max(1).min(coherence.len())..(bin + 3).min(coherence.len())]
}

/// Memory of one inverse transform, used again by the next one of a thread.
#[derive(Default)]
struct Workbench {
    spectrum: Vec<Complex32>,
    time: Vec<f32>,
    scratch: Vec<Complex32>,
}

thread_local! {
    static WORKBENCH: RefCell<Workbench> = RefCell::default();
}

fn curve_of(fft_len: usize, range: CurveRange, high: usize, whitened: impl Fn(usize) -> Complex32) -> LagCurve {
    let os = range.oversampling;
    let inverse: Arc<dyn ComplexToReal<f32>> = planned(fft_len * os, |p| p.plan_fft_inverse(fft_len * os));
    // B's window began `lead` frames early, so its content sits `lead` frames later than the true lag.
    let points = 2 * range.max_lag * os + 1;
    let total = fft_len * os;
    let base = (range.lead + fft_len * 2 - range.max_lag) * os;
    // The transform goes round.
    let (from, end) = (base % total, base % total + points);
    let mut values = WORKBENCH.with_borrow_mut(|w| {
        w.spectrum.clear();
        w.spectrum.resize(total / 2 + 1, Complex32::default());
        for bin in range.low_bin.max(1)..high {
            w.spectrum[bin] = whitened(bin);
        }
        w.time.resize(total, 0.0);
        w.scratch.resize(inverse.get_scratch_len(), Complex32::default());
        inverse
            .process_with_scratch(&mut w.spectrum, &mut w.time, &mut w.scratch)
            .expect("lengths fit by construction");
        let mut values = w.time[from..end.min(total)].to_vec();
        values.extend_from_slice(&w.time[..end.saturating_sub(total)]);
        values
    });
    let most = values.iter().fold(0f32, |m, v| m.max(v.abs())).max(f32::MIN_POSITIVE);
    values.iter_mut().for_each(|v| *v /= most);
    let rms = (f64::from(energy(&values)) / points as f64).sqrt();
    let first_lag = -(range.max_lag as f64);
    LagCurve { values, first_lag, oversampling: os, rms }
}
