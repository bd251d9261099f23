//! What was measured between two tracks as recorded.

use crate::error::ServerError;
use marea_core::measure::pair::PairMeasurement;
use sqlx::MySqlPool;
use sqlx::types::Json;
use uuid::Uuid;

/// The measurement of B against A, if there is one on this basis.
///
/// # Errors
/// As the database says.
pub async fn get(db: &MySqlPool, a: Uuid, b: Uuid, basis: &str) -> Result<Option<PairMeasurement>, ServerError> {
    let row: Option<(Json<PairMeasurement>,)> =
        sqlx::query_as("SELECT result FROM measurements WHERE a_id = ? AND b_id = ? AND basis = ?")
            .bind(a)
            .bind(b)
            .bind(basis)
            .fetch_optional(db)
            .await?;
    Ok(row.map(|r| r.0.0))
}

/// Keeps a measurement.
///
/// # Errors
/// As the database says.
pub async fn put(db: &MySqlPool, a: Uuid, b: Uuid, basis: &str, result: &PairMeasurement) -> Result<(), ServerError> {
    sqlx::query("REPLACE INTO measurements (a_id, b_id, basis, result) VALUES (?, ?, ?, ?)")
        .bind(a)
        .bind(b)
        .bind(basis)
        .bind(Json(result))
        .execute(db)
        .await?;
    Ok(())
}
