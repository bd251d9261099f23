//! What all plans that cut tracks have in common.

use super::state::State;
use crate::db::bounds::Bounds;
use crate::db::patch::EditPatch;
use crate::db::sessions;
use crate::db::tracks::{self, TrackRow};
use crate::error::ServerError;
use marea_core::edit::slice::Cut;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// What tracks carry by a plan.
pub type Patches = Vec<(Uuid, EditPatch)>;

/// How the tracks of a set are carried now.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum SetCarried {
    /// As recorded.
    Recorded,
    /// As this plan has them.
    Moved,
    /// By another plan, or not all alike.
    Other,
}

/// How tracks are carried against what a plan would change of each.
pub fn carried<'a>(
    cut: impl Iterator<Item = &'a TrackRow> + Clone,
    patch: impl Fn(&TrackRow) -> EditPatch,
) -> SetCarried {
    if cut.clone().all(|t| t.edit().cut.is_empty()) {
        return SetCarried::Recorded;
    }
    let moved = cut.into_iter().all(|t| patch(t).on(t.edit()) == *t.edit());
    if moved { SetCarried::Moved } else { SetCarried::Other }
}

/// What leaves a track uncut.
pub fn whole() -> EditPatch {
    EditPatch { cut: Some(Cut::default()), ..EditPatch::default() }
}

/// Refuses tracks of which the pieces would not play.
///
/// # Errors
/// [`ServerError::Conflict`] names the track.
pub fn can_be_cut<'a>(mut cut: impl Iterator<Item = &'a TrackRow>) -> Result<(), ServerError> {
    match cut.find(|t| t.edit().map.is_some()) {
        Some(t) => Err(ServerError::Conflict(format!("{} follows a time map; what is cut as well would not", t.name))),
        None => Ok(()),
    }
}

/// Refuses a plan that speaks of places outside of the session.
///
/// # Errors
/// [`ServerError::Invalid`], or as the database says.
pub async fn in_bounds(state: &State, session: Uuid, frames: impl Iterator<Item = i64>) -> Result<(), ServerError> {
    let rows = tracks::of_session(&mut *state.db().acquire().await?, session).await?;
    // Before anything is brought in there is no rate: what has no tracks has no plan either.
    let rate_hz = sessions::get(state.db(), session).await?.rate()?;
    Bounds::of(&rows, rate_hz).check("a plan", frames)
}
