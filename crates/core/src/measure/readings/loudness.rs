//! Loudness of what is heard, so that two ways of hearing it can be compared fairly (ITU-R BS.1770-5, gated).

use crate::signal::ReadError;
use crate::units::SampleRate;
use ebur128::{EbuR128, Mode};
use std::ops::Range;

/// What is listened to of a long session: so many stretches of so many seconds, spread evenly.
const STRETCHES: i64 = 10;
const STRETCH_S: i64 = 3;
const BLOCK: usize = 4_096;

/// The stretches that stand for a range: all of it up to half a minute, else ten of three seconds spread over it.
pub fn stretches(range: Range<i64>, rate: SampleRate) -> Vec<Range<i64>> {
    let length = STRETCH_S * i64::from(rate.hz());
    let whole = range.end - range.start;
    if whole <= STRETCHES * length {
        return if whole > 0 { vec![range] } else { Vec::new() };
    }
    (0..STRETCHES)
        .map(|i| range.start + (whole - length) * i / (STRETCHES - 1))
        .map(|start| start..start + length)
        .collect()
}

/// Integrated loudness in LUFS of two channels over some stretches; `read` fills both from a frame on. None for silence or
/// when all of it lies under the gate of −70 LUFS.
///
/// # Errors
/// [`ReadError`] of what is read.
pub fn loudness(
    stretches: &[Range<i64>],
    rate: SampleRate,
    mut read: impl FnMut(i64, &mut [f32], &mut [f32]) -> Result<(), ReadError>,
) -> Result<Option<f64>, ReadError> {
    let Ok(mut meter) = EbuR128::new(2, rate.hz(), Mode::I) else { return Ok(None) };
    let (mut left, mut right) = (vec![0f32; BLOCK], vec![0f32; BLOCK]);
    for stretch in stretches {
        for at in stretch.clone().step_by(BLOCK) {
            let n = usize::try_from((stretch.end - at).min(BLOCK as i64)).unwrap_or(0);
            read(at, &mut left[..n], &mut right[..n])?;
            if meter.add_frames_planar_f32(&[&left[..n], &right[..n]]).is_err() {
                return Ok(None);
            }
        }
    }
    Ok(meter.loudness_global().ok().filter(|l| l.is_finite()))
}

/// Level changes in dB that make two loudnesses alike: the louder one is brought down, nothing is brought up.
/// None where one of them has no loudness.
pub fn matched(loudness: [Option<f64>; 2]) -> Option<[f64; 2]> {
    match loudness {
        [Some(a), Some(b)] => Some([(b - a).min(0.0), (a - b).min(0.0)]),
        _ => None,
    }
}
