//! `marea check` and `marea align`: the main job without server or database, on files one against another or on a folder as
//! a whole session; one file of several channels by itself.

mod image;
mod session;
mod write;

use clap::Args;
use marea_core::correct::{Correction, offset_for_lag};
use marea_core::decide::{Kind, Severity, plain};
use marea_core::measure::survey::Survey;
use marea_core::measure::{PairMeasurement, PairOptions, Verdict, measure_pair};
use marea_core::signal::Placed;
use marea_core::units::SampleRate;
use marea_media::prepare::{channel_path, prepare};
use marea_media::work::WorkFile;
use marea_media::{AudioInfo, Stop};
use serde::Serialize;
use std::path::{Path, PathBuf};

/// What a run of the command found.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outcome {
    /// Nothing to report.
    Clean,
    /// There are findings.
    Findings,
}

/// Files to measure.
#[derive(Debug, Args)]
pub struct CheckArgs {
    /// Recordings of one event; or one folder, whose recordings are checked as a whole session; or one file of several
    /// channels, whose image is checked.
    #[arg(required = true)]
    pub files: Vec<PathBuf>,
    /// File the others are measured against (the first by default); in a folder, the one that keeps its polarity.
    #[arg(long)]
    pub anchor: Option<PathBuf>,
    /// Print JSON (docs/check.schema.json) instead of a table.
    #[arg(long)]
    pub json: bool,
}

/// Files to align.
#[derive(Debug, Args)]
pub struct AlignArgs {
    /// What to measure.
    #[command(flatten)]
    pub check: CheckArgs,
    /// Folder for the aligned files.
    #[arg(long)]
    pub out: PathBuf,
    /// Least certainty that moves a file.
    #[arg(long, value_enum, default_value = "likely")]
    pub accept: Accept,
    /// Write 32-bit float instead of 24-bit integer.
    #[arg(long)]
    pub float: bool,
    /// Replace files that are in the folder already. Recordings are never replaced.
    #[arg(long)]
    pub overwrite: bool,
    /// Begin all files at the earliest sound instead of the anchor's beginning, so that nothing is left out.
    #[arg(long)]
    pub keep_head: bool,
}

/// Least certainty.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum Accept {
    /// Only what is clear from every side.
    Solid,
    /// Also what is probably right.
    Likely,
}

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

/// A file and what was noticed when it was read.
#[derive(Debug, Serialize)]
pub struct FileReport {
    /// Base name.
    pub file: String,
    /// What is wrong with it and how it was dealt with, in sentences.
    pub notes: Vec<String>,
}

