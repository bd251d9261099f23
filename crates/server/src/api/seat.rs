//! From where left and right are said: the audience's seat or the performer's. Turning it exchanges them everywhere.

use super::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::desk::{self, DeskPatch};
use crate::db::sessions;
use crate::db::tracks::{self, TrackPatch};
use crate::error::{ErrorBody, ServerError};
use actix_web::{HttpResponse, post, web};
use marea_core::decide::{Side, other_side_name};

/// Turn the session's seat round: sides and names that carry one are exchanged as one decision, places while listening are
/// mirrored. The sound stays as it is.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[post("/sessions/{session}/seat")]
pub async fn turn_seat(state: web::Data<State>, path: web::Path<String>) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    let rows = tracks::of_session(state.db(), session.id).await?;
    let changes: Vec<NewChange> = rows
        .iter()
        .filter_map(|t| {
            let side = match Side::of_word(&t.side) {
                Side::Left => Some(Side::Right.word().to_string()),
                Side::Right => Some(Side::Left.word().to_string()),
                _ => None,
            };
            let name = other_side_name(&t.name);
            (side.is_some() || name.is_some())
                .then(|| NewChange { track_id: t.id, after: TrackPatch { side, name, ..TrackPatch::default() } })
        })
        .collect();
    if changes.is_empty() {
        return Err(ServerError::Conflict("no track of this session names a side".into()));
    }
    let now = desk::get(state.db(), session.id).await?;
    let to = if now.seat == "performer" { "audience" } else { "performer" };
    let label = format!("Seat turned round: left and right as from the {to}’s");
    let made = decisions::decide(state.db(), session.id, &NewDecision { label, changes, with_groups: false }).await?;
    let mirrored = now.lanes.iter().filter(|(_, l)| l.pan.is_some_and(|p| p != 0.0)).map(|(t, l)| {
        let lane = desk::LaneDesk { pan: l.pan.map(|p| -p), ..l.clone() };
        (*t, lane)
    });
    let patch = DeskPatch { lanes: Some(mirrored.collect()), seat: Some(to.into()), ..DeskPatch::default() };
    desk::patch(state.db(), session.id, patch).await?;
    state.workers.changed(session.id).await;
    Ok(HttpResponse::Created().json(made))
}
