//! Bringing files in as one form: for scripts. Pages send each file by itself and go on where they stopped, see
//! [`super::uploads`].

use super::state::{State, id};
use crate::clock::now_ms;
use crate::db::{self, jobs, sessions};
use crate::error::{ErrorBody, ServerError, sentence};
use crate::intake::{Arrived, Intake, Part};
use crate::tasks::Task;
use actix_multipart::{Field, Multipart};
use actix_web::{HttpResponse, post, web};
use futures_util::TryStreamExt;
use marea_session::names::clean_file_name;
use serde::{Deserialize, Serialize};
use sqlx::MySqlPool;
use std::path::Path;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// What became of a file: it has a job, or a sentence that says why it was not taken.
#[derive(Debug, Serialize, ToSchema)]
pub struct Uploaded {
    /// Its name as shown.
    pub file_name: String,
    /// The job that reads it.
    pub job: Option<Uuid>,
    /// SHA-256 in hex.
    pub sha256: Option<String>,
    /// Bytes.
    pub bytes: u64,
    /// The same bytes were in the store already.
    pub known: bool,
    /// Why it was not taken.
    pub error: Option<ErrorBody>,
}

/// When the file was chosen: keeps files in the order in which they were picked, whichever arrives first.
#[derive(Debug, Deserialize, IntoParams)]
pub struct Chosen {
    /// Milliseconds since 1970; now, when it is not given.
    pub at: Option<i64>,
}

/// Check for room after so many bytes.
pub(super) const CHECK_EVERY: u64 = 8 << 20;

/// A moment that a column of the database can hold: between 1970 and the year 9999.
pub(super) fn moment(at: Option<i64>) -> i64 {
    at.unwrap_or_else(now_ms).clamp(0, 253_402_300_799_000)
}

/// Bring in recordings as multipart/form-data; every part with a file name is one. Read by a job each. What was taken and what
/// was not is told file by file; 422 only when none was taken.
#[utoipa::path(
    params(Chosen),
    request_body(content = Vec<u8>, content_type = "multipart/form-data"),
    responses(
        (status = 202, body = Vec<Uploaded>), (status = 400, body = ErrorBody), (status = 404, body = ErrorBody),
        (status = 422, body = ErrorBody), (status = 503, body = ErrorBody), (status = 507, body = ErrorBody)
    )
)]
#[post("/sessions/{session}/recordings")]
pub async fn upload(
    state: web::Data<State>,
    path: web::Path<String>,
    chosen: web::Query<Chosen>,
    mut form: Multipart,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?.id;
    let mut told: Vec<Uploaded> = Vec::new();
    let mut first_error = None;
    loop {
        let mut field = match form.try_next().await {
            Ok(Some(field)) => field,
            Ok(None) => break,
            Err(e) => {
                first_error.get_or_insert(broken(&e));
                break;
            }
        };
        let Some(raw_name) = field.content_disposition().and_then(|d| d.get_filename()).map(str::to_owned) else {
            continue;
        };
        let file_name = clean_file_name(&raw_name);
        match one(&state, session, &file_name, &mut field, moment(chosen.at)).await {
            Ok(taken) => told.push(taken),
            Err(e) => {
                let error = ErrorBody { code: e.code().into(), message: sentence(&e.to_string()) };
                let empty = Uploaded { file_name, job: None, sha256: None, bytes: 0, known: false, error: Some(error) };
                told.push(empty);
                first_error.get_or_insert(e);
            }
        }
    }
    if told.iter().any(|t| t.job.is_some()) {
        return Ok(HttpResponse::Accepted().json(told));
    }
    Err(first_error.unwrap_or_else(|| ServerError::Invalid("the upload holds no file".into())))
}

fn broken(e: &actix_multipart::MultipartError) -> ServerError {
    ServerError::Invalid(format!("the upload broke off: {e}; nothing of this file was kept"))
}

