//! `marea tempo`: the tempo of a click, of a map or of a steady track, and how tracks stand to it.

use super::files::{Loaded, base_name, load};
use super::report::round;
use clap::Args;
use marea_core::edit::tempo::{TempoChange, TempoMap};
use marea_core::grid::Against;
use marea_core::notes::midi::Score;
use marea_core::onsets::strokes;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_media::work::WorkFile;
use marea_session::tempo::Reference;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// Largest map, in bytes.
const LARGEST: u64 = 16 << 20;

/// Tracks, and what they are held against.
#[derive(Debug, Args)]
pub struct TempoArgs {
    /// Tracks that begin together. Without a click, a map or a reference, the first gives the tempo.
    #[arg(required = true)]
    pub files: Vec<PathBuf>,
    /// A recorded click that begins with them.
    #[arg(long, value_name = "FILE", conflicts_with = "map")]
    pub click: Option<PathBuf>,
    /// A tempo map: JSON as this prints it, or a Standard MIDI File whose quarter 0 is the tracks' beginning.
    #[arg(long, value_name = "FILE")]
    pub map: Option<PathBuf>,
    /// Another track that begins with them: they are held against its strokes.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["click", "map"])]
    pub beside: Option<PathBuf>,
    /// Print JSON (docs/tempo.schema.json) instead of a summary.
    #[arg(long)]
    pub json: bool,
}

/// Where the tempo comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
enum From {
    Click,
    Map,
    Track,
    Strokes,
    Nothing,
}

/// A change, as maps have it: `unit` 4 for quarters, 8 for eighths.
#[derive(Debug, Serialize, Deserialize)]
struct Change {
    quarter: u32,
    bpm: f64,
    beats: u32,
    unit: u32,
}

/// A map in JSON; what else `tempo --json` prints is left aside.
#[derive(Debug, Deserialize)]
struct MapFile {
    first_beat_sample: f64,
    changes: Vec<Change>,
}

/// What `tempo --json` prints; docs/tempo.schema.json describes it.
#[derive(Debug, Serialize)]
struct Report {
    sample_rate_hz: u32,
    tempo_from: From,
    first_beat_sample: Option<f64>,
    changes: Vec<Change>,
    or_bpm: Vec<f64>,
    accented: bool,
    tracks: BTreeMap<String, TrackReport>,
}

#[derive(Debug, Serialize)]
struct TrackReport {
    lag_ms: Option<f64>,
    offset_samples: Option<f64>,
    spread_ms: Option<f64>,
    hits: usize,
    constant: bool,
    grid: Option<String>,
    or_ms: Vec<f64>,
    verdict: Verdict,
    reason: String,
}

/// `marea tempo`.
///
/// # Errors
/// A sentence that names the file.
pub fn run_tempo(args: &TempoArgs) -> Result<(), String> {
    let first = &args.files[0];
    let rate = marea_media::AudioReader::open(first).map_err(|e| format!("{} {e}", first.display()))?.info().rate;
    let folder = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let load = |name: String, path: &Path| load(path, &folder.path().join(name), rate);
    let files: Vec<Loaded> =
        args.files.iter().enumerate().map(|(n, path)| load(n.to_string(), path)).collect::<Result<_, _>>()?;
    let mut played = Vec::with_capacity(files.len());
    for file in &files {
        played.push(strokes(first_channel(file)?, rate, &mut |_| true).map_err(|e| e.to_string())?);
    }
    let (from, reference) = if let Some(path) = &args.click {
        let click = load("click".into(), path)?;
        let read = Reference::click(first_channel(&click)?, rate, None, &mut |_| true).map_err(|e| e.to_string())?;
        (From::Click, read)
    } else if let Some(path) = &args.map {
        (From::Map, Reference::map(read_map(path)?))
    } else if let Some(path) = &args.beside {
        let other = load("beside".into(), path)?;
        let heard = strokes(first_channel(&other)?, rate, &mut |_| true).map_err(|e| e.to_string())?;
        (From::Strokes, Reference::strokes(heard, None))
    } else {
        (From::Track, Reference::steady(Some(&played[0]), rate, 0))
    };
    let tracks = files
        .iter()
        .zip(&played)
        .enumerate()
        .map(|(n, (file, strokes))| (file.name.clone(), track(reference.told(n, Some(strokes), rate), rate)));
    let report = report(from, &reference, tracks.collect(), rate);
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        summary(&report);
    }
    Ok(())
}

fn first_channel(file: &Loaded) -> Result<&WorkFile, String> {
    file.channels.first().ok_or_else(|| format!("{}: no channel", file.name))
}

