//! The queue of long work.

use crate::error::ServerError;
use serde::Serialize;
use sqlx::types::Json;
use sqlx::{FromRow, MySqlExecutor, MySqlPool};
use utoipa::ToSchema;
use uuid::Uuid;

/// Seconds a worker may be silent before its job goes to another.
pub const LEASE_S: u32 = 5;
/// A job that took workers down with it this often is given up.
pub const MAX_ATTEMPTS: i32 = 4;

/// A job as shown.
#[derive(Debug, Clone, FromRow, Serialize, ToSchema)]
pub struct Job {
    /// Id.
    pub id: Uuid,
    /// Session.
    pub session_id: Uuid,
    /// import, measure, check, image or deliver.
    pub kind: String,
    /// What it is about, for people.
    pub title: String,
    /// queued, running, done, failed or cancelled.
    pub state: String,
    /// 0 … 1.
    pub progress: f64,
    /// What it is doing just now.
    pub doing: String,
    /// What came out, when done.
    #[schema(value_type = Option<Object>)]
    pub result: Option<Json<serde_json::Value>>,
    /// Why it failed, in a sentence.
    pub error: Option<String>,
    /// Milliseconds since 1970 of the last change.
    pub updated_ms: i64,
}

/// A job a worker has claimed.
#[derive(Debug, Clone, FromRow)]
pub struct Claimed {
    /// Id.
    pub id: Uuid,
    /// Session.
    pub session_id: Uuid,
    /// Kind and parameters.
    pub payload: Json<crate::jobs::Task>,
}

const COLUMNS: &str = "SELECT id, session_id, kind, title, state, progress, doing, result, error,
    CAST(UNIX_TIMESTAMP(updated_at) * 1000 AS SIGNED) AS updated_ms FROM jobs";

/// Puts a job into the queue.
///
/// # Errors
/// As the database says.
pub async fn enqueue(
    db: impl MySqlExecutor<'_>,
    session: Uuid,
    task: &crate::jobs::Task,
    title: &str,
) -> Result<Uuid, ServerError> {
    let id = Uuid::now_v7();
    sqlx::query("INSERT INTO jobs (id, session_id, kind, title, payload) VALUES (?, ?, ?, ?, ?)")
        .bind(id)
        .bind(session)
        .bind(task.kind())
        .bind(title.chars().take(300).collect::<String>())
        .bind(Json(task))
        .execute(db)
        .await?;
    Ok(id)
}

/// Takes the oldest job that nobody works on; a running one counts when its lease ran out.
///
/// # Errors
/// As the database says.
pub async fn claim(db: &MySqlPool, worker: Uuid) -> Result<Option<Claimed>, ServerError> {
    let mut tx = db.begin().await?;
    let found: Option<Claimed> = sqlx::query_as(
        "SELECT id, session_id, payload FROM jobs
         WHERE state = 'queued' OR (state = 'running' AND lease_until < NOW(6))
         ORDER BY created_at, id LIMIT 1 FOR UPDATE SKIP LOCKED",
    )
    .fetch_optional(&mut *tx)
    .await?;
    if let Some(job) = &found {
        sqlx::query(
            "UPDATE jobs SET state = 'running', worker = ?, attempts = attempts + 1,
             lease_until = NOW(6) + INTERVAL ? SECOND WHERE id = ?",
        )
        .bind(worker)
        .bind(LEASE_S)
        .bind(job.id)
        .execute(&mut *tx)
        .await?;
    }
    tx.commit().await?;
    Ok(found)
}

/// Says how far a job is and keeps the lease. Gives whether to go on: not when it was cancelled or taken over.
///
/// # Errors
/// As the database says.
pub async fn report(db: &MySqlPool, job: Uuid, worker: Uuid, progress: f64, doing: &str) -> Result<bool, ServerError> {
    sqlx::query(
        "UPDATE jobs SET progress = ?, doing = ?, lease_until = NOW(6) + INTERVAL ? SECOND
         WHERE id = ? AND worker = ? AND state = 'running'",
    )
    .bind(progress)
    .bind(doing)
    .bind(LEASE_S)
    .bind(job)
    .bind(worker)
    .execute(db)
    .await?;
    let row: Option<(bool, String, Option<Uuid>)> =
        sqlx::query_as("SELECT cancel, state, worker FROM jobs WHERE id = ?").bind(job).fetch_optional(db).await?;
    Ok(row.is_some_and(|(cancel, state, holder)| !cancel && state == "running" && holder == Some(worker)))
}

/// How often a job was begun.
///
/// # Errors
/// As the database says.
pub async fn attempts(db: &MySqlPool, job: Uuid) -> Result<i32, ServerError> {
    let row: Option<(i32,)> =
        sqlx::query_as("SELECT attempts FROM jobs WHERE id = ?").bind(job).fetch_optional(db).await?;
    Ok(row.map_or(0, |r| r.0))
}

