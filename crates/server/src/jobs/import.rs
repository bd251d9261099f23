//! Bringing a recording in: working copies, overviews, tracks.

use crate::db::decisions::{self, NewChange, NewDecision};
use crate::db::edits::Carried;
use crate::db::patch::Facts;
use crate::db::tracks::TrackRow;
use crate::db::{sessions, tracks};
use crate::store::Missing;
use crate::worker::{JobError, Reporter, Workers, blocking};
use marea_core::decide::guess;
use marea_core::measure::image::layout::{Order, of_mask, usual};
use marea_core::track::Side;
use marea_core::units::SampleRate;
use marea_media::prepare::{PrepareError, Prepared};
use marea_media::{AudioInfo, AudioReader, MediaError};
use marea_session::names;
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
    (sha, file_name, position): (&str, &str, i64),
    reporter: &Reporter,
) -> Result<serde_json::Value, JobError> {
    let sha256 = hex::decode(sha).map_err(|e| JobError::Failed(e.to_string()))?;
    let import = Import { w, session, sha256, file_name, position, reporter };
    let info = import.info().await?;
    import.bring_back_removed().await?;
    if let Some(note) = import.known_already().await? {
        return Ok(json!({ "added": 0, "note": note }));
    }
    let reference = info.time_reference.and_then(|t| i64::try_from(t).ok());
    let settled = sessions::settle(&w.db, session, info.rate.hz(), reference).await?;
    let rate = SampleRate::new(u64::from(settled.rate_hz.unwrap_or(info.rate.hz())))
        .map_err(|e| import.about(JobError::Failed(e.to_string())))?;
    let prepared = import.prepare(rate).await?;
    let mut notes = prepared.notes();
    let start_frame = place(reference, info.rate, rate, settled.origin_frames, &mut notes);
    import.add_tracks(&info, start_frame, prepared.frames, &notes).await?;
    Ok(json!({ "added": info.channels, "notes": notes }))
}

/// One recording on its way into a session.
struct Import<'a> {
    w: &'a Workers,
    session: Uuid,
    sha256: Vec<u8>,
    file_name: &'a str,
    position: i64,
    reporter: &'a Reporter,
}

