//! The tempo of a track that keeps one.

use crate::dsp::stats::line;
use crate::edit::tempo::TempoMap;
use crate::onsets::Stroke;
use std::f64::consts::TAU;

/// Tempi looked at, in quarters a minute, and steps between them as a part.
const TEMPI: [f64; 2] = [80.0, 200.0];
const STEP: f64 = 0.002;
/// Weights of half and of a quarter of a period.
const FINER: [f64; 2] = [0.8, 0.4];
/// Windows, in seconds.
const WINDOW_S: f64 = 12.0;
/// Fewest strokes.
const FEWEST: usize = 12;
/// Parts of a quarter whose numbers are fitted.
const PARTS: f64 = 4.0;
/// Strokes belong to a part within this share of it.
const NEAR: f64 = 0.2;
/// Share of all that must, or the track keeps no tempo.
const KEEPS: f64 = 0.7;

/// A tempo, and those that may be meant.
#[derive(Debug, Clone, PartialEq)]
pub struct Steadied {
    /// In four-four, bar 1 at the first stroke.
    pub map: TempoMap,
    /// In quarters a minute.
    pub bpm: f64,
    /// Half and double: nothing in the strokes tells which is meant.
    pub or_bpm: Vec<f64>,
}

/// The one tempo of strokes; none where they keep none.
///
/// The sum over periods after Fisher's periodogram of moments: a period scores when it, its half and its quarter put many strokes on one
/// phase.
pub fn steady(strokes: &[Stroke], rate_hz: f64) -> Option<Steadied> {
    if strokes.len() < FEWEST {
        return None;
    }
    let times: Vec<f64> = strokes.iter().map(|s| s.at_s).collect();
    let steps = ((TEMPI[1] / TEMPI[0]).ln() / STEP).ceil() as i32;
    let tempi = (0..=steps).map(|n| TEMPI[0] * (STEP * f64::from(n)).exp());
    // In windows, so that a slow drift of tempo does not take the phases apart.
    let score = |bpm: f64| {
        let period = 60.0 / bpm;
        let mut sum = 0.0;
        let mut at = times[0];
        while at < times[times.len() - 1] {
            let part: Vec<f64> = times.iter().copied().filter(|t| (at..at + WINDOW_S).contains(t)).collect();
            let phase = |p: f64| {
                let s = part.iter().fold((0.0, 0.0), |s, t| (s.0 + (TAU * t / p).cos(), s.1 + (TAU * t / p).sin()));
                s.0.hypot(s.1)
            };
            sum += phase(period) + FINER[0] * phase(period / 2.0) + FINER[1] * phase(period / 4.0);
            at += WINDOW_S / 2.0;
        }
        sum
    };
    let bpm = tempi.max_by(|a, b| score(*a).total_cmp(&score(*b)))?;
    let (period, first, share) = fitted(&times, 60.0 / bpm / PARTS);
    if share < KEEPS {
        return None;
    }
    let bpm = 60.0 / (period * PARTS);
    // The first stroke's place on the grid is where bar 1 begins.
    let nearest = ((times[0] - first) / period).round() * period + first;
    let map = TempoMap::single(bpm, 4, nearest * rate_hz);
    Some(Steadied { map, bpm, or_bpm: vec![bpm / 2.0, bpm * 2.0] })
}

/// Period and phase of numbered parts, by least squares over more and more of the strokes, and the share of them that keep to it.
fn fitted(times: &[f64], about: f64) -> (f64, f64, f64) {
    let (mut period, mut first) = (about, times[0]);
    let end = times[times.len() - 1];
    let mut until = times[0] + WINDOW_S / 2.0;
    loop {
        for _ in 0..3 {
            let near = times.iter().filter(|t| **t <= until).filter_map(|t| {
                let n = ((t - first) / period).round();
                ((t - first - n * period).abs() < NEAR * period).then_some((n, *t))
            });
            let points: Vec<(f64, f64)> = near.collect();
            (first, period) = line(&points).unwrap_or((first, period));
        }
        if until >= end {
            break;
        }
        until += (until - times[0]).max(1.0);
    }
    let near = |t: &&f64| {
        let off = (**t - first) / period;
        (off - off.round()).abs() < NEAR
    };
    (period, first, times.iter().filter(near).count() as f64 / times.len() as f64)
}
