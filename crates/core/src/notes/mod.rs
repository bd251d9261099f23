//! A rendered instrument against its notes: how late it starts, and how late it is heard.
//!
//! `midi` → `features` → `coarse` → `each` → `explained` → `settle`, with `value`.

mod coarse;
mod each;
mod explained;
mod features;
pub mod midi;
mod settle;
pub mod value;

pub use crate::onsets::Kind;
pub use coarse::SEARCHED_S;
pub use settle::{NoteLate, NotesMeasured};

use crate::onsets::strokes;
use crate::progress::{MeasureError, Progress};
use crate::signal::Source;
use crate::units::SampleRate;
use each::each;
use features::Rises;
use midi::Score;

/// Measures how late a rendering is against its notes. Both are counted from their beginnings.
///
/// # Errors
/// [`MeasureError`] when the recording cannot be read or `progress` says stop.
pub fn measure_notes(
    score: &Score,
    source: &dyn Source,
    rate: SampleRate,
    progress: Progress,
) -> Result<NotesMeasured, MeasureError> {
    let keys: Vec<u8> = score.notes.iter().map(|n| n.key).collect();
    let rises = Rises::measure(source, rate, &keys, progress)?;
    let Some(mut coarse) = coarse::coarse(&score.notes, &rises) else {
        return Ok(NotesMeasured::undecided(score, "nothing sounds in it"));
    };
    if settle::doubtful(&coarse) {
        let onsets: Vec<f64> = strokes(source, rate, progress)?.iter().map(|s| s.at_s).collect();
        let mut parts = Vec::with_capacity(coarse.candidates.len());
        for lag in &coarse.candidates {
            parts.push(explained::explained(score, &each(&score.notes, source, rate, *lag)?, &onsets));
        }
        if let Some(one) = explained::the_one(&parts) {
            (coarse.seconds, coarse.explains) = (coarse.candidates[one], true);
        }
    }
    let found = each(&score.notes, source, rate, coarse.seconds)?;
    Ok(settle::settle(score, &coarse, &found))
}