/// Ends a job that this worker holds.
///
/// # Errors
/// As the database says.
pub async fn end(
    db: &MySqlPool,
    job: Uuid,
    worker: Uuid,
    state: &'static str,
    result: Option<serde_json::Value>,
    error: Option<String>,
) -> Result<(), ServerError> {
    sqlx::query(
        "UPDATE jobs SET state = ?, result = ?, error = ?, doing = '', progress = IF(? = 'done', 1, progress), lease_until = NULL
         WHERE id = ? AND worker = ?",
    )
    .bind(state)
    .bind(result.map(Json))
    .bind(error)
    .bind(state)
    .bind(job)
    .bind(worker)
    .execute(db)
    .await?;
    Ok(())
}

/// Asks a job to stop. One that nobody has begun stops at once.
///
/// # Errors
/// [`ServerError::NotFound`].
pub async fn cancel(db: &MySqlPool, job: Uuid) -> Result<Job, ServerError> {
    sqlx::query("UPDATE jobs SET cancel = TRUE, state = IF(state = 'queued', 'cancelled', state) WHERE id = ? AND state IN ('queued', 'running')")
        .bind(job)
        .execute(db)
        .await?;
    get(db, job).await
}

/// One job.
///
/// # Errors
/// [`ServerError::NotFound`].
pub async fn get(db: &MySqlPool, job: Uuid) -> Result<Job, ServerError> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{COLUMNS} WHERE id = ?")))
        .bind(job)
        .fetch_optional(db)
        .await?
        .ok_or(ServerError::NotFound("job"))
}

/// Jobs of a session that changed since a moment (milliseconds since 1970), oldest change first.
///
/// # Errors
/// As the database says.
pub async fn changed_since(db: &MySqlPool, session: Uuid, since_ms: i64) -> Result<Vec<Job>, ServerError> {
    let sql = format!(
        "{COLUMNS} WHERE session_id = ? AND updated_at >= FROM_UNIXTIME(? / 1000.0) ORDER BY updated_at LIMIT 500"
    );
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).bind(since_ms).fetch_all(db).await?)
}

/// A job of this kind and payload that is queued or running.
///
/// # Errors
/// As the database says.
pub async fn pending(db: &MySqlPool, session: Uuid, task: &crate::jobs::Task) -> Result<Option<Uuid>, ServerError> {
    let row: Option<(Uuid,)> = sqlx::query_as(
        "SELECT id FROM jobs WHERE session_id = ? AND state IN ('queued', 'running') AND cancel = FALSE AND payload = ? LIMIT 1",
    )
    .bind(session)
    .bind(Json(task))
    .fetch_optional(db)
    .await?;
    Ok(row.map(|r| r.0))
}

/// Is anything still being brought in?
///
/// # Errors
/// As the database says.
pub async fn importing(db: &MySqlPool, session: Uuid) -> Result<bool, ServerError> {
    let row: Option<(i64,)> = sqlx::query_as(
        "SELECT 1 FROM jobs WHERE session_id = ? AND kind = 'import' AND state IN ('queued', 'running') LIMIT 1",
    )
    .bind(session)
    .fetch_optional(db)
    .await?;
    Ok(row.is_some())
}

/// Is there a job of this kind and payload that waits, runs, failed or was cancelled by somebody?
///
/// # Errors
/// As the database says.
pub async fn known(db: &MySqlPool, session: Uuid, task: &crate::jobs::Task) -> Result<bool, ServerError> {
    let row: Option<(i64,)> = sqlx::query_as(
        "SELECT 1 FROM jobs WHERE session_id = ? AND state <> 'done' AND outdated = FALSE AND payload = ? LIMIT 1",
    )
    .bind(session)
    .bind(Json(task))
    .fetch_optional(db)
    .await?;
    Ok(row.is_some())
}

/// Cancels what waits or runs of a task's kind with another payload: this task takes its place.
///
/// # Errors
/// As the database says.
pub async fn supersede(db: &MySqlPool, session: Uuid, task: &crate::jobs::Task) -> Result<(), ServerError> {
    // The state is set last: MariaDB assigns from left to right.
    sqlx::query(
        "UPDATE jobs SET outdated = TRUE, cancel = TRUE, state = IF(state = 'queued', 'cancelled', state)
         WHERE session_id = ? AND kind = ? AND state IN ('queued', 'running') AND cancel = FALSE AND payload <> ?",
    )
    .bind(session)
    .bind(task.kind())
    .bind(Json(task))
    .execute(db)
    .await?;
    Ok(())
}
