//! Where the sound of every note begins, as far as it can be told.

use super::features::key_hz;
use super::midi::Note;
use crate::onsets::{Begun, Look, TOGETHER_S};
use crate::progress::MeasureError;
use crate::signal::Source;
use crate::units::SampleRate;

/// Without another note before it, in seconds.
const ALONE_S: f64 = 0.06;

/// Events, and what was found of each: the numbers of its notes, and its beginning.
pub struct Event {
    /// Indices into the notes.
    pub notes: std::ops::Range<usize>,
    /// No other is so shortly before it that its beginning cannot be told.
    pub alone: bool,
    /// None where nothing can be told.
    pub begun: Option<Begun>,
}

/// Looks at every event that has 60 ms without another before it.
///
/// # Errors
/// [`MeasureError`] when the recording cannot be read.
pub fn each(notes: &[Note], source: &dyn Source, rate: SampleRate, lag_s: f64) -> Result<Vec<Event>, MeasureError> {
    let mut events: Vec<Event> = Vec::new();
    for (n, note) in notes.iter().enumerate() {
        match events.last_mut() {
            Some(e) if note.seconds - notes[e.notes.start].seconds < TOGETHER_S => e.notes.end = n + 1,
            _ => events.push(Event { notes: n..n + 1, alone: true, begun: None }),
        }
    }
    let starts: Vec<f64> = events.iter().map(|e| notes[e.notes.start].seconds).collect();
    for (n, event) in events.iter_mut().enumerate() {
        let before = if n == 0 { f64::INFINITY } else { starts[n] - starts[n - 1] };
        event.alone = before >= ALONE_S;
        if !event.alone {
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
