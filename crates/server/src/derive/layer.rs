//! A layer against its source, hit by hit, and the pieces that set it onto it.

use super::kind::Derived;
use super::proved::{ProofFound, cut, with_linked};
use super::work::{Work, ended};
use crate::db::patch::EditPatch;
use crate::db::tracks::{TrackRow, named};
use crate::error::ServerError;
use crate::hash::Sum;
use crate::plans::LayerOf;
use crate::tasks::Subject;
use crate::worker::{JobError, known};
use marea_core::edit::Edit;
use marea_core::edit::slice::{Cut, Slice};
use marea_core::hits::seen::seen;
use marea_core::layer::onto::moves;
use marea_core::layer::{Layered, Match, layered};
use marea_core::measure::pair::response::{BandGain, Response};
use marea_core::progress::MeasureError;
use marea_core::render::track::{Carried, TrackRenderer};
use marea_core::signal::Placed;
use marea_core::timing::proof::prove;
use marea_core::timing::single::{Stroke, moved};
use marea_core::units::SessionFrame;
use marea_core::verdict::Verdict;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Hits of which the sum is told, spread over all, at most.
const SUMMED: usize = 200;

/// A hit of the layer.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, ToSchema)]
pub struct LayerHit {
    /// Session frame at which it begins, as recorded.
    pub at: f64,
    /// Session frame of the hit that it doubles, as recorded; none where the source has none.
    pub source: Option<f64>,
    /// By how many frames it comes later than that, with what both carry apart from this plan.
    pub late: Option<f64>,
    /// How sure that is.
    pub verdict: Verdict,
    /// By how many frames it is moved in the end, later when positive.
    pub by: i64,
    /// It could not be parted from what sounds before, and goes along with it.
    pub rides: bool,
    /// Somebody decided by hand how far it goes.
    pub by_hand: bool,
}

/// A layer set onto its source.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct LayerFound {
    /// Its hits in the order of time.
    pub hits: Vec<LayerHit>,
    /// Session frames of the source's hits, as recorded, that it misses.
    pub missed: Vec<f64>,
    /// By how many frames it is later in the median.
    pub late: Option<f64>,
    /// It plays inverted against the source.
    pub invert: bool,
    /// How sure that is; undecided where the two share no lows.
    pub polarity: Verdict,
    /// From one session frame to another, where pieces give over to one another.
    pub joins: Vec<[i64; 2]>,
    /// The proof.
    pub proof: ProofFound,
    /// What the sum of both keeps at their hits, by third-octave: as recorded, and as this plan has it.
    pub sum: Vec<BandGain>,
    /// The pieces.
    pub slices: Vec<Slice>,
}

impl LayerFound {
    /// What the layer, or a track that is linked with it, carries.
    pub fn patch(&self, track: &TrackRow, source: &TrackRow) -> EditPatch {
        let invert = (self.polarity != Verdict::Undecided).then_some(self.invert != source.edit().invert);
        EditPatch { invert, ..cut(&self.slices, track) }
    }
}

impl From<LayerOf> for Subject {
    fn from(layer: LayerOf) -> Self {
        Self::Layer(layer)
    }
}

impl Derived for LayerOf {
    const KIND: &'static str = "layer";
    const METHOD: u32 = 2;
    type Measured = LayerFound;

    fn subject(&self) -> String {
        let mut sum = Sum::default();
        sum.update(serde_json::to_string(self).unwrap_or_default());
        sum.hex()
    }

