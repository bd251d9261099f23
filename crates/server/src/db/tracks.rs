//! Tracks: a channel of a recording in a session.
#![allow(missing_docs)] // Row fields are the columns, documented in the migration.

use super::edits::{self, Carried};
use crate::error::ServerError;
use marea_core::decide::{Named, tracks_of};
use marea_core::edit::drawn::DrawnPiece;
use marea_core::edit::passage::Passage;
use marea_core::edit::stretch::Stretch;
use marea_core::edit::{Correction, Edit};
use marea_core::render::track::TrackRenderer;
use marea_core::signal::{Placed, Source};
use marea_core::track::Role;
use marea_core::units::{Offset, RecordingFrame, SampleRate, SessionFrame};
use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use sqlx::{FromRow, MySqlConnection, MySqlExecutor};
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
    /// The link as stored: none follows the names, [`UNLINKED`] was taken apart by hand.
    pub own_link: Option<Uuid>,
    /// Tracks with the same one are linked; told by [`linked`].
    #[sqlx(skip)]
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
    #[sqlx(flatten)]
    pub carried: Carried,
    pub policy: String,
    pub dismissed: Json<BTreeMap<String, String>>,
    pub hits: Json<HandHits>,
    pub removed: bool,
    pub in_room: Json<InRoom>,
    pub made_of: Option<Json<MadeOf>>,
}

/// What a track was made of: it was not recorded, and nothing arrived in it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct MadeOf {
    /// The track it was made of.
    pub take: Uuid,
    /// The lead that it follows; none where only its pitch was changed.
    pub lead: Option<Uuid>,
    /// Hash of the sound, of what was done to it, and of the method: the same is not made twice.
    pub key: String,
    /// By how much it is louder than what it was made of, in dB.
    pub louder_db: f64,
}

/// What somebody measured of a microphone in the room.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct InRoom {
    /// Distance from its own source, in metres.
    pub from_source_m: Option<f64>,
    /// Distances from other microphones, in metres.
    pub apart_m: BTreeMap<Uuid, f64>,
    /// Where it stands, seen from above: metres to the right as the audience sees it, and metres towards the audience, from a point of
    /// choice.
    pub at_m: Option<[f64; 2]>,
}

/// Hits drawn or removed by hand on the microphone of a source.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct HandHits {
    /// Session frames, as recorded.
    pub added: Vec<SessionFrame>,
    /// Session frames near which no hit is used.
    pub removed: Vec<SessionFrame>,
}

impl TrackRow {
    /// Where it was picked up.
    pub fn role(&self) -> Role {
        Role::of_word(&self.role)
    }

    /// What the track carries.
    pub fn edit(&self) -> &Edit {
        &self.carried.edit
    }

    /// Its recording as it is carried: what is heard, drawn and delivered.
    pub fn played<'a>(&self, source: &'a dyn Source, rate: SampleRate) -> TrackRenderer<'a> {
        TrackRenderer::new(Placed { source, start: self.start() }, self.edit(), rate)
    }

    /// The frame of its recording that is heard at a session frame.
    pub fn own_frame(&self, session_frame: SessionFrame) -> RecordingFrame {
        self.edit().own_frame(self.start(), session_frame)
    }

    /// What the name of its file tells.
    pub fn named(&self) -> Named {
        Named { file: self.file_name.clone(), channel: self.channel, channels: self.channels }
    }

    /// Where its first frame sounds as recorded.
    pub fn start(&self) -> SessionFrame {
        SessionFrame(self.start_frame)
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
    /// What it carries, the part for its path apart.
    pub correction: Correction,
    /// Frames that make up for the latency of its path; it plays at the offset of the correction and this together.
    pub path_frames: Offset,
    /// Stretches that carry something besides.
    pub stretches: Vec<Stretch>,
    /// From where to where each of them is heard, in session frames.
    pub stretches_heard: Vec<[SessionFrame; 2]>,
    /// What of the recording is seen where.
    pub pieces: Vec<DrawnPiece>,
    /// Passages that are heard elsewhere.
    pub passages: Vec<Passage>,
    /// What would be seen without them; empty where there are none.
    pub without_passages: Vec<DrawnPiece>,
    /// align, keep-distance, bring-in, leave, or empty for the one that goes with the role.
    pub policy: String,
    /// Hits drawn or removed by hand.
    pub hits: HandHits,
    /// What somebody measured of it in the room.
    pub in_room: InRoom,
    /// What it was made of; none for what was brought in.
    pub made_of: Option<MadeOf>,
}

