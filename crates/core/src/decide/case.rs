//! What the parts of a decision look at, and what they say of every track.

use crate::measure::arrival::Table;
use crate::track::Policy;
use crate::track::Role;
use crate::track::Side;
use crate::track::Track;
use crate::units::{Conditions, Offset};
use crate::verdict::Verdict;
use serde::{Deserialize, Serialize};
/// Final advice for a track.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Advice {
    /// Role, guessed from the sound where nobody said.
    pub role: Role,
    /// Source.
    pub source: String,
    /// Side.
    pub side: Side,
    /// Policy in force.
    pub policy: Policy,
    /// Offset against the recorded place in frames.
    pub offset_frames: Offset,
    /// Polarity against the recording.
    pub invert: bool,
    /// The fault found, in frames; 0 for none.
    pub latency_frames: f64,
    /// Twice the standard deviation of that, in frames; 0 for none.
    pub latency_within_frames: f64,
    /// What its polarity is made of.
    pub polarity: Polarity,
    /// How sure.
    pub verdict: Verdict,
    /// Why it is moved or left.
    pub reason: String,
}

/// The polarity of a track, as carried now.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Polarity {
    /// It is wired inverted.
    pub wired_inverted: bool,
    /// How sure the wiring is; none where it hears nothing.
    pub wiring: Option<Verdict>,
    /// The sum keeps more with it inverted.
    pub sums_better_inverted: bool,
    /// How sure that is; none where it hears nothing.
    pub sums: Option<Verdict>,
    /// Its phase turns here, in Hz; none where lows and attacks arrive the same way up.
    pub phase_turns_hz: Option<f64>,
}

/// A source of the table.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SourceOf {
    /// Name, from its microphones.
    pub name: String,
    /// Track whose hearing is the reference.
    pub home: usize,
    /// Side, as named or as pairs hear it.
    pub side: Side,
    /// Sign of the reference itself, as all microphones together have it: times a cell's sign it is that microphone's.
    pub sign: i8,
}

/// Everything the parts of a decision look at.
pub(crate) struct Case<'a> {
    /// The table with the tracks' corrections applied.
    pub(crate) table: &'a Table,
    pub(crate) tracks: &'a [Track],
    pub(crate) rate_hz: f64,
}

impl Case<'_> {
    pub(crate) fn ms(&self, frames: f64) -> f64 {
        frames * 1_000.0 / self.rate_hz
    }

    pub(crate) fn metres(&self, frames: f64) -> f64 {
        Conditions { rate: self.table.rate, air: self.table.air }.metres(frames)
    }

    pub(crate) fn label(&self, track: usize) -> &str {
        &self.tracks[track].label
    }

    /// Rows at whose source a track stands.
    pub(crate) fn own_rows(&self, track: usize) -> impl Iterator<Item = usize> {
        self.table.rows.iter().enumerate().filter(move |(_, r)| r.members.contains(&track)).map(|(i, _)| i)
    }
}
