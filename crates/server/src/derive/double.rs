//! A take against the lead that it doubles, both as they are heard but for what makes up for their paths.

use super::kind::Derived;
use super::proved::with_linked;
use super::work::{Work, ended};
use crate::db::tracks::{TrackRow, named};
use crate::error::ServerError;
use crate::tasks::{DoubleOf, Subject};
use crate::worker::JobError;
use marea_core::edit::Edit;
use marea_core::lead::{Doubled, Knot, Marked, Why, doubled};
use marea_core::render::track::{Carried, TrackRenderer};
use marea_core::signal::{Placed, Since, Source};
use marea_core::units::{Offset, SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A moment of the lead and the same of the take.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct KnotFound {
    /// Session frame at which the lead has it.
    pub lead: f64,
    /// Session frame at which the take has it.
    pub take: f64,
    /// How like the two are there, 1 at most; 0 where nothing was compared and the knot only helps along.
    pub alike: f64,
    /// How sure.
    pub verdict: Verdict,
}

/// Why nothing is held together somewhere.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum MarkWhy {
    /// The take does not have it.
    Missing,
    /// The lead does not have it.
    Added,
    /// Both sound, and nothing says which moment is which.
    Undecided,
}

/// A stretch where nothing is held together.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct MarkFound {
    /// Session frames of the lead.
    pub lead: [f64; 2],
    /// Session frames of the take.
    pub take: [f64; 2],
    /// Why.
    pub why: MarkWhy,
}

/// A take against its lead.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct DoubleFound {
    /// In the order of time, rising in both; none where the two have nothing in common.
    pub knots: Vec<KnotFound>,
    /// In the order of the lead's time.
    pub marked: Vec<MarkFound>,
    /// Of all of it.
    pub verdict: Verdict,
    /// Why it is no surer.
    pub reason: String,
}

impl DoubleFound {
    /// As the rules have its knots.
    pub fn knots(&self) -> Vec<Knot> {
        let one = |k: &KnotFound| Knot { lead: k.lead, take: k.take, alike: k.alike, verdict: k.verdict };
        self.knots.iter().map(one).collect()
    }
}

impl From<Doubled> for DoubleFound {
    fn from(found: Doubled) -> Self {
        let knot = |k: Knot| KnotFound { lead: k.lead, take: k.take, alike: k.alike, verdict: k.verdict };
        let why = |why: Why| match why {
            Why::Missing => MarkWhy::Missing,
            Why::Added => MarkWhy::Added,
            Why::Undecided => MarkWhy::Undecided,
        };
        let mark = |m: Marked| MarkFound { lead: m.lead, take: m.take, why: why(m.why) };
        Self {
            knots: found.knots.into_iter().map(knot).collect(),
            marked: found.marked.into_iter().map(mark).collect(),
            verdict: found.verdict,
            reason: found.reason,
        }
    }
}

impl From<DoubleOf> for Subject {
    fn from(of: DoubleOf) -> Self {
        Self::Double(of)
    }
}

/// What a track carries but for the latency of its path, which comes after all that was played.
pub fn without_path(edit: &Edit) -> Edit {
    let mut edit = edit.clone();
    edit.placement.path_frames = Offset::default();
    edit
}

/// A track as it is heard, as a sound of its own that begins where the track does.
pub struct Heard<'a> {
    carried: Carried<'a>,
}

impl<'a> Heard<'a> {
    /// Of a recording.
    pub fn new(track: &TrackRow, source: &'a dyn Source, rate: SampleRate) -> Self {
        let renderer = TrackRenderer::new(Placed { source, start: track.start() }, &without_path(track.edit()), rate);
        Self { carried: Carried::new(renderer) }
    }

    /// First session frame that can hold sound.
    pub fn first(&self) -> i64 {
        self.carried.first()
    }

    /// Counted from a session frame.
    pub fn since(&self, from: i64) -> Since<'_> {
        let placed = Placed { source: &self.carried, start: SessionFrame(0) };
        Since { placed, from: SessionFrame(from) }
    }
}

impl Derived for DoubleOf {
    const KIND: &'static str = "double";
    const METHOD: u32 = 1;
    type Measured = DoubleFound;

    fn subject(&self) -> String {
        format!("{}/{}", self.lead.simple(), self.take.simple())
    }

    /// The lead, the take, and what is linked with the take.
    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        let mut tracks = named(all, &[self.lead, self.take])?;
        let linked = with_linked(&[self.take], all).into_iter().map(|n| &all[n]);
        tracks.extend(linked.filter(|t| t.id != self.lead && t.id != self.take).cloned());
        Ok(tracks)
    }

    fn counts(&self, t: &TrackRow) -> String {
        format!("{}/{}/{:?}", t.start_frame, hex::encode(&t.carried.id), t.link_id)
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Holding {} against {}", tracks[1].name, tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<DoubleFound, JobError> {
        let [lead, take] = [&work.tracks[0], &work.tracks[1]];
        let files = [work.open(lead)?, work.open(take)?];
        let heard = [Heard::new(lead, &files[0], work.rate), Heard::new(take, &files[1], work.rate)];
        let since = [heard[0].since(heard[0].first()), heard[1].since(heard[1].first())];
        let place = |n: usize| Placed { source: &since[n], start: SessionFrame(heard[n].first()) };
        let doing = format!("holding {} against {}", take.name, lead.name);
        let found = doubled(&place(0), &place(1), work.rate, &|p| work.report(p, &doing)).map_err(ended)?;
        Ok(found.into())
    }
}
