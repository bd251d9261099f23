//! `marea notes`: a rendered instrument against its notes.

use super::files::{Loaded, base_name, load};
use super::report::round;
use clap::Args;
use marea_core::dsp::envelope::Envelope;
use marea_core::notes::midi::Score;
use marea_core::notes::{NotesMeasured, measure_notes};
use marea_core::signal::{Placed, Source};
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use serde::Serialize;
use std::path::PathBuf;

/// Largest file of notes, in bytes.
const LARGEST: u64 = 16 << 20;

/// Notes and their rendering.
#[derive(Debug, Args)]
pub struct NotesArgs {
    /// The notes: a Standard MIDI File of format 0 or 1.
    #[arg(value_name = "FILE.mid")]
    pub score: PathBuf,
    /// The rendering, which begins where the notes do. Of several channels the loudest is measured.
    pub render: PathBuf,
    /// Print JSON (docs/notes.schema.json) instead of a summary.
    #[arg(long)]
    pub json: bool,
}

/// What `notes --json` prints; docs/notes.schema.json describes it. What cannot be told has no numbers.
#[derive(Debug, Serialize)]
struct Report {
    score: String,
    render: String,
    sample_rate_hz: u32,
    latency_ms: Option<f64>,
    latency_samples: Option<f64>,
    offset_samples: Option<f64>,
    heard_ms: Option<f64>,
    spread_ms: Option<f64>,
    uncertain_ms: f64,
    note_value: Option<String>,
    rest_ms: Option<f64>,
    bpm: f64,
    notes: Vec<NoteReport>,
    verdict: Verdict,
    reason: String,
}

#[derive(Debug, Serialize)]
struct NoteReport {
    at_ms: f64,
    key: u8,
    late_ms: Option<f64>,
}

/// `marea notes`.
///
/// # Errors
/// A sentence that names the file.
pub fn run_notes(args: &NotesArgs) -> Result<(), String> {
    let name = base_name(&args.score);
    let told = |e: std::io::Error| format!("{name}: {e}");
    if std::fs::metadata(&args.score).map_err(told)?.len() > LARGEST {
        return Err(format!("{name} is larger than 16 MiB: no file of notes"));
    }
    let score = Score::read(&std::fs::read(&args.score).map_err(told)?).map_err(|e| format!("{name} {e}"))?;
    let rate = marea_media::AudioReader::open(&args.render).map_err(|e| format!("{} {e}", args.render.display()))?;
    let rate = rate.info().rate;
    let folder = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let render = load(&args.render, &folder.path().join("render"), rate)?;
    let loudest = loudest(&render, rate)?;
    let found = measure_notes(&score, loudest, rate, &mut |_| true).map_err(|e| e.to_string())?;
    let report = report(&name, &render.name, rate, &found);
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        summary(&report);
    }
    Ok(())
}

fn loudest(file: &Loaded, rate: SampleRate) -> Result<&dyn Source, String> {
    let mut best: Option<(f64, &dyn Source)> = None;
    for channel in &file.channels {
        let placed = Placed { source: channel, start: SessionFrame(0) };
        let envelope = Envelope::measure(&placed, rate, &mut |_| true).map_err(|e| e.to_string())?;
        let energy = envelope.power.iter().map(|p| f64::from(*p)).sum::<f64>();
        if best.is_none_or(|b| energy > b.0) {
            best = Some((energy, channel));
        }
    }
    best.map(|b| b.1).ok_or_else(|| format!("{}: no channel", file.name))
}

fn report(score: &str, render: &str, rate: SampleRate, found: &NotesMeasured) -> Report {
    // No minus before a zero.
    let to = |v: f64, per: f64| round(v, per) + 0.0;
    let samples = |ms: f64| ms * rate.hz_f64() / 1_000.0;
    Report {
        score: score.into(),
        render: render.into(),
        sample_rate_hz: rate.hz(),
        latency_ms: found.latency_ms.map(|l| to(l, 1e3)),
        latency_samples: found.latency_ms.map(|l| to(samples(l), 1e1)),
        offset_samples: found.latency_ms.map(|l| to(-samples(l), 1e1)),
        heard_ms: found.heard_ms.map(|l| to(l, 1e3)),
        spread_ms: found.spread_ms.map(|l| to(l, 1e2)),
        uncertain_ms: to(found.uncertain_ms, 1e2),
        note_value: found.value.as_ref().map(|v| v.name.clone()),
        rest_ms: found.value.as_ref().map(|v| to(v.rest_ms, 1e2)),
        bpm: to(found.bpm, 1e3),
        notes: found
            .notes
            .iter()
            .map(|n| NoteReport {
                at_ms: to(1_000.0 * n.seconds, 1e3),
                key: n.key,
                late_ms: n.late_ms.map(|l| to(l, 1e2)),
            })
            .collect(),
        verdict: found.verdict,
        reason: found.reason.clone(),
    }
}

fn summary(r: &Report) {
    let verdict = format!("{:?}", r.verdict).to_lowercase();
    say!("{} against {}: {verdict}; {}", r.render, r.score, r.reason);
    let (Some(late), Some(samples), Some(heard), Some(spread)) =
        (r.latency_ms, r.latency_samples, r.heard_ms, r.spread_ms)
    else {
        return;
    };
    say!("  starts {late:.2} ms late ({samples:.0} samples at {} Hz), is heard {heard:.1} ms late", r.sample_rate_hz);
    say!("  spread {spread:.2} ms, uncertain by {:.1} ms", r.uncertain_ms);
    if let (Some(value), Some(rest)) = (&r.note_value, r.rest_ms) {
        say!("  {late:.1} ms = {value} at {}, rest {rest:+.1} ms", r.bpm);
    }
}
