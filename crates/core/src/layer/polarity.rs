//! Which way up a layer plays against its source.

use super::clusters::shifted;
use super::strokes::Struck;
use crate::verdict::Verdict;

/// Two lows correlated by less tell nothing.
const LEAST: f64 = 0.3;
/// So many strokes that tell something, and this part of them of one mind, for a verdict.
const FEWEST: usize = 4;
const LIKELY: f64 = 0.7;
const SOLID: f64 = 0.9;

/// Is the layer inverted, and how sure is that?
pub fn polarity(both: &[[&Struck; 2]]) -> (bool, Verdict) {
    // Within half of what waves are moved by: 0.75 ms, less than half a period of what is compared.
    let of = |[a, b]: &[&Struck; 2]| {
        let half = a.shift / 2;
        shifted(&a.lows[half..a.lows.len() - half], &b.lows[half..b.lows.len() - half], a.shift - half)
    };
    let told: Vec<f64> = both.iter().filter_map(of).map(|(_, c)| c).filter(|c| c.abs() > LEAST).collect();
    let inverted = told.iter().filter(|c| **c < 0.0).count();
    let part = inverted.max(told.len() - inverted) as f64 / told.len().max(1) as f64;
    let verdict = match part {
        _ if told.len() < FEWEST => Verdict::Undecided,
        p if p >= SOLID => Verdict::Solid,
        p if p >= LIKELY => Verdict::Likely,
        _ => Verdict::Undecided,
    };
    (inverted * 2 > told.len() && verdict > Verdict::Undecided, verdict)
}
