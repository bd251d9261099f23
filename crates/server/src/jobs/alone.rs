//! A job in a process of its own. One that was begun several times and never ended may be the reason why the server went down;
//! apart from it, it can only bring itself down, and a server that is killed is no fault of it.

use crate::db::jobs as queue;
use crate::worker::program::Program;
use crate::worker::{Ended, JobError, LAST_WORD, Reporter, Workers};
use std::process::{ExitStatus, Stdio};
use std::time::Duration;
use tokio::process::Command;
use tokio::sync::watch;
use uuid::Uuid;

impl Workers {
    /// Hands a claimed job to a process of its own and keeps its lease.
    pub(super) async fn alone(
        &self,
        program: &Program,
        job: Uuid,
        reporter: &Reporter,
        ended: &mut watch::Receiver<bool>,
    ) -> Ended {
        tracing::info!(%job, "in a process of its own: it was begun before and never ended");
        let child = Command::new(&program.path)
            .args(["work", "--job", &job.to_string(), "--worker", &self.id.to_string()])
            .env("MAREA_DATABASE_URL", &program.database_url)
            .env("MAREA_STORE", &program.store)
            .env("MAREA_KEEP_FREE_BYTES", program.keep_free_bytes.to_string())
            // When this process is gone, the pipe ends and so does the child.
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .kill_on_drop(true)
            .spawn();
        let mut child = match child {
            Ok(child) => child,
            Err(e) => {
                return Ended::Told(Err(JobError::Failed(format!("could not be begun in a process of its own: {e}"))));
            }
        };
        // Taken out: waiting for a child closes what it still holds.
        let pipe = child.stdin.take();
        let status = tokio::select! {
            status = child.wait() => status,
            _ = ended.changed() => {
                reporter.stop.ask();
                drop(pipe);
                let _ = tokio::time::timeout(LAST_WORD, child.wait()).await;
                return Ended::GoingDown;
            }
        };
        self.after(job, status.ok()).await
    }

    async fn after(&self, job: Uuid, status: Option<ExitStatus>) -> Ended {
        match queue::is_over(&self.db, job).await {
            Ok(true) => return Ended::Elsewhere,
            Ok(false) => {}
            Err(e) => return Ended::DatabaseAway(e.to_string()),
        }
        match status.and_then(|s| s.code()) {
            // It ended in order without an end of the job: the database was away.
            Some(0) => Ended::DatabaseAway("the job was interrupted".into()),
            _ => match queue::crashed(&self.db, job).await {
                Ok(n) if n >= queue::MAX_CRASHES => Ended::Told(Err(JobError::Failed(format!(
                    "it brought its own process down {n} times and was given up; it can be tried again"
                )))),
                Ok(_) => Ended::GoingDown,
                Err(e) => Ended::DatabaseAway(e.to_string()),
            },
        }
    }

    /// What the process does: carries out one job that `worker` has claimed, and ends with its standard input.
    ///
    /// # Errors
    /// When there is no such job.
    pub async fn only(mut self, job: Uuid, worker: Uuid) -> Result<(), crate::error::ServerError> {
        self.id = worker;
        let claimed = queue::claimed(&self.db, job, worker).await?;
        let (end, mut ended) = watch::channel(false);
        std::thread::spawn(move || {
            let _ = std::io::copy(&mut std::io::stdin(), &mut std::io::sink());
            let _ = end.send(true);
            // A computation that does not listen ends with the process.
            std::thread::sleep(LAST_WORD + Duration::from_millis(300));
            std::process::exit(0);
        });
        let result = self.watched(&claimed, &Reporter::default(), &mut ended).await;
        self.finish(job, result, &mut ended).await;
        Ok(())
    }
}
