//! Recorders with clocks of their own: where one lies in the time of another, and how fast it counts.
//!
//! `features` → `find` → `windows` → [`place`].

mod claps;
mod features;
mod find;
mod placed;
mod shared;
mod windows;

pub use claps::{Clap, clap};
pub use features::Features;
pub use placed::{CLAIMED_PPM, CLAIMED_S, Place};
pub use shared::shared_clock;
pub use windows::Line;

use crate::dsp::lag_curve::LagCurve;
use crate::dsp::spectrum::CrossSpectrum;
use crate::progress::MeasureError;
use crate::signal::Source;
use crate::units::SampleRate;
use crate::verdict::Verdict;
use features::HOPS_A_SECOND;
use windows::{Both, Fit, MOST_PPM, OFF_S, WINDOW_S, fit};

/// Length of what is looked for, in seconds, and how many such parts are tried.
const QUERY_S: f64 = 40.0;
const QUERIES: usize = 6;
/// Windows by which a place is checked.
const CHECKED: usize = 14;
/// Share of them on one line from which a place is one: by chance fewer than one in ten are.
const SHARE: f64 = 0.5;
/// The same over all that both recorded, for a solid one.
const SOLID_SHARE: f64 = 0.7;
/// Height of a place over the RMS of all from which it is looked at: by chance the best of hours come to 5.
const STANDS_OUT: f32 = 6.5;
/// Seconds about the query over which the line is fitted, step by step; the most that it may be off, in parts of a million and in seconds.
const SPANS: [(f64, f64, f64); 3] = [(160.0, 8.0, 0.004), (800.0, 3.0, 0.004), (f64::INFINITY, 1.0, 0.008)];
/// Windows in each.
const WINDOWS: usize = 200;
/// Between the beginnings of windows at least, in seconds.
const APART_S: f64 = 0.75;
/// Seconds of sound pooled for the offset, how far about it the first arrival is looked for, and its part of the largest.
const POOLED_S: f64 = 90.0;
const ARRIVAL_S: f64 = 0.02;
const FIRST: f32 = 0.5;
/// Nearer to a peak than this there are no reflections of it, in seconds.
const NEAR_S: f64 = 0.001;
/// One side has more reflections than the other when it has so many times the power.
const MORE: f32 = 1.5;
/// Places a recording by its sound against another one of the same rate.
///
/// # Errors
/// [`MeasureError`] when one cannot be read or `go_on` says stop.
pub fn place(
    [reference, other]: [(&dyn Source, &Features); 2],
    rate: SampleRate,
    go_on: &(dyn Fn() -> bool + Sync),
) -> Result<Place, MeasureError> {
    let both = Both { reference: reference.0, other: other.0, rate };
    let mut checked: Vec<(Fit, f64)> = Vec::new();
    for query in queries(other.1.hops()) {
        if !go_on() {
            return Err(MeasureError::Stopped);
        }
        let middle = (query.start + query.end) as f64 / 2.0 / HOPS_A_SECOND * rate.hz_f64();
        for found in find::places(reference.1, other.1, query.clone()).into_iter().filter(|f| f.height >= STANDS_OUT) {
            let at = (query.start as i64 - found.hops) as f64 / HOPS_A_SECOND * rate.hz_f64();
            if let Some(fit) = check(&both, &query, Line { at, ppm: 0.0 })? {
                checked.push((fit, middle - at));
            }
        }
        if !checked.is_empty() {
            break;
        }
    }
    let mut whole: Vec<Fit> = Vec::new();
    for (fit, middle) in checked {
        whole.extend(widened(&both, fit, middle)?);
    }
    whole.sort_by(|a, b| b.share.total_cmp(&a.share));
    let Some(best) = whole.first().filter(|f| f.share >= SHARE) else {
        return Ok(Place::undecided("nothing in the two recordings fits together"));
    };
    let apart = |f: &&Fit| (f.line.at - best.line.at).abs() > 0.1 * rate.hz_f64();
    if let Some(rival) = whole.iter().find(apart).filter(|r| r.share >= SHARE) {
        let seconds = |f: &Fit| f.line.begins() / rate.hz_f64();
        let reason = format!("fits at {:.1} s and at {:.1} s alike: the sound repeats", seconds(best), seconds(rival));
        return Ok(Place::undecided(&reason));
    }
    settled(&both, best)
}

/// Parts of a recording that are looked for: the middle first, then towards the ends.
fn queries(hops: usize) -> Vec<std::ops::Range<usize>> {
    let len = hops.min((QUERY_S * HOPS_A_SECOND) as usize);
    let room = hops - len;
    let place = |n: usize| {
        // 1/2, 1/4, 3/4, 0, 1, 1/8 of what is left.
        let part = [0.5, 0.25, 0.75, 0.0, 1.0, 0.125][n];
        (room as f64 * part) as usize
    };
    let mut starts: Vec<usize> = (0..QUERIES).map(place).collect();
    starts.dedup();
    starts.into_iter().filter(|_| len > 0).map(|from| from..from + len).collect()
}

