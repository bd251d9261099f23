//! Which of several lags leaves nothing over: no note without a sound, and no sound without a note.
//!
//! A pattern that repeats fits its rendering a bar early and a bar late too, but for the notes and the sounds at its ends.

use super::each::Event;
use super::midi::Score;
use super::settle::densest;

/// A sound belongs to a note within so many ms.
const BELONGS_MS: f64 = 15.0;
/// Notes of one lag begin within so many ms.
const TOGETHER_MS: f64 = 3.0;
/// Part that must be explained, and by how much more than by any other lag.
const EXPLAINED: f64 = 0.9;
const AHEAD: f64 = 0.015;

/// The part of notes that sound and of sounds that are notes, whichever is smaller, at the lag at which most notes begin. `onsets` in seconds.
pub fn explained(score: &Score, events: &[Event], onsets: &[f64]) -> f64 {
    let eligible = events.iter().filter(|e| e.alone).count();
    let mut late: Vec<f64> = events.iter().filter_map(|e| e.begun.map(|b| b.late_ms)).collect();
    late.sort_by(f64::total_cmp);
    let inside = densest(&late, TOGETHER_MS);
    if inside.is_empty() || onsets.is_empty() || eligible == 0 {
        return 0.0;
    }
    let lag_s = inside[inside.len() / 2] / 1_000.0;
    let starts: Vec<f64> = events.iter().map(|e| score.notes[e.notes.start].seconds + lag_s).collect();
    let noted = |onset: &&f64| {
        let n = starts.partition_point(|s| s < *onset);
        let near = |n: usize| starts.get(n).is_some_and(|s| (s - **onset).abs() <= BELONGS_MS / 1_000.0);
        near(n) || n.checked_sub(1).is_some_and(near)
    };
    let sounding = inside.len() as f64 / eligible as f64;
    let written = onsets.iter().filter(noted).count() as f64 / onsets.len() as f64;
    sounding.min(written)
}

/// The number of the one lag that explains all, or none.
pub fn the_one(parts: &[f64]) -> Option<usize> {
    let best = (0..parts.len()).max_by(|a, b| parts[*a].total_cmp(&parts[*b]))?;
    let next = (0..parts.len()).filter(|n| *n != best).map(|n| parts[n]).fold(0.0, f64::max);
    // What leaves nothing at all over needs no more than to be the only one.
    let only = parts[best] >= 1.0 && next < 1.0;
    (only || parts[best] >= EXPLAINED && parts[best] - next >= AHEAD).then_some(best)
}
