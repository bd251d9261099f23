//! A path's response, and the delay and sign that are in it.

use super::signal::HIGHEST;
use crate::dsp::one_delay::{OneDelay, one_delay, spectrum};
use crate::dsp::spectrum::quick_len;
use crate::units::SampleRate;
use realfft::num_complex::Complex;
use realfft::{ComplexToReal, RealFftPlanner, RealToComplex};
use std::f64::consts::PI;
use std::sync::Arc;

/// Regularisation of the division, against the strongest bin.
const FLOOR: f64 = 1e-6;
/// The band of every signal, in Hz.
const SENT_HZ: [f64; 2] = [24.0, 22_000.0];
/// Kept of the response before and after its peak, in samples at 48 kHz: all of the first, and fading until the second.
const BEFORE: usize = 256;
const AFTER: [usize; 2] = [1_024, 4_096];
/// The magnitude is held outside this band, in Hz, for nothing was sent there.
const HELD_HZ: [f64; 2] = [25.0, 19_500.0];
/// Delay and sign are those of this band, in Hz.
const JUDGED_HZ: [f64; 2] = [200.0, 12_000.0];
/// A third-octave weaker than the strongest octave by more than this is not passed, in dB.
const PASSED_DB: f64 = 24.0;

/// Division by one signal's spectrum.
pub(super) struct Division {
    forward: Arc<dyn RealToComplex<f64>>,
    inverse: Arc<dyn ComplexToReal<f64>>,
    by: Vec<Complex<f64>>,
    /// Samples of the signal.
    sent: usize,
}

impl Division {
    /// For stretches of about twice the signal's length: probes that follow one another are not seen together.
    pub(super) fn new(sent: Vec<f32>, rate: SampleRate) -> Self {
        let len = quick_len(2 * sent.len());
        let mut planner = RealFftPlanner::<f64>::new();
        let (forward, inverse) = (planner.plan_fft_forward(len), planner.plan_fft_inverse(len));
        let mut x: Vec<f64> = sent.iter().map(|v| f64::from(*v)).collect();
        x.resize(len, 0.0);
        let mut spectrum = forward.make_output_vec();
        forward.process(&mut x, &mut spectrum).expect("lengths fit by construction");
        // The strongest bin above the lowest octaves: an exponential sweep is 10 dB a decade stronger below.
        let bin = |hz: f64| (hz / f64::from(rate.hz()) * len as f64) as usize;
        let strongest = spectrum[bin(200.0)..].iter().map(Complex::norm_sqr).fold(0.0, f64::max);
        // Where nothing was sent, noise alone would be divided by next to nothing.
        let sent_in = bin(SENT_HZ[0])..bin(SENT_HZ[1].min(HIGHEST * f64::from(rate.hz())));
        let one = |(k, s): (usize, &Complex<f64>)| {
            if sent_in.contains(&k) { s.conj() / (s.norm_sqr() + FLOOR * strongest) } else { Complex::default() }
        };
        let by = spectrum.iter().enumerate().map(one).collect();
        Self { forward, inverse, by, sent: sent.len() }
    }

    /// Length of a stretch.
    pub(super) fn len(&self) -> usize {
        (self.by.len() - 1) * 2
    }

    /// Places of a stretch at which a whole signal may begin.
    pub(super) fn searched(&self) -> usize {
        self.len() - self.sent
    }

    /// The response against what was sent, for a stretch that is filled up with zeros; wraps round.
    pub(super) fn divide(&self, stretch: &[f32]) -> Vec<f64> {
        let mut x: Vec<f64> = stretch.iter().map(|v| f64::from(*v)).collect();
        x.resize(self.len(), 0.0);
        let mut spectrum = self.forward.make_output_vec();
        self.forward.process(&mut x, &mut spectrum).expect("lengths fit by construction");
        spectrum.iter_mut().zip(&self.by).for_each(|(s, b)| *s *= b);
        let last = spectrum.len() - 1;
        (spectrum[0].im, spectrum[last].im) = (0.0, 0.0);
        self.inverse.process(&mut spectrum, &mut x).expect("lengths fit by construction");
        let n = x.len() as f64;
        x.iter_mut().for_each(|v| *v /= n);
        x
    }
}

