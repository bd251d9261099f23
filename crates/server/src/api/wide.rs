//! One part as a wide pair.

use super::doubles::MadeView;
use super::state::{State, id};
use crate::db::tracks::{TrackRow, of_session};
use crate::db::{jobs, sessions};
use crate::derive::Now;
use crate::derive::wide::WideFound;
use crate::error::{ErrorBody, ServerError};
use crate::jobs::made::{How, Making, results_of};
use crate::plans::wide::WideOf;
use crate::tasks::Task;
use actix_web::{HttpResponse, get, post, web};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// A part and its copies, in an address.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct WideAsked {
    /// A `WideOf` as JSON.
    pub of: String,
}

/// A part as a wide pair.
#[derive(Debug, Serialize, ToSchema)]
pub struct WideView {
    /// What it would be.
    #[serde(flatten)]
    pub found: WideFound,
    /// What stands beneath it in the session.
    pub made: Vec<MadeView>,
    /// That was made by this plan.
    pub fits: bool,
}

async fn now(state: &State, path: &str, of: &WideOf) -> Result<(Now<WideOf>, Vec<TrackRow>), ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    of.check()?;
    let now = Now::of(state.db(), session, of.clone()).await?;
    let rows = of_session(state.db(), session).await?;
    let track = &now.tracks[0];
    if track.link_id.is_some() && rows.iter().any(|t| t.id != track.id && t.link_id == track.link_id) {
        let refused = format!("{} is linked with another track: only one part is made wide", track.name);
        return Err(ServerError::Conflict(refused));
    }
    Ok((now, rows))
}

/// Ask what a part would be as a wide pair; answers the job, or 204 when it is known.
#[utoipa::path(request_body = WideOf, responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/wide")]
pub async fn request_wide(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<WideOf>,
) -> Result<HttpResponse, ServerError> {
    state.asked_for(&now(&state, &path, &of).await?.0).await
}

/// What a part would be as a wide pair; 204 when nobody has tried.
#[utoipa::path(params(WideAsked), responses((status = 200, body = WideView), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/wide")]
pub async fn show_wide(
    state: web::Data<State>,
    path: web::Path<String>,
    asked: web::Query<WideAsked>,
) -> Result<HttpResponse, ServerError> {
    let of: WideOf =
        serde_json::from_str(&asked.of).map_err(|e| ServerError::Invalid(format!("“of” is no plan: {e}")))?;
    let (now, rows) = now(&state, &path, &of).await?;
    let Some(found) = now.result(state.db()).await? else { return Ok(HttpResponse::NoContent().finish()) };
    let made = results_of(&now.tracks, &rows).into_iter().map(MadeView::from).collect();
    let fits = Making::new(&rows, of.track, How::Widened(of.asked())).made(&rows).is_some();
    Ok(HttpResponse::Ok().json(WideView { found, made, fits }))
}

/// Make a part a wide pair: answers the job, which ends with one decision.
#[utoipa::path(request_body = WideOf, responses((status = 202, content_type = "application/json", body = Uuid), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/wide/make")]
pub async fn make_wide(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<WideOf>,
) -> Result<HttpResponse, ServerError> {
    let of = of.into_inner();
    let (now, _) = now(&state, &path, &of).await?;
    let title = format!("Making {} wide", now.tracks[0].name);
    let job = jobs::pending_or(state.db(), now.session.id, &Task::Widen(of), &title).await?;
    state.workers.nudge(now.session.id);
    Ok(HttpResponse::Accepted().json(job))
}
