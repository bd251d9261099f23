//! One file by itself: its image where it has several channels, and what is to be repaired between its channels.

use super::args::{AlignArgs, CheckArgs, Outcome};
use super::files::{FileReport, Loaded, any_noted, file_reports, load};
use super::plain::{PlainReport, plain_findings, print_plain};
use super::write::{Planned, write_all};
use marea_core::decide::image::judged::{Names, Proposed};
use marea_core::decide::image::{Repair, repair};
use marea_core::decide::kind::Severity;
use marea_core::edit::Correction;
use marea_core::measure::image::fold::FoldBand;
use marea_core::measure::image::layout::{Order, Place, of_mask, usual};
use marea_core::measure::image::{Image, measure_image};
use marea_core::signal::Placed;
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use serde::Serialize;
use std::path::Path;

/// What `check FILE --json` prints for a file of several channels; docs/check.schema.json describes it.
#[derive(Debug, Serialize)]
struct Report {
    sample_rate_hz: u32,
    file: String,
    tracks: Vec<TrackReport>,
    image: ImageReport,
    findings: Vec<FindingReport>,
    files: Vec<FileReport>,
}

#[derive(Debug, Serialize)]
struct TrackReport {
    file: String,
    channel: u16,
    place: Option<&'static str>,
    offset_samples: f64,
    invert: bool,
    gain_db: f64,
    rms_dbfs: Option<f64>,
    loudness_lufs: Option<f64>,
    verdict: Verdict,
}

#[derive(Debug, Serialize)]
struct ImageReport {
    pairs: Vec<PairReport>,
    fold_down: Option<FoldReport>,
}

#[derive(Debug, Serialize)]
struct PairReport {
    channels: [u16; 2],
    delay_samples: f64,
    invert: bool,
    balance_db: Option<f64>,
    loudness_balance_db: Option<f64>,
    correlation: Option<f64>,
    low_correlation: Option<f64>,
    opposed_part: f64,
    verdict: Verdict,
    text: String,
}

/// By third-octave.
#[derive(Debug, Serialize)]
struct FoldReport {
    places: Vec<&'static str>,
    stereo: Vec<FoldBand>,
    mono: Vec<FoldBand>,
}

#[derive(Debug, Serialize)]
struct FindingReport {
    kind: String,
    channels: Vec<u16>,
    severity: Severity,
    verdict: Verdict,
    text: String,
    advice: String,
}

struct Checked {
    file: Loaded,
    rate: SampleRate,
    places: Option<Vec<Place>>,
    image: Image,
    repair: Repair,
    plain: Vec<PlainReport>,
    _folder: tempfile::TempDir,
}

/// Is this a single file?
pub fn is_meant(args: &CheckArgs) -> bool {
    let one = args.files.len() == 1 && args.anchor.as_ref().is_none_or(|a| *a == args.files[0]);
    one && marea_media::AudioReader::open(&args.files[0]).is_ok()
}

fn check(path: &Path) -> Result<Checked, String> {
    let folder = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let rate = marea_media::AudioReader::open(path).map_err(|e| format!("{} {e}", path.display()))?.info().rate;
    let file = load(path, &folder.path().join("0"), rate)?;
    let channels: Vec<Placed> = file.channels.iter().map(|source| Placed { source, start: SessionFrame(0) }).collect();
    let frames = channels.iter().map(|c| c.source.frames()).max().unwrap_or(0);
    let image =
        measure_image(&channels, 0..frames, rate, &mut |_| true).map_err(|e| format!("{}: {e}", path.display()))?;
    drop(channels);
    let count = file.channels.len();
    let places = file.info.channel_mask.and_then(|mask| of_mask(mask, count)).or_else(|| usual(count, Order::Wav));
    let repair = repair(&image, &Names { places: places.as_deref() });
    let plain = plain_findings(std::slice::from_ref(&file), rate)?;
    Ok(Checked { file, rate, places, image, repair, plain, _folder: folder })
}

fn round(value: f64, per: f64) -> f64 {
    (value * per).round() / per
}

impl Checked {
    fn fold_down(&self) -> Option<FoldReport> {
        let short = |bands: Vec<FoldBand>| {
            let short =
                |b: FoldBand| FoldBand { gain_db: round(b.gain_db, 1e2), level_db: round(b.level_db, 1e2), ..b };
            bands.into_iter().map(short).collect()
        };
        self.places.as_ref().map(|places| FoldReport {
            places: places.iter().map(|p| p.short()).collect(),
            stereo: short(self.image.bands.to_stereo(places)),
            mono: short(self.image.bands.to_mono(places)),
        })
    }

