//! Images of recordings of several channels, as measured.

use crate::error::ServerError;
use marea_core::measure::image::Image;
use sqlx::MySqlPool;
use sqlx::types::Json;
use uuid::Uuid;

/// The image of these tracks on this basis, if there is one.
///
/// # Errors
/// As the database says.
pub async fn get(db: &MySqlPool, session: Uuid, tracks: &str, basis: &str) -> Result<Option<Image>, ServerError> {
    let row: Option<(Json<Image>,)> =
        sqlx::query_as("SELECT result FROM images WHERE session_id = ? AND tracks = ? AND basis = ?")
            .bind(session)
            .bind(tracks)
            .bind(basis)
            .fetch_optional(db)
            .await?;
    Ok(row.map(|r| r.0.0))
}

/// Keeps an image.
///
/// # Errors
/// As the database says.
pub async fn put(db: &MySqlPool, session: Uuid, tracks: &str, basis: &str, result: &Image) -> Result<(), ServerError> {
    sqlx::query("REPLACE INTO images (session_id, tracks, basis, result) VALUES (?, ?, ?, ?)")
        .bind(session)
        .bind(tracks)
        .bind(basis)
        .bind(Json(result))
        .execute(db)
        .await?;
    Ok(())
}
