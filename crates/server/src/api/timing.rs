//! Sets of tracks cut and moved together.

use super::cut_tracks::{Patches, SetCarried, can_be_cut, carried, in_bounds, whole};
use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::sessions;
use crate::db::tracks::TrackRow;
use crate::derive::Now;
use crate::derive::timing::TimingFound;
use crate::error::{ErrorBody, ServerError};
use crate::plans::{SectionOf, TimingOf};
use actix_web::{HttpResponse, get, post, web};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// How a set is to be moved, in an address.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct TimingAsked {
    /// A `TimingOf` as JSON.
    pub of: String,
}

/// A set as it would be moved.
#[derive(Debug, Serialize, ToSchema)]
pub struct TimingView {
    /// What was found.
    #[serde(flatten)]
    pub found: TimingFound,
    /// How it is carried now.
    pub carried: SetCarried,
}

async fn now(state: &State, path: &str, of: TimingOf) -> Result<Now<TimingOf>, ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    of.check()?;
    if of.set.is_empty() {
        return Err(ServerError::Invalid("no tracks are chosen".into()));
    }
    in_bounds(state, session, of.frames()).await?;
    let now = Now::of(state.db(), session, of).await?;
    can_be_cut(cut(&now))?;
    Ok(now)
}

/// The tracks that are cut.
fn cut(now: &Now<TimingOf>) -> impl Iterator<Item = &TrackRow> + Clone {
    now.of.cut(&now.tracks).into_iter().map(|n| &now.tracks[n])
}

/// Ask for a set to be cut and moved; answers the job, or 204 when that was done already.
#[utoipa::path(request_body = TimingOf, responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/timing")]
pub async fn request_timing(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<TimingOf>,
) -> Result<HttpResponse, ServerError> {
    state.asked_for(&now(&state, &path, of.into_inner()).await?).await
}

/// A set as it would be moved; 204 when that was not measured.
#[utoipa::path(params(TimingAsked), responses((status = 200, body = TimingView), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/timing")]
pub async fn show_timing(
    state: web::Data<State>,
    path: web::Path<String>,
    asked: web::Query<TimingAsked>,
) -> Result<HttpResponse, ServerError> {
    let of = serde_json::from_str(&asked.of).map_err(|e| ServerError::Invalid(format!("“of” is no plan: {e}")))?;
    let now = now(&state, &path, of).await?;
    let Some(found) = now.result(state.db()).await? else { return Ok(HttpResponse::NoContent().finish()) };
    let carried = carried(cut(&now), |t| found.patch(t));
    // The pieces are the server's business: they may be many.
    let found = TimingFound { slices: Vec::new(), ..found };
    Ok(HttpResponse::Ok().json(TimingView { found, carried }))
}

/// Cut and move a set together, or, without sections and moves by hand, leave it as recorded: one decision.
#[utoipa::path(request_body = TimingOf, responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/timing/take")]
pub async fn take_timing(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<TimingOf>,
) -> Result<HttpResponse, ServerError> {
    let now = now(&state, &path, of.into_inner()).await?;
    let count = cut(&now).count();
    let (label, changes): (String, Vec<NewChange>) = match now.of.sections.as_slice() {
        [] if now.of.own.is_empty() => {
            let changes = cut(&now).map(|t| NewChange::to(t.id, whole())).collect();
            (format!("{count} tracks: timing as recorded"), changes)
        }
        sections => {
            let found = now.result(state.db()).await?.ok_or(ServerError::NotFound("measured timing"))?;
            if found.slices.is_empty() {
                return Err(ServerError::Conflict("nothing of it is to be moved".into()));
            }
            let moved = found.events.iter().filter(|e| e.by != 0).count();
            let changes = cut(&now).map(|t| NewChange::to(t.id, found.patch(t))).collect();
            (format!("{count} tracks: {moved} strokes moved together {}", towards(sections, &now)), changes)
        }
    };
    let made = decisions::decide(state.db(), now.session.id, &NewDecision::of(label, changes)).await?;
    state.workers.changed(now.session.id).await;
    Ok(HttpResponse::Created().json(made))
}

/// What the tracks of a set carry by a plan that was measured.
///
/// # Errors
/// [`ServerError::NotFound`] for one that was not.
pub(super) async fn planned(state: &State, session: Uuid, of: &TimingOf) -> Result<Patches, ServerError> {
    let now = Now::of(state.db(), session, of.clone()).await?;
    let found = now.result(state.db()).await?.ok_or(ServerError::NotFound("measured timing"))?;
    Ok(cut(&now).map(|t| (t.id, found.patch(t))).collect())
}

/// Where to, in words.
fn towards(sections: &[SectionOf], now: &Now<TimingOf>) -> String {
    let name = |id: Uuid| now.tracks.iter().find(|t| t.id == id).map_or("a track", |t| t.name.as_str());
    match sections {
        [one] => match one.onto {
            Some(track) => format!("onto {}", name(track)),
            None => format!("onto {}", one.grid),
        },
        [] => "by hand".into(),
        many => format!("in {} sections", many.len()),
    }
}
