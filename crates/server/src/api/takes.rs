//! Two takes of one part side by side, and passages of them brought together.

use super::cut_tracks::{Patches, SetCarried, can_be_cut, carried, in_bounds, whole};
use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::tracks::TrackRow;
use crate::db::{desk, sessions};
use crate::derive::Now;
use crate::derive::takes::{FlagFound, TakeCut, TakesFound};
use crate::error::{ErrorBody, ServerError};
use crate::plans::{Meant, TakesOf};
use actix_web::{HttpResponse, get, post, web};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Two takes, in an address.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct TakesAsked {
    /// A `TakesOf` as JSON.
    pub of: String,
}

/// Two takes side by side.
#[derive(Debug, Serialize, ToSchema)]
pub struct TakesView {
    /// What was found.
    #[serde(flatten)]
    pub found: TakesFound,
    /// Of every passage in which they do not sit together, whether it is meant.
    pub meant: Vec<bool>,
    /// How each is carried now.
    pub carried: [SetCarried; 2],
}

async fn now(state: &State, path: &str, of: TakesOf) -> Result<Now<TakesOf>, ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    of.check()?;
    in_bounds(state, session, of.frames()).await?;
    let now = Now::of(state.db(), session, of).await?;
    let [first, second] = [&now.tracks[0], &now.tracks[1]];
    if first.link_id.is_some() && first.link_id == second.link_id {
        return Err(ServerError::Conflict(format!("{} and {} are linked: they are one take", first.name, second.name)));
    }
    can_be_cut(now.tracks.iter())?;
    Ok(now)
}

/// The tracks of one of the takes.
fn of_take(now: &Now<TakesOf>, take: usize) -> impl Iterator<Item = &TrackRow> + Clone {
    now.of.each(&now.tracks)[take].clone().into_iter().map(|n| &now.tracks[n])
}

/// Ask for two takes to be held against each other; answers the job, or 204 when that was done already.
#[utoipa::path(request_body = TakesOf, responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/takes")]
pub async fn request_takes(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<TakesOf>,
) -> Result<HttpResponse, ServerError> {
    state.asked_for(&now(&state, &path, of.into_inner()).await?).await
}

/// Two takes side by side; 204 when they were not held against each other.
#[utoipa::path(params(TakesAsked), responses((status = 200, body = TakesView), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/takes")]
pub async fn show_takes(
    state: web::Data<State>,
    path: web::Path<String>,
    asked: web::Query<TakesAsked>,
) -> Result<HttpResponse, ServerError> {
    let of = serde_json::from_str(&asked.of).map_err(|e| ServerError::Invalid(format!("“of” is no plan: {e}")))?;
    let now = now(&state, &path, of).await?;
    let Some(found) = now.result(state.db()).await? else { return Ok(HttpResponse::NoContent().finish()) };
    let marked = desk::get(state.db(), now.session.id).await?.plans.meant;
    let meant = found.flagged.iter().map(|f| marked.iter().any(|m| is_meant(m, &now.of, f))).collect();
    let carried = [0, 1].map(|take| carried(of_take(&now, take), |t| found.patch(take, t)));
    // The pieces are the server's business: they may be many.
    let cut = found.cut.into_iter().map(|c| TakeCut { slices: Vec::new(), ..c }).collect();
    Ok(HttpResponse::Ok().json(TakesView { found: TakesFound { cut, ..found }, meant, carried }))
}

/// What two takes carry by a plan that was measured.
///
/// # Errors
/// [`ServerError::NotFound`] for one that was not.
pub(super) async fn planned(state: &State, session: Uuid, of: &TakesOf) -> Result<Patches, ServerError> {
    let now = Now::of(state.db(), session, of.clone()).await?;
    let found = now.result(state.db()).await?.ok_or(ServerError::NotFound("measured takes"))?;
    let each = [0, 1].into_iter().flat_map(|take| of_take(&now, take).map(move |t| (take, t)));
    Ok(each.map(|(take, t)| (t.id, found.patch(take, t))).collect())
}

/// A passage is meant that lies within one that was marked, in either order of the takes.
fn is_meant(meant: &Meant, of: &TakesOf, flag: &FlagFound) -> bool {
    let both = [of.first, of.second].iter().all(|t| meant.takes.contains(t));
    both && meant.range[0] <= flag.range[1] && flag.range[0] <= meant.range[1]
}

/// Bring the passages together that the plan moves, or, where it moves none, leave both takes as recorded: one decision.
#[utoipa::path(request_body = TakesOf, responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/takes/take")]
pub async fn take_takes(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<TakesOf>,
) -> Result<HttpResponse, ServerError> {
    let now = now(&state, &path, of.into_inner()).await?;
    let [first, second] = [&now.tracks[0], &now.tracks[1]];
    let mut changes: Vec<NewChange> = Vec::new();
    let label = if now.of.moves.is_empty() {
        changes.extend(now.tracks.iter().map(|t| NewChange::to(t.id, whole())));
        format!("{} and {}: timing as recorded", first.name, second.name)
    } else {
        let found = now.result(state.db()).await?.ok_or(ServerError::NotFound("measured takes"))?;
        for take in [0, 1] {
            changes.extend(of_take(&now, take).map(|t| NewChange::to(t.id, found.patch(take, t))));
        }
        let count = now.of.moves.len();
        let passages = if count == 1 { "a passage".into() } else { format!("{count} passages") };
        format!("{} and {}: {passages} brought together", first.name, second.name)
    };
    let made = decisions::decide(state.db(), now.session.id, &NewDecision::of(label, changes)).await?;
    state.workers.changed(now.session.id).await;
    Ok(HttpResponse::Created().json(made))
}
