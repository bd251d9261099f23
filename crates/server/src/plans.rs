//! Plans of timing: how a set is moved together, how a layer is set onto its source, how two takes are brought together. Plain data:
//! kept with the session, measured by jobs, and changed later.

pub mod comp;
pub mod doubles;
pub mod layer;
mod limits;
pub mod passages;
pub mod retune;
pub mod wide;

use crate::error::ServerError;
pub use comp::CompOf;
use doubles::DoublesOf;
pub use layer::LayerOf;
pub use limits::MOST_BY_HAND;
use limits::{far, not_many, within};
use marea_core::timing::grid::Grid;
use passages::PassagesOf;
use retune::RetuneOf;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;
use wide::WideOf;

/// Sections of one plan, at most.
const MOST_SECTIONS: usize = 200;
/// Plans of layers or of takes that are kept of one session.
const MOST_PLANS: usize = 20;
/// Passages marked as meant, at most.
const MOST_MEANT: usize = 1_000;

/// A part of the session in which a set is moved, and how.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SectionOf {
    /// From one session frame to another; all of it when it is not said.
    #[serde(default)]
    pub range: Option<[i64; 2]>,
    /// Note value: 1/1 to 1/64, with a dot for dotted, t for a triplet, s and a per cent for swing.
    #[schema(value_type = String)]
    pub grid: Grid,
    /// A track whose strokes they are moved onto instead.
    #[serde(default)]
    pub onto: Option<Uuid>,
    /// Part of the deviation that is taken out, in per cent: 0 to 100.
    pub strength: f64,
    /// Deviations up to this stay, in ms: 0 to 500.
    pub slack_ms: f64,
    /// Strokes further off than this stay, in ms: 0 to 2,000.
    pub farthest_ms: f64,
}

/// A stroke drawn by hand, or one that was found and is none.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct StrokeOf {
    /// Track whose microphone hears it first.
    pub track: Uuid,
    /// Session frame at which that is heard, with the offset that the track carries.
    pub at: i64,
}

/// Strokes that are moved by hand, whatever their section says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct OwnMove {
    /// Session frame at which they are heard, with the offsets carried.
    pub at: i64,
    /// By how many frames they go, later when positive; 0 leaves them as played.
    pub by: i64,
    /// It is a pin: what lies between two of them moves with them.
    #[serde(default)]
    pub pin: bool,
}

/// A set of tracks that are cut and moved together.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TimingOf {
    /// Tracks that are cut; what is linked with one of them comes along.
    pub set: Vec<Uuid>,
    /// Tracks whose strokes are moved; all of the set that have some when there are none.
    #[serde(default)]
    pub hits: Vec<Uuid>,
    /// Strokes of several tracks closer together than this are one, in ms: 0 to 100.
    pub within_ms: f64,
    /// Strokes softer than this against a usual one of their source, in dB, are not moved by themselves: -30 (none is left out) to 0.
    #[serde(default = "all_strokes")]
    pub softest_db: f32,
    /// What lies in several belongs to the last; what lies in none stays.
    pub sections: Vec<SectionOf>,
    /// Strokes that were not found.
    #[serde(default)]
    pub added: Vec<StrokeOf>,
    /// Strokes that were found and are none.
    #[serde(default)]
    pub removed: Vec<StrokeOf>,
    /// Strokes moved by hand.
    #[serde(default)]
    pub own: Vec<OwnMove>,
}

/// As soft as they are found.
fn all_strokes() -> f32 {
    -30.0
}

/// A passage of one of two takes that is moved as a whole.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct PassageMove {
    /// The take.
    pub track: Uuid,
    /// Session frame of its first chord, as recorded.
    pub from: i64,
    /// And of its last.
    pub to: i64,
    /// By how many frames, later when positive.
    pub by: i64,
}

/// Two takes of one part.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TakesOf {
    /// A take.
    pub first: Uuid,
    /// Another.
    pub second: Uuid,
    /// Apart by no more than this, in ms, they sit together: 0 to 200.
    pub slack_ms: f64,
    /// Passages that are moved.
    #[serde(default)]
    pub moves: Vec<PassageMove>,
}

/// A passage in which two takes are meant to differ: it is told of no more.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Meant {
    /// The two, in any order.
    pub takes: [Uuid; 2],
    /// Session frames, as recorded, from its first chord to its last.
    pub range: [i64; 2],
}

impl SectionOf {
    fn check(&self) -> Result<(), ServerError> {
        within("strength", self.strength, [0.0, 100.0])?;
        within("slack_ms", self.slack_ms, [0.0, 500.0])?;
        within("farthest_ms", self.farthest_ms, [0.0, 2_000.0])?;
        match self.range {
            Some([from, to]) if from >= to => Err(ServerError::Invalid("a section ends after it begins".into())),
            _ => Ok(()),
        }
    }
}

