//! Long work: claimed from the database, done on blocking threads, reported as it goes, taken up again after a crash.

pub mod check;
pub mod deliver;
pub mod image;
pub mod import;
pub mod measure;

use crate::db::jobs::{self as queue, Claimed};
use crate::error::{ServerError, sentence};
use crate::store::Store;
use serde::{Deserialize, Serialize};
use sqlx::MySqlPool;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use tokio::sync::{Notify, broadcast, watch};
use uuid::Uuid;

/// What a job does. Stored as JSON; carrying one out twice does no harm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum Task {
    /// Decode an uploaded recording and add its channels as tracks.
    Import {
        /// In hex.
        sha256: String,
        /// Cleaned name.
        file_name: String,
        /// Place among the session's recordings: milliseconds since 1970 of the moment it was chosen. Jobs end in any order.
        order: i64,
    },
    /// Measure track B against track A.
    Measure {
        /// Anchor.
        a: Uuid,
        /// Other.
        b: Uuid,
    },
    /// Measure the whole session.
    Check {
        /// What it depends on: the same check is not begun twice.
        basis: String,
    },
    /// Measure the image of some tracks as they are carried.
    Image {
        /// In the order of the channels.
        tracks: Vec<Uuid>,
        /// Only between these session frames.
        #[serde(default)]
        range: Option<[i64; 2]>,
        /// What it depends on.
        basis: String,
    },
    /// Write aligned files and the sheet of values.
    Deliver(deliver::DeliverOptions),
}

impl Task {
    /// As stored beside the payload.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::Import { .. } => "import",
            Self::Measure { .. } => "measure",
            Self::Check { .. } => "check",
            Self::Image { .. } => "image",
            Self::Deliver(_) => "deliver",
        }
    }
}

/// Why a job ended without a result.
#[derive(Debug, thiserror::Error)]
pub enum JobError {
    /// Cancelled, or taken over by another worker.
    #[error("cancelled")]
    Stopped,
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
    stop: Arc<AtomicBool>,
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
        !self.stop.load(Ordering::Relaxed)
    }

    fn now(&self) -> (f64, String) {
        self.state.lock().map(|s| s.clone()).unwrap_or_default()
    }
}

/// What jobs work with.
#[derive(Clone)]
pub struct Workers {
    /// Database.
    pub db: MySqlPool,
    /// Files.
    pub store: Store,
    /// Sessions in which something moved, for listening pages of this server.
    pub moved: broadcast::Sender<Uuid>,
    wake: Arc<Notify>,
    id: Uuid,
}

impl Workers {
    /// Prepares; nothing runs yet.
    pub fn new(db: MySqlPool, store: Store) -> Self {
        Self { db, store, moved: broadcast::channel(256).0, wake: Arc::new(Notify::new()), id: Uuid::now_v7() }
    }

    /// Says that a job was queued or a session changed.
    pub fn nudge(&self, session: Uuid) {
        self.wake.notify_waiters();
        let _ = self.moved.send(session);
    }

    /// Says that a session changed, and sees to it that its check follows.
    pub async fn changed(&self, session: Uuid) {
        if let Err(e) = check::keep_up(self, session).await {
            tracing::warn!(cause = %e, "the check cannot be queued");
        }
        self.nudge(session);
    }

    /// Works with `count` jobs at a time until told to end.
    pub fn start(&self, count: usize, ended: &watch::Receiver<bool>) {
        for _ in 0..count {
            let (me, mut ended) = (self.clone(), ended.clone());
            tokio::spawn(async move {
                while !*ended.borrow() {
                    match queue::claim(&me.db, me.id).await {
                        Ok(Some(job)) => me.carry_out(job, &ended).await,
                        Ok(None) => me.rest(Duration::from_millis(500), &mut ended).await,
                        Err(e) => {
                            tracing::warn!(cause = %e, "no jobs can be claimed");
                            me.rest(Duration::from_secs(1), &mut ended).await;
                        }
                    }
                }
            });
        }
    }

