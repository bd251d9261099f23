//! The last fraction of a lag, from the phases of windows cut at the arrival.

use super::MeasureError;
use super::attempt::{Shape, energy};
use super::spectrum::{CrossSpectrum, Transform};
use crate::signal::Placed;
use crate::units::SampleRate;
use realfft::num_complex::Complex32;

/// Cross-spectrum of windows cut alike from A and, `lag` frames later, from B.
pub fn aligned_spectrum(
    a: &Placed,
    b: &Placed,
    places: &[i64],
    shape: &Shape,
    lag: i64,
) -> Result<(CrossSpectrum, usize), MeasureError> {
    let len = shape.taper.len();
    let mut transform = Transform::new((len * 2).next_power_of_two());
    let mut sum = CrossSpectrum::new(transform.bins());
    let mut x = vec![0f32; len];
    let mut fa = vec![Complex32::default(); transform.bins()];
    let mut fb = fa.clone();
    for &place in places {
        let mut e = [0f32; 2];
        for (side, track, shift, out) in [(0, a, 0, &mut fa), (1, b, lag, &mut fb)] {
            track.read(place - shape.before + shift, &mut x)?;
            x.iter_mut().zip(&shape.taper).for_each(|(v, t)| *v *= t);
            e[side] = energy(&x);
            transform.forward(&x, out);
        }
        if e[0] > 0.0 && e[1] > 0.0 {
            sum.add(&fa, &fb, e[0].sqrt().recip(), e[1].sqrt().recip());
        }
    }
    Ok((sum, transform.len()))
}

/// Bins of an aligned cross-spectrum that carry the fine estimate.
pub struct Fine {
    /// (angular frequency in radians a frame, unit phasor's real and imaginary part, weight)
    bins: Vec<(f64, f64, f64, f64)>,
    /// Magnitude-squared coherence over the band, strong bins counting more.
    pub coherence: f64,
}

impl Fine {
    /// From an aligned cross-spectrum and the length of its transform.
    pub fn of((sum, fft_len): &(CrossSpectrum, usize), rate: SampleRate, band: (f64, f64)) -> Self {
        let hz = |k: usize| k as f64 * rate.hz_f64() / *fft_len as f64;
        let (mut bins, mut top, mut bottom) = (Vec::new(), 0.0, 0.0);
        for k in 1..sum.ab.len() {
            if hz(k) < band.0 || hz(k) > band.1.min(rate.hz_f64() * 0.45) {
                continue;
            }
            let c = sum.coherence(k);
            // Square roots of the energies: strong bins count more, weak ones are not drowned.
            let weight = f64::from(sum.aa[k] * sum.bb[k]).sqrt().sqrt();
            top += c * weight;
            bottom += weight;
            let m = f64::from(sum.ab[k].norm());
            if c > 0.1 && m > 0.0 {
                let w = c / (1.0 - c + 0.05);
                let omega = std::f64::consts::TAU * k as f64 / *fft_len as f64;
                bins.push((omega, f64::from(sum.ab[k].re) / m, f64::from(sum.ab[k].im) / m, w));
            }
        }
        Self { bins, coherence: if bottom > 0.0 { top / bottom } else { 0.0 } }
    }

    /// Rest of the lag in frames (−1 … 1) at which the phases agree best.
    pub fn residual(&self, sign: i8) -> f64 {
        let s = f64::from(sign);
        let score = |d: f64| {
            let part = |(o, re, im, w): &(f64, f64, f64, f64)| {
                let (sin, cos) = (o * d).sin_cos();
                w * s * (re * cos - im * sin)
            };
            self.bins.iter().map(part).sum::<f64>()
        };
        // The band ends under half the rate: between tenths of a frame the sum has no room for another top.
        let coarse = (-10..=10).map(|i| (f64::from(i) / 10.0, score(f64::from(i) / 10.0)));
        let (mut best, mut most) = coarse.max_by(|x, y| x.1.total_cmp(&y.1)).unwrap_or((0.0, 0.0));
        let mut step = 0.05;
        while step > 0.000_5 {
            for d in [best - step, best + step] {
                let here = score(d);
                if here > most {
                    (best, most) = (d, here);
                }
            }
            step *= 0.5;
        }
        best
    }
}
