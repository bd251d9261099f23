//! The findings of a session, as recorded and as it is carried now, and which of them are open.

use marea_core::decide::finding::Finding;
use marea_core::decide::kind::{Kind, Severity};
use marea_core::decide::{Check, as_carried, decide, whole};
use marea_core::dsp::bands::BANDS_HZ;
use marea_core::edit::{Correction, Edit};
use marea_core::measure::arrival::Table;
use marea_core::track::{Side, Track};
use marea_core::units::SessionFrame;
use serde::Serialize;

/// What became of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Standing {
    /// Waits for a decision.
    Open,
    /// Gone with the corrections carried now.
    Agreed,
    /// Put aside with a reason.
    Dismissed,
}

/// A finding and what became of it.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FindingView {
    /// Stays the same as long as it is about the same.
    pub key: String,
    /// What became of it.
    pub standing: Standing,
    /// Why it was put aside, or why it is still there although its track was corrected.
    pub note: String,
    /// The finding.
    pub finding: Finding,
}

/// What the sum of everything keeps in a third-octave, against unrelated sounds.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct WholeBand {
    /// Nominal centre.
    pub hz: f64,
    /// As recorded, in dB.
    pub recorded_db: f64,
    /// As carried now.
    pub corrected_db: f64,
    /// With all advice taken.
    pub advised_db: f64,
}

/// A cell of the table as it is carried now.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct CarriedCell {
    /// Frames after the home; the median where it changes.
    pub lag_frames: Option<f64>,
    /// The microphone plays inverted.
    pub inverted: bool,
}

/// A row of the table as it is carried now.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct CarriedRow {
    /// Where to look at it: its strongest hit, else its first passage; as the home plays it now.
    pub example: Option<SessionFrame>,
    /// A track each.
    pub cells: Vec<CarriedCell>,
}

/// What a caller knows of its tracks, by index.
pub trait Kept {
    /// The lasting id of a track.
    fn id(&self, track: usize) -> String;
    /// Why a finding with this key was put aside, if it was; kept at the first track it is about.
    fn put_aside(&self, track: usize, key: &str) -> Option<String>;
}

/// A session that was measured, judged as recorded and as it is carried now.
pub struct Judged {
    /// As recorded.
    pub recorded: Check,
    /// With what the tracks carry now.
    pub corrected: Check,
    tracks: Vec<Track>,
    by_name: Vec<Track>,
    homes: Vec<usize>,
    missing: Vec<usize>,
}

impl Judged {
    /// Judges a table. `tracks` as they are known and carried now, `by_name` as their files' names alone tell them, `missing`
    /// those whose recording could not be read.
    pub fn of(table: &Table, tracks: Vec<Track>, by_name: Vec<Track>, missing: Vec<usize>) -> Self {
        let mut before = tracks.clone();
        before.iter_mut().for_each(|t| t.edit = Edit::default());
        let (recorded, mut corrected) = (decide(table, &before), decide(table, &tracks));
        // What cannot be read is no dead microphone.
        corrected.findings.retain(|f| !missing.iter().any(|m| f.about.tracks.contains(m)));
        let homes = table.rows.iter().map(|r| r.home).collect();
        Self { recorded, corrected, tracks, by_name, homes, missing }
    }

    /// What the sum of all tracks keeps, by third-octave.
    pub fn whole(&self, table: &Table) -> Vec<WholeBand> {
        let mut advised = self.tracks.clone();
        for (track, advice) in advised.iter_mut().zip(&self.recorded.tracks) {
            let placed = Correction { offset_frames: advice.offset_frames, invert: advice.invert, gain_db: 0.0 };
            track.edit = placed.into();
        }
        let (corrected, advised) = (whole(&as_carried(table, &self.tracks)), whole(&as_carried(table, &advised)));
        let bands = BANDS_HZ.iter().zip(whole(table)).zip(corrected.into_iter().zip(advised));
        bands
            .map(|((hz, recorded_db), (corrected_db, advised_db))| WholeBand {
                hz: *hz,
                recorded_db,
                corrected_db,
                advised_db,
            })
            .collect()
    }

