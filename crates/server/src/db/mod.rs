//! Rows and the SQL beside them.

pub mod bounds;
pub mod changes;
pub mod decisions;
pub mod derived;
pub mod desk;
pub mod desk_change;
pub mod edits;
pub mod jobs;
mod old_edits;
pub mod patch;
pub mod sessions;
pub mod tracks;
pub mod uploads;

use crate::error::ServerError;
use crate::sql_errors::{FULL_MS, gave_way};
use futures_util::future::BoxFuture;
use sqlx::MySqlPool;
use sqlx::mysql::MySqlPoolOptions;
use std::path::PathBuf;
use std::sync::OnceLock;
use std::sync::atomic::Ordering;
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
    migrate(&pool).await?;
    find_files(&pool).await?;
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

/// Bytes that must stay free on the database's disk: MariaDB grows its files by a few megabytes, and may fall where it cannot.
const KEEP_FREE: u64 = 32 << 20;

/// Where the database's files lie, when that is on this machine and may be asked.
static FILES: OnceLock<Option<PathBuf>> = OnceLock::new();

async fn find_files(pool: &MySqlPool) -> Result<(), sqlx::Error> {
    let (folder,): (String,) = sqlx::query_as("SELECT @@datadir").fetch_one(pool).await?;
    let folder = PathBuf::from(folder);
    let _ = FILES.set(fs2::available_space(&folder).is_ok().then_some(folder));
    Ok(())
}

/// Refuses to write something new where its disk is nearly full.
///
/// # Errors
/// [`ServerError::DatabaseFull`].
pub(crate) fn check_room() -> Result<(), ServerError> {
    let free = FILES.get().and_then(Option::as_ref).and_then(|f| fs2::available_space(f).ok());
    match free.filter(|f| *f < KEEP_FREE) {
        Some(free) => {
            Err(ServerError::DatabaseFull(format!("{} MB are free, {} must stay", free >> 20, KEEP_FREE >> 20)))
        }
        None => Ok(()),
    }
}

/// Is its disk full? Where it cannot be looked at, a row larger than what may be free in pages that exist is written and taken
/// back, once the database has said so.
pub async fn is_full(pool: &MySqlPool) -> bool {
    if check_room().is_err() {
        return true;
    }
    if FULL_MS.load(Ordering::Relaxed) == 0 {
        return false;
    }
    let tried = async {
        let mut tx = pool.begin().await?;
        sqlx::query("INSERT INTO probes (filling) VALUES (REPEAT('x', 4000000))").execute(&mut *tx).await?;
        tx.rollback().await
    };
    let full = tried.await.is_err();
    if !full {
        FULL_MS.store(0, Ordering::Relaxed);
    }
    full
}

/// Brings the schema up to date, and what is stored with it.
///
/// # Errors
/// As the database says.
pub async fn migrate(pool: &MySqlPool) -> Result<(), sqlx::Error> {
    let migrations = sqlx::migrate!();
    let told = |e| sqlx::Error::Migrate(Box::new(e));
    migrations.run_to(old_edits::FROM, pool).await.map_err(told)?;
    old_edits::bring_over(pool).await?;
    migrations.run(pool).await.map_err(told)
}
