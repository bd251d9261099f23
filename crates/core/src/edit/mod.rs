//! What a track carries, as data. [`Edit::pieces`] compiles it; [`crate::render`] reads pieces only.

pub mod comp;
pub mod correction;
pub mod drawn;
pub mod map;
pub mod passage;
pub mod piece;
pub mod slice;
pub mod stretch;
pub mod tempo;

pub use correction::{Correction, offset_for_lag};

use crate::dsp::stats::median;
use crate::units::{Offset, RecordingFrame, SampleRate, SessionFrame};
use drawn::DrawnPiece;
use map::TimeMap;
use passage::{Passage, uncut, with_passage};
use piece::{Piece, Pieces, Whole, over, rigid, varying};
use serde::{Deserialize, Serialize};
use slice::{Cut, Slice};
use stretch::Stretch;
use thiserror::Error;

/// Where a track is put, part by part: what alignment says and what signal paths say stay apart.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Placement {
    /// Frames as decided by hand or by advice; positive plays later. All that is judged of arrivals is judged with this part alone: what
    /// a path adds comes after the recording.
    pub offset_frames: Offset,
    /// Frames that make up for the latency of the path that it is played through; positive plays later.
    #[serde(default, skip_serializing_if = "Offset::is_zero")]
    pub path_frames: Offset,
}

impl Placement {
    /// Everything together, in frames.
    pub fn total(&self) -> Offset {
        self.offset_frames + self.path_frames
    }
}

impl From<Offset> for Placement {
    /// As aligned; nothing for a path.
    fn from(offset_frames: Offset) -> Self {
        Self { offset_frames, ..Self::default() }
    }
}

/// All that one track carries. The default leaves it as recorded.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Edit {
    /// Where it is put.
    pub placement: Placement,
    /// Plays inverted.
    pub invert: bool,
    /// Level change in dB.
    pub gain_db: f64,
    /// From recording frames to session frames before it is put in its place; none is 1:1. It changes length and pitch together,
    /// as a machine with another clock or a tape does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub map: Option<TimeMap>,
    /// Pieces of the recording at places of their own; where there are some, nothing else of it sounds.
    #[serde(default, skip_serializing_if = "Cut::is_empty")]
    pub cut: Cut,
    /// Passages that are heard elsewhere, each placed over what those before it left.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub passages: Vec<Passage>,
    /// Stretches that carry something besides, in order, none over another.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub stretches: Vec<Stretch>,
}

/// Why an edit cannot be carried out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum EditError {
    /// A time map, and slices or passages, both say where a frame plays.
    #[error("a track carries a time map or is cut, not both")]
    MapAndSlices,
    /// A slice without length, or with fades longer than it is.
    #[error("a slice ends after it begins, and its fades lie within it")]
    Slice,
    /// A passage without length, or with fades longer than it is.
    #[error("a passage ends after it begins, and its fades lie within it")]
    Passage,
    /// Stretches that overlap or run backwards.
    #[error("repaired stretches come in order, none over another")]
    Stretches,
    /// Something that is no number.
    #[error("offsets and gains are numbers")]
    NoNumber,
}

impl From<Correction> for Edit {
    fn from(c: Correction) -> Self {
        Self { placement: c.offset_frames.into(), invert: c.invert, gain_db: c.gain_db, ..Self::default() }
    }
}

impl Edit {
    /// What the whole of it is moved by in alignment, inverted and turned up by.
    pub fn correction(&self) -> Correction {
        Correction { offset_frames: self.placement.offset_frames, invert: self.invert, gain_db: self.gain_db }
    }

    /// The same with all parts of its placement: as it is drawn, heard and delivered.
    fn carried(&self) -> Correction {
        Correction { offset_frames: self.placement.total(), ..self.correction() }
    }

    /// Is all of the recording moved by the same amount? Its stretches aside.
    pub fn is_rigid(&self) -> bool {
        self.map.is_none() && self.cut.is_empty()
    }

    /// Is it played in pieces, at places of their own?
    pub fn is_taken_apart(&self) -> bool {
        !self.cut.is_empty() || !self.passages.is_empty()
    }

    /// By how many frames a frame of the recording plays later than it was recorded, where it was played: a passage that is heard again
    /// says nothing of when it arrived.
    pub fn moved_at(&self, own_frame: f64) -> f64 {
        let by = match &self.map {
            Some(map) => map.session_of(own_frame) - own_frame,
            None => {
                let here = |s: &Slice| s.from as f64 <= own_frame && own_frame < s.to as f64;
                self.cut.own().find(here).map_or(0.0, |s| s.at - s.from as f64)
            }
        };
        self.placement.total().0 + by
    }

    /// The same by alignment alone.
    pub fn aligned_at(&self, own_frame: f64) -> f64 {
        self.moved_at(own_frame) - self.placement.path_frames.0
    }

    /// By how many frames more than another it moves by alignment, at moments that are given as frames of its own recording and of the
    /// other's. The median, when it is not the same at all of them.
    pub fn later_than(&self, other: &Self, moments: impl Iterator<Item = [f64; 2]>) -> f64 {
        let placed = (self.placement.offset_frames - other.placement.offset_frames).0;
        if self.is_rigid() && other.is_rigid() {
            return placed;
        }
        let mut each: Vec<f64> = moments.map(|[own, others]| self.aligned_at(own) - other.aligned_at(others)).collect();
        median(&mut each).unwrap_or(placed)
    }

