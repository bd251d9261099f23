//! Files of one event, one against the others.

use super::args::{AlignArgs, CheckArgs, Outcome};
use super::files::{FileReport, Loaded, any_noted, file_reports, load, place_by_stamp};
use super::plain::{PlainReport, plain_findings, print_plain};
use super::write;
use marea_core::decide::{Named, tracks_of};
use marea_core::edit::{Correction, offset_for_lag};
use marea_core::measure::pair::options::PairOptions;
use marea_core::measure::pair::{PairMeasurement, measure_pair};
use marea_core::signal::Placed;
use marea_core::track::Role;
use marea_core::units::{Offset, SampleRate};
use marea_core::verdict::Verdict;
use serde::Serialize;

/// What `check --json` prints.
#[derive(Debug, Serialize)]
pub struct Report {
    /// Rate in which samples are counted: the anchor's.
    pub sample_rate_hz: u32,
    /// Base name of the anchor.
    pub anchor: String,
    /// One a channel, in the order of the files.
    pub tracks: Vec<TrackReport>,
    /// What is plainly wrong with a file by itself.
    pub findings: Vec<PlainReport>,
    /// Every file with what is wrong with it as a file.
    pub files: Vec<FileReport>,
}

/// One channel in the report.
#[derive(Debug, Serialize)]
pub struct TrackReport {
    /// Base name.
    pub file: String,
    /// From 1.
    pub channel: u16,
    /// Against the anchor, fractional; null when undecided.
    pub lag_samples: Option<f64>,
    /// Proposed correction, negative = earlier. Channels of one file are moved together.
    pub offset_samples: f64,
    /// Proposed polarity.
    pub invert: bool,
    /// solid, likely or undecided.
    pub verdict: Verdict,
    /// Peak of agreement over the RMS of its curve.
    pub height: f64,
    /// 0 … 1.
    pub coherence: f64,
    /// Places measured.
    pub hits: usize,
    /// In a sentence.
    pub reason: String,
}

/// Files that differ by less than this, in samples, agree.
const AGREES_WITHIN: f64 = 0.5;

impl TrackReport {
    /// Does it stand with the anchor, as far as that is decided?
    fn agrees(&self) -> bool {
        let stands = self.offset_samples.abs() < AGREES_WITHIN && !self.invert;
        stands || self.verdict == Verdict::Undecided
    }
}

struct Checked {
    report: Report,
    files: Vec<Loaded>,
    rate: SampleRate,
    anchor: usize,
    _folder: tempfile::TempDir,
}

/// Reads and measures.
///
/// # Errors
/// A sentence that names the file.
fn check(args: &CheckArgs) -> Result<Checked, String> {
    let mut paths = args.files.clone();
    let anchor = match &args.anchor {
        None => 0,
        Some(a) => paths.iter().position(|p| p == a).unwrap_or_else(|| {
            paths.insert(0, a.clone());
            0
        }),
    };
    let folder = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let rate = marea_media::AudioReader::open(&paths[anchor])
        .map_err(|e| format!("{} {e}", paths[anchor].display()))?
        .info()
        .rate;
    let mut files: Vec<Loaded> = Vec::new();
    for (i, path) in paths.iter().enumerate() {
        files.push(load(path, &folder.path().join(i.to_string()), rate)?);
    }
    place_by_stamp(&mut files, anchor, rate);
    let roles = roles(&files);
    let mut tracks = Vec::new();
    for (i, file) in files.iter().enumerate() {
        if i == anchor {
            tracks.extend((1..=file.info.channels).map(|c| anchor_report(file, c)));
            continue;
        }
        let home = Placed { source: &files[anchor].channels[0], start: files[anchor].start };
        let measured: Vec<PairMeasurement> = file
            .channels
            .iter()
            .zip(&roles[i])
            .map(|(source, role)| {
                let other = Placed { source, start: file.start };
                measure_pair(&home, &other, rate, PairOptions::between(roles[anchor][0], *role), &mut |_| true)
                    .map_err(|e| format!("{}: {e}", file.name))
            })
            .collect::<Result<_, _>>()?;
        tracks.extend(set_report(file, &measured));
    }
    let report = Report {
        sample_rate_hz: rate.hz(),
        anchor: files[anchor].name.clone(),
        tracks,
        findings: plain_findings(&files, rate)?,
        files: file_reports(&files),
    };
    Ok(Checked { report, files, rate, anchor, _folder: folder })
}

