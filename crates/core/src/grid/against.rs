//! Strokes of a track against beats: a constant lag, or feel.

use crate::dsp::stats::median;
use crate::edit::tempo::Beats;
use crate::onsets::{Kind, Stroke};
use crate::verdict::Verdict;
use std::f64::consts::TAU;

/// Parts of a quarter that a track may play on.
const PARTS: [u32; 5] = [1, 2, 3, 4, 6];
/// A finer grid must fit better by so much (of mean vectors, 0 to 1).
const FINER: f64 = 0.08;
/// Mean vector from which a track keeps a grid at all.
const KEEPS: f64 = 0.5;
/// Fewest strokes of which anything is told, and of which it is told for certain.
pub(super) const FEWEST: usize = 6;
pub(super) const ENOUGH: usize = 16;
/// Constant when the strokes lie so close, in ms (median deviation), and the halves of the song agree within so many.
pub(super) const CLOSE_MS: f64 = 6.0;
pub(super) const HALVES_MS: f64 = 3.0;
/// Another multiple of the grid must fit the metre better by this part to be asked about.
const BETTER: f64 = 0.1;
/// Nobody plays farther off than this, in ms.
pub(super) const FARTHEST_MS: f64 = 300.0;

/// A track against beats.
#[derive(Debug, Clone, PartialEq)]
pub struct Against {
    /// How much later its strokes come, in ms, modulo the grid it plays on; none where nothing can be told.
    pub lag_ms: Option<f64>,
    /// Median deviation, in ms.
    pub spread_ms: f64,
    /// Strokes counted.
    pub hits: usize,
    /// Parts of a quarter that it plays on; 0 where it is held against no grid.
    pub parts: u32,
    /// One lag all along; otherwise it is feel, and nothing is proposed.
    pub constant: bool,
    /// Lags that fit as well by whole steps of the grid, in ms: to be asked.
    pub or_ms: Vec<f64>,
    /// Every stroke: seconds, and how much later than the grid.
    pub strokes: Vec<[f64; 2]>,
    /// How far it can be trusted.
    pub verdict: Verdict,
    /// Why.
    pub reason: String,
}

/// Nothing can be told of so many strokes.
pub fn nothing(hits: usize, reason: &str) -> Against {
    Against {
        lag_ms: None,
        spread_ms: 0.0,
        hits,
        parts: 0,
        constant: false,
        or_ms: Vec::new(),
        strokes: Vec::new(),
        verdict: Verdict::Undecided,
        reason: reason.into(),
    }
}

/// Holds strokes against beats; `rate_hz` is that of the beats.
pub fn against(strokes: &[Stroke], beats: &Beats, rate_hz: f64) -> Against {
    if strokes.len() < FEWEST {
        return match strokes.len() {
            0 => nothing(0, "no beginning can be measured"),
            1 => nothing(1, "only one beginning can be measured"),
            n => nothing(n, &format!("only {n} beginnings can be measured")),
        };
    }
    let mut out = nothing(strokes.len(), "its beginnings keep to no grid");
    let quarters: Vec<f64> = strokes.iter().map(|s| beats.quarter_of(s.at_s * rate_hz)).collect();
    let best = PARTS.map(|p| vector(&quarters, p)).iter().fold(0.0, |m, v| f64::max(m, v.0));
    let Some((parts, (_, turn))) =
        PARTS.iter().map(|p| (*p, vector(&quarters, *p))).find(|(_, v)| v.0 >= (best - FINER).max(KEEPS))
    else {
        return out;
    };
    out.parts = parts;
    let step = 1.0 / f64::from(parts);
    // Where each would be on the grid, moved by the mean.
    let off_ms = |q: f64| {
        let on = ((q - turn * step) / step).round() * step;
        let frames = beats.frame_of(q) - beats.frame_of(on);
        (on, 1_000.0 * frames / rate_hz)
    };
    let off: Vec<(f64, f64)> = quarters.iter().map(|q| off_ms(*q)).collect();
    let of = |part: &[(f64, f64)]| median(&mut part.iter().map(|o| o.1).collect::<Vec<_>>()).unwrap_or(0.0);
    let lag = of(&off);
    let spread = median(&mut off.iter().map(|o| (o.1 - lag).abs()).collect::<Vec<_>>()).unwrap_or(0.0);
    let (first, second) = off.split_at(off.len() / 2);
    out.lag_ms = Some(lag);
    out.spread_ms = spread;
    out.strokes = strokes.iter().zip(&off).map(|(s, o)| [s.at_s, o.1]).collect();
    out.constant = spread <= CLOSE_MS && (of(first) - of(second)).abs() <= HALVES_MS;
    let step_ms = 1_000.0 * (beats.frame_of(off[0].0 + step) - beats.frame_of(off[0].0)) / rate_hz;
    let on: Vec<f64> = off.iter().map(|o| o.0).collect();
    out.or_ms = others(&on, beats, step, FARTHEST_MS / step_ms).into_iter().map(|k| lag + step_ms * k).collect();
    // A slow beginning is a guess by some ms.
    let struck = strokes.iter().all(|s| s.kind == Kind::Struck);
    let enough = struck && off.len() >= ENOUGH && out.constant && out.or_ms.is_empty();
    out.verdict = if enough { Verdict::Solid } else { Verdict::Likely };
    out.reason = match (out.constant, out.or_ms.is_empty()) {
        (false, _) => "the lag changes from stroke to stroke or along the song: feel, nothing is proposed".into(),
        (true, true) => format!("{} beginnings on parts of 1/{parts} of a quarter", off.len()),
        (true, false) => "whole steps of the grid fit its accents as well or better: to be decided by ear".into(),
    };
    out
}

/// Length and direction (in turns, −0.5 to 0.5) of the mean vector of places on a grid.
fn vector(quarters: &[f64], parts: u32) -> (f64, f64) {
    let sum = quarters.iter().fold((0.0, 0.0), |s, q| {
        let (sin, cos) = (TAU * q * f64::from(parts)).sin_cos();
        (s.0 + cos, s.1 + sin)
    });
    let count = quarters.len() as f64;
    ((sum.0.hypot(sum.1)) / count, sum.1.atan2(sum.0) / TAU)
}

/// Whole steps, `farthest` and a quarter at most, by which the strokes would stand on stronger beats than they do.
fn others(on: &[f64], beats: &Beats, step: f64, farthest: f64) -> Vec<f64> {
    // The weight of a place: the first of a bar, a beat, its half, anything else.
    let weight = |q: f64| {
        let beat = beats.at(beats.frame_of(q + 1e-6));
        let part = (q - beat.quarter).rem_euclid(1.0);
        let near = |x: f64| (part - x).abs() < 0.01 || (part - x).abs() > 0.99;
        match (near(0.0), beat.in_bar, near(0.5)) {
            (true, 0, _) => 4.0,
            (true, _, _) => 2.0,
            (false, _, true) => 1.0,
            (false, _, false) => 0.0,
        }
    };
    // A lag by k steps means that the strokes were meant k steps earlier.
    let score = |k: f64| on.iter().map(|q| weight(q - k * step)).sum::<f64>();
    let own = score(0.0);
    let most = farthest.min(1.0 / step) as i64;
    let steps = (-most..=most).filter(|k| *k != 0).map(|k| k as f64);
    let mut better: Vec<f64> = steps.filter(|k| score(*k) > own * (1.0 + BETTER)).collect();
    better.sort_by(|a, b| score(*b).total_cmp(&score(*a)));
    better.truncate(2);
    better
}
