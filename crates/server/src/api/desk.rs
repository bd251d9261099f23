//! How a session is looked at and listened to.

use super::state::{State, id};
use crate::db::desk::{Desk, DeskPatch};
use crate::db::desk_change;
use crate::db::sessions;
use crate::error::{ErrorBody, ServerError};
use actix_web::{patch, web};

/// Change the desk: order, groups, markers, loop, and what sounds. Every page of the session follows.
#[utoipa::path(responses((status = 200, body = Desk), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[patch("/sessions/{session}/desk")]
pub async fn change_desk(
    state: web::Data<State>,
    path: web::Path<String>,
    change: web::Json<DeskPatch>,
) -> Result<web::Json<Desk>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    let desk = desk_change::patch(state.db(), session.id, change.into_inner()).await?;
    state.workers.nudge(session.id);
    Ok(web::Json(desk))
}
