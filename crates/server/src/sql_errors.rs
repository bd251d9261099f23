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

/// MariaDB's numbers for a transaction that had to give way to another (ER_LOCK_DEADLOCK, ER_LOCK_WAIT_TIMEOUT).
const GAVE_WAY: [u16; 2] = [1213, 1205];
/// And for a server that takes no more work (ER_CON_COUNT_ERROR, ER_SERVER_SHUTDOWN, ER_QUERY_INTERRUPTED, ER_CONNECTION_KILLED).
const NO_MORE: [u16; 4] = [1040, 1053, 1317, 1927];

/// Did a transaction have to give way to another? Nothing of it was kept.
pub fn gave_way(e: &sqlx::Error) -> bool {
    number(e).is_some_and(|n| GAVE_WAY.contains(&n))
}

/// Is the database away, or too busy, so that the same may succeed later? A statement that it refused, or a row that makes no
/// sense, will be refused again.
pub fn is_away(e: &sqlx::Error) -> bool {
    use sqlx::Error::{Io, PoolClosed, PoolTimedOut, Protocol, Tls, WorkerCrashed};
    // A line that breaks within an answer shows as a breach of the protocol.
    matches!(e, Io(_) | PoolClosed | PoolTimedOut | Protocol(_) | Tls(_) | WorkerCrashed)
        || gave_way(e)
        || number(e).is_some_and(|n| NO_MORE.contains(&n))
}
