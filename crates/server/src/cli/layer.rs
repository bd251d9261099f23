//! `marea layer`: a track that doubles another hit by hit.

use super::args::{FormatArgs, WriteArgs};
use super::files::load_two;
use super::report::round;
use super::write::{Planned, write_all};
use clap::Args;
use marea_core::dsp::stats::median;
use marea_core::edit::Edit;
use marea_core::layer::onto::onto;
use marea_core::layer::{Layered, layered};
use marea_core::timing::proof::cut;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use serde::Serialize;
use std::path::PathBuf;

/// A source, and what doubles it.
#[derive(Debug, Args)]
pub struct LayerArgs {
    /// What was played.
    pub source: PathBuf,
    /// What doubles it hit by hit.
    pub layer: PathBuf,
    /// Print JSON (docs/layer.schema.json) instead of a summary.
    #[arg(long)]
    pub json: bool,
    /// Folder for the layer with every hit set onto its source, from the source's first sample on.
    #[arg(long)]
    pub out: Option<PathBuf>,
    /// How it is written.
    #[command(flatten)]
    pub format: FormatArgs,
}

/// What `layer --json` prints; docs/layer.schema.json describes it.
#[derive(Debug, Serialize)]
struct Report {
    sample_rate_hz: u32,
    lag_samples: Option<f64>,
    matches: Vec<MatchReport>,
    unmatched_source: Vec<i64>,
    unmatched_layer: Vec<i64>,
    rides: Vec<i64>,
    invert: bool,
    polarity: Verdict,
}

#[derive(Debug, Serialize)]
struct MatchReport {
    source_sample: i64,
    layer_sample: i64,
    lag_samples: f64,
    verdict: Verdict,
}

/// `marea layer`.
///
/// # Errors
/// A sentence that names the file. Recordings are never written over.
pub fn run_layer(args: &LayerArgs) -> Result<(), String> {
    let two = load_two([&args.source, &args.layer])?;
    let (rate, [source, layer]) = (two.rate, &two.files);
    let (heard, doubles) = (source.placed()?, layer.placed()?);
    let found = layered([&heard, &doubles], rate, &|_| true).map_err(|e| e.to_string())?;
    let mut rides = Vec::new();
    if let Some(out) = &args.out {
        if found.matches.is_empty() {
            return Err(format!("no hit of {} doubles one of {}; it is left as it is", layer.name, source.name));
        }
        let set = onto(&found, &doubles, rate, &|_| true).map_err(|e| e.to_string())?;
        let edit = Edit { invert: found.invert, ..cut(&set.plan, &doubles) };
        rides = set.rides;
        let planned = [Planned::of(layer, vec![edit; layer.channels.len()])];
        let how = WriteArgs { format: args.format.clone(), keep_head: false };
        let description = |name: &str| format!("{name}, set onto {}", source.name);
        write_all(&planned, source, rate, (out, &how), &description)?;
    }
    let report = report(&found, &rides, rate);
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        summary(&report);
    }
    Ok(())
}

fn report(found: &Layered, rides: &[f64], rate: SampleRate) -> Report {
    let whole = |all: &[f64]| all.iter().map(|at| at.round() as i64).collect();
    let mut lags: Vec<f64> = found.matches.iter().map(|m| m.lag()).collect();
    let matches = found.matches.iter().map(|m| MatchReport {
        source_sample: m.source.round() as i64,
        layer_sample: m.layer.round() as i64,
        lag_samples: round(m.lag(), 1e2) + 0.0,
        verdict: m.verdict,
    });
    Report {
        sample_rate_hz: rate.hz(),
        lag_samples: median(&mut lags).map(|l| round(l, 1e2) + 0.0),
        matches: matches.collect(),
        unmatched_source: whole(&found.unmatched_source),
        unmatched_layer: whole(&found.unmatched_layer),
        rides: whole(rides),
        invert: found.invert,
        polarity: found.polarity,
    }
}

fn summary(r: &Report) {
    let Some(lag) = r.lag_samples else {
        say!("no hit of the one doubles one of the other");
        return;
    };
    let ms = |samples: f64| 1_000.0 * samples / f64::from(r.sample_rate_hz);
    let s = |sample: i64| sample as f64 / f64::from(r.sample_rate_hz);
    let word = |v: Verdict| format!("{v:?}").to_lowercase();
    for m in &r.matches {
        say!("{:>10.4} s  {:<9} {:>+8.3} ms", s(m.source_sample), word(m.verdict), ms(m.lag_samples));
    }
    r.unmatched_source.iter().for_each(|at| say!("{:>10.4} s  missed by the layer", s(*at)));
    r.unmatched_layer.iter().for_each(|at| say!("{:>10.4} s  in the layer only", s(*at)));
    r.rides.iter().for_each(|at| say!("{:>10.4} s  of the layer goes with what sounds before", s(*at)));
    let polarity = match (r.invert, r.polarity) {
        (_, Verdict::Undecided) => "polarity undecided: they share no lows".to_string(),
        (true, v) => format!("inverted ({})", word(v)),
        (false, v) => format!("not inverted ({})", word(v)),
    };
    say!("{} hits, {:+.3} ms in the median, {polarity}", r.matches.len(), ms(lag));
}