/// What a path does.
pub(super) struct Response {
    /// Where the signal begins in the recording, in samples.
    pub(super) at: f64,
    pub(super) invert: bool,
    pub(super) quality: f64,
    pub(super) thirds: Vec<(f64, f64)>,
    pub(super) reaches_hz: f64,
}

impl Response {
    /// Of the probe whose response peaks at `peak`; none when nothing is left of it.
    pub(super) fn measure(recording: &[f32], division: &Division, peak: usize, rate: SampleRate) -> Option<Self> {
        let hz = f64::from(rate.hz());
        let scaled = |samples: usize| (samples as f64 * hz / 48_000.0).round() as usize;
        // The stretch begins somewhat before, so that the peak lies well inside it.
        let margin = scaled(2 * AFTER[1]).min(division.len() / 8);
        let begins = peak as i64 - margin as i64;
        let mut stretch = vec![0f32; division.len() - margin];
        let from = begins.max(0) as usize;
        let skip = (from as i64 - begins) as usize;
        let until = recording.len().min((begins + stretch.len() as i64).max(0) as usize);
        stretch[skip..skip + until.saturating_sub(from)].copy_from_slice(&recording[from..until.max(from)]);
        let whole = division.divide(&stretch);
        let (before, flat, after) = (scaled(BEFORE), scaled(AFTER[0]), scaled(AFTER[1]));
        let len = (4 * after).next_power_of_two();
        let mut gated = vec![0f64; len];
        for k in 0..before + after {
            let behind = (k as f64 - before as f64 - flat as f64).max(0.0) / (after - flat) as f64;
            let rise = (k as f64 / (before as f64 / 4.0)).min(1.0);
            let window = (0.5 + 0.5 * (PI * behind).cos()) * (0.5 - 0.5 * (PI * rise).cos());
            // The peak is at index 0; what comes before it wraps round to the end.
            gated[(k + len - before) % len] = whole[margin + k - before] * window;
        }
        let bins = spectrum(&mut gated);
        let bin = |f: f64| (f / hz * len as f64).round() as usize;
        let held = [bin(HELD_HZ[0]), bin(HELD_HZ[1].min(0.45 * hz))];
        let judged = bin(JUDGED_HZ[0])..bin(JUDGED_HZ[1].min(0.4 * hz));
        let OneDelay { delay, invert, quality } = one_delay(&bins, held, judged, len)?;
        let (thirds, reaches_hz) = thirds(&bins, hz, len);
        Some(Self { at: peak as f64 + delay, invert, quality, thirds, reaches_hz })
    }
}

/// Third-octaves (base-two centres about 1 kHz, IEC 61260-1), and the highest one that is passed.
fn thirds(bins: &[Complex<f64>], hz: f64, len: usize) -> (Vec<(f64, f64)>, f64) {
    let level = |centre: f64| {
        let edge = |e: f64| (centre * (e / 6.0).exp2() / hz * len as f64).round() as usize;
        let band = &bins[edge(-1.0).max(1)..(edge(1.0) + 1).min(bins.len())];
        10.0 * (band.iter().map(Complex::norm_sqr).sum::<f64>() / band.len() as f64).max(1e-20).log10()
    };
    let centres = (-15..=13).map(|n| 1_000.0 * (f64::from(n) / 3.0).exp2());
    let all: Vec<(f64, f64)> = centres.filter(|c| c * 1.13 < 0.46 * hz).map(|c| (c, level(c))).collect();
    let strongest = all.iter().map(|b| b.1).fold(f64::NEG_INFINITY, f64::max);
    let reaches = all.iter().rev().find(|b| b.1 > strongest - PASSED_DB).map_or(0.0, |b| b.0 * (1.0f64 / 6.0).exp2());
    (all, reaches)
}
