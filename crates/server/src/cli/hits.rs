//! `marea hits`: the strokes of every source among files that recorded the same.

use super::files::{Loaded, load, place_by_stamp};
use super::report::round;
use clap::Args;
use marea_core::decide::{Named, tracks_of};
use marea_core::hits::event::events;
use marea_core::hits::{Played, hits};
use marea_core::measure::table::memory::Forgetful;
use marea_core::signal::Placed;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_session::hear::{Sound, hear};
use rayon::prelude::*;
use serde::Serialize;
use std::collections::BTreeSet;
use std::path::PathBuf;

/// Recordings, and which strokes are wanted.
#[derive(Debug, Args)]
pub struct HitsArgs {
    /// Recordings of the same; every source is looked for in the one that stands at it, and held against all others.
    #[arg(required = true)]
    pub files: Vec<PathBuf>,
    /// Leave out strokes softer than this against a usual one of their source, in dB: -30 (none is left out) to 0.
    #[arg(long, value_name = "DB", default_value_t = -30.0, allow_negative_numbers = true)]
    pub sensitivity: f32,
    /// Strokes of several sources closer together than this are one, in ms: 0 to 100.
    #[arg(long, value_name = "MS", default_value_t = 12.0)]
    pub within: f64,
    /// Print JSON (docs/hits.schema.json) instead of a summary.
    #[arg(long)]
    pub json: bool,
}

/// What `hits --json` prints; docs/hits.schema.json describes it.
#[derive(Debug, Serialize)]
struct Report {
    sample_rate_hz: u32,
    sensitivity_db: f32,
    within_ms: f64,
    hits: Vec<HitReport>,
    sources: Vec<SourceReport>,
    without: Vec<String>,
}

#[derive(Debug, Serialize)]
struct HitReport {
    sample: i64,
    tracks: Vec<String>,
    margin_db: f64,
    level_db: f64,
    verdict: Verdict,
}

#[derive(Debug, Serialize)]
struct SourceReport {
    file: String,
    channel: u16,
    hits: usize,
    solid: usize,
    learnt_from: usize,
}

/// `marea hits`.
///
/// # Errors
/// A sentence that names the file or the setting.
pub fn run_hits(args: &HitsArgs) -> Result<(), String> {
    if !(-30.0..=0.0).contains(&args.sensitivity) {
        return Err(format!("--sensitivity {} is not between -30 and 0 dB", args.sensitivity));
    }
    if !(0.0..=100.0).contains(&args.within) {
        return Err(format!("--within {} is not between 0 and 100 ms", args.within));
    }
    let first = &args.files[0];
    let rate = marea_media::AudioReader::open(first).map_err(|e| format!("{} {e}", first.display()))?.info().rate;
    let folder = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let load = |(n, path): (usize, &PathBuf)| load(path, &folder.path().join(n.to_string()), rate);
    let mut files: Vec<Loaded> = args.files.par_iter().enumerate().map(load).collect::<Result<_, String>>()?;
    place_by_stamp(&mut files, 0, rate);
    let at: Vec<(usize, usize)> =
        files.iter().enumerate().flat_map(|(f, file)| (0..file.channels.len()).map(move |c| (f, c))).collect();
    let named = |(f, c): &(usize, usize)| {
        let file = &files[*f];
        Named { file: file.name.clone(), channel: *c as u16 + 1, channels: file.info.channels }
    };
    let tracks = tracks_of(&at.iter().map(named).collect::<Vec<_>>());
    let placed: Vec<Placed> =
        at.iter().map(|(f, c)| Placed { source: &files[*f].channels[*c], start: files[*f].start }).collect();
    let sounds = at.iter().map(|(f, c)| Sound {
        source: &files[*f].channels[*c],
        start: files[*f].start,
        added: Vec::new(),
        removed: Vec::new(),
    });
    let table = hear(&tracks, sounds.collect(), rate, &Forgetful, &|_| true).map_err(|e| e.to_string())?;
    let played = hits(&placed, &table, rate, &|_| true).map_err(|e| e.to_string())?;
    let report = report(args, &files, &at, &played, rate);
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        summary(&report, rate);
    }
    Ok(())
}

fn report(args: &HitsArgs, files: &[Loaded], at: &[(usize, usize)], played: &[Played], rate: SampleRate) -> Report {
    let file = |p: &Played| files[at[p.source.home].0].name.clone();
    let events = events(played, args.sensitivity, args.within * rate.hz_f64() / 1_000.0);
    let heard: BTreeSet<usize> = played.iter().map(|p| at[p.source.home].0).collect();
    let wanted = |p: &Played| p.hits.iter().filter(|h| h.level_db >= args.sensitivity).copied().collect::<Vec<_>>();
    Report {
        sample_rate_hz: rate.hz(),
        sensitivity_db: args.sensitivity,
        within_ms: args.within,
        hits: events
            .iter()
            .map(|e| HitReport {
                sample: e.at().round() as i64,
                tracks: e.strokes.iter().map(|s| file(&played[s.0])).collect(),
                margin_db: round(f64::from(e.margin_db()), 1e1),
                level_db: round(
                    e.strokes.iter().map(|s| f64::from(s.1.level_db)).fold(f64::NEG_INFINITY, f64::max),
                    1e1,
                ),
                verdict: e.verdict(),
            })
            .collect(),
        sources: played
            .iter()
            .map(|p| SourceReport {
                file: file(p),
                channel: at[p.source.home].1 as u16 + 1,
                hits: wanted(p).len(),
                solid: wanted(p).iter().filter(|h| h.verdict == Verdict::Solid).count(),
                learnt_from: p.source.strokes,
            })
            .collect(),
        without: (0..files.len()).filter(|f| !heard.contains(f)).map(|f| files[f].name.clone()).collect(),
    }
}

fn summary(r: &Report, rate: SampleRate) {
    for s in &r.sources {
        say!("{}: {} hits, {} of them solid; learnt from {}", s.file, s.hits, s.solid, s.learnt_from);
    }
    if !r.without.is_empty() {
        say!("no strokes of their own: {}", r.without.join(", "));
    }
    for h in &r.hits {
        let verdict = format!("{:?}", h.verdict).to_lowercase();
        say!(
            "{:>10.4} s  {verdict:<9} {:>5.1} dB  {}",
            h.sample as f64 / rate.hz_f64(),
            h.margin_db,
            h.tracks.join(", ")
        );
    }
}
