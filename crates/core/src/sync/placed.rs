//! Where a recording lies in the time of another.

use super::windows::Line;
use crate::verdict::Verdict;

/// A difference of clocks is claimed from so many seconds on.
pub const CLAIMED_S: f64 = 80.0;
/// And with so small an error, in parts of a million.
pub const CLAIMED_PPM: f64 = 0.25;

/// Where a recording lies in the time of another.
#[derive(Debug, Clone, PartialEq)]
pub struct Place {
    /// None where it cannot be told.
    pub line: Option<Line>,
    /// Standard error of its speed, in parts of a million.
    pub ppm_error: f64,
    /// Seconds that both recorded.
    pub overlap_s: f64,
    /// Inverted against the reference?
    pub invert: bool,
    /// How far it can be trusted.
    pub verdict: Verdict,
    /// Why.
    pub reason: String,
}

impl Place {
    /// Nothing can be told.
    pub fn undecided(reason: &str) -> Self {
        Self {
            line: None,
            ppm_error: 0.0,
            overlap_s: 0.0,
            invert: false,
            verdict: Verdict::Undecided,
            reason: reason.into(),
        }
    }

    /// What others are placed against.
    pub fn reference() -> Self {
        let line = Some(Line { at: 0.0, ppm: 0.0 });
        Self { line, verdict: Verdict::Solid, ..Self::undecided("the others are placed in its time") }
    }

    /// Is the difference of clocks sure enough to be taken out?
    pub fn claimed(&self) -> bool {
        self.line.is_some() && self.overlap_s >= CLAIMED_S && self.ppm_error <= CLAIMED_PPM
    }
}
