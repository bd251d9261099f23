//! `marea sync`: recorders with clocks of their own, placed in the time of the first.

use super::args::WriteArgs;
use super::files::{Loaded, load};
use super::report::round;
use super::write::{Planned, write_all};
use clap::Args;
use marea_core::edit::Edit;
use marea_core::edit::map::TimeMap;
use marea_core::signal::Source;
use marea_core::sync::{CLAIMED_PPM, Clap, Features, Line, Place, clap, place, shared_clock};
use marea_core::timecode::ltc::{self, Linear};
use marea_core::units::{Offset, SampleRate};
use marea_core::verdict::Verdict;
use marea_session::names::stem;
use serde::Serialize;
use std::collections::HashSet;
use std::path::PathBuf;

/// Sound in which a time code is looked for before all of a channel is read, in seconds.
const CODE_LOOKED_FOR_S: f64 = 20.0;
/// Sound and time code contradict one another from so many seconds on: two frames.
const CONTRADICTS_S: f64 = 0.08;

/// Recordings of one event.
#[derive(Debug, Args)]
pub struct SyncArgs {
    /// Recordings; the others are placed in the time of the first. Of several channels the first that carries no time code is compared.
    #[arg(required = true, num_args = 2..)]
    pub files: Vec<PathBuf>,
    /// Print JSON (docs/sync.schema.json) instead of a summary.
    #[arg(long)]
    pub json: bool,
    /// Write all that were placed into this folder, from one beginning and at the first one's speed where it is sure.
    #[arg(long)]
    pub out: Option<PathBuf>,
    /// How they are written.
    #[command(flatten)]
    pub write: WriteArgs,
}

/// What a recording was placed by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
enum By {
    Reference,
    Sound,
    Code,
    Clap,
    Stamp,
    Nothing,
}

/// What `sync --json` prints; docs/sync.schema.json describes it.
#[derive(Debug, Serialize)]
struct Report {
    reference: String,
    sample_rate_hz: u32,
    files: Vec<FileReport>,
}

#[derive(Debug, Serialize)]
struct FileReport {
    file: String,
    start_samples: Option<f64>,
    ppm: Option<f64>,
    ppm_error: Option<f64>,
    ppm_claimed: bool,
    clock_shared_with: Vec<String>,
    invert: bool,
    overlap_s: f64,
    by: By,
    verdict: Verdict,
    reason: String,
    stamp_samples: Option<u64>,
    code: Option<CodeReport>,
    clap_sample: Option<i64>,
}

#[derive(Debug, Serialize)]
struct CodeReport {
    channel: usize,
    count: marea_core::timecode::count::Count,
    first: String,
    first_sample: f64,
    frames: usize,
    missing: usize,
    beginning_s: f64,
}

/// A recording and what was found of it.
struct Found {
    file: Loaded,
    /// Channel, from 0, that is compared; none where all of them carry a code.
    sound: Option<usize>,
    features: Option<Features>,
    code: Option<(usize, Linear)>,
    clap: Option<Clap>,
    place: Place,
    by: By,
    clock: Option<(f64, f64)>,
    shared_with: Vec<String>,
}

impl Found {
    /// What of it is compared.
    fn compared(&self) -> Option<(&dyn Source, &Features)> {
        Some((&self.file.channels[self.sound?], self.features.as_ref()?))
    }
}