/// What is plainly wrong with a channel by itself.
#[derive(Debug, Serialize)]
pub struct PlainReport {
    /// dead, clipped, dc-offset or noisy.
    pub kind: Kind,
    /// Base name.
    pub file: String,
    /// From 1.
    pub channel: u16,
    /// Severity.
    pub severity: Severity,
    /// Certainty.
    pub verdict: Verdict,
    /// In a sentence.
    pub text: String,
    /// What to do.
    pub advice: String,
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

struct Loaded {
    path: PathBuf,
    name: String,
    info: AudioInfo,
    channels: Vec<WorkFile>,
    start: i64,
}

struct Checked {
    report: Report,
    files: Vec<Loaded>,
    rate: SampleRate,
    anchor: usize,
    _folder: tempfile::TempDir,
}

impl CheckArgs {
    /// The folder, when a single one was named.
    fn folder(&self) -> Option<&Path> {
        self.files.first().filter(|f| self.files.len() == 1 && f.is_dir()).map(PathBuf::as_path)
    }
}

fn base_name(path: &Path) -> String {
    path.file_name().map_or_else(|| path.display().to_string(), |n| n.to_string_lossy().into_owned())
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
            .map(|source| {
                let other = Placed { source, start: file.start };
                measure_pair(&home, &other, rate, PairOptions::default(), &mut |_| true)
                    .map_err(|e| format!("{}: {e}", file.name))
            })
            .collect::<Result<_, _>>()?;
        // The set moves together, by what the channel needs that hears the sound first.
        let lead = measured.iter().filter_map(|m| m.lag_frames).min_by(f64::total_cmp);
        for (c, m) in (1..).zip(&measured) {
            tracks.push(TrackReport {
                file: file.name.clone(),
                channel: c,
                lag_samples: m.lag_frames.map(|l| (l * 1_000.0).round() / 1_000.0),
                offset_samples: lead.map_or(0.0, offset_for_lag),
                invert: m.propose_invert,
                verdict: m.verdict,
                height: (m.height * 100.0).round() / 100.0,
                coherence: (m.coherence * 1_000.0).round() / 1_000.0,
                hits: m.hits,
                reason: m.reason.clone(),
            });
        }
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

/// Decodes a file into working copies in a new folder.
fn load(path: &Path, place: &Path, rate: SampleRate) -> Result<Loaded, String> {
    let name = base_name(path);
    std::fs::create_dir(place).map_err(|e| e.to_string())?;
    let made =
        prepare(path, place, rate, &Stop::default(), &mut |_| true).map_err(|e| format!("{} {e}", path.display()))?;
    for note in made.notes() {
        eprintln!("{}: {note}", path.display());
    }
    let channels = (1..=made.info.channels)
        .map(|c| WorkFile::open(&channel_path(place, c)).map_err(|e| format!("{name}: {e}")))
        .collect::<Result<Vec<_>, _>>()?;
    Ok(Loaded { path: path.to_path_buf(), name, info: made.info, channels, start: 0 })
}

/// What is plainly wrong with each channel by itself.
fn plain_findings(files: &[Loaded], rate: SampleRate) -> Result<Vec<PlainReport>, String> {
    let mut of = Vec::new();
    for file in files {
        for (source, channel) in file.channels.iter().zip(1u16..) {
            let label =
                if file.channels.len() > 1 { format!("{}, channel {channel},", file.name) } else { file.name.clone() };
            let survey = Survey::measure(&Placed { source, start: 0 }, rate, &mut |_| true)
                .map_err(|e| format!("{}: {e}", file.path.display()))?;
            of.push((label, survey.facts, &file.name, channel));
        }
    }
    let found = plain::of_files(of.iter().map(|(label, facts, ..)| (label.as_str(), facts)));
    Ok(found
        .into_iter()
        .map(|f| {
            let (_, _, file, channel) = &of[f.tracks[0]];
            PlainReport {
                kind: f.kind,
                file: (*file).clone(),
                channel: *channel,
                severity: f.severity,
                verdict: f.verdict,
                text: f.text,
                advice: f.advice,
            }
        })
        .collect())
}

fn file_reports(files: &[Loaded]) -> Vec<FileReport> {
    files.iter().map(|f| FileReport { file: f.name.clone(), notes: f.info.notes.clone() }).collect()
}

/// Was anything wrong with a file itself?
fn any_noted(files: &[Loaded]) -> bool {
    files.iter().any(|f| !f.info.notes.is_empty())
}

fn print_plain(found: &[PlainReport]) {
    for f in found {
        say!("{}: {} {}", format!("{:?}, {:?}", f.severity, f.verdict).to_lowercase(), f.text, f.advice);
    }
}

/// Files with time stamps stand where their stamps say, relative to the anchor.
fn place_by_stamp(files: &mut [Loaded], anchor: usize, rate: SampleRate) {
    let at = |f: &Loaded| {
        f.info.time_reference.map(|t| i128::from(t) * i128::from(rate.hz()) / i128::from(f.info.rate.hz()))
    };
    let Some(origin) = at(&files[anchor]) else { return };
    for f in files {
        let apart = at(f).map_or(0, |t| t - origin);
        if apart.abs() < i128::from(rate.hz()) * 43_200 {
            f.start = i64::try_from(apart).unwrap_or(0);
        }
    }
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

/// `marea check`.
///
/// # Errors
/// A sentence that names the file.
pub fn run_check(args: &CheckArgs) -> Result<Outcome, String> {
    if let Some(folder) = args.folder() {
        return session::run_check(folder, args);
    }
    if image::is_meant(args) {
        return image::run_check(args);
    }
    let checked = check(args)?;
    if args.json {
        say!("{}", serde_json::to_string_pretty(&checked.report).map_err(|e| e.to_string())?);
    } else {
        print_table(&checked.report);
        print_plain(&checked.report.findings);
    }
    let clean = checked.report.findings.is_empty() && !any_noted(&checked.files);
    Ok(if clean { Outcome::Clean } else { Outcome::Findings })
}

/// `marea align`. Every file keeps its name (with `.wav`), its channels, and begins where the anchor begins.
///
/// # Errors
/// A sentence that names the file. Recordings are never written over.
pub fn run_align(args: &AlignArgs) -> Result<(), String> {
    if let Some(folder) = args.check.folder() {
        return session::run_align(folder, args);
    }
    if image::is_meant(&args.check) {
        return image::run_align(args);
    }
    let checked = check(&args.check)?;
    let least = args.least();
    let plan: Vec<write::Planned> = checked
        .files
        .iter()
        .map(|file| {
            let set: Vec<&TrackReport> = checked.report.tracks.iter().filter(|t| t.file == file.name).collect();
            let moved = set.iter().any(|t| t.verdict >= least);
            let corrections = (0..file.channels.len())
                .map(|c| {
                    let own = set.iter().find(|t| usize::from(t.channel) == c + 1);
                    Correction {
                        offset_frames: own.filter(|_| moved).map_or(0.0, |t| t.offset_samples),
                        invert: own.is_some_and(|t| t.invert && t.verdict >= least),
                        gain_db: 0.0,
                    }
                })
                .collect();
            let order = (0..file.channels.len()).map(|c| (file, c)).collect();
            write::Planned { file, order, corrections }
        })
        .collect();
    let description = |name: &str| format!("{name}, aligned to {}", checked.report.anchor);
    write::write_all(&plan, &checked.files[checked.anchor], checked.rate, args, &description)?;
    if args.check.json {
        say!("{}", serde_json::to_string_pretty(&checked.report).map_err(|e| e.to_string())?);
    } else {
        print_table(&checked.report);
        say!("{} aligned files in {}", checked.files.len(), args.out.display());
    }
    Ok(())
}

impl AlignArgs {
    fn least(&self) -> Verdict {
        if self.accept == Accept::Solid { Verdict::Solid } else { Verdict::Likely }
    }
}
