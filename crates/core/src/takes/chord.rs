//! A chord as two takes have it.

use crate::verdict::Verdict;

/// A chord in both takes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Chord {
    /// Session frame at which it begins in the first.
    pub first: f64,
    /// And in the second.
    pub second: f64,
    /// How much later than its beat it comes in the first and in the second, in ms, the take's own median taken out; none
    /// without beats, and where each is near another place of them.
    pub off_ms: Option<[f64; 2]>,
    /// It clearly rises in both, and not in one alone.
    pub clear: bool,
    /// How sure.
    pub verdict: Verdict,
}

impl Chord {
    /// By how many frames it comes later in the second.
    pub fn difference(&self) -> f64 {
        self.second - self.first
    }
}
