//! `marea probe`: writes a test signal, and reads what came back through a path.

use clap::Args;
use marea_core::probe::{self, PERIOD_S, Signal};
use marea_core::units::SampleRate;
use marea_media::write::{Depth, WavWriter, WriteSpec};
use marea_session::probes::{LONGEST_S, ProbeReport, probes};
use serde::Serialize;
use std::path::{Path, PathBuf};

/// A probe to write or to read.
#[derive(Debug, Args)]
pub struct ProbeArgs {
    /// Write the test signal: half a second of silence, two seconds of signal, silence up to four seconds.
    #[arg(long, value_name = "FILE", conflicts_with = "read", required_unless_present = "read")]
    pub write: Option<PathBuf>,
    /// Find test signals in a recording. The latency is right when the recording was begun together with the playing.
    #[arg(long, value_name = "FILE")]
    pub read: Option<PathBuf>,
    /// Write a burst of noise instead of a sweep.
    #[arg(long, conflicts_with = "read")]
    pub noise: bool,
    /// Rate of the file that is written, in Hz.
    #[arg(long, default_value_t = 48_000, conflicts_with = "read")]
    pub rate: u64,
    /// Replace a file that is there.
    #[arg(long, conflicts_with = "read")]
    pub overwrite: bool,
    /// Print JSON (docs/probe.schema.json) instead of a table.
    #[arg(long)]
    pub json: bool,
}

#[derive(Debug, Serialize)]
struct Report {
    file: String,
    sample_rate_hz: u32,
    probes: Vec<ProbeReport>,
}

/// `marea probe`.
///
/// # Errors
/// A sentence that names the file.
pub fn run_probe(args: &ProbeArgs) -> Result<(), String> {
    match (&args.write, &args.read) {
        (Some(file), _) => write(file, args),
        (None, Some(file)) => read(file, args.json),
        (None, None) => Err("a file to write or to read is needed".into()),
    }
}

fn write(file: &Path, args: &ProbeArgs) -> Result<(), String> {
    let name = file.display();
    let rate = SampleRate::new(args.rate).map_err(|e| e.to_string())?;
    if file.exists() && !args.overwrite {
        return Err(format!("{name} is there already; --overwrite replaces it"));
    }
    let kind = if args.noise { Signal::Noise } else { Signal::Sweep };
    let told = |e: std::io::Error| format!("{name} cannot be written: {e}");
    let mut out = WavWriter::create(file, WriteSpec::new(rate, 1, Depth::Int24)).map_err(told)?;
    out.push(&probe::written(kind, rate)).map_err(told)?;
    out.finish().map_err(told)?;
    if args.json {
        say!(
            "{}",
            serde_json::json!({ "file": name.to_string(), "sample_rate_hz": rate.hz(), "signal": kind, "seconds": PERIOD_S })
        );
    } else {
        say!("{name}: play it through the path, record what comes back, then marea probe --read RECORDING");
    }
    Ok(())
}

fn read(file: &Path, json: bool) -> Result<(), String> {
    let name = file.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
    let told = |e: marea_media::MediaError| format!("{} {e}", file.display());
    let info = marea_media::AudioReader::open(file).map_err(told)?.info().clone();
    if info.frames.unwrap_or(0) / u64::from(info.rate.hz()) > LONGEST_S {
        return Err(format!("{name} is longer than an hour: cut out the part with the probes"));
    }
    let (info, planes) = marea_media::read_all(file).map_err(told)?;
    let report = Report { file: name, sample_rate_hz: info.rate.hz(), probes: probes(&planes, info.rate) };
    if json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        print(&report);
    }
    Ok(())
}

fn print(report: &Report) {
    if report.probes.is_empty() {
        say!("{}: no probe was found", report.file);
    }
    for p in &report.probes {
        let way = if p.invert { "inverted" } else { "upright" };
        let verdict = format!("{:?}", p.verdict).to_lowercase();
        say!(
            "{} [{}] at {:.3} s: {:.3} samples late ({:.4} ms), {way} - {verdict}; {}",
            report.file,
            p.channel,
            p.at_samples / f64::from(report.sample_rate_hz),
            p.latency_samples,
            p.latency_ms,
            p.reason
        );
    }
}