    /// The source, the layer, and what is linked with the layer.
    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        let mut tracks = named(all, &[self.source, self.layer])?;
        let others = with_linked(&[self.layer], all).into_iter().map(|n| &all[n]).filter(|t| t.id != self.layer);
        tracks.extend(others.cloned());
        Ok(tracks)
    }

    fn counts(&self, t: &TrackRow) -> String {
        match t.id == self.source {
            // Where it is cut itself, the layer follows its pieces.
            true => format!("{}/{:?}", t.start_frame, t.edit()),
            false => format!("{}/{:?}/{:?}", t.start_frame, t.edit().placement, t.link_id),
        }
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Setting {} onto {}", tracks[1].name, tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<LayerFound, JobError> {
        let files = work.tracks.iter().map(|t| work.open(t)).collect::<Result<Vec<_>, _>>()?;
        let place = |n: usize| Placed { source: &files[n], start: work.tracks[n].start() };
        let sounds: Vec<Placed> = (0..files.len()).map(place).collect();
        let set = &sounds[1..];
        let doing = format!("holding {} against {}", work.tracks[1].name, work.tracks[0].name);
        let report = |p: f64| work.report(p, &doing);
        let heard = work.known.layers.of(heard_of(work), || {
            let found = layered([&sounds[0], &sounds[1]], work.rate, &report).map_err(ended)?;
            Ok::<_, JobError>(known::Doubled { found, seen: seen(set, work.rate, &report).map_err(ended)? })
        })?;
        let late = |m: &Match| carried_late(m, &work.tracks);
        let (strokes, own) = self.strokes(&heard.found, late);
        let span = [set.iter().map(|s| s.start.0).min().unwrap_or(0), set.iter().map(|s| s.end().0).max().unwrap_or(0)];
        let plan = moved(&strokes, &heard.seen, span, work.rate);
        let mut attacks = heard.seen.clone();
        attacks.extend(strokes.iter().map(|s| s.at.floor() as i64));
        attacks.sort_unstable();
        attacks.dedup();
        let proving = |p: f64| work.report(p, "reading every attack back");
        let proof = prove(set, &plan, &attacks, work.rate, &proving).map_err(ended)?;
        let hit = |(n, stroke): (usize, &Stroke)| {
            let of = heard.found.matches.iter().find(|m| m.layer == stroke.at);
            LayerHit {
                at: stroke.at,
                source: of.map(|m| m.source),
                late: of.map(late),
                verdict: of.map_or(Verdict::Undecided, |m| m.verdict),
                by: plan.moves[n],
                rides: plan.rides.contains(&n),
                by_hand: own[n],
            }
        };
        let mut lates: Vec<f64> = heard.found.matches.iter().map(late).collect();
        Ok(LayerFound {
            hits: strokes.iter().enumerate().map(hit).collect(),
            missed: heard.found.unmatched_source.clone(),
            late: marea_core::dsp::stats::median(&mut lates),
            invert: heard.found.invert,
            polarity: heard.found.polarity,
            joins: plan.joins.iter().map(|j| [j.from, j.to]).collect(),
            proof: proof.into(),
            sum: summed(work, &sounds, &heard.found, &plan.slices).map_err(ended)?,
            slices: plan.slices,
        })
    }

    fn note(&self, measured: &LayerFound) -> serde_json::Value {
        serde_json::json!({ "moved": measured.hits.iter().filter(|h| h.by != 0).count() })
    }
}

impl LayerOf {
    /// How far every hit goes, and whether somebody said so.
    fn strokes(&self, found: &Layered, late: impl Fn(&Match) -> f64) -> (Vec<Stroke>, Vec<bool>) {
        let by_hand = |s: &Stroke| self.own.iter().find(|o| (o.at as f64 - s.at).abs() <= 1.0).map(|o| o.by);
        let wanted = |s: Stroke| match by_hand(&s) {
            Some(by) => (Stroke { by, ..s }, true),
            None if self.picked_only => (Stroke { by: 0, ..s }, false),
            None => (s, false),
        };
        moves(found, late).into_iter().map(wanted).unzip()
    }
}

/// By how many frames a hit of the layer is later than its source's, as the source plays and where the layer is put apart from its pieces.
fn carried_late(m: &Match, tracks: &[TrackRow]) -> f64 {
    let [source, layer] = [&tracks[0], &tracks[1]];
    let source_moved = source.edit().moved_at(m.source - source.start_frame as f64);
    m.lag() + layer.edit().placement.total().0 - source_moved
}

/// Everything that what is heard depends on.
fn heard_of(work: &Work) -> String {
    let of = |t: &TrackRow| format!("{}/{:?}/{}", t.id, t.sha256, t.start_frame);
    work.tracks.iter().map(of).collect::<Vec<_>>().join("+")
}

/// What the sum of source and layer keeps, as recorded and in pieces, at the hits that they share.
fn summed(work: &Work, sounds: &[Placed], found: &Layered, slices: &[Slice]) -> Result<Vec<BandGain>, MeasureError> {
    let [source, layer] = [&work.tracks[0], &work.tracks[1]];
    let played = |n: usize, edit: &Edit| Carried::new(TrackRenderer::new(sounds[n], edit, work.rate));
    let at = |m: &Match| (m.source + source.edit().moved_at(m.source - source.start_frame as f64)).round() as i64;
    let step = found.matches.len().div_ceil(SUMMED).max(1);
    let hits: Vec<i64> = found.matches.iter().step_by(step).map(at).collect();
    if hits.is_empty() {
        return Ok(Vec::new());
    }
    let placed = Edit { placement: layer.edit().placement, ..Edit::default() };
    let pieces = match slices.is_empty() {
        true => Cut::default(),
        false => Cut { begins: layer.start_frame, slices: slices.to_vec() },
    };
    let turned = found.polarity != Verdict::Undecided && found.invert;
    let set = Edit { cut: pieces, invert: turned != source.edit().invert, ..placed.clone() };
    let heard = played(0, source.edit());
    let sum = |edit: &Edit| {
        let doubled = played(1, edit);
        let [a, b] = [&heard, &doubled].map(|s| Placed { source: s, start: SessionFrame(0) });
        Ok::<_, MeasureError>(Response::measure(&a, &b, &hits, 0.0, work.rate)?.sum_gain(0.0, false))
    };
    let (before, after) = (sum(&placed)?, sum(&set)?);
    let both = before.into_iter().zip(after);
    Ok(both.map(|(was, is)| BandGain { corrected_db: is.corrected_db, recorded_db: was.corrected_db, ..is }).collect())
}