/// A map from JSON or MIDI.
pub(super) fn read_map(path: &Path) -> Result<TempoMap, String> {
    let name = base_name(path);
    let told = |e: std::io::Error| format!("{name}: {e}");
    if std::fs::metadata(path).map_err(told)?.len() > LARGEST {
        return Err(format!("{name} is larger than 16 MiB: no tempo map"));
    }
    let bytes = std::fs::read(path).map_err(told)?;
    if bytes.starts_with(b"MThd") {
        let score = Score::read_any(&bytes).map_err(|e| format!("{name} {e}"))?;
        return score.map(0.0).map_err(|e| format!("{name} {e}"));
    }
    let file: MapFile = serde_json::from_slice(&bytes).map_err(|e| format!("{name} is no tempo map: {e}"))?;
    if !file.first_beat_sample.is_finite() {
        return Err(format!("{name}: the first beat has no place"));
    }
    let change = |c: &Change| {
        let quarters = u64::from(c.beats) * 4;
        match quarters.checked_rem(u64::from(c.unit)) {
            Some(0) => {
                let quarters_a_bar = u32::try_from(quarters / u64::from(c.unit)).unwrap_or(u32::MAX);
                Ok(TempoChange { quarter: c.quarter, bpm: c.bpm, quarters_a_bar })
            }
            _ => Err(format!("{name}: a bar of {}/{} is no whole number of quarters", c.beats, c.unit)),
        }
    };
    let changes = file.changes.iter().map(change).collect::<Result<_, _>>()?;
    TempoMap::new(file.first_beat_sample, changes).map_err(|e| format!("{name}: {e}"))
}

fn track(a: Against, rate: SampleRate) -> TrackReport {
    // No minus before a zero.
    let to = |v: f64, per: f64| round(v, per) + 0.0;
    let proposed = a.lag_ms.filter(|_| a.constant && a.or_ms.is_empty());
    TrackReport {
        lag_ms: a.lag_ms.map(|l| to(l, 1e3)),
        offset_samples: proposed.map(|l| to(-l * rate.hz_f64() / 1_000.0, 1e1)),
        spread_ms: a.lag_ms.map(|_| to(a.spread_ms, 1e3)),
        hits: a.hits,
        constant: a.constant,
        grid: a.lag_ms.filter(|_| a.parts > 0).map(|_| format!("1/{}", 4 * a.parts)),
        or_ms: a.or_ms.iter().map(|l| to(*l, 1e3)).collect(),
        verdict: a.verdict,
        reason: a.reason,
    }
}

fn report(from: From, found: &Reference, tracks: BTreeMap<String, TrackReport>, rate: SampleRate) -> Report {
    let beats = found.map.as_ref().map(|m| m.beats(rate.hz_f64()));
    let steady = beats.as_ref().map(|b| b.steady().to_vec()).unwrap_or_default();
    let changes = steady.iter().map(|s| Change {
        quarter: s.quarter as u32,
        bpm: round(60.0 * rate.hz_f64() / s.frames_a_quarter, 1e4),
        beats: s.quarters_a_bar,
        unit: 4,
    });
    Report {
        sample_rate_hz: rate.hz(),
        tempo_from: if found.map.is_some() || from == From::Strokes { from } else { From::Nothing },
        first_beat_sample: steady.first().map(|s| round(s.frame, 1e2)),
        changes: changes.collect(),
        or_bpm: found.or_bpm.iter().map(|b| round(*b, 1e3)).collect(),
        accented: found.accented,
        tracks,
    }
}

fn summary(r: &Report) {
    match (&r.changes[..], r.first_beat_sample) {
        _ if r.tempo_from == From::Strokes => {}
        ([], _) | (_, None) => say!("no tempo was found"),
        (changes, Some(first)) => {
            say!("bar 1 begins at sample {first:.0}");
            for c in changes {
                say!("  from quarter {}: {} quarters a minute, {}/{}", c.quarter, c.bpm, c.beats, c.unit);
            }
            if !r.or_bpm.is_empty() {
                let others: Vec<String> = r.or_bpm.iter().map(|b| format!("{b:.2}")).collect();
                say!("  or {}: strokes alone cannot tell", others.join(" or "));
            }
            if !r.accented {
                say!("  no accents: where bars begin is a guess");
            }
        }
    }
    for (name, t) in &r.tracks {
        let verdict = format!("{:?}", t.verdict).to_lowercase();
        let lag = t.lag_ms.map(|l| format!(" {l:+.2} ms, spread {:.2} ms;", t.spread_ms.unwrap_or(0.0)));
        say!("{name}: {verdict};{} {}", lag.unwrap_or_default(), t.reason);
        t.or_ms.iter().for_each(|l| say!("  or {l:+.2} ms"));
    }
}
