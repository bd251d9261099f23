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

/// Keeps a check.
///
/// # Errors
/// As the database says.
pub async fn put(db: &MySqlPool, session: Uuid, basis: &str, result: &Measured) -> Result<(), ServerError> {
    sqlx::query("REPLACE INTO checks (session_id, basis, result) VALUES (?, ?, ?)")
        .bind(session)
        .bind(basis)
        .bind(Json(result))
        .execute(db)
        .await?;
    Ok(())
}
