//! What jobs work with, how they tell how far they are, and how they end.

pub mod cells;
pub mod known;
pub mod program;

use crate::error::ServerError;
use crate::store::Store;
use cells::Cells;
use known::Known;
use marea_media::Stop;
use program::Program;
use sqlx::MySqlPool;
use std::sync::{Arc, Mutex};
use std::time::Duration;
use tokio::sync::{Notify, broadcast};
use uuid::Uuid;

/// Why a job ended without a result.
#[derive(Debug, thiserror::Error)]
pub enum JobError {
    /// Cancelled, or taken over by another worker.
    #[error("cancelled")]
    Stopped,
    /// Our own mistake; the log knows more.
    #[error("something went wrong inside while this was worked on; it can be tried again")]
    Broken,
    /// It cannot be done; the sentence says why.
    #[error("{0}")]
    Failed(String),
    /// The database went away: another attempt will do.
    #[error(transparent)]
    Server(#[from] ServerError),
}

impl From<sqlx::Error> for JobError {
    fn from(e: sqlx::Error) -> Self {
        Self::Server(e.into())
    }
}

/// How a blocking job says how far it is.
#[derive(Clone, Default)]
pub struct Reporter {
    state: Arc<Mutex<(f64, String)>>,
    pub(crate) stop: Stop,
}

impl Reporter {
    /// Part done and what is being done; `false` asks to stop.
    pub fn report(&self, progress: f64, doing: &str) -> bool {
        if let Ok(mut s) = self.state.lock() {
            s.0 = progress;
            if s.1 != doing {
                doing.clone_into(&mut s.1);
            }
        }
        !self.stop.asked()
    }

    /// The word to stop, for what cannot report.
    pub fn stop(&self) -> Stop {
        self.stop.clone()
    }

    pub(crate) fn now(&self) -> (f64, String) {
        self.state.lock().map(|s| s.clone()).unwrap_or_default()
    }
}

/// How a job ended.
pub(crate) enum Ended {
    /// With a result, or with the reason why there is none.
    Told(Result<serde_json::Value, JobError>),
    /// In a process of its own, which has written the end down.
    Elsewhere,
    /// The server goes down.
    GoingDown,
    /// The database could not be asked.
    DatabaseAway(String),
}

/// How long a job has for a safe place to stop at when the server goes down.
pub(crate) const LAST_WORD: Duration = Duration::from_millis(1_200);

/// What jobs work with.
#[derive(Clone)]
pub struct Workers {
    /// Database.
    pub db: MySqlPool,
    /// Files.
    pub store: Store,
    /// Sessions that changed, for the pages that listen to this server.
    pub moved: broadcast::Sender<Uuid>,
    /// How this program is called for a job alone; none where jobs are never carried out alone.
    pub program: Option<Arc<Program>>,
    /// What was measured of sources in microphones before.
    pub cells: Arc<Cells>,
    /// Strokes, layers and takes that were heard before.
    pub known: Arc<Known>,
    pub(crate) wake: Arc<Notify>,
    pub(crate) id: Uuid,
}

impl From<JobError> for ServerError {
    /// What a request gets that waited for a computation.
    fn from(e: JobError) -> Self {
        match e {
            JobError::Server(e) => e,
            e => Self::Conflict(e.to_string()),
        }
    }
}

impl Workers {
    /// Prepares; nothing runs yet.
    pub fn new(db: MySqlPool, store: Store) -> Self {
        let (moved, wake) = (broadcast::channel(256).0, Arc::new(Notify::new()));
        Self { db, store, moved, program: None, cells: Arc::default(), known: Arc::default(), wake, id: Uuid::now_v7() }
    }

    /// Says that a job was queued or a session changed.
    pub fn nudge(&self, session: Uuid) {
        self.wake.notify_waiters();
        let _ = self.moved.send(session);
    }
}

/// Runs a computation on a blocking thread.
///
/// # Errors
/// As the computation says, or when its thread broke.
pub async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, JobError> + Send + 'static,
) -> Result<T, JobError> {
    // What went wrong inside is in the log; the person is told what it means.
    tokio::task::spawn_blocking(work).await.map_err(|e| {
        tracing::error!(cause = %e, "a computation broke off");
        JobError::Broken
    })?
}
