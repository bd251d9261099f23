//! Moments of a lead that a take can be held to: where something begins, and where it ends.

use crate::warp::bands::{Bands, HOP_S};
use crate::warp::tops::tops;

/// All bands together rise by this in the mean, in ln of power.
const RISES: f32 = 0.25;
/// They fall by this, from the mean of so much before to that of as much after; in seconds.
const FALLS: f32 = 0.5;
const FALLS_S: f64 = 0.03;
/// Two beginnings are so far apart, and two ends, in seconds.
const APART_S: f64 = 0.04;
const ENDS_APART_S: f64 = 0.06;

fn rows(seconds: f64) -> usize {
    (seconds / HOP_S).round() as usize
}

/// Rows at which something begins.
pub fn beginnings(bands: &Bands) -> Vec<usize> {
    tops(&bands.rise, 2, rows(APART_S), |n| bands.rise[n] > RISES && bands.active[n])
}

/// Rows at which something ends, away from where something begins.
pub fn ends(bands: &Bands, beginnings: &[usize]) -> Vec<usize> {
    let (level, beside) = (&bands.level, rows(FALLS_S));
    let mean = |from: usize, to: usize| level[from..to].iter().sum::<f32>() / (to - from).max(1) as f32;
    let fall = |n: usize| {
        let [from, to] = [n.saturating_sub(beside), (n + beside).min(level.len())];
        mean(from, n.max(from + 1).min(level.len())) - mean(n, to)
    };
    let falls: Vec<f32> = (0..level.len()).map(fall).collect();
    let mut all = tops(&falls, 3, rows(ENDS_APART_S), |n| falls[n] > FALLS);
    all.retain(|n| beginnings.iter().all(|b| b.abs_diff(*n) > rows(ENDS_APART_S)));
    all
}