    async fn rest(&self, most: Duration, ended: &mut watch::Receiver<bool>) {
        tokio::select! {
            () = self.wake.notified() => {}
            () = tokio::time::sleep(most) => {}
            _ = ended.changed() => {}
        }
    }

    async fn carry_out(&self, job: Claimed, ended: &watch::Receiver<bool>) {
        let reporter = Reporter::default();
        let task = job.payload.0.clone();
        let (id, session) = (job.id, job.session_id);
        tracing::info!(job = %id, kind = task.kind(), "job begins");
        if queue::attempts(&self.db, id).await.is_ok_and(|n| n > queue::MAX_ATTEMPTS) {
            let why = format!("it was begun {} times and never ended; it was given up", queue::MAX_ATTEMPTS);
            let _ = queue::end(&self.db, id, self.id, "failed", None, Some(sentence(&why))).await;
            return;
        }
        let work = self.work(session, id, &task, &reporter);
        tokio::pin!(work);
        let mut shown = (-1.0, String::new());
        let mut since_report = 0u32;
        let result = loop {
            tokio::select! {
                result = &mut work => break result,
                () = tokio::time::sleep(Duration::from_millis(200)) => {
                    if *ended.borrow() {
                        reporter.stop.store(true, Ordering::Relaxed);
                    }
                    since_report += 1;
                    let now = reporter.now();
                    if now == shown && since_report < 5 {
                        continue;
                    }
                    since_report = 0;
                    if queue::report(&self.db, id, self.id, now.0, &now.1).await.is_ok_and(|go_on| !go_on) {
                        reporter.stop.store(true, Ordering::Relaxed);
                    }
                    shown = now;
                    let _ = self.moved.send(session);
                }
            }
        };
        if *ended.borrow() && matches!(result, Err(JobError::Stopped)) {
            // Going down: the lease runs out and another worker begins anew.
            return;
        }
        let ending = match result {
            Ok(value) => queue::end(&self.db, id, self.id, "done", Some(value), None).await,
            Err(JobError::Stopped) => queue::end(&self.db, id, self.id, "cancelled", None, None).await,
            Err(JobError::Server(e @ ServerError::Database(_))) => {
                // Left to the lease: once the database is back the job is tried again.
                tracing::warn!(job = %id, cause = %e, "job interrupted");
                Ok(())
            }
            Err(e) => {
                tracing::warn!(job = %id, cause = %e, "job failed");
                queue::end(&self.db, id, self.id, "failed", None, Some(sentence(&e.to_string()))).await
            }
        };
        if let Err(e) = ending {
            tracing::warn!(job = %id, cause = %e, "the end of a job could not be written down");
        }
        tracing::info!(job = %id, "job ends");
        self.changed(session).await;
    }

    async fn work(
        &self,
        session: Uuid,
        job: Uuid,
        task: &Task,
        reporter: &Reporter,
    ) -> Result<serde_json::Value, JobError> {
        match task {
            Task::Import { sha256, file_name, order } => {
                import::run(self, session, sha256, file_name, *order, reporter).await
            }
            Task::Measure { a, b } => measure::run(self, session, *a, *b, reporter).await,
            Task::Check { .. } => check::run(self, session, reporter).await,
            Task::Image { tracks, range, .. } => image::run(self, session, tracks, *range, reporter).await,
            Task::Deliver(options) => deliver::run(self, session, job, options, reporter).await,
        }
    }
}

/// Milliseconds since 1970.
pub fn now_ms() -> i64 {
    i64::try_from(time::OffsetDateTime::now_utc().unix_timestamp_nanos() / 1_000_000).unwrap_or(0)
}

/// Runs a computation on a blocking thread.
///
/// # Errors
/// As the computation says, or when its thread broke.
pub async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, JobError> + Send + 'static,
) -> Result<T, JobError> {
    tokio::task::spawn_blocking(work).await.map_err(|e| JobError::Failed(format!("the computation broke off: {e}")))?
}
