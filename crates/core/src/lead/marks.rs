//! What one of the two does not have: words left out and words added. Nothing is held to them.

use super::knots::Knot;
use super::map::Between;
use crate::dsp::stats::median;
use crate::warp::bands::{Bands, HOP_S};

/// A take sounds where its level is over this part of its usual one, and is still where it is under the second.
const SOUNDS: f32 = 0.3;
const IS_STILL: f32 = 0.15;
/// Looked for within so much of where it should be, in seconds.
const ABOUT_S: f64 = 0.05;
/// What is shorter is none, and a pause shorter than the second does not part two; in seconds.
const SHORTEST_S: f64 = 0.09;
const PAUSE_S: f64 = 0.15;

/// Why nothing is held together there.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Why {
    /// The take does not have it.
    Missing,
    /// The lead does not have it.
    Added,
    /// Both sound, and nothing says which moment is which.
    Undecided,
}

/// A stretch where nothing is held together.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Marked {
    /// From one session frame of the lead to another; where something is added, the room that the lead leaves for it.
    pub lead: [f64; 2],
    /// The same in the take.
    pub take: [f64; 2],
    /// Why.
    pub why: Why,
}

/// What of one sounds while the other is still: runs of rows. `there` says which row of the other a row is.
pub fn alone(bands: [&Bands; 2], there: impl Fn(usize) -> f64) -> Vec<[usize; 2]> {
    let [own, other] = bands.map(usual);
    let about = (ABOUT_S / HOP_S) as i64;
    let still = |n: usize| {
        let at = there(n).round() as i64;
        let near = (at - about).max(0)..(at + about + 1).min(bands[1].level.len() as i64);
        near.into_iter().all(|m| bands[1].level[m as usize] < IS_STILL * other)
    };
    let is_alone = |n: &usize| bands[0].level[*n] > SOUNDS * own && still(*n);
    let mut runs: Vec<[usize; 2]> = Vec::new();
    for n in (0..bands[0].level.len()).filter(is_alone) {
        match runs.last_mut().filter(|r| (n - r[1]) as f64 * HOP_S < PAUSE_S) {
            Some(run) => run[1] = n + 1,
            None => runs.push([n, n + 1]),
        }
    }
    runs.retain(|[from, to]| (to - from) as f64 * HOP_S >= SHORTEST_S);
    runs
}

/// The median level where anything sounds.
fn usual(bands: &Bands) -> f32 {
    let heard = bands.level.iter().zip(&bands.active).filter(|(_, active)| **active);
    median(&mut heard.map(|(level, _)| f64::from(*level)).collect::<Vec<_>>()).unwrap_or(1.0) as f32
}

/// Longest that both sound without a knot that is at least likely, in seconds.
const LONGEST_S: f64 = 2.5;

/// Stretches between knots that are sure in which both sound for long.
pub fn unsure(knots: &[Knot], bands: &Bands, row: impl Fn(f64) -> f64, taken: &[Marked]) -> Vec<Marked> {
    let sure: Vec<&Knot> = knots.iter().filter(|k| k.verdict > crate::verdict::Verdict::Undecided).collect();
    let between = |pair: &[&Knot]| {
        let [from, to] = [pair[0].lead, pair[1].lead].map(|at| row(at).max(0.0) as usize);
        let rows = from.min(bands.active.len())..to.min(bands.active.len());
        let sounds = rows.filter(|n| bands.active[*n]).count() as f64 * HOP_S;
        let known = taken.iter().any(|m| m.lead[0] < pair[1].lead && m.lead[1] > pair[0].lead);
        let mark =
            Marked { lead: [pair[0].lead, pair[1].lead], take: [pair[0].take, pair[1].take], why: Why::Undecided };
        (sounds > LONGEST_S && !known).then_some(mark)
    };
    sure.windows(2).filter_map(between).collect()
}

/// Takes out the knots inside of what is marked.
pub fn without(knots: &mut Vec<Knot>, marked: &[Marked]) {
    knots.retain(|k| {
        !marked.iter().any(|m| match m.why {
            Why::Missing => k.lead > m.lead[0] && k.lead < m.lead[1],
            _ => k.take > m.take[0] && k.take < m.take[1],
        })
    });
}

/// What the rows of a run are, in the lead and in the take.
pub fn marked(run: [usize; 2], why: Why, map: &Between, frame: impl Fn(usize) -> f64) -> Marked {
    let own = run.map(frame);
    match why {
        Why::Added => Marked { lead: own.map(|at| map.lead_of(at)), take: own, why },
        _ => Marked { lead: own, take: own.map(|at| map.take_of(at)), why },
    }
}
