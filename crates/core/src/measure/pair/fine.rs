//! The last fraction of a lag, from the phases of windows cut at the arrival.

use crate::dsp::spectrum::{CrossSpectrum, Transform, quick_len};
use crate::dsp::window::{Anchor, Shape, Windowed};
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::units::SampleRate;
use realfft::num_complex::{Complex32, Complex64};

/// Hands out each place's window of A and, cut alike `lag` frames later, the spectrum of B's up to `bins` with its energy; in the order
/// of the places. Two of B's are transformed at once.
///
/// # Errors
/// [`MeasureError`] when a track cannot be read.
pub fn windows_at(
    (a, b): (&Anchor, &Placed),
    (places, lag): (&[i64], i64),
    shape: &Shape,
    (transform, bins): (&mut Transform, usize),
    mut take: impl FnMut(&Windowed, &[Complex32], f32),
) -> Result<(), MeasureError> {
    let mut windows = [0, 1].map(|_| vec![0f32; shape.taper.len()]);
    let mut spectra = [0, 1].map(|_| vec![Complex32::default(); bins]);
    for two in places.chunks(2) {
        let mut energies = [0f32; 2];
        for ((place, window), energy) in two.iter().zip(&mut windows).zip(&mut energies) {
            *energy = shape.cut(b, place + lag, window)?;
        }
        let ([x, y], [fx, fy]) = (&windows, &mut spectra);
        transform.forward_two([x, y], [fx, fy]);
        for ((place, fb), eb) in two.iter().zip(&spectra).zip(energies) {
            take(&*a.window(*place, shape, transform)?, fb, eb);
        }
    }
    Ok(())
}

/// Cross-spectrum of windows cut alike from A and, `lag` frames later, from B.
pub fn aligned_spectrum(
    a: &Anchor,
    b: &Placed,
    places: &[i64],
    shape: &Shape,
    lag: i64,
) -> Result<(CrossSpectrum, usize), MeasureError> {
    let mut transform = Transform::new(quick_len(shape.taper.len()));
    let bins = transform.bins();
    let mut sum = CrossSpectrum::new(bins);
    // Both windows lie at the same place and are tapered, so the circular correlation wraps next to nothing round.
    windows_at((a, b), (places, lag), shape, (&mut transform, bins), |at_a, fb, eb| {
        if at_a.energy > 0.0 && eb > 0.0 {
            sum.add(&at_a.spectrum, fb, at_a.energy.sqrt().recip(), eb.sqrt().recip());
        }
    })?;
    Ok((sum, transform.len()))
}

/// Bins of an aligned cross-spectrum that carry the fine estimate.
pub struct Fine {
    /// Angular frequency of the first bin and between bins, in radians a frame.
    first: f64,
    step: f64,
    /// Phasors of consecutive bins by what they weigh; nothing where coherence is too low.
    bins: Vec<Complex64>,
    /// Magnitude-squared coherence over the band, strong bins counting more.
    pub coherence: f64,
}

impl Fine {
    /// From an aligned cross-spectrum and the length of its transform.
    pub fn of((sum, fft_len): &(CrossSpectrum, usize), rate: SampleRate, band: (f64, f64)) -> Self {
        let bin = |hz: f64| hz * *fft_len as f64 / rate.hz_f64();
        let low = (bin(band.0).ceil() as usize).max(1);
        let high = (bin(band.1.min(rate.hz_f64() * 0.45)).floor() as usize + 1).min(sum.ab.len());
        let (mut bins, mut top, mut bottom) = (Vec::new(), 0.0, 0.0);
        for k in low..high {
            let c = sum.coherence(k);
            // Square roots of the energies: strong bins count more, weak ones are not drowned.
            let weight = f64::from(sum.aa[k] * sum.bb[k]).sqrt().sqrt();
            top += c * weight;
            bottom += weight;
            let m = f64::from(sum.ab[k].norm());
            let counts = if c > 0.1 && m > 0.0 { c / (1.0 - c + 0.05) / m } else { 0.0 };
            bins.push(Complex64::new(f64::from(sum.ab[k].re), f64::from(sum.ab[k].im)) * counts);
        }
        let step = std::f64::consts::TAU / *fft_len as f64;
        Self { first: low as f64 * step, step, bins, coherence: if bottom > 0.0 { top / bottom } else { 0.0 } }
    }

    /// Rest of the lag in frames (−1 … 1) at which the phases agree best.
    pub fn residual(&self, sign: i8) -> f64 {
        let s = f64::from(sign);
        // Bins follow one another evenly: each turn is the one before, turned once more.
        let score = |d: f64| {
            let mut turn = Complex64::from_polar(1.0, self.first * d);
            let once = Complex64::from_polar(1.0, self.step * d);
            let mut sum = 0.0;
            for b in &self.bins {
                sum += b.re * turn.re - b.im * turn.im;
                turn *= once;
            }
            s * sum
        };
        // The band ends under half the rate: between steps of a tenth of a frame the sum has no second maximum.
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