/// `marea sync`.
///
/// # Errors
/// A sentence that names the file.
pub fn run_sync(args: &SyncArgs) -> Result<(), String> {
    let first = &args.files[0];
    let rate = marea_media::AudioReader::open(first).map_err(|e| format!("{} {e}", first.display()))?.info().rate;
    let folder = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let load = |(n, path): (usize, &PathBuf)| load(path, &folder.path().join(n.to_string()), rate);
    let files: Vec<Loaded> = args.files.iter().enumerate().map(load).collect::<Result<_, _>>()?;
    let mut found: Vec<Found> = files.into_iter().map(|f| listened(f, rate)).collect::<Result<_, _>>()?;
    found[0].place = Place::reference();
    found[0].by = By::Reference;
    let mut tried = HashSet::new();
    loop {
        by_sound(&mut found, &mut tried, rate)?;
        // What else is placed may lead to others by sound.
        if !(1..found.len()).any(|n| found[n].place.line.is_none() && otherwise(&mut found, n, rate)) {
            break;
        }
    }
    (1..found.len()).for_each(|n| contradicted(&mut found, n, rate));
    clocks(&mut found);
    if let Some(out) = &args.out {
        write(&found, rate, (out, &args.write))?;
    }
    let report = Report {
        reference: found[0].file.name.clone(),
        sample_rate_hz: rate.hz(),
        files: found.iter().map(|f| told(f, rate)).collect(),
    };
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        report.files.iter().for_each(|f| summary(f, rate));
    }
    Ok(())
}

/// Reads time codes, claps and features of a recording.
fn listened(file: Loaded, rate: SampleRate) -> Result<Found, String> {
    let told = |e: marea_core::progress::MeasureError| e.to_string();
    let (mut code, mut sound) = (None, None);
    for (n, channel) in file.channels.iter().enumerate() {
        match code_of(channel, rate).map_err(told)? {
            Some(read) if code.is_none() => code = Some((n, read)),
            Some(_) => {}
            None => sound = sound.or(Some(n)),
        }
    }
    let of = |n: usize| &file.channels[n] as &dyn Source;
    let features = sound.map(|n| Features::measure(of(n), rate, &|| true)).transpose().map_err(told)?;
    let clap = sound.map(|n| clap(of(n), rate, &mut |_| true)).transpose().map_err(told)?.flatten();
    let place = Place::undecided("nothing was compared");
    Ok(Found { sound, features, code, clap, place, by: By::Nothing, clock: None, shared_with: Vec::new(), file })
}

/// The code of a channel; all of it is read where a part of it is one.
fn code_of(channel: &dyn Source, rate: SampleRate) -> Result<Option<Linear>, marea_core::progress::MeasureError> {
    let (total, len) = (channel.frames(), rate.frames(CODE_LOOKED_FOR_S));
    for part in 0..3 {
        let mut x = vec![0f32; usize::try_from(len.min(total)).unwrap_or(0)];
        channel.read((total - len).max(0) / 2 * part, &mut x)?;
        if ltc::read(&marea_core::signal::MemSource(x), rate, &mut |_| true)?.is_some() {
            return ltc::read(channel, rate, &mut |_| true);
        }
    }
    Ok(None)
}

/// Places every recording against the first, or against another that was placed. Pairs that were tried are not tried again.
fn by_sound(found: &mut [Found], tried: &mut HashSet<(usize, usize)>, rate: SampleRate) -> Result<(), String> {
    loop {
        let placed: Vec<usize> = (0..found.len()).filter(|n| found[*n].place.line.is_some()).collect();
        for n in 1..found.len() {
            for against in &placed {
                if found[n].place.line.is_none() && tried.insert((*against, n)) {
                    against_one(found, *against, n, rate)?;
                }
            }
        }
        if found.iter().filter(|f| f.place.line.is_some()).count() == placed.len() {
            return Ok(());
        }
    }
}

/// Places one recording by its sound against another that was placed.
fn against_one(found: &mut [Found], against: usize, n: usize, rate: SampleRate) -> Result<(), String> {
    let Some(mut next) = compared(&found[against], &found[n], rate)? else { return Ok(()) };
    let known = &found[against].place;
    if let (Some(known_line), Some(line)) = (known.line, next.line) {
        next.line = Some(known_line.then(&line));
        next.invert ^= known.invert;
        next.ppm_error = next.ppm_error.hypot(known.ppm_error);
        next.verdict = next.verdict.min(known.verdict);
        if against > 0 {
            next.reason = format!("{}, by way of {}", next.reason, found[against].file.name);
        }
        found[n].by = By::Sound;
    }
    found[n].place = next;
    Ok(())
}

