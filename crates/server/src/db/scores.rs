//! Notes of a session's rendered instruments.

use crate::error::ServerError;
use sqlx::{FromRow, MySqlExecutor};
use uuid::Uuid;

/// A Standard MIDI File.
#[derive(Debug, Clone, FromRow)]
pub struct ScoreRow {
    /// Id.
    pub id: Uuid,
    /// Name of the file.
    pub name: String,
    /// As it came.
    pub content: Vec<u8>,
}

/// All of a session, in the order in which they came.
///
/// # Errors
/// As the database says.
pub async fn of_session(db: impl MySqlExecutor<'_>, session: Uuid) -> Result<Vec<ScoreRow>, ServerError> {
    let all = sqlx::query_as("SELECT id, name, content FROM scores WHERE session_id = ? ORDER BY id");
    Ok(all.bind(session).fetch_all(db).await?)
}

/// Keeps one.
///
/// # Errors
/// As the database says.
pub async fn insert(db: impl MySqlExecutor<'_>, session: Uuid, score: &ScoreRow) -> Result<(), ServerError> {
    sqlx::query("INSERT INTO scores (id, session_id, name, content) VALUES (?, ?, ?, ?)")
        .bind(score.id)
        .bind(session)
        .bind(&score.name)
        .bind(&score.content)
        .execute(db)
        .await?;
    Ok(())
}

/// Removes one; says whether it was there.
///
/// # Errors
/// As the database says.
pub async fn delete(db: impl MySqlExecutor<'_>, session: Uuid, score: Uuid) -> Result<bool, ServerError> {
    let done = sqlx::query("DELETE FROM scores WHERE session_id = ? AND id = ?").bind(session).bind(score);
    Ok(done.execute(db).await?.rows_affected() > 0)
}
