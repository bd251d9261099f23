//! Where a take that doubles a lead goes: by how much of the difference is taken out, how far it may be stretched, and what somebody set.

use super::knots::Knot;
use crate::dsp::stats::median;
use crate::edit::map::RATES;
use thiserror::Error;

/// Knots so close to a pin give way to it, in frames.
const NEAR_A_PIN: f64 = 1_440.0;
/// Closer together two moments of a take are one, in frames.
const ONE: f64 = 48.0;
/// Part of a ratio that is lost in rounding, at most.
const ROUNDED: f64 = 1e-9;
/// Beyond the first and the last moment a take keeps its lag; told by a point so far away, in frames.
const BEYOND: f64 = 4_800.0;

/// What is asked for.
#[derive(Debug, Clone, PartialEq)]
pub struct Asked {
    /// Part of the difference that is taken out, 0 to 1.
    pub strength: f64,
    /// What is apart by no more than this stays, and of all else this much, in frames.
    pub slack: f64,
    /// A take runs at most so many times faster or slower than it was, from 1 to 2.
    pub ratio: f64,
    /// Stretches of the take that keep their length and move as one, in session frames.
    pub protected: Vec<[f64; 2]>,
    /// Moments of the lead, and of the take, that are brought together whatever was found; session frames.
    pub pins: Vec<[f64; 2]>,
}

impl Default for Asked {
    /// All the way, as fast or slow as it takes.
    fn default() -> Self {
        Self { strength: 1.0, slack: 0.0, ratio: *RATES.end(), protected: Vec::new(), pins: Vec::new() }
    }
}

/// Why nothing can go where it was asked to; frames are those of the take.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum AskedError {
    /// The later of two pins in the take is the earlier one in the lead.
    #[error("two pins cross")]
    Cross([f64; 2]),
    /// No take that runs so fast or slow at most goes through both.
    #[error("two pins are further apart in the lead than the farthest stretch allows, or nearer")]
    TooFar([f64; 2]),
}

/// A moment of the take on its way.
#[derive(Debug, Clone, Copy)]
struct Point {
    take: f64,
    goes: f64,
    /// Somebody set it.
    fixed: bool,
    /// An end of a protected stretch: it stays, whatever lies beside it.
    end: bool,
    /// At the same distance from the one before it as in the take.
    rigid: bool,
}

/// Moments of the take, and where each goes in session frames; both rising, straight between them, and beyond the ends at the same lag.
///
/// # Errors
/// [`AskedError`] where pins cannot be followed.
pub fn course(knots: &[Knot], asked: &Asked) -> Result<Vec<[f64; 2]>, AskedError> {
    let goes = |k: &Knot| k.goes(asked.strength, asked.slack);
    let mut points: Vec<Point> =
        knots.iter().map(|k| Point { take: k.take, goes: goes(k), fixed: false, end: false, rigid: false }).collect();
    pinned(&mut points, &asked.pins)?;
    for range in merged(&asked.protected) {
        protect(&mut points, range);
    }
    points.dedup_by(|next, kept| !next.fixed && !next.end && next.take - kept.take < ONE);
    // No map runs faster, and sums of many lengths are rounded.
    let ratio = asked.ratio.clamp(1.0, RATES.end() * (1.0 - ROUNDED));
    let there = within_reach(&points, ratio)?;
    // The same from the other end: what gives way is shared by both sides.
    let mirrored: Vec<Point> = (0..points.len())
        .rev()
        .map(|n| Point {
            take: -points[n].take,
            goes: -points[n].goes,
            rigid: points.get(n + 1).is_some_and(|next| next.rigid),
            ..points[n]
        })
        .collect();
    let back = within_reach(&mirrored, ratio)?;
    let mean = there.iter().zip(back.iter().rev()).map(|(a, b)| f64::midpoint(*a, -b));
    let mut all: Vec<[f64; 2]> = points.iter().zip(mean).map(|(p, goes)| [p.take, goes]).collect();
    if let (Some(first), Some(last)) = (all.first().copied(), all.last().copied()) {
        all.insert(0, first.map(|v| v - BEYOND));
        all.push(last.map(|v| v + BEYOND));
    }
    Ok(all)
}

