//! Tracks: a channel of a recording in a session.
#![allow(missing_docs)] // Row fields are the columns, documented in the migration.

use super::bounds::Bounds;
use crate::error::ServerError;
use marea_core::correct::Correction;
use marea_core::correct::mend::Mend;
use marea_core::decide::Policy;
use marea_core::render::TrackRenderer;
use marea_core::signal::{Placed, Source};
use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use sqlx::{FromRow, MySqlExecutor};
use std::collections::BTreeMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// A track as stored.
#[derive(Debug, Clone, FromRow)]
pub struct TrackRow {
    pub id: Uuid,
    pub session_id: Uuid,
    pub sha256: Vec<u8>,
    pub channel: u16,
    pub channels: u16,
    pub link_id: Option<Uuid>,
    pub file_name: String,
    pub coding: String,
    pub file_rate_hz: u32,
    pub notes: Json<Vec<String>>,
    pub position: i64,
    pub name: String,
    pub role: String,
    pub source: String,
    pub side: String,
    pub start_frame: i64,
    pub frames: i64,
    pub offset_frames: f64,
    pub invert: bool,
    pub gain_db: f64,
    pub mends: Json<Vec<Mend>>,
    pub policy: String,
    pub dismissed: Json<BTreeMap<String, String>>,
    pub hits: Json<HandHits>,
    pub removed: bool,
}

/// Hits drawn or removed by hand on the microphone of a source.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct HandHits {
    /// Session frames, as recorded.
    pub added: Vec<i64>,
    /// Session frames near which no hit is used.
    pub removed: Vec<i64>,
}

impl TrackRow {
    /// What the track carries.
    pub fn correction(&self) -> Correction {
        Correction { offset_frames: self.offset_frames, invert: self.invert, gain_db: self.gain_db }
    }

    /// Its recording as it is carried, mended stretches and all: what is heard, drawn and delivered.
    pub fn carried<'a>(&self, source: &'a dyn Source) -> TrackRenderer<'a> {
        TrackRenderer::mended(Placed { source, start: self.start_frame }, &self.correction(), &self.mends)
    }

    /// The frame of its recording that is heard at a session frame.
    pub fn own_frame(&self, session_frame: i64) -> i64 {
        session_frame.saturating_sub(self.start_frame).saturating_sub(self.offset_frames.floor() as i64)
    }
}

/// A track as shown.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Track {
    /// Id.
    pub id: Uuid,
    /// SHA-256 of the recording, in hex.
    pub recording: String,
    /// Channel of the recording, from 1.
    pub channel: u16,
    /// Channels of the recording.
    pub channels: u16,
    /// Tracks with the same link move together.
    pub link_id: Option<Uuid>,
    /// Name of the file it came from.
    pub file_name: String,
    /// Container and coding of that file.
    pub coding: String,
    /// The file's own rate in Hz.
    pub file_rate_hz: u32,
    /// What was noticed when it was brought in.
    pub notes: Vec<String>,
    /// Name.
    pub name: String,
    /// near, main, room, direct, print, rendered or unknown.
    pub role: String,
    /// What the microphone heard.
    pub source: String,
    /// left, right, centre or empty.
    pub side: String,
    /// Session frame of its first frame as recorded.
    pub start_frame: i64,
    /// Length in frames at the session's rate.
    pub frames: i64,
    /// What it carries.
    pub correction: Correction,
    /// Stretches that carry something besides.
    pub mends: Vec<Mend>,
    /// align, keep-distance, bring-in, leave, or empty for the one that goes with the role.
    pub policy: String,
    /// Hits drawn or removed by hand.
    pub hits: HandHits,
}

impl From<TrackRow> for Track {
    fn from(r: TrackRow) -> Self {
        Self {
            correction: r.correction(),
            mends: r.mends.0,
            id: r.id,
            recording: hex::encode(&r.sha256),
            channel: r.channel,
            channels: r.channels,
            link_id: r.link_id,
            file_name: r.file_name,
            coding: r.coding,
            file_rate_hz: r.file_rate_hz,
            notes: r.notes.0,
            name: r.name,
            role: r.role,
            source: r.source,
            side: r.side,
            start_frame: r.start_frame,
            frames: r.frames,
            policy: r.policy,
            hits: r.hits.0,
        }
    }
}

/// Roles a track can have.
pub const ROLES: [&str; 7] = ["near", "main", "room", "direct", "print", "rendered", "unknown"];
/// Sides a track can have.
pub const SIDES: [&str; 4] = ["left", "right", "centre", ""];

/// Mended stretches a track has at most.
const MOST_MENDS: usize = 500;

