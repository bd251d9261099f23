//! Rows and the SQL beside them.

pub mod bounds;
pub mod changes;
pub mod decisions;
pub mod derived;
pub mod desk;
pub mod desk_change;
pub mod edits;
pub mod jobs;
pub mod migrate;
mod old_edits;
pub mod patch;
pub mod paths;
pub mod room;
pub mod scores;
pub mod sessions;
pub mod tracks;
pub mod uploads;

use crate::error::ServerError;
use crate::sql_errors::gave_way;
use futures_util::future::BoxFuture;
use sqlx::MySqlPool;
use sqlx::mysql::MySqlPoolOptions;
use std::time::Duration;

/// Connects and brings the schema up to date.
///
/// # Errors
/// When the server cannot be reached or a migration fails.
pub async fn connect(url: &str) -> Result<MySqlPool, sqlx::Error> {
    let pool = MySqlPoolOptions::new()
        .max_connections(12)
        .acquire_timeout(Duration::from_secs(4))
        .test_before_acquire(true)
        // Locks rows and not the gaps between them: the queue is claimed from while others put jobs in.
        .after_connect(|c, _| {
            Box::pin(async move {
                sqlx::query("SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED").execute(c).await.map(|_| ())
            })
        })
        .connect(url)
        .await?;
    migrate::migrate(&pool).await?;
    room::find_files(&pool).await?;
    Ok(pool)
}

/// Tries a transaction again that was chosen to give way to another (ER_LOCK_DEADLOCK, ER_LOCK_WAIT_TIMEOUT): nothing of it was
/// kept.
///
/// # Errors
/// As the work says.
pub async fn again<'a, T>(
    mut work: impl FnMut() -> BoxFuture<'a, Result<T, ServerError>> + Send,
) -> Result<T, ServerError> {
    for pause_ms in [5, 20, 80, 200] {
        match work().await {
            Err(ServerError::Database(e)) if gave_way(&e) => {
                tokio::time::sleep(Duration::from_millis(pause_ms)).await;
            }
            done => return done,
        }
    }
    work().await
}
