//! Serving: `main` binds, this runs until told to end.

use crate::api::{self, State};
use crate::jobs::Workers;
use crate::settings::Settings;
use crate::store::Store;
use crate::{db, demo, guard, web as page};
use actix_web::middleware::{Compress, from_fn};
use actix_web::{App, HttpServer, web};
use std::net::TcpListener;
use tokio::sync::watch;

/// Jobs done at the same time: measuring and rendering fill a core each.
const WORKERS: usize = 2;

/// Serves on a listener until `ended` becomes true; then lets requests finish for two seconds. Calls `ready` once requests
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
    let workers = Workers::new(pool.clone(), store);
    workers.start(WORKERS, &ended);
    if settings.demo {
        demo::load(&workers).await?;
    }
    let state = State { workers, settings, ended: ended.clone() };
    let server = HttpServer::new(move || {
        App::new()
            .app_data(web::Data::new(state.clone()))
            .app_data(json_errors())
            .wrap(Compress::default())
            .wrap(tracing_actix_web::TracingLogger::default())
            .wrap(from_fn(guard::same_host))
            .configure(api::configure)
            .default_service(web::to(page::page))
    })
    .workers(2)
    .shutdown_timeout(2)
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
        handle.stop(true).await;
    };
    let (served, ()) = tokio::join!(server, ending);
    pool.close().await;
    Ok(served?)
}

/// A body that is no JSON gets the same kind of answer as everything else.
fn json_errors() -> web::JsonConfig {
    web::JsonConfig::default()
        .limit(1 << 20)
        .error_handler(|e, _| crate::error::ServerError::Invalid(format!("the request is not understood: {e}")).into())
}
