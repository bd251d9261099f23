//! The lag of every moment by itself, near the one that all of them together have.

use crate::dsp::lag_curve::{CurveRange, bin_weights, single_curve};
use crate::dsp::spectrum::{CrossSpectrum, Transform, quick_len};
use crate::dsp::window::{Anchor, Purpose, Shape};
use crate::measure::pair::fine::windows_at;
use crate::measure::pair::look::OVERSAMPLING;
use crate::measure::pair::options::Material;
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use realfft::num_complex::Complex32;

/// How far from the common lag one moment is looked for, in seconds: as far as windows of strikes still hold the same attack.
const REACH_S: f64 = 0.002;
/// Peak over RMS that one moment's own curve must reach. Noise alone reaches 3.5 in one of a hundred; found on simulated sessions,
/// see docs/accuracy.md.
const OWN_HEIGHT: f64 = 4.0;

/// Lag in frames at each of `places`, about the common `lag`; none where a moment alone does not tell.
///
/// # Errors
/// [`MeasureError`] when a track cannot be read.
pub fn each_lag(
    (a, b): (&Anchor, &Placed),
    places: &[i64],
    material: Material,
    (lag, sign): (f64, i8),
    (band_hz, rate): ((f64, f64), SampleRate),
) -> Result<Vec<Option<f64>>, MeasureError> {
    let shape = Shape::of(if material == Material::Struck { Purpose::Strike } else { Purpose::Passage }, rate);
    let mut transform = Transform::new(quick_len(shape.taper.len()));
    let bin = |hz: f64| (hz / rate.hz_f64() * transform.len() as f64).round() as usize;
    let (low_bin, high_bin) = (bin(band_hz.0), bin(band_hz.1.min(rate.hz_f64() * 0.45)));
    let bins = (high_bin + 3).min(transform.bins());
    let mut sum = CrossSpectrum::new(bins);
    let mut singles: Vec<Vec<Complex32>> = Vec::with_capacity(places.len());
    let whole = lag.round() as i64;
    windows_at((a, b), (places, whole), &shape, (&mut transform, bins), |at_a, fb, eb| {
        if at_a.energy <= 0.0 || eb <= 0.0 {
            singles.push(Vec::new());
            return;
        }
        sum.add(&at_a.spectrum, fb, at_a.energy.sqrt().recip(), eb.sqrt().recip());
        singles.push(at_a.spectrum.iter().zip(fb).map(|(a, b)| a.conj() * b).collect());
    })?;
    let range =
        CurveRange { low_bin, high_bin, max_lag: index(rate.frames(REACH_S)), oversampling: OVERSAMPLING, lead: 0 };
    let weights = bin_weights(&sum.coherences(bins));
    let own = |ab: &Vec<Complex32>| {
        let curve = (!ab.is_empty()).then(|| single_curve(ab, &weights, transform.len(), range))?;
        let peak = curve.peak();
        let height = f64::from(curve.values[peak].abs()) / curve.rms.max(f64::MIN_POSITIVE);
        let inside = peak >= OVERSAMPLING && peak + OVERSAMPLING < curve.values.len();
        let told = height >= OWN_HEIGHT && curve.sign_at(peak) == sign && inside;
        told.then(|| whole as f64 + curve.refined(peak))
    };
    Ok(singles.iter().map(own).collect())
}
