//! When a chord begins: its first string.

use crate::dsp::prediction::{predictor, residual};
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::SampleRate;

/// Order of the prediction.
const ORDER: usize = 24;
/// Learnt from so much sound, which ends where the chord is looked for; in seconds.
const LEARNT_S: f64 = 0.05;
/// Looked for from so long before its steepest rise to so long after it, in seconds: chords are spread.
const FROM_S: f64 = 0.06;
const TO_S: f64 = 0.02;
/// Blocks of this length, in seconds.
const BLOCK_S: f64 = 0.001;
/// The first block that has this part of the largest and is louder by this factor than all that was learnt from.
const PART: f64 = 0.05;
const OVER: f64 = 2.5;
/// Less far over what precedes it, in power, a chord has no beginning that could be told: 12 dB.
const STANDS_OUT: f64 = 16.0;

/// The session frame at which a chord begins whose steepest rise is about `about`; none where it begins slowly.
///
/// # Errors
/// [`MeasureError::Read`] when the sound cannot be read.
pub fn first_string(sound: &Placed, about: i64, rate: SampleRate) -> Result<Option<i64>, MeasureError> {
    let frames = |s: f64| index(rate.frames(s)).max(1);
    let (learnt, from, to, block) = (frames(LEARNT_S), frames(FROM_S), frames(TO_S), frames(BLOCK_S));
    let begins = about - (learnt + from) as i64;
    let mut x = vec![0f32; learnt + from + to];
    sound.read(begins, &mut x)?;
    let told = predictor::<ORDER>(&x[..learnt]);
    let left = residual(&x, ORDER, &told);
    let power: Vec<f64> = left.chunks(block).map(|c| c.iter().map(|v| v * v).sum::<f64>() / block as f64).collect();
    let known = (learnt - ORDER) / block;
    let most = |part: &[f64]| part.iter().copied().fold(0.0, f64::max);
    let (before, peak) = (most(&power[..known]), most(&power[known..]));
    if peak <= STANDS_OUT * before {
        return Ok(None);
    }
    let first = power[known..].iter().position(|p| *p > PART * peak && *p > OVER * before);
    Ok(first.map(|n| begins + (ORDER + (known + n) * block) as i64))
}
