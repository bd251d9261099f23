//! `marea shadow`: takes that double a lead, moment by moment.

use super::args::WriteArgs;
use super::files::{Loaded, load, place_by_stamp};
use super::report::round;
use super::scaled::{Scaling, scaled};
use super::write::{Planned, write_all};
use clap::Args;
use marea_core::edit::Edit;
use marea_core::edit::map::thinned;
use marea_core::lead::course::{Asked, AskedError, course};
use marea_core::lead::{Doubled, Knot, Why, doubled, worst_ratio};
use marea_core::signal::Source;
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
    /// A take runs at most so many times faster or slower than it was: 1 to 2.
    #[arg(long, value_name = "R", default_value_t = 2.0)]
    pub ratio: f64,
    /// A stretch of the take, in its own seconds, that keeps its length and moves as one. With one take only; more than one may be given.
    #[arg(long, value_name = "FROM:TO")]
    pub protect: Vec<String>,
    /// A second of the lead and one of the take that are brought together, whatever was found. With one take only; more than one may be
    /// given.
    #[arg(long, value_name = "LEAD:TAKE")]
    pub pin: Vec<String>,
    /// Folder for the takes as they follow the lead: attacks as they were, pitch untouched.
    #[arg(long)]
    pub out: Option<PathBuf>,
    /// How they are written.
    #[command(flatten)]
    pub write: WriteArgs,
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
    stretch: f64,
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
    if !(1.0..=2.0).contains(&args.ratio) {
        return Err(format!("--ratio {} is not between 1 and 2", args.ratio));
    }
    if args.takes.len() > 1 && !(args.protect.is_empty() && args.pin.is_empty()) {
        return Err("--protect and --pin are of one take; give one take only".into());
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
    let (mut takes, mut results) = (BTreeMap::new(), Vec::new());
    for (n, take) in followers.iter().enumerate() {
        let found = doubled(&lead.placed()?, &take.placed()?, rate, &|_| true).map_err(|e| e.to_string())?;
        let asked = asked(args, [lead, take], rate)?;
        let points = course(&found.knots, &asked).map_err(|e| refused(e, take, rate))?;
        if takes.insert(take.name.clone(), report(&found, &points, [lead, take], rate)).is_some() {
            return Err(format!("two of the takes are named {}", take.name));
        }
        if args.out.is_some() {
            results.push(scaled(take, &Scaling { points, rate, place: folder.path().join(format!("result-{n}")) })?);
        }
    }
    if let Some(out) = &args.out {
        let keep = args.write.keep_head;
        let plan: Vec<Planned> =
            results.iter().zip(followers).map(|(result, take)| planned(result, take, keep, rate)).collect();
        write_all(&plan, lead, rate, (out, &args.write), &|name| format!("{name}, following {}", lead.name))?;
    }
    let report = Report { sample_rate_hz: rate.hz(), strength: args.strength, slack_ms: args.slack, takes };
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        summary(&report);
    }
    Ok(())
}

/// From where the take began to the result's end; with what now plays before that where it is to be kept, which is said where it is not.
fn planned<'a>(result: &'a Loaded, take: &Loaded, keep_head: bool, rate: SampleRate) -> Planned<'a> {
    let frames = result.channels.iter().map(Source::frames).max().unwrap_or(0);
    let before = (take.start.0 - result.start.0).max(0);
    if before > 0 && !keep_head {
        let ms = rate.ms(before as f64);
        eprintln!("{}: {ms:.1} ms that now play before its beginning are left out; --keep-head keeps them", take.name);
    }
    let start = if keep_head { result.start.0.min(take.start.0) } else { take.start.0 };
    let edits = vec![Edit::default(); result.channels.len()];
    Planned { range: Some([start, result.start.0 + frames]), ..Planned::of(result, edits) }
}

/// What the arguments ask of a take, in session frames.
fn asked(args: &ShadowArgs, [lead, take]: [&Loaded; 2], rate: SampleRate) -> Result<Asked, String> {
    let frame = |s: f64, of: &Loaded| of.start.0 as f64 + s * rate.hz_f64();
    let both = |text: &String, what: &str| {
        let two = text.split_once(':').and_then(|(a, b)| Some([a.trim().parse().ok()?, b.trim().parse().ok()?]));
        two.filter(|p: &[f64; 2]| p.iter().all(|v| v.is_finite()))
            .ok_or(format!("{what} {text} is not two seconds, A:B"))
    };
    let mut asked = Asked {
        strength: args.strength / 100.0,
        slack: args.slack * rate.hz_f64() / 1_000.0,
        ratio: args.ratio,
        ..Asked::default()
    };
    for text in &args.protect {
        let [from, to] = both(text, "--protect")?;
        if from >= to {
            return Err(format!("--protect {text} ends before it begins"));
        }
        asked.protected.push([from, to].map(|s| frame(s, take)));
    }
    for text in &args.pin {
        let [own, other] = both(text, "--pin")?;
        asked.pins.push([frame(own, lead), frame(other, take)]);
    }
    Ok(asked)
}

fn refused(e: AskedError, take: &Loaded, rate: SampleRate) -> String {
    let (AskedError::Cross(at) | AskedError::TooFar(at)) = e;
    let [a, b] = at.map(|at| (at - take.start.0 as f64) / rate.hz_f64());
    format!("{}: {e}: those at {a:.3} and {b:.3} s of it", take.name)
}

fn report(found: &Doubled, course: &[[f64; 2]], [lead, take]: [&Loaded; 2], rate: SampleRate) -> TakeReport {
    let s = |at: f64, of: &Loaded| (at - of.start.0 as f64) / rate.hz_f64();
    let rounded = |s: f64| round(s, 1e6) + 0.0;
    // A take that has nothing to do with the lead stays where it is.
    let ends = [take.start.0, take.placed().map_or(0, |p| p.end().0).max(take.start.0 + 1)].map(|at| at as f64);
    let unmoved = |at: f64| Knot { lead: at, take: at, alike: 0.0, verdict: Verdict::Undecided };
    let knots = if found.knots.is_empty() { ends.map(unmoved).to_vec() } else { found.knots.clone() };
    let points: Vec<[f64; 2]> = knots.iter().map(|k| [s(k.lead, lead), s(k.take, take)]).collect();
    let goes: Vec<[f64; 2]> = match course {
        [] => ends.map(|at| [at; 2]).to_vec(),
        // The first and the last only say that the lag stays.
        [_, inside @ .., _] => inside.to_vec(),
        one => one.to_vec(),
    };
    let run = |p: &[[f64; 2]]| (p[1][1] - p[0][1]) / (p[1][0] - p[0][0]);
    let stretch = goes.windows(2).map(run).map(|r| r.max(1.0 / r)).fold(1.0, f64::max);
    let goes = goes.iter().map(|p| [s(p[0], take), s(p[1], lead)].map(rounded)).collect();
    let why = |w: Why| match w {
        Why::Missing => "missing",
        Why::Added => "added",
        Why::Undecided => "undecided",
    };
    let known = knots.iter().filter(|k| k.alike > 0.0);
    TakeReport {
        map: thinned(&points, STRAIGHT_S).into_iter().map(|p| p.map(rounded)).collect(),
        goes,
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
        stretch: round(stretch, 1e3),
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
