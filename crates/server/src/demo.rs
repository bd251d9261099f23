//! The demo sessions, brought in the same way as anybody's files.

use crate::db::scores::{self, ScoreRow};
use crate::db::{jobs, sessions};
use crate::error::ServerError;
use crate::hash::Sum;
use crate::jobs::Workers;
use crate::tasks::Task;
use marea_scene::after::{add_after, bells_notes};
use marea_scene::evening::evening;
use marea_scene::{harbour_hall, rehearsal};
use serde::Deserialize;
use sqlx::MySqlConnection;
use std::path::{Path, PathBuf};
use utoipa::ToSchema;
use uuid::Uuid;

/// A demo session.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Demo {
    /// What went wrong with microphones, machines and clocks.
    Evening = 1,
    /// What is loose in time.
    Rehearsal = 2,
}

impl Demo {
    /// Name of its session.
    pub fn name(self) -> &'static str {
        match self {
            Self::Evening => "Harbour Hall",
            Self::Rehearsal => "Harbour Hall, rehearsal",
        }
    }

    /// Plays and records it into a folder; gives its files in the order of their tracks.
    ///
    /// # Errors
    /// As the folder says.
    pub fn record(self, folder: &Path) -> std::io::Result<Vec<PathBuf>> {
        match self {
            Self::Evening => {
                let mut evening = evening(harbour_hall::SECONDS, 1);
                add_after(&mut evening.rendered, 1);
                marea_scene::write_files(&evening.rendered, folder, harbour_hall::TIME_REFERENCE, &evening.faults)
            }
            Self::Rehearsal => {
                let played = rehearsal::rehearsal(1).rendered;
                marea_scene::write_files(&played, folder, rehearsal::TIME_REFERENCE, &[])
            }
        }
    }

    /// What its session has beside recordings.
    async fn dress(self, tx: &mut MySqlConnection, session: Uuid) -> Result<(), ServerError> {
        if self == Self::Rehearsal {
            return Ok(());
        }
        let paths = serde_json::from_str(harbour_hall::PATHS).map_err(|e| ServerError::Internal(e.to_string()))?;
        crate::db::paths::write(tx, session, Some(&paths)).await?;
        let notes =
            ScoreRow { id: Uuid::now_v7(), name: "Bells.mid".into(), content: bells_notes(harbour_hall::SECONDS) };
        scores::insert(tx, session, &notes).await
    }
}

/// Copies of recordings made before.
fn copied(files: &[PathBuf], folder: &Path) -> std::io::Result<Vec<PathBuf>> {
    std::fs::create_dir_all(folder)?;
    let copy = |file: &PathBuf| {
        let to = folder.join(file.file_name().unwrap_or_default());
        std::fs::copy(file, &to).map(|_| to)
    };
    files.iter().map(copy).collect()
}

/// Makes a demo session unless it is there; gives its id. With `recorded`, what [`Demo::record`] gave before is brought in.
///
/// # Errors
/// As store and database say.
pub async fn load(w: &Workers, demo: Demo, recorded: Option<Vec<PathBuf>>) -> Result<Uuid, ServerError> {
    if let Some(there) = sessions::demo(&w.db, demo as u8).await? {
        return Ok(there);
    }
    tracing::info!("{} is being played and recorded; this takes some seconds", demo.name());
    let part = w.store.part();
    let folder = part.clone();
    let files = actix_web::web::block(move || -> Result<Vec<(PathBuf, Vec<u8>, u64)>, ServerError> {
        let paths = recorded.map_or_else(|| demo.record(&folder), |files| copied(&files, &folder))?;
        paths.into_iter().map(|p| hash(&p).map(|(h, n)| (p, h, n))).collect()
    })
    .await??;
    let mut tx = w.db.begin().await?;
    let session = sessions::create(&mut *tx, demo.name(), demo as u8).await?;
    sqlx::query("UPDATE sessions SET bpm = ?, first_beat_frame = ? WHERE id = ?")
        .bind(harbour_hall::BPM)
        .bind(harbour_hall::FIRST_BEAT_FRAME)
        .bind(session)
        .execute(&mut *tx)
        .await?;
    demo.dress(&mut tx, session).await?;
    for (order, (path, sha256, bytes)) in (crate::clock::now_ms()..).zip(files) {
        let file_name = path.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
        w.store.keep_recording(&path, &sha256)?;
        sqlx::query("INSERT IGNORE INTO recordings (sha256, bytes) VALUES (?, ?)")
            .bind(&sha256)
            .bind(bytes)
            .execute(&mut *tx)
            .await?;
        let task = Task::Import { sha256: hex::encode(&sha256), file_name: file_name.clone(), order };
        jobs::enqueue(&mut *tx, session, &task, &format!("Bringing in {file_name}")).await?;
    }
    tx.commit().await?;
    crate::store::remove(&part);
    w.nudge(session);
    Ok(session)
}

fn hash(path: &Path) -> Result<(Vec<u8>, u64), ServerError> {
    let mut sum = Sum::default();
    let bytes = sum.read(std::fs::File::open(path)?)?;
    Ok((sum.finish(), bytes))
}
