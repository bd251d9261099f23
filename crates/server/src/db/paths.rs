//! A session's map of signal paths.

use crate::error::ServerError;
use marea_core::paths::PathMap;
use sqlx::types::Json;
use sqlx::{MySqlConnection, MySqlExecutor};
use uuid::Uuid;

/// The map; none where none was drawn.
///
/// # Errors
/// As the database says.
pub async fn get(db: impl MySqlExecutor<'_>, session: Uuid) -> Result<Option<PathMap>, ServerError> {
    let row: Option<(Json<PathMap>,)> =
        sqlx::query_as("SELECT content FROM path_maps WHERE session_id = ?").bind(session).fetch_optional(db).await?;
    Ok(row.map(|r| r.0.0))
}

/// Puts a map in the place of the one that is there; none removes it.
///
/// # Errors
/// As the database says.
pub(crate) async fn write(tx: &mut MySqlConnection, session: Uuid, map: Option<&PathMap>) -> Result<(), ServerError> {
    let query = match map {
        Some(map) => {
            sqlx::query("REPLACE INTO path_maps (session_id, content) VALUES (?, ?)").bind(session).bind(Json(map))
        }
        None => sqlx::query("DELETE FROM path_maps WHERE session_id = ?").bind(session),
    };
    query.execute(tx).await?;
    Ok(())
}