    fn report(&self) -> Report {
        let of = |c: usize| c as u16 + 1;
        let rounded = |v: Option<f64>| v.map(|v| round(v, 1e3));
        let tracks = self.repair.channels.iter().enumerate().map(|(c, p)| TrackReport {
            file: self.file.name.clone(),
            channel: of(c),
            place: self.places.as_ref().map(|p| p[c].short()),
            offset_samples: p.correction.offset_frames.0,
            invert: p.correction.invert,
            gain_db: p.correction.gain_db,
            rms_dbfs: rounded(self.image.channels[c].rms_db),
            loudness_lufs: rounded(self.image.channels[c].loudness_lufs),
            verdict: p.verdict,
        });
        let pairs = self.image.pairs.iter().zip(&self.repair.pairs).map(|(p, j)| PairReport {
            channels: [of(p.a), of(p.b)],
            delay_samples: round(j.delay_frames, 1e3),
            invert: j.invert,
            balance_db: rounded(p.balance_db),
            loudness_balance_db: rounded(p.loudness_balance_db),
            correlation: rounded(p.correlation),
            low_correlation: rounded(p.low_correlation),
            opposed_part: round(p.opposed_part, 1e3),
            verdict: j.verdict,
            text: j.text.clone(),
        });
        let findings = self.repair.findings.iter().map(|f| FindingReport {
            // Kinds of findings between channels are written so in these reports.
            kind: f.kind.word().replace('-', "_"),
            channels: f.about.channels.iter().map(|c| of(*c)).collect(),
            severity: f.severity,
            verdict: f.verdict,
            text: f.text.clone(),
            advice: f.advice.clone(),
        });
        let plain = self.plain.iter().map(|f| FindingReport {
            kind: f.kind.word(),
            channels: vec![f.channel],
            severity: f.severity,
            verdict: f.verdict,
            text: f.text.clone(),
            advice: f.advice.clone(),
        });
        Report {
            sample_rate_hz: self.rate.hz(),
            file: self.file.name.clone(),
            tracks: tracks.collect(),
            image: ImageReport { pairs: pairs.collect(), fold_down: self.fold_down() },
            findings: findings.chain(plain).collect(),
            files: file_reports(std::slice::from_ref(&self.file)),
        }
    }

    fn print(&self, json: bool) -> Result<(), String> {
        if json {
            say!("{}", serde_json::to_string_pretty(&self.report()).map_err(|e| e.to_string())?);
            return Ok(());
        }
        for f in &self.repair.findings {
            say!("{}: {} {}", format!("{:?}, {:?}", f.severity, f.verdict).to_lowercase(), f.text, f.advice);
        }
        print_plain(&self.plain);
        if self.repair.findings.is_empty() && self.plain.is_empty() {
            say!("nothing found");
        }
        for j in &self.repair.pairs {
            say!("channels {} and {}: {}", j.a + 1, j.b + 1, j.text);
        }
        Ok(())
    }
}

/// `marea check FILE`.
///
/// # Errors
/// A sentence that names the file.
pub fn run_check(args: &CheckArgs) -> Result<Outcome, String> {
    let checked = check(&args.files[0])?;
    checked.print(args.json)?;
    let wrong = checked.repair.findings.iter().any(|f| f.severity > Severity::Info)
        || !checked.plain.is_empty()
        || any_noted(std::slice::from_ref(&checked.file));
    Ok(if wrong { Outcome::Findings } else { Outcome::Clean })
}

/// `marea align FILE`: the repaired copy.
///
/// # Errors
/// A sentence that names the file. Recordings are never written over.
pub fn run_align(args: &AlignArgs) -> Result<(), String> {
    let c = check(&args.check.files[0])?;
    let least = args.least();
    let accepted = |p: &Proposed| if p.verdict >= least { p.correction } else { Correction::default() };
    let plan = Planned::of(&c.file, c.repair.channels.iter().map(|p| accepted(p).into()).collect());
    write_all(&[plan], &c.file, c.rate, (&args.out, &args.write), &|name| {
        format!("{name}, repaired between its channels")
    })?;
    c.print(args.check.json)?;
    if !args.check.json {
        say!("the repaired file is in {}", args.out.display());
    }
    Ok(())
}
