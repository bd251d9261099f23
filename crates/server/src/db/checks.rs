//! The whole-session check as measured.

use crate::error::ServerError;
use crate::jobs::check::Measured;
use sqlx::MySqlPool;
use sqlx::types::Json;
use uuid::Uuid;

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
    let now = crate::jobs::check::basis(&super::tracks::of_session(&mut *tx, session).await?, rate_hz);
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