/// Puts pins in; knots give way to them.
fn pinned(points: &mut Vec<Point>, pins: &[[f64; 2]]) -> Result<(), AskedError> {
    let mut pins: Vec<[f64; 2]> = pins.iter().map(|[lead, take]| [*take, *lead]).collect();
    pins.sort_by(|a, b| a[0].total_cmp(&b[0]));
    if let Some(two) = pins.windows(2).find(|p| p[1][0] <= p[0][0] || p[1][1] <= p[0][1]) {
        return Err(AskedError::Cross([two[0][0], two[1][0]]));
    }
    for [take, goes] in pins {
        points.retain(|p| {
            let near = (p.take - take).abs() < NEAR_A_PIN;
            p.fixed || (!near && (p.take < take) == (p.goes < goes))
        });
        points.push(Point { take, goes, fixed: true, end: false, rigid: false });
    }
    points.sort_by(|a, b| a.take.total_cmp(&b.take));
    Ok(())
}

/// Ranges in order, those that touch as one.
fn merged(ranges: &[[f64; 2]]) -> Vec<[f64; 2]> {
    let mut ranges: Vec<[f64; 2]> = ranges.iter().filter(|r| r[0] < r[1]).copied().collect();
    ranges.sort_by(|a, b| a[0].total_cmp(&b[0]));
    let mut merged: Vec<[f64; 2]> = Vec::new();
    for range in ranges {
        match merged.last_mut() {
            Some(last) if range[0] <= last[1] => last[1] = last[1].max(range[1]),
            _ => merged.push(range),
        }
    }
    merged
}

/// A stretch of the take that moves as one: by its pin, else by the median of what was found in it, else as what is about it.
fn protect(points: &mut Vec<Point>, [from, to]: [f64; 2]) {
    let inside: Vec<Point> = points.iter().filter(|p| (from..=to).contains(&p.take)).copied().collect();
    let pin = inside.iter().find(|p| p.fixed);
    let about = || {
        let n = points.partition_point(|p| p.take < from);
        let lag = |p: &Point| p.goes - p.take;
        match (n.checked_sub(1).map(|n| &points[n]), points.get(n)) {
            (Some(a), Some(b)) => f64::midpoint(lag(a), lag(b)),
            (Some(p), None) | (None, Some(p)) => lag(p),
            (None, None) => 0.0,
        }
    };
    let mut lags: Vec<f64> = inside.iter().map(|p| p.goes - p.take).collect();
    let lag = pin.map(|p| p.goes - p.take).or_else(|| median(&mut lags)).unwrap_or_else(about);
    points.retain(|p| !(from..=to).contains(&p.take));
    // What would go where the stretch goes gives way; pins and other stretches do not.
    points.retain(|p| {
        let beside = if p.take < from { p.goes < from + lag } else { p.goes > to + lag };
        p.fixed || p.end || beside
    });
    let n = points.partition_point(|p| p.take < from);
    let end = |take: f64, rigid: bool| Point { take, goes: take + lag, fixed: pin.is_some(), end: true, rigid };
    points.splice(n..n, [end(from, false), end(to, true)]);
}

