//! What is looked at to place notes: how the energy of every pitch rises, and how all of the sound does.

use crate::dsp::spectrum::Transform;
use crate::progress::{MeasureError, Progress};
use crate::signal::{Source, index};
use crate::units::SampleRate;
use realfft::num_complex::Complex32;

/// Hops a second.
pub const HOPS_A_SECOND: f64 = 100.0;
/// Window, in seconds: 4,096 samples at 48 kHz.
const WINDOW_S: f64 = 0.085_3;
/// Harmonics of a pitch that count.
const HARMONICS: usize = 4;
/// Hops after a moment, and before it, between which a rise is measured: 120 ms.
const SIDE: usize = 12;
/// Power under the loudest of a pitch from which nothing is told apart.
const FLOOR: f32 = 1e-6;

/// Rises along time, in dB about their mean, [`HOPS_A_SECOND`] a second.
pub struct Rises {
    /// Keys, in order.
    keys: Vec<u8>,
    /// Of each key.
    pitched: Vec<Vec<f32>>,
    /// Of all that sounds.
    pub all: Vec<f32>,
}

/// Frequency of a key in Hz, A4 = 440 (*MIDI Tuning*: equal temperament).
pub fn key_hz(key: u8) -> f64 {
    440.0 * ((f64::from(key) - 69.0) / 12.0).exp2()
}

impl Rises {
    /// Measures the rises of some keys over a whole recording, in windows of 85 ms.
    ///
    /// # Errors
    /// [`MeasureError`] when the recording cannot be read or `progress` says stop.
    pub fn measure(
        source: &dyn Source,
        rate: SampleRate,
        keys: &[u8],
        progress: Progress,
    ) -> Result<Self, MeasureError> {
        let mut keys = keys.to_vec();
        keys.sort_unstable();
        keys.dedup();
        let len = 2 * index(rate.frames(WINDOW_S / 2.0));
        let hop = rate.hz_f64() / HOPS_A_SECOND;
        let hops = (source.frames() as f64 / hop).ceil() as usize;
        let bins: Vec<Vec<(usize, usize)>> = keys.iter().map(|k| bins(key_hz(*k), rate.hz_f64(), len)).collect();
        let taper: Vec<f32> = (0..len).map(|i| hann(i, len)).collect();
        let mut t = Transform::new(len);
        let (mut x, mut spectrum) = (vec![0f32; len], vec![Complex32::default(); t.bins()]);
        let mut pitched = vec![Vec::with_capacity(hops); keys.len()];
        let mut all = Vec::with_capacity(hops);
        for n in 0..hops {
            if n % 256 == 0 && !progress(n as f64 / hops as f64) {
                return Err(MeasureError::Stopped);
            }
            source.read((n as f64 * hop) as i64 - len as i64 / 2, &mut x)?;
            x.iter_mut().zip(&taper).for_each(|(x, t)| *x *= t);
            t.forward(&x, &mut spectrum);
            let sum = |from: usize, to: usize| spectrum[from..to].iter().map(Complex32::norm_sqr).sum::<f32>();
            all.push(sum(1, spectrum.len()));
            for (power, ranges) in pitched.iter_mut().zip(&bins) {
                power.push(ranges.iter().map(|(from, to)| sum(*from, *to)).sum::<f32>());
            }
        }
        let pitched = pitched.into_iter().map(|p| rises(&p)).collect();
        Ok(Self { keys, pitched, all: rises(&all) })
    }

    /// Of a key; none of a key that was not asked for.
    pub fn of(&self, key: u8) -> Option<&[f32]> {
        self.keys.binary_search(&key).ok().map(|n| self.pitched[n].as_slice())
    }
}

fn hann(i: usize, len: usize) -> f32 {
    0.5 - 0.5 * (std::f32::consts::TAU * (i as f32 + 0.5) / len as f32).cos()
}

/// Three bins about each harmonic.
fn bins(hz: f64, rate_hz: f64, len: usize) -> Vec<(usize, usize)> {
    let bin = |n: usize| (hz * n as f64 * len as f64 / rate_hz).round() as usize;
    (1..=HARMONICS).map(bin).filter(|b| *b + 2 <= len / 2).map(|b| (b.saturating_sub(1).max(1), b + 2)).collect()
}

/// Level after a moment less level before it, in dB; the loudest sets how deep it is looked.
fn rises(power: &[f32]) -> Vec<f32> {
    let loudest = power.iter().copied().fold(0f32, f32::max);
    if loudest <= 0.0 {
        return vec![0.0; power.len()];
    }
    let level: Vec<f32> = power.iter().map(|p| 10.0 * (p / loudest + FLOOR).log10()).collect();
    let mut before = vec![0f64; level.len() + 1];
    level.iter().enumerate().for_each(|(i, l)| before[i + 1] = before[i] + f64::from(*l));
    // What lies outside of the recording is silent.
    let silent = f64::from(10.0 * FLOOR.log10());
    let mean = |from: i64, to: i64| {
        let inside = |n: i64| index(n.clamp(0, level.len() as i64));
        let (a, b) = (inside(from), inside(to));
        (before[b] - before[a] + silent * ((to - from) as f64 - (b - a) as f64)) / (to - from) as f64
    };
    let side = SIDE as i64;
    let raw: Vec<f32> = (0..level.len() as i64).map(|n| (mean(n, n + side) - mean(n - side, n)) as f32).collect();
    let average = raw.iter().sum::<f32>() / raw.len() as f32;
    raw.iter().map(|r| r - average).collect()
}
