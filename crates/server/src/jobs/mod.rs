//! Long work: claimed from the database, done on blocking threads, reported as it goes, taken up again after a crash.

pub mod alone;
pub mod deliver;
pub mod follow;
pub mod import;
pub mod made;
pub mod results;
pub mod retune;
pub mod widen;

pub use crate::worker::program::Program;
pub use crate::worker::{JobError, Reporter, Workers, blocking};

use crate::db::again;
use crate::db::jobs::{self as queue, Claimed, End};
use crate::derive;
use crate::derive::check::CheckOf;
use crate::error::{ServerError, sentence};
use crate::tasks::{Subject, Task};
use crate::worker::{Ended, LAST_WORD};
use std::convert::Infallible;
use std::time::Duration;
use tokio::sync::watch;
use tokio::task::JoinHandle;
use uuid::Uuid;

/// A check that could not be queued is tried this often again, this far apart.
const KEEP_UP_TRIES: u32 = 120;
const KEEP_UP_PAUSE: Duration = Duration::from_secs(1);

impl Workers {
    /// Says that a session changed, and sees to it that its check follows.
    pub async fn changed(&self, session: Uuid) {
        let me = self.clone();
        // In a task of its own: a request is dropped where it waits when its client goes away.
        let kept = tokio::spawn(async move {
            let kept = derive::keep_up(&me, session, CheckOf).await;
            me.nudge(session);
            if let Err(e) = kept {
                tracing::warn!(cause = %e, "the check cannot be queued yet");
                tokio::spawn(async move { me.keep_up_later(session).await });
            }
        });
        let _ = kept.await;
    }

    /// Nobody would ask again for a check that could not be queued: the database was away, or has no room.
    async fn keep_up_later(&self, session: Uuid) {
        for _ in 0..KEEP_UP_TRIES {
            tokio::time::sleep(KEEP_UP_PAUSE).await;
            if derive::keep_up(self, session, CheckOf).await.is_ok() {
                return self.nudge(session);
            }
        }
        tracing::warn!(%session, "the check was not queued; the next change of the session will");
    }

    /// Works with `count` jobs at a time until told to end; the handles end once what was at work is given back.
    pub fn start(&self, count: usize, ended: &watch::Receiver<bool>) -> Vec<JoinHandle<()>> {
        let worker = |_| {
            // Each under a name of its own: one that takes over a job whose lease ran out is not the one that still works on it.
            let (me, mut ended) = (Self { id: Uuid::now_v7(), ..self.clone() }, ended.clone());
            tokio::spawn(async move {
                while !*ended.borrow() {
                    match queue::claim(&me.db, me.id).await {
                        Ok(Some(job)) => me.carry_out(job, &mut ended).await,
                        Ok(None) => me.rest(Duration::from_millis(500), &mut ended).await,
                        Err(e) => {
                            tracing::warn!(cause = %e, "no jobs can be claimed");
                            me.rest(Duration::from_secs(1), &mut ended).await;
                        }
                    }
                }
            })
        };
        (0..count).map(worker).collect()
    }

    async fn rest(&self, most: Duration, ended: &mut watch::Receiver<bool>) {
        tokio::select! {
            () = self.wake.notified() => {}
            () = tokio::time::sleep(most) => {}
            _ = ended.changed() => {}
        }
    }

    async fn carry_out(&self, job: Claimed, ended: &mut watch::Receiver<bool>) {
        let reporter = Reporter::default();
        let (id, session) = (job.id, job.session_id);
        tracing::info!(job = %id, kind = job.payload.kind(), "job begins");
        let result = match &self.program {
            Some(program) if job.attempts >= queue::ALONE_FROM => self.alone(program, id, &reporter, ended).await,
            _ => self.watched(&job, &reporter, ended).await,
        };
        if !self.finish(id, result, ended).await {
            return;
        }
        tracing::info!(job = %id, "job ends");
        if let Err(e) = queue::prune(&self.db, session).await {
            tracing::warn!(cause = %e, "old jobs cannot be removed");
        }
        self.changed(session).await;
    }

    /// Carries a job out here, tells how far it is, and stops it when it was cancelled, taken over, or the server ends.
    async fn watched(&self, job: &Claimed, reporter: &Reporter, ended: &mut watch::Receiver<bool>) -> Ended {
        let work = self.work(job.session_id, job.id, &job.payload, reporter);
        // Beside the work and never instead of it: telling waits for the session's row where a job is about to keep its result,
        // and that job would not go on.
        let telling = self.tell(job, reporter);
        tokio::pin!(work, telling);
        tokio::select! {
            result = &mut work => match result {
                Err(JobError::Stopped) if *ended.borrow() => Ended::GoingDown,
                Err(JobError::Server(ServerError::Database(e))) => Ended::DatabaseAway(e.to_string()),
                result => Ended::Told(result),
            },
            _ = ended.changed() => {
                reporter.stop.ask();
                // A computation that does not listen is left behind: whatever it still writes is dropped with the process.
                let _ = tokio::time::timeout(LAST_WORD, &mut work).await;
                Ended::GoingDown
            }
            never = &mut telling => match never {},
        }
    }

