//! The queue of long work.

use crate::error::ServerError;
use serde::Serialize;
use sqlx::types::Json;
use sqlx::{FromRow, MySqlExecutor, MySqlPool};
use utoipa::ToSchema;
use uuid::Uuid;

/// Seconds a worker may be silent before its job goes to another.
pub const LEASE_S: u32 = 5;
/// Begun this often without an end, a job is carried out in a process of its own, so that it can only bring that down.
pub const ALONE_FROM: i32 = 3;
/// A job that brought its own process down this often is given up.
pub const MAX_CRASHES: i32 = 2;
/// Jobs that ended, told at most.
const MOST_ENDED: u32 = 500;
/// Deliveries told at most.
const MOST_DELIVERIES: u32 = 200;

/// A job as shown.
#[derive(Debug, Clone, FromRow, Serialize, ToSchema)]
pub struct Job {
    /// Id.
    pub id: Uuid,
    /// Session.
    pub session_id: Uuid,
    /// import, check, pair, image or deliver.
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
    pub payload: Json<crate::tasks::Task>,
    /// Times it was begun before and never ended.
    pub attempts: i32,
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
    task: &crate::tasks::Task,
    title: &str,
) -> Result<Uuid, ServerError> {
    super::room::check_room()?;
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
        "SELECT id, session_id, payload, attempts FROM jobs
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

/// A job that a worker holds.
///
/// # Errors
/// [`ServerError::NotFound`] when it does not.
pub async fn claimed(db: &MySqlPool, job: Uuid, worker: Uuid) -> Result<Claimed, ServerError> {
    sqlx::query_as(
        "SELECT id, session_id, payload, attempts FROM jobs WHERE id = ? AND worker = ? AND state = 'running'",
    )
    .bind(job)
    .bind(worker)
    .fetch_optional(db)
    .await?
    .ok_or(ServerError::NotFound("job"))
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

/// Gives a job back as it was: the server goes down in order, or the database was away. It does not count as begun.
///
/// # Errors
/// As the database says.
pub async fn release(db: &MySqlPool, job: Uuid, worker: Uuid) -> Result<(), ServerError> {
    sqlx::query(
        "UPDATE jobs SET state = 'queued', attempts = GREATEST(attempts - 1, 0), worker = NULL, lease_until = NULL, doing = '',
         progress = 0 WHERE id = ? AND worker = ? AND state = 'running'",
    )
    .bind(job)
    .bind(worker)
    .execute(db)
    .await?;
    Ok(())
}

/// Counts that a job brought its own process down; gives how often it has.
///
/// # Errors
/// As the database says.
pub async fn crashed(db: &MySqlPool, job: Uuid) -> Result<i32, ServerError> {
    sqlx::query("UPDATE jobs SET crashes = crashes + 1 WHERE id = ?").bind(job).execute(db).await?;
    let row: Option<(i32,)> =
        sqlx::query_as("SELECT crashes FROM jobs WHERE id = ?").bind(job).fetch_optional(db).await?;
    Ok(row.map_or(0, |r| r.0))
}

/// Has a job ended?
///
/// # Errors
/// As the database says.
pub async fn is_over(db: &MySqlPool, job: Uuid) -> Result<bool, ServerError> {
    let row: Option<(String,)> =
        sqlx::query_as("SELECT state FROM jobs WHERE id = ?").bind(job).fetch_optional(db).await?;
    Ok(row.is_none_or(|r| !["queued", "running"].contains(&r.0.as_str())))
}

/// Puts a job that failed or was cancelled into the queue again.
///
/// # Errors
/// [`ServerError::NotFound`]; [`ServerError::Conflict`] when it has not ended, or ended well.
pub async fn retry(db: &MySqlPool, job: Uuid) -> Result<Job, ServerError> {
    let done = sqlx::query(
        "UPDATE jobs SET state = 'queued', attempts = 0, crashes = 0, cancel = FALSE, outdated = FALSE, error = NULL, result = NULL,
         progress = 0, doing = '', worker = NULL, lease_until = NULL WHERE id = ? AND state IN ('failed', 'cancelled')",
    )
    .bind(job)
    .execute(db)
    .await?;
    let now = get(db, job).await?;
    if done.rows_affected() == 0 {
        return Err(ServerError::Conflict(format!("“{}” is {} and cannot be tried again", now.title, now.state)));
    }
    Ok(now)
}

/// Removes a job that failed or was cancelled: nobody will try it again.
///
/// # Errors
/// [`ServerError::NotFound`]; [`ServerError::Conflict`] when it has not ended, or ended well.
pub async fn forget(db: &MySqlPool, job: Uuid) -> Result<Job, ServerError> {
    let known = get(db, job).await?;
    let done =
        sqlx::query("DELETE FROM jobs WHERE id = ? AND state IN ('failed', 'cancelled')").bind(job).execute(db).await?;
    if done.rows_affected() == 0 {
        return Err(ServerError::Conflict(format!("“{}” is {} and stays", known.title, known.state)));
    }
    Ok(known)
}

/// Removes what nobody asks for any more: jobs done or outdated an hour ago, others that ended a month ago. Deliveries stay.
///
/// # Errors
/// As the database says.
pub async fn prune(db: &MySqlPool, session: Uuid) -> Result<(), ServerError> {
    sqlx::query(
        "DELETE FROM jobs WHERE session_id = ? AND NOT (kind = 'deliver' AND state = 'done')
         AND ((state = 'done' OR (state = 'cancelled' AND outdated)) AND updated_at < NOW(6) - INTERVAL 1 HOUR
              OR state IN ('failed', 'cancelled') AND updated_at < NOW(6) - INTERVAL 30 DAY)",
    )
    .bind(session)
    .execute(db)
    .await?;
    Ok(())
}

/// How a job ends.
pub enum End {
    /// With what came out.
    Done(serde_json::Value),
    /// Somebody did not want it any more.
    Cancelled,
    /// With the sentence that says why.
    Failed(String),
}

/// Ends a job that this worker holds. One that has ended already, or that another took over, stays as it is.
///
/// # Errors
/// As the database says.
pub async fn end(db: &MySqlPool, job: Uuid, worker: Uuid, end: End) -> Result<(), ServerError> {
    let (state, result, error) = match end {
        End::Done(value) => ("done", Some(value), None),
        End::Cancelled => ("cancelled", None, None),
        End::Failed(why) => ("failed", None, Some(why)),
    };
    sqlx::query(
        "UPDATE jobs SET state = ?, result = ?, error = ?, doing = '', progress = IF(? = 'done', 1, progress), lease_until = NULL
         WHERE id = ? AND worker = ? AND state = 'running'",
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

/// What failed and stays in sight until somebody tries it again or leaves it: what no view asks for again by itself.
const KEPT: &str = "state = 'failed' AND kind IN ('import', 'deliver', 'check', 'follow', 'retune', 'widen')";

/// All jobs of a session that wait or run, those that failed and can be tried again, and the newest that ended since a moment
/// (milliseconds since 1970); oldest change first.
///
/// # Errors
/// As the database says.
pub async fn changed_since(db: &MySqlPool, session: Uuid, since_ms: i64) -> Result<Vec<Job>, ServerError> {
    let sql = format!(
        "({COLUMNS} WHERE session_id = ? AND (state IN ('queued', 'running') OR {KEPT}))
         UNION ALL
         ({COLUMNS} WHERE session_id = ? AND state NOT IN ('queued', 'running') AND NOT ({KEPT}) AND updated_at >= FROM_UNIXTIME(? / 1000.0)
          ORDER BY updated_at DESC LIMIT {MOST_ENDED})
         ORDER BY updated_ms, id"
    );
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).bind(session).bind(since_ms).fetch_all(db).await?)
}

/// Finished deliveries of a session, newest first.
///
/// # Errors
/// As the database says.
pub async fn deliveries(db: &MySqlPool, session: Uuid) -> Result<Vec<Job>, ServerError> {
    let sql = format!(
        "{COLUMNS} WHERE session_id = ? AND kind = 'deliver' AND state = 'done' ORDER BY created_at DESC, id DESC LIMIT {MOST_DELIVERIES}"
    );
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).fetch_all(db).await?)
}

