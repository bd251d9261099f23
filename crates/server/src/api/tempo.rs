//! Tracks against a tempo: the session's, a click's, or that of a steady track; and that tempo as the session's.

use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::patch::EditPatch;
use crate::db::sessions::{self, Session, SessionPatch};
use crate::derive::Now;
use crate::derive::tempo::{TempoFound, TrackAgainst};
use crate::error::{ErrorBody, ServerError};
use crate::tasks::{TempoBy, TempoOf};
use actix_web::{HttpResponse, get, post, web};
use marea_core::edit::tempo::TempoChange;
use marea_core::units::Offset;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// What gives the tempo.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct TempoAsked {
    /// The session's own tempo, a click's or a steady track's, or the strokes of another track.
    pub by: TempoBy,
    /// The click, the steady track, or the other one.
    pub track: Option<Uuid>,
}

/// A tempo that becomes the session's.
#[derive(Debug, Deserialize, ToSchema)]
pub struct TempoUsed {
    /// What gave it.
    #[serde(flatten)]
    pub of: TempoAsked,
    /// One of those that may be meant as well, in quarters a minute; the first when it is not said.
    #[serde(default)]
    pub bpm: Option<f64>,
}

/// Tracks whose lag is taken out.
#[derive(Debug, Deserialize, ToSchema)]
pub struct LagsTaken {
    /// What gave the tempo.
    #[serde(flatten)]
    pub of: TempoAsked,
    /// Which tracks.
    pub take: Vec<Uuid>,
}

/// A track against the tempo, and with what it carries now.
#[derive(Debug, Serialize, ToSchema)]
pub struct TrackAgainstView {
    /// As recorded.
    #[serde(flatten)]
    pub found: TrackAgainst,
    /// How much later it comes with the offset that it carries, in ms.
    pub now_ms: Option<f64>,
}

/// A tempo, and the tracks against it.
#[derive(Debug, Serialize, ToSchema)]
pub struct TempoView {
    /// Session frame at which bar 1 begins; none where no tempo was found.
    pub first_beat_frame: Option<f64>,
    /// Its changes of tempo and metre.
    pub changes: Vec<TempoChange>,
    /// Tempi that may be meant as well: half and double.
    pub or_bpm: Vec<f64>,
    /// Accents tell where bars begin.
    pub accented: bool,
    /// Every track.
    pub tracks: Vec<TrackAgainstView>,
}

async fn now(state: &State, path: &str, of: TempoAsked) -> Result<Now<TempoOf>, ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    let track = match (of.by, of.track) {
        (TempoBy::Session, _) => None,
        (_, Some(track)) => Some(track),
        (_, None) => return Err(ServerError::Invalid("which track they are held against is missing".into())),
    };
    Now::of(state.db(), session, TempoOf { by: of.by, track }).await
}

/// Ask for the session's tracks to be held against a tempo; answers the job, or 204 when that was done already.
#[utoipa::path(responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/tempo")]
pub async fn request_tempo(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<TempoAsked>,
) -> Result<HttpResponse, ServerError> {
    state.asked_for(&now(&state, &path, *of).await?).await
}

/// The session's tracks against a tempo; 204 when that was not measured.
#[utoipa::path(params(TempoAsked), responses((status = 200, body = TempoView), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/tempo")]
pub async fn show_tempo(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Query<TempoAsked>,
) -> Result<HttpResponse, ServerError> {
    let now = now(&state, &path, *of).await?;
    let Some(found) = now.result(state.db()).await? else { return Ok(HttpResponse::NoContent().finish()) };
    let a_ms = f64::from(now.session.rate()?) / 1_000.0;
    let TempoFound { first_beat_frame, changes, or_bpm, accented, tracks } = found;
    let reference = carried_by_reference(&now, &of);
    let view = |found: TrackAgainst| {
        let carried = now.tracks.iter().find(|t| t.id == found.track).map(|t| t.edit().placement.offset_frames);
        let now_ms = found.lag_ms.zip(carried).map(|(lag, offset)| lag + (offset - reference).0 / a_ms);
        TrackAgainstView { found, now_ms }
    };
    let tracks = tracks.into_iter().map(view).collect();
    Ok(HttpResponse::Ok().json(TempoView { first_beat_frame, changes, or_bpm, accented, tracks }))
}

