//! What handlers work with.

use crate::error::ServerError;
use crate::jobs::Workers;
use crate::settings::Settings;
use sqlx::MySqlPool;
use tokio::sync::watch;

/// What handlers work with.
#[derive(Clone)]
pub struct State {
    /// Jobs, database and store.
    pub workers: Workers,
    /// Settings.
    pub settings: Settings,
    /// Becomes true when the server goes down: long connections end.
    pub ended: watch::Receiver<bool>,
}

impl State {
    /// The database.
    pub fn db(&self) -> &MySqlPool {
        &self.workers.db
    }
}

/// An id from a URL.
///
/// # Errors
/// [`ServerError::NotFound`] when it is no id at all: to the caller that is the same.
pub fn id(text: &str, what: &'static str) -> Result<uuid::Uuid, ServerError> {
    text.parse().map_err(|_| ServerError::NotFound(what))
}
