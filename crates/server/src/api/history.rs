//! Decisions: carried out, taken back, carried out again.

use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewDecision};
use crate::db::{edits, sessions};
use crate::error::{ErrorBody, ServerError};
use actix_web::{HttpResponse, get, post, web};
use marea_core::edit::Edit;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};

/// Where a page of the history begins.
#[derive(Debug, Deserialize, ToSchema, IntoParams)]
pub struct HistoryQuery {
    /// Only decisions before this one.
    pub before: Option<u64>,
}

/// A page of the history, newest first, 50 decisions at most.
#[utoipa::path(params(HistoryQuery), responses((status = 200, body = Vec<Decision>), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/decisions")]
pub async fn list_decisions(
    state: web::Data<State>,
    path: web::Path<String>,
    from: web::Query<HistoryQuery>,
) -> Result<web::Json<Vec<Decision>>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    Ok(web::Json(decisions::page(state.db(), session.id, from.before).await?))
}

/// What a track carries, or carried before or after a decision, by the id of the edit.
#[utoipa::path(responses((status = 200, body = Edit), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}/edits/{edit}")]
pub async fn show_edit(
    state: web::Data<State>,
    path: web::Path<(String, String)>,
) -> Result<web::Json<Edit>, ServerError> {
    let session = sessions::get(state.db(), id(&path.0, "session")?).await?;
    let edit = hex::decode(&path.1).map_err(|_| ServerError::NotFound("edit"))?;
    Ok(web::Json(edits::get(state.db(), session.id, &edit).await?))
}

/// Change tracks. Moving one channel of a linked set moves the set by the same amount.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/decisions")]
pub async fn decide(
    state: web::Data<State>,
    path: web::Path<String>,
    new: web::Json<NewDecision>,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    let made = decisions::decide(state.db(), session.id, &new).await?;
    state.workers.changed(session.id).await;
    Ok(HttpResponse::Created().json(made))
}

/// Take the last decision back; `null` when there is none.
#[utoipa::path(responses((status = 200, body = Option<Decision>), (status = 404, body = ErrorBody)))]
#[post("/sessions/{session}/undo")]
pub async fn undo(
    state: web::Data<State>,
    path: web::Path<String>,
) -> Result<web::Json<Option<Decision>>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    let done = decisions::undo(state.db(), session.id).await?;
    state.workers.changed(session.id).await;
    Ok(web::Json(done))
}

/// Carry the decision out again that was taken back last; `null` when there is none.
#[utoipa::path(responses((status = 200, body = Option<Decision>), (status = 404, body = ErrorBody)))]
#[post("/sessions/{session}/redo")]
pub async fn redo(
    state: web::Data<State>,
    path: web::Path<String>,
) -> Result<web::Json<Option<Decision>>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    let done = decisions::redo(state.db(), session.id).await?;
    state.workers.changed(session.id).await;
    Ok(web::Json(done))
}
