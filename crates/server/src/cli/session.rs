//! A folder as a whole session: every source in every microphone, findings, advice.

use super::args::{AlignArgs, CheckArgs, Outcome};
use super::facts::FactArgs;
use super::files::{Loaded, any_noted, base_name, file_reports, load, place_by_stamp};
use super::report::{
    Arrival, ChannelOf, Event, FindingReport, PairReport, PlacesReport, QuestionReport, Report, SourcePlace,
    SourceReport, TrackPlace, TrackReport, round,
};
use super::write::{Planned, write_all};
use marea_core::decide::case::SourceOf;
use marea_core::decide::finding::To;
use marea_core::decide::stage::Stage;
use marea_core::decide::{Check, Named, PairSides, decide, tracks_of};
use marea_core::edit::Edit;
use marea_core::measure::arrival::{Cell, Row, Table};
use marea_core::measure::places::with_facts;
use marea_core::measure::table::memory::Forgetful;
use marea_core::signal::{Placed, index};
use marea_core::track::{Role, Track};
use marea_core::units::SampleRate;
use marea_session::accept::everything;
use marea_session::hear::{Sound, hear};
use rayon::prelude::*;
use std::path::{Path, PathBuf};

/// Endings of files that hold sound.
const ENDINGS: [&str; 8] = ["wav", "wave", "bwf", "rf64", "w64", "aif", "aiff", "flac"];

pub(super) struct Checked {
    pub(super) files: Vec<Loaded>,
    /// File and channel, from 0, of each track.
    pub(super) at: Vec<(usize, usize)>,
    tracks: Vec<Track>,
    pub(super) table: Table,
    pub(super) check: Check,
    pub(super) rate: SampleRate,
    unreadable: Vec<String>,
    _folder: tempfile::TempDir,
}

/// Recordings of a folder in the order of their names.
fn recordings(folder: &Path) -> Result<Vec<PathBuf>, String> {
    let told = |e: std::io::Error| format!("{}: {e}", folder.display());
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).map_err(told)? {
        let path = entry.map_err(told)?.path();
        let ending = path.extension().map(|e| e.to_string_lossy().to_lowercase());
        if path.is_file() && ending.is_some_and(|e| ENDINGS.contains(&e.as_str())) {
            found.push(path);
        }
    }
    found.sort();
    if found.is_empty() { Err(format!("{} holds no recordings", folder.display())) } else { Ok(found) }
}

pub(super) fn check(folder: &Path, anchor: Option<&Path>, facts: &FactArgs) -> Result<Checked, String> {
    let paths = recordings(folder)?;
    let work = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let rates = paths.iter().filter_map(|p| marea_media::AudioReader::open(p).ok().map(|r| r.info().rate));
    let rate = rates.into_iter().next().ok_or_else(|| format!("no file in {} can be read", folder.display()))?;
    let loaded: Vec<Result<Loaded, String>> =
        paths.par_iter().enumerate().map(|(i, path)| load(path, &work.path().join(i.to_string()), rate)).collect();
    let (mut files, mut unreadable) = (Vec::new(), Vec::new());
    for l in loaded {
        match l {
            Ok(file) => files.push(file),
            Err(why) => {
                eprintln!("{why}");
                unreadable.push(why);
            }
        }
    }
    if files.is_empty() {
        return Err(format!("no file in {} can be read", folder.display()));
    }
    place_by_stamp(&mut files, 0, rate);
    let (mut at, mut names) = (Vec::new(), Vec::new());
    for (f, file) in files.iter().enumerate() {
        for c in 0..file.channels.len() {
            at.push((f, c));
            names.push(Named { file: file.name.clone(), channel: c as u16 + 1, channels: file.info.channels });
        }
    }
    let mut tracks = tracks_of(&names);
    let anchor = anchor.map(base_name);
    for (t, (f, c)) in tracks.iter_mut().zip(&at) {
        t.stamped = files[*f].info.time_reference.is_some();
        t.anchor = *c == 0 && anchor.as_ref() == Some(&files[*f].name);
    }
    facts.on(&mut tracks)?;
    let facts = facts.in_room(&tracks)?;
    let heard = at.iter().map(|(f, c)| Sound {
        source: &files[*f].channels[*c],
        start: files[*f].start,
        added: Vec::new(),
        removed: Vec::new(),
    });
    let heard = hear(&tracks, heard.collect(), rate, &Forgetful, &|_| true).map_err(|e| e.to_string())?;
    let roles: Vec<Role> = tracks.iter().map(|t| t.role).collect();
    let table = with_facts(&heard, &roles, &facts);
    let check = decide(&table, &tracks);
    Ok(Checked { files, at, tracks, table, check, rate, unreadable, _folder: work })
}

