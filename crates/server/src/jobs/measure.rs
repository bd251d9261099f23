//! Measuring one pair, as recorded.

use super::worker::{JobError, Reporter, Workers, blocking};
use crate::db::tracks::TrackRow;
use crate::db::{measurements, sessions, tracks};
use crate::store::{Missing, Store};
use marea_core::measure::pair::measure_pair;
use marea_core::measure::pair::options::PairOptions;
use marea_core::progress::MeasureError;
use marea_core::signal::Placed;
use marea_core::units::SampleRate;
use marea_media::Stop;
use marea_media::work::WorkFile;
use serde_json::json;
use uuid::Uuid;

/// Raised when the method changes, so that older results are measured anew.
const METHOD: u32 = 4;

/// What a measurement depends on; a stored one with another basis is out of date.
pub fn basis(a: &TrackRow, b: &TrackRow, rate_hz: u32) -> String {
    format!("{METHOD}/{rate_hz}/{}/{}/{}/{}", a.start_frame, b.start_frame, a.role, b.role)
}

/// A track's working copy, made anew from the recording where it is missing or too short.
///
/// # Errors
/// [`JobError::Failed`] naming the track.
pub fn open(store: &Store, track: &TrackRow, rate_hz: u32) -> Result<WorkFile, JobError> {
    open_until(store, track, rate_hz, &Stop::default())
}

/// The same, giving up when it is asked to.
///
/// # Errors
/// [`JobError::Failed`] naming the track; [`JobError::Stopped`].
pub fn open_until(store: &Store, track: &TrackRow, rate_hz: u32, stop: &Stop) -> Result<WorkFile, JobError> {
    let told = |e: Missing| match e {
        Missing::Stopped => JobError::Stopped,
        e => JobError::Failed(format!("“{}” cannot be read: {e}", track.name)),
    };
    store.ensure(&track.sha256, rate_hz, track.channels, track.frames, stop).map_err(told)?;
    store.open_channel(&track.sha256, rate_hz, track.channel).map_err(|e| told(e.into()))
}

/// Measures B against A and keeps the result.
///
/// # Errors
/// As [`JobError`] says.
pub async fn run(
    w: &Workers,
    session: Uuid,
    a: Uuid,
    b: Uuid,
    reporter: &Reporter,
) -> Result<serde_json::Value, JobError> {
    let s = sessions::get(&w.db, session).await?;
    let rate_hz = s.rate_hz.unwrap_or(48_000);
    let (ta, tb) = (tracks::get(&w.db, session, a).await?, tracks::get(&w.db, session, b).await?);
    let key = basis(&ta, &tb, rate_hz);
    let (store, rep) = (w.store.clone(), reporter.clone());
    let doing = format!("measuring {} against {}", tb.name, ta.name);
    let result = blocking(move || {
        let rate = SampleRate::new(u64::from(rate_hz)).map_err(|e| JobError::Failed(e.to_string()))?;
        let stop = rep.stop();
        let (sa, sb) = (open_until(&store, &ta, rate_hz, &stop)?, open_until(&store, &tb, rate_hz, &stop)?);
        let (pa, pb) = (Placed { source: &sa, start: ta.start_frame }, Placed { source: &sb, start: tb.start_frame });
        measure_pair(&pa, &pb, rate, PairOptions::between(ta.role(), tb.role()), &mut |p| rep.report(p, &doing))
            .map_err(|e| match e {
                MeasureError::Stopped => JobError::Stopped,
                MeasureError::Read(e) => JobError::Failed(e.to_string()),
            })
    })
    .await?;
    measurements::put(&w.db, a, b, &key, &result).await?;
    Ok(json!({ "a": a, "b": b, "verdict": result.verdict }))
}
