//! Results are asked for, measured, kept, and kept up.

use super::kind::{Derived, Now};
use super::work::Work;
use crate::db::{again, decisions, derived, jobs, scores, sessions};
use crate::error::ServerError;
use crate::tasks::Task;
use crate::worker::{JobError, Reporter, Workers, blocking};
use marea_core::units::SampleRate;
use sqlx::MySqlPool;
use uuid::Uuid;

impl<D: Derived> Now<D> {
    fn task(&self) -> Task {
        Task::Derive { of: self.of.clone().into(), basis: self.basis.clone() }
    }
}

/// Begins to measure, unless that is under way; gives the job.
///
/// # Errors
/// As the database says.
pub async fn begin<D: Derived>(w: &Workers, now: &Now<D>) -> Result<Uuid, ServerError> {
    let (session, task) = (now.session.id, now.task());
    let job = again(|| Box::pin(asked(&w.db, now, &task))).await?;
    w.nudge(session);
    Ok(job)
}

async fn asked<D: Derived>(db: &MySqlPool, now: &Now<D>, task: &Task) -> Result<Uuid, ServerError> {
    let (mut tx, session) = (db.begin().await?, now.session.id);
    decisions::lock(&mut tx, session).await?;
    let job = match jobs::pending(&mut *tx, session, task).await? {
        Some(job) => job,
        None => jobs::enqueue(&mut *tx, session, task, &now.of.title(&now.tracks)).await?,
    };
    tx.commit().await?;
    Ok(job)
}

/// Begins to measure what a session always has, when the last result no longer fits and nothing else is under way. One that was
/// cancelled is not begun again before something changes.
///
/// # Errors
/// As the database says.
pub async fn keep_up<D: Derived>(w: &Workers, session: Uuid, of: D) -> Result<(), ServerError> {
    again(|| Box::pin(follow(&w.db, session, of.clone()))).await
}

/// Decisions lock the session as well. Without the lock, one that looked before a decision and acts after it would end the work
/// that the decision asked for.
async fn follow<D: Derived>(db: &MySqlPool, session: Uuid, of: D) -> Result<(), ServerError> {
    let mut tx = db.begin().await?;
    let now = match decisions::lock(&mut tx, session).await {
        Ok(_) => Now::within(&mut tx, session, of).await,
        Err(e) => Err(e),
    };
    let now = match now {
        Err(ServerError::NotFound(_) | ServerError::Conflict(_)) => return Ok(()),
        now => now?,
    };
    if now.tracks.is_empty() || jobs::importing(&mut *tx, session).await? {
        return Ok(());
    }
    // Also when nothing is to be done: what still runs for a state that was taken back would overwrite what fits.
    jobs::supersede(&mut *tx, session, &now.task()).await?;
    if !now.is_there(&mut *tx).await? && !jobs::known(&mut *tx, session, &now.task()).await? {
        jobs::enqueue(&mut *tx, session, &now.task(), &now.of.title(&now.tracks)).await?;
    }
    tx.commit().await?;
    Ok(())
}

/// Measures and keeps the result.
///
/// # Errors
/// As [`JobError`] says.
pub async fn run<D: Derived>(
    w: &Workers,
    session: Uuid,
    of: &D,
    reporter: &Reporter,
) -> Result<serde_json::Value, JobError> {
    let now = Now::of(&w.db, session, of.clone()).await?;
    let rate = SampleRate::new(u64::from(now.session.rate()?)).map_err(|e| JobError::Failed(e.to_string()))?;
    let work = Work {
        tracks: now.tracks,
        rate,
        air: now.session.air(),
        first_beat_frame: now.session.first_beat_frame,
        tempo: now.session.tempo(),
        scores: scores::of_session(&w.db, session).await?,
        store: w.store.clone(),
        reporter: reporter.clone(),
        cells: w.cells.clone(),
        known: w.known.clone(),
    };
    let what = of.clone();
    let measured = blocking(move || what.measure(&work)).await?;
    put(&w.db, session, of, &now.basis, &measured).await?;
    sessions::touch(&w.db, session).await?;
    Ok(of.note(&measured))
}

/// Keeps a result. One that was overtaken and ends late never takes the place of one that fits the session as it is now.
///
/// # Errors
/// As the database says.
pub async fn put<D: Derived>(
    db: &MySqlPool,
    session: Uuid,
    of: &D,
    basis: &str,
    result: &D::Measured,
) -> Result<(), ServerError> {
    let mut tx = db.begin().await?;
    // Decisions lock the session as well: until this ends, "now" stays now.
    decisions::lock(&mut tx, session).await?;
    let now = match Now::within(&mut tx, session, of.clone()).await {
        // Its tracks are gone: nobody will ask for it.
        Err(ServerError::NotFound(_)) => return Ok(()),
        now => now?,
    };
    let stored = derived::basis(&mut *tx, &now.row()).await?;
    if basis != now.basis && stored.is_some_and(|s| s == now.basis) {
        return Ok(());
    }
    derived::put(&mut *tx, &now.row(), basis, result).await?;
    tx.commit().await?;
    Ok(())
}
