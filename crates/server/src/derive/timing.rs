//! A set of tracks cut and moved together: its strokes, where they go, the pieces, and the proof.

use super::by_hand::by_hand;
use super::check::{CheckOf, all_sounds};
use super::kind::Derived;
use super::proved::{ProofFound, cut, with_linked};
use super::work::{Work, ended};
use crate::db::patch::EditPatch;
use crate::db::sessions::Session;
use crate::db::tracks::TrackRow;
use crate::error::ServerError;
use crate::hash::Sum;
use crate::plans::{SectionOf, TimingOf};
use crate::tasks::Subject;
use crate::worker::{JobError, known};
use marea_core::edit::slice::Slice;
use marea_core::hits::seen::seen;
use marea_core::hits::{Hit, Played, hits};
use marea_core::signal::Placed;
use marea_core::timing::moves::{Asked, Fate};
use marea_core::timing::proof::prove;
use marea_core::timing::tighten::{ByHand, Heard, Moved, Section, Towards, Wanted, tighten};
use marea_core::verdict::Verdict;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Strokes that belong together, and what becomes of them.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct EventFound {
    /// Session frame at which they are heard with the offsets carried.
    pub at: f64,
    /// Where they were meant; where they are, outside of all sections.
    pub meant: f64,
    /// By how many frames they are moved in the end, later when positive.
    pub by: i64,
    /// They could not be parted from what sounds before, and go along with it.
    pub rides: bool,
    /// Too far off: left, for somebody to decide.
    pub left: bool,
    /// Somebody decided by hand how far they go.
    pub by_hand: bool,
    /// Level of the loudest of them against a usual stroke of its source, in dB.
    pub level_db: f32,
    /// The tracks struck.
    pub tracks: Vec<Uuid>,
}

/// The strokes of one track.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct StrokesFound {
    /// Which.
    pub track: Uuid,
    /// As recorded, in the order of time.
    pub hits: Vec<Hit>,
}

/// A set cut and moved.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct TimingFound {
    /// Tracks that are cut, with what is linked with them.
    pub set: Vec<Uuid>,
    /// In the order of time.
    pub events: Vec<EventFound>,
    /// The strokes that were found, by track.
    pub strokes: Vec<StrokesFound>,
    /// Tracks of the set without strokes of their own.
    pub without: Vec<Uuid>,
    /// From one session frame to another, where pieces give over to one another.
    pub joins: Vec<[i64; 2]>,
    /// The proof.
    pub proof: ProofFound,
    /// The pieces.
    pub slices: Vec<Slice>,
}

impl TimingFound {
    /// What a track of the set carries.
    pub fn patch(&self, track: &TrackRow) -> EditPatch {
        cut(&self.slices, track)
    }
}

impl From<TimingOf> for Subject {
    fn from(timing: TimingOf) -> Self {
        Self::Timing(timing)
    }
}

impl TimingOf {
    /// The tracks that are cut, with what is linked with them, by their place among all.
    pub fn cut(&self, all: &[TrackRow]) -> Vec<usize> {
        with_linked(&self.set, all)
    }
}

impl Derived for TimingOf {
    const KIND: &'static str = "timing";
    const METHOD: u32 = 2;
    type Measured = TimingFound;

