//! Bringing a file in by the tus protocol (tus.io, resumable uploads 1.0.0: core, creation and termination): announced first,
//! sent in one piece or several, and gone on with where it stopped, also after a lost line or a restart of the server.

use super::state::{State, id};
use super::upload::{CHECK_EVERY, full, keep, moment, named, not_empty, not_too_large};
use crate::db::sessions;
use crate::db::uploads::{self, UploadRow};
use crate::error::{ErrorBody, ServerError};
use crate::intake::Intake;
use actix_web::http::header::{self, HeaderName, HeaderValue};
use actix_web::{HttpRequest, HttpResponse, HttpResponseBuilder, delete, head, patch, post, web};
use base64::Engine;
use fs2::FileExt;
use futures_util::StreamExt;
use marea_session::names::clean_file_name;
use uuid::Uuid;

const VERSION: &str = "1.0.0";
const RESUMABLE: HeaderName = HeaderName::from_static("tus-resumable");
const LENGTH: HeaderName = HeaderName::from_static("upload-length");
const OFFSET: HeaderName = HeaderName::from_static("upload-offset");
/// Ours: the job that reads the file, told with the last of its bytes.
const JOB: HeaderName = HeaderName::from_static("upload-job");
const METADATA: HeaderName = HeaderName::from_static("upload-metadata");
/// Files a session waits for at most.
const MOST: usize = 500;

fn answer(mut builder: HttpResponseBuilder) -> HttpResponseBuilder {
    builder.insert_header((RESUMABLE, HeaderValue::from_static(VERSION)));
    builder.insert_header((header::CACHE_CONTROL, "no-store"));
    builder
}

fn text(req: &HttpRequest, name: HeaderName) -> Option<String> {
    req.headers().get(name).and_then(|v| v.to_str().ok()).map(str::to_owned)
}

fn number(req: &HttpRequest, name: HeaderName) -> Result<u64, ServerError> {
    let missing = || ServerError::Invalid(format!("the header {name} is missing or no number"));
    text(req, name.clone()).and_then(|t| t.parse().ok()).ok_or_else(missing)
}

/// One of the pairs "key base64,key base64".
fn told(metadata: &str, key: &str) -> Option<String> {
    let pair = metadata.split(',').find_map(|p| p.trim().strip_prefix(key)?.strip_prefix(' '))?;
    String::from_utf8(base64::engine::general_purpose::STANDARD.decode(pair.trim()).ok()?).ok()
}

/// Announce a file: headers `Upload-Length` and `Upload-Metadata` (`filename`, and `at`: milliseconds since 1970 of the moment it
/// was chosen). Answers where its bytes go (`Location`). The session's check waits for it.
#[utoipa::path(responses(
    (status = 201), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody),
    (status = 503, body = ErrorBody), (status = 507, body = ErrorBody)
))]
#[post("/sessions/{session}/uploads")]
pub async fn announce(
    state: web::Data<State>,
    path: web::Path<String>,
    req: HttpRequest,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?.id;
    let metadata = text(&req, METADATA).unwrap_or_default();
    let file_name = clean_file_name(&told(&metadata, "filename").unwrap_or_default());
    let bytes = number(&req, LENGTH)?;
    not_too_large(&state, &file_name, bytes)?;
    not_empty(&file_name, bytes)?;
    if uploads::of_session(state.db(), session).await?.len() >= MOST {
        return Err(ServerError::Conflict(format!("{MOST} files are on their way already")));
    }
    state.workers.store.check_room(bytes).map_err(|e| named(e, &file_name))?;
    let position = moment(told(&metadata, "at").and_then(|t| t.parse().ok()));
    let row = UploadRow { id: Uuid::now_v7(), session_id: session, file_name, bytes, position };
    std::fs::File::create(state.workers.store.upload(row.id)).map_err(|e| full(e, &row.file_name))?;
    uploads::insert(state.db(), &row).await?;
    sessions::touch(state.db(), session).await?;
    state.workers.nudge(session);
    Ok(answer(HttpResponse::Created()).insert_header((header::LOCATION, format!("/api/uploads/{}", row.id))).finish())
}

fn received(state: &State, upload: Uuid) -> u64 {
    std::fs::metadata(state.workers.store.upload(upload)).map_or(0, |m| m.len())
}