impl Import<'_> {
    /// The error with the file's name.
    fn about(&self, e: JobError) -> JobError {
        let name = self.file_name;
        match e {
            JobError::Failed(text) => JobError::Failed(format!("“{name}” {text}")),
            JobError::Broken => JobError::Failed(format!("“{name}” could not be read: {e}")),
            other => other,
        }
    }

    /// What the file says about itself.
    async fn info(&self) -> Result<AudioInfo, JobError> {
        let (path, stop) = (self.w.store.recording(&self.sha256), self.reporter.stop());
        blocking(move || match AudioReader::open_until(&path, stop) {
            Ok(reader) => Ok(reader.info().clone()),
            Err(MediaError::Stopped) => Err(JobError::Stopped),
            Err(e) => Err(JobError::Failed(e.to_string())),
        })
        .await
        .map_err(|e| self.about(e))
    }

    /// Tracks of the same recording that were removed from the session come back.
    async fn bring_back_removed(&self) -> Result<(), JobError> {
        let removed = tracks::removed(&self.w.db, self.session, &self.sha256).await?;
        if removed.is_empty() {
            return Ok(());
        }
        let label = format!("{} brought in again", self.file_name);
        let back = Facts { removed: Some(false), ..Facts::default() };
        let changes = removed.into_iter().map(|track_id| NewChange::to(track_id, back.clone()));
        decisions::decide(&self.w.db, self.session, &NewDecision::of(label, changes.collect())).await?;
        Ok(())
    }

    /// A sentence when the session has the recording. The good bytes have come again: whatever was wrong with the working
    /// copies is put right.
    async fn known_already(&self) -> Result<Option<String>, JobError> {
        let existing = tracks::of_session(&self.w.db, self.session).await?;
        let rate_hz = sessions::get(&self.w.db, self.session).await?.rate_hz;
        let same = existing.into_iter().find(|t| t.sha256 == self.sha256);
        let Some((same, rate_hz)) = same.zip(rate_hz) else { return Ok(None) };
        let note = format!(
            "“{}” holds the same sound as “{}”, which is in the session already; it was not added again",
            self.file_name, same.file_name
        );
        let (store, stop) = (self.w.store.clone(), self.reporter.stop());
        blocking(move || match store.ensure(&same.sha256, rate_hz, (same.channels, same.frames), &stop) {
            Err(Missing::Stopped) => Err(JobError::Stopped),
            Err(e) => Err(JobError::Failed(e.to_string())),
            Ok(()) => Ok(()),
        })
        .await
        .map_err(|e| self.about(e))?;
        Ok(Some(note))
    }

    /// Makes the working copies.
    async fn prepare(&self, rate: SampleRate) -> Result<Prepared, JobError> {
        let (store, key, rep) = (self.w.store.clone(), self.sha256.clone(), self.reporter.clone());
        let doing = format!("reading {}", self.file_name);
        blocking(move || {
            store.prepare(&key, rate, &rep.stop(), &mut |p| rep.report(p, &doing)).map_err(|e| match e {
                PrepareError::Stopped => JobError::Stopped,
                PrepareError::Media(MediaError::Io(e)) if e.kind() == std::io::ErrorKind::StorageFull => {
                    JobError::Failed("could not be prepared: the disk is full; the recording itself is kept".into())
                }
                PrepareError::Media(e) => JobError::Failed(e.to_string()),
            })
        })
        .await
        .map_err(|e| self.about(e))
    }

    async fn add_tracks(
        &self,
        info: &AudioInfo,
        start_frame: i64,
        frames: i64,
        notes: &[String],
    ) -> Result<(), JobError> {
        let own_link = (info.channels > 1).then(Uuid::now_v7);
        let mut tx = self.w.db.begin().await?;
        // The session is locked first, so that two imports at once wait for one another instead of each holding what the other needs.
        sessions::touch(&mut *tx, self.session).await?;
        for channel in 1..=info.channels {
            let row = TrackRow { own_link, ..self.track(info, channel, (start_frame, frames), notes) };
            tracks::insert(&mut tx, &row).await?;
        }
        tx.commit().await?;
        Ok(())
    }

    fn track(&self, info: &AudioInfo, channel: u16, (start_frame, frames): (i64, i64), notes: &[String]) -> TrackRow {
        let stem = names::stem(self.file_name);
        let guess = guess(stem, channel, info.channels);
        let suffix = suffix(info, channel, guess.side);
        TrackRow {
            id: Uuid::now_v7(),
            session_id: self.session,
            sha256: self.sha256.clone(),
            channel,
            channels: info.channels,
            own_link: None,
            link_id: None,
            file_name: self.file_name.into(),
            coding: info.coding.clone(),
            file_rate_hz: info.rate.hz(),
            notes: Json(notes.to_vec()),
            position: self.position,
            name: format!("{}{suffix}", stem.chars().take(190).collect::<String>()),
            role: guess.role.word().into(),
            source: guess.source.chars().take(120).collect(),
            side: guess.side.word().into(),
            start_frame,
            frames,
            carried: Carried::default(),
            policy: String::new(),
            dismissed: Json::default(),
            in_room: Json::default(),
            hits: Json::default(),
            removed: false,
            made_of: None,
        }
    }
}

/// What a channel's track is called after the file's name.
fn suffix(info: &AudioInfo, channel: u16, side: Side) -> String {
    let count = usize::from(info.channels);
    let places = info.channel_mask.and_then(|m| of_mask(m, count)).or_else(|| usual(count, Order::Wav));
    match (info.channels, side) {
        (1, _) => String::new(),
        (2, Side::Left) => " L".into(),
        (2, Side::Right) => " R".into(),
        _ => match places.as_ref().and_then(|p| p.get(usize::from(channel) - 1)) {
            Some(place) => format!(" {}", place.short()),
            None => format!(" {channel}"),
        },
    }
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
