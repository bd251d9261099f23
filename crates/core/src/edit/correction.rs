//! An offset, a polarity and a gain: what a proposal changes, and what a stretch carries besides.

use crate::units::Offset;
use serde::{Deserialize, Serialize};

/// The correction of one track. The default leaves it as recorded.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Correction {
    /// Frames at the session's rate; positive plays later. A whole number keeps every sample bit-exact.
    pub offset_frames: Offset,
    /// Play it inverted.
    pub invert: bool,
    /// Level change in dB.
    pub gain_db: f64,
}

impl Correction {
    /// Largest offset accepted, in hours either way.
    pub const MAX_OFFSET_HOURS: f64 = 1.0;

    /// Does it leave the track untouched?
    pub fn is_neutral(&self) -> bool {
        *self == Self::default()
    }

    /// Both, one after the other.
    pub fn and(&self, other: &Self) -> Self {
        Self {
            offset_frames: self.offset_frames + other.offset_frames,
            invert: self.invert != other.invert,
            gain_db: self.gain_db + other.gain_db,
        }
    }

    /// The factor on the samples, sign included.
    pub fn factor(&self) -> f32 {
        let sign = if self.invert { -1.0 } else { 1.0 };
        if self.gain_db == 0.0 { sign } else { sign * crate::units::amplitude_of_db(self.gain_db) as f32 }
    }
}

/// The offset that takes out a lag: minus the lag, to 1/100 frame, on the whole frame when it is within 5/100 of
/// one (a whole offset leaves the samples untouched, and the rest is below what the measurement resolves).
pub fn offset_for_lag(lag_frames: f64) -> Offset {
    let whole = lag_frames.round();
    let lag = if (lag_frames - whole).abs() <= 0.05 { whole } else { (lag_frames * 100.0).round() / 100.0 };
    Offset(if lag == 0.0 { 0.0 } else { -lag })
}
