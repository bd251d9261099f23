//! Files that were announced and are still on their way.

use crate::error::ServerError;
use serde::Serialize;
use sqlx::{FromRow, MySqlExecutor, MySqlPool};
use utoipa::ToSchema;
use uuid::Uuid;

/// Hours after which a file that nobody sends any more is forgotten.
const KEPT_HOURS: u32 = 72;

/// A file on its way.
#[derive(Debug, Clone, FromRow)]
pub struct UploadRow {
    /// Id.
    pub id: Uuid,
    /// Session.
    pub session_id: Uuid,
    /// Cleaned name.
    pub file_name: String,
    /// Its whole length.
    pub bytes: u64,
    /// Milliseconds since 1970 of the moment it was chosen.
    pub position: i64,
}

/// A file on its way, as shown.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Upload {
    /// Id.
    pub id: Uuid,
    /// Name.
    pub file_name: String,
    /// Its whole length.
    pub bytes: u64,
    /// Bytes that are here.
    pub received: u64,
    /// Seconds since the last of them came, or since it was announced.
    pub idle_s: f64,
}

const COLUMNS: &str = "SELECT id, session_id, file_name, bytes, position FROM uploads";

/// Announces a file.
///
/// # Errors
/// As the database says.
pub async fn insert(db: impl MySqlExecutor<'_>, u: &UploadRow) -> Result<(), ServerError> {
    super::room::check_room()?;
    sqlx::query("INSERT INTO uploads (id, session_id, file_name, bytes, position) VALUES (?, ?, ?, ?, ?)")
        .bind(u.id)
        .bind(u.session_id)
        .bind(&u.file_name)
        .bind(u.bytes)
        .bind(u.position)
        .execute(db)
        .await?;
    Ok(())
}

/// One of them.
///
/// # Errors
/// [`ServerError::NotFound`].
pub async fn get(db: impl MySqlExecutor<'_>, id: Uuid) -> Result<UploadRow, ServerError> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{COLUMNS} WHERE id = ?")))
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(ServerError::NotFound("upload"))
}

/// All of a session, in the order in which they were chosen.
///
/// # Errors
/// As the database says.
pub async fn of_session(db: impl MySqlExecutor<'_>, session: Uuid) -> Result<Vec<UploadRow>, ServerError> {
    let sql = format!("{COLUMNS} WHERE session_id = ? ORDER BY position, id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).fetch_all(db).await?)
}

/// It arrived, or nobody wants it any more.
///
/// # Errors
/// As the database says.
pub async fn delete(db: impl MySqlExecutor<'_>, id: Uuid) -> Result<(), ServerError> {
    sqlx::query("DELETE FROM uploads WHERE id = ?").bind(id).execute(db).await?;
    Ok(())
}

/// Says that bytes came: a file that still moves is not forgotten.
///
/// # Errors
/// As the database says.
pub async fn touch(db: impl MySqlExecutor<'_>, id: Uuid) -> Result<(), ServerError> {
    sqlx::query("UPDATE uploads SET updated_at = NOW(6) WHERE id = ?").bind(id).execute(db).await?;
    Ok(())
}

/// Forgets what nobody has sent for three days; gives the ids of all that are still wanted.
///
/// # Errors
/// As the database says.
pub async fn prune(db: &MySqlPool) -> Result<Vec<Uuid>, ServerError> {
    sqlx::query("DELETE FROM uploads WHERE updated_at < NOW(6) - INTERVAL ? HOUR").bind(KEPT_HOURS).execute(db).await?;
    let rows: Vec<(Uuid,)> = sqlx::query_as("SELECT id FROM uploads").fetch_all(db).await?;
    Ok(rows.into_iter().map(|r| r.0).collect())
}
