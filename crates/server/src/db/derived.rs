//! Results of measuring, of every kind: one row each, under what it depends on.

use crate::error::ServerError;
use serde::Serialize;
use serde::de::DeserializeOwned;
use sqlx::MySqlExecutor;
use sqlx::types::Json;
use uuid::Uuid;

/// Which row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Row {
    /// Session.
    pub session: Uuid,
    /// Kind of the result.
    pub kind: &'static str,
    /// Which of the kind; empty where a session has one.
    pub subject: String,
}

/// The last result with what it depends on; none where another version wrote it in another form.
///
/// # Errors
/// As the database says.
pub async fn get<T: DeserializeOwned + Send + Unpin + 'static>(
    db: impl MySqlExecutor<'_>,
    row: &Row,
) -> Result<Option<(String, T)>, ServerError> {
    let found: Result<Option<(String, Json<T>)>, sqlx::Error> =
        sqlx::query_as("SELECT basis, result FROM derived WHERE session_id = ? AND kind = ? AND subject = ?")
            .bind(row.session)
            .bind(row.kind)
            .bind(&row.subject)
            .fetch_optional(db)
            .await;
    match found {
        Err(sqlx::Error::ColumnDecode { .. }) => Ok(None),
        found => Ok(found?.map(|f| (f.0, f.1.0))),
    }
}

/// Only what the last result depends on.
///
/// # Errors
/// As the database says.
pub async fn basis(db: impl MySqlExecutor<'_>, row: &Row) -> Result<Option<String>, ServerError> {
    let found: Option<(String,)> =
        sqlx::query_as("SELECT basis FROM derived WHERE session_id = ? AND kind = ? AND subject = ?")
            .bind(row.session)
            .bind(row.kind)
            .bind(&row.subject)
            .fetch_optional(db)
            .await?;
    Ok(found.map(|f| f.0))
}

/// Keeps a result in place of the last one.
///
/// # Errors
/// As the database says.
pub async fn put<T: Serialize + Sync>(
    db: impl MySqlExecutor<'_>,
    row: &Row,
    basis: &str,
    result: &T,
) -> Result<(), ServerError> {
    sqlx::query("REPLACE INTO derived (session_id, kind, subject, basis, result) VALUES (?, ?, ?, ?, ?)")
        .bind(row.session)
        .bind(row.kind)
        .bind(&row.subject)
        .bind(basis)
        .bind(Json(result))
        .execute(db)
        .await?;
    Ok(())
}