async fn one(
    state: &State,
    session: Uuid,
    file_name: &str,
    field: &mut Field,
    order: i64,
) -> Result<Uploaded, ServerError> {
    state.workers.store.check_room(0).map_err(|e| named(e, file_name))?;
    let part = Part(state.workers.store.part());
    let intake = Intake::begin(&part.0).map_err(|e| full(e, file_name))?;
    let (mut bytes, mut next_check) = (0u64, CHECK_EVERY);
    while let Some(chunk) = field.try_next().await.map_err(|e| broken(&e))? {
        bytes += chunk.len() as u64;
        not_too_large(state, file_name, bytes)?;
        if bytes >= next_check {
            state.workers.store.check_room(0).map_err(|e| named(e, file_name))?;
            next_check = bytes + CHECK_EVERY;
        }
        if !intake.push(chunk).await {
            break;
        }
    }
    let arrived = intake.finish().await.map_err(|e| full(e, file_name))?;
    not_empty(file_name, arrived.bytes)?;
    let (job, known) = keep(state, session, (file_name, order), (&part.0, &arrived), None).await?;
    let sha256 = Some(hex::encode(&arrived.sha256));
    Ok(Uploaded { file_name: file_name.into(), job: Some(job), sha256, bytes: arrived.bytes, known, error: None })
}

pub(super) fn not_empty(file_name: &str, bytes: u64) -> Result<(), ServerError> {
    if bytes > 0 { Ok(()) } else { Err(ServerError::Invalid(format!("“{file_name}” is empty"))) }
}

pub(super) fn not_too_large(state: &State, file_name: &str, bytes: u64) -> Result<(), ServerError> {
    let most = state.settings.max_upload_bytes;
    if bytes <= most {
        Ok(())
    } else {
        Err(ServerError::Invalid(format!("“{file_name}” is larger than {} MB", most >> 20)))
    }
}

/// Moves a file that is wholly there into the store and queues its import. The file first, the rows after it: a crash between
/// leaves a file that the next upload finds again.
pub(super) async fn keep(
    state: &State,
    session: Uuid,
    (file_name, order): (&str, i64),
    (part, arrived): (&Path, &Arrived),
    announced: Option<Uuid>,
) -> Result<(Uuid, bool), ServerError> {
    let known = state.workers.store.keep_recording(part, &arrived.sha256).map_err(|e| full(e, file_name))?;
    let task = Task::Import { sha256: hex::encode(&arrived.sha256), file_name: file_name.into(), order };
    let title = format!("Bringing in {file_name}");
    let rows = Rows { session, task: &task, title: &title, arrived, announced };
    let job = db::again(|| Box::pin(rows.write(state.db()))).await?;
    state.workers.nudge(session);
    Ok((job, known))
}

/// What is written down of a file that is in the store.
struct Rows<'a> {
    session: Uuid,
    task: &'a Task,
    title: &'a str,
    arrived: &'a Arrived,
    announced: Option<Uuid>,
}

impl Rows<'_> {
    async fn write(&self, db: &MySqlPool) -> Result<Uuid, ServerError> {
        let mut tx = db.begin().await?;
        // The session is locked first, so that two at once wait for one another instead of each holding what the other needs.
        sessions::touch(&mut *tx, self.session).await?;
        sqlx::query("INSERT INTO recordings (sha256, bytes) VALUES (?, ?) ON DUPLICATE KEY UPDATE bytes = bytes")
            .bind(&self.arrived.sha256)
            .bind(self.arrived.bytes)
            .execute(&mut *tx)
            .await?;
        if let Some(known_as) = self.announced {
            db::uploads::delete(&mut *tx, known_as).await?;
        }
        let job = jobs::enqueue(&mut *tx, self.session, self.task, self.title).await?;
        tx.commit().await?;
        Ok(job)
    }
}

pub(super) fn full(e: std::io::Error, file_name: &str) -> ServerError {
    match e.kind() {
        std::io::ErrorKind::StorageFull => ServerError::DiskFull(format!("“{file_name}” was not kept")),
        _ => ServerError::Store(e),
    }
}

pub(super) fn named(e: ServerError, file: &str) -> ServerError {
    match e {
        ServerError::DiskFull(why) => ServerError::DiskFull(format!("“{file}” was not kept; {why}")),
        other => other,
    }
}