    /// Writes down how far a job is, five times a second where that changes, and asks it to stop when nobody wants it any more.
    async fn tell(&self, job: &Claimed, reporter: &Reporter) -> Infallible {
        let mut shown = (-1.0, String::new());
        let mut since_report = 0u32;
        loop {
            tokio::time::sleep(Duration::from_millis(200)).await;
            since_report += 1;
            let now = reporter.now();
            if now == shown && since_report < 5 {
                continue;
            }
            since_report = 0;
            if queue::report(&self.db, job.id, self.id, now.0, &now.1).await.is_ok_and(|go_on| !go_on) {
                reporter.stop.ask();
            }
            shown = now;
            let _ = self.moved.send(job.session_id);
        }
    }

    /// Writes the end of a job down; `false` when the server goes down and the job waits for another.
    async fn finish(&self, id: Uuid, result: Ended, ended: &mut watch::Receiver<bool>) -> bool {
        let ending = match result {
            Ended::GoingDown => {
                // Telling how far it was may still hold the row.
                if let Err(e) = again(|| Box::pin(queue::release(&self.db, id, self.id))).await {
                    tracing::warn!(job = %id, cause = %e, "a job could not be given back; its lease will run out");
                }
                return false;
            }
            Ended::DatabaseAway(cause) => {
                tracing::warn!(job = %id, %cause, "job interrupted");
                // Given back, not counted, as soon as the database can be asked; once also where the server goes down meanwhile.
                while queue::release(&self.db, id, self.id).await.is_err() && !*ended.borrow() {
                    self.rest(Duration::from_secs(1), ended).await;
                }
                return false;
            }
            Ended::Elsewhere => Ok(()),
            Ended::Told(Ok(value)) => queue::end(&self.db, id, self.id, End::Done(value)).await,
            Ended::Told(Err(JobError::Stopped)) => queue::end(&self.db, id, self.id, End::Cancelled).await,
            Ended::Told(Err(e)) => {
                tracing::warn!(job = %id, cause = %e, "job failed");
                queue::end(&self.db, id, self.id, End::Failed(sentence(&e.to_string()))).await
            }
        };
        if let Err(e) = ending {
            tracing::warn!(job = %id, cause = %e, "the end of a job could not be written down");
        }
        true
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
                import::run(self, session, (sha256, file_name, *order), reporter).await
            }
            Task::Derive { of: Subject::Check, .. } => derive::run(self, session, &CheckOf, reporter).await,
            Task::Derive { of: Subject::Pair(pair), .. } => derive::run(self, session, pair, reporter).await,
            Task::Derive { of: Subject::Image(image), .. } => derive::run(self, session, image, reporter).await,
            Task::Derive { of: Subject::Print(print), .. } => derive::run(self, session, print, reporter).await,
            Task::Derive { of: Subject::Send(send), .. } => derive::run(self, session, send, reporter).await,
            Task::Derive { of: Subject::Clocks(clocks), .. } => derive::run(self, session, clocks, reporter).await,
            Task::Derive { of: Subject::Notes(notes), .. } => derive::run(self, session, notes, reporter).await,
            Task::Derive { of: Subject::Tempo(tempo), .. } => derive::run(self, session, tempo, reporter).await,
            Task::Derive { of: Subject::Timing(timing), .. } => derive::run(self, session, timing, reporter).await,
            Task::Derive { of: Subject::Layer(layer), .. } => derive::run(self, session, layer, reporter).await,
            Task::Derive { of: Subject::Takes(takes), .. } => derive::run(self, session, takes, reporter).await,
            Task::Derive { of: Subject::Noises(noises), .. } => derive::run(self, session, noises, reporter).await,
            Task::Derive { of: Subject::Double(double), .. } => derive::run(self, session, double, reporter).await,
            Task::Derive { of: Subject::Pitch(pitch), .. } => derive::run(self, session, pitch, reporter).await,
            Task::Derive { of: Subject::Wide(wide), .. } => derive::run(self, session, wide, reporter).await,
            Task::Follow(doubles) => follow::run(self, session, doubles, reporter).await,
            Task::Retune(of) => retune::run(self, session, of, reporter).await,
            Task::Widen(of) => widen::run(self, session, of, reporter).await,
            Task::Deliver(options) => deliver::run(self, session, job, options, reporter).await,
        }
    }
}
