//! What MariaDB's errors mean.

use crate::clock::now_ms;
use std::sync::atomic::{AtomicI64, Ordering};

/// MariaDB's number of an error.
pub fn number(e: &sqlx::Error) -> Option<u16> {
    let known = e.as_database_error()?.try_downcast_ref::<sqlx::mysql::MySqlDatabaseError>()?;
    Some(known.number())
}

/// When the database last said that its disk is full, in milliseconds since 1970.
pub static FULL_MS: AtomicI64 = AtomicI64::new(0);

/// Remembers that the database said that its disk is full.
pub fn note_full() {
    FULL_MS.store(now_ms(), Ordering::Relaxed);
}

/// MariaDB's numbers for a disk that is full (ER_ERROR_ON_WRITE, ER_DISK_FULL, ER_RECORD_FILE_FULL, ER_TEMP_FILE_WRITE_FAILURE).
const FULL: [u16; 4] = [1026, 1021, 1114, 1878];

/// Did the database say that its disk is full?
pub fn is_full(e: &sqlx::Error) -> bool {
    number(e).is_some_and(|n| FULL.contains(&n))
}
