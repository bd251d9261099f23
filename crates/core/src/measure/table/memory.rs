//! What was measured of a source in a microphone before: where nothing of it has changed, it is not measured again.

use crate::measure::arrival::Cell;
use crate::progress::MeasureError;
use crate::signal::Placed;
use serde::Serialize;

/// One source in one microphone.
#[derive(Debug, Clone, PartialEq)]
pub struct Known {
    /// What was measured.
    pub cell: Cell,
    /// Power of the source along frequency where the microphone is its home; else empty.
    pub power: Vec<f32>,
    /// Moments that its waveform is the mean of; none where it has none.
    pub moments: Vec<i64>,
    /// Length of that waveform in seconds: it follows the farthest microphone of the session, and nothing else does.
    pub wave_s: f64,
}

/// Where such results are kept from one measurement of a session to the next. They are found by everything they were made of, so that a
/// result that is found is the one that would be measured.
pub trait Memory: Sync {
    /// What was made of this.
    fn find(&self, made_of: &[u8]) -> Option<Known>;

    /// Keeps what was made of this.
    fn keep(&self, made_of: Vec<u8>, known: &Known);
}

/// Keeps nothing.
#[derive(Debug, Clone, Copy, Default)]
pub struct Forgetful;

impl Memory for Forgetful {
    fn find(&self, _: &[u8]) -> Option<Known> {
        None
    }

    fn keep(&self, _: Vec<u8>, _: &Known) {}
}

/// A sound where it was placed.
#[derive(Serialize)]
pub(super) struct Which {
    identity: Vec<u8>,
    frames: i64,
    start: i64,
}

impl Which {
    /// None where the sound has no name of its own.
    pub fn of(sound: &Placed) -> Option<Self> {
        let identity = sound.source.identity()?;
        Some(Self { identity, frames: sound.source.frames(), start: sound.start.0 })
    }
}

/// As the memory has it; else measured, and kept. `made_of` is none where nothing may be kept.
pub(super) fn known(
    memory: &dyn Memory,
    made_of: Option<impl Serialize>,
    measure: impl FnOnce() -> Result<Known, MeasureError>,
) -> Result<Known, MeasureError> {
    let Some(made_of) = made_of.and_then(|m| postcard::to_allocvec(&m).ok()) else { return measure() };
    if let Some(known) = memory.find(&made_of) {
        return Ok(known);
    }
    let known = measure()?;
    memory.keep(made_of, &known);
    Ok(known)
}
