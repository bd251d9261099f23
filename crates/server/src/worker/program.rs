//! How this program is called for one job.

use std::path::PathBuf;

/// How this program is called for one job.
#[derive(Debug, Clone)]
pub struct Program {
    /// The program itself.
    pub path: PathBuf,
    /// Its database.
    pub database_url: String,
    /// Its store.
    pub store: PathBuf,
    /// What must stay free there.
    pub keep_free_bytes: u64,
}