fn compared(a: &Found, b: &Found, rate: SampleRate) -> Result<Option<Place>, String> {
    let (Some((x, of_x)), Some((y, of_y))) = (a.compared(), b.compared()) else { return Ok(None) };
    place([(x, of_x), (y, of_y)], rate, &|| true).map(Some).map_err(|e| e.to_string())
}

/// What did not fit by its sound is placed by time code, by a clap, or by time stamps, if it can be.
fn otherwise(found: &mut [Found], n: usize, rate: SampleRate) -> bool {
    let (reference, one) = (&found[0], &found[n]);
    let code = code_apart(reference, one, rate).map(|s| (s * rate.hz_f64(), By::Code, "by time code"));
    let claps =
        reference.clap.zip(one.clap).map(|(a, b)| ((a.frame - b.frame) as f64, By::Clap, "by the one clap in each"));
    let stamps = stamp_apart(reference, one, rate)
        .map(|s| (s, By::Stamp, "by time stamps, which are as good as the clocks were set"));
    let Some((begins, by, reason)) = code.or(claps).or(stamps) else { return false };
    let place = &mut found[n].place;
    place.reason = format!("{}; placed {reason}", place.reason);
    place.line = Some(Line { at: -begins, ppm: 0.0 });
    place.verdict = Verdict::Likely;
    found[n].by = by;
    true
}

/// A time code that contradicts the sound is told.
fn contradicted(found: &mut [Found], n: usize, rate: SampleRate) {
    let Some(line) = found[n].place.line.filter(|_| found[n].by == By::Sound) else { return };
    let Some(code) = code_apart(&found[0], &found[n], rate) else { return };
    let off = code - line.begins() / rate.hz_f64();
    if off.abs() > CONTRADICTS_S {
        let place = &mut found[n].place;
        place.reason = format!("{}; its time code says {off:+.2} s besides", place.reason);
    }
}

/// Seconds from one's beginning to another's by their time codes, within half a day.
fn code_apart(a: &Found, b: &Found, rate: SampleRate) -> Option<f64> {
    let of = |f: &Found| f.code.as_ref()?.1.beginning_s(rate);
    let day = 86_400.0;
    Some((of(b)? - of(a)? + day / 2.0).rem_euclid(day) - day / 2.0)
}

/// Its time stamp. 0 is what is written where no time is known (common practice, no source).
fn stamp(f: &Found) -> Option<u64> {
    f.file.info.time_reference.filter(|t| *t > 0)
}

fn stamp_apart(a: &Found, b: &Found, rate: SampleRate) -> Option<f64> {
    let of = |f: &Found| Some(stamp(f)? as f64 * rate.hz_f64() / f.file.info.rate.hz_f64());
    Some(of(b)? - of(a)?).filter(|apart| apart.abs() < 43_200.0 * rate.hz_f64())
}

/// Pieces of one recorder, told by names that differ by a number at their end only, take one speed together.
fn clocks(found: &mut [Found]) {
    let recorder = |f: &Found| stem(&f.file.name).trim_end_matches(|c: char| c.is_ascii_digit()).to_lowercase();
    let names: Vec<String> = found.iter().map(recorder).collect();
    for n in 1..found.len() {
        let own = found[n].place.line.filter(|_| found[n].by == By::Sound);
        found[n].clock = own.map(|l| (l.ppm, found[n].place.ppm_error));
        let numbered = stem(&found[n].file.name).len() > names[n].len();
        let pieces: Vec<usize> =
            (1..found.len()).filter(|k| numbered && names[*k] == names[n] && found[*k].by == By::Sound).collect();
        let places: Vec<&Place> = pieces.iter().map(|k| &found[*k].place).collect();
        if let (Some(shared), true) = (shared_clock(&places), pieces.contains(&n)) {
            found[n].clock = Some(shared);
            found[n].shared_with = pieces.iter().filter(|k| **k != n).map(|k| found[*k].file.name.clone()).collect();
        }
    }
    for f in &mut found[1..] {
        if let (Some(line), Some((ppm, _))) = (f.place.line, f.clock.filter(|_| !f.shared_with.is_empty())) {
            // Fitted best about its middle.
            let middle = line.begins() + 0.5 * f.file.channels[0].frames() as f64;
            f.place.line = Some(line.turned(ppm, middle));
        }
    }
}