    fn subject(&self) -> String {
        let mut sum = Sum::default();
        sum.update(serde_json::to_string(self).unwrap_or_default());
        sum.hex()
    }

    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        let drawn = self.added.iter().chain(&self.removed).map(|s| &s.track);
        let named = self.set.iter().chain(&self.hits).chain(self.sections.iter().filter_map(|s| s.onto.as_ref()));
        let named = named.chain(drawn);
        for id in named {
            if !all.iter().any(|t| t.id == *id) {
                return Err(ServerError::NotFound("track"));
            }
        }
        Ok(all.to_vec())
    }

    fn counts(&self, t: &TrackRow) -> String {
        format!("{}/{:?}/{:?}", CheckOf.counts(t), t.link_id, t.edit().placement)
    }

    fn counts_of_session(&self, session: &Session) -> String {
        format!("{}/{:?}", CheckOf.counts_of_session(session), session.tempo())
    }

    fn title(&self, _: &[TrackRow]) -> String {
        format!("Moving {} tracks together", self.set.len())
    }

    fn measure(&self, work: &Work) -> Result<TimingFound, JobError> {
        let (files, _) = all_sounds(work)?;
        let place = |n: usize| Placed { source: files[n].as_ref(), start: work.tracks[n].start() };
        let sounds: Vec<Placed> = (0..files.len()).map(place).collect();
        let cut = self.cut(&work.tracks);
        let set: Vec<Placed> = cut.iter().map(|n| sounds[*n]).collect();
        let heard = work.known.sets.of(self.heard_of(work), || {
            // What the check has heard already is not heard again.
            let table = CheckOf.measure(work)?.table;
            let report = |p: f64| work.report(p, "looking for strokes");
            let played = hits(&sounds, &table, work.rate, &report).map_err(ended)?;
            Ok::<_, JobError>(known::Strokes { played, seen: seen(&set, work.rate, &report).map_err(ended)? })
        })?;
        let late: Vec<f64> = work.tracks.iter().map(|t| -t.edit().placement.total().0).collect();
        let drawn = by_hand(&heard.played, self, (&work.tracks, &late), work.rate);
        let played = drawn.as_slice();
        let reference = self.references(work, played, &late);
        let sections: Vec<Section> = self.sections.iter().zip(&reference).map(|(s, r)| section(s, r, work)).collect();
        let frames = |ms: f64| ms * work.rate.hz_f64() / 1_000.0;
        let beats = work.tempo.beats(work.rate.hz_f64());
        let own: Vec<ByHand> = self.own.iter().map(|o| ByHand { at: o.at as f64, by: o.by, pin: o.pin }).collect();
        let wanted = Wanted {
            sections: &sections,
            beats: &beats,
            within: frames(self.within_ms),
            softest_db: self.softest_db,
            by_hand: &own,
        };
        let within_set = within(played, &cut);
        let span = [set.iter().map(|s| s.start.0).min().unwrap_or(0), set.iter().map(|s| s.end().0).max().unwrap_or(0)];
        let known = Heard { played: &within_set, late: &late, seen: &heard.seen, span, rate: work.rate };
        let home = |p: &Played| work.tracks[p.source.home].id;
        let moves = |p: &Played| match self.hits.is_empty() {
            true => cut.contains(&p.source.home),
            false => self.hits.contains(&home(p)),
        };
        let of: Vec<usize> = (0..played.len()).filter(|n| moves(&played[*n])).collect();
        let made = tighten(&known, &of, &wanted);
        let proving = |p: f64| work.report(p, "reading every attack back");
        let proof = prove(&set, &made.plan, &made.seen, work.rate, &proving).map_err(ended)?;
        let event = |m: &Moved| EventFound {
            at: m.at,
            meant: m.meant,
            by: m.by,
            rides: m.rides,
            left: m.fate == Fate::Left,
            by_hand: m.by_hand,
            level_db: m.level_db,
            tracks: m.sources.iter().map(|s| home(&played[*s])).collect(),
        };
        Ok(TimingFound {
            set: cut.iter().map(|n| work.tracks[*n].id).collect(),
            events: made.moved.iter().map(event).collect(),
            strokes: played.iter().map(|p| StrokesFound { track: home(p), hits: p.hits.clone() }).collect(),
            without: cut
                .iter()
                .filter(|n| !played.iter().any(|p| p.source.home == **n))
                .map(|n| work.tracks[*n].id)
                .collect(),
            joins: made.plan.joins.iter().map(|j| [j.from, j.to]).collect(),
            proof: proof.into(),
            slices: made.plan.slices,
        })
    }

    fn note(&self, measured: &TimingFound) -> serde_json::Value {
        serde_json::json!({ "moved": measured.events.iter().filter(|e| e.by != 0).count() })
    }
}

impl TimingOf {
    /// Everything that strokes depend on, in the set and around it.
    fn heard_of(&self, work: &Work) -> String {
        let mut sum = Sum::default();
        sum.update(format!("{}/{:?}", work.rate.hz(), work.air));
        for t in &work.tracks {
            sum.update(format!("/{}/{:?}/{}", t.id, t.sha256, CheckOf.counts(t)));
        }
        sum.update(format!("{:?}", self.cut(&work.tracks)));
        sum.hex()
    }

    /// Of every section, the strokes that the others are moved onto, as heard; none where it has a grid.
    fn references(&self, work: &Work, played: &[Played], late: &[f64]) -> Vec<Option<Vec<f64>>> {
        let strokes = |track: Uuid| {
            let own = played.iter().filter(|p| work.tracks[p.source.home].id == track);
            let mut at: Vec<f64> = own
                .flat_map(|p| {
                    p.hits.iter().filter(|h| h.verdict > Verdict::Undecided).map(|h| h.at - late[p.source.home])
                })
                .collect();
            at.sort_by(f64::total_cmp);
            at
        };
        self.sections.iter().map(|s| s.onto.map(strokes)).collect()
    }
}

fn section<'a>(of: &SectionOf, reference: &'a Option<Vec<f64>>, work: &Work) -> Section<'a> {
    let frames = |ms: f64| ms * work.rate.hz_f64() / 1_000.0;
    Section {
        range: of.range.map(|[from, to]| [from as f64, to as f64]),
        towards: reference.as_deref().map_or(Towards::Grid(of.grid), Towards::Strokes),
        asked: Asked { strength: of.strength / 100.0, slack: frames(of.slack_ms), farthest: frames(of.farthest_ms) },
    }
}

/// The same strokes with their arrivals in the set alone: what is not cut needs no room.
fn within(played: &[Played], set: &[usize]) -> Vec<Played> {
    let one = |p: &Played| {
        let mut p = p.clone();
        p.source.lags.iter_mut().enumerate().filter(|(n, _)| !set.contains(n)).for_each(|(_, lag)| *lag = None);
        p
    };
    played.iter().map(one).collect()
}
