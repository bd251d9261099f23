//! Moments at which a source may be struck.

use super::bins::{BANDS, Bins, GAP, largest_ahead};
use super::look::Look;

/// Compared on this scale: a millisecond or two after a moment with as long before, in bins.
const SCALE: usize = 8;
/// Lows rise slowly by themselves.
const WEIGHTS: [f32; BANDS] = [0.7, 1.0, 1.0];
/// A moment stands out by this ratio of amplitudes, and is the largest within so many bins.
const RATIO: f32 = 1.3;
const AROUND: usize = 4;
/// In some band it is so loud against a usual stroke, and rises by so much over the two milliseconds before, in dB.
const LOUD_DB: f32 = -28.0;
const RISES_DB: f32 = 5.0;
/// In some band it rises over the five milliseconds before by this, and is no more than that short of being this loud; in dB. Of the moments
/// that rise three quarters do not, and of a thousand strokes three (found on simulated sets).
const STANDS_OUT_DB: f32 = 3.5;
const SHORT_DB: f32 = 25.0;

/// Bins of the source's own microphone, from one to another, in which a stroke may begin.
pub fn candidates(look: &Look, [from, to]: [i64; 2]) -> Vec<i64> {
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
    let amplitude = |db: f32| 10f32.powf(db / 20.0);
    let (loud, rises) = (amplitude(LOUD_DB), amplitude(RISES_DB));
    let least = doublings(RATIO);
    let (stands_out, short) = (amplitude(STANDS_OUT_DB), amplitude(STANDS_OUT_DB - SHORT_DB));
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
            let is_loud = |b: usize, part: f32| look.bins.peak([source.home, b], at) > part * source.loud[b];
            let is_clear = |b: usize| {
                let of = [source.home, b];
                look.bins.peak(of, at) > stands_out * look.bins.before(of, at) && is_loud(b, short)
            };
            (0..BANDS).any(|b| is_loud(b, loud)) && (0..BANDS).any(|b| ratio(b, *n) > rises) && (0..BANDS).any(is_clear)
        })
        .map(|n| n as i64)
        .collect()
}

/// Base-2 logarithm, straight between whole ones: only its order counts.
fn doublings(x: f32) -> f32 {
    const ONE: f32 = (1 << 23) as f32;
    (x.to_bits() as f32 - 1f32.to_bits() as f32) / ONE
}

/// Where a bin begins, as a session frame.
pub fn frame(bins: &Bins, bin: i64) -> i64 {
    bins.first + bin * bins.hop
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