/// How much of a file is here: `Upload-Offset` of `Upload-Length` bytes.
#[utoipa::path(responses((status = 200), (status = 404)))]
#[head("/uploads/{upload}")]
pub async fn where_it_stands(state: web::Data<State>, path: web::Path<String>) -> Result<HttpResponse, ServerError> {
    let row = uploads::get(state.db(), id(&path, "upload")?).await?;
    Ok(answer(HttpResponse::Ok())
        .insert_header((OFFSET, received(&state, row.id).to_string()))
        .insert_header((LENGTH, row.bytes.to_string()))
        .finish())
}

/// Send bytes from `Upload-Offset` on, as `application/offset+octet-stream`. With the last of them the file is a recording of the
/// session, read by a job. What arrived stays when the line breaks.
#[utoipa::path(
    request_body(content = Vec<u8>, content_type = "application/offset+octet-stream"),
    responses(
        (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody),
        (status = 503, body = ErrorBody), (status = 507, body = ErrorBody)
    )
)]
#[patch("/uploads/{upload}")]
pub async fn send(
    state: web::Data<State>,
    path: web::Path<String>,
    req: HttpRequest,
    mut body: web::Payload,
) -> Result<HttpResponse, ServerError> {
    let row = uploads::get(state.db(), id(&path, "upload")?).await?;
    let offset = number(&req, OFFSET)?;
    let place = state.workers.store.upload(row.id);
    // Locked until the answer: the server may still be reading from a lost line when the page comes again.
    let held =
        std::fs::OpenOptions::new().create(true).append(true).open(&place).map_err(|e| full(e, &row.file_name))?;
    if FileExt::try_lock_exclusive(&held).is_err() {
        return Err(ServerError::Conflict(format!("“{}” is being received already", row.file_name)));
    }
    let here = received(&state, row.id);
    if offset != here {
        return Err(ServerError::Conflict(format!("{here} bytes of “{}” are here, not {offset}", row.file_name)));
    }
    let intake = Intake::begin(&place).map_err(|e| full(e, &row.file_name))?;
    let (mut bytes, mut next_check) = (here, here + CHECK_EVERY);
    let mut refused = None;
    while let Some(Ok(chunk)) = body.next().await {
        bytes += chunk.len() as u64;
        if bytes > row.bytes {
            refused = Some(ServerError::Invalid(format!("more bytes came than “{}” has", row.file_name)));
            break;
        }
        if bytes >= next_check {
            if let Err(e) = state.workers.store.check_room(0) {
                refused = Some(named(e, &row.file_name));
                break;
            }
            uploads::touch(state.db(), row.id).await?;
            next_check = bytes + CHECK_EVERY;
        }
        if !intake.push(chunk).await {
            break;
        }
    }
    let arrived = intake.finish().await.map_err(|e| full(e, &row.file_name))?;
    if let Some(refused) = refused {
        return Err(refused);
    }
    let mut told = answer(HttpResponse::NoContent());
    told.insert_header((OFFSET, arrived.bytes.to_string()));
    if arrived.bytes == row.bytes {
        let (job, _) =
            keep(&state, row.session_id, (&row.file_name, row.position), (&place, &arrived), Some(row.id)).await?;
        told.insert_header((JOB, job.to_string()));
    }
    Ok(told.finish())
}

/// Give a file up that is still on its way.
#[utoipa::path(responses((status = 204), (status = 404, body = ErrorBody)))]
#[delete("/uploads/{upload}")]
pub async fn forget(state: web::Data<State>, path: web::Path<String>) -> Result<HttpResponse, ServerError> {
    let row = uploads::get(state.db(), id(&path, "upload")?).await?;
    uploads::delete(state.db(), row.id).await?;
    crate::store::remove(&state.workers.store.upload(row.id));
    sessions::touch(state.db(), row.session_id).await?;
    // The check may have waited for this one alone.
    state.workers.changed(row.session_id).await;
    Ok(answer(HttpResponse::NoContent()).finish())
}

/// Files of a session that are on their way, for the page.
///
/// # Errors
/// As the database says.
pub async fn shown(state: &State, session: Uuid) -> Result<Vec<uploads::Upload>, ServerError> {
    let rows = uploads::of_session(state.db(), session).await?;
    Ok(rows
        .into_iter()
        .map(|r| {
            let here = std::fs::metadata(state.workers.store.upload(r.id)).ok();
            let moved = here.as_ref().and_then(|m| m.modified().ok()).and_then(|t| t.elapsed().ok());
            uploads::Upload {
                id: r.id,
                file_name: r.file_name,
                bytes: r.bytes,
                received: here.map_or(0, |m| m.len()),
                idle_s: moved.map_or(0.0, |t| t.as_secs_f64()),
            }
        })
        .collect())
}