impl Checked {
    /// The sounds of all tracks, where they stand.
    pub(super) fn placed(&self) -> Vec<Placed<'_>> {
        let of = |(f, c): &(usize, usize)| Placed { source: &self.files[*f].channels[*c], start: self.files[*f].start };
        self.at.iter().map(of).collect()
    }

    fn channel(&self, track: usize) -> ChannelOf {
        let (f, c) = self.at[track];
        ChannelOf { file: self.files[f].name.clone(), channel: c as u16 + 1 }
    }

    /// A file's name where it has one channel, file and channel otherwise.
    fn short(&self, track: usize) -> serde_json::Value {
        let c = self.channel(track);
        if self.files[self.at[track].0].channels.len() == 1 {
            c.file.into()
        } else {
            serde_json::json!({ "file": c.file, "channel": c.channel })
        }
    }

    /// Largest sample in the 10 ms after a strike.
    fn strength(&self, track: usize, at: i64) -> f64 {
        let (f, c) = self.at[track];
        let sound = Placed { source: &self.files[f].channels[c], start: self.files[f].start };
        let mut x = vec![0f32; index(self.rate.frames(0.01))];
        let peak = sound.read(at, &mut x).map_or(0.0, |()| x.iter().fold(0f32, |m, v| m.max(v.abs())));
        round(f64::from(peak), 1e4)
    }

    fn rows(&self) -> impl Iterator<Item = (&Row, &SourceOf)> {
        self.table.rows.iter().zip(&self.check.sources)
    }

    fn arrivals(&self) -> Vec<Arrival> {
        let one = |(source, m, cell): (&SourceOf, usize, &Cell)| {
            let ChannelOf { file, channel } = self.channel(m);
            Arrival {
                source: source.name.clone(),
                file,
                channel,
                lag_samples: cell.lag_frames.map(|l| round(l, 1e3)),
                sign: cell.sign,
                height: round(cell.height, 1e2),
                coherence: round(cell.coherence, 1e3),
                hits: cell.hits,
                verdict: cell.verdict,
            }
        };
        let cells = self.rows().flat_map(|(row, s)| row.cells.iter().enumerate().map(move |(m, cell)| (s, m, cell)));
        cells.map(one).collect()
    }

    fn events(&self) -> Vec<Event> {
        let each = self.rows().flat_map(|(row, s)| row.hits.iter().map(move |at| (row.home, s, at.0)));
        let one = |(home, s, sample): (usize, &SourceOf, i64)| {
            let (source, strength) = (s.name.clone(), self.strength(home, sample));
            Event { sample, source, strength }
        };
        let mut events: Vec<Event> = each.map(one).collect();
        events.sort_by_key(|e| e.sample);
        events
    }

    fn pairs(&self) -> Vec<PairReport> {
        let one = |s: &PairSides| PairReport {
            left: self.channel(s.pair[0]),
            right: self.channel(s.pair[1]),
            exchanged: self.check.swapped_pairs.contains(&s.pair),
        };
        self.check.sides.iter().map(one).collect()
    }

    fn places(&self, stage: &Stage) -> PlacesReport {
        let sources = self.check.sources.iter().zip(&stage.sources);
        let tracks = stage.tracks.iter().enumerate();
        PlacesReport {
            sides_by: stage.sides_by,
            front_by: stage.front_by,
            sources: sources
                .filter_map(|(s, at)| Some(SourcePlace { source: s.name.clone(), at: at.as_ref()?.into() }))
                .collect(),
            tracks: tracks
                .filter_map(|(m, at)| Some(TrackPlace { of: self.channel(m), at: at.as_ref()?.into() }))
                .collect(),
        }
    }

    fn report(&self) -> Report {
        let of = |m: usize| {
            let c = self.channel(m);
            (c.file, c.channel)
        };
        let tracks = self.check.tracks.iter().enumerate().map(|(m, a)| {
            let (file, channel) = of(m);
            TrackReport {
                file,
                channel,
                role: a.role,
                source: a.source.clone(),
                side: a.side,
                policy: a.policy,
                offset_samples: a.offset_frames.0,
                invert: a.invert,
                latency_samples: round(a.latency_frames, 1e2),
                latency_within_samples: round(a.latency_within_frames, 1e2),
                polarity: a.polarity.into(),
                verdict: a.verdict,
                reason: a.reason.clone(),
            }
        });
        let findings = self.check.findings.iter().map(|f| FindingReport {
            kind: f.kind,
            tracks: f.about.tracks.iter().map(|m| self.channel(*m)).collect(),
            severity: f.severity,
            verdict: f.verdict,
            cost_db: f.cost_db,
            text: f.text.clone(),
            advice: f.advice.clone(),
            question: f.question.as_ref().map(|q| QuestionReport {
                text: q.text.clone(),
                answers: q.answers.iter().map(|a| [a.text.clone(), a.then.clone()]).collect(),
            }),
        });
        let sources = self.check.sources.iter().map(|s| {
            let (file, channel) = of(s.home);
            SourceReport { name: s.name.clone(), file, channel, side: s.side }
        });
        Report {
            sample_rate_hz: self.rate.hz(),
            sources: sources.collect(),
            tracks: tracks.collect(),
            arrivals: self.arrivals(),
            events: self.events(),
            findings: findings.collect(),
            swapped_pairs: self.check.swapped_pairs.iter().map(|p| p.map(|m| self.short(m))).collect(),
            pairs: self.pairs(),
            places: self.check.stage.as_ref().map(|s| self.places(s)),
            unreadable: self.unreadable.clone(),
            files: file_reports(&self.files),
        }
    }

    fn outcome(&self) -> Outcome {
        let clean = self.check.findings.is_empty() && self.unreadable.is_empty() && !any_noted(&self.files);
        if clean { Outcome::Clean } else { Outcome::Findings }
    }

    fn print(&self, json: bool) -> Result<(), String> {
        if json {
            say!("{}", serde_json::to_string_pretty(&self.report()).map_err(|e| e.to_string())?);
            return Ok(());
        }
        for f in &self.check.findings {
            let words = format!("{:?}, {:?}", f.severity, f.verdict).to_lowercase();
            say!("{words}: {} {}", f.text, f.advice);
        }
        if self.check.findings.is_empty() {
            say!("nothing found");
        }
        for (t, a) in self.tracks.iter().zip(&self.check.tracks) {
            let polarity = if a.invert { "inverted" } else { "upright" };
            say!("{}: {:+.2} samples, {polarity} - {}", t.label, a.offset_frames.0, a.reason);
        }
        Ok(())
    }
}

