//! Notes of rendered instruments: brought in, held against a track, and used as the session's tempo.

use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::patch::EditPatch;
use crate::db::scores::{self, ScoreRow};
use crate::db::sessions::{self, SessionPatch, checked_name};
use crate::derive::Now;
use crate::error::{ErrorBody, ServerError};
use crate::tasks::NotesOf;
use actix_web::{HttpResponse, delete, get, post, web};
use futures_util::StreamExt;
use marea_core::notes::NotesMeasured;
use marea_core::notes::midi::Score;
use marea_core::units::Offset;
use marea_core::verdict::Verdict;
use marea_session::names::clean_file_name;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Largest file of notes, in bytes, and so many in a session.
const LARGEST: usize = 4 << 20;
const MOST: usize = 200;
/// An offset is where it belongs when it is this close, in frames.
const SAME: f64 = 0.01;

/// A file of notes.
#[derive(Debug, Serialize, ToSchema)]
pub struct ScoreView {
    /// Id.
    pub id: Uuid,
    /// Name of the file.
    pub name: String,
    /// Notes in it.
    pub notes: usize,
    /// Length to the beginning of its last note, in seconds.
    pub seconds: f64,
    /// Tempo at its beginning, in quarters a minute.
    pub bpm: f64,
    /// Changes of tempo and metre in it.
    pub changes: usize,
}

/// What a file is called.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Named {
    /// Its name.
    pub name: String,
}

/// Notes, and the track that renders them.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema, IntoParams)]
pub struct ScoreAndTrack {
    /// The notes.
    pub score: Uuid,
    /// The track.
    pub track: Uuid,
}

/// One note.
#[derive(Debug, Serialize, ToSchema)]
pub struct NoteView {
    /// Session frame where the notes have it.
    pub frame: f64,
    /// Its key, 60 = C4.
    pub key: u8,
    /// How much later its sound begins, in ms; none where that cannot be told.
    pub late_ms: Option<f64>,
}

/// A rendered track against its notes.
#[derive(Debug, Serialize, ToSchema)]
pub struct NotesView {
    /// How sure.
    pub verdict: Verdict,
    /// Why.
    pub reason: String,
    /// How much later its sounds begin than their notes, in ms; none where that cannot be told, as all below.
    pub latency_ms: Option<f64>,
    /// How much later they are heard, in ms.
    pub heard_ms: Option<f64>,
    /// Spread of the beginnings, in ms.
    pub spread_ms: Option<f64>,
    /// What the latency is uncertain by, in ms.
    pub uncertain_ms: f64,
    /// The note value that the latency is.
    pub note_value: Option<String>,
    /// What the latency has over it, in ms.
    pub rest_ms: Option<f64>,
    /// Tempo of that note value, in quarters a minute.
    pub bpm: f64,
    /// The offset that takes the latency out, in frames.
    pub offset_frames: Option<f64>,
    /// The track carries it.
    pub taken: bool,
    /// Every note.
    pub notes: Vec<NoteView>,
}

fn shown(row: &ScoreRow) -> Option<ScoreView> {
    let score = Score::read_any(&row.content).ok()?;
    Some(ScoreView {
        id: row.id,
        name: row.name.clone(),
        notes: score.notes.len(),
        seconds: score.notes.last().map_or(0.0, |n| n.seconds),
        bpm: score.at(0.0).bpm,
        changes: score.changes.len() - 1,
    })
}

/// The session's files of notes.
#[utoipa::path(responses((status = 200, body = Vec<ScoreView>), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}/scores")]
pub async fn list_scores(
    state: web::Data<State>,
    path: web::Path<String>,
) -> Result<web::Json<Vec<ScoreView>>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?.id;
    Ok(web::Json(scores::of_session(state.db(), session).await?.iter().filter_map(shown).collect()))
}

/// Bring in a Standard MIDI File of format 0 or 1.
#[utoipa::path(
    params(Named),
    request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 201, body = ScoreView), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody))
)]
#[post("/sessions/{session}/scores")]
pub async fn bring_score(
    state: web::Data<State>,
    path: web::Path<String>,
    named: web::Query<Named>,
    mut body: web::Payload,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?.id;
    let name = checked_name(&clean_file_name(&named.name), "file")?;
    let mut content = Vec::new();
    while let Some(chunk) = body.next().await {
        let chunk = chunk.map_err(|e| ServerError::Invalid(format!("“{name}” broke off: {e}")))?;
        if content.len() + chunk.len() > LARGEST {
            return Err(ServerError::Invalid(format!("“{name}” is larger than 4 MiB: no file of notes")));
        }
        content.extend_from_slice(&chunk);
    }
    Score::read_any(&content).map_err(|e| ServerError::Invalid(format!("“{name}” {e}")))?;
    if scores::of_session(state.db(), session).await?.len() >= MOST {
        return Err(ServerError::Conflict(format!("a session has {MOST} files of notes at most")));
    }
    let row = ScoreRow { id: Uuid::now_v7(), name, content };
    scores::insert(state.db(), session, &row).await?;
    sessions::touch(state.db(), session).await?;
    state.workers.nudge(session);
    Ok(HttpResponse::Created().json(shown(&row)))
}

