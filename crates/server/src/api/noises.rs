//! Noises before notes: found, and lowered.

use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::patch::EditPatch;
use crate::db::sessions;
use crate::db::tracks::{self, TrackRow};
use crate::derive::Now;
use crate::derive::noises::NoisesFound;
use crate::derive::proved::with_linked;
use crate::error::{ErrorBody, ServerError};
use crate::tasks::NoisesOf;
use actix_web::{HttpResponse, get, post, web};
use marea_core::edit::Correction;
use marea_core::edit::stretch::{Stretch, with_stretch};
use marea_core::units::RecordingFrame;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Lowered by so much at most, in dB: a hole is heard more than a noise.
const MOST_DB: f64 = 40.0;
/// Lowered at once, at most.
const MOST: usize = 200;

/// A track.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct NoisesAsked {
    /// Which.
    pub track: Uuid,
}

/// Stretches of a track that are lowered.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Lowered {
    /// Which; what is linked with it is lowered alike.
    pub track: Uuid,
    /// Frames of its recording: the first, and the one after the last.
    pub ranges: Vec<[i64; 2]>,
    /// By how much, in dB: more than 0, 40 at most.
    pub by_db: f64,
}

async fn now(state: &State, path: &str, of: NoisesAsked) -> Result<Now<NoisesOf>, ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    Now::of(state.db(), session, NoisesOf { track: of.track }).await
}

/// Ask for noises before the notes of a track; answers the job, or 204 when they were looked for already.
#[utoipa::path(responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[post("/sessions/{session}/noises")]
pub async fn request_noises(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<NoisesAsked>,
) -> Result<HttpResponse, ServerError> {
    state.asked_for(&now(&state, &path, *of).await?).await
}

/// Noises before the notes of a track; 204 when they were not looked for.
#[utoipa::path(params(NoisesAsked), responses((status = 200, body = NoisesFound), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[get("/sessions/{session}/noises")]
pub async fn show_noises(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Query<NoisesAsked>,
) -> Result<HttpResponse, ServerError> {
    match now(&state, &path, *of).await?.result(state.db()).await? {
        Some(found) => Ok(HttpResponse::Ok().json(found)),
        None => Ok(HttpResponse::NoContent().finish()),
    }
}

/// Lower stretches of a track, noises before its notes or what was marked by hand: one decision. What is lowered already is lowered more.
#[utoipa::path(request_body = Lowered, responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/noises/lower")]
pub async fn lower(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<Lowered>,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?.id;
    if !(of.by_db > 0.0 && of.by_db <= MOST_DB) {
        return Err(ServerError::Invalid(format!("lowered by more than 0 and at most {MOST_DB} dB, not {}", of.by_db)));
    }
    if of.ranges.is_empty() || of.ranges.len() > MOST || of.ranges.iter().any(|[from, to]| from >= to) {
        return Err(ServerError::Invalid(format!("1 to {MOST} stretches, each ending after it begins")));
    }
    let all = tracks::of_session(state.db(), session).await?;
    let row = all.iter().find(|t| t.id == of.track).ok_or(ServerError::NotFound("track"))?;
    let besides = Correction { gain_db: -of.by_db, ..Correction::default() };
    let one = |all: Vec<Stretch>, [from, to]: &[i64; 2]| {
        with_stretch(&all, Stretch { from: RecordingFrame(*from), to: RecordingFrame(*to), besides })
    };
    let change = |t: &TrackRow| {
        let stretches = of.ranges.iter().fold(t.edit().stretches.clone(), one);
        NewChange::to(t.id, EditPatch { stretches: Some(stretches), ..EditPatch::default() })
    };
    let changes = with_linked(&[row.id], &all).into_iter().map(|n| change(&all[n])).collect();
    let what = if of.ranges.len() == 1 { "a noise".to_string() } else { format!("{} noises", of.ranges.len()) };
    let label = format!("{}: {what} lowered by {} dB", row.name, of.by_db);
    let made = decisions::decide(state.db(), session, &NewDecision::of(label, changes)).await?;
    state.workers.changed(session).await;
    Ok(HttpResponse::Created().json(made))
}
