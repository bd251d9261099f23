//! How well the check did on a scene, by the scene's own truth.

use crate::{Fault, Rendered, Scene, room};
use marea_core::decide::finding::Finding;
use marea_core::decide::kind::Kind;
use marea_core::decide::{Check, Named, decide, tracks_of};
use marea_core::measure::arrival::Table;
use marea_core::measure::table::memory::Forgetful;
use marea_core::signal::MemSource;
use marea_core::track::Track;
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use marea_session::hear::{Sound, hear};
use std::ops::AddAssign;

/// Latencies count as found within this, in frames at 48 kHz: 0.4 ms.
const FOUND_FRAMES: f64 = 19.2;

/// Counts over one session or many.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Score {
    /// Cells with a microphone in air other than the home.
    pub cells: usize,
    /// Called solid.
    pub solid: usize,
    /// More than one sample from the direct path.
    pub solid_wrong: usize,
    /// With the wrong sign.
    pub sign_wrong: usize,
    /// Called likely.
    pub likely: usize,
    /// Wrong in lag or sign.
    pub likely_wrong: usize,
    /// No number given.
    pub undecided: usize,
    /// Sources with a microphone of their own that got no row.
    pub rows_missing: usize,
    /// Inversions there are, found, and found where there is none.
    pub inverted: [usize; 3],
    /// Latencies of a millisecond and more there are, found within 0.4 ms, and found where there is none.
    pub late: [usize; 3],
    /// Latencies called solid, and those of them that are further off or not there.
    pub late_solid: [usize; 2],
    /// Swapped pairs there are, found or asked about, and found where there is none.
    pub swapped: [usize; 3],
    /// Microphones opposed to their own source by placement there are, told so, and told so without being.
    pub opposed: [usize; 3],
    /// Clean sessions, and findings in them.
    pub clean: [usize; 2],
    /// What went wrong, in words.
    pub notes: Vec<String>,
}

impl AddAssign<&Self> for Score {
    fn add_assign(&mut self, o: &Self) {
        self.cells += o.cells;
        self.solid += o.solid;
        self.solid_wrong += o.solid_wrong;
        self.sign_wrong += o.sign_wrong;
        self.likely += o.likely;
        self.likely_wrong += o.likely_wrong;
        self.undecided += o.undecided;
        self.rows_missing += o.rows_missing;
        for (a, b) in [
            (&mut self.inverted, &o.inverted),
            (&mut self.late, &o.late),
            (&mut self.swapped, &o.swapped),
            (&mut self.opposed, &o.opposed),
        ] {
            a.iter_mut().zip(b).for_each(|(a, b)| *a += b);
        }
        self.late_solid.iter_mut().zip(&o.late_solid).for_each(|(a, b)| *a += b);
        self.clean.iter_mut().zip(&o.clean).for_each(|(a, b)| *a += b);
        self.notes.extend(o.notes.iter().cloned());
    }
}

/// Everything about one checked scene.
pub struct Checked {
    /// The channels, in order.
    pub names: Vec<Named>,
    /// What their names say.
    pub tracks: Vec<Track>,
    /// What was measured.
    pub table: Table,
    /// What was decided.
    pub check: Check,
}

/// Checks a rendered scene by the names of its files and their sound alone.
pub fn check(played: &Rendered, rate: SampleRate) -> Checked {
    let mut names = Vec::new();
    let mut sounds = Vec::new();
    for (file, planes) in &played.files {
        for (channel, plane) in (1..).zip(planes) {
            names.push(Named { file: file.clone(), channel, channels: planes.len() as u16 });
            sounds.push(MemSource(plane.clone()));
        }
    }
    let tracks = tracks_of(&names);
    let sounds =
        sounds.iter().map(|source| Sound { source, start: SessionFrame(0), added: Vec::new(), removed: Vec::new() });
    let table = hear(&tracks, sounds.collect(), rate, &Forgetful, &|_| true).expect("memory is readable");
    let check = decide(&table, &tracks);
    Checked { names, tracks, table, check }
}

