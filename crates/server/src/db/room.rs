//! Is there room on the database's disk?

use crate::error::ServerError;
use crate::sql_errors::FULL_MS;
use sqlx::MySqlPool;
use std::path::PathBuf;
use std::sync::OnceLock;
use std::sync::atomic::Ordering;

/// Bytes that must stay free on the database's disk: MariaDB grows its files by a few megabytes, and may fall where it cannot.
const KEEP_FREE: u64 = 32 << 20;

/// Where the database's files lie, when that is on this machine and may be asked.
static FILES: OnceLock<Option<PathBuf>> = OnceLock::new();

pub(super) async fn find_files(pool: &MySqlPool) -> Result<(), sqlx::Error> {
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
