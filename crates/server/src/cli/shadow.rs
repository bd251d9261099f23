//! `marea shadow`: takes that double a lead, moment by moment.

use super::files::{Loaded, load, place_by_stamp};
use super::report::round;
use clap::Args;
use marea_core::edit::map::thinned;
use marea_core::lead::{Doubled, Knot, Why, doubled, worst_ratio};
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::PathBuf;

/// Points of a map that a straight line misses by no more than this are left out, in seconds.
const STRAIGHT_S: f64 = 0.000_1;

/// A lead, and what doubles it.
#[derive(Debug, Args)]
pub struct ShadowArgs {
    /// The lead.
    pub lead: PathBuf,
    /// Takes that double it, and begin with it or where their time stamps say.
    #[arg(required = true)]
    pub takes: Vec<PathBuf>,
    /// How much of the difference is to be taken out, in per cent: 0 to 100.
    #[arg(long, value_name = "N", default_value_t = 100.0)]
    pub strength: f64,
    /// What is apart by no more than this stays as it is, and of all else this much, in ms: 0 to 200.
    #[arg(long, value_name = "MS", default_value_t = 0.0)]
    pub slack: f64,
    /// Print JSON (docs/shadow.schema.json) instead of a summary.
    #[arg(long)]
    pub json: bool,
}

/// What `shadow --json` prints; docs/shadow.schema.json describes it.
#[derive(Debug, Serialize)]
struct Report {
    sample_rate_hz: u32,
    strength: f64,
    slack_ms: f64,
    takes: BTreeMap<String, TakeReport>,
}

#[derive(Debug, Serialize)]
struct TakeReport {
    map: Vec<[f64; 2]>,
    goes: Vec<[f64; 2]>,
    knots: Vec<KnotReport>,
    marked: Vec<(f64, f64, &'static str)>,
    verdict: Verdict,
    reason: String,
    worst_ratio: f64,
}

#[derive(Debug, Serialize)]
struct KnotReport {
    lead_s: f64,
    take_s: f64,
    verdict: Verdict,
}

/// `marea shadow`.
///
/// # Errors
/// A sentence that names the file or the setting.
pub fn run_shadow(args: &ShadowArgs) -> Result<(), String> {
    if !(0.0..=100.0).contains(&args.strength) {
        return Err(format!("--strength {} is not between 0 and 100 %", args.strength));
    }
    if !(0.0..=200.0).contains(&args.slack) {
        return Err(format!("--slack {} is not between 0 and 200 ms", args.slack));
    }
    let opened = marea_media::AudioReader::open(&args.lead).map_err(|e| format!("{} {e}", args.lead.display()))?;
    let rate = opened.info().rate;
    let folder = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let mut all = vec![load(&args.lead, &folder.path().join("lead"), rate)?];
    for (n, path) in args.takes.iter().enumerate() {
        all.push(load(path, &folder.path().join(format!("take-{n}")), rate)?);
    }
    place_by_stamp(&mut all, 0, rate);
    let (lead, followers) = all.split_first().ok_or("no lead")?;
    let mut takes = BTreeMap::new();
    for take in followers {
        let found = doubled(&lead.placed()?, &take.placed()?, rate, &|_| true).map_err(|e| e.to_string())?;
        if takes.insert(take.name.clone(), report(&found, [lead, take], rate, args)).is_some() {
            return Err(format!("two of the takes are named {}", take.name));
        }
    }
    let report = Report { sample_rate_hz: rate.hz(), strength: args.strength, slack_ms: args.slack, takes };
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        summary(&report);
    }
    Ok(())
}

fn report(found: &Doubled, [lead, take]: [&Loaded; 2], rate: SampleRate, args: &ShadowArgs) -> TakeReport {
    let s = |at: f64, of: &Loaded| (at - of.start.0 as f64) / rate.hz_f64();
    let rounded = |s: f64| round(s, 1e6) + 0.0;
    // A take that has nothing to do with the lead stays where it is.
    let ends = [take.start.0, take.placed().map_or(0, |p| p.end().0).max(take.start.0 + 1)].map(|at| at as f64);
    let unmoved = |at: f64| Knot { lead: at, take: at, alike: 0.0, verdict: Verdict::Undecided };
    let knots = if found.knots.is_empty() { ends.map(unmoved).to_vec() } else { found.knots.clone() };
    let points: Vec<[f64; 2]> = knots.iter().map(|k| [s(k.lead, lead), s(k.take, take)]).collect();
    let slack = args.slack * rate.hz_f64() / 1_000.0;
    let goes = |k: &Knot| [s(k.take, take), s(k.goes(args.strength / 100.0, slack), lead)];
    let why = |w: Why| match w {
        Why::Missing => "missing",
        Why::Added => "added",
        Why::Undecided => "undecided",
    };
    let known = knots.iter().filter(|k| k.alike > 0.0);
    TakeReport {
        map: thinned(&points, STRAIGHT_S).into_iter().map(|p| p.map(rounded)).collect(),
        goes: knots.iter().map(|k| goes(k).map(rounded)).collect(),
        knots: known
            .map(|k| KnotReport {
                lead_s: rounded(s(k.lead, lead)),
                take_s: rounded(s(k.take, take)),
                verdict: k.verdict,
            })
            .collect(),
        marked: found
            .marked
            .iter()
            .map(|m| (rounded(s(m.lead[0], lead)), rounded(s(m.lead[1], lead)), why(m.why)))
            .collect(),
        verdict: found.verdict,
        reason: found.reason.clone(),
        worst_ratio: round(worst_ratio(&knots), 1e3),
    }
}

fn summary(r: &Report) {
    let word = |v: Verdict| format!("{v:?}").to_lowercase();
    for (name, take) in &r.takes {
        let because = if take.reason.is_empty() { String::new() } else { format!(": {}", take.reason) };
        say!("{name}: {}{because}", word(take.verdict));
        for k in &take.knots {
            say!("{:>10.3} s  {:<9} {:>+7.1} ms", k.lead_s, word(k.verdict), 1_000.0 * (k.take_s - k.lead_s));
        }
        for (from, to, why) in &take.marked {
            say!("{from:>10.3} to {to:.3} s  {why}");
        }
    }
}