    /// The rows of the table as the tracks are carried now.
    pub fn carried(&self, table: &Table) -> Vec<CarriedRow> {
        let as_carried = as_carried(table, &self.tracks);
        let rows = table.rows.iter().zip(&as_carried.rows);
        rows.map(|(row, carried)| {
            let home = &self.tracks[row.home].edit;
            let start = table.facts[row.home].start.place();
            let plays =
                |at: SessionFrame| SessionFrame((at.place() + home.moved_at(at.place() - start)).round() as i64);
            let cells = carried.cells.iter().zip(&self.tracks);
            CarriedRow {
                example: row.example().map(plays),
                cells: cells.map(|(c, t)| CarriedCell { lag_frames: c.lag_frames, inverted: t.edit.invert }).collect(),
            }
        })
        .collect()
    }

    fn key(&self, f: &Finding, kept: &dyn Kept) -> String {
        f.key(|track| kept.id(track), |row| self.homes[row])
    }

    /// All findings: open ones first, then those put aside, then those that what is carried has settled; each worst first.
    pub fn findings(&self, kept: &dyn Kept) -> Vec<FindingView> {
        let recorded: Vec<String> = self.recorded.findings.iter().map(|f| self.key(f, kept)).collect();
        let mut shown: Vec<FindingView> =
            self.corrected.findings.iter().map(|f| self.still_there(f, &recorded, kept)).collect();
        for (f, key) in self.recorded.findings.iter().zip(recorded) {
            let gone = self.missing.iter().any(|m| f.about.tracks.contains(m));
            if !gone && !shown.iter().any(|s| s.key == key) {
                shown.push(agreed(key, f.clone()));
            }
        }
        shown.extend(self.exchanged().into_iter().map(|f| agreed(self.key(&f, kept), f)));
        in_order(&mut shown);
        shown
    }

    fn still_there(&self, f: &Finding, recorded: &[String], kept: &dyn Kept) -> FindingView {
        let (key, first) = (self.key(f, kept), f.about.tracks[0]);
        // Before a source was part of a key it was kept without it.
        let without = key.split('@').next().unwrap_or_default();
        let reason = kept.put_aside(first, &key).or_else(|| kept.put_aside(first, without));
        let carries = !self.tracks[first].edit.correction().is_neutral();
        let (standing, note) = match reason {
            Some(reason) => (Standing::Dismissed, reason),
            None if carries && recorded.contains(&key) => {
                (Standing::Open, "still there with the corrections carried now".into())
            }
            None => (Standing::Open, String::new()),
        };
        FindingView { key, standing, note, finding: f.clone() }
    }

    /// What was found of the session's signal paths, each with the name of the node where it lies: open, or put aside.
    pub fn beside(&self, found: impl IntoIterator<Item = (String, Finding)>, kept: &dyn Kept) -> Vec<FindingView> {
        let of = |(node, f): (String, Finding)| {
            let key = format!("{}~{node}", self.key(&f, kept));
            let reason = kept.put_aside(*f.about.tracks.first()?, &key);
            let standing = if reason.is_some() { Standing::Dismissed } else { Standing::Open };
            Some(FindingView { key, standing, note: reason.unwrap_or_default(), finding: f })
        };
        found.into_iter().filter_map(of).collect()
    }

    /// Pairs whose sides were exchanged against their names: settled now, and still listed.
    fn exchanged(&self) -> Vec<Finding> {
        let turned = |m: usize, from: Side, to: Side| self.by_name[m].side == from && self.tracks[m].side == to;
        let all = 0..self.tracks.len();
        let mut found = Vec::new();
        for l in all.clone().filter(|m| turned(*m, Side::Left, Side::Right)) {
            let mate = |r: &usize| turned(*r, Side::Right, Side::Left) && self.by_name[*r].set == self.by_name[l].set;
            if let Some(r) = all.clone().find(mate) {
                let text = format!("{} and {} were exchanged.", self.tracks[l].label, self.tracks[r].label);
                found.push(Finding::of_tracks(Kind::PairSwapped, [l, r], text).severity(Severity::Info));
            }
        }
        found
    }
}

/// Open ones first, then those put aside, then those that are settled; each kind in the order that it had.
pub fn in_order(findings: &mut [FindingView]) {
    findings.sort_by_key(|f| match f.standing {
        Standing::Open => 0,
        Standing::Dismissed => 1,
        Standing::Agreed => 2,
    });
}

fn agreed(key: String, finding: Finding) -> FindingView {
    FindingView { key, standing: Standing::Agreed, note: String::new(), finding }
}
