//! Moments at which a source may be struck.

use super::bins::{BANDS, Bins};
use super::learn::bins_of;
use super::look::Look;

/// Compared on this scale: a millisecond or two after a moment with as long before, in bins.
const SCALE: usize = 8;
/// Bins left out between, so that a moment may lie anywhere in its bin.
const GAP: usize = 2;
/// Lows rise slowly by themselves.
const WEIGHTS: [f32; BANDS] = [0.7, 1.0, 1.0];
/// A moment stands out by this ratio of amplitudes, and is the largest within so many bins.
const RATIO: f32 = 1.3;
const AROUND: usize = 4;
/// In some band it is so loud against a usual stroke, and rises by so much, in dB.
const LOUD_DB: f32 = -28.0;
const RISES_DB: f32 = 5.0;

/// Bins of the source's own microphone, from one to another, in which a stroke may begin.
pub fn candidates(look: &Look, [from, to]: [i64; 2]) -> Vec<i64> {
    let source = look.source();
    let peaks = &look.bins.peaks[source.home];
    let most: [Vec<f32>; BANDS] = std::array::from_fn(|b| largest_ahead(&peaks[b]));
    let ratio = |b: usize, n: usize| most[b][n].max(1e-9) / most[b][n - SCALE - GAP].max(1e-9);
    let from = usize::try_from(from).unwrap_or(0).max(SCALE + GAP + AROUND);
    let to = usize::try_from(to).unwrap_or(0).min(most[0].len().saturating_sub(AROUND));
    if from >= to {
        return Vec::new();
    }
    let stands_out = |n: usize| (0..BANDS).map(|b| WEIGHTS[b] * ratio(b, n).ln()).fold(0.0, f32::max);
    let seen: Vec<f32> = (from - AROUND..to + AROUND).map(stands_out).collect();
    let amplitude = |db: f32| 10f32.powf(db / 20.0);
    let (loud, rises) = (amplitude(LOUD_DB), amplitude(RISES_DB));
    let peak = bins_of(super::learn::PEAK_S, look.rate);
    (from..to)
        .filter(|n| {
            let mine = seen[n - from + AROUND];
            let near = &seen[n - from..n - from + 2 * AROUND + 1];
            // Of several alike the last: the sound begins in it or right after it.
            mine > RATIO.ln()
                && near.iter().take(AROUND).all(|s| *s <= mine)
                && near.iter().skip(AROUND + 1).all(|s| *s < mine)
        })
        .filter(|n| {
            let at = *n as i64;
            let is_loud = |b: usize| look.bins.most([source.home, b], at, at + peak) > loud * source.loud[b];
            (0..BANDS).any(is_loud) && (0..BANDS).any(|b| ratio(b, *n) > rises)
        })
        .map(|n| n as i64)
        .collect()
}

/// The largest of [`SCALE`] values from each on.
fn largest_ahead(x: &[f32]) -> Vec<f32> {
    let mut most = x.to_vec();
    let mut reach = 1;
    while reach < SCALE {
        for n in 0..most.len().saturating_sub(reach) {
            most[n] = most[n].max(most[n + reach]);
        }
        reach *= 2;
    }
    most
}

/// Where a bin begins, as a session frame.
pub fn frame(bins: &Bins, bin: i64) -> i64 {
    bins.first + bin * bins.hop
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_largest_ahead_is_that_of_eight() {
        let x: Vec<f32> = (0..40).map(|n| ((n * 37 + 11) % 23) as f32).collect();
        let most = largest_ahead(&x);
        for n in 0..x.len() {
            let slow = x[n..(n + SCALE).min(x.len())].iter().copied().fold(0.0, f32::max);
            assert_eq!(most[n], slow, "{n}");
        }
    }
}
