//! Serving: `main` binds, this runs until told to end.

use crate::api::{self, State};
use crate::demo::{self, Demo};
use crate::jobs::{Program, Workers};
use crate::settings::Settings;
use crate::store::Store;
use crate::worker::LAST_WORD;
use crate::{db, guard, web as page};
use actix_web::middleware::{Compress, from_fn};
use actix_web::{App, HttpServer, web};
use std::net::TcpListener;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::watch;

/// Jobs done at the same time: measuring and rendering fill a core each.
const WORKERS: usize = 2;

/// What has not been given back this long after jobs were to stop is left to its lease. Milliseconds suffice; a database that is
/// overloaded is waited for, since a job that is not given back counts as begun.
const GIVING_BACK: Duration = Duration::from_secs(6);

/// Serves on a listener until `ended` becomes true; then lets requests finish for a second and jobs stop at a safe place. Calls `ready` once requests
/// are answered.
///
/// # Errors
/// When the database cannot be reached at start, the store cannot be opened, or the listener fails.
pub async fn run(
    listener: TcpListener,
    settings: Settings,
    ended: watch::Receiver<bool>,
    ready: impl FnOnce(),
) -> Result<(), Box<dyn std::error::Error>> {
    let pool = db::connect(&settings.database_url).await?;
    let store = Store::open(&settings.store, settings.keep_free_bytes)?;
    forget_uploads(&pool, &settings.store).await?;
    let mut workers = Workers::new(pool.clone(), store);
    workers.program = settings.program.clone().or_else(|| std::env::current_exe().ok()).map(|path| {
        Arc::new(Program {
            path,
            database_url: settings.database_url.clone(),
            store: settings.store.clone(),
            keep_free_bytes: settings.keep_free_bytes,
        })
    });
    let at_work = workers.start(WORKERS, &ended);
    if settings.demo {
        // Recordings made before are those of the evening, and all that is wanted.
        if settings.demo_files.is_none() {
            demo::load(&workers, Demo::Rehearsal, None).await?;
        }
        demo::load(&workers, Demo::Evening, settings.demo_files.clone()).await?;
    }
    let state = State { workers, settings, ended: ended.clone() };
    let server = HttpServer::new(move || {
        App::new()
            .app_data(web::Data::new(state.clone()))
            .app_data(json_errors())
            .app_data(web::QueryConfig::default().error_handler(|e, _| not_understood(&e)))
            .app_data(web::PathConfig::default().error_handler(|e, _| not_understood(&e)))
            .wrap(Compress::default())
            .wrap(tracing_actix_web::TracingLogger::default())
            .wrap(from_fn(guard::same_host))
            .wrap(from_fn(guard::headers))
            .configure(api::configure)
            .default_service(web::to(page::page))
    })
    .workers(2)
    .shutdown_timeout(1)
    .disable_signals()
    .listen(listener)?
    .run();
    ready();
    let handle = server.handle();
    let mut told = ended;
    let ending = async move {
        while !*told.borrow() {
            if told.changed().await.is_err() {
                break;
            }
        }
        // Jobs look for a safe place to stop at while requests end.
        let given_back = tokio::time::timeout(LAST_WORD + GIVING_BACK, futures_util::future::join_all(at_work));
        tokio::join!(handle.stop(true), given_back).1.ok();
    };
    let (served, ()) = tokio::join!(server, ending);
    let _ = tokio::time::timeout(Duration::from_millis(300), pool.close()).await;
    Ok(served?)
}

/// Carries one job out that a server's worker has claimed.
///
/// # Errors
/// A sentence.
pub async fn one_job(settings: Settings, job: uuid::Uuid, worker: uuid::Uuid) -> Result<(), String> {
    let pool = db::connect(&settings.database_url).await.map_err(|e| e.to_string())?;
    let store = Store::open(&settings.store, settings.keep_free_bytes).map_err(|e| e.to_string())?;
    Workers::new(pool, store).only(job, worker).await.map_err(|e| e.to_string())
}

/// Removes what arrived of files that nobody sends any more.
async fn forget_uploads(pool: &sqlx::MySqlPool, store: &Path) -> Result<(), Box<dyn std::error::Error>> {
    let wanted = db::uploads::prune(pool).await?;
    for entry in std::fs::read_dir(store.join("uploads"))?.flatten() {
        let id: Option<uuid::Uuid> = entry.file_name().to_str().and_then(|n| n.parse().ok());
        if id.is_none_or(|id| !wanted.contains(&id)) {
            crate::store::remove(&entry.path());
        }
    }
    Ok(())
}

/// A body that is no JSON gets the same kind of answer as everything else.
fn json_errors() -> web::JsonConfig {
    web::JsonConfig::default().limit(1 << 20).error_handler(|e, _| not_understood(&e))
}

fn not_understood(e: &dyn std::fmt::Display) -> actix_web::Error {
    crate::error::ServerError::Invalid(format!("the request is not understood: {e}")).into()
}
