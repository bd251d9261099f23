//! Two takes of one part side by side, as recorded, and the pieces that bring passages of them together.

use super::kind::Derived;
use super::proved::{ProofFound, cut, with_linked};
use super::work::{Work, ended};
use crate::db::patch::EditPatch;
use crate::db::sessions::Session;
use crate::db::tracks::{TrackRow, named};
use crate::error::ServerError;
use crate::hash::Sum;
use crate::plans::{PassageMove, TakesOf};
use crate::tasks::Subject;
use crate::worker::{JobError, known};
use marea_core::edit::slice::Slice;
use marea_core::hits::seen::seen;
use marea_core::signal::Placed;
use marea_core::takes::{Chord, Flagged, Off, Takes, flagged, takes};
use marea_core::timing::proof::prove;
use marea_core::timing::single::{Stroke, moved};
use marea_core::verdict::Verdict;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A chord may begin so long before its first string is clear, in seconds: it is cut before that.
const BEFORE_S: f64 = 0.01;

/// A chord as both takes have it.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, ToSchema)]
pub struct ChordFound {
    /// Session frames at which it begins in the first and in the second, as recorded.
    pub at: [f64; 2],
    /// By how much it is off its beat in each, in ms, late when positive; none without beats that they keep to.
    pub off_ms: Option<[f64; 2]>,
    /// By how much the second is later than it is in the median, in ms.
    pub apart_ms: f64,
    /// By how many frames each is moved in the end.
    pub by: [i64; 2],
    /// How sure.
    pub verdict: Verdict,
}

/// Chords in a row in which the two do not sit together.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, ToSchema)]
pub struct FlagFound {
    /// Which take is off; none where that cannot be told.
    pub take: Option<Uuid>,
    /// Session frames from the first chord to the last, as recorded, where the earlier of the two has them.
    pub range: [i64; 2],
    /// Chords.
    pub count: usize,
    /// By how much the second is later than it is in the median, in ms.
    pub apart_ms: f64,
    /// By how much each is off its beats, in ms.
    pub off_ms: Option<[f64; 2]>,
    /// By how many frames the first, or the second, would have to go to meet the other.
    pub meets: [i64; 2],
}

/// A take as it is cut.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct TakeCut {
    /// Which; what is linked with it is cut alike.
    pub track: Uuid,
    /// Passages that could not be parted from what sounds before, in session frames.
    pub rides: Vec<i64>,
    /// From one session frame to another, where pieces give over to one another.
    pub joins: Vec<[i64; 2]>,
    /// The proof.
    pub proof: ProofFound,
    /// The pieces.
    pub slices: Vec<Slice>,
}

/// Two takes side by side.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct TakesFound {
    /// In the order of time.
    pub chords: Vec<ChordFound>,
    /// By how much the second is later in the median, in ms; none where they share no chord.
    pub later_ms: Option<f64>,
    /// How much more alike a chord is to its own than to its neighbours, 0 to 1; a half by chance.
    pub alike: Option<f64>,
    /// Where they do not sit together, as recorded.
    pub flagged: Vec<FlagFound>,
    /// Session frames of what only the first has, and only the second.
    pub alone: [Vec<f64>; 2],
    /// Both as they are cut.
    pub cut: Vec<TakeCut>,
}

impl TakesFound {
    /// What one of the takes, or a track that is linked with it, carries.
    pub fn patch(&self, take: usize, track: &TrackRow) -> EditPatch {
        cut(self.cut.get(take).map_or(&[], |c| c.slices.as_slice()), track)
    }
}

impl From<TakesOf> for Subject {
    fn from(takes: TakesOf) -> Self {
        Self::Takes(takes)
    }
}

impl TakesOf {
    /// Of each take, its place and those of what is linked with it.
    pub fn each(&self, all: &[TrackRow]) -> [Vec<usize>; 2] {
        [self.first, self.second].map(|take| {
            let mut own = with_linked(&[take], all);
            own.sort_by_key(|n| all[*n].id != take);
            own
        })
    }
}

impl Derived for TakesOf {
    const KIND: &'static str = "takes";
    const METHOD: u32 = 1;
    type Measured = TakesFound;

    fn subject(&self) -> String {
        let mut sum = Sum::default();
        sum.update(serde_json::to_string(self).unwrap_or_default());
        sum.hex()
    }

