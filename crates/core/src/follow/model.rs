//! The print as the send predicts it: read along a curve, then through one filter. Sums of both and of their difference, step by step.

use crate::dsp::spectrum::{Transform, planned, quick_len};
use crate::follow::band::{Band, Pair};
use crate::follow::curve::{Curve, STEP_S};
use crate::follow::read::read_along;
use crate::signal::{ReadError, Source, index};
use rayon::prelude::*;
use realfft::num_complex::Complex32;
use std::f64::consts::TAU;

/// Window from which the filter is made, and its length, in seconds: 4,096 and 1,024 samples at 48 kHz.
const WINDOW_S: f64 = 4_096.0 / 48_000.0;
/// Windows from which it is made at most, spread over all of it.
const WINDOWS: usize = 800;
/// Regularisation, against the strongest bin: only what was not sent at all is held down. More would take the highs of music for a loss of
/// the path, and its delay would be wrong by that loss's phase.
const FLOOR: f32 = 1e-8;
/// A third-octave passes when its coherence is at least this.
const PASSES: f32 = 0.5;
/// Steps computed at once: with the margins just less than a length that is quick to transform, at 48 and 44.1 kHz.
const AT_ONCE: usize = 390;
/// Taps to either side of the filter that tells the slope of the model. It is a slope to step along: what it is off by costs no accuracy.
const SLOPE: usize = 8;

/// What the sums are made of in one step of the curve.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Sums {
    /// Print, model, and their product.
    pub(super) print: f64,
    pub(super) model: f64,
    pub(super) both: f64,
    /// What the model leaves of the print; its product with the model's slope; that slope.
    pub(super) left: f64,
    pub(super) slope_left: f64,
    pub(super) slope: f64,
}

/// A filter from a send that is read along a curve to its print.
pub(super) struct Filter {
    /// Bins of a transform of `len`.
    pub(super) bins: Vec<Complex32>,
    pub(super) len: usize,
    /// Power of the print in each bin.
    print: Vec<f32>,
    /// First bin above the highest third-octave that comes through.
    pub(super) reaches: usize,
    /// Part of the print's power that no filter of the send explains, in each bin: one less the coherence.
    unexplained: Vec<f32>,
}

impl Filter {
    /// The filter that fits best over all of the print (Welch 1967), no longer than a quarter of its window.
    pub(super) fn fit(pair: Pair, curve: &Curve) -> Result<Self, ReadError> {
        Self::fit_from(pair, curve, WINDOWS)
    }

    /// The same from so many windows at most, spread over all of it.
    pub(super) fn fit_from(pair: Pair, curve: &Curve, windows: usize) -> Result<Self, ReadError> {
        let len = quick_len((WINDOW_S * pair.hz).round() as usize);
        let most = index(pair.print.frames()).saturating_sub(len);
        let starts: Vec<usize> = (0..=most).step_by((most / windows).max(len / 2)).collect();
        let bins = len / 2 + 1;
        let taper: Vec<f32> =
            (0..len).map(|i| (0.5 - 0.5 * (TAU * (i as f64 + 0.5) / len as f64).cos()) as f32).collect();
        let empty = || (vec![Complex32::default(); bins], vec![0f32; bins], vec![0f32; bins]);
        let tools = || (Transform::new(len), vec![0f32; len], vec![0f32; len]);
        let (cross, send, print) = starts
            .par_chunks(32)
            .map_init(tools, |(t, x, y), starts| -> Result<_, ReadError> {
                let (mut cross, mut send, mut print) = empty();
                let (mut a, mut b) = (vec![Complex32::default(); bins], vec![Complex32::default(); bins]);
                for from in starts {
                    read_along(pair, curve, *from as i64, x)?;
                    pair.print.read(*from as i64, y)?;
                    x.iter_mut().zip(&taper).for_each(|(v, w)| *v *= w);
                    y.iter_mut().zip(&taper).for_each(|(v, w)| *v *= w);
                    t.forward_two([x, y], [&mut a, &mut b]);
                    for (k, (a, b)) in a.iter().zip(&b).enumerate() {
                        cross[k] += a.conj() * b;
                        send[k] += a.norm_sqr();
                        print[k] += b.norm_sqr();
                    }
                }
                Ok((cross, send, print))
            })
            .try_reduce(empty, |mut a, b| {
                a.0.iter_mut().zip(&b.0).for_each(|(a, b)| *a += b);
                a.1.iter_mut().zip(&b.1).for_each(|(a, b)| *a += b);
                a.2.iter_mut().zip(&b.2).for_each(|(a, b)| *a += b);
                Ok(a)
            })?;
        let strongest = send.iter().copied().fold(0.0, f32::max).max(f32::MIN_POSITIVE);
        let mut bins: Vec<Complex32> = cross.iter().zip(&send).map(|(c, s)| c / (s + FLOOR * strongest)).collect();
        shorten(&mut bins, len);
        let passes = |k: usize| {
            let band = (k as f64 * 0.89) as usize..k;
            let sum = |f: &dyn Fn(usize) -> f32| band.clone().map(f).sum::<f32>();
            sum(&|k| cross[k].norm()) / (sum(&|k| send[k]) * sum(&|k| print[k])).sqrt().max(f32::MIN_POSITIVE)
        };
        let reaches = (8..cross.len()).rev().find(|k| passes(*k).powi(2) > PASSES).unwrap_or(8);
        let part = |k: usize| (1.0 - cross[k].norm_sqr() / (send[k] * print[k]).max(f32::MIN_POSITIVE)).clamp(0.0, 1.0);
        let unexplained = (0..cross.len()).map(part).collect();
        Ok(Self { bins, len, print, reaches, unexplained })
    }