impl From<TrackRow> for Track {
    fn from(r: TrackRow) -> Self {
        let start = r.start();
        let edit = r.carried.edit;
        Self {
            correction: edit.correction(),
            path_frames: edit.placement.path_frames,
            stretches_heard: edit.heard(start),
            pieces: edit.drawn(start, r.frames),
            without_passages: match edit.passages.is_empty() {
                true => Vec::new(),
                false => Edit { passages: Vec::new(), ..edit.clone() }.drawn(start, r.frames),
            },
            stretches: edit.stretches,
            passages: edit.passages,
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
            in_room: r.in_room.0,
            made_of: r.made_of.map(|m| m.0),
        }
    }
}

fn select(which: &str) -> sqlx::AssertSqlSafe<String> {
    sqlx::AssertSqlSafe(format!(
        "SELECT tracks.id, session_id, sha256, channel, channels, link_id AS own_link, file_name, coding, file_rate_hz, notes,
         position, name, role, source, side, start_frame, frames, policy, dismissed, hits, removed, in_room, made_of, {}
         FROM tracks {} WHERE {which}",
        edits::COLUMNS,
        edits::JOINS
    ))
}

/// The link of a track that was taken apart by hand.
pub const UNLINKED: Uuid = Uuid::nil();

/// Channels of one file are linked, and so are two mono files whose names differ by a side only, unless somebody said otherwise.
fn linked(mut rows: Vec<TrackRow>) -> Vec<TrackRow> {
    let by_name: Vec<usize> = (0..rows.len())
        .filter(|i| rows[*i].own_link.is_none() && rows[*i].channels == 1 && !rows[*i].removed)
        .collect();
    let names: Vec<Named> = by_name.iter().map(|i| rows[*i].named()).collect();
    for (track, i) in tracks_of(&names).iter().zip(&by_name) {
        rows[*i].link_id = track.set.map(|k| rows[by_name[k]].id);
    }
    for row in &mut rows {
        row.link_id = row.own_link.filter(|l| *l != UNLINKED).or(row.link_id);
    }
    rows
}

/// A session's tracks in their order.
///
/// # Errors
/// As the database says.
pub async fn of_session(db: impl MySqlExecutor<'_>, session: Uuid) -> Result<Vec<TrackRow>, ServerError> {
    let sql = select("session_id = ? AND NOT removed ORDER BY position, channel, tracks.id");
    Ok(linked(sqlx::query_as(sql).bind(session).fetch_all(db).await?))
}

/// The same with those that were taken out.
///
/// # Errors
/// As the database says.
pub async fn with_removed(db: impl MySqlExecutor<'_>, session: Uuid) -> Result<Vec<TrackRow>, ServerError> {
    let sql = select("session_id = ? ORDER BY position, channel, tracks.id");
    Ok(linked(sqlx::query_as(sql).bind(session).fetch_all(db).await?))
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
    sqlx::query_as(select("session_id = ? AND tracks.id = ? AND NOT removed"))
        .bind(session)
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(ServerError::NotFound("track"))
}

/// Some tracks of a session, in the order asked for.
///
/// # Errors
/// [`ServerError::NotFound`].
pub fn named(all: &[TrackRow], ids: &[Uuid]) -> Result<Vec<TrackRow>, ServerError> {
    let one = |id: &Uuid| all.iter().find(|t| t.id == *id).cloned().ok_or(ServerError::NotFound("track"));
    ids.iter().map(one).collect()
}

/// Adds a track; one that is there already (same recording, same channel) stays as it is.
///
/// # Errors
/// As the database says.
pub async fn insert(tx: &mut MySqlConnection, t: &TrackRow) -> Result<(), ServerError> {
    let edit_id = edits::keep(tx, t.edit()).await?;
    sqlx::query(
        "INSERT IGNORE INTO tracks (id, session_id, sha256, channel, channels, link_id, file_name, coding, file_rate_hz, notes,
         position, name, role, source, side, start_frame, frames, edit_id, removed, made_of)
         VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)",
    )
    .bind(t.id)
    .bind(t.session_id)
    .bind(&t.sha256)
    .bind(t.channel)
    .bind(t.channels)
    .bind(t.own_link)
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
    .bind(edit_id)
    .bind(t.removed)
    .bind(&t.made_of)
    .execute(tx)
    .await?;
    Ok(())
}
