//! Transforms of windows, and cross-spectra averaged over them.

use realfft::num_complex::Complex32;
use realfft::{RealFftPlanner, RealToComplex};
use rustfft::{Fft, FftPlanner};
use std::cell::RefCell;
use std::sync::Arc;

/// Transforms of one length with their scratch memory.
pub struct Transform {
    forward: Arc<dyn RealToComplex<f32>>,
    scratch: Vec<Complex32>,
    input: Vec<f32>,
    pairs: Option<Pairs>,
}

/// Two windows in one complex transform.
struct Pairs {
    forward: Arc<dyn Fft<f32>>,
    scratch: Vec<Complex32>,
    both: Vec<Complex32>,
}

thread_local! {
    static PLANNER: RefCell<RealFftPlanner<f32>> = RefCell::new(RealFftPlanner::new());
    static PLANNER_OF_PAIRS: RefCell<FftPlanner<f32>> = RefCell::new(FftPlanner::new());
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
        Self { forward, scratch, input: vec![0.0; len], pairs: None }
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

impl Transform {
    /// Transforms two windows of one length at once, zero-padded, as far up as `out` goes (unnormalised): one as the real part
    /// and one as the imaginary part, which the symmetry of spectra of real signals takes apart again. The half of the work that
    /// takes a single real window apart is done once for both, and not at all above the band.
    ///
    /// # Panics
    /// When the windows differ in length or are longer than the transform, or `out` has more bins than it.
    pub fn forward_two(&mut self, windows: [&[f32]; 2], out: [&mut [Complex32]; 2]) {
        let len = self.len();
        let pairs = self.pairs.get_or_insert_with(|| {
            let forward = PLANNER_OF_PAIRS.with(|p| p.borrow_mut().plan_fft_forward(len));
            let scratch = vec![Complex32::default(); forward.get_inplace_scratch_len()];
            Pairs { forward, scratch, both: vec![Complex32::default(); len] }
        });
        let [a, b] = windows;
        assert!(a.len() == b.len() && a.len() <= len, "windows of one length");
        let filled = pairs.both.iter_mut().zip(a.iter().zip(b));
        filled.for_each(|(z, (a, b))| *z = Complex32::new(*a, *b));
        pairs.both[a.len()..].fill(Complex32::default());
        pairs.forward.process_with_scratch(&mut pairs.both, &mut pairs.scratch);
        let [first, second] = out;
        let apart = |z: Complex32, mirrored: Complex32| {
            let w = mirrored.conj();
            let (sum, off) = (z + w, z - w);
            (sum * 0.5, Complex32::new(off.im * 0.5, -off.re * 0.5))
        };
        let (z, back) = (&pairs.both, pairs.both[1..].iter().rev());
        (first[0], second[0]) = apart(z[0], z[0]);
        let bins = first[1..].iter_mut().zip(&mut second[1..]).zip(z[1..].iter().zip(back));
        bins.for_each(|((a, b), (z, w))| (*a, *b) = apart(*z, *w));
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
    pub fn coherences(&self, bins: usize) -> Vec<f32> {
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
