//! What is said of the channels of one recording.

use crate::edit::Correction;
use crate::measure::image::layout::Place;
use crate::measure::pair::response::BandGain;
use crate::verdict::Verdict;
use serde::{Deserialize, Serialize};

/// Two channels, judged.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Judged {
    /// First channel, from 0.
    pub a: usize,
    /// Second channel.
    pub b: usize,
    /// Constant time by which the second is later, in frames; 0 for none.
    pub delay_frames: f64,
    /// The second is inverted against the first.
    pub invert: bool,
    /// How sure of both.
    pub verdict: Verdict,
    /// What it is and why, in sentences.
    pub text: String,
    /// What the sum of both keeps, by third-octave, now and as proposed.
    pub sum_gain: Vec<BandGain>,
}

/// What one channel is to carry besides what it carries.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Proposed {
    /// Nothing, where nothing is wrong.
    pub correction: Correction,
    /// How sure.
    pub verdict: Verdict,
}

/// A recording's channels, by name for people.
pub struct Names<'a> {
    /// Places, when they are known.
    pub places: Option<&'a [Place]>,
}

impl Names<'_> {
    /// Name of a channel, from 0, of a recording of so many.
    pub fn of(&self, c: usize, count: usize) -> String {
        match self.places.and_then(|p| p.get(c)) {
            Some(Place::Left) if count == 2 => "left".into(),
            Some(Place::Right) if count == 2 => "right".into(),
            Some(p) => p.short().into(),
            None => format!("channel {}", c + 1),
        }
    }
}

/// With its sign, always.
pub fn signed(v: f64, digits: usize) -> String {
    format!("{}{:.digits$}", if v < 0.0 { "−" } else { "+" }, v.abs())
}
