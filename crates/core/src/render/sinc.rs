//! Fractional delay by a windowed sinc (Laakso et al., IEEE SP Magazine 1996).
//!
//! 48 taps with a Kaiser window (β = 10.5): over 0 … 20 kHz at 48 kHz (0 … 0.417 of the rate) the error stays below
//! −100 dB; `tests/render.rs` measures it.

/// Taps either side of the centre.
pub const HALF_TAPS: usize = 24;
const TAPS: usize = 2 * HALF_TAPS;
const BETA: f64 = 10.5;

/// A constant delay of a part of a frame.
pub struct FractionalDelay {
    taps: [f32; TAPS],
}

impl FractionalDelay {
    /// A delay of `fraction` frames, 0 … 1.
    pub fn new(fraction: f64) -> Self {
        let mut taps = [0f64; TAPS];
        // Output n lies between inputs n-1 and n; tap k multiplies input n - HALF_TAPS + k.
        for (k, tap) in taps.iter_mut().enumerate() {
            let x = HALF_TAPS as f64 - k as f64 - fraction;
            *tap = sinc(x) * kaiser(x / HALF_TAPS as f64, BETA);
        }
        let sum: f64 = taps.iter().sum();
        Self { taps: taps.map(|t| (t / sum) as f32) }
    }

    /// Tap k multiplies input n − [`HALF_TAPS`] + k for output n.
    pub fn taps(&self) -> &[f32; 2 * HALF_TAPS] {
        &self.taps
    }

    /// Input frames needed before the first output frame.
    pub fn margin_before(&self) -> usize {
        HALF_TAPS
    }

    /// Input frames needed after the last output frame.
    pub fn margin_after(&self) -> usize {
        HALF_TAPS - 1
    }

    /// `input` begins [`Self::margin_before`] frames before the first output frame and ends
    /// [`Self::margin_after`] frames after the last.
    pub fn apply(&self, input: &[f32], out: &mut [f32]) {
        for (n, o) in out.iter_mut().enumerate() {
            let window: &[f32; TAPS] = input[n..n + TAPS].try_into().expect("margins given");
            // Eight running sums: one sum would wait for itself, and the compiler may not reorder it.
            let mut sums = [0f32; 8];
            for k in (0..TAPS).step_by(8) {
                for j in 0..8 {
                    sums[j] += window[k + j] * self.taps[k + j];
                }
            }
            *o = sums.iter().sum();
        }
    }
}

/// sin(πx)/(πx).
pub fn sinc(x: f64) -> f64 {
    if x.abs() < 1e-12 { 1.0 } else { (std::f64::consts::PI * x).sin() / (std::f64::consts::PI * x) }
}

/// Kaiser window at x = −1 … 1.
pub fn kaiser(x: f64, beta: f64) -> f64 {
    if x.abs() > 1.0 { 0.0 } else { bessel_i0(beta * (1.0 - x * x).sqrt()) / bessel_i0(beta) }
}

fn bessel_i0(x: f64) -> f64 {
    let (mut sum, mut term, mut k) = (1.0, 1.0, 1.0);
    while term > sum * 1e-17 {
        term *= (x / (2.0 * k)) * (x / (2.0 * k));
        sum += term;
        k += 1.0;
    }
    sum
}