    /// What the send leaves of the print within a band in Hz, in dB.
    pub(super) fn left_db(&self, hz: f64, limits: [f64; 2]) -> f64 {
        let [low, high] = limits.map(|f| (f / hz * self.len as f64) as usize);
        let power = |k: usize| f64::from(self.print[k]);
        let all: f64 = (low..high).map(power).sum();
        let left: f64 = (low..high).map(|k| power(k) * f64::from(self.unexplained[k])).sum();
        10.0 * (left / all.max(f64::MIN_POSITIVE)).max(1e-12).log10()
    }

    /// The filter at the bins of another transform, made white by the print's spectrum within a band; and what makes it so.
    fn stretched(&self, len: usize, hz: f64, [low, high]: [f64; 2]) -> (Vec<Complex32>, Vec<Complex32>) {
        let strongest = self.print.iter().copied().fold(0.0, f32::max).max(f32::MIN_POSITIVE);
        let mut taps = impulse(&self.bins, self.len);
        // The filter's centre is at index 0 and wraps round.
        let half = self.len / 2;
        let mut longer = vec![0f32; len];
        longer[..half].copy_from_slice(&taps[..half]);
        longer[len - half..].copy_from_slice(&taps[half..]);
        taps.clear();
        let mut t = Transform::new(len);
        let mut filter = vec![Complex32::default(); t.bins()];
        t.forward(&longer, &mut filter);
        let weight = |k: usize| {
            let f = k as f64 * hz / len as f64;
            // Edges a third of an octave wide below and a tenth above.
            let rise = ((f - 0.8 * low) / (0.4 * low)).clamp(0.0, 1.0);
            let fall = ((1.05 * high - f) / (0.1 * high)).clamp(0.0, 1.0);
            let edge = (rise * fall) as f32;
            if edge == 0.0 {
                return edge;
            }
            let x = k as f64 * self.len as f64 / len as f64;
            let i = (x as usize).min(self.print.len() - 2);
            let power = self.print[i] + (self.print[i + 1] - self.print[i]) * (x - i as f64) as f32;
            edge / (power / strongest + 1e-5).sqrt()
        };
        let weights: Vec<Complex32> = (0..filter.len()).map(|k| Complex32::new(weight(k), 0.0)).collect();
        filter.iter_mut().zip(&weights).for_each(|(f, w)| *f *= w);
        (filter, weights)
    }

