//! Where the sound of every note begins, as far as it can be told.

use super::features::key_hz;
use super::midi::Note;
use super::onset;
use super::swell;
use crate::progress::MeasureError;
use crate::signal::{Source, index};
use crate::units::SampleRate;

/// Notes this close together are one event, in seconds: a chord.
const TOGETHER_S: f64 = 0.002;
/// Without another note before it, in seconds.
const ALONE_S: f64 = 0.09;
/// How far about the coarse lag a beginning is looked for, in ms: a slow rise is felt later than it begins.
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

/// How a sound begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// At once.
    Struck,
    /// Swelling.
    Slow,
}

/// The beginning of one event.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Begun {
    /// How much later than its note it begins, in ms.
    pub late_ms: f64,
    /// From there until it is heard, in ms.
    pub heard_after_ms: f64,
    /// How much of the beginning is a guess, in ms.
    pub guessed_ms: f64,
    /// How it begins.
    pub kind: Kind,
}

/// Events, and what was found of each: the numbers of its notes, and its beginning.
pub struct Event {
    /// Indices into the notes.
    pub notes: std::ops::Range<usize>,
    /// None where nothing can be told.
    pub begun: Option<Begun>,
}

/// Looks at every event that has 90 ms without another before it.
///
/// # Errors
/// [`MeasureError`] when the recording cannot be read.
pub fn each(notes: &[Note], source: &dyn Source, rate: SampleRate, lag_s: f64) -> Result<Vec<Event>, MeasureError> {
    let mut events: Vec<Event> = Vec::new();
    for (n, note) in notes.iter().enumerate() {
        match events.last_mut() {
            Some(e) if note.seconds - notes[e.notes.start].seconds < TOGETHER_S => e.notes.end = n + 1,
            _ => events.push(Event { notes: n..n + 1, begun: None }),
        }
    }
    let starts: Vec<f64> = events.iter().map(|e| notes[e.notes.start].seconds).collect();
    for (n, event) in events.iter_mut().enumerate() {
        let before = if n == 0 { f64::INFINITY } else { starts[n] - starts[n - 1] };
        if before < ALONE_S {
            continue;
        }
        let after = starts.get(n + 1).map_or(f64::INFINITY, |next| next - starts[n]);
        let lowest = notes[event.notes.clone()].iter().map(|n| key_hz(n.key)).fold(f64::INFINITY, f64::min);
        event.begun = Look { source, rate, expected_s: starts[n] + lag_s, before, after, lowest }.begun()?;
        if let Some(b) = &mut event.begun {
            b.late_ms += 1_000.0 * lag_s;
        }
    }
    Ok(events)
}

/// One event: where it is expected, the time without others before and after it, its lowest tone in Hz.
struct Look<'a> {
    source: &'a dyn Source,
    rate: SampleRate,
    expected_s: f64,
    before: f64,
    after: f64,
    lowest: f64,
}

impl Look<'_> {
    /// Lateness is told against where the event is expected.
    fn begun(&self) -> Result<Option<Begun>, MeasureError> {
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
    let at = onset::beginning(&x[from..to.min(x.len())], learnt)? + from;
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
