//! A lag and the evidence for it.

/// A lag and the evidence for it; internal to the measurement.
#[derive(Debug, Clone)]
pub struct Estimate {
    /// Frames, session time.
    pub lag: f64,
    /// +1 or −1.
    pub sign: i8,
    /// Peak over RMS.
    pub height: f64,
    /// Magnitude-squared, 0 … 1: of windows cut at the arrival; where nothing is decided of those that were searched, and 0 where
    /// nothing stands out.
    pub coherence: f64,
    /// Second peak over first.
    pub rival: f64,
    /// Its lag in frames.
    pub rival_lag: f64,
    /// Its sign.
    pub rival_sign: i8,
    /// The largest peak before the first, as part of it; 0 for none.
    pub earlier: f64,
    /// Its lag in frames.
    pub earlier_lag: f64,
    /// Its sign.
    pub earlier_sign: i8,
    /// Windows.
    pub hits: usize,
    /// Parts looked at by themselves.
    pub parts: usize,
    /// Parts that found the same lag and sign.
    pub parts_agreeing: usize,
    /// Passages in which A is relatively loud and those in which B is give the same answer.
    pub same_for_all: bool,
    /// The peak is the last point searched.
    pub at_edge: bool,
}
