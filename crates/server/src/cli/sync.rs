//! `marea sync`: recorders with clocks of their own, placed in the time of the first.

use super::args::WriteArgs;
use super::files::{Loaded, load};
use super::report::round;
use super::write::{Planned, write_all};
use clap::Args;
use marea_core::signal::Source;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_session::clocks::{By, Clocked, CodeSeen, Recording, clocked};
use marea_session::names::stem;
use serde::Serialize;
use std::path::PathBuf;

/// Recordings of one event.
#[derive(Debug, Args)]
pub struct SyncArgs {
    /// Recordings; the others are placed in the time of the first. Of several channels the first that carries no time code is compared.
    #[arg(required = true, num_args = 2..)]
    pub files: Vec<PathBuf>,
    /// Print JSON (docs/sync.schema.json) instead of a summary.
    #[arg(long)]
    pub json: bool,
    /// Write all that were placed into this folder, from one beginning and at the first one's speed where it is sure.
    #[arg(long)]
    pub out: Option<PathBuf>,
    /// How they are written.
    #[command(flatten)]
    pub write: WriteArgs,
}

/// What `sync --json` prints; docs/sync.schema.json describes it.
#[derive(Debug, Serialize)]
struct Report {
    reference: String,
    sample_rate_hz: u32,
    files: Vec<FileReport>,
}

#[derive(Debug, Serialize)]
struct FileReport {
    file: String,
    start_samples: Option<f64>,
    ppm: Option<f64>,
    ppm_error: Option<f64>,
    ppm_claimed: bool,
    clock_shared_with: Vec<String>,
    invert: bool,
    overlap_s: f64,
    by: By,
    verdict: Verdict,
    reason: String,
    stamp_samples: Option<u64>,
    code: Option<CodeSeen>,
    clap_sample: Option<i64>,
}

/// `marea sync`.
///
/// # Errors
/// A sentence that names the file.
pub fn run_sync(args: &SyncArgs) -> Result<(), String> {
    let first = &args.files[0];
    let rate = marea_media::AudioReader::open(first).map_err(|e| format!("{} {e}", first.display()))?.info().rate;
    let folder = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let load = |(n, path): (usize, &PathBuf)| load(path, &folder.path().join(n.to_string()), rate);
    let files: Vec<Loaded> = args.files.iter().enumerate().map(load).collect::<Result<_, _>>()?;
    let recordings: Vec<Recording> = files.iter().map(|f| recording(f, rate)).collect();
    let found = clocked(&recordings, rate, &|_| true).map_err(|e| e.to_string())?;
    if let Some(out) = &args.out {
        write(&files, &found, rate, (out, &args.write))?;
    }
    let report = Report {
        reference: files[0].name.clone(),
        sample_rate_hz: rate.hz(),
        files: (0..files.len()).map(|n| told((&files, &found), n, rate)).collect(),
    };
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        report.files.iter().for_each(|f| summary(f, rate));
    }
    Ok(())
}

fn recording(f: &Loaded, rate: SampleRate) -> Recording<'_> {
    Recording {
        stem: stem(&f.name).into(),
        name: f.name.clone(),
        channels: f.channels.iter().map(|c| c as &dyn Source).collect(),
        stamp: stamp(f).map(|t| t as f64 * rate.hz_f64() / f.info.rate.hz_f64()),
    }
}

/// Its time stamp. 0 is what is written where no time is known (common practice, no source).
fn stamp(f: &Loaded) -> Option<u64> {
    f.info.time_reference.filter(|t| *t > 0)
}

fn write(
    files: &[Loaded],
    found: &[Clocked],
    rate: SampleRate,
    to: (&std::path::Path, &WriteArgs),
) -> Result<(), String> {
    let plan: Vec<Planned> = files
        .iter()
        .zip(found)
        .filter_map(|(file, f)| {
            let edits = vec![f.edit(file.channels[0].frames())?; file.channels.len()];
            Some(Planned::of(file, edits))
        })
        .collect();
    let reference = &files[0];
    write_all(&plan, reference, rate, to, &|name: &str| format!("{name}, in the time of {}", reference.name))
}

fn told((files, found): (&[Loaded], &[Clocked]), n: usize, rate: SampleRate) -> FileReport {
    // No minus before a zero.
    let to = |v: f64, per: f64| round(v, per) + 0.0;
    let (file, f) = (&files[n], &found[n]);
    let clock = if f.by == By::Reference { Some((0.0, 0.0)) } else { f.clock };
    FileReport {
        file: file.name.clone(),
        start_samples: f.place.line.map(|l| to(l.begins(), 1e2)),
        ppm: clock.map(|c| to(c.0, 1e3)),
        ppm_error: clock.map(|c| to(c.1, 1e3)),
        ppm_claimed: f.by == By::Reference || f.claimed(),
        clock_shared_with: f.shared_with.iter().map(|k| files[*k].name.clone()).collect(),
        invert: f.place.invert,
        overlap_s: to(f.place.overlap_s, 1e2),
        by: f.by,
        verdict: f.place.verdict,
        reason: f.place.reason.clone(),
        stamp_samples: stamp(file),
        code: CodeSeen::of(f, rate),
        clap_sample: f.clap.map(|c| c.frame),
    }
}

fn summary(f: &FileReport, rate: SampleRate) {
    let verdict = format!("{:?}", f.verdict).to_lowercase();
    say!("{}: {verdict}; {}", f.file, f.reason);
    if let Some(start) = f.start_samples.filter(|_| f.by != By::Reference) {
        let way = if f.invert { ", inverted" } else { "" };
        say!("  begins at {:.4} s ({start:.1} samples){way}", start / rate.hz_f64());
    }
    if let Some((ppm, error)) = f.ppm.zip(f.ppm_error).filter(|_| f.by == By::Sound) {
        let sure = if f.ppm_claimed { "" } else { ": not sure enough to be taken out" };
        let with = if f.clock_shared_with.is_empty() {
            String::new()
        } else {
            format!(", one clock with {}", f.clock_shared_with.join(", "))
        };
        say!("  its clock runs {ppm:+.2} ± {error:.2} ppm{with}{sure}");
    }
    if let Some(code) = &f.code {
        say!(
            "  time code on channel {}: {} at sample {:.0}, {} frames, {} missing",
            code.channel,
            code.first,
            code.first_sample,
            code.frames,
            code.missing
        );
    }
}