/// Source that stands nearest to a microphone; what is never struck is nobody's source.
pub(crate) fn nearest(scene: &Scene, c: &Checked, m: usize) -> usize {
    let mic = mic(scene, c, m);
    let to = |i: usize| room::distance(scene.sources[i].position, mic.position);
    let struck = (0..scene.sources.len()).filter(|i| !scene.sources[*i].hits.is_empty());
    mic.contact.or(struck.min_by(|a, b| to(*a).total_cmp(&to(*b)))).unwrap_or(0)
}

pub(crate) fn mic<'a>(scene: &'a Scene, c: &Checked, m: usize) -> &'a room::Mic {
    let n = &c.names[m];
    let take = scene.takes.iter().find(|t| t.file == n.file).expect("a file of the scene");
    &take.mics[usize::from(n.channel) - 1]
}

/// The source a home stands at, when both it and the other microphone hear it through air.
pub fn truth_of<'a>(scene: &'a Scene, c: &Checked, home: usize, m: usize) -> Option<&'a str> {
    let in_air = |m: usize| mic(scene, c, m).contact.is_none();
    (in_air(home) && in_air(m)).then(|| scene.sources[nearest(scene, c, home)].name.as_str())
}

/// Compares with the truth.
pub fn score(scene: &Scene, played: &Rendered, c: &Checked) -> Score {
    let mut s = Score::default();
    arrivals(&mut s, scene, played, c);
    for m in 0..c.names.len() {
        polarity(&mut s, scene, played, c, m);
        latency(&mut s, scene, c, m);
    }
    swapped_pairs(&mut s, scene, c);
    if scene.faults.is_empty() && scene.sources.iter().all(|s| s.front.is_none()) {
        s.clean = [1, c.check.findings.len()];
        s.notes.extend(c.check.findings.iter().map(|f| format!("clean, yet {:?}: {}", f.kind, f.text)));
    }
    s
}

impl Checked {
    pub(crate) fn at(&self, m: usize) -> (&str, u16) {
        (self.names[m].file.as_str(), self.names[m].channel)
    }

    /// A finding of a kind that a track comes first in, unless it is undecided.
    pub(crate) fn found(&self, kind: Kind, m: usize) -> Option<&Finding> {
        let about = |f: &&Finding| f.kind == kind && f.about.tracks[0] == m && f.verdict > Verdict::Undecided;
        self.check.findings.iter().find(about)
    }
}

/// Cells of the table.
fn arrivals(s: &mut Score, scene: &Scene, played: &Rendered, c: &Checked) {
    let in_air = |m: usize| mic(scene, c, m).contact.is_none();
    let mut rows_of = vec![0; scene.sources.len()];
    for row in &c.table.rows {
        let k = nearest(scene, c, row.home);
        rows_of[k] += 1;
        for (m, cell) in row.cells.iter().enumerate() {
            if m == row.home || !in_air(m) || !in_air(row.home) {
                continue;
            }
            let source = &scene.sources[k].name;
            let Some((lag, sign)) = played.true_lag(source, c.at(row.home), c.at(m)) else { continue };
            s.cells += 1;
            let right = cell.lag_frames.is_some_and(|l| (l - lag).abs() <= 1.0);
            match cell.verdict {
                Verdict::Solid => {
                    s.solid += 1;
                    s.solid_wrong += usize::from(!right);
                    s.sign_wrong += usize::from(cell.sign != sign);
                    if !right || cell.sign != sign {
                        let label = &c.tracks[m].label;
                        s.notes.push(format!("{source} in {label}: {:?} instead of {lag:.1}", cell.lag_frames));
                    }
                }
                Verdict::Likely => {
                    s.likely += 1;
                    s.likely_wrong += usize::from(!right || cell.sign != sign);
                }
                Verdict::Undecided => s.undecided += 1,
            }
        }
    }
    s.rows_missing = rows_of.iter().filter(|n| **n == 0).count();
}

