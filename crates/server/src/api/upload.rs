//! Bringing files in: streamed to disk, hashed on the way.

use super::{State, id};
use crate::db::{jobs, sessions};
use crate::error::{ErrorBody, ServerError};
use crate::jobs::{Task, now_ms};
use crate::names::clean_file_name;
use crate::store::remove;
use actix_multipart::Multipart;
use actix_web::{HttpResponse, post, web};
use futures_util::TryStreamExt;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::path::PathBuf;
use tokio::io::AsyncWriteExt;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// A file that was taken.
#[derive(Debug, Serialize, ToSchema)]
pub struct Uploaded {
    /// Its name as shown.
    pub file_name: String,
    /// The job that reads it.
    pub job: Uuid,
    /// SHA-256 in hex.
    pub sha256: String,
    /// Bytes.
    pub bytes: u64,
    /// The same bytes were in the store already.
    pub known: bool,
}

/// When the file was chosen: keeps files in the order in which they were picked, whichever arrives first.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Chosen {
    /// Milliseconds since 1970; now, when it is not given.
    pub at: Option<i64>,
}

/// A file that is removed unless it was kept: an upload cut off half way leaves nothing.
struct Part(PathBuf);

impl Drop for Part {
    fn drop(&mut self) {
        remove(&self.0);
    }
}

/// Check for room after so many bytes.
const CHECK_EVERY: u64 = 8 << 20;

/// Bring in recordings as multipart/form-data; every part with a file name is one. Read by a job each.
#[utoipa::path(
    params(Chosen),
    request_body(content = Vec<u8>, content_type = "multipart/form-data"),
    responses((status = 202, body = Vec<Uploaded>), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody), (status = 507, body = ErrorBody))
)]
#[post("/sessions/{session}/recordings")]
pub async fn upload(
    state: web::Data<State>,
    path: web::Path<String>,
    chosen: web::Query<Chosen>,
    mut form: Multipart,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    let broken = |e: actix_multipart::MultipartError| {
        ServerError::Invalid(format!("the upload broke off: {e}; nothing of this file was kept"))
    };
    let mut taken = Vec::new();
    while let Some(mut field) = form.try_next().await.map_err(broken)? {
        let Some(raw_name) = field.content_disposition().and_then(|d| d.get_filename()).map(str::to_owned) else {
            continue;
        };
        let file_name = clean_file_name(&raw_name);
        let full = |e: std::io::Error| match e.kind() {
            std::io::ErrorKind::StorageFull => ServerError::DiskFull(format!("“{file_name}” was not kept")),
            _ => ServerError::Store(e),
        };
        state.workers.store.check_room(0).map_err(|e| named(e, &file_name))?;
        let part = Part(state.workers.store.part());
        let mut out = tokio::fs::File::create(&part.0).await.map_err(full)?;
        let (mut hash, mut bytes, mut next_check) = (Sha256::new(), 0u64, CHECK_EVERY);
        while let Some(chunk) = field.try_next().await.map_err(broken)? {
            bytes += chunk.len() as u64;
            if bytes > state.settings.max_upload_bytes {
                return Err(ServerError::Invalid(format!(
                    "“{file_name}” is larger than {} MB",
                    state.settings.max_upload_bytes >> 20
                )));
            }
            if bytes >= next_check {
                state.workers.store.check_room(0).map_err(|e| named(e, &file_name))?;
                next_check = bytes + CHECK_EVERY;
            }
            hash.update(&chunk);
            out.write_all(&chunk).await.map_err(full)?;
        }
        out.sync_all().await.map_err(full)?;
        drop(out);
        if bytes == 0 {
            return Err(ServerError::Invalid(format!("“{file_name}” is empty")));
        }
        let sha256 = hash.finalize().to_vec();
        let place = state.workers.store.recording(&sha256);
        let known = place.exists();
        // The file first, the row after it: a crash between leaves a file that the next upload finds again.
        state.workers.store.keep(&part.0, &place).map_err(full)?;
        let task = Task::Import {
            sha256: hex::encode(&sha256),
            file_name: file_name.clone(),
            order: chosen.at.unwrap_or_else(now_ms),
        };
        let mut tx = state.db().begin().await?;
        sqlx::query("INSERT IGNORE INTO recordings (sha256, bytes) VALUES (?, ?)")
            .bind(&sha256)
            .bind(bytes)
            .execute(&mut *tx)
            .await?;
        let job = jobs::enqueue(&mut *tx, session.id, &task, &format!("Bringing in {file_name}")).await?;
        tx.commit().await?;
        state.workers.nudge(session.id);
        taken.push(Uploaded { file_name, job, sha256: hex::encode(&sha256), bytes, known });
    }
    if taken.is_empty() {
        return Err(ServerError::Invalid("the upload holds no file".into()));
    }
    Ok(HttpResponse::Accepted().json(taken))
}

fn named(e: ServerError, file: &str) -> ServerError {
    match e {
        ServerError::DiskFull(why) => ServerError::DiskFull(format!("“{file}” was not kept; {why}")),
        other => other,
    }
}