/// Is the speed sure enough to be taken out?
fn claimed(f: &Found) -> bool {
    let together = !f.shared_with.is_empty() && f.clock.is_some_and(|(_, error)| error <= CLAIMED_PPM);
    f.by == By::Sound && (f.place.claimed() || together)
}

fn write(found: &[Found], rate: SampleRate, to: (&std::path::Path, &WriteArgs)) -> Result<(), String> {
    let plan: Vec<Planned> = found
        .iter()
        .filter_map(|f| {
            let line = f.place.line?;
            let end = f.file.channels[0].frames() as f64;
            let at = |own: f64| (own - line.at) / (1.0 + 1e-6 * line.ppm);
            let map = claimed(f).then(|| TimeMap::new(vec![[0.0, at(0.0)], [end, at(end)]]).ok()).flatten();
            let placement = if map.is_some() { 0.0 } else { line.begins() };
            let edit = Edit { map, placement: Offset(placement).into(), ..Edit::default() };
            let order: Vec<(&Loaded, usize)> = (0..f.file.channels.len()).map(|c| (&f.file, c)).collect();
            let edits = vec![edit; order.len()];
            Some(Planned { file: &f.file, order, edits })
        })
        .collect();
    let reference = &found[0].file;
    write_all(&plan, reference, rate, to, &|name: &str| format!("{name}, in the time of {}", reference.name))
}

fn told(f: &Found, rate: SampleRate) -> FileReport {
    // No minus before a zero.
    let to = |v: f64, per: f64| round(v, per) + 0.0;
    let clock = if f.by == By::Reference { Some((0.0, 0.0)) } else { f.clock };
    FileReport {
        file: f.file.name.clone(),
        start_samples: f.place.line.map(|l| to(l.begins(), 1e2)),
        ppm: clock.map(|c| to(c.0, 1e3)),
        ppm_error: clock.map(|c| to(c.1, 1e3)),
        ppm_claimed: f.by == By::Reference || claimed(f),
        clock_shared_with: f.shared_with.clone(),
        invert: f.place.invert,
        overlap_s: to(f.place.overlap_s, 1e2),
        by: f.by,
        verdict: f.place.verdict,
        reason: f.place.reason.clone(),
        stamp_samples: stamp(f),
        code: f.code.as_ref().and_then(|(channel, linear)| {
            let first = linear.stamps.first()?;
            Some(CodeReport {
                channel: channel + 1,
                count: linear.count,
                first: first.code.to_string(),
                first_sample: to(first.at, 1e2),
                frames: linear.stamps.len(),
                missing: linear.missing,
                beginning_s: to(linear.beginning_s(rate)?, 1e6),
            })
        }),
        clap_sample: f.clap.map(|c| c.frame),
    }
}

fn summary(f: &FileReport, rate: SampleRate) {
    let verdict = format!("{:?}", f.verdict).to_lowercase();
    say!("{}: {verdict}; {}", f.file, f.reason);
    if let Some(start) = f.start_samples.filter(|_| f.by != By::Reference) {
        let way = if f.invert { ", inverted" } else { "" };
        say!("  begins at {:.4} s ({start:.1} samples){way}", start / rate.hz_f64());
    }
    if let Some((ppm, error)) = f.ppm.zip(f.ppm_error).filter(|_| f.by == By::Sound) {
        let sure = if f.ppm_claimed { "" } else { ": not sure enough to be taken out" };
        let with = if f.clock_shared_with.is_empty() {
            String::new()
        } else {
            format!(", one clock with {}", f.clock_shared_with.join(", "))
        };
        say!("  its clock runs {ppm:+.2} ± {error:.2} ppm{with}{sure}");
    }
    if let Some(code) = &f.code {
        say!(
            "  time code on channel {}: {} at sample {:.0}, {} frames, {} missing",
            code.channel,
            code.first,
            code.first_sample,
            code.frames,
            code.missing
        );
    }
}
