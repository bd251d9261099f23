//! What handlers work with.

use crate::derive::{self, Derived, Now};
use crate::error::ServerError;
use crate::jobs::Workers;
use crate::settings::Settings;
use actix_web::HttpResponse;
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

    /// What is answered to whoever asks for a result: 204 when it is there, else the job that measures it.
    ///
    /// # Errors
    /// As the database says.
    pub async fn asked_for<D: Derived>(&self, now: &Now<D>) -> Result<HttpResponse, ServerError> {
        if now.is_there(self.db()).await? {
            return Ok(HttpResponse::NoContent().finish());
        }
        Ok(HttpResponse::Accepted().json(derive::begin(&self.workers, now).await?))
    }
}

/// An id from a URL.
///
/// # Errors
/// [`ServerError::NotFound`] when it is no id at all: to the caller that is the same.
pub fn id(text: &str, what: &'static str) -> Result<uuid::Uuid, ServerError> {
    text.parse().map_err(|_| ServerError::NotFound(what))
}
