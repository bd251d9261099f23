//! Where one sound begins, and when it is heard.

use super::{change, swell};
use crate::progress::MeasureError;
use crate::signal::{Source, index};
use crate::units::SampleRate;
use serde::{Deserialize, Serialize};

/// Sounds this close together are one event, in seconds: a chord.
pub const TOGETHER_S: f64 = 0.002;
/// How far about its expected place a beginning is looked for, in ms: a slow rise is felt later than it begins.
const BEFORE_MS: i64 = 260;
const AFTER_MS: i64 = 60;
/// Past that the sound is followed, in ms: a slow one takes its time.
const FOLLOWED_MS: i64 = 900;
/// About the steepest rise the beginning of a struck sound is looked for, in ms.
const STRUCK_BEFORE_MS: i64 = 14;
const STRUCK_AFTER_MS: i64 = 8;
/// What the prediction is learnt from, in ms.
const LEARNT_MS: i64 = 40;
/// A struck sound has a tenth of its largest power after so many ms.
const AT_ONCE_MS: usize = 6;
/// Heard from a tenth of its largest power on (Vos & Rasch 1981 find the perceptual onset 6 to 15 dB under the peak; from memory).
const HEARD: f32 = 0.1;
/// Looked at for the largest power of a struck sound, in ms.
const STRUCK_PEAK_MS: usize = 60;

/// A slow beginning that is a guess over more than this, in ms, is none.
pub const MOST_GUESSED_MS: f64 = 8.0;

/// How a sound begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Kind {
    /// At once.
    Struck,
    /// Swelling.
    Slow,
}

/// The beginning of one sound.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Begun {
    /// How much later than expected it begins, in ms.
    pub late_ms: f64,
    /// From there until it is heard, in ms.
    pub heard_after_ms: f64,
    /// How much of the beginning is a guess, in ms.
    pub guessed_ms: f64,
    /// How it begins.
    pub kind: Kind,
}

/// Where one sound is looked for.
pub struct Look<'a> {
    /// The recording.
    pub source: &'a dyn Source,
    /// Its rate.
    pub rate: SampleRate,
    /// Where it is expected, in seconds.
    pub expected_s: f64,
    /// Seconds without another sound before it.
    pub before: f64,
    /// And after it.
    pub after: f64,
    /// Its lowest tone in Hz.
    pub lowest: f64,
}

impl Look<'_> {
    /// The beginning within 260 ms before and 60 ms after where it is expected; none where nothing can be told.
    ///
    /// # Errors
    /// [`MeasureError`] when the recording cannot be read.
    pub fn begun(&self) -> Result<Option<Begun>, MeasureError> {
        let a_ms = self.rate.hz_f64() / 1_000.0;
        let before = BEFORE_MS.min((1_000.0 * self.before) as i64 - 20).max(LEARNT_MS + STRUCK_BEFORE_MS);
        let after = FOLLOWED_MS.min((1_000.0 * self.after) as i64).max(AFTER_MS);
        // A whole number of frames a ms, so that no ms is longer than another.
        let frames = a_ms.round() as usize;
        let from = (self.expected_s * self.rate.hz_f64()).round() as i64 - (before as usize * frames) as i64;
        let mut x = vec![0f32; (before + after) as usize * frames];
        self.source.read(from, &mut x)?;
        let power: Vec<f32> = x.chunks(frames).map(|c| c.iter().map(|v| v * v).sum::<f32>() / frames as f32).collect();
        let late = |ms: f64| (ms - before as f64) * frames as f64 / a_ms;
        let struck = struck(&x, &power, before);
        if let Some((at, heard)) = struck {
            let begun = Begun { late_ms: late(at), heard_after_ms: heard, guessed_ms: 0.0, kind: Kind::Struck };
            return Ok(Some(begun));
        }
        let smooth = (500.0 / self.lowest).ceil().max(2.0) as usize;
        Ok(swell::swell(&power, smooth).map(|s| {
            let heard = heard_from(&power, s.from_ms.max(0.0) as usize) - s.from_ms;
            Begun { late_ms: late(s.from_ms), heard_after_ms: heard, guessed_ms: s.guessed_ms, kind: Kind::Slow }
        }))
    }
}

/// In ms of the window: where a struck sound begins, and after how many ms it is heard. None when nothing begins at once.
fn struck(x: &[f32], power: &[f32], before: i64) -> Option<(f64, f64)> {
    let frames = x.len() / power.len();
    let first = index((before - BEFORE_MS).max(LEARNT_MS + STRUCK_BEFORE_MS)).max(3);
    let last = index(before + AFTER_MS).min(power.len().checked_sub(index(STRUCK_AFTER_MS) + 1)?);
    let of = |from: usize, to: usize| power[from..to].iter().sum::<f32>() / (to - from) as f32;
    let rise = |n: usize| of(n, n + 2) / (of(n - 3, n) + 1e-12);
    // Twice as loud at least, and the place at which it rises by most of all that is as loud.
    let gain = |n: usize| (of(n, n + 2) - of(n - 3, n)).max(0.0) * rise(n).min(100.0).ln().max(0.0);
    let top = (first..last).max_by(|a, b| gain(*a).total_cmp(&gain(*b)))?;
    let from = (top as i64 - STRUCK_BEFORE_MS - LEARNT_MS).max(0) as usize * frames;
    let to = (top + index(STRUCK_AFTER_MS)) * frames;
    let learnt = index(LEARNT_MS) * frames;
    let at = change::beginning(&x[from..to.min(x.len())], learnt)? + from;
    let ms = at as f64 / frames as f64;
    let begins = at / frames;
    let loudest = power[begins..].iter().take(STRUCK_PEAK_MS * 4).copied().fold(0f32, f32::max);
    let at_once = power[begins..].iter().take(AT_ONCE_MS).copied().fold(0f32, f32::max);
    if at_once < 0.1 * loudest {
        return None;
    }
    let loud = power[begins..].iter().take(STRUCK_PEAK_MS).copied().fold(0f32, f32::max);
    let heard = power[begins..].iter().position(|p| *p >= HEARD * loud)? + begins;
    Some((ms, (heard as f64 - ms).max(0.0)))
}

/// The ms at which a slow sound is heard.
fn heard_from(power: &[f32], begins: usize) -> f64 {
    let after = &power[begins.min(power.len())..];
    let loudest = after.iter().copied().fold(0f32, f32::max);
    begins as f64 + after.iter().position(|p| *p >= HEARD * loudest).unwrap_or(0) as f64
}