    /// Sums a step each, within a band in Hz, made white.
    pub(super) fn sums(&self, band: &Band, curve: &Curve, limits: [f64; 2]) -> Result<Vec<Sums>, ReadError> {
        let hz = band.hz;
        let steps = curve.0.len();
        let margin = (self.len / 2).max(256);
        let first_of = |step: usize| (step as f64 * STEP_S * hz).round() as i64;
        let most = (AT_ONCE as f64 * STEP_S * hz).ceil() as usize + 1;
        let len = quick_len(most + 2 * margin);
        let (filter, weights) = self.stretched(len, hz, limits);
        let bins = filter.len();
        let tools = || {
            let inverse = planned(len, |p| p.plan_fft_inverse(len));
            let scratch = inverse.make_scratch_vec();
            (Transform::new(len), inverse, scratch)
        };
        let starts: Vec<usize> = (0..steps).step_by(AT_ONCE).collect();
        let parts: Vec<Vec<Sums>> = starts
            .par_iter()
            .map_init(tools, |(t, inverse, scratch), &from| -> Result<_, ReadError> {
                let to = (from + AT_ONCE).min(steps);
                let begin = first_of(from) - margin as i64;
                let (mut x, mut y) = (vec![0f32; len], vec![0f32; len]);
                read_along(band.pair(), curve, begin, &mut x)?;
                band.print.read(begin, &mut y)?;
                let (mut a, mut b) = (vec![Complex32::default(); bins], vec![Complex32::default(); bins]);
                t.forward_two([&x, &y], [&mut a, &mut b]);
                let scale = 1.0 / len as f32;
                a.iter_mut().zip(&filter).for_each(|(a, f)| *a *= f * scale);
                b.iter_mut().zip(&weights).for_each(|(b, w)| *b *= w * scale);
                for (spectrum, out) in [(&mut a, &mut x), (&mut b, &mut y)] {
                    spectrum[0].im = 0.0;
                    spectrum[bins - 1].im = 0.0;
                    inverse.process_with_scratch(spectrum, out, scratch).expect("lengths fit by construction");
                }
                let d = slope(&x);
                let of = |step: usize| {
                    let range = (first_of(step) - begin) as usize..(first_of(step + 1) - begin) as usize;
                    summed(&y[range.clone()], &x[range.clone()], &d[range])
                };
                Ok((from..to).map(of).collect())
            })
            .collect::<Result<_, _>>()?;
        Ok(parts.concat())
    }
}

/// The slope of a signal, a sample: the ideal differentiator, 1, −1/2, 1/3 …, with a Hann window.
fn slope(x: &[f32]) -> Vec<f32> {
    let mut d = vec![0f32; x.len()];
    for k in 1..=SLOPE.min(x.len().saturating_sub(1) / 2) {
        let round = 0.5 + 0.5 * (TAU / 2.0 * k as f64 / (SLOPE + 1) as f64).cos();
        let tap = (if k % 2 == 1 { round } else { -round } / k as f64) as f32;
        let inner = d[k..x.len() - k].iter_mut().zip(x[2 * k..].iter().zip(x));
        inner.for_each(|(d, (later, earlier))| *d += tap * (later - earlier));
    }
    d
}

fn summed(print: &[f32], model: &[f32], slope: &[f32]) -> Sums {
    let mut s = Sums::default();
    for ((p, m), d) in print.iter().zip(model).zip(slope) {
        let [p, m, d] = [*p, *m, *d].map(f64::from);
        let r = p - m;
        s.print += p * p;
        s.model += m * m;
        s.both += p * m;
        s.left += r * r;
        s.slope_left += r * d;
        s.slope += d * d;
    }
    s
}

/// The impulse response of bins, its centre at index 0.
fn impulse(bins: &[Complex32], len: usize) -> Vec<f32> {
    let mut spectrum = bins.to_vec();
    let last = spectrum.len() - 1;
    (spectrum[0].im, spectrum[last].im) = (0.0, 0.0);
    let mut out = vec![0f32; len];
    planned(len, |p| p.plan_fft_inverse(len)).process(&mut spectrum, &mut out).expect("lengths fit by construction");
    out.iter_mut().for_each(|v| *v /= len as f32);
    out
}

/// Keeps a quarter of the impulse response, about its centre, with soft ends.
fn shorten(bins: &mut [Complex32], len: usize) {
    let mut taps = impulse(bins, len);
    let half = len / 8;
    for (n, tap) in taps.iter_mut().enumerate() {
        let away = n.min(len - n) as f64 / half as f64;
        *tap *= (0.5 + 0.5 * (std::f64::consts::PI * ((away - 0.8) / 0.2).clamp(0.0, 1.0)).cos()) as f32;
    }
    Transform::new(len).forward(&taps, bins);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_slope_of_a_sine_is_its_cosine() {
        // Closed form, up to 9 kHz at 24 kHz.
        for (hz, most) in [(200.0, 0.01), (2_000.0, 0.01), (6_000.0, 0.02), (9_000.0, 0.15)] {
            let turn = TAU * hz / 24_000.0;
            let x: Vec<f32> = (0..2_000).map(|n| (turn * f64::from(n)).sin() as f32).collect();
            let d = slope(&x);
            for (n, d) in d.iter().enumerate().skip(20).take(1_900) {
                let wanted = turn * (turn * n as f64).cos();
                assert!((f64::from(*d) - wanted).abs() < most * turn, "{hz} Hz at {n}: {d} for {wanted}");
            }
        }
        assert!(slope(&[]).is_empty() && slope(&[1.0]) == [0.0]);
    }
}
