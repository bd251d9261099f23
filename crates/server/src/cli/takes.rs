//! `marea takes`: two takes of one part, chord by chord.

use super::files::load_two;
use super::report::round;
use super::tempo::read_map;
use clap::Args;
use marea_core::takes::{Chord, Flagged, Off, SLACK_MS, Takes, takes};
use marea_core::verdict::Verdict;
use serde::Serialize;
use std::path::PathBuf;

/// Two takes, and what they were played to.
#[derive(Debug, Args)]
pub struct TakesArgs {
    /// A take.
    pub first: PathBuf,
    /// Another of the same part, which begins with it or where its time stamp says.
    pub second: PathBuf,
    /// A tempo map, by which is told which of the two is off: JSON as `marea tempo` prints it, or a Standard MIDI File whose quarter 0 is
    /// the first take's beginning.
    #[arg(long, value_name = "MAP")]
    pub tempo: Option<PathBuf>,
    /// Passages that are apart by no more than this are not flagged, in ms: 0 to 200.
    #[arg(long, value_name = "MS", default_value_t = SLACK_MS)]
    pub slack: f64,
    /// Print JSON (docs/takes.schema.json) instead of a summary.
    #[arg(long)]
    pub json: bool,
}

/// What `takes --json` prints; docs/takes.schema.json describes it.
#[derive(Debug, Serialize)]
struct Report {
    sample_rate_hz: u32,
    slack_ms: f64,
    difference_ms: Option<f64>,
    alike: Option<f64>,
    pairs: Vec<PairReport>,
    flagged: Vec<FlagReport>,
    only_a: Vec<i64>,
    only_b: Vec<i64>,
}

#[derive(Debug, Serialize)]
struct PairReport {
    a_sample: i64,
    b_sample: i64,
    difference_ms: f64,
    a_off_ms: Option<f64>,
    b_off_ms: Option<f64>,
    verdict: Verdict,
}

#[derive(Debug, Serialize)]
struct FlagReport {
    take: Option<String>,
    from_sample: i64,
    to_sample: i64,
    apart_ms: f64,
    chords: usize,
    reason: String,
}

/// `marea takes`.
///
/// # Errors
/// A sentence that names the file or the setting.
pub fn run_takes(args: &TakesArgs) -> Result<(), String> {
    if !(0.0..=200.0).contains(&args.slack) {
        return Err(format!("--slack {} is not between 0 and 200 ms", args.slack));
    }
    let map = args.tempo.as_deref().map(read_map).transpose()?;
    let two = load_two([&args.first, &args.second])?;
    let beats = map.map(|m| m.beats(two.rate.hz_f64()));
    let [a, b] = &two.files;
    let (first, second) = (a.placed()?, b.placed()?);
    let found =
        takes([&first, &second], two.rate, (beats.as_ref(), args.slack), &|_| true).map_err(|e| e.to_string())?;
    let report = report(&found, [&a.name, &b.name], two.rate.hz(), args.slack);
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        summary(&report, [&a.name, &b.name]);
    }
    Ok(())
}

fn report(found: &Takes, names: [&str; 2], rate_hz: u32, slack_ms: f64) -> Report {
    let ms = |frames: f64| round(1_000.0 * frames / f64::from(rate_hz), 1e2) + 0.0;
    let whole = |all: &[f64]| all.iter().map(|at| at.round() as i64).collect();
    let pair = |c: &Chord| PairReport {
        a_sample: c.first.round() as i64,
        b_sample: c.second.round() as i64,
        difference_ms: ms(c.difference()),
        a_off_ms: c.off_ms.map(|o| round(o[0], 1e2) + 0.0),
        b_off_ms: c.off_ms.map(|o| round(o[1], 1e2) + 0.0),
        verdict: c.verdict,
    };
    let flag = |f: &Flagged| FlagReport {
        take: match f.off {
            Off::First => Some(names[0].to_string()),
            Off::Second => Some(names[1].to_string()),
            Off::Either | Off::Unknown => None,
        },
        from_sample: f.from.round() as i64,
        to_sample: f.to.round() as i64,
        apart_ms: round(f.apart_ms, 1e2) + 0.0,
        chords: f.count,
        reason: reason(f, names),
    };
    Report {
        sample_rate_hz: rate_hz,
        slack_ms,
        difference_ms: found.later.map(ms),
        alike: found.alike.map(|a| round(a, 1e3)),
        pairs: found.chords.iter().map(pair).collect(),
        flagged: found.flagged.iter().map(flag).collect(),
        only_a: whole(&found.only_first),
        only_b: whole(&found.only_second),
    }
}

/// In a sentence, what is off and by how much.
fn reason(f: &Flagged, [a, b]: [&str; 2]) -> String {
    let side = |ms: f64| format!("{:.0} ms {}", ms.abs(), if ms < 0.0 { "early" } else { "late" });
    let apart = format!("{b} comes {} against {a}", side(f.apart_ms));
    match (f.off, f.off_ms) {
        (Off::First, Some([off, _])) => format!("{a} is {} by the beats", side(off)),
        (Off::Second, Some([_, off])) => format!("{b} is {} by the beats", side(off)),
        (_, Some([first, second])) => format!("{apart}; by the beats {a} is {}, {b} {}", side(first), side(second)),
        (_, None) => format!("{apart}; which of them is off cannot be told without beats that they keep to"),
    }
}

fn summary(r: &Report, [a, b]: [&str; 2]) {
    let Some(difference) = r.difference_ms else {
        say!("no chord of {a} is found in {b}");
        return;
    };
    let s = |sample: i64| sample as f64 / f64::from(r.sample_rate_hz);
    let word = |v: Verdict| format!("{v:?}").to_lowercase();
    for p in &r.pairs {
        say!("{:>10.3} s  {:<9} {:>+7.1} ms", s(p.a_sample), word(p.verdict), p.difference_ms);
    }
    r.only_a.iter().for_each(|at| say!("{:>10.3} s  in {a} only", s(*at)));
    r.only_b.iter().for_each(|at| say!("{:>10.3} s  in {b} only", s(*at)));
    for f in &r.flagged {
        say!("{:>10.3} to {:.3} s, chords: {}. {}", s(f.from_sample), s(f.to_sample), f.chords, f.reason);
    }
    if !r.pairs.iter().any(|p| p.verdict == Verdict::Solid) {
        say!("nothing is solid: the chords of the two are hardly more alike than any others of them");
    }
    say!("{} chords, {b} {difference:+.1} ms in the median", r.pairs.len());
}