impl TimingOf {
    /// Can it be carried out?
    ///
    /// # Errors
    /// [`ServerError::Invalid`] names what cannot.
    pub fn check(&self) -> Result<(), ServerError> {
        within("within_ms", self.within_ms, [0.0, 100.0])?;
        within("softest_db", f64::from(self.softest_db), [-30.0, 0.0])?;
        self.sections.iter().try_for_each(SectionOf::check)?;
        not_many(self.sections.len(), MOST_SECTIONS, "sections")?;
        let by_hand = self.added.len() + self.removed.len() + self.own.len();
        not_many(by_hand, MOST_BY_HAND, "strokes drawn, left out or moved by hand")?;
        far(self.own.iter().map(|o| o.by))
    }

    /// Every session frame in it.
    pub fn frames(&self) -> impl Iterator<Item = i64> {
        let ranges = self.sections.iter().filter_map(|s| s.range).flatten();
        let strokes = self.added.iter().chain(&self.removed).map(|s| s.at);
        ranges.chain(strokes).chain(self.own.iter().map(|o| o.at))
    }
}

impl TakesOf {
    /// As [`TimingOf::check`].
    ///
    /// # Errors
    /// [`ServerError::Invalid`] names what cannot.
    pub fn check(&self) -> Result<(), ServerError> {
        if self.first == self.second {
            return Err(ServerError::Invalid("two takes are two tracks".into()));
        }
        within("slack_ms", self.slack_ms, [0.0, 200.0])?;
        not_many(self.moves.len(), MOST_BY_HAND, "passages moved")?;
        far(self.moves.iter().map(|m| m.by))?;
        if self.moves.iter().any(|m| m.track != self.first && m.track != self.second) {
            return Err(ServerError::Invalid("only passages of the two takes are moved".into()));
        }
        match self.moves.iter().any(|m| m.from > m.to) {
            true => Err(ServerError::Invalid("a passage ends after it begins".into())),
            false => Ok(()),
        }
    }

    /// Every session frame in it.
    pub fn frames(&self) -> impl Iterator<Item = i64> {
        self.moves.iter().flat_map(|m| [m.from, m.to])
    }
}

/// A plan that is heard before it is taken.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PlanTried {
    /// A set moved together.
    Timing(TimingOf),
    /// A layer set onto its source.
    Layer(LayerOf),
    /// Two takes brought together.
    Takes(TakesOf),
    /// Passages placed elsewhere.
    Passages(PassagesOf),
}

/// All plans of a session.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct Plans {
    /// How a set is moved together.
    pub timing: Option<TimingOf>,
    /// Layers; one of a kind for a source and a layer.
    pub layers: Vec<LayerOf>,
    /// Takes; one of a kind for two of them.
    pub takes: Vec<TakesOf>,
    /// Passages that are meant to differ.
    pub meant: Vec<Meant>,
    /// Parts of several takes.
    pub comp: Option<CompOf>,
    /// Passages that are placed elsewhere.
    pub passages: Option<PassagesOf>,
    /// Takes that follow a lead.
    pub doubles: Option<DoublesOf>,
    /// Notes at another pitch; one of a kind for a track.
    pub retunes: Vec<RetuneOf>,
    /// Wide pairs; one of a kind for a track.
    pub wide: Vec<WideOf>,
}

/// What changes of plans: what is not given stays.
#[derive(Debug, Clone, PartialEq, Default, Deserialize, ToSchema)]
pub struct PlansPatch {
    /// The plan of a set.
    pub timing: Option<TimingOf>,
    /// Takes the place of the plan for the same source and layer.
    pub layer: Option<LayerOf>,
    /// Takes the place of the plan for the same takes.
    pub takes: Option<TakesOf>,
    /// All passages that are meant to differ.
    pub meant: Option<Vec<Meant>>,
    /// Parts of several takes.
    pub comp: Option<CompOf>,
    /// All passages that are placed elsewhere.
    pub passages: Option<PassagesOf>,
    /// Takes that follow a lead.
    pub doubles: Option<DoublesOf>,
    /// Takes the place of the plan for the same track.
    pub retune: Option<RetuneOf>,
    /// Takes the place of the plan for the same track.
    pub widen: Option<WideOf>,
}

impl From<PlansPatch> for Plans {
    fn from(patch: PlansPatch) -> Self {
        let mut plans = Self::default();
        plans.change(patch);
        plans
    }
}

impl Plans {
    /// Takes over what is given; of layers and takes the plan for the same tracks goes, and the newest stands last.
    pub fn change(&mut self, patch: PlansPatch) {
        self.timing = patch.timing.or_else(|| self.timing.take());
        self.comp = patch.comp.or_else(|| self.comp.take());
        self.passages = patch.passages.or_else(|| self.passages.take());
        self.doubles = patch.doubles.or_else(|| self.doubles.take());
        if let Some(new) = patch.layer {
            self.layers.retain(|l| (l.source, l.layer) != (new.source, new.layer));
            self.layers.push(new);
        }
        if let Some(new) = patch.retune {
            self.retunes.retain(|r| r.track != new.track);
            self.retunes.push(new);
        }
        if let Some(new) = patch.widen {
            self.wide.retain(|w| w.track != new.track);
            self.wide.push(new);
        }
        if let Some(new) = patch.takes {
            self.takes.retain(|t| (t.first, t.second) != (new.first, new.second));
            self.takes.push(new);
        }
        self.meant = patch.meant.unwrap_or_else(|| std::mem::take(&mut self.meant));
        // The oldest go: a plan is tried for many pairs, and each costs only to be tried again.
        self.layers.drain(..self.layers.len().saturating_sub(MOST_PLANS));
        self.takes.drain(..self.takes.len().saturating_sub(MOST_PLANS));
        self.retunes.drain(..self.retunes.len().saturating_sub(MOST_PLANS));
        self.wide.drain(..self.wide.len().saturating_sub(MOST_PLANS));
    }