/// Looks at windows all over a query; the line they lie on.
fn check(both: &Both, query: &std::ops::Range<usize>, line: Line) -> Result<Option<Fit>, MeasureError> {
    let frames = |hops: usize| hops as f64 / HOPS_A_SECOND * both.rate.hz_f64();
    let (from, to) = (frames(query.start) - line.at, frames(query.end) - line.at);
    let starts = evenly(clipped(both, line, [from, to]), CHECKED, both);
    let seen = both.seen(&starts, line, 1.0)?;
    // A part that is silent in half of its windows says too little.
    let enough = 2 * seen.len() >= starts.len();
    Ok(fit(&seen, line, MOST_PPM, both.rate).filter(|f| enough && f.share >= SHARE))
}

fn clipped(both: &Both, line: Line, [from, to]: [f64; 2]) -> [f64; 2] {
    let [first, end] = line.covers(both);
    [from.max(first), to.min(end)]
}

/// Beginnings of so many windows at most, evenly over a part of the reference.
fn evenly([from, to]: [f64; 2], most: usize, both: &Both) -> Vec<f64> {
    let room = to - from - WINDOW_S * both.rate.hz_f64();
    if room < 0.0 {
        return Vec::new();
    }
    let count = most.min((room / (APART_S * both.rate.hz_f64())) as usize + 1);
    (0..count).map(|n| from + room * (n as f64 + 0.5) / count as f64).collect()
}

/// The line fitted over more and more of what both recorded.
fn widened(both: &Both, mut found: Fit, middle: f64) -> Result<Option<Fit>, MeasureError> {
    for (span_s, most_ppm, within_s) in SPANS {
        let half = 0.5 * span_s * both.rate.hz_f64();
        let starts = evenly(clipped(both, found.line, [middle - half, middle + half]), WINDOWS, both);
        let seen = both.seen(&starts, found.line, within_s)?;
        let Some(next) = fit(&seen, found.line, most_ppm, both.rate) else { return Ok(None) };
        found = next;
    }
    Ok(Some(found))
}

/// The offset by the first arrival in all windows together.
fn settled(both: &Both, found: &Fit) -> Result<Place, MeasureError> {
    use rayon::prelude::*;
    let mut line = found.line;
    let [from, to] = line.covers(both);
    let starts = evenly([from, to], (POOLED_S / WINDOW_S) as usize, both);
    let sums: Vec<Option<CrossSpectrum>> =
        starts.par_iter().map(|s| both.spectra(*s, line)).collect::<Result<_, _>>()?;
    let Some(sum) = sums.into_iter().flatten().reduce(|mut a, b| {
        a.merge(&b);
        a
    }) else {
        return Ok(Place::undecided("one of the two recordings is silent"));
    };
    let curve = both.curve(&sum, OFF_S, 4);
    let peak = curve.peak();
    let sign = curve.sign_at(peak);
    line.at += curve.refined(direct(&curve, peak, both.rate));
    let overlap_s = (to - from) / both.rate.hz_f64();
    let solid = found.share >= SOLID_SHARE && found.points >= 8;
    Ok(Place {
        line: Some(line),
        ppm_error: found.ppm_error,
        overlap_s,
        invert: sign < 0,
        verdict: if solid { Verdict::Solid } else { Verdict::Likely },
        reason: format!("{:.0} % of the moments that both recorded lie on one line", 100.0 * found.share),
    })
}

/// The peak of the direct sounds. Reflections in the other recorder make peaks after it, reflections in the reference peaks before it: what lies
/// about the largest peak tells which of the two has more of them, and so on which side the first of the peaks is.
fn direct(curve: &LagCurve, peak: usize, rate: SampleRate) -> usize {
    let sign = f32::from(curve.sign_at(peak));
    let value = |n: usize| curve.values[n] * sign;
    let points = |s: f64| (s * rate.hz_f64() * curve.oversampling as f64) as usize;
    let energy = |from: usize, to: usize| curve.values[from..to].iter().map(|v| v * v).sum::<f32>();
    let (near, end) = (points(NEAR_S), curve.values.len());
    let before = energy(0, peak.saturating_sub(near)) / peak.saturating_sub(near).max(1) as f32;
    let after = energy((peak + near).min(end), end) / end.saturating_sub(peak + near).max(1) as f32;
    let least = FIRST * curve.values[peak].abs();
    let is_peak = |n: &usize| value(*n) >= least && value(*n) >= value(n - 1) && value(*n) >= value(n + 1);
    let within = points(ARRIVAL_S);
    if after > MORE * before {
        (peak.saturating_sub(within).max(1)..peak).find(is_peak).unwrap_or(peak)
    } else if before > MORE * after {
        (peak + 1..(peak + within).min(end - 1)).rev().find(is_peak).unwrap_or(peak)
    } else {
        peak
    }
}
