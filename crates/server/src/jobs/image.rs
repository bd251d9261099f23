//! The image of tracks that are channels of one recording, as they are carried now.

use super::measure::open_until;
use super::worker::{JobError, Reporter, Workers, blocking};
use crate::db::tracks::TrackRow;
use crate::db::{images, sessions, tracks};
use crate::hash::Sum;
use marea_core::measure::image::measure_image;
use marea_core::progress::MeasureError;
use marea_core::render::track::Carried;
use marea_core::signal::{Placed, Source};
use marea_core::units::SampleRate;
use serde_json::json;
use uuid::Uuid;

/// Raised when the method changes, so that older results are measured anew.
const METHOD: u32 = 1;

/// Name of a set of tracks in their order, over a range or as a whole.
pub fn set_of(tracks: &[Uuid], range: Option<[i64; 2]>) -> String {
    let mut hash = Sum::default();
    // Of ranges only the last is kept.
    hash.update([u8::from(range.is_some())]);
    tracks.iter().for_each(|t| hash.update(t.as_bytes()));
    hash.hex()
}

/// What an image depends on; a stored one with another basis is out of date.
pub fn basis(rows: &[TrackRow], rate_hz: u32, range: Option<[i64; 2]>) -> String {
    let mut hash = Sum::default();
    hash.update(format!("{METHOD}/{rate_hz}/{range:?}"));
    for t in rows {
        hash.update(format!("{}/{}/{:?}/{:?};", t.id, t.start_frame, t.edit().correction(), t.edit()));
    }
    hash.hex()
}

/// Measures and keeps the image.
///
/// # Errors
/// As [`JobError`] says.
pub async fn run(
    w: &Workers,
    session: Uuid,
    ids: &[Uuid],
    range: Option<[i64; 2]>,
    reporter: &Reporter,
) -> Result<serde_json::Value, JobError> {
    let rate_hz = sessions::get(&w.db, session).await?.rate_hz.unwrap_or(48_000);
    let mut rows = Vec::new();
    for track in ids {
        rows.push(tracks::get(&w.db, session, *track).await?);
    }
    let key = basis(&rows, rate_hz, range);
    let (store, rep) = (w.store.clone(), reporter.clone());
    let image = blocking(move || {
        let rate = SampleRate::new(u64::from(rate_hz)).map_err(|e| JobError::Failed(e.to_string()))?;
        let files = rows.iter().map(|t| open_until(&store, t, rate_hz, &rep.stop())).collect::<Result<Vec<_>, _>>()?;
        let carried: Vec<Carried> =
            rows.iter().zip(&files).map(|(t, source)| Carried::new(t.played(source, rate))).collect();
        let first = carried.iter().map(Carried::first).min().unwrap_or(0);
        let end = carried.iter().map(Source::frames).max().unwrap_or(0);
        let (first, end) = range.map_or((first, end), |[from, to]| (from.max(first), to.min(end)));
        let placed: Vec<Placed> = carried.iter().map(|source| Placed { source, start: 0 }).collect();
        measure_image(&placed, first..end, rate, &mut |p| rep.report(p, "looking at how the channels stand")).map_err(
            |e| match e {
                MeasureError::Stopped => JobError::Stopped,
                MeasureError::Read(e) => JobError::Failed(e.to_string()),
            },
        )
    })
    .await?;
    images::put(&w.db, session, &set_of(ids, range), &key, &image).await?;
    sessions::touch(&w.db, session).await?;
    Ok(json!({ "tracks": ids }))
}