/// A file's channels. The set moves together, by what the channel needs that hears the sound first.
fn set_report(file: &Loaded, measured: &[PairMeasurement]) -> Vec<TrackReport> {
    let lead = measured.iter().filter_map(|m| m.lag_frames).min_by(f64::total_cmp);
    let one = |(channel, m): (u16, &PairMeasurement)| TrackReport {
        file: file.name.clone(),
        channel,
        lag_samples: m.lag_frames.map(|l| (l * 1_000.0).round() / 1_000.0),
        offset_samples: lead.map_or(0.0, |l| offset_for_lag(l).0),
        invert: m.propose_invert,
        verdict: m.verdict,
        height: (m.height * 100.0).round() / 100.0,
        coherence: (m.coherence * 1_000.0).round() / 1_000.0,
        hits: m.hits,
        reason: m.reason.clone(),
    };
    (1..).zip(measured).map(one).collect()
}

/// What each channel of each file is called after, as far as its name tells.
fn roles(files: &[Loaded]) -> Vec<Vec<Role>> {
    let named = |f: &Loaded, channel: u16| Named { file: f.name.clone(), channel, channels: f.info.channels };
    let names: Vec<Named> = files.iter().flat_map(|f| (1..=f.info.channels).map(|c| named(f, c))).collect();
    let mut guessed = tracks_of(&names).into_iter();
    files.iter().map(|f| guessed.by_ref().take(f.channels.len()).map(|t| t.role).collect()).collect()
}

fn anchor_report(file: &Loaded, channel: u16) -> TrackReport {
    TrackReport {
        file: file.name.clone(),
        channel,
        lag_samples: Some(0.0),
        offset_samples: 0.0,
        invert: false,
        verdict: Verdict::Solid,
        height: 0.0,
        coherence: 1.0,
        hits: 0,
        reason: "the anchor stays as it is".into(),
    }
}

fn print_table(report: &Report) {
    say!("anchor: {} ({} Hz)", report.anchor, report.sample_rate_hz);
    for t in &report.tracks {
        let lag = t.lag_samples.map_or("-".into(), |l| {
            format!("{l:.2} samples ({:.3} ms)", l * 1_000.0 / f64::from(report.sample_rate_hz))
        });
        let polarity = if t.invert { "inverted" } else { "upright" };
        let verdict = format!("{:?}", t.verdict).to_lowercase();
        say!("{} [{}]: {lag}, {polarity} - {verdict}, {} hits; {}", t.file, t.channel, t.hits, t.reason);
    }
}

/// `marea check FILES`.
///
/// # Errors
/// A sentence that names the file.
pub fn run_check(args: &CheckArgs) -> Result<Outcome, String> {
    let checked = check(args)?;
    if args.json {
        say!("{}", serde_json::to_string_pretty(&checked.report).map_err(|e| e.to_string())?);
    } else {
        print_table(&checked.report);
        print_plain(&checked.report.findings);
    }
    let agree = checked.report.tracks.iter().all(TrackReport::agrees);
    let clean = agree && checked.report.findings.is_empty() && !any_noted(&checked.files);
    Ok(if clean { Outcome::Clean } else { Outcome::Findings })
}

/// `marea align FILES`. Every file keeps its name (with `.wav`), its channels, and begins where the anchor begins.
///
/// # Errors
/// A sentence that names the file. Recordings are never written over.
pub fn run_align(args: &AlignArgs) -> Result<(), String> {
    let checked = check(&args.check)?;
    let least = args.least();
    let plan: Vec<write::Planned> = checked
        .files
        .iter()
        .map(|file| {
            let set: Vec<&TrackReport> = checked.report.tracks.iter().filter(|t| t.file == file.name).collect();
            let moved = set.iter().any(|t| t.verdict >= least);
            let edits = (0..file.channels.len())
                .map(|c| {
                    let own = set.iter().find(|t| usize::from(t.channel) == c + 1);
                    Correction {
                        offset_frames: own.filter(|_| moved).map_or(Offset::default(), |t| Offset(t.offset_samples)),
                        invert: own.is_some_and(|t| t.invert && t.verdict >= least),
                        gain_db: 0.0,
                    }
                    .into()
                })
                .collect();
            write::Planned::of(file, edits)
        })
        .collect();
    let description = |name: &str| format!("{name}, aligned to {}", checked.report.anchor);
    write::write_all(&plan, &checked.files[checked.anchor], checked.rate, (&args.out, &args.write), &description)?;
    if args.check.json {
        say!("{}", serde_json::to_string_pretty(&checked.report).map_err(|e| e.to_string())?);
    } else {
        print_table(&checked.report);
        say!("{} aligned files in {}", checked.files.len(), args.out.display());
    }
    Ok(())
}
