//! All sounds of a recording that have a beginning.

use super::begun::{Kind, Look, MOST_GUESSED_MS};
use crate::dsp::envelope::Envelope;
use crate::progress::{MeasureError, Progress};
use crate::signal::{Placed, Source};
use crate::units::{SampleRate, SessionFrame};

/// Fewest struck sounds, or all is taken for slow.
const FEWEST: usize = 6;
/// A silence before a slow sound, in ms, its level under the loud moments, and the level that the sound reaches: −45 and −20 dB.
const SILENCE_MS: usize = 30;
const SILENT: f32 = 3.2e-5;
const LOUD: f32 = 0.01;
/// A slow sound reaches it within so many ms.
const REACHED_MS: usize = 600;
/// Lowest tone reckoned with, in Hz.
const LOWEST_HZ: f64 = 40.0;
/// A struck sound begins at once after its rise was seen, in seconds.
const SEEN_S: f64 = 0.002;

/// One sound.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stroke {
    /// Where it begins, in seconds from the recording's beginning.
    pub at_s: f64,
    /// How it begins.
    pub kind: Kind,
}

/// All beginnings in order: struck sounds where there are some, and otherwise slow ones that come out of silence.
///
/// # Errors
/// [`MeasureError`] when the recording cannot be read or `progress` says stop.
pub fn strokes(source: &dyn Source, rate: SampleRate, progress: Progress) -> Result<Vec<Stroke>, MeasureError> {
    let envelope = Envelope::measure(&Placed { source, start: SessionFrame(0) }, rate, progress)?;
    let seconds = |frame: i64| frame as f64 / rate.hz_f64();
    let struck: Vec<f64> = envelope.onsets().iter().map(|o| seconds(o.frame)).collect();
    let found = begun(source, rate, &struck, Kind::Struck)?;
    if found.len() >= FEWEST {
        return Ok(found);
    }
    let slow: Vec<f64> = entries(&envelope).into_iter().map(|n| seconds((n * envelope.hop) as i64)).collect();
    begun(source, rate, &slow, Kind::Slow)
}

fn begun(source: &dyn Source, rate: SampleRate, places: &[f64], kind: Kind) -> Result<Vec<Stroke>, MeasureError> {
    let mut found = Vec::with_capacity(places.len());
    for (n, at) in places.iter().enumerate() {
        let before = if n == 0 { f64::INFINITY } else { at - places[n - 1] };
        let after = places.get(n + 1).map_or(f64::INFINITY, |next| next - at);
        let look = Look { source, rate, expected_s: *at, before, after, lowest: LOWEST_HZ };
        let told = look.begun()?.filter(|b| b.kind == kind && b.guessed_ms <= MOST_GUESSED_MS);
        let near = |late_ms: f64| kind == Kind::Slow || (late_ms / 1_000.0).abs() <= 5.0 * SEEN_S;
        found.extend(told.filter(|b| near(b.late_ms)).map(|b| Stroke { at_s: at + b.late_ms / 1_000.0, kind }));
    }
    Ok(found)
}

/// Hops at which something comes out of silence.
fn entries(envelope: &Envelope) -> Vec<usize> {
    let Some(loud) = envelope.percentile(0.95) else { return Vec::new() };
    let power = &envelope.power;
    let (mut found, mut quiet) = (Vec::new(), 0);
    for n in 0..power.len() {
        if power[n] < SILENT * loud {
            quiet += 1;
            continue;
        }
        let end = power.len().min(n + REACHED_MS);
        if quiet >= SILENCE_MS && power[n..end].iter().any(|p| *p > LOUD * loud) {
            found.push(n);
        }
        quiet = 0;
    }
    found
}
