//! Sessions and their tracks.

use super::state::{State, id};
use crate::db::bounds::Bounds;
use crate::db::decisions::{self, NewChange, NewDecision, Steps};
use crate::db::desk::{self, Desk};
use crate::db::patch::Facts;
use crate::db::sessions::{self, Listed, Session, SessionPatch, checked_name};
use crate::db::tracks::{self, Track};
use crate::db::uploads::Upload;
use crate::demo::{self, Demo};
use crate::error::{ErrorBody, ServerError};
use actix_web::{HttpResponse, delete, get, patch, post, web};
use marea_core::edit::tempo::Steady;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// Is everything there that is needed?
#[derive(Debug, Serialize, ToSchema)]
pub struct Health {
    /// "up", "full" (it can be read, but nothing new fits on its disk) or "down".
    pub database: String,
    /// Version of the server.
    pub version: String,
}

/// A session with everything in it.
#[derive(Debug, Serialize, ToSchema)]
pub struct SessionDetail {
    /// The session.
    pub session: Session,
    /// Its tracks in order.
    pub tracks: Vec<Track>,
    /// What undo and redo would do.
    pub steps: Steps,
    /// Where its beats fall: parts of one tempo in order.
    pub beats: Vec<Steady>,
    /// How it is looked at and listened to.
    pub desk: Desk,
    /// Files that were announced and are on their way.
    pub uploads: Vec<Upload>,
    /// Speed of sound at its temperature, m/s.
    pub speed_m_s: f64,
}

/// A new session.
#[derive(Debug, Deserialize, ToSchema)]
pub struct NewSession {
    /// Name, 1 to 200 characters.
    pub name: String,
}

/// Whether the server and its database are well.
#[utoipa::path(responses((status = 200, body = Health), (status = 503, body = Health)))]
#[get("/health")]
pub async fn health(state: web::Data<State>) -> HttpResponse {
    let up = sqlx::query("SELECT 1").execute(state.db()).await.is_ok();
    let database = match up {
        false => "down",
        true if crate::db::room::is_full(state.db()).await => "full",
        true => "up",
    };
    let body = Health { database: database.into(), version: env!("CARGO_PKG_VERSION").into() };
    if database == "up" { HttpResponse::Ok().json(body) } else { HttpResponse::ServiceUnavailable().json(body) }
}

/// All sessions, newest first.
#[utoipa::path(responses((status = 200, body = Vec<Listed>)))]
#[get("/sessions")]
pub async fn list_sessions(state: web::Data<State>) -> Result<web::Json<Vec<Listed>>, ServerError> {
    Ok(web::Json(sessions::listed(state.db()).await?))
}

/// Make a session.
#[utoipa::path(responses((status = 201, body = Session), (status = 422, body = ErrorBody)))]
#[post("/sessions")]
pub async fn create_session(state: web::Data<State>, new: web::Json<NewSession>) -> Result<HttpResponse, ServerError> {
    let made = sessions::create(state.db(), &checked_name(&new.name, "session")?, 0).await?;
    Ok(HttpResponse::Created().json(sessions::get(state.db(), made).await?))
}

/// Which demo session.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct DemoAsked {
    /// evening or rehearsal; the evening when it is not said.
    #[serde(default)]
    #[param(inline)]
    pub of: Option<Demo>,
}

/// Bring in a demo session, when it is not there.
#[utoipa::path(params(DemoAsked), responses((status = 202, body = Session), (status = 422, body = ErrorBody)))]
#[post("/demo")]
pub async fn load_demo(state: web::Data<State>, asked: web::Query<DemoAsked>) -> Result<HttpResponse, ServerError> {
    let made = demo::load(&state.workers, asked.of.unwrap_or(Demo::Evening), None).await?;
    Ok(HttpResponse::Accepted().json(sessions::get(state.db(), made).await?))
}

/// One session with its tracks.
#[utoipa::path(responses((status = 200, body = SessionDetail), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}")]
pub async fn show_session(
    state: web::Data<State>,
    path: web::Path<String>,
) -> Result<web::Json<SessionDetail>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    let rows = tracks::of_session(state.db(), session.id).await?;
    Ok(web::Json(SessionDetail {
        speed_m_s: session.air().speed_m_s(),
        uploads: super::uploads::shown(&state, session.id).await?,
        desk: desk::get(state.db(), session.id).await?,
        beats: session.tempo().beats(f64::from(session.rate_hz.unwrap_or(48_000))).steady().to_vec(),
        steps: decisions::steps(state.db(), session.id).await?,
        tracks: rows.into_iter().map(Track::from).collect(),
        session,
    }))
}

/// Change a session's name, temperature, tempo or anchor.
#[utoipa::path(responses((status = 200, body = Session), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[patch("/sessions/{session}")]
pub async fn change_session(
    state: web::Data<State>,
    path: web::Path<String>,
    body: web::Json<SessionPatch>,
) -> Result<web::Json<Session>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    if let Some(anchor) = body.anchor_id {
        tracks::get(state.db(), session.id, anchor).await?;
    }
    if let Some(frame) = body.first_beat_frame {
        let rows = tracks::of_session(state.db(), session.id).await?;
        Bounds::of(&rows, session.rate_hz.unwrap_or(48_000)).check("bar 1", [frame])?;
    }
    sessions::patch(state.db(), session.id, &body).await?;
    state.workers.nudge(session.id);
    Ok(web::Json(sessions::get(state.db(), session.id).await?))
}

/// Remove a session. The recordings stay in the store.
#[utoipa::path(responses((status = 204), (status = 404, body = ErrorBody)))]
#[delete("/sessions/{session}")]
pub async fn remove_session(state: web::Data<State>, path: web::Path<String>) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    sessions::delete(state.db(), session.id).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Take a track out of a session: a decision, which undo takes back. Its recording stays in the store.
#[utoipa::path(responses((status = 204), (status = 404, body = ErrorBody)))]
#[delete("/sessions/{session}/tracks/{track}")]
pub async fn remove_track(
    state: web::Data<State>,
    path: web::Path<(String, String)>,
) -> Result<HttpResponse, ServerError> {
    let track = tracks::get(state.db(), id(&path.0, "session")?, id(&path.1, "track")?).await?;
    let after = Facts { removed: Some(true), ..Facts::default() };
    let label = format!("{} taken out", track.name);
    decisions::decide(state.db(), track.session_id, &NewDecision::of(label, vec![NewChange::to(track.id, after)]))
        .await?;
    state.workers.changed(track.session_id).await;
    Ok(HttpResponse::NoContent().finish())
}
