//! The binary `marea`.

use clap::{Parser, Subcommand};
use marea_server::settings::Settings;
use marea_server::{api, cli, run, say, verify};
use std::io::IsTerminal;
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
    /// Latencies of a map of signal paths, and the least delay that brings them together.
    Paths(cli::PathsArgs),
    /// Write a test signal, or read a path's latency, polarity and response from what came back.
    Probe(cli::ProbeArgs),
    /// Follow a print against its send: how late it is along time, its polarity, and what corrections leave.
    Follow(cli::FollowArgs),
    /// Measure how late a rendered instrument is against its notes.
    Notes(cli::NotesArgs),
    /// Place recordings of one event in the time of the first: by sound, time code, clap or stamp, and how fast their clocks run.
    Sync(cli::SyncArgs),
    /// Tell the tempo of a click, a map or a steady track, and how much earlier or later tracks are than its grid.
    Tempo(cli::TempoArgs),
    /// Find the strokes of every source among recordings of the same.
    Hits(cli::HitsArgs),
    /// Hold a track against another that it doubles hit by hit, and set it onto that.
    Layer(cli::LayerArgs),
    /// Move the strokes of a set towards a grid, all its recordings alike, and read every attack back.
    Tighten(cli::TightenArgs),
    /// Hold two takes of one part against each other, chord by chord, and tell where they do not sit together.
    Takes(cli::TakesArgs),
    /// Hold takes that double a lead against it, and tell which moment of each is which of the lead's.
    Shadow(cli::ShadowArgs),
    /// Tell the pitch of one voice along time, and its notes.
    Pitch(cli::PitchArgs),
    /// Look at every recording, working copy and delivery in the store; working copies are made anew where they are not whole.
    Verify(verify::VerifyArgs),
    /// Print the description of the API as JSON.
    Openapi,
    /// Carry one job out; the server calls this.
    #[command(hide = true)]
    Work(WorkArgs),
}

#[derive(clap::Args)]
struct WorkArgs {
    #[command(flatten)]
    settings: Settings,
    #[arg(long)]
    job: uuid::Uuid,
    #[arg(long)]
    worker: uuid::Uuid,
}

fn main() -> ExitCode {
    // Most of them only do something; some also look whether something is wrong.
    let done = |done: Result<(), String>| done.map(|()| cli::Outcome::Clean);
    let outcome = match Cli::parse().command {
        Command::Serve(settings) => done(serve(settings)),
        Command::Check(args) => cli::run_check(&args),
        Command::Align(args) => done(cli::run_align(&args)),
        Command::Paths(args) => done(cli::run_paths(&args)),
        Command::Probe(args) => done(cli::run_probe(&args)),
        Command::Follow(args) => done(cli::run_follow(&args)),
        Command::Notes(args) => done(cli::run_notes(&args)),
        Command::Sync(args) => done(cli::run_sync(&args)),
        Command::Takes(args) => done(cli::run_takes(&args)),
        Command::Pitch(args) => done(cli::run_pitch(&args)),
        Command::Shadow(args) => done(cli::run_shadow(&args)),
        Command::Tempo(args) => done(cli::run_tempo(&args)),
        Command::Hits(args) => done(cli::run_hits(&args)),
        Command::Layer(args) => done(cli::run_layer(&args)),
        Command::Tighten(args) => cli::run_tighten(&args),
        Command::Openapi => {
            done(api::description().to_pretty_json().map(|text| say!("{text}")).map_err(|e| e.to_string()))
        }
        Command::Verify(args) => on_runtime(verify::run(&args)),
        Command::Work(args) => {
            private_files();
            log(&args.settings);
            done(on_runtime(run::one_job(args.settings, args.job, args.worker)))
        }
    };
    match outcome {
        Ok(cli::Outcome::Clean) => ExitCode::SUCCESS,
        Ok(cli::Outcome::Findings) => ExitCode::from(1),
        Err(message) => {
            eprintln!("marea: {message}");
            ExitCode::from(2)
        }
    }
}

/// What the server writes is for its own account only.
fn private_files() {
    rustix::process::umask(rustix::fs::Mode::from_raw_mode(0o077));
}

fn on_runtime<T>(work: impl Future<Output = Result<T, String>>) -> Result<T, String> {
    actix_web::rt::System::new().block_on(work)
}

fn log(settings: &Settings) {
    let filter =
        EnvFilter::try_from_default_env().unwrap_or_else(|_| EnvFilter::new("info,sqlx=warn,tracing_actix_web=warn"));
    let log = tracing_subscriber::fmt()
        .with_env_filter(filter)
        .with_ansi(std::io::stderr().is_terminal())
        .with_writer(std::io::stderr);
    if settings.log_json {
        log.json().init();
    } else {
        log.compact().init();
    }
}

fn serve(settings: Settings) -> Result<(), String> {
    private_files();
    log(&settings);
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
        let served = run::run(listener, settings, ended, || say!("Marea is at http://{address}/")).await;
        if served.is_ok() {
            // Computations that do not listen end here: what they made is kept by name only once it is whole.
            std::process::exit(0);
        }
        served.map_err(|e| e.to_string())
    })
}
