//! Recorders with clocks of their own: placed in the time of another, shown and taken over.

use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::sessions;
use crate::db::tracks::{self, TrackRow};
use crate::derive::Now;
use crate::derive::clocks::ClockFound;
use crate::error::{ErrorBody, ServerError};
use crate::tasks::ClocksOf;
use actix_web::{HttpResponse, get, post, web};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Recordings that are placed together, at most.
const MOST: usize = 64;
/// An offset is where it belongs when it is this close, in frames.
const SAME: f64 = 0.01;

/// Which recordings, each by one of its tracks: the reference first.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Recordings {
    /// In order; the first is the reference.
    pub tracks: Vec<Uuid>,
}

/// The same in an address.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct RecordingsAsked {
    /// Ids with commas between; the first is the reference.
    pub tracks: String,
}

/// Recordings whose places are taken over.
#[derive(Debug, Deserialize, ToSchema)]
pub struct ClocksTaken {
    /// Recordings that were placed together; the first is the reference.
    pub tracks: Vec<Uuid>,
    /// Those of them that are moved.
    pub take: Vec<Uuid>,
}

/// A recording's place, and whether its tracks are carried there.
#[derive(Debug, Serialize, ToSchema)]
pub struct ClockView {
    /// What was found.
    #[serde(flatten)]
    pub found: ClockFound,
    /// Its tracks lie there.
    pub taken: bool,
}

async fn now(state: &State, path: &str, tracks: Vec<Uuid>) -> Result<Now<ClocksOf>, ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    let all = tracks::of_session(state.db(), session).await?;
    let mut seen = Vec::new();
    for t in &tracks {
        let row = all.iter().find(|r| r.id == *t).ok_or(ServerError::NotFound("track"))?;
        if seen.contains(&&row.sha256) {
            return Err(ServerError::Invalid(format!("{}: a recording comes once", row.name)));
        }
        seen.push(&row.sha256);
    }
    if !(2..=MOST).contains(&tracks.len()) {
        return Err(ServerError::Invalid(format!("2 to {MOST} recordings are placed together")));
    }
    Now::of(state.db(), session, ClocksOf { tracks }).await
}

fn ids(text: &str) -> Result<Vec<Uuid>, ServerError> {
    let one = |t: &str| t.trim().parse().map_err(|_| ServerError::Invalid(format!("“{t}” is no id of a track")));
    text.split(',').map(one).collect()
}

/// Ask for recordings to be placed; answers the job, or 204 when that was done already.
#[utoipa::path(responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/clocks")]
pub async fn request_clocks(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<Recordings>,
) -> Result<HttpResponse, ServerError> {
    state.asked_for(&now(&state, &path, of.into_inner().tracks).await?).await
}

/// Where recordings lie in the time of the first; 204 when they have not been placed.
#[utoipa::path(params(RecordingsAsked), responses((status = 200, body = Vec<ClockView>), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/clocks")]
pub async fn show_clocks(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Query<RecordingsAsked>,
) -> Result<HttpResponse, ServerError> {
    let now = now(&state, &path, ids(&of.tracks)?).await?;
    let Some(found) = now.result(state.db()).await? else { return Ok(HttpResponse::NoContent().finish()) };
    let reference = &now.tracks[0];
    let view = |found: ClockFound| {
        let own = now.tracks.iter().find(|t| t.id == found.track);
        let taken = own.is_some_and(|t| lies_there(&found, reference, t));
        ClockView { found: ClockFound { edit: None, ..found }, taken }
    };
    Ok(HttpResponse::Ok().json(found.into_iter().map(view).collect::<Vec<_>>()))
}

fn lies_there(found: &ClockFound, reference: &TrackRow, of: &TrackRow) -> bool {
    let Ok(patch) = found.patch(reference, of) else { return false };
    let to = patch.on(of.edit());
    let off = to.placement.offset_frames - of.edit().placement.offset_frames;
    to.map == of.edit().map && off.0.abs() <= SAME
}

/// Take places over: one decision for all channels of the recordings.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/clocks/take")]
pub async fn take_clocks(
    state: web::Data<State>,
    path: web::Path<String>,
    wanted: web::Json<ClocksTaken>,
) -> Result<HttpResponse, ServerError> {
    let ClocksTaken { tracks, take } = wanted.into_inner();
    let now = now(&state, &path, tracks).await?;
    let found = now.result(state.db()).await?.ok_or(ServerError::NotFound("placed recording"))?;
    let reference = &now.tracks[0];
    let (mut changes, mut names) = (Vec::new(), Vec::new());
    for of in take {
        let f = found.iter().find(|f| f.track == of).ok_or(ServerError::NotFound("placed recording"))?;
        let first = now.tracks.iter().find(|t| t.id == of).ok_or(ServerError::NotFound("track"))?;
        names.push(first.name.clone());
        for t in now.tracks.iter().filter(|t| t.sha256 == first.sha256) {
            changes.push(NewChange::to(t.id, f.patch(reference, t)?));
        }
    }
    let label = format!("{}: in the time of {}", names.join(", "), reference.name);
    let made = decisions::decide(state.db(), now.session.id, &NewDecision::of(label, changes)).await?;
    state.workers.changed(now.session.id).await;
    Ok(HttpResponse::Created().json(made))
}
