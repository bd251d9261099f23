//! The binary `marea`.

use clap::{Parser, Subcommand};
use marea_server::settings::Settings;
use marea_server::{api, cli, run};
use std::net::TcpListener;
use std::process::ExitCode;
use tokio::signal::unix::{SignalKind, signal};
use tokio::sync::watch;
use tracing_subscriber::EnvFilter;

/// Measures how recordings of one event stand to one another, and aligns them.
#[derive(Parser)]
#[command(name = "marea", version)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serve the application on 127.0.0.1.
    Serve(Settings),
    /// Measure files against the first of them, or a folder as a whole session (status 1 when something is found).
    Check(cli::CheckArgs),
    /// Write aligned copies of files.
    Align(cli::AlignArgs),
    /// Print the description of the API as JSON.
    Openapi,
}

fn main() -> ExitCode {
    let done = match Cli::parse().command {
        Command::Serve(settings) => serve(settings),
        Command::Check(args) => match cli::run_check(&args) {
            Ok(cli::Outcome::Findings) => return ExitCode::from(1),
            Ok(cli::Outcome::Clean) => Ok(()),
            Err(e) => Err(e),
        },
        Command::Align(args) => cli::run_align(&args),
        Command::Openapi => {
            api::description().to_pretty_json().map(|text| println!("{text}")).map_err(|e| e.to_string())
        }
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(message) => {
            eprintln!("marea: {message}");
            ExitCode::from(2)
        }
    }
}

fn serve(settings: Settings) -> Result<(), String> {
    let filter =
        EnvFilter::try_from_default_env().unwrap_or_else(|_| EnvFilter::new("info,sqlx=warn,tracing_actix_web=warn"));
    let log = tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr);
    if settings.log_json {
        log.json().init();
    } else {
        log.compact().init();
    }
    let listener =
        TcpListener::bind(("127.0.0.1", settings.port)).map_err(|e| format!("port {}: {e}", settings.port))?;
    let address = listener.local_addr().map_err(|e| e.to_string())?;
    let (end, ended) = watch::channel(false);
    actix_web::rt::System::new().block_on(async move {
        let (mut interrupt, mut terminate) = (
            signal(SignalKind::interrupt()).map_err(|e| e.to_string())?,
            signal(SignalKind::terminate()).map_err(|e| e.to_string())?,
        );
        tokio::spawn(async move {
            tokio::select! {
                _ = interrupt.recv() => {}
                _ = terminate.recv() => {}
            }
            let _ = end.send(true);
        });
        run::run(listener, settings, ended, || println!("Marea is at http://{address}/"))
            .await
            .map_err(|e| e.to_string())
    })
}
