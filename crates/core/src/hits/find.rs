//! Moments at which a source may be struck.

use super::bins::{BANDS, GAP, largest_ahead};
use super::look::Look;
use crate::units::amplitude_of_db;

/// The two milliseconds after a moment are compared with the two before, in bins.
const SCALE: usize = 8;
/// Lows rise slowly by themselves.
const WEIGHTS: [f32; BANDS] = [0.7, 1.0, 1.0];
/// A moment stands out by this ratio of amplitudes, and is the largest within so many bins.
const RATIO: f32 = 1.3;
const AROUND: usize = 4;

/// What a moment must show, in dB.
#[derive(Debug, Clone, Copy)]
pub struct Gate {
    /// In one band it rises by this over the two milliseconds before.
    pub rises_db: f64,
    /// And in one band by this over the five milliseconds before,
    pub clear_db: f64,
    /// where it is this loud against a usual stroke.
    pub loud_db: f64,
}

/// For a source's own strokes. This leaves a quarter of the moments, and 997 of a thousand strokes (found on simulated sets).
pub const OWN: Gate = Gate { rises_db: 5.0, clear_db: 3.5, loud_db: -21.5 };

/// Bins of the source's own microphone, from one to another, in which a stroke may begin.
pub fn candidates(look: &Look, [from, to]: [i64; 2], gate: &Gate) -> Vec<i64> {
    let source = look.source();
    let peaks = &look.bins.peaks[source.home];
    let most: [Vec<f32>; BANDS] = std::array::from_fn(|b| largest_ahead(&peaks[b], SCALE));
    let gap = GAP as usize;
    let ratio = |b: usize, n: usize| most[b][n].max(1e-9) / most[b][n - SCALE - gap].max(1e-9);
    let from = usize::try_from(from).unwrap_or(0).max(SCALE + gap + AROUND);
    let to = usize::try_from(to).unwrap_or(0).min(most[0].len().saturating_sub(AROUND));
    if from >= to {
        return Vec::new();
    }
    let stands_out = |n: usize| (0..BANDS).map(|b| WEIGHTS[b] * doublings(ratio(b, n))).fold(0.0, f32::max);
    let seen: Vec<f32> = (from - AROUND..to + AROUND).map(stands_out).collect();
    let [rises, clear, loud] = [gate.rises_db, gate.clear_db, gate.loud_db].map(|db| amplitude_of_db(db) as f32);
    let least = doublings(RATIO);
    (from..to)
        .filter(|n| {
            let mine = seen[n - from + AROUND];
            let near = &seen[n - from..n - from + 2 * AROUND + 1];
            // Of several alike the last: the sound begins in it or right after it.
            mine > least
                && near.iter().take(AROUND).all(|s| *s <= mine)
                && near.iter().skip(AROUND + 1).all(|s| *s < mine)
        })
        .filter(|n| {
            let at = *n as i64;
            let is_clear = |b: usize| {
                let peak = look.bins.peak([source.home, b], at);
                peak > clear * look.bins.before([source.home, b], at) && peak > loud * source.loud[b]
            };
            (0..BANDS).any(|b| ratio(b, *n) > rises) && (0..BANDS).any(is_clear)
        })
        .map(|n| n as i64)
        .collect()
}

/// Base-2 logarithm, linear between powers of two, read off how the number is stored: only the order counts, and this runs for every bin.
fn doublings(x: f32) -> f32 {
    const ONE: f32 = (1 << 23) as f32;
    (x.to_bits() as f32 - 1f32.to_bits() as f32) / ONE
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn doublings_are_whole_at_powers_of_two_and_in_order_between() {
        for n in -8i16..8 {
            assert!((doublings(2f32.powi(n.into())) - f32::from(n)).abs() < 1e-5);
        }
        let x: Vec<f32> = (1..400).map(|n| doublings(n as f32 / 40.0)).collect();
        assert!(x.is_sorted());
    }
}
