//! How alike two microphones hear a source, band by band, once their arrivals are brought together.

use crate::dsp::bands::{BANDS_HZ, LOWS_HZ, LOWS_MATTER};
use crate::measure::arrival::Row;
use std::ops::Range;

/// Bands of [`BANDS_HZ`] that are summed up together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    /// Up to 200 Hz.
    Lows,
    /// 800 Hz to 3.15 kHz: the attack.
    Highs,
    /// Above that.
    VeryHighs,
    /// Everything.
    All,
}

impl Part {
    fn bands(self) -> Range<usize> {
        let from = |hz: f64| BANDS_HZ.partition_point(|b| *b < hz);
        let upto = |hz: f64| BANDS_HZ.partition_point(|b| *b <= hz);
        match self {
            Self::Lows => 0..upto(LOWS_HZ),
            Self::Highs => from(800.0)..upto(3_150.0),
            Self::VeryHighs => upto(3_150.0)..BANDS_HZ.len(),
            Self::All => 0..BANDS_HZ.len(),
        }
    }
}

fn known(row: &Row, m: usize) -> bool {
    row.cells[m].lag_frames.is_some() && row.cells[m].bands.len() == BANDS_HZ.len()
}

/// Power of a source in a microphone over some bands.
fn power(row: &Row, m: usize, part: Part) -> f64 {
    let bands = part.bands();
    row.cells[m].bands[bands.clone()]
        .iter()
        .zip(&row.power[bands])
        .map(|(h, p)| f64::from((h.re * h.re + h.im * h.im) * p))
        .sum()
}

/// Cross-power of two microphones over that of both, −1 … 1: what their sum gains there. None where one of them is not decided.
pub fn likeness(row: &Row, [m, n]: [usize; 2], part: Part) -> Option<f64> {
    if !known(row, m) || !known(row, n) {
        return None;
    }
    let bands = part.bands();
    let cross: f64 = bands
        .clone()
        .map(|b| {
            let (a, c) = (row.cells[m].bands[b], row.cells[n].bands[b]);
            f64::from((a.re * c.re + a.im * c.im) * row.power[b])
        })
        .sum();
    let both = (power(row, m, part) * power(row, n, part)).sqrt();
    (both > 0.0).then(|| cross / both)
}

/// Part of a source's power in a microphone that its lows hold.
pub fn lows(row: &Row, m: usize) -> f64 {
    if !known(row, m) {
        return 0.0;
    }
    let all = power(row, m, Part::All);
    if all > 0.0 { power(row, m, Part::Lows) / all } else { 0.0 }
}

/// Where the sum of two microphones is heard: in the lows where both have some, else everywhere.
pub fn body_of(row: &Row, pair: [usize; 2]) -> Part {
    let share = (lows(row, pair[0]) * lows(row, pair[1])).sqrt();
    if share >= LOWS_MATTER { Part::Lows } else { Part::All }
}

/// The same over the part that decides.
pub fn body(row: &Row, pair: [usize; 2]) -> Option<f64> {
    likeness(row, pair, body_of(row, pair))
}

/// Where the phase between two microphones passes 90°, in Hz: the lows on one side of it, the attack on the other.
pub fn turns_at_hz(row: &Row, [m, n]: [usize; 2]) -> Option<f64> {
    if !known(row, m) || !known(row, n) {
        return None;
    }
    let real = |b: usize| {
        let (a, c) = (row.cells[m].bands[b], row.cells[n].bands[b]);
        f64::from(a.re * c.re + a.im * c.im) * f64::from(row.power[b])
    };
    // Where what lies below and what lies above are opposed most.
    let all: Vec<f64> = (0..BANDS_HZ.len()).map(real).collect();
    let size: f64 = all.iter().map(|v| v.abs()).sum();
    let split = |at: usize| {
        let (low, high): (f64, f64) = (all[..at].iter().sum(), all[at..].iter().sum());
        // Both sides count alike: the lows hold most of the power.
        let (l, h) = (all[..at].iter().map(|v| v.abs()).sum::<f64>(), all[at..].iter().map(|v| v.abs()).sum::<f64>());
        if l <= 0.0 || h <= 0.0 { 0.0 } else { -(low / l) * (high / h) }
    };
    let best = (1..BANDS_HZ.len()).max_by(|a, b| split(*a).total_cmp(&split(*b)))?;
    (size > 0.0 && split(best) > 0.0).then(|| (BANDS_HZ[best - 1] * BANDS_HZ[best]).sqrt())
}
