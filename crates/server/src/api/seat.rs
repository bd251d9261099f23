//! From where left and right are said: the audience's seat or the performer's. Turning it exchanges them everywhere.

use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::desk::{self, DeskPatch};
use crate::db::desk_change;
use crate::db::patch::Facts;
use crate::db::sessions;
use crate::db::tracks::{self, TrackRow};
use crate::error::{ErrorBody, ServerError};
use actix_web::{HttpResponse, post, web};
use marea_core::decide::other_side_name;
use marea_core::track::Side;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// A track on another side: its name says so, too, where it names one.
pub fn exchanged(t: &TrackRow, side: Side) -> Facts {
    let other = side.word() != t.side || side == Side::None;
    let name = if other { other_side_name(&t.name) } else { None };
    Facts { side: Some(side.word().into()), name, ..Facts::default() }
}

/// Two tracks of which one is to be left and the other right.
#[derive(Debug, Deserialize, ToSchema)]
pub struct TwoSides {
    /// Now on one side.
    pub a: Uuid,
    /// Now on the other.
    pub b: Uuid,
}

/// Exchange the sides of two tracks, and their names where these say a side, as one decision. Delivered as one file, the left
/// is its first channel.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[post("/sessions/{session}/sides")]
pub async fn exchange_sides(
    state: web::Data<State>,
    path: web::Path<String>,
    two: web::Json<TwoSides>,
) -> Result<HttpResponse, ServerError> {
    let session = id(&path, "session")?;
    let (a, b) = (tracks::get(state.db(), session, two.a).await?, tracks::get(state.db(), session, two.b).await?);
    let sides = [Side::of_word(&a.side), Side::of_word(&b.side)];
    if !matches!(sides, [Side::Left, Side::Right] | [Side::Right, Side::Left]) {
        return Err(ServerError::Conflict(format!(
            "“{}” and “{}” are not left and right of one another",
            a.name, b.name
        )));
    }
    let changes = vec![NewChange::to(a.id, exchanged(&a, sides[1])), NewChange::to(b.id, exchanged(&b, sides[0]))];
    let label = format!("Sides of {} and {} exchanged", a.name, b.name);
    let made = decisions::decide(state.db(), session, &NewDecision::of(label, changes)).await?;
    state.workers.changed(session).await;
    Ok(HttpResponse::Created().json(made))
}

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
                Side::Left => Side::Right,
                Side::Right => Side::Left,
                // A name may say a side where nothing else does.
                other => {
                    other_side_name(&t.name)?;
                    other
                }
            };
            Some(NewChange::to(t.id, exchanged(t, side)))
        })
        .collect();
    if changes.is_empty() {
        return Err(ServerError::Conflict("no track of this session names a side".into()));
    }
    let now = desk::get(state.db(), session.id).await?;
    let to = if now.seat == "performer" { "audience" } else { "performer" };
    let label = format!("Seat turned round: left and right as from the {to}’s");
    let made = decisions::decide(state.db(), session.id, &NewDecision::of(label, changes)).await?;
    let mirrored = now.lanes.iter().filter(|(_, l)| l.pan.is_some_and(|p| p != 0.0)).map(|(t, l)| {
        let lane = desk::LaneDesk { pan: l.pan.map(|p| -p), ..l.clone() };
        (*t, lane)
    });
    let patch = DeskPatch { lanes: Some(mirrored.collect()), seat: Some(to.into()), ..DeskPatch::default() };
    desk_change::patch(state.db(), session.id, patch).await?;
    state.workers.changed(session.id).await;
    Ok(HttpResponse::Created().json(made))
}
