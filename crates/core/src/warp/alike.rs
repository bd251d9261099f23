//! Are the chords of two takes the same chords, the syllables of two voices the same? Two songs in one tempo have chords at the same moments,
//! and are no takes of one part.

use super::bands::{Bands, HOP_S};

/// A chord is held against so many before and after it in the other take.
const NEIGHBOURS: usize = 8;
/// Over so much, in seconds, which begins so long after its steepest rise.
const HELD_S: f64 = 0.05;
const FROM_S: f64 = 0.01;
/// The mean part of the neighbours that a chord is less like than its own is a half by chance, with a deviation of 1/√12 for one chord; it
/// is no chance from so many deviations on, and from this part on.
const DEVIATIONS: f64 = 3.0;
const LEAST: f64 = 0.62;

/// The mean part of its neighbours that a chord of the first take is less like than the chord it is held to be, by rows of both; none where
/// there are no neighbours.
pub fn alike(bands: [&Bands; 2], found: &[[usize; 2]]) -> Option<f64> {
    let one = |i: usize| {
        let own = unlike(bands, found[i]);
        let near = i.saturating_sub(NEIGHBOURS)..(i + NEIGHBOURS + 1).min(found.len());
        let others: Vec<f64> = near.filter(|j| *j != i).map(|j| unlike(bands, [found[i][0], found[j][1]])).collect();
        let less = others.iter().filter(|o| **o > own).count();
        (!others.is_empty()).then(|| less as f64 / others.len() as f64)
    };
    let parts: Vec<f64> = (0..found.len()).filter_map(one).collect();
    (!parts.is_empty()).then(|| parts.iter().sum::<f64>() / parts.len() as f64)
}

/// Is it no chance that so many chords are alike to such a part?
pub fn is_no_chance(alike: f64, chords: usize) -> bool {
    alike >= LEAST.max(0.5 + DEVIATIONS / (12.0 * chords as f64).sqrt())
}

/// How unlike the first moments of two chords are.
fn unlike(bands: [&Bands; 2], rows: [usize; 2]) -> f64 {
    let [from, long] = [FROM_S, HELD_S].map(|s| (s / HOP_S) as usize);
    let last = [0, 1].map(|n| bands[n].rows.len().saturating_sub(1));
    let at = |k: usize| bands[0].unlike((rows[0] + k).min(last[0]), bands[1], (rows[1] + k).min(last[1]));
    f64::from((from..from + long).map(at).sum::<f32>()) / long as f64
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn few_chords_must_be_more_alike() {
        assert!(is_no_chance(0.7, 100) && !is_no_chance(0.6, 100));
        assert!(!is_no_chance(0.7, 8) && is_no_chance(0.9, 8));
        assert!(!is_no_chance(1.0, 1), "one chord tells nothing");
    }
}
