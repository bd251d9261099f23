//! Bringing a recording in: working copies, overviews, tracks.

use super::{JobError, Reporter, Workers, blocking};
use crate::db::{sessions, tracks};
use crate::names;
use marea_core::decide::{Side, guess};
use marea_core::measure::image::layout::{Order, of_mask, usual};
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
    let about = |e: &dyn std::fmt::Display| JobError::Failed(format!("“{file_name}” {e}"));
    let path = w.store.recording(&sha256);
    let info = blocking(move || {
        AudioReader::open(&path).map(|r| r.info().clone()).map_err(|e| JobError::Failed(e.to_string()))
    })
    .await
    .map_err(|e| about(&e))?;
    let existing = tracks::of_session(&w.db, session).await?;
    if let Some(same) = existing.iter().find(|t| t.sha256 == sha256) {
        let text = format!(
            "“{file_name}” holds the same sound as “{}”, which is in the session already; it was not added again",
            same.file_name
        );
        return Ok(json!({ "added": 0, "note": text }));
    }
    let reference = info.time_reference.and_then(|t| i64::try_from(t).ok());
    let settled = sessions::settle(&w.db, session, info.rate.hz(), reference).await?;
    let rate = SampleRate::new(u64::from(settled.rate_hz.unwrap_or(info.rate.hz()))).map_err(|e| about(&e))?;
    let (store, key, rep) = (w.store.clone(), sha256.clone(), reporter.clone());
    let doing = format!("reading {file_name}");
    let prepared = blocking(move || {
        store.prepare(&key, rate, &mut |p| rep.report(p, &doing)).map_err(|e| match e {
            PrepareError::Stopped => JobError::Stopped,
            PrepareError::Media(MediaError::Io(e)) if e.kind() == std::io::ErrorKind::StorageFull => {
                JobError::Failed("could not be prepared: the disk is full; the recording itself is kept".into())
            }
            PrepareError::Media(e) => JobError::Failed(e.to_string()),
        })
    })
    .await
    .map_err(|e| match e {
        JobError::Failed(text) => about(&text),
        other => other,
    })?;
    let mut notes = prepared.info.notes.clone();
    let start_frame = place(reference, info.rate, rate, settled.origin_frames, &mut notes);
    let link_id = (info.channels > 1).then(Uuid::now_v7);
    let stem = names::stem(file_name);
    let count = usize::from(info.channels);
    let places = info.channel_mask.and_then(|m| of_mask(m, count)).or_else(|| usual(count, Order::Wav));
    let mut tx = w.db.begin().await?;
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
            },
        )
        .await?;
    }
    sessions::touch(&mut *tx, session).await?;
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