/// What the track carries whose strokes the others are held against; nothing for beats, which stay where they are.
fn carried_by_reference(now: &Now<TempoOf>, of: &TempoAsked) -> Offset {
    let reference = now.tracks.iter().find(|t| of.by == TempoBy::Beside && Some(t.id) == of.track);
    reference.map_or(Offset::default(), |t| t.edit().placement.offset_frames)
}

/// Make a tempo that was found the session's.
#[utoipa::path(responses((status = 200, body = Session), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/tempo/use")]
pub async fn use_tempo(
    state: web::Data<State>,
    path: web::Path<String>,
    used: web::Json<TempoUsed>,
) -> Result<web::Json<Session>, ServerError> {
    let now = now(&state, &path, used.of).await?;
    let found = now.result(state.db()).await?.ok_or(ServerError::NotFound("measured tempo"))?;
    let none = || ServerError::Conflict("no tempo was found".into());
    let (first_beat_frame, (first, later)) =
        (found.first_beat_frame.ok_or_else(none)?, found.changes.split_first().ok_or_else(none)?);
    let bpm = match used.bpm {
        None => first.bpm,
        Some(bpm) if (bpm - first.bpm).abs() < 0.01 || found.or_bpm.iter().any(|b| (b - bpm).abs() < 0.01) => bpm,
        Some(bpm) => return Err(ServerError::Invalid(format!("{bpm} is none of the tempi that were found"))),
    };
    let patch = SessionPatch {
        bpm: Some(bpm),
        first_beat_frame: Some(first_beat_frame.round() as i64),
        beats_a_bar: Some(u8::try_from(first.quarters_a_bar).unwrap_or(4)),
        tempo_changes: Some(later.to_vec()),
        ..SessionPatch::default()
    };
    sessions::patch(state.db(), now.session.id, &patch).await?;
    state.workers.changed(now.session.id).await;
    Ok(web::Json(sessions::get(state.db(), now.session.id).await?))
}

/// Take the lag of tracks against the tempo out: one decision.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/tempo/take")]
pub async fn take_lags(
    state: web::Data<State>,
    path: web::Path<String>,
    wanted: web::Json<LagsTaken>,
) -> Result<HttpResponse, ServerError> {
    let now = now(&state, &path, wanted.of).await?;
    let found = now.result(state.db()).await?.ok_or(ServerError::NotFound("measured tempo"))?;
    let a_ms = f64::from(now.session.rate()?) / 1_000.0;
    let reference = carried_by_reference(&now, &wanted.of);
    let (mut changes, mut names) = (Vec::new(), Vec::new());
    for of in &wanted.take {
        let row = now.tracks.iter().find(|t| t.id == *of).ok_or(ServerError::NotFound("track"))?;
        let told = found.tracks.iter().find(|t| t.track == *of);
        let lag = told.filter(|t| t.constant && t.or_ms.is_empty()).and_then(|t| t.lag_ms);
        let lag = lag.ok_or_else(|| ServerError::Conflict(format!("{} has no constant lag to take out", row.name)))?;
        let offset_frames = Some((reference + Offset(-lag * a_ms)).rounded());
        changes.push(NewChange::to(row.id, EditPatch { offset_frames, ..EditPatch::default() }));
        names.push(row.name.clone());
    }
    let onto = now.tracks.iter().find(|t| wanted.of.by == TempoBy::Beside && Some(t.id) == wanted.of.track);
    let what = onto.map_or("the beats", |t| t.name.as_str());
    let label = format!("{}: lag against {what} taken out", names.join(", "));
    let made = decisions::decide(state.db(), now.session.id, &NewDecision::of(label, changes)).await?;
    state.workers.changed(now.session.id).await;
    Ok(HttpResponse::Created().json(made))
}
