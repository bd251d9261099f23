//! Which of many tracks a print was made from.

use crate::follow::band::middle;
use crate::follow::coarse;
use crate::follow::followed::Followed;
use crate::follow::print::follow;
use crate::progress::MeasureError;
use crate::signal::Source;
use crate::units::SampleRate;
use crate::verdict::Verdict;
use serde::{Deserialize, Serialize};

/// So many of the best by their long windows are followed wholly.
const FOLLOWED: usize = 3;
/// A send leaves less than this of its print, in dB.
const PREDICTS_DB: f64 = -6.0;
/// It leaves so much less of the print than the next track, in dB: else both may be it.
const CLEARLY_DB: f64 = 3.0;

/// A track as the send of a print.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Candidate {
    /// Which of the tracks.
    pub track: usize,
    /// Median lag, in frames.
    pub later_frames: f64,
    /// What the whole map leaves of the print, in dB.
    pub left_db: f64,
    /// How sure its lag is.
    pub verdict: Verdict,
}

/// What is known of a print's send.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Sends {
    /// Tracks that may be it: what leaves least first. None where no track predicts the print.
    pub candidates: Vec<Candidate>,
    /// One of them clearly is it. Tracks that hold the same sound cannot be told apart.
    pub clear: bool,
}

/// A track that was not refused as a stranger, and leaves little enough. How much of the lag is sure does not count here.
fn candidate(track: usize, f: &Followed) -> Option<Candidate> {
    let (later_frames, left_db, verdict) = (f.later_frames, f.left.map, f.verdict);
    (!f.lag_frames.is_empty() && left_db < PREDICTS_DB).then_some(Candidate { track, later_frames, left_db, verdict })
}

/// Looks for the send of a print among tracks: all are compared by long windows, and the best followed wholly.
///
/// # Errors
/// [`MeasureError`] when a recording cannot be read or `report` says stop.
pub fn find_send(
    print: &dyn Source,
    tracks: &[&dyn Source],
    rate: SampleRate,
    report: &dyn Fn(f64) -> bool,
) -> Result<Sends, MeasureError> {
    let total = (tracks.len() + 3 * FOLLOWED) as f64;
    let go_on = |done: f64| if report(done / total) { Ok(()) } else { Err(MeasureError::Stopped) };
    let mut by_height = Vec::new();
    for (n, send) in tracks.iter().enumerate() {
        go_on(n as f64)?;
        if let Some((_, height)) = coarse::best(&middle(*send, print, rate)?) {
            by_height.push((height, n));
        }
    }
    by_height.sort_by(|a, b| b.0.total_cmp(&a.0));
    let mut candidates = Vec::new();
    for (k, (_, n)) in by_height.iter().take(FOLLOWED).enumerate() {
        let begun = tracks.len() as f64 + 3.0 * k as f64;
        let f = follow(tracks[*n], print, rate, &|part| report((begun + 3.0 * part) / total))?;
        candidates.extend(candidate(*n, &f));
    }
    candidates.sort_by(|a: &Candidate, b| a.left_db.total_cmp(&b.left_db));
    let clear = match candidates.as_slice() {
        [] => false,
        [_] => true,
        [first, second, ..] => second.left_db - first.left_db > CLEARLY_DB,
    };
    Ok(Sends { candidates, clear })
}
