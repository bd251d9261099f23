//! Sessions.

use crate::error::ServerError;
use marea_core::edit::tempo::{TempoChange, TempoMap};
use marea_core::units::Air;
use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use sqlx::{FromRow, MySqlExecutor, MySqlPool};
use utoipa::ToSchema;
use uuid::Uuid;

/// A session.
#[derive(Debug, Clone, FromRow, Serialize, ToSchema)]
pub struct Session {
    /// Id.
    pub id: Uuid,
    /// Name.
    pub name: String,
    /// Rate in Hz; none until the first recording is in.
    pub rate_hz: Option<u32>,
    /// Frames since midnight of frame 0.
    pub origin_frames: Option<i64>,
    /// Air temperature in °C, for distances.
    pub temperature_c: f64,
    /// Quarter notes a minute, for note values.
    pub bpm: f64,
    /// Session frame at which bar 1 begins.
    pub first_beat_frame: i64,
    /// Quarters in a bar.
    pub beats_a_bar: u8,
    /// Later changes of tempo and metre, in order.
    #[schema(value_type = Vec<TempoChange>)]
    pub tempo_changes: Json<Vec<TempoChange>>,
    /// The track that stays as it is.
    pub anchor_id: Option<Uuid>,
    /// Counts changes.
    pub revision: i64,
    /// The demo session.
    pub is_demo: bool,
}

impl Session {
    /// Its rate in Hz.
    ///
    /// # Errors
    /// [`ServerError::Conflict`] while nothing was brought in.
    pub fn rate(&self) -> Result<u32, ServerError> {
        self.rate_hz.ok_or_else(|| ServerError::Conflict("the session has no recordings yet".into()))
    }

    /// The air it was recorded in.
    pub fn air(&self) -> Air {
        Air::new(self.temperature_c).unwrap_or_default()
    }

    /// Its bars and beats.
    pub fn tempo(&self) -> TempoMap {
        let first_beat_frame = self.first_beat_frame as f64;
        let changes = std::iter::once(self.first_tempo()).chain(self.tempo_changes.0.iter().copied());
        TempoMap::new(first_beat_frame, changes.collect())
            .unwrap_or_else(|_| TempoMap::single(self.bpm, u32::from(self.beats_a_bar), first_beat_frame))
    }

    fn first_tempo(&self) -> TempoChange {
        TempoChange { quarter: 0, bpm: self.bpm, quarters_a_bar: u32::from(self.beats_a_bar) }
    }
}

const COLUMNS: &str = "SELECT id, name, rate_hz, origin_frames, temperature_c, bpm, first_beat_frame, beats_a_bar, tempo_changes, \
     (SELECT t.id FROM tracks t WHERE t.id = anchor_id AND NOT t.removed) AS anchor_id, revision, is_demo FROM sessions";

/// Changes of tempo that a session has at most.
const MOST_TEMPO_CHANGES: usize = 10_000;

/// What can be set on a session.
#[derive(Debug, Clone, Default, Deserialize, ToSchema)]
pub struct SessionPatch {
    /// New name.
    pub name: Option<String>,
    /// Air temperature in °C, −50 … 60.
    pub temperature_c: Option<f64>,
    /// Quarter notes a minute, 20 … 400.
    pub bpm: Option<f64>,
    /// Session frame at which bar 1 begins.
    pub first_beat_frame: Option<i64>,
    /// Quarters in a bar, 1 … 32.
    pub beats_a_bar: Option<u8>,
    /// Later changes of tempo and metre, in order, 10000 at most; an empty list for one tempo.
    pub tempo_changes: Option<Vec<TempoChange>>,
    /// Anchor track.
    pub anchor_id: Option<Uuid>,
}

/// A name as it may be stored.
///
/// # Errors
/// [`ServerError::Invalid`] when it is empty or longer than 200 characters.
pub fn checked_name(raw: &str, what: &str) -> Result<String, ServerError> {
    let name: String = raw.chars().filter(|c| !c.is_control()).collect::<String>().trim().to_string();
    if name.is_empty() || name.chars().count() > 200 {
        return Err(ServerError::Invalid(format!("the name of a {what} has 1 to 200 characters")));
    }
    Ok(name)
}

/// Makes a session: number `demo` of those that ship with the program, or 0 for one of somebody's own.
///
/// # Errors
/// As the database says.
pub async fn create(db: impl MySqlExecutor<'_>, name: &str, demo: u8) -> Result<Uuid, ServerError> {
    super::room::check_room()?;
    let id = Uuid::now_v7();
    sqlx::query("INSERT INTO sessions (id, name, is_demo) VALUES (?, ?, ?)")
        .bind(id)
        .bind(name)
        .bind(demo)
        .execute(db)
        .await?;
    Ok(id)
}

/// The session of a number of those that ship with the program, whatever it is called by now.
///
/// # Errors
/// As the database says.
pub async fn demo(db: impl MySqlExecutor<'_>, demo: u8) -> Result<Option<Uuid>, ServerError> {
    Ok(sqlx::query_scalar("SELECT id FROM sessions WHERE is_demo = ?").bind(demo).fetch_optional(db).await?)
}

/// All sessions, newest first.
///
/// # Errors
/// As the database says.
pub async fn list(db: impl MySqlExecutor<'_>) -> Result<Vec<Session>, ServerError> {
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!("{COLUMNS} ORDER BY created_at DESC, id DESC")))
        .fetch_all(db)
        .await?)
}

