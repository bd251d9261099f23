//! `marea pitch`: the pitch of one voice along time, and its notes.

use super::files::load;
use super::report::round;
use clap::Args;
use marea_core::pitch::notes::key_of;
use marea_core::pitch::track::STEP_S;
use marea_core::pitch::{Note, Pitch, notes, pitch};
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use serde::Serialize;
use std::path::PathBuf;

const NAMES: [&str; 12] = ["C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B"];

/// A recording of one voice.
#[derive(Debug, Args)]
pub struct PitchArgs {
    /// The recording; of several channels the first.
    pub file: PathBuf,
    /// Print JSON (docs/pitch.schema.json) instead of a list of notes.
    #[arg(long)]
    pub json: bool,
}

/// What `pitch --json` prints; docs/pitch.schema.json describes it.
#[derive(Debug, Serialize)]
struct Report {
    sample_rate_hz: u32,
    f0: Curve,
    notes: Vec<NoteReport>,
}

#[derive(Debug, Serialize)]
struct Curve {
    step_s: f64,
    hz: Vec<Option<f64>>,
    verdict: Vec<Verdict>,
}

#[derive(Debug, Serialize)]
struct NoteReport {
    from_s: f64,
    to_s: f64,
    hz: f64,
    key: i64,
    name: String,
    cents: f64,
    verdict: Verdict,
}

/// `marea pitch`.
///
/// # Errors
/// A sentence that names the file.
pub fn run_pitch(args: &PitchArgs) -> Result<(), String> {
    let opened = marea_media::AudioReader::open(&args.file).map_err(|e| format!("{} {e}", args.file.display()))?;
    let rate = opened.info().rate;
    let folder = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let file = load(&args.file, &folder.path().join("file"), rate)?;
    let heard = pitch(&file.placed()?, rate, &|_| true).map_err(|e| e.to_string())?;
    let report = report(&heard, rate);
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        summary(&report, &file.name);
    }
    Ok(())
}

fn report(heard: &[Pitch], rate: SampleRate) -> Report {
    let note = |n: &Note| {
        let hz = 440.0 * 2f64.powf((n.key - 69.0) / 12.0);
        let key = n.key.round();
        NoteReport {
            from_s: round(n.from / rate.hz_f64(), 1e4),
            to_s: round(n.to / rate.hz_f64(), 1e4),
            hz: round(hz, 1e3),
            key: key as i64,
            name: format!("{}{}", NAMES[(key as i64).rem_euclid(12) as usize], (key as i64).div_euclid(12) - 1),
            cents: round(100.0 * (key_of(hz) - key), 10.0) + 0.0,
            verdict: n.verdict,
        }
    };
    let hz = heard.iter().map(|p| p.hz.map(|hz| round(hz, 1e3))).collect();
    let verdict = heard.iter().map(|p| p.verdict).collect();
    let notes = notes(heard).iter().map(note).collect();
    Report { sample_rate_hz: rate.hz(), f0: Curve { step_s: STEP_S, hz, verdict }, notes }
}

fn summary(r: &Report, name: &str) {
    if r.notes.is_empty() {
        say!("{name}: no note of a single voice");
    }
    for n in &r.notes {
        let word = format!("{:?}", n.verdict).to_lowercase();
        say!("{:>9.3} to {:.3} s  {:<9} {:<4} {:>+6.1} cents", n.from_s, n.to_s, word, n.name, n.cents);
    }
}
