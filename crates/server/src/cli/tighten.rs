//! `marea tighten`: a set's strokes onto a grid, all its recordings cut and moved alike, and read back afterwards.

use super::args::{FormatArgs, Outcome, WriteArgs};
use super::facts::FactArgs;
use super::files::base_name;
use super::report::round;
use super::session::{Checked, check};
use super::tempo::read_map;
use super::write::{Planned, write_all};
use clap::Args;
use marea_core::hits::seen::seen;
use marea_core::hits::{Played, hits};
use marea_core::signal::Placed;
use marea_core::timing::grid::Grid;
use marea_core::timing::moves::{Asked, Fate};
use marea_core::timing::proof::{Proof, cut, prove};
use marea_core::timing::tighten::{Heard, Moved, Section, Tightened, Towards, Wanted, tighten};
use marea_core::units::SampleRate;
use serde::Serialize;
use std::path::PathBuf;

/// A set, where its strokes go, and how far.
#[derive(Debug, Args)]
pub struct TightenArgs {
    /// Folder with the recordings of one set, aligned; all of them are cut at the same moments.
    pub folder: PathBuf,
    /// Note value: 1/1 to 1/64, with a dot for dotted, t for a triplet, s and a per cent for swing, as in 1/8, 1/8., 1/8t, 1/8s60.
    #[arg(long)]
    pub grid: Grid,
    /// A tempo map: JSON as `marea tempo` prints it, or a Standard MIDI File whose quarter 0 is the first recording's beginning.
    #[arg(long, value_name = "MAP")]
    pub tempo: PathBuf,
    /// Part of the deviation that is taken out, in per cent: 0 to 100.
    #[arg(long, value_name = "PERCENT", default_value_t = 100.0)]
    pub strength: f64,
    /// Deviations up to this stay, in ms: 0 to 500.
    #[arg(long, value_name = "MS", default_value_t = 0.0)]
    pub slack: f64,
    /// Strokes further off than this stay, and are listed, in ms: 0 to 2,000.
    #[arg(long, value_name = "MS", default_value_t = 60.0)]
    pub farthest: f64,
    /// Recordings whose strokes are moved, and all that sounds with them; every one that has strokes when it is not said.
    #[arg(long, value_name = "FILE", value_delimiter = ',')]
    pub hits: Vec<PathBuf>,
    /// Strokes of several sources closer together than this are one, in ms: 0 to 100.
    #[arg(long, value_name = "MS", default_value_t = 12.0)]
    pub within: f64,
    /// Print JSON (docs/tighten.schema.json) instead of a summary.
    #[arg(long)]
    pub json: bool,
    /// Folder for the moved files, each under its own name and from the same first sample as it came.
    #[arg(long)]
    pub out: Option<PathBuf>,
    /// How they are written.
    #[command(flatten)]
    pub format: FormatArgs,
}

/// What `tighten --json` prints; docs/tighten.schema.json describes it.
#[derive(Debug, Serialize)]
struct Report {
    sample_rate_hz: u32,
    grid: String,
    strength_percent: f64,
    slack_ms: f64,
    farthest_ms: f64,
    moves: Vec<MoveReport>,
    left: Vec<i64>,
    without: Vec<String>,
    proof: ProofReport,
}

#[derive(Debug, Serialize)]
struct MoveReport {
    from_sample: i64,
    to_sample: i64,
    grid_sample: f64,
    tracks: Vec<String>,
    rides: bool,
}

#[derive(Debug, Serialize)]
struct ProofReport {
    attacks: usize,
    lost: usize,
    doubled: usize,
    worst_join_db: f64,
    null_db: f64,
    failed: Vec<i64>,
}

/// Stands for nothing at all, in dB.
const NOTHING_DB: f64 = -200.0;

/// A setting and what it may be.
fn within(name: &str, value: f64, most: f64, unit: &str) -> Result<(), String> {
    if (0.0..=most).contains(&value) {
        Ok(())
    } else {
        Err(format!("--{name} {value} is not between 0 and {most} {unit}"))
    }
}

/// `marea tighten`.
///
/// # Errors
/// A sentence that names the file or the setting. Recordings are never written over.
pub fn run_tighten(args: &TightenArgs) -> Result<Outcome, String> {
    within("strength", args.strength, 100.0, "%")?;
    within("slack", args.slack, 500.0, "ms")?;
    within("farthest", args.farthest, 2_000.0, "ms")?;
    within("within", args.within, 100.0, "ms")?;
    if !args.folder.is_dir() {
        return Err(format!("{} is no folder", args.folder.display()));
    }
    let map = read_map(&args.tempo)?;
    let set = check(&args.folder, None, &FactArgs::default())?;
    let sounds = set.placed();
    let all = hits(&sounds, &set.table, set.rate, &|_| true).map_err(|e| e.to_string())?;
    let seen = seen(&sounds, set.rate, &|_| true).map_err(|e| e.to_string())?;
    let late: Vec<f64> = set.check.tracks.iter().map(|t| t.latency_frames).collect();
    let span =
        [sounds.iter().map(|s| s.start.0).min().unwrap_or(0), sounds.iter().map(|s| s.end().0).max().unwrap_or(0)];
    let heard = Heard { played: &all, late: &late, seen: &seen, span, rate: set.rate };
    let frames = |ms: f64| ms * set.rate.hz_f64() / 1_000.0;
    let asked = Asked { strength: args.strength / 100.0, slack: frames(args.slack), farthest: frames(args.farthest) };
    let sections = [Section { range: None, towards: Towards::Grid(args.grid), asked }];
    let beats = map.beats(set.rate.hz_f64());
    let wanted = Wanted {
        sections: &sections,
        beats: &beats,
        within: frames(args.within),
        softest_db: f32::NEG_INFINITY,
        by_hand: &[],
    };
    let made = tighten(&heard, &chosen(&set, &all, &args.hits)?, &wanted);
    let proof = prove(&sounds, &made.plan, &made.seen, set.rate, &|_| true).map_err(|e| e.to_string())?;
    if let Some(out) = &args.out {
        let plan = planned(&set, &sounds, &made);
        let how = WriteArgs { format: args.format.clone(), keep_head: false };
        let first = set.files.first().ok_or("nothing to write")?;
        let description = |name: &str| format!("{name}, on a grid of {}", args.grid);
        write_all(&plan, first, set.rate, (out, &how), &description)?;
    }
    let report = report(args, &set, (&all, &made), &proof);
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        summary(&report, set.rate);
    }
    Ok(if report.proof.failed.is_empty() { Outcome::Clean } else { Outcome::Findings })
}