/// The job that does this already, or one that will.
///
/// # Errors
/// As the database says.
pub async fn pending_or(
    db: &MySqlPool,
    session: Uuid,
    task: &crate::tasks::Task,
    title: &str,
) -> Result<Uuid, ServerError> {
    match pending(db, session, task).await? {
        Some(job) => Ok(job),
        None => enqueue(db, session, task, title).await,
    }
}

/// A job of this kind and payload that is queued or running.
///
/// # Errors
/// As the database says.
pub async fn pending(
    db: impl MySqlExecutor<'_>,
    session: Uuid,
    task: &crate::tasks::Task,
) -> Result<Option<Uuid>, ServerError> {
    let row: Option<(Uuid,)> = sqlx::query_as(
        "SELECT id FROM jobs WHERE session_id = ? AND state IN ('queued', 'running') AND cancel = FALSE AND payload = ? LIMIT 1",
    )
    .bind(session)
    .bind(Json(task))
    .fetch_optional(db)
    .await?;
    Ok(row.map(|r| r.0))
}

/// Is anything still being brought in, or announced and on its way?
///
/// # Errors
/// As the database says.
pub async fn importing(db: impl MySqlExecutor<'_>, session: Uuid) -> Result<bool, ServerError> {
    let row: Option<(i64,)> = sqlx::query_as(
        "SELECT 1 FROM jobs WHERE session_id = ? AND kind = 'import' AND state IN ('queued', 'running')
         UNION ALL SELECT 1 FROM uploads WHERE session_id = ? LIMIT 1",
    )
    .bind(session)
    .bind(session)
    .fetch_optional(db)
    .await?;
    Ok(row.is_some())
}

/// Is there a job of this kind and payload that waits, runs, failed or was cancelled by somebody?
///
/// # Errors
/// As the database says.
pub async fn known(db: impl MySqlExecutor<'_>, session: Uuid, task: &crate::tasks::Task) -> Result<bool, ServerError> {
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
pub async fn supersede(
    db: impl MySqlExecutor<'_>,
    session: Uuid,
    task: &crate::tasks::Task,
) -> Result<(), ServerError> {
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
