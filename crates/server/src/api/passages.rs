//! Passages that are placed elsewhere.

use super::cut_tracks::{Patches, can_be_cut, in_bounds};
use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::patch::EditPatch;
use crate::db::sessions;
use crate::db::tracks::{self, TrackRow, named};
use crate::derive::proved::with_linked;
use crate::error::{ErrorBody, ServerError, sentence};
use crate::plans::passages::{PassageOf, PassagesOf};
use actix_web::{HttpResponse, post, web};
use marea_core::edit::passage::Passage;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// Session frame at which a track begins, with all that it is moved by.
fn begins(track: &TrackRow) -> i64 {
    track.start_frame.saturating_add(track.edit().placement.total().0.floor() as i64)
}

/// The tracks of a passage, by their place among all.
///
/// # Errors
/// [`ServerError::Conflict`] for one that cannot be cut, or of which nobody plays there.
fn of_passage(p: &PassageOf, all: &[TrackRow]) -> Result<Vec<usize>, ServerError> {
    let names: Vec<String> = named(all, &p.tracks)?.into_iter().map(|t| t.name).collect();
    let set = with_linked(&p.tracks, all);
    can_be_cut(set.iter().map(|n| &all[*n]))?;
    let plays = |t: &TrackRow| {
        let placed = p.from_frame(begins(t));
        // What is cut may play beyond the end of its recording.
        !t.edit().cut.is_empty() || (placed.from < t.frames && placed.to > 0)
    };
    match set.iter().any(|n| plays(&all[*n])) {
        true => Ok(set),
        false => {
            Err(ServerError::Conflict(format!("{}: nothing is recorded where the passage is from", names.join(", "))))
        }
    }
}

/// What tracks carry by the passages: of those that have some, or had.
fn placed(of: &PassagesOf, all: &[TrackRow]) -> Result<Patches, ServerError> {
    let mut carried: Vec<Vec<Passage>> = vec![Vec::new(); all.len()];
    for p in &of.passages {
        for n in of_passage(p, all)? {
            carried[n].push(p.from_frame(begins(&all[n])));
        }
    }
    let each = all.iter().zip(carried);
    let some = each.filter(|(t, passages)| !passages.is_empty() || !t.edit().passages.is_empty());
    let patch = |passages| EditPatch { passages: Some(passages), ..EditPatch::default() };
    Ok(some.map(|(t, passages)| (t.id, patch(passages))).collect())
}

/// What tracks carry by passages that are being tried.
///
/// # Errors
/// As for taking them.
pub(super) async fn planned(state: &State, session: Uuid, of: &PassagesOf) -> Result<Patches, ServerError> {
    of.check()?;
    in_bounds(state, session, of.frames()).await?;
    placed(of, &tracks::of_session(state.db(), session).await?)
}

/// Passages against what the tracks play now.
#[derive(Debug, Serialize, ToSchema)]
pub struct PassagesView {
    /// The tracks play them, and no others.
    pub carried: bool,
    /// Why they cannot be placed, in a sentence; none where they can.
    pub trouble: Option<String>,
}

/// Do the tracks play these passages, and could they? Changes nothing.
#[utoipa::path(request_body = PassagesOf, responses((status = 200, body = PassagesView), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/passages/carried")]
pub async fn passages_carried(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<PassagesOf>,
) -> Result<web::Json<PassagesView>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?.id;
    let patches = match planned(&state, session, &of).await {
        Err(ServerError::Conflict(why)) => {
            return Ok(web::Json(PassagesView { carried: false, trouble: Some(sentence(&why)) }));
        }
        patches => patches?,
    };
    let all = tracks::of_session(state.db(), session).await?;
    let is = |(id, patch): &(Uuid, EditPatch)| {
        all.iter().find(|t| t.id == *id).is_some_and(|t| patch.on(t.edit()) == *t.edit())
    };
    Ok(web::Json(PassagesView { carried: patches.iter().all(is), trouble: None }))
}

/// Place these passages, and no others: one decision. What was placed before and is not among them is heard as it was.
#[utoipa::path(request_body = PassagesOf, responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/passages")]
pub async fn take_passages(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<PassagesOf>,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?.id;
    let patches = planned(&state, session, &of).await?;
    if patches.is_empty() {
        return Err(ServerError::Conflict("no passage is placed, and none was".into()));
    }
    let label = match of.passages.len() {
        0 => "no passage placed elsewhere".into(),
        1 => "a passage placed".into(),
        count => format!("{count} passages placed"),
    };
    let changes = patches.into_iter().map(|(track, patch)| NewChange::to(track, patch)).collect();
    let made = decisions::decide(state.db(), session, &NewDecision::of(label, changes)).await?;
    state.workers.changed(session).await;
    Ok(HttpResponse::Created().json(made))
}