/// Remove a file of notes.
#[utoipa::path(responses((status = 204), (status = 404, body = ErrorBody)))]
#[delete("/sessions/{session}/scores/{score}")]
pub async fn remove_score(
    state: web::Data<State>,
    path: web::Path<(String, String)>,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path.0, "session")?).await?.id;
    if !scores::delete(state.db(), session, id(&path.1, "notes")?).await? {
        return Err(ServerError::NotFound("file of notes"));
    }
    sessions::touch(state.db(), session).await?;
    state.workers.nudge(session);
    Ok(HttpResponse::NoContent().finish())
}

/// Make the tempo and metre of a file of notes the session's, from its bar 1 on.
#[utoipa::path(responses((status = 204), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/scores/{score}/tempo")]
pub async fn take_tempo(
    state: web::Data<State>,
    path: web::Path<(String, String)>,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path.0, "session")?).await?;
    let row = found(&state, session.id, id(&path.1, "notes")?).await?;
    let told = |e: String| ServerError::Invalid(format!("{} {e}", row.name));
    let score = Score::read_any(&row.content).map_err(|e| told(e.to_string()))?;
    let map = score.map(session.first_beat_frame as f64).map_err(|e| told(e.to_string()))?;
    let (first, later) = map.changes().split_first().ok_or(ServerError::NotFound("tempo"))?;
    let beats = u8::try_from(first.quarters_a_bar).map_err(|_| told("has bars that are too long".into()))?;
    let patch = SessionPatch {
        bpm: Some(first.bpm),
        beats_a_bar: Some(beats),
        tempo_changes: Some(later.to_vec()),
        ..SessionPatch::default()
    };
    sessions::patch(state.db(), session.id, &patch).await?;
    state.workers.changed(session.id).await;
    Ok(HttpResponse::NoContent().finish())
}

async fn found(state: &State, session: Uuid, score: Uuid) -> Result<ScoreRow, ServerError> {
    let all = scores::of_session(state.db(), session).await?;
    all.into_iter().find(|s| s.id == score).ok_or(ServerError::NotFound("file of notes"))
}

async fn now(state: &State, path: &str, of: ScoreAndTrack) -> Result<Now<NotesOf>, ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    found(state, session, of.score).await?;
    Now::of(state.db(), session, NotesOf { score: of.score, track: of.track }).await
}

/// Ask for a track to be held against its notes; answers the job, or 204 when that was done already.
#[utoipa::path(responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[post("/sessions/{session}/notes")]
pub async fn request_notes(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<ScoreAndTrack>,
) -> Result<HttpResponse, ServerError> {
    state.asked_for(&now(&state, &path, *of).await?).await
}

/// The offset that takes the latency out.
fn offset(m: &NotesMeasured, rate_hz: u32) -> Option<Offset> {
    m.latency_ms.map(|ms| Offset(-ms * f64::from(rate_hz) / 1_000.0).rounded())
}

/// A track against its notes; 204 when that was not measured.
#[utoipa::path(params(ScoreAndTrack), responses((status = 200, body = NotesView), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[get("/sessions/{session}/notes")]
pub async fn show_notes(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Query<ScoreAndTrack>,
) -> Result<HttpResponse, ServerError> {
    let now = now(&state, &path, *of).await?;
    let Some(m) = now.result(state.db()).await? else { return Ok(HttpResponse::NoContent().finish()) };
    let (rate_hz, first) = (now.session.rate()?, now.session.first_beat_frame as f64);
    let offset = offset(&m, rate_hz);
    let carried = now.tracks[0].edit().placement.offset_frames;
    let frame = |seconds: f64| first + seconds * f64::from(rate_hz);
    let notes = m.notes.iter().map(|n| NoteView { frame: frame(n.seconds), key: n.key, late_ms: n.late_ms });
    Ok(HttpResponse::Ok().json(NotesView {
        notes: notes.collect(),
        taken: offset.is_some_and(|o| (o - carried).0.abs() <= SAME),
        offset_frames: offset.map(|o| o.0),
        note_value: m.value.as_ref().map(|v| v.name.clone()),
        rest_ms: m.value.as_ref().map(|v| v.rest_ms),
        verdict: m.verdict,
        reason: m.reason,
        latency_ms: m.latency_ms,
        heard_ms: m.heard_ms,
        spread_ms: m.spread_ms,
        uncertain_ms: m.uncertain_ms,
        bpm: m.bpm,
    }))
}

/// Take the latency of a rendered track out: one decision.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/notes/take")]
pub async fn take_notes(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<ScoreAndTrack>,
) -> Result<HttpResponse, ServerError> {
    let now = now(&state, &path, *of).await?;
    let m = now.result(state.db()).await?.ok_or(ServerError::NotFound("measured rendering"))?;
    let track = &now.tracks[0];
    let why = || ServerError::Conflict(format!("{} has no one latency: {}", track.name, m.reason));
    let offset = offset(&m, now.session.rate()?).ok_or_else(why)?;
    let after = EditPatch { offset_frames: Some(offset), ..EditPatch::default() };
    let label = format!("{}: {:.2} ms of its rendering taken out", track.name, m.latency_ms.unwrap_or(0.0));
    let new = NewDecision::of(label, vec![NewChange::to(track.id, after)]);
    let made = decisions::decide(state.db(), now.session.id, &new).await?;
    state.workers.changed(now.session.id).await;
    Ok(HttpResponse::Created().json(made))
}
