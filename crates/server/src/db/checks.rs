//! The whole-session check as measured.

use super::tracks::TrackRow;
use crate::error::ServerError;
use crate::hash::Sum;
use marea_core::measure::arrival::Table;
use serde::{Deserialize, Serialize};
use sqlx::MySqlPool;
use sqlx::types::Json;
use uuid::Uuid;

/// Raised when the method changes, so that older results are measured anew.
const METHOD: u32 = 3;

/// What was measured, and of which tracks.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Measured {
    /// Tracks in the order of the table.
    pub tracks: Vec<Uuid>,
    /// Those whose recording could not be read, with the reason.
    pub missing: Vec<(usize, String)>,
    /// The table as recorded.
    pub table: Table,
}

/// What a check depends on; a stored one with another basis is out of date.
pub fn basis_of(rows: &[TrackRow], rate_hz: u32) -> String {
    let mut hash = Sum::default();
    hash.update(format!("{METHOD}/{rate_hz}"));
    for t in rows {
        hash.update(t.id.as_bytes());
        hash.update(format!("{}/{}/{}/{:?};", t.start_frame, t.role, t.source, t.hits.0));
    }
    hash.hex()
}

/// The last check and what it depends on.
///
/// # Errors
/// As the database says.
pub async fn get(db: &MySqlPool, session: Uuid) -> Result<Option<(String, Measured)>, ServerError> {
    let row: Option<(String, Json<Measured>)> = sqlx::query_as("SELECT basis, result FROM checks WHERE session_id = ?")
        .bind(session)
        .fetch_optional(db)
        .await?;
    Ok(row.map(|r| (r.0, r.1.0)))
}

/// Only what it depends on.
///
/// # Errors
/// As the database says.
pub async fn basis(db: &MySqlPool, session: Uuid) -> Result<Option<String>, ServerError> {
    let row: Option<(String,)> =
        sqlx::query_as("SELECT basis FROM checks WHERE session_id = ?").bind(session).fetch_optional(db).await?;
    Ok(row.map(|r| r.0))
}

/// Keeps a check. One that was overtaken and ends late never takes the place of one that fits the session as it is now.
///
/// # Errors
/// As the database says.
pub async fn put(db: &MySqlPool, session: Uuid, basis: &str, result: &Measured) -> Result<(), ServerError> {
    let mut tx = db.begin().await?;
    // Decisions lock the session as well: until this ends, "now" stays now.
    let rate_hz = super::decisions::lock(&mut tx, session).await?;
    let now = basis_of(&super::tracks::of_session(&mut *tx, session).await?, rate_hz);
    let stored: Option<(String,)> =
        sqlx::query_as("SELECT basis FROM checks WHERE session_id = ?").bind(session).fetch_optional(&mut *tx).await?;
    if basis != now && stored.is_some_and(|s| s.0 == now) {
        return Ok(());
    }
    sqlx::query("REPLACE INTO checks (session_id, basis, result) VALUES (?, ?, ?)")
        .bind(session)
        .bind(basis)
        .bind(Json(result))
        .execute(&mut *tx)
        .await?;
    tx.commit().await?;
    Ok(())
}