/// Wiring, and the side of its source on which a microphone stands.
fn polarity(s: &mut Score, scene: &Scene, played: &Rendered, c: &Checked, m: usize) {
    let (label, mic) = (&c.tracks[m].label, mic(scene, c, m));
    let (wired, said_wired) = (mic.inverted, c.found(Kind::WiredInverted, m).is_some());
    tally(&mut s.inverted, wired, said_wired);
    if wired != said_wired {
        s.notes.push(format!("{label}: wired inverted {wired}, said {said_wired}"));
    }
    let source = &scene.sources[nearest(scene, c, m)];
    let near = room::distance(source.position, mic.position) < 0.6 && mic.contact.is_none();
    let own = played.arrivals.iter().find(|a| a.source == source.name && c.at(m) == (a.file.as_str(), a.channel));
    let own_sign = own.map_or(1, |a| if wired { -a.sign } else { a.sign });
    let opposed = near && own_sign < 0;
    let said = near && c.check.tracks[m].invert != said_wired;
    tally(&mut s.opposed, opposed, said);
    if opposed != said {
        s.notes.push(format!("{label}: opposed {opposed}, said {said}"));
    }
}

fn latency(s: &mut Score, scene: &Scene, c: &Checked, m: usize) {
    let late = scene.faults.iter().find_map(|f| match f {
        Fault::Late { file, channel, frames } if c.at(m) == (file.as_str(), *channel) => Some(*frames),
        _ => None,
    });
    let finding = c.found(Kind::Late, m).or(c.found(Kind::Early, m));
    let told = finding.map(|_| c.check.tracks[m].latency_frames);
    let right = late.zip(told).is_some_and(|(l, t)| (l - t).abs() <= FOUND_FRAMES);
    let solid = finding.is_some_and(|f| f.verdict == Verdict::Solid);
    s.late_solid[0] += usize::from(solid);
    s.late_solid[1] += usize::from(solid && !right);
    s.late[0] += usize::from(late.is_some());
    s.late[1] += usize::from(right);
    s.late[2] += usize::from(told.is_some() && !right);
    if late.is_some() != right || told.is_some() && !right {
        s.notes.push(format!("{}: late {late:.1?}, said {told:.1?}", c.tracks[m].label));
    }
}

fn swapped_pairs(s: &mut Score, scene: &Scene, c: &Checked) {
    for pair in pairs_of(c) {
        let swapped = scene.faults.iter().any(|f| match f {
            Fault::Swapped { left, .. } => pair.iter().any(|m| c.at(*m) == (left.0.as_str(), left.1)),
            _ => false,
        });
        let said = c.check.swapped_pairs.iter().any(|p| p.contains(&pair[0]));
        // Of two pairs nobody can know which is swapped: to ask is right.
        let asks = |f: &Finding| f.kind == Kind::PairsContradict && f.about.tracks.contains(&pair[0]);
        let said = said || (swapped && c.check.findings.iter().any(asks));
        tally(&mut s.swapped, swapped, said);
        if swapped != said {
            s.notes.push(format!("{}: swapped {swapped}, said {said}", c.tracks[pair[0]].label));
        }
    }
}

/// Halves of sets of two.
pub(crate) fn pairs_of(c: &Checked) -> Vec<[usize; 2]> {
    let of = |set: usize| (0..c.tracks.len()).filter(|m| c.tracks[*m].set == Some(set)).collect::<Vec<_>>();
    (0..c.tracks.len()).filter_map(|set| <[usize; 2]>::try_from(of(set)).ok()).collect()
}

pub(crate) fn tally(count: &mut [usize; 3], is: bool, said: bool) {
    count[0] += usize::from(is);
    count[1] += usize::from(is && said);
    count[2] += usize::from(!is && said);
}
