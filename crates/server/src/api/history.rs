//! Decisions: carried out, taken back, carried out again.

use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewDecision};
use crate::db::sessions;
use crate::error::{ErrorBody, ServerError};
use actix_web::{HttpResponse, get, post, web};

/// The history, oldest first.
#[utoipa::path(responses((status = 200, body = Vec<Decision>), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}/decisions")]
pub async fn list_decisions(
    state: web::Data<State>,
    path: web::Path<String>,
) -> Result<web::Json<Vec<Decision>>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    Ok(web::Json(decisions::list(state.db(), session.id).await?))
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
