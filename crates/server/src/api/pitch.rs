//! The pitch of a voice, and notes of it at another one.

use super::cut_tracks::in_bounds;
use super::doubles::MadeView;
use super::state::{State, id};
use crate::db::tracks::of_session;
use crate::db::{jobs, sessions};
use crate::derive::Now;
use crate::derive::pitch::PitchFound;
use crate::error::{ErrorBody, ServerError};
use crate::jobs::made::{How, Making, results_of};
use crate::plans::retune::RetuneOf;
use crate::tasks::{PitchOf, Task};
use actix_web::{HttpResponse, get, post, web};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// A voice and its notes, in an address.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct PitchAsked {
    /// A `RetuneOf` as JSON.
    pub of: String,
}

/// The pitch of a voice.
#[derive(Debug, Serialize, ToSchema)]
pub struct PitchView {
    /// What was found.
    #[serde(flatten)]
    pub found: PitchFound,
    /// What stands beneath it in the session.
    pub made: Vec<MadeView>,
    /// That was made by this plan.
    pub fits: bool,
}

async fn now(state: &State, path: &str, of: &RetuneOf) -> Result<Now<PitchOf>, ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    of.check()?;
    in_bounds(state, session, of.frames()).await?;
    Now::of(state.db(), session, PitchOf { track: of.track }).await
}

/// Ask for the pitch of a voice; answers the job, or 204 when it is known.
#[utoipa::path(request_body = RetuneOf, responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/pitch")]
pub async fn request_pitch(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<RetuneOf>,
) -> Result<HttpResponse, ServerError> {
    state.asked_for(&now(&state, &path, &of).await?).await
}

/// The pitch of a voice; 204 when nobody has listened to it.
#[utoipa::path(params(PitchAsked), responses((status = 200, body = PitchView), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/pitch")]
pub async fn show_pitch(
    state: web::Data<State>,
    path: web::Path<String>,
    asked: web::Query<PitchAsked>,
) -> Result<HttpResponse, ServerError> {
    let of: RetuneOf =
        serde_json::from_str(&asked.of).map_err(|e| ServerError::Invalid(format!("“of” is no plan: {e}")))?;
    let now = now(&state, &path, &of).await?;
    let Some(found) = now.result(state.db()).await? else { return Ok(HttpResponse::NoContent().finish()) };
    let rows = of_session(state.db(), now.session.id).await?;
    let made = results_of(&now.tracks, &rows).into_iter().map(MadeView::from).collect();
    let making = Making::new(&now.tracks, of.track, How::Retuned(of.changes()));
    let fits = making.made(&rows).is_some();
    Ok(HttpResponse::Ok().json(PitchView { found, made, fits }))
}

/// Make a voice anew with notes at another pitch: answers the job, which ends with one decision.
#[utoipa::path(request_body = RetuneOf, responses((status = 202, content_type = "application/json", body = Uuid), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/pitch/make")]
pub async fn retune(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<RetuneOf>,
) -> Result<HttpResponse, ServerError> {
    let of = of.into_inner();
    let now = now(&state, &path, &of).await?;
    if of.changes().is_empty() {
        return Err(ServerError::Invalid("no note changes".into()));
    }
    let title = format!("Retuning {}", now.tracks[0].name);
    let job = jobs::pending_or(state.db(), now.session.id, &Task::Retune(of), &title).await?;
    state.workers.nudge(now.session.id);
    Ok(HttpResponse::Accepted().json(job))
}