    /// Every session frame in them.
    pub fn frames(&self) -> impl Iterator<Item = i64> {
        let timing = self.timing.iter().flat_map(TimingOf::frames);
        let layers = self.layers.iter().flat_map(LayerOf::frames);
        let takes = self.takes.iter().flat_map(TakesOf::frames);
        let parts = self.comp.iter().flat_map(CompOf::frames);
        let placed = self.passages.iter().flat_map(PassagesOf::frames);
        let doubles = self.doubles.iter().flat_map(DoublesOf::frames);
        let retunes = self.retunes.iter().flat_map(RetuneOf::frames);
        let meant = self.meant.iter().flat_map(|m| m.range);
        timing.chain(layers).chain(takes).chain(parts).chain(placed).chain(doubles).chain(retunes).chain(meant)
    }

    /// Can they be kept?
    ///
    /// # Errors
    /// [`ServerError::Invalid`] names what cannot.
    pub fn check(&self) -> Result<(), ServerError> {
        not_many(self.meant.len(), MOST_MEANT, "passages marked as meant")?;
        self.timing.iter().try_for_each(TimingOf::check)?;
        self.layers.iter().try_for_each(LayerOf::check)?;
        self.comp.iter().try_for_each(CompOf::check)?;
        self.passages.iter().try_for_each(PassagesOf::check)?;
        self.doubles.iter().try_for_each(DoublesOf::check)?;
        self.retunes.iter().try_for_each(RetuneOf::check)?;
        self.wide.iter().try_for_each(WideOf::check)?;
        self.takes.iter().try_for_each(TakesOf::check)
    }
}

#[cfg(test)]
mod tests {
    use super::comp::CompPart;
    use super::layer::LayerOwn;
    use super::*;

    fn timing() -> TimingOf {
        let text = r#"{"set": [], "within_ms": 12, "sections": [{"grid": "1/8", "strength": 80, "slack_ms": 4, "farthest_ms": 60}]}"#;
        serde_json::from_str(text).expect("what is not said is usual")
    }

    #[test]
    fn what_cannot_be_carried_out_is_named() {
        assert!(timing().check().is_ok());
        let one = |change: &dyn Fn(&mut TimingOf)| {
            let mut plan = timing();
            change(&mut plan);
            plan.check().unwrap_err().to_string()
        };
        assert!(one(&|p| p.softest_db = -31.0).contains("softest_db -31 is not between -30 and 0"));
        assert!(one(&|p| p.within_ms = f64::NAN).contains("within_ms NaN"));
        assert!(one(&|p| p.sections[0].range = Some([5, 5])).contains("ends after it begins"));
        assert!(one(&|p| p.own = vec![OwnMove { at: 0, by: i64::MIN, pin: false }]).contains("a minute at most"));
        assert!(one(&|p| p.own = vec![OwnMove { at: 0, by: 0, pin: true }; MOST_BY_HAND + 1]).contains("400 strokes"));
        let track = Uuid::nil();
        assert!(LayerOf { source: track, layer: track, picked_only: false, own: Vec::new() }.check().is_err());
    }

    #[test]
    fn every_frame_is_held_to_the_session() {
        let track = Uuid::nil();
        let mut timing = timing();
        timing.sections[0].range = Some([1, 2]);
        timing.added = vec![StrokeOf { track, at: 3 }];
        timing.removed = vec![StrokeOf { track, at: 4 }];
        timing.own = vec![OwnMove { at: 5, by: 100, pin: false }];
        let layer = LayerOf { source: track, layer: track, picked_only: true, own: vec![LayerOwn { at: 6, by: 100 }] };
        let moves = vec![PassageMove { track, from: 7, to: 8, by: 100 }];
        let takes = TakesOf { first: track, second: track, slack_ms: 0.0, moves };
        let meant = vec![Meant { takes: [track; 2], range: [9, 10] }];
        let comp = CompOf { takes: vec![track], parts: vec![CompPart { range: [11, 12], take: track }] };
        let plans = Plans {
            timing: Some(timing),
            layers: vec![layer],
            takes: vec![takes],
            meant,
            comp: Some(comp),
            ..Plans::default()
        };
        let mut frames: Vec<i64> = plans.frames().collect();
        frames.sort_unstable();
        assert_eq!(frames, (1..=12).collect::<Vec<i64>>());
    }
}
