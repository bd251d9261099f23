//! The whole session measured at once, as recorded.

use marea_core::decide::said;
use marea_core::measure::arrival::Table;
use marea_core::measure::table::memory::Memory;
use marea_core::measure::table::{Heard, measure_what_changed};
use marea_core::progress::MeasureError;
use marea_core::signal::{Placed, Source};
use marea_core::track::Track;
use marea_core::units::{Conditions, SessionFrame};

/// What one track sounds like.
pub struct Sound<'a> {
    /// Its recording at the session's rate.
    pub source: &'a (dyn Source + Sync),
    /// Session frame of its first frame as recorded.
    pub start: SessionFrame,
    /// Session frames of hits that somebody drew on it.
    pub added: Vec<SessionFrame>,
    /// Session frames near which no hit of it is used.
    pub removed: Vec<SessionFrame>,
}

/// Every source in every track: `tracks` and `sounds` come in the same order. What tracks carry does not count. What the memory has is
/// not measured again.
///
/// # Errors
/// [`MeasureError`] when a track cannot be read or `progress` says stop.
pub fn hear(
    tracks: &[Track],
    sounds: Vec<Sound>,
    at: impl Into<Conditions>,
    memory: &dyn Memory,
    progress: &(dyn Fn(f64) -> bool + Sync),
) -> Result<Table, MeasureError> {
    let heard: Vec<Heard> = (tracks.iter().zip(said(tracks)))
        .zip(sounds)
        .map(|((t, said), sound)| Heard {
            sound: Placed { source: sound.source, start: sound.start },
            role: t.role,
            said,
            added: sound.added,
            removed: sound.removed,
        })
        .collect();
    measure_what_changed(&heard, at, memory, progress)
}