/// A session as it is listed.
#[derive(Debug, Serialize, ToSchema)]
pub struct Listed {
    /// The session.
    #[serde(flatten)]
    pub session: Session,
    /// When it was made, in seconds since 1970.
    pub made_s: i64,
    /// Tracks in it.
    pub tracks: i64,
    /// Session frame after the last one that is heard as recorded; none without tracks.
    pub end_frame: Option<i64>,
}

/// All sessions with what a list shows of them, newest first.
///
/// # Errors
/// As the database says.
pub async fn listed(db: &MySqlPool) -> Result<Vec<Listed>, ServerError> {
    let facts: Vec<(Uuid, i64, i64, Option<i64>)> = sqlx::query_as(
        "SELECT s.id, CAST(UNIX_TIMESTAMP(s.created_at) AS SIGNED), COUNT(t.id), MAX(t.start_frame + t.frames)
         FROM sessions s LEFT JOIN tracks t ON t.session_id = s.id AND NOT t.removed GROUP BY s.id, s.created_at",
    )
    .fetch_all(db)
    .await?;
    let of = |session: Session| {
        let (_, made_s, tracks, end_frame) = *facts.iter().find(|f| f.0 == session.id)?;
        Some(Listed { session, made_s, tracks, end_frame })
    };
    Ok(list(db).await?.into_iter().filter_map(of).collect())
}

/// One session.
///
/// # Errors
/// [`ServerError::NotFound`].
pub async fn get(db: impl MySqlExecutor<'_>, id: Uuid) -> Result<Session, ServerError> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{COLUMNS} WHERE id = ?")))
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(ServerError::NotFound("session"))
}

/// Changes what is given.
///
/// # Errors
/// [`ServerError::Invalid`] for values that make no sense.
pub async fn patch(db: impl MySqlExecutor<'_>, id: Uuid, p: &SessionPatch) -> Result<(), ServerError> {
    if p.temperature_c.is_some_and(|t| Air::new(t).is_err()) {
        return Err(ServerError::Invalid("a temperature lies between -50 and 60 °C".into()));
    }
    let first =
        TempoChange { quarter: 0, bpm: p.bpm.unwrap_or(120.0), quarters_a_bar: p.beats_a_bar.map_or(4, u32::from) };
    let later = p.tempo_changes.iter().flatten().copied();
    TempoMap::new(0.0, std::iter::once(first).chain(later).collect())
        .map_err(|e| ServerError::Invalid(e.to_string()))?;
    if p.tempo_changes.as_ref().is_some_and(|c| c.len() > MOST_TEMPO_CHANGES) {
        return Err(ServerError::Invalid("the tempo changes 10000 times at most".into()));
    }
    let name = p.name.as_deref().map(|n| checked_name(n, "session")).transpose()?;
    sqlx::query(
        "UPDATE sessions SET name = COALESCE(?, name), temperature_c = COALESCE(?, temperature_c),
         bpm = COALESCE(?, bpm), first_beat_frame = COALESCE(?, first_beat_frame),
         beats_a_bar = COALESCE(?, beats_a_bar), tempo_changes = COALESCE(?, tempo_changes), anchor_id = COALESCE(?, anchor_id), revision = revision + 1 WHERE id = ?",
    )
    .bind(name)
    .bind(p.temperature_c)
    .bind(p.bpm)
    .bind(p.first_beat_frame)
    .bind(p.beats_a_bar)
    .bind(p.tempo_changes.as_ref().map(Json))
    .bind(p.anchor_id)
    .bind(id)
    .execute(db)
    .await?;
    Ok(())
}

/// Removes a session with its tracks, decisions and jobs. Recordings stay in the store.
///
/// # Errors
/// As the database says.
pub async fn delete(db: &MySqlPool, id: Uuid) -> Result<(), ServerError> {
    let mut tx = db.begin().await?;
    sqlx::query("DELETE FROM sessions WHERE id = ?").bind(id).execute(&mut *tx).await?;
    super::edits::prune(&mut tx).await?;
    tx.commit().await?;
    Ok(())
}

/// Counts a change.
///
/// # Errors
/// As the database says.
pub async fn touch(db: impl MySqlExecutor<'_>, id: Uuid) -> Result<(), ServerError> {
    sqlx::query("UPDATE sessions SET revision = revision + 1 WHERE id = ?").bind(id).execute(db).await?;
    Ok(())
}

/// Sets rate and origin where they are not set yet: the first recording decides.
///
/// # Errors
/// As the database says.
pub async fn settle(
    db: &sqlx::MySqlPool,
    id: Uuid,
    rate_hz: u32,
    time_reference: Option<i64>,
) -> Result<Session, ServerError> {
    sqlx::query("UPDATE sessions SET rate_hz = COALESCE(rate_hz, ?) WHERE id = ?")
        .bind(rate_hz)
        .bind(id)
        .execute(db)
        .await?;
    let session = get(db, id).await?;
    if let (None, Some(t), Some(rate)) = (session.origin_frames, time_reference, session.rate_hz) {
        let origin = i128::from(t) * i128::from(rate) / i128::from(rate_hz);
        sqlx::query("UPDATE sessions SET origin_frames = COALESCE(origin_frames, ?) WHERE id = ?")
            .bind(i64::try_from(origin).unwrap_or(0))
            .bind(id)
            .execute(db)
            .await?;
        return get(db, id).await;
    }
    Ok(session)
}
