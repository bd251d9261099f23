//! One delay, or does phase turn? What is lost in the sum? Spectra of a quarter second after each hit.

use crate::dsp::bands::THIRDS_HZ;
use crate::dsp::spectrum::{CrossSpectrum, Transform};
use crate::measure::lows::{Shared, low_sign};
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::{SampleRate, db_of_power};
use realfft::num_complex::Complex32;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// Phase of B against A at one frequency.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PhasePoint {
    /// Centre frequency in Hz.
    pub hz: f64,
    /// Phase with the measured lag taken out, unwrapped from the lows up, in degrees.
    pub residual_deg: f64,
    /// Phase that the lag alone gives, −360·f·τ, in degrees.
    pub delay_deg: f64,
    /// Magnitude-squared coherence, 0 … 1.
    pub coherence: f64,
}

/// Sum of two tracks in one third-octave band against unrelated sources of the same level, in dB.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct BandGain {
    /// Nominal centre in Hz.
    pub hz: f64,
    /// As recorded.
    pub recorded_db: f64,
    /// As corrected.
    pub corrected_db: f64,
    /// With every frequency in step: no correction can do better.
    pub best_db: f64,
    /// The band's share of the energy of both, in dB.
    pub level_db: f64,
}

/// Coherence from which a bin counts as heard by both.
const SHARED_COHERENCE: f64 = 0.3;

/// Spectra of both tracks in the same places, as recorded and with the lag taken out.
pub struct Response {
    recorded: CrossSpectrum,
    aligned: CrossSpectrum,
    /// Whole frames by which the aligned windows of B were cut later.
    shift: i64,
    fft_len: usize,
    rate: SampleRate,
}

impl Response {
    /// Reads a quarter of a second from 5 ms before each place.
    ///
    /// # Errors
    /// [`MeasureError::Read`] when a track cannot be read.
    pub fn measure(a: &Placed, b: &Placed, places: &[i64], lag: f64, rate: SampleRate) -> Result<Self, MeasureError> {
        let len = index(rate.frames(0.25));
        let before = rate.frames(0.005);
        let mut t = Transform::new((len * 2).next_power_of_two());
        let shift = lag.round() as i64;
        let mut sums = [CrossSpectrum::new(t.bins()), CrossSpectrum::new(t.bins())];
        let mut x = vec![0f32; len];
        let mut f = vec![vec![Complex32::default(); t.bins()]; 3];
        let fade = index(rate.frames(0.002)).max(1);
        for &place in places {
            for (track, at, out) in [(a, 0, 0), (b, 0, 1), (b, shift, 2)] {
                track.read(place - before + at, &mut x)?;
                for i in 0..len {
                    let inn = (i as f32 / fade as f32).min(1.0);
                    // Falls like a half cosine over the last half, so that decays are not cut off.
                    let p = ((i as f32 / len as f32 - 0.5) * 2.0).max(0.0);
                    x[i] *= inn * (0.5 + 0.5 * (std::f32::consts::PI * p).cos());
                }
                t.forward(&x, &mut f[out]);
            }
            sums[0].add(&f[0], &f[1], 1.0, 1.0);
            sums[1].add(&f[0], &f[2], 1.0, 1.0);
        }
        let [recorded, aligned] = sums;
        Ok(Self { recorded, aligned, shift, fft_len: t.len(), rate })
    }

    fn bins_of(&self, low: f64, high: f64) -> std::ops::Range<usize> {
        let bin = |hz: f64| (hz * self.fft_len as f64 / self.rate.hz_f64()).ceil() as usize;
        bin(low).max(1)..bin(high).min(self.aligned.ab.len())
    }

    /// Aligned cross-spectrum of a bin after B is moved by `offset` frames and perhaps inverted.
    fn moved(&self, bin: usize, offset: f64) -> Complex32 {
        // The windows are cut `shift` later already; the rest is a rotation.
        let rest = offset + self.shift as f64;
        let angle = -TAU * bin as f64 / self.fft_len as f64 * rest;
        self.aligned.ab[bin] * Complex32::new(angle.cos() as f32, angle.sin() as f32)
    }

    /// Sign of the energy both tracks share from a frequency on, with the lag taken out, as [`low_sign`] has it.
    pub fn low_sign(&self, lag: f64, from_hz: f64) -> i8 {
        let hz = self.rate.hz_f64() / self.fft_len as f64;
        let coherent = |k: &usize| self.aligned.coherence(*k) > SHARED_COHERENCE;
        let bins = self.bins_of(from_hz, self.rate.hz_f64() * 0.45).filter(coherent);
        let shared: Vec<Shared> = bins
            .map(|k| Shared {
                hz: k as f64 * hz,
                re: f64::from(self.moved(k, -lag).re),
                size: f64::from(self.aligned.ab[k].norm()),
            })
            .collect();
        low_sign(&shared)
    }