    /// Both takes, and what is linked with them.
    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        let mut tracks = named(all, &[self.first, self.second])?;
        let linked = with_linked(&[self.first, self.second], all).into_iter().map(|n| &all[n]);
        tracks.extend(linked.filter(|t| t.id != self.first && t.id != self.second).cloned());
        Ok(tracks)
    }

    fn counts(&self, t: &TrackRow) -> String {
        format!("{}/{:?}", t.start_frame, t.link_id)
    }

    fn counts_of_session(&self, session: &Session) -> String {
        format!("{:?}", session.tempo())
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Holding {} against {}", tracks[1].name, tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<TakesFound, JobError> {
        let files = work.tracks.iter().map(|t| work.open(t)).collect::<Result<Vec<_>, _>>()?;
        let place = |n: usize| Placed { source: &files[n], start: work.tracks[n].start() };
        let sounds: Vec<Placed> = (0..files.len()).map(place).collect();
        let each = self.each(&work.tracks);
        let sets = [0, 1].map(|take| each[take].iter().map(|n| sounds[*n]).collect::<Vec<Placed>>());
        let doing = format!("holding {} against {}", work.tracks[1].name, work.tracks[0].name);
        let report = |p: f64| work.report(p, &doing);
        let beats = work.tempo.beats(work.rate.hz_f64());
        let heard = work.known.takes.of(self.heard_of(work), || {
            let both = [&sounds[0], &sounds[1]];
            let found = takes(both, work.rate, (Some(&beats), self.slack_ms), &report).map_err(ended)?;
            let [first, second] = [0, 1].map(|take| seen(&sets[take], work.rate, &report));
            Ok::<_, JobError>(known::Beside { found, seen: [first.map_err(ended)?, second.map_err(ended)?] })
        })?;
        let rate_hz = work.rate.hz_f64();
        let usual = heard.found.later.unwrap_or(0.0);
        let cut = |take: usize| -> Result<(TakeCut, Vec<i64>), JobError> {
            let (set, strokes) = (&sets[take], self.strokes(&heard.found, take, rate_hz));
            let span =
                [set.iter().map(|s| s.start.0).min().unwrap_or(0), set.iter().map(|s| s.end().0).max().unwrap_or(0)];
            let plan = moved(&strokes, &heard.seen[take], span, work.rate);
            let proof = prove(set, &plan, &heard.seen[take], work.rate, &report).map_err(ended)?;
            let made = TakeCut {
                track: [self.first, self.second][take],
                rides: plan.rides.iter().map(|n| strokes[*n].at.round() as i64).collect(),
                joins: plan.joins.iter().map(|j| [j.from, j.to]).collect(),
                proof: proof.into(),
                slices: plan.slices,
            };
            Ok((made, plan.moves))
        };
        let [(first, by_first), (second, by_second)] = [cut(0)?, cut(1)?];
        let chord = |(n, c): (usize, &Chord)| ChordFound {
            at: [c.first, c.second],
            off_ms: c.off_ms,
            apart_ms: 1_000.0 * (c.difference() - usual) / rate_hz,
            by: [by_first[n], by_second[n]],
            verdict: c.verdict,
        };
        let told = flagged(&heard.found.chords, usual, self.slack_ms, rate_hz);
        Ok(TakesFound {
            chords: heard.found.chords.iter().enumerate().map(chord).collect(),
            alike: heard.found.alike,
            later_ms: heard.found.later.map(|l| 1_000.0 * l / rate_hz),
            flagged: told.iter().map(|f| self.flag(f, rate_hz)).collect(),
            alone: [heard.found.only_first.clone(), heard.found.only_second.clone()],
            cut: vec![first, second],
        })
    }

    fn note(&self, measured: &TakesFound) -> serde_json::Value {
        serde_json::json!({ "chords": measured.chords.len() })
    }
}

impl TakesOf {
    /// Everything that what is heard depends on. Which passages are told is judged anew with every slack.
    fn heard_of(&self, work: &Work) -> String {
        let of = |t: &TrackRow| format!("{}/{:?}/{}", t.id, t.sha256, self.counts(t));
        let tracks: Vec<String> = work.tracks.iter().map(of).collect();
        format!("{}/{:?}", tracks.join("+"), work.tempo)
    }

    /// How far every chord of a take goes.
    fn strokes(&self, found: &Takes, take: usize, rate_hz: f64) -> Vec<Stroke> {
        let of_take = |m: &&PassageMove| m.track == [self.first, self.second][take];
        let stroke = |c: &Chord| {
            let told = c.first.min(c.second);
            let inside = |m: &&PassageMove| m.from as f64 - 1.0 <= told && told <= m.to as f64 + 1.0;
            let by = self.moves.iter().rev().filter(of_take).find(inside).map_or(0, |m| m.by);
            Stroke { at: [c.first, c.second][take] - rate_hz * BEFORE_S, by }
        };
        found.chords.iter().map(stroke).collect()
    }

    fn flag(&self, f: &Flagged, rate_hz: f64) -> FlagFound {
        let apart = (f.apart_ms * rate_hz / 1_000.0).round() as i64;
        FlagFound {
            take: match f.off {
                Off::First => Some(self.first),
                Off::Second => Some(self.second),
                Off::Either | Off::Unknown => None,
            },
            range: [f.from, f.to].map(|at| at.round() as i64),
            count: f.count,
            apart_ms: f.apart_ms,
            off_ms: f.off_ms,
            meets: [apart, -apart],
        }
    }
}
