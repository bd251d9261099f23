//! Which way up two channels begin to sound: a vote a strike. In a wide recording every source has a lag of its own, so that
//! nothing stands out of an average; but whatever the lag, the direct sound pushes both microphones the same way.

use crate::measure::MeasureError;
use crate::measure::cut::{Purpose, Shape};
use crate::measure::onset::Envelope;
use crate::measure::spectrum::{CrossSpectrum, CurveRange, Transform, lag_curve, quick_len};
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use realfft::num_complex::Complex32;

/// Strikes asked at most.
const MOST: usize = 160;
/// Spaced pairs stand no further apart than sound travels in this, in seconds: three metres.
const APART_S: f64 = 0.009;
/// Peak over RMS from which a strike has a vote.
const CLEAR: f64 = 5.0;
/// Band of the vote in Hz.
const BAND_HZ: (f64, f64) = (100.0, 6_000.0);

/// Votes and those of them that say opposed.
///
/// # Errors
/// [`MeasureError::Read`] when a channel cannot be read.
pub fn count(a: &Placed, b: &Placed, rate: SampleRate) -> Result<[usize; 2], MeasureError> {
    let onsets = Envelope::measure(a, rate, &mut |_| true)?.onsets();
    let step = onsets.len().div_ceil(MOST).max(1);
    let shape = Shape::of(Purpose::Strike, rate);
    let max_lag = index(rate.frames(APART_S));
    let mut transform = Transform::new(quick_len(shape.taper.len() + 2 * max_lag));
    let bin = |hz: f64| (hz / rate.hz_f64() * transform.len() as f64).round() as usize;
    let (low_bin, high_bin) = (bin(BAND_HZ.0), bin(BAND_HZ.1));
    let (mut x, mut y) = (Vec::new(), vec![0f32; shape.taper.len() + 2 * max_lag]);
    let (mut fa, mut fb) = (vec![Complex32::default(); transform.bins()], vec![Complex32::default(); transform.bins()]);
    let mut votes = [0; 2];
    for onset in onsets.iter().step_by(step) {
        if shape.cut(a, onset.frame, &mut x)? <= 0.0 {
            continue;
        }
        b.read(onset.frame - shape.before - max_lag as i64, &mut y)?;
        transform.forward(&x, &mut fa);
        transform.forward(&y, &mut fb);
        let mut sum = CrossSpectrum::new(high_bin + 1);
        // Twice, so that coherence, which one window cannot have, weighs nothing.
        sum.add(&fa, &fb, 1.0, 1.0);
        sum.add(&fa, &fb, 1.0, 1.0);
        let range = CurveRange { low_bin, high_bin, max_lag, oversampling: 1, lead: max_lag };
        let curve = lag_curve(&sum, transform.len(), range);
        let peak = curve.peak();
        if curve.rms > 0.0 && f64::from(curve.values[peak].abs()) / curve.rms >= CLEAR {
            votes[0] += 1;
            votes[1] += usize::from(curve.values[peak] < 0.0);
        }
    }
    Ok(votes)
}
