//! Jobs, and what moves in a session, pushed as server-sent events.

use super::state::{State, id};
use crate::clock::now_ms;
use crate::db::{jobs, sessions};
use crate::error::{ErrorBody, ServerError};
use actix_web::http::header;
use actix_web::{HttpResponse, delete, get, post, web};
use bytes::Bytes;
use std::collections::HashMap;
use std::time::Duration;

/// Jobs that ended longer ago than this are not told to a page that opens.
const LOOK_BACK_MS: i64 = 60_000;

/// Jobs of a session that wait, are at work, or failed and can be tried again, and those that ended in the last minute.
#[utoipa::path(responses((status = 200, body = Vec<jobs::Job>), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}/jobs")]
pub async fn list_jobs(
    state: web::Data<State>,
    path: web::Path<String>,
) -> Result<web::Json<Vec<jobs::Job>>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    Ok(web::Json(jobs::changed_since(state.db(), session.id, now_ms() - LOOK_BACK_MS).await?))
}

/// Ask a job to stop.
#[utoipa::path(responses((status = 200, body = jobs::Job), (status = 404, body = ErrorBody)))]
#[post("/jobs/{job}/cancel")]
pub async fn cancel(state: web::Data<State>, path: web::Path<String>) -> Result<web::Json<jobs::Job>, ServerError> {
    let job = jobs::cancel(state.db(), id(&path, "job")?).await?;
    state.workers.nudge(job.session_id);
    Ok(web::Json(job))
}

/// Try a job again that failed or was cancelled.
#[utoipa::path(responses((status = 200, body = jobs::Job), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[post("/jobs/{job}/retry")]
pub async fn retry(state: web::Data<State>, path: web::Path<String>) -> Result<web::Json<jobs::Job>, ServerError> {
    let job = jobs::retry(state.db(), id(&path, "job")?).await?;
    state.workers.nudge(job.session_id);
    Ok(web::Json(job))
}

/// Leave a job that failed or was cancelled: it is not shown any more.
#[utoipa::path(responses((status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[delete("/jobs/{job}")]
pub async fn forget_job(state: web::Data<State>, path: web::Path<String>) -> Result<HttpResponse, ServerError> {
    let job = jobs::forget(state.db(), id(&path, "job")?).await?;
    state.workers.nudge(job.session_id);
    Ok(HttpResponse::NoContent().finish())
}

/// Events of a session: `job` (a job that moved), `changed` (the session's revision), `trouble` (a sentence).
///
/// The database is asked whenever this server moved something and once a second (another server may have). A database that
/// is away is said once, and that it is back.
#[utoipa::path(responses((status = 200, content_type = "text/event-stream", body = String), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}/events")]
pub async fn events(state: web::Data<State>, path: web::Path<String>) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?.id;
    // Somebody looks at it: what an older version measured is measured anew.
    state.workers.changed(session).await;
    let mut moved = state.workers.moved.subscribe();
    let mut ended = state.ended.clone();
    let stream = async_stream::stream! {
        let mut since = now_ms() - LOOK_BACK_MS;
        let mut told: HashMap<uuid::Uuid, String> = HashMap::new();
        let mut revision = -1;
        let mut away = false;
        loop {
            let asked = async {
                let s = sessions::get(state.db(), session).await?;
                Ok::<_, ServerError>((s.revision, jobs::changed_since(state.db(), session, since).await?))
            };
            match asked.await {
                Ok((r, list)) => {
                    if away {
                        away = false;
                        yield event("back", &serde_json::json!({ "message": "The database is back." }));
                    }
                    for job in list {
                        since = since.max(job.updated_ms - 1_000);
                        let text = serde_json::to_string(&job).unwrap_or_default();
                        if told.insert(job.id, text.clone()).is_none_or(|old| old != text) {
                            yield event("job", &job);
                        }
                    }
                    if r != revision {
                        revision = r;
                        yield event("changed", &r);
                    }
                }
                Err(ServerError::NotFound(_)) => break,
                Err(e) => if !away {
                    away = true;
                    yield event("trouble", &serde_json::json!({ "message": crate::error::sentence(&e.to_string()) }));
                }
            }
            yield Ok(Bytes::from_static(b": alive\n\n"));
            tokio::select! {
                _ = ended.changed() => break,
                () = tokio::time::sleep(Duration::from_secs(1)) => {}
                () = wait_for(&mut moved, session) => tokio::time::sleep(Duration::from_millis(20)).await,
            }
        }
    };
    Ok(HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header((header::CACHE_CONTROL, "no-store"))
        .insert_header((header::CONTENT_ENCODING, "identity"))
        .streaming(stream))
}

async fn wait_for(moved: &mut tokio::sync::broadcast::Receiver<uuid::Uuid>, session: uuid::Uuid) {
    loop {
        match moved.recv().await {
            Ok(s) if s != session => {}
            Err(tokio::sync::broadcast::error::RecvError::Closed) => std::future::pending().await,
            _ => return,
        }
    }
}

fn event(name: &str, data: &impl serde::Serialize) -> Result<Bytes, actix_web::Error> {
    let text = serde_json::to_string(data).unwrap_or_default();
    Ok(Bytes::from(format!("event: {name}\ndata: {text}\n\n")))
}
