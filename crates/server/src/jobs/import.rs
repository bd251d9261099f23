//! Bringing a recording in: working copies, overviews, tracks.

use super::worker::{JobError, Reporter, Workers, blocking};
use crate::db::decisions::{self, NewChange, NewDecision};
use crate::db::patch::TrackPatch;
use crate::db::{sessions, tracks};
use crate::names;
use crate::store::Missing;
use marea_core::decide::guess;
use marea_core::measure::image::layout::{Order, of_mask, usual};
use marea_core::track::Side;
use marea_core::units::SampleRate;
use marea_media::prepare::PrepareError;
use marea_media::{AudioReader, MediaError};
use serde_json::json;
use sqlx::types::Json;
use uuid::Uuid;

/// Time stamps further from the session's than this are of another day or a clock never set.
const STAMP_RANGE_HOURS: i64 = 12;

/// Adds every channel of a stored recording to a session. Doing it again changes nothing.
///
/// # Errors
/// [`JobError::Failed`] with a sentence that names the file.
pub async fn run(
    w: &Workers,
    session: Uuid,
    sha: &str,
    file_name: &str,
    position: i64,
    reporter: &Reporter,
) -> Result<serde_json::Value, JobError> {
    let sha256 = hex::decode(sha).map_err(|e| JobError::Failed(e.to_string()))?;
    let about = |e: JobError| match e {
        JobError::Failed(text) => JobError::Failed(format!("“{file_name}” {text}")),
        JobError::Broken => JobError::Failed(format!("“{file_name}” could not be read: {e}")),
        other => other,
    };
    let (path, stop) = (w.store.recording(&sha256), reporter.stop());
    let info = blocking(move || match AudioReader::open_until(&path, stop) {
        Ok(reader) => Ok(reader.info().clone()),
        Err(MediaError::Stopped) => Err(JobError::Stopped),
        Err(e) => Err(JobError::Failed(e.to_string())),
    })
    .await
    .map_err(about)?;
    let removed = tracks::removed(&w.db, session, &sha256).await?;
    if !removed.is_empty() {
        let label = format!("{file_name} brought in again");
        let changes = removed
            .into_iter()
            .map(|track_id| NewChange::to(track_id, TrackPatch { removed: Some(false), ..TrackPatch::default() }));
        decisions::decide(&w.db, session, &NewDecision::of(label, changes.collect())).await?;
    }
    let existing = tracks::of_session(&w.db, session).await?;
    let rate_hz = sessions::get(&w.db, session).await?.rate_hz;
    if let (Some(same), Some(rate_hz)) = (existing.iter().find(|t| t.sha256 == sha256).cloned(), rate_hz) {
        // The good bytes have come again: whatever was wrong with the working copies is put right.
        let (store, key, stop) = (w.store.clone(), same.clone(), reporter.stop());
        blocking(move || match store.ensure(&key.sha256, rate_hz, key.channels, key.frames, &stop) {
            Err(Missing::Stopped) => Err(JobError::Stopped),
            Err(e) => Err(JobError::Failed(e.to_string())),
            Ok(()) => Ok(()),
        })
        .await
        .map_err(about)?;
        let text = format!(
            "“{file_name}” holds the same sound as “{}”, which is in the session already; it was not added again",
            same.file_name
        );
        return Ok(json!({ "added": 0, "note": text }));
    }
    let reference = info.time_reference.and_then(|t| i64::try_from(t).ok());
    let settled = sessions::settle(&w.db, session, info.rate.hz(), reference).await?;
    let rate = SampleRate::new(u64::from(settled.rate_hz.unwrap_or(info.rate.hz())))
        .map_err(|e| about(JobError::Failed(e.to_string())))?;
    let (store, key, rep) = (w.store.clone(), sha256.clone(), reporter.clone());
    let doing = format!("reading {file_name}");
    let prepared = blocking(move || {
        store.prepare(&key, rate, &rep.stop(), &mut |p| rep.report(p, &doing)).map_err(|e| match e {
            PrepareError::Stopped => JobError::Stopped,
            PrepareError::Media(MediaError::Io(e)) if e.kind() == std::io::ErrorKind::StorageFull => {
                JobError::Failed("could not be prepared: the disk is full; the recording itself is kept".into())
            }
            PrepareError::Media(e) => JobError::Failed(e.to_string()),
        })
    })
    .await
    .map_err(about)?;
    let mut notes = prepared.notes();
    let start_frame = place(reference, info.rate, rate, settled.origin_frames, &mut notes);
    let link_id = (info.channels > 1).then(Uuid::now_v7);
    let stem = names::stem(file_name);
    let count = usize::from(info.channels);
    let places = info.channel_mask.and_then(|m| of_mask(m, count)).or_else(|| usual(count, Order::Wav));
    let mut tx = w.db.begin().await?;
    // First, so that two imports at once wait for one another instead of each holding what the other needs.
    sessions::touch(&mut *tx, session).await?;
    for channel in 1..=info.channels {
        let guess = guess(stem, channel, info.channels);
        let suffix = match (info.channels, guess.side) {
            (1, _) => String::new(),
            (2, Side::Left) => " L".into(),
            (2, Side::Right) => " R".into(),
            _ => match places.as_ref().and_then(|p| p.get(usize::from(channel) - 1)) {
                Some(place) => format!(" {}", place.short()),
                None => format!(" {channel}"),
            },
        };
        tracks::insert(
            &mut *tx,
            &tracks::TrackRow {
                id: Uuid::now_v7(),
                session_id: session,
                sha256: sha256.clone(),
                channel,
                channels: info.channels,
                link_id,
                file_name: file_name.into(),
                coding: info.coding.clone(),
                file_rate_hz: info.rate.hz(),
                notes: Json(notes.clone()),
                position,
                name: format!("{}{suffix}", stem.chars().take(190).collect::<String>()),
                role: guess.role.word().into(),
                source: guess.source.chars().take(120).collect(),
                side: guess.side.word().into(),
                start_frame,
                frames: prepared.frames,
                offset_frames: 0.0,
                invert: false,
                gain_db: 0.0,
                mends: sqlx::types::Json(Vec::new()),
                policy: String::new(),
                dismissed: Json::default(),
                hits: Json::default(),
                removed: false,
            },
        )
        .await?;
    }
    tx.commit().await?;
    Ok(json!({ "added": info.channels, "notes": notes }))
}

/// Session frame of a recording's beginning, from its time stamp.
fn place(
    reference: Option<i64>,
    file: SampleRate,
    session: SampleRate,
    origin: Option<i64>,
    notes: &mut Vec<String>,
) -> i64 {
    let (Some(reference), Some(origin)) = (reference, origin) else { return 0 };
    let at = i128::from(reference) * i128::from(session.hz()) / i128::from(file.hz()) - i128::from(origin);
    let limit = i128::from(STAMP_RANGE_HOURS * 3_600 * i64::from(session.hz()));
    if at.abs() > limit {
        notes.push(
            "its time stamp is more than twelve hours from the others; it was placed at the session's beginning".into(),
        );
        return 0;
    }
    i64::try_from(at).unwrap_or(0)
}