    /// Lowest third-octave that holds a hundredth of the energy of the strongest one (−20 dB: what the eye still sees in the
    /// waveform beside it), of both tracks together; none when there is no sound.
    pub fn lowest_hz(&self) -> Option<f64> {
        let edge = 2f64.powf(1.0 / 6.0);
        let energy = |hz: f64| -> f64 {
            self.bins_of(hz / edge, hz * edge)
                .map(|k| f64::from(self.recorded.aa[k]) + f64::from(self.recorded.bb[k]))
                .sum()
        };
        let bands = THIRDS_HZ.map(|hz| (hz, energy(hz)));
        let strongest = bands.iter().map(|b| b.1).fold(0.0, f64::max);
        bands.iter().find(|b| strongest > 0.0 && b.1 >= 0.01 * strongest).map(|b| b.0)
    }

    fn band_power(&self, low: f64, high: f64) -> f64 {
        self.bins_of(low, high).map(|k| f64::from(self.aligned.aa[k].max(0.0)).max(f64::from(self.aligned.bb[k]))).sum()
    }

    /// Phase against frequency at twelve points an octave from 25 Hz up.
    pub fn phase(&self, lag: f64) -> Vec<PhasePoint> {
        let mut points: Vec<PhasePoint> = Vec::new();
        let top = self.rate.hz_f64() * 0.45;
        let mut hz = 25.0;
        while hz < top {
            let range = self.bins_of(hz * 2f64.powf(-1.0 / 24.0), hz * 2f64.powf(1.0 / 24.0));
            let (mut cross, mut aa, mut bb) = (Complex32::default(), 0.0, 0.0);
            let mut coherence = 0.0;
            let count = range.len().max(1);
            for k in range {
                cross += self.moved(k, -lag);
                aa += self.aligned.aa[k];
                bb += self.aligned.bb[k];
                coherence += self.aligned.coherence(k);
            }
            if aa > 0.0 && bb > 0.0 && cross.norm() > 0.0 {
                let mut deg = f64::from(cross.arg()).to_degrees();
                if let Some(last) = points.last() {
                    deg += 360.0 * ((last.residual_deg - deg) / 360.0).round();
                }
                points.push(PhasePoint {
                    hz,
                    residual_deg: deg,
                    delay_deg: -360.0 * hz * lag / self.rate.hz_f64(),
                    coherence: coherence / count as f64,
                });
            }
            hz *= 2f64.powf(1.0 / 12.0);
        }
        points
    }

    /// Sum gain by third-octave from 25 Hz to 16 kHz for B moved by `offset` frames and perhaps inverted. Bands
    /// without energy are left out.
    pub fn sum_gain(&self, offset: f64, invert: bool) -> Vec<BandGain> {
        let sign = if invert { -1.0 } else { 1.0 };
        let all: f64 = self.band_power(20.0, self.rate.hz_f64() * 0.45);
        (-16..=12)
            .zip(THIRDS_HZ)
            .filter_map(|(n, nominal_hz)| {
                let hz = 1_000.0 * 10f64.powf(f64::from(n) / 10.0);
                let half = 10f64.powf(0.05);
                let range = self.bins_of(hz / half, hz * half);
                if range.is_empty() || hz * half > self.rate.hz_f64() * 0.5 {
                    return None;
                }
                let (mut both, mut recorded, mut corrected, mut best) = (0.0, 0.0, 0.0, 0.0);
                let mut both_aligned = 0.0;
                for k in range {
                    both += f64::from(self.recorded.aa[k] + self.recorded.bb[k]);
                    both_aligned += f64::from(self.aligned.aa[k] + self.aligned.bb[k]);
                    recorded += 2.0 * f64::from(self.recorded.ab[k].re);
                    corrected += 2.0 * sign * f64::from(self.moved(k, offset).re);
                    best += 2.0 * f64::from(self.aligned.ab[k].norm());
                }
                if both <= 0.0 || both_aligned <= all * 1e-9 {
                    return None;
                }
                let db = |x: f64| (db_of_power(x.max(1e-6)) * 100.0).round() / 100.0;
                Some(BandGain {
                    hz: nominal_hz,
                    recorded_db: db((both + recorded) / both),
                    corrected_db: db((both_aligned + corrected) / both_aligned),
                    best_db: db((both_aligned + best) / both_aligned),
                    level_db: db(both_aligned / (2.0 * all)),
                })
            })
            .collect()
    }

    /// 10·log10(Σ|A−B|²/Σ|A|²) over the windows, with B moved and perhaps inverted.
    pub fn null_depth_db(&self, offset: f64, invert: bool) -> f64 {
        let sign = if invert { -1.0 } else { 1.0 };
        let (mut left, mut whole) = (0.0, 0.0);
        for k in 0..self.aligned.ab.len() {
            let (aa, bb) = (f64::from(self.aligned.aa[k]), f64::from(self.aligned.bb[k]));
            left += aa + bb - 2.0 * sign * f64::from(self.moved(k, offset).re);
            whole += aa;
        }
        if whole <= 0.0 { 0.0 } else { db_of_power((left / whole).max(1e-15)) }
    }
}
