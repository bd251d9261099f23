//! Changing the desk: what undo can take back goes into the history.

use super::bounds::Bounds;
use super::desk::{self, Desk, DeskChange, DeskPatch};
use super::{decisions, sessions, tracks};
use crate::error::ServerError;
use crate::plans::Plans;
use sqlx::MySqlPool;
use uuid::Uuid;

/// Changes the desk; two windows that change different things both keep theirs. A change with a label is a decision of the
/// history where undo has something to take back.
///
/// # Errors
/// [`ServerError::Invalid`]; nothing was changed.
pub async fn patch(db: &MySqlPool, session: Uuid, change: DeskPatch) -> Result<Desk, ServerError> {
    super::again(|| Box::pin(patch_once(db, session, change.clone()))).await
}

async fn patch_once(db: &MySqlPool, session: Uuid, change: DeskPatch) -> Result<Desk, ServerError> {
    super::room::check_room()?;
    let mut tx = db.begin().await?;
    // One at a time in a session; there is a row to lock only in the session itself.
    let rate_hz = decisions::lock(&mut tx, session).await?;
    let was = desk::get(&mut *tx, session).await?;
    let mut now = was.clone();
    let label = change.label.clone();
    let bounds = Bounds::of(&tracks::with_removed(&mut *tx, session).await?, rate_hz);
    bounds.check("the loop", change.range.iter().flat_map(|r| [r.from, r.to]))?;
    bounds.check("a mark", change.markers.iter().flatten().map(|m| m.frame))?;
    bounds.check("a plan", Plans::from(change.plans.clone()).frames())?;
    now.change(change)?;
    desk::write(&mut tx, session, &now).await?;
    if let (Some(label), Some(change)) = (label, DeskChange::between(&was, &now)) {
        decisions::write_down(&mut tx, session, &label, (Vec::new(), Some(change)), None).await?;
    }
    sessions::touch(&mut *tx, session).await?;
    tx.commit().await?;
    Ok(now)
}