/// `marea check DIR`.
///
/// # Errors
/// A sentence that names the file or the folder.
pub fn run_check(folder: &Path, args: &CheckArgs) -> Result<Outcome, String> {
    let checked = check(folder, args.anchor.as_deref(), &args.facts)?;
    checked.print(args.json)?;
    Ok(checked.outcome())
}

/// `marea align DIR`: all advice of at least the accepted certainty, swapped pairs put right.
///
/// # Errors
/// A sentence that names the file. Recordings are never written over.
pub fn run_align(folder: &Path, args: &AlignArgs) -> Result<(), String> {
    let c = check(folder, args.check.anchor.as_deref(), &args.check.facts)?;
    let least = args.least();
    let changes = everything(&c.check, least);
    let of = |m: usize| changes.iter().filter(move |k| k.of == m);
    let edit = |m: usize| of(m).fold(Edit::default(), |edit, k| k.to.on(&edit));
    let side = |m: usize| of(m).find_map(|k| if let To::Side(side) = k.to { Some(side) } else { None });
    // The sound of one half goes out under the other's name.
    let sound_of = |m: usize| {
        let halves = c.check.swapped_pairs.iter().find(|p| p.contains(&m) && side(m).is_some());
        halves.map_or(m, |p| p[usize::from(p[0] == m)])
    };
    let plan: Vec<Planned> = c
        .files
        .iter()
        .enumerate()
        .map(|(f, file)| {
            let sounds: Vec<usize> = (0..c.at.len()).filter(|m| c.at[*m].0 == f).map(sound_of).collect();
            Planned {
                file,
                order: sounds.iter().map(|m| (&c.files[c.at[*m].0], c.at[*m].1)).collect(),
                edits: sounds.iter().map(|m| edit(*m)).collect(),
                range: None,
            }
        })
        .collect();
    let first = c.files.iter().min_by_key(|f| f.start).ok_or("nothing to write")?;
    write_all(&plan, first, c.rate, (&args.out, &args.write), &|name| format!("{name}, aligned with its session"))?;
    c.print(args.check.json)?;
    if !args.check.json {
        say!("{} aligned files in {}", plan.len(), args.out.display());
    }
    Ok(())
}
