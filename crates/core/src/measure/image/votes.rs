//! Relative polarity of two channels, by a vote of every strike. In a wide recording every source has a lag of its own, so an
//! average shows nothing; but whatever the lag, the direct sound pushes both microphones the same way.

use crate::dsp::envelope::Envelope;
use crate::dsp::lag_curve::{CurveRange, lag_curve};
use crate::dsp::spectrum::{CrossSpectrum, Transform, quick_len};
use crate::dsp::sums::energy;
use crate::dsp::window::{Purpose, Shape};
use crate::measure::pair::windows;
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::{SampleRate, db_of_power};
use realfft::num_complex::Complex32;

/// Largest number of strikes used.
const MOST: usize = 160;
/// Spaced pairs stand no further apart than sound travels in this, in seconds: three metres.
const APART_S: f64 = 0.009;
/// Peak over RMS from which a strike has a vote.
const CLEAR: f64 = 5.0;
/// With fewer clear strikes than this, passages are used as well.
const FEW: usize = 24;
/// Two moments have the same lag when they differ by no more than this, in frames.
const SAME_FRAMES: f64 = 1.5;
/// Band of the vote in Hz.
const BAND_HZ: (f64, f64) = (100.0, 6_000.0);

/// Votes of single moments on the second channel against the first.
#[derive(Debug, Clone, Default)]
pub struct Votes {
    /// Lag in frames, sign, and level of the second against the first in dB of each clear one.
    pub clear: Vec<(f64, i8, f64)>,
}

impl Votes {
    /// Clear moments and those of them that are opposed.
    pub fn counted(&self) -> [usize; 2] {
        [self.clear.len(), self.clear.iter().filter(|v| v.1 < 0).count()]
    }

    /// Part of the moments that say this lag, 0 … 1, and how far their balances lie apart: from the tenth to the ninetieth
    /// of a hundred, in dB. Sources at different places differ in it.
    pub fn at(&self, lag_frames: f64) -> (f64, f64) {
        let same = self.clear.iter().filter(|v| (v.0 - lag_frames).abs() <= SAME_FRAMES);
        let mut balances: Vec<f64> = same.map(|v| v.2).collect();
        balances.sort_by(f64::total_cmp);
        let of = |p: f64| balances.get((balances.len() as f64 * p) as usize).copied().unwrap_or(0.0);
        (balances.len() as f64 / self.clear.len().max(1) as f64, of(0.9) - of(0.1))
    }
}

/// Votes of strikes, and of passages where there are few strikes.
///
/// # Errors
/// [`MeasureError::Read`] when a channel cannot be read.
pub fn count(a: &Placed, b: &Placed, rate: SampleRate) -> Result<Votes, MeasureError> {
    let env = Envelope::measure(a, rate, &mut |_| true)?;
    let strikes: Vec<i64> = env.onsets().iter().map(|o| o.frame).collect();
    let mut votes = ask(a, b, &strikes, Purpose::Strike, rate)?;
    if votes.clear.len() < FEW {
        let other = Envelope::measure(b, rate, &mut |_| true)?;
        let passages = windows::sustained(&env, &other, 0, rate);
        votes.clear.extend(ask(a, b, &passages, Purpose::Passage, rate)?.clear);
    }
    Ok(votes)
}

fn ask(a: &Placed, b: &Placed, places: &[i64], purpose: Purpose, rate: SampleRate) -> Result<Votes, MeasureError> {
    let step = places.len().div_ceil(MOST).max(1);
    let shape = Shape::of(purpose, rate);
    let max_lag = index(rate.frames(APART_S));
    let mut transform = Transform::new(quick_len(shape.taper.len() + 2 * max_lag));
    let bin = |hz: f64| (hz / rate.hz_f64() * transform.len() as f64).round() as usize;
    let (low_bin, high_bin) = (bin(BAND_HZ.0), bin(BAND_HZ.1));
    let (mut x, mut y) = (Vec::new(), vec![0f32; shape.taper.len() + 2 * max_lag]);
    let (mut fa, mut fb) = (vec![Complex32::default(); transform.bins()], vec![Complex32::default(); transform.bins()]);
    let mut votes = Votes::default();
    for place in places.iter().step_by(step) {
        let level = shape.cut(a, *place, &mut x)?;
        if level <= 0.0 {
            continue;
        }
        b.read(place - shape.before - max_lag as i64, &mut y)?;
        transform.forward(&x, &mut fa);
        transform.forward(&y, &mut fb);
        let mut sum = CrossSpectrum::new(high_bin + 1);
        // Added twice: coherence, which one window cannot have, then has no effect.
        sum.add(&fa, &fb, 1.0, 1.0);
        sum.add(&fa, &fb, 1.0, 1.0);
        let range = CurveRange { low_bin, high_bin, max_lag, oversampling: 1, lead: max_lag };
        let curve = lag_curve(&sum, transform.len(), range);
        let peak = curve.peak();
        if curve.rms > 0.0 && f64::from(curve.values[peak].abs()) / curve.rms >= CLEAR {
            let balance = db_of_power(f64::from(energy(&y[max_lag..max_lag + x.len()]) / level).max(1e-12));
            votes.clear.push((curve.refined(peak), if curve.values[peak] < 0.0 { -1 } else { 1 }, balance));
        }
    }
    Ok(votes)
}
