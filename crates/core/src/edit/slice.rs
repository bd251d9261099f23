//! Rigid pieces of a recording at places of their own.

use super::correction::Correction;
use super::piece::{Fades, Piece, Reading, Whole};
use serde::{Deserialize, Serialize};

/// Slices as one recording carries them. The slices themselves may be shared: every microphone of a set is cut at the same moments,
/// whatever frame of its own recording that is.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Cut {
    /// Frame of the slices' time at which the recording begins.
    #[serde(default)]
    pub begins: i64,
    /// In their own time.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub slices: Vec<Slice>,
}

impl Cut {
    /// Is the recording left whole?
    pub fn is_empty(&self) -> bool {
        self.slices.is_empty()
    }

    /// The slices in the recording's own frames.
    pub fn own(&self) -> impl Iterator<Item = Slice> {
        let by = self.begins;
        self.slices.iter().map(move |s| Slice {
            from: s.from.saturating_sub(by),
            to: s.to.saturating_sub(by),
            at: s.at - by as f64,
            ..*s
        })
    }
}

/// One piece. Where the next one begins before it ends, the next fades in over it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Slice {
    /// First frame.
    pub from: i64,
    /// Frame after the last.
    pub to: i64,
    /// Frame at which its first frame plays: `from` leaves it where it was.
    pub at: f64,
    /// Frames over which it comes in.
    pub fade_in: i64,
    /// Frames over which it goes out.
    pub fade_out: i64,
}

impl Slice {
    /// Has it a length, a place, and room for its fades?
    pub fn is_sound(&self) -> bool {
        let length = self.to.saturating_sub(self.from);
        length > 0
            && self.at.is_finite()
            && self.fade_in >= 0
            && self.fade_out >= 0
            && self.fade_in.saturating_add(self.fade_out) <= length
    }

    /// The piece that plays it.
    pub(super) fn piece(&self, start: i64, carried: Correction) -> (Piece, Whole) {
        let moved = carried.offset_frames.0 + self.at;
        let from = start.saturating_add(moved.floor() as i64);
        let to = from.saturating_add(self.to - self.from);
        let reading = Reading::Rigid { shift: from - self.from, fraction: moved - moved.floor() };
        let fades = Fades { from, rise: self.fade_in, to, fall: self.fade_out };
        let whole = Whole { start: start - self.from, moved };
        (Piece { from, to, reading, factor: carried.factor(), fades: Some(fades) }, whole)
    }
}
