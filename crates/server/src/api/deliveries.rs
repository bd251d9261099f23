//! Aligned files and the sheet of values.

use super::state::{State, id};
use crate::db::jobs::{self, Job};
use crate::db::{sessions, tracks};
use crate::error::{ErrorBody, ServerError};
use crate::tasks::{DeliverOptions, Task};
use actix_files::NamedFile;
use actix_web::http::header::{Charset, ContentDisposition, DispositionParam, DispositionType, ExtendedValue};
use actix_web::{HttpResponse, get, post, web};
use std::io::Write;
use std::path::{Path, PathBuf};

/// Write a delivery; answers the job, whose result lists the files.
#[utoipa::path(responses((status = 202, content_type = "application/json", body = uuid::Uuid), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/deliveries")]
pub async fn request_delivery(
    state: web::Data<State>,
    path: web::Path<String>,
    options: web::Json<DeliverOptions>,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    let rows = tracks::of_session(state.db(), session.id).await?;
    if let Some(unknown) = options.tracks.iter().find(|id| !rows.iter().any(|t| t.id == **id)) {
        return Err(ServerError::Invalid(format!("track {unknown} is not in this session")));
    }
    let task = Task::Deliver(options.into_inner());
    let job = jobs::enqueue(state.db(), session.id, &task, &format!("Delivering {}", session.name)).await?;
    state.workers.nudge(session.id);
    Ok(HttpResponse::Accepted().json(job))
}

/// Deliveries of a session, newest first.
#[utoipa::path(responses((status = 200, body = Vec<Job>), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}/deliveries")]
pub async fn list_deliveries(
    state: web::Data<State>,
    path: web::Path<String>,
) -> Result<web::Json<Vec<Job>>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    Ok(web::Json(jobs::deliveries(state.db(), session.id).await?))
}

/// The folder of a finished delivery.
async fn folder(state: &State, job: &str) -> Result<PathBuf, ServerError> {
    let job = jobs::get(state.db(), id(job, "delivery")?).await?;
    let folder = state.workers.store.delivery(job.id);
    if job.kind == "deliver" && folder.is_dir() { Ok(folder) } else { Err(ServerError::NotFound("delivery")) }
}

fn attachment(name: &str) -> ContentDisposition {
    ContentDisposition {
        disposition: DispositionType::Attachment,
        parameters: vec![DispositionParam::FilenameExt(ExtendedValue {
            charset: Charset::Ext("UTF-8".into()),
            language_tag: None,
            value: name.as_bytes().to_vec(),
        })],
    }
}

/// One file of a delivery.
#[utoipa::path(responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = ErrorBody)))]
#[get("/deliveries/{job}/files/{name}")]
pub async fn download_file(
    state: web::Data<State>,
    path: web::Path<(String, String)>,
) -> Result<NamedFile, ServerError> {
    let folder = folder(&state, &path.0).await?;
    // Only names that are really there: no path in the URL is ever followed.
    let found = std::fs::read_dir(&folder)?.flatten().find(|e| e.file_name().to_str() == Some(&path.1));
    let entry = found.ok_or(ServerError::NotFound("file"))?;
    Ok(NamedFile::open(entry.path())?.set_content_disposition(attachment(&path.1)))
}

/// All files of a delivery in one ZIP archive.
#[utoipa::path(responses((status = 200, content_type = "application/zip", body = Vec<u8>), (status = 404, body = ErrorBody), (status = 507, body = ErrorBody)))]
#[get("/deliveries/{job}/archive.zip")]
pub async fn download_archive(state: web::Data<State>, path: web::Path<String>) -> Result<NamedFile, ServerError> {
    let folder = folder(&state, &path).await?;
    let store = state.workers.store.clone();
    let place = folder.with_extension("zip");
    let made = place.clone();
    web::block(move || -> Result<(), ServerError> {
        if made.exists() {
            return Ok(());
        }
        store.check_room(size_of(&folder))?;
        let part = store.part();
        zip_folder(&folder, &part).inspect_err(|_| crate::store::remove(&part))?;
        Ok(store.keep(&part, &made)?)
    })
    .await??;
    Ok(NamedFile::open(place)?.set_content_disposition(attachment("aligned.zip")))
}

/// Stored, not compressed: sound hardly shrinks, and reading on is faster.
fn zip_folder(folder: &Path, to: &Path) -> Result<(), ServerError> {
    let broken = |e: zip::result::ZipError| match e {
        zip::result::ZipError::Io(e) => archive_error(e),
        e => ServerError::Internal(e.to_string()),
    };
    let mut zip = zip::ZipWriter::new(std::io::BufWriter::new(std::fs::File::create(to)?));
    let options =
        zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored).large_file(true);
    let mut entries: Vec<_> = std::fs::read_dir(folder)?.flatten().collect();
    entries.sort_by_key(std::fs::DirEntry::file_name);
    for entry in entries {
        zip.start_file(entry.file_name().to_string_lossy(), options).map_err(broken)?;
        std::io::copy(&mut std::fs::File::open(entry.path())?, &mut zip).map_err(archive_error)?;
    }
    zip.finish().map_err(broken)?.flush().map_err(archive_error)?;
    Ok(())
}

fn archive_error(e: std::io::Error) -> ServerError {
    match e.kind() {
        std::io::ErrorKind::StorageFull => {
            ServerError::DiskFull("the archive was not made; its files can be loaded one by one".into())
        }
        _ => ServerError::Store(e),
    }
}

/// Bytes of all files in a folder.
fn size_of(folder: &Path) -> u64 {
    let files = std::fs::read_dir(folder).into_iter().flatten().flatten();
    files.filter_map(|e| e.metadata().ok()).map(|m| m.len()).sum()
}
