//! Bands of highs, and the lows, along time.

use crate::dsp::spectrum::Transform;
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use realfft::num_complex::Complex32;

/// From one moment to the next, and the windows of highs and lows, in seconds.
pub const HOP_S: f64 = 0.002_5;
const HIGHS_S: f64 = 576.0 / 48_000.0;
const LOWS_S: f64 = 768.0 / 48_000.0;
/// Bands of highs, of one part of an octave each, between two frequencies in Hz; and the lows.
pub const BANDS: usize = 12;
const HIGHS_HZ: [f64; 2] = [1_000.0, 9_000.0];
const LOWS_HZ: [f64; 2] = [90.0, 1_100.0];
/// What is no sound at all.
const NOTHING: f32 = 1e-10;

/// Levels at one moment, in dB.
pub struct Row {
    /// All highs together.
    pub highs: f32,
    /// By band.
    pub bands: [f32; BANDS],
    /// The lows.
    pub lows: f32,
}

/// Levels of a stretch of sound.
pub struct Levels {
    /// By time.
    pub rows: Vec<Row>,
    first: i64,
    hop: f64,
}

impl Levels {
    /// The levels from one session frame to another.
    ///
    /// # Errors
    /// [`MeasureError::Read`] when the sound cannot be read.
    pub fn read(sound: &Placed, [first, last]: [i64; 2], rate: SampleRate) -> Result<Self, MeasureError> {
        let hop = rate.hz_f64() * HOP_S;
        let count = ((last - first).max(0) as f64 / hop) as usize;
        let mut highs = Heard::new(HIGHS_S, rate);
        let mut lows = Heard::new(LOWS_S, rate);
        let [low, high] = HIGHS_HZ;
        let edge = |b: usize| low * (high / low).powf(b as f64 / BANDS as f64);
        let bands: [std::ops::Range<usize>; BANDS] = std::array::from_fn(|b| highs.bins([edge(b), edge(b + 1)]));
        let (all, below) = (highs.bins(HIGHS_HZ), lows.bins(LOWS_HZ));
        let mut rows = Vec::with_capacity(count);
        for n in 0..count {
            let at = first + (n as f64 * hop).round() as i64;
            highs.hear(sound, at)?;
            lows.hear(sound, at)?;
            let bands = std::array::from_fn(|b| highs.level(&bands[b]));
            rows.push(Row { highs: highs.level(&all), bands, lows: lows.level(&below) });
        }
        Ok(Self { rows, first, hop })
    }

    /// The session frame of a row.
    pub fn frame(&self, row: usize) -> i64 {
        self.first + (row as f64 * self.hop).round() as i64
    }
}

/// A window of sound as a spectrum.
struct Heard {
    transform: Transform,
    taper: Vec<f32>,
    x: Vec<f32>,
    spectrum: Vec<Complex32>,
    bin_hz: f64,
}

impl Heard {
    fn new(seconds: f64, rate: SampleRate) -> Self {
        let len = 2 * index(rate.frames(seconds / 2.0)).max(8);
        let transform = Transform::new(len);
        let hann = |i: usize| 0.5 - 0.5 * (std::f32::consts::TAU * (i as f32 + 0.5) / len as f32).cos();
        let spectrum = vec![Complex32::default(); transform.bins()];
        Self {
            transform,
            taper: (0..len).map(hann).collect(),
            x: vec![0.0; len],
            spectrum,
            bin_hz: rate.hz_f64() / len as f64,
        }
    }

    /// Bins between two frequencies: one at least.
    fn bins(&self, [from, to]: [f64; 2]) -> std::ops::Range<usize> {
        let bin = |hz: f64| ((hz / self.bin_hz).round() as usize).clamp(1, self.spectrum.len() - 1);
        bin(from)..bin(to).max(bin(from) + 1)
    }

    fn hear(&mut self, sound: &Placed, about: i64) -> Result<(), MeasureError> {
        sound.read(about - self.x.len() as i64 / 2, &mut self.x)?;
        self.x.iter_mut().zip(&self.taper).for_each(|(x, t)| *x *= t);
        self.transform.forward(&self.x, &mut self.spectrum);
        Ok(())
    }

    fn level(&self, bins: &std::ops::Range<usize>) -> f32 {
        let bins = bins.start.min(self.spectrum.len() - 1)..bins.end.min(self.spectrum.len());
        10.0 * self.spectrum[bins].iter().map(Complex32::norm_sqr).sum::<f32>().max(NOTHING).log10()
    }
}
