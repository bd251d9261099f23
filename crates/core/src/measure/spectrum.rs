//! Averaged cross-spectra and the curve of agreement against lag.

use realfft::num_complex::Complex32;
use realfft::{ComplexToReal, RealFftPlanner, RealToComplex};
use std::cell::RefCell;
use std::sync::Arc;

/// A pair of transforms of one length with their scratch memory.
pub struct Transform {
    forward: Arc<dyn RealToComplex<f32>>,
    scratch: Vec<Complex32>,
    input: Vec<f32>,
}

thread_local! {
    static PLANNER: RefCell<RealFftPlanner<f32>> = RefCell::new(RealFftPlanner::new());
}

/// Plans longer than this are not kept: they are rare and large.
const KEPT_LEN: usize = 1 << 19;

/// A plan, made once a thread: cells of a table ask for the same few lengths thousands of times.
pub fn planned<P>(len: usize, make: impl FnOnce(&mut RealFftPlanner<f32>) -> P) -> P {
    if len > KEPT_LEN {
        return make(&mut RealFftPlanner::new());
    }
    PLANNER.with(|p| make(&mut p.borrow_mut()))
}

/// The next length from `least` on that is quick to transform: a power of two, or a small odd number times one.
pub fn quick_len(least: usize) -> usize {
    let least = least.max(64);
    [1, 3, 5, 7, 9].map(|f| f * least.div_ceil(f).next_power_of_two()).into_iter().min().unwrap_or(least)
}

impl Transform {
    /// Transforms of `len` real samples (even).
    pub fn new(len: usize) -> Self {
        let forward = planned(len, |p| p.plan_fft_forward(len));
        let scratch = forward.make_scratch_vec();
        Self { forward, scratch, input: vec![0.0; len] }
    }

    /// Length in samples.
    pub fn len(&self) -> usize {
        self.input.len()
    }

    /// Never true; there to keep company with [`Self::len`].
    pub fn is_empty(&self) -> bool {
        self.input.is_empty()
    }

    /// Number of bins, `len / 2 + 1`.
    pub fn bins(&self) -> usize {
        self.len() / 2 + 1
    }

    /// Transforms `samples`, zero-padded to the length, into `out` (unnormalised).
    ///
    /// # Panics
    /// When `samples` is longer than the transform or `out` has another number of bins.
    pub fn forward(&mut self, samples: &[f32], out: &mut [Complex32]) {
        self.input[..samples.len()].copy_from_slice(samples);
        self.input[samples.len()..].fill(0.0);
        self.forward
            .process_with_scratch(&mut self.input, out, &mut self.scratch)
            .expect("lengths fit by construction");
    }
}

/// Cross- and power spectra summed over windows, before any whitening.
#[derive(Clone)]
pub struct CrossSpectrum {
    /// Σ conj(A)·B a bin.
    pub ab: Vec<Complex32>,
    /// Σ |A|² a bin.
    pub aa: Vec<f32>,
    /// Σ |B|² a bin.
    pub bb: Vec<f32>,
    /// Windows added up.
    pub count: usize,
}

impl CrossSpectrum {
    /// Empty sums over `bins` bins.
    pub fn new(bins: usize) -> Self {
        Self { ab: vec![Complex32::default(); bins], aa: vec![0.0; bins], bb: vec![0.0; bins], count: 0 }
    }

    /// Adds one window's spectra with a factor for each side, as far up as the sums go.
    pub fn add(&mut self, a: &[Complex32], b: &[Complex32], scale_a: f32, scale_b: f32) {
        let (square_a, square_b, both) = (scale_a * scale_a, scale_b * scale_b, scale_a * scale_b);
        let sums = self.ab.iter_mut().zip(&mut self.aa).zip(&mut self.bb);
        for (((ab, aa), bb), (x, y)) in sums.zip(a.iter().zip(b)) {
            ab.re += (x.re * y.re + x.im * y.im) * both;
            ab.im += (x.re * y.im - x.im * y.re) * both;
            *aa += (x.re * x.re + x.im * x.im) * square_a;
            *bb += (y.re * y.re + y.im * y.im) * square_b;
        }
        self.count += 1;
    }