/// What a decision can change on a track; what is not given stays.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TrackPatch {
    /// Frames, positive later, up to one hour either way.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub offset_frames: Option<f64>,
    /// Turn the polarity over.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub invert: Option<bool>,
    /// Level change in dB, −60 … 24.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub gain_db: Option<f64>,
    /// Stretches that carry something besides, in order.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mends: Option<Vec<Mend>>,
    /// Name.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// near, main, room, direct, print, rendered or unknown.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub role: Option<String>,
    /// What the microphone heard.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub source: Option<String>,
    /// left, right, centre or empty.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub side: Option<String>,
    /// align, keep-distance, bring-in, leave, or empty for the one that goes with the role.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub policy: Option<String>,
    /// Findings put aside, with the reason.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub dismissed: Option<BTreeMap<String, String>>,
    /// Hits drawn or removed by hand.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub hits: Option<HandHits>,
    /// Taken out of the session.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub removed: Option<bool>,
}

impl TrackPatch {
    /// The same fields as they are now: what undo restores.
    pub fn before(&self, row: &TrackRow) -> Self {
        Self {
            offset_frames: self.offset_frames.map(|_| row.offset_frames),
            invert: self.invert.map(|_| row.invert),
            gain_db: self.gain_db.map(|_| row.gain_db),
            mends: self.mends.as_ref().map(|_| row.mends.0.clone()),
            name: self.name.as_ref().map(|_| row.name.clone()),
            role: self.role.as_ref().map(|_| row.role.clone()),
            source: self.source.as_ref().map(|_| row.source.clone()),
            side: self.side.as_ref().map(|_| row.side.clone()),
            policy: self.policy.as_ref().map(|_| row.policy.clone()),
            dismissed: self.dismissed.as_ref().map(|_| row.dismissed.0.clone()),
            hits: self.hits.as_ref().map(|_| row.hits.0.clone()),
            removed: self.removed.map(|_| row.removed),
        }
    }

    /// This where it says something, the other elsewhere.
    pub fn or(&self, other: &Self) -> Self {
        let (a, b) = (self.clone(), other.clone());
        Self {
            offset_frames: a.offset_frames.or(b.offset_frames),
            invert: a.invert.or(b.invert),
            gain_db: a.gain_db.or(b.gain_db),
            mends: a.mends.or(b.mends),
            name: a.name.or(b.name),
            role: a.role.or(b.role),
            source: a.source.or(b.source),
            side: a.side.or(b.side),
            policy: a.policy.or(b.policy),
            dismissed: a.dismissed.or(b.dismissed),
            hits: a.hits.or(b.hits),
            removed: a.removed.or(b.removed),
        }
    }

    /// Names without control characters and without space around them: what is stored is what is shown and delivered.
    pub fn cleaned(&self) -> Self {
        let clean = |text: &String| text.chars().filter(|c| !c.is_control()).collect::<String>().trim().to_string();
        Self { name: self.name.as_ref().map(clean), source: self.source.as_ref().map(clean), ..self.clone() }
    }

    /// Refuses what no track can carry.
    ///
    /// # Errors
    /// [`ServerError::Invalid`] naming the track.
    pub fn check(&self, row: &TrackRow, rate_hz: u32, bounds: &Bounds) -> Result<(), ServerError> {
        let track = &row.name;
        let limit = Correction::MAX_OFFSET_HOURS * 3_600.0 * f64::from(rate_hz);
        let far = |offset: f64| !offset.is_finite() || offset.abs() > limit;
        let loud = |gain: f64| !gain.is_finite() || !(-60.0..=24.0).contains(&gain);
        let refuse = |what: &str| Err(ServerError::Invalid(format!("{track}: {what}")));
        if self.offset_frames.is_some_and(far) {
            return refuse("an offset lies within one hour either way");
        }
        if self.gain_db.is_some_and(loud) {
            return refuse("a gain lies between -60 and 24 dB");
        }
        if let Some(mends) = &self.mends {
            if mends.len() > MOST_MENDS {
                return refuse("at most 500 stretches are mended");
            }
            if mends.iter().any(|m| far(m.besides.offset_frames) || loud(m.besides.gain_db)) {
                return refuse("a stretch is moved by an hour at most, with a gain between -60 and 24 dB");
            }
            if mends.iter().any(|m| !bounds.holds_own(m.from, row.frames) || !bounds.holds_own(m.to, row.frames)) {
                return refuse("a mended stretch lies within the recording, or an hour around it");
            }
            if mends.iter().any(|m| m.from >= m.to) || mends.windows(2).any(|m| m[0].to > m[1].from) {
                return refuse("mended stretches come in order, none over another");
            }
        }
        if self.role.as_ref().is_some_and(|r| !ROLES.contains(&r.as_str())) {
            return refuse("there is no such role");
        }
        if self.side.as_ref().is_some_and(|s| !SIDES.contains(&s.as_str())) {
            return refuse("there is no such side");
        }
        if self.policy.as_ref().is_some_and(|p| !p.is_empty() && Policy::of_word(p).is_none()) {
            return refuse("there is no such policy");
        }
        if self.hits.as_ref().is_some_and(|h| h.added.len() + h.removed.len() > 2_000) {
            return refuse("at most 2000 hits are drawn or removed by hand");
        }
        if let Some(hits) = &self.hits {
            bounds.check(track, hits.added.iter().chain(&hits.removed).copied())?;
        }
        if self.dismissed.as_ref().is_some_and(|d| d.len() > 100 || d.values().any(|r| r.chars().count() > 300)) {
            return refuse("a reason has at most 300 characters");
        }
        if self.source.as_ref().is_some_and(|s| s.chars().count() > 120) {
            return refuse("the name of a source has at most 120 characters");
        }
        if let Some(name) = &self.name {
            super::sessions::checked_name(name, "track")?;
        }
        Ok(())
    }
}