/// The sources whose strokes are moved, by their place in the list.
fn chosen(set: &Checked, all: &[Played], named: &[PathBuf]) -> Result<Vec<usize>, String> {
    let file = |p: &Played| &set.files[set.at[p.source.home].0].name;
    for name in named.iter().map(|p| base_name(p)) {
        if !set.files.iter().any(|f| f.name == name) {
            return Err(format!("{name} is no recording of this set"));
        }
    }
    let is_named = |p: &Played| named.is_empty() || named.iter().any(|n| base_name(n) == *file(p));
    Ok((0..all.len()).filter(|n| is_named(&all[*n])).collect())
}

/// Every recording as it is cut, from where it began to where it ends now.
fn planned<'a>(set: &'a Checked, sounds: &[Placed], made: &Tightened) -> Vec<Planned<'a>> {
    let later = made.plan.slices.last().map_or(0, |s| (s.at as i64 - s.from).max(0));
    let of = |(f, file): (usize, &'a super::files::Loaded)| {
        let own: Vec<&Placed> = (0..sounds.len()).filter(|t| set.at[*t].0 == f).map(|t| &sounds[t]).collect();
        let end = own.iter().map(|s| s.end().0).max().unwrap_or(file.start.0);
        let edits = own.iter().map(|sound| cut(&made.plan, sound)).collect();
        Planned { range: Some([file.start.0, end + later]), ..Planned::of(file, edits) }
    };
    set.files.iter().enumerate().map(of).collect()
}

fn report(args: &TightenArgs, set: &Checked, (all, made): (&[Played], &Tightened), proof: &Proof) -> Report {
    let file = |source: usize| set.files[set.at[all[source].source.home].0].name.clone();
    let is_moved = |m: &&Moved| m.by != 0 || m.rides;
    let whole = |db: f64| if db.is_finite() { round(db, 1e1) } else { NOTHING_DB };
    let mut failed: Vec<i64> = [&proof.ledger.lost[..], &proof.ledger.doubled, &proof.clicks].concat();
    failed.sort_unstable();
    let with: Vec<usize> = all.iter().map(|p| set.at[p.source.home].0).collect();
    Report {
        sample_rate_hz: set.rate.hz(),
        grid: args.grid.to_string(),
        strength_percent: args.strength,
        slack_ms: args.slack,
        farthest_ms: args.farthest,
        moves: made
            .moved
            .iter()
            .filter(is_moved)
            .map(|m| MoveReport {
                from_sample: m.at.round() as i64,
                to_sample: m.at.round() as i64 + m.by,
                grid_sample: round(m.meant, 1e2),
                tracks: m.sources.iter().map(|s| file(*s)).collect(),
                rides: m.rides,
            })
            .collect(),
        left: made.moved.iter().filter(|m| m.fate == Fate::Left).map(|m| m.at.round() as i64).collect(),
        without: (0..set.files.len()).filter(|f| !with.contains(f)).map(|f| set.files[f].name.clone()).collect(),
        proof: ProofReport {
            attacks: proof.ledger.attacks,
            lost: proof.ledger.lost.len(),
            doubled: proof.ledger.doubled.len(),
            worst_join_db: whole(proof.worst_join_db),
            null_db: whole(proof.null_db),
            failed,
        },
    }
}

fn summary(r: &Report, rate: SampleRate) {
    let s = |sample: i64| sample as f64 / rate.hz_f64();
    for m in &r.moves {
        let by = 1_000.0 * s(m.to_sample - m.from_sample);
        let rides = if m.rides { ", with what sounds before" } else { "" };
        say!("{:>10.4} s  {by:>+8.2} ms  {}{rides}", s(m.from_sample), m.tracks.join(", "));
    }
    r.left.iter().for_each(|at| say!("{:>10.4} s  too far off: left", s(*at)));
    let p = &r.proof;
    say!("{} moved onto {}, {} left", r.moves.len(), r.grid, r.left.len());
    say!("{} attacks read back: {} lost, {} doubled", p.attacks, p.lost, p.doubled);
    let told = |db: f64| if db > NOTHING_DB { format!("{db:.1} dB") } else { "nothing".into() };
    say!("joins add at most {}; outside of fades {} is changed", told(p.worst_join_db), told(p.null_db));
    p.failed.iter().for_each(|at| say!("{:>10.4} s  listen here", s(*at)));
}