    /// Adds another sum.
    pub fn merge(&mut self, other: &Self) {
        for i in 0..self.ab.len() {
            self.ab[i] += other.ab[i];
            self.aa[i] += other.aa[i];
            self.bb[i] += other.bb[i];
        }
        self.count += other.count;
    }

    /// [`Self::coherence`] of the first `bins` bins.
    fn coherences(&self, bins: usize) -> Vec<f32> {
        if self.count < 2 {
            return vec![0.0; bins];
        }
        let bias = 1.0 / self.count as f32;
        let scale = 1.0 / (1.0 - bias);
        let powers = self.aa.iter().zip(&self.bb);
        let freed = |(ab, (aa, bb)): (&Complex32, (&f32, &f32))| {
            let raw = (ab.re * ab.re + ab.im * ab.im) / (aa * bb).max(f32::MIN_POSITIVE);
            ((raw - bias) * scale).clamp(0.0, 1.0)
        };
        self.ab.iter().zip(powers).take(bins).map(freed).collect()
    }

    /// Magnitude-squared coherence of one bin, 0 … 1, freed of the bias 1/K that K windows give unrelated signals
    /// (Carter 1987).
    pub fn coherence(&self, bin: usize) -> f64 {
        let power = f64::from(self.aa[bin]) * f64::from(self.bb[bin]);
        if power <= 0.0 || self.count < 2 {
            return 0.0;
        }
        let raw = f64::from(self.ab[bin].norm_sqr()) / power;
        let bias = 1.0 / self.count as f64;
        ((raw - bias) / (1.0 - bias)).clamp(0.0, 1.0)
    }
}

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

    /// The point of largest absolute value.
    pub fn peak(&self) -> usize {
        self.largest(|_| true)
    }

    /// The largest local extreme at least `guard` frames away from `point`.
    pub fn rival(&self, point: usize, guard: f64) -> usize {
        let guard = guard * self.oversampling as f64;
        self.largest(|i| (i as f64 - point as f64).abs() >= guard && self.is_extreme(i))
    }

    /// The largest local extreme at least `guard` frames before `point`; none at the very edge.
    pub fn before(&self, point: usize, guard: f64) -> Option<usize> {
        let guard = guard * self.oversampling as f64;
        let early = |i: usize| i as f64 <= point as f64 - guard && i > 8;
        (0..self.values.len())
            .filter(|i| early(*i) && self.is_extreme(*i))
            .max_by(|a, b| self.values[*a].abs().total_cmp(&self.values[*b].abs()))
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
    let os = range.oversampling;
    let high = range.high_bin.min(sum.ab.len() - 1);
    let low = range.low_bin.max(1);
    let coherence = sum.coherences(high);
    let inverse: Arc<dyn ComplexToReal<f32>> = planned(fft_len * os, |p| p.plan_fft_inverse(fft_len * os));
    let mut spectrum = inverse.make_input_vec();
    for bin in low..high {
        let power = sum.aa[bin] * sum.bb[bin];
        if power > 0.0 {
            // Over five neighbouring bins: single bins of few windows are too noisy to weigh with.
            let near = &coherence[bin.saturating_sub(2).max(1)..(bin + 3).min(high)];
            spectrum[bin] = sum.ab[bin] * (near.iter().sum::<f32>() / (near.len() as f32 * power.sqrt()));
        }
    }
    let mut time = inverse.make_output_vec();
    inverse.process(&mut spectrum, &mut time).expect("lengths fit by construction");
    // B's window began `lead` frames early, so its content sits `lead` frames later than the true lag.
    let points = 2 * range.max_lag * os + 1;
    let total = time.len();
    let base = (range.lead + total / os * 2 - range.max_lag) * os;
    let values: Vec<f32> = (0..points).map(|i| time[(base + i) % total]).collect();
    let peak_safe = values.iter().fold(0f32, |m, v| m.max(v.abs())).max(f32::MIN_POSITIVE);
    let values: Vec<f32> = values.iter().map(|v| v / peak_safe).collect();
    let rms = (values.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / points as f64).sqrt();
    let first_lag = -(range.max_lag as f64);
    LagCurve { values, first_lag, oversampling: os, rms }
}