    /// Can it be carried out?
    ///
    /// # Errors
    /// [`EditError`] says what is wrong.
    pub fn check(&self) -> Result<(), EditError> {
        if self.map.is_some() && self.is_taken_apart() {
            return Err(EditError::MapAndSlices);
        }
        if !self.cut.slices.iter().all(Slice::is_sound) {
            return Err(EditError::Slice);
        }
        if !self.passages.iter().all(Passage::is_sound) {
            return Err(EditError::Passage);
        }
        let backwards = self.stretches.iter().any(|m| m.from >= m.to);
        if backwards || self.stretches.windows(2).any(|m| m[0].to > m[1].from) {
            return Err(EditError::Stretches);
        }
        let besides = self.stretches.iter().flat_map(|m| [m.besides.offset_frames.0, m.besides.gain_db]);
        let mut numbers = besides.chain([self.placement.total().0, self.gain_db]);
        if numbers.all(f64::is_finite) { Ok(()) } else { Err(EditError::NoNumber) }
    }

    /// The pieces that play it, for a recording whose first frame lies at `start` of the session.
    ///
    /// ```
    /// use marea_core::edit::{Correction, Edit};
    /// use marea_core::units::{Offset, SampleRate, SessionFrame};
    /// let later = Edit::from(Correction { offset_frames: Offset(12.0), ..Correction::default() });
    /// let pieces = later.pieces(SessionFrame(100), SampleRate::new(48_000).unwrap());
    /// assert_eq!(pieces.0[0].own_frame(112), 0.0);
    /// ```
    pub fn pieces(&self, start: SessionFrame, rate: SampleRate) -> Pieces {
        self.compiled(start.0, rate.frames(piece::SEAM_S))
    }

    /// What the recording itself gives, without its stretches.
    fn base(&self, start: i64) -> Vec<Piece> {
        Self { stretches: Vec::new(), ..self.clone() }.compiled(start, 0).0
    }

    /// Its slices in the recording's own frames, with its passages.
    fn slices(&self) -> Vec<Slice> {
        let mut own: Vec<Slice> = match self.cut.is_empty() {
            true => vec![uncut()],
            false => self.cut.own().collect(),
        };
        if !self.passages.is_empty() {
            own.sort_by(|a, b| a.at.total_cmp(&b.at));
        }
        self.passages.iter().fold(own, |slices, p| with_passage(&slices, p))
    }

    fn compiled(&self, start: i64, fade: i64) -> Pieces {
        let carried = self.carried();
        let mut base: Vec<(Piece, Whole)> = match &self.map {
            Some(map) => varying(map, start, carried),
            None if !self.is_taken_apart() => vec![rigid(start, carried)],
            None => self.slices().iter().map(|s| s.piece(start, carried)).collect(),
        };
        base.sort_by_key(|(p, _)| p.from);
        let mut pieces = Vec::new();
        for below in &base {
            pieces.push(below.0);
            pieces.extend(self.stretches.iter().filter_map(|m| over(below, m, carried, fade)));
        }
        Pieces(pieces)
    }

    /// What is drawn of a recording of so many frames.
    pub fn drawn(&self, start: SessionFrame, frames: i64) -> Vec<DrawnPiece> {
        self.compiled(start.0, 0).drawn(frames)
    }

    /// From where to where each of its stretches is heard where it was played, in session frames: all of it where slices take it apart.
    pub fn heard(&self, start: SessionFrame) -> Vec<[SessionFrame; 2]> {
        let base = Self { passages: Vec::new(), ..self.clone() }.base(start.0);
        let of = |m: &Stretch| {
            let places = base.iter().filter_map(|p| p.session_range(m.from.0, m.to.0));
            places.reduce(|a, b| [a[0].min(b[0]), a[1].max(b[1])]).unwrap_or_else(|| base_range(start.0, self, m))
        };
        self.stretches.iter().map(|m| of(m).map(SessionFrame)).collect()
    }

    /// The whole frame of the recording that plays at a session frame; as the nearest piece has it where nothing plays.
    pub fn own_frame(&self, start: SessionFrame, session_frame: SessionFrame) -> RecordingFrame {
        let (base, start, session_frame) = (self.base(start.0), start.0, session_frame.0);
        let away = |p: &&Piece| p.from.saturating_sub(session_frame).max(session_frame.saturating_sub(p.to)).max(0);
        let nearest = base.iter().rev().min_by_key(away);
        RecordingFrame(nearest.map_or(session_frame - start, |p| p.whole_own_frame(session_frame)))
    }
}

/// Where a stretch of which nothing sounds would be heard.
fn base_range(start: i64, edit: &Edit, m: &Stretch) -> [i64; 2] {
    let begin = start.saturating_add(edit.placement.total().0.floor() as i64);
    [begin.saturating_add(m.from.0), begin.saturating_add(m.to.0)]
}