const COLUMNS: &str =
    "SELECT id, session_id, sha256, channel, channels, link_id, file_name, coding, file_rate_hz, notes, position,
    name, role, source, side, start_frame, frames, offset_frames, invert, gain_db, mends, policy, dismissed, hits,
    removed FROM tracks";

/// A session's tracks in their order.
///
/// # Errors
/// As the database says.
pub async fn of_session(db: impl MySqlExecutor<'_>, session: Uuid) -> Result<Vec<TrackRow>, ServerError> {
    let sql = format!("{COLUMNS} WHERE session_id = ? AND NOT removed ORDER BY position, channel, id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).fetch_all(db).await?)
}

/// The same with those that were taken out.
///
/// # Errors
/// As the database says.
pub async fn with_removed(db: impl MySqlExecutor<'_>, session: Uuid) -> Result<Vec<TrackRow>, ServerError> {
    let sql = format!("{COLUMNS} WHERE session_id = ? ORDER BY position, channel, id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).fetch_all(db).await?)
}

/// Tracks of a recording that were taken out.
///
/// # Errors
/// As the database says.
pub async fn removed(db: impl MySqlExecutor<'_>, session: Uuid, sha256: &[u8]) -> Result<Vec<Uuid>, ServerError> {
    let rows: Vec<(Uuid,)> = sqlx::query_as("SELECT id FROM tracks WHERE session_id = ? AND sha256 = ? AND removed")
        .bind(session)
        .bind(sha256)
        .fetch_all(db)
        .await?;
    Ok(rows.into_iter().map(|r| r.0).collect())
}

/// One track of a session.
///
/// # Errors
/// [`ServerError::NotFound`].
pub async fn get(db: impl MySqlExecutor<'_>, session: Uuid, id: Uuid) -> Result<TrackRow, ServerError> {
    let sql = format!("{COLUMNS} WHERE session_id = ? AND id = ? AND NOT removed");
    sqlx::query_as(sqlx::AssertSqlSafe(sql))
        .bind(session)
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(ServerError::NotFound("track"))
}

/// Adds a track; one that is there already (same recording, same channel) stays as it is.
///
/// # Errors
/// As the database says.
pub async fn insert(db: impl MySqlExecutor<'_>, t: &TrackRow) -> Result<(), ServerError> {
    sqlx::query(
        "INSERT IGNORE INTO tracks (id, session_id, sha256, channel, channels, link_id, file_name, coding, file_rate_hz, notes,
         position, name, role, source, side, start_frame, frames) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)",
    )
    .bind(t.id)
    .bind(t.session_id)
    .bind(&t.sha256)
    .bind(t.channel)
    .bind(t.channels)
    .bind(t.link_id)
    .bind(&t.file_name)
    .bind(&t.coding)
    .bind(t.file_rate_hz)
    .bind(&t.notes)
    .bind(t.position)
    .bind(&t.name)
    .bind(&t.role)
    .bind(&t.source)
    .bind(&t.side)
    .bind(t.start_frame)
    .bind(t.frames)
    .execute(db)
    .await?;
    Ok(())
}

/// Writes a patch.
///
/// # Errors
/// As the database says.
pub async fn apply(db: impl MySqlExecutor<'_>, id: Uuid, p: &TrackPatch) -> Result<(), ServerError> {
    sqlx::query(
        "UPDATE tracks SET offset_frames = COALESCE(?, offset_frames), invert = COALESCE(?, invert),
         gain_db = COALESCE(?, gain_db), mends = COALESCE(?, mends), name = COALESCE(?, name), role = COALESCE(?, role),
         source = COALESCE(?, source), side = COALESCE(?, side), policy = COALESCE(?, policy),
         dismissed = COALESCE(?, dismissed), hits = COALESCE(?, hits), removed = COALESCE(?, removed) WHERE id = ?",
    )
    .bind(p.offset_frames)
    .bind(p.invert)
    .bind(p.gain_db)
    .bind(p.mends.as_ref().map(Json))
    .bind(&p.name)
    .bind(&p.role)
    .bind(&p.source)
    .bind(&p.side)
    .bind(&p.policy)
    .bind(p.dismissed.as_ref().map(Json))
    .bind(p.hits.as_ref().map(Json))
    .bind(p.removed)
    .bind(id)
    .execute(db)
    .await?;
    Ok(())
}