/// Where each goes so that none is reached faster or slower than allowed: as near to where it was asked to as the one before it allows,
/// and so that every fixed one behind it can still be reached.
fn within_reach(points: &[Point], ratio: f64) -> Result<Vec<f64>, AskedError> {
    let step = |n: usize| {
        let run = points[n].take - points[n - 1].take;
        if points[n].rigid { [run, run] } else { [run / ratio, run * ratio] }
    };
    let mut allowed = vec![[f64::NEG_INFINITY, f64::INFINITY]; points.len()];
    for n in (0..points.len()).rev() {
        if let Some(next) = allowed.get(n + 1).copied() {
            let [least, most] = step(n + 1);
            allowed[n] = [next[0] - most, next[1] - least];
        }
        if points[n].fixed {
            // Rounding is not told as too far.
            let at = points[n].goes;
            if at < allowed[n][0] - 0.5 || at > allowed[n][1] + 0.5 {
                let next = points[n + 1..].iter().find(|p| p.fixed).map_or(points[n].take, |p| p.take);
                return Err(AskedError::TooFar([points[n].take, next]));
            }
            allowed[n] = [at, at];
        }
    }
    let mut goes: Vec<f64> = Vec::with_capacity(points.len());
    for (n, p) in points.iter().enumerate() {
        let [mut least, mut most] = allowed[n];
        if let Some(before) = goes.last() {
            let [shortest, longest] = step(n);
            (least, most) = (least.max(before + shortest), most.min(before + longest));
        }
        goes.push(p.goes.max(least).min(most.max(least)));
    }
    Ok(goes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::verdict::Verdict;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;

    fn knots(points: &[[f64; 2]]) -> Vec<Knot> {
        let knot = |p: &[f64; 2]| Knot { lead: p[0], take: p[1], alike: 0.5, verdict: Verdict::Likely };
        points.iter().map(knot).collect()
    }

    fn along(points: &[[f64; 2]], take: f64) -> f64 {
        let n = points.partition_point(|p| p[0] <= take).clamp(1, points.len() - 1);
        let [p, q] = [points[n - 1], points[n]];
        p[1] + (take - p[0]) * (q[1] - p[1]) / (q[0] - p[0])
    }

    #[test]
    fn without_limits_every_knot_goes_to_the_lead() {
        let all = knots(&[[1e4, 1.2e4], [3e4, 3.1e4], [6e4, 5.8e4]]);
        let points = course(&all, &Asked::default()).unwrap();
        for k in &all {
            assert!((along(&points, k.take) - k.lead).abs() < 1e-6, "{k:?} in {points:?}");
        }
        // The same lag beyond the ends.
        assert!((along(&points, 0.0) + 2_000.0).abs() < 1e-6 && (along(&points, 1e5) - 102_000.0).abs() < 1e-6);
    }

    /// A second stretch that would go where the first one goes leaves it as it is, and both keep their length.
    #[test]
    fn stretches_that_would_cross_both_keep_their_length() {
        let all = knots(&[[1e4, 1e4], [2.5e4, 2.5e4], [2.9e4, 3.5e4], [6e4, 6e4]]);
        let protected = vec![[2e4, 3e4], [3.1e4, 4e4]];
        let points = course(&all, &Asked { protected: protected.clone(), ..Asked::default() }).unwrap();
        assert!(points.windows(2).all(|p| p[0][0] < p[1][0] && p[0][1] < p[1][1]), "{points:?}");
        for [from, to] in protected {
            let length = along(&points, to) - along(&points, from);
            assert!((length - (to - from)).abs() < 1e-6, "{from} to {to}: {length} in {points:?}");
        }
    }

    /// Whatever is asked: time rises, no faster or slower than allowed; pins are met; what is protected keeps its length.
    #[test]
    fn limits_hold_whatever_was_found() {
        for seed in 0..400 {
            let mut r = ChaCha8Rng::seed_from_u64(seed);
            let (mut at, mut all) = ([0.0, 0.0], Vec::new());
            for _ in 0..r.random_range(0..30) {
                let run: f64 = r.random_range(2_000.0..30_000.0);
                at = [at[0] + run, at[1] + run * r.random_range(0.3..3.0)];
                all.push(at);
            }
            let pin = |r: &mut ChaCha8Rng, at: f64| [at + r.random_range(-900.0..900.0), at];
            let pins: Vec<[f64; 2]> = (1..r.random_range(1..4)).map(|n| pin(&mut r, n as f64 * 90_000.0)).collect();
            let asked = Asked {
                strength: r.random_range(0.0..1.0),
                slack: r.random_range(0.0..1_000.0),
                ratio: r.random_range(1.05..2.0),
                protected: vec![[20_000.0, 26_000.0], [110_000.0, 140_000.0]],
                pins,
            };
            let points = course(&knots(&all), &asked).unwrap();
            for p in points.windows(2) {
                let ratio = (p[1][1] - p[0][1]) / (p[1][0] - p[0][0]);
                let least = 1.0 / asked.ratio - 1e-6;
                assert!((least..=asked.ratio + 1e-6).contains(&ratio), "seed {seed}: {ratio} of {}", asked.ratio);
            }
            for [lead, take] in &asked.pins {
                assert!((along(&points, *take) - lead).abs() < 1.0, "seed {seed}: the pin at {take}");
            }
            for [from, to] in &asked.protected {
                let length = along(&points, *to) - along(&points, *from);
                assert!((length - (to - from)).abs() < 1e-3, "seed {seed}: {length}");
            }
        }
    }

    #[test]
    fn pins_that_cross_or_lie_too_far_apart_are_refused() {
        let asked = |pins: Vec<[f64; 2]>| Asked { pins, ..Asked::default() };
        let cross = course(&[], &asked(vec![[9e3, 1e4], [8e3, 2e4]]));
        assert_eq!(cross, Err(AskedError::Cross([1e4, 2e4])));
        let far = course(&[], &asked(vec![[1e4, 1e4], [4e4, 2e4]]));
        assert_eq!(far, Err(AskedError::TooFar([1e4, 2e4])));
        assert_eq!(course(&[], &Asked::default()), Ok(Vec::new()));
    }
}
