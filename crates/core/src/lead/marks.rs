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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::verdict::Verdict;
    use crate::warp::bands::BANDS;

    /// Bands of which only the level counts: this loud where a range of rows says so, else still.
    fn levels(rows: usize, loud: &[(std::ops::Range<usize>, f32)]) -> Bands {
        let at = |n: usize| loud.iter().find(|(range, _)| range.contains(&n)).map_or(0.0, |l| l.1);
        let level: Vec<f32> = (0..rows).map(at).collect();
        let active = level.iter().map(|l| *l > 0.0).collect();
        Bands { rows: vec![[0.0; BANDS]; rows], rise: vec![0.0; rows], level, active, hop: 240.0 }
    }

    fn knot(lead: f64, take: f64, verdict: Verdict) -> Knot {
        Knot { lead, take, alike: 0.5, verdict }
    }

    #[test]
    fn a_word_that_the_other_does_not_have_is_alone_and_a_short_pause_does_not_part_it() {
        let own = levels(500, &[(0..60, 1.0), (100..130, 1.0), (140..180, 1.0), (300..400, 1.0)]);
        let other = levels(500, &[(0..60, 1.0), (300..400, 1.0)]);
        assert_eq!(alone([&own, &other], |n| n as f64), [[100, 180]]);
        // The other way round there is nothing.
        assert!(alone([&other, &own], |n| n as f64).is_empty());
        // Where the other has it later than the map says, by no more than what is looked for about it, it is not alone.
        let late = levels(500, &[(0..60, 1.0), (108..188, 1.0), (300..400, 1.0)]);
        assert!(alone([&own, &late], |n| n as f64).is_empty());
    }

    #[test]
    fn what_is_soft_or_short_is_no_word() {
        let other = levels(400, &[(0..100, 1.0)]);
        let soft = levels(400, &[(0..100, 1.0), (200..260, 0.2)]);
        assert!(alone([&soft, &other], |n| n as f64).is_empty());
        let short = levels(400, &[(0..100, 1.0), (200..215, 1.0)]);
        assert!(alone([&short, &other], |n| n as f64).is_empty());
        let long = levels(400, &[(0..100, 1.0), (200..220, 1.0)]);
        assert_eq!(alone([&long, &other], |n| n as f64), [[200, 220]]);
    }

    #[test]
    fn a_word_behind_the_others_end_is_alone_too() {
        let own = levels(400, &[(0..100, 1.0), (300..360, 1.0)]);
        let other = levels(150, &[(0..100, 1.0)]);
        assert_eq!(alone([&own, &other], |n| n as f64), [[300, 360]]);
    }

    #[test]
    fn long_stretches_without_a_sure_knot_are_undecided_unless_they_are_known_to_be_missing() {
        let lead = levels(1_200, &[(0..1_200, 1.0)]);
        let row = |at: f64| at / 240.0;
        let sure = [
            knot(0.0, 100.0, Verdict::Likely),
            knot(96_000.0, 96_100.0, Verdict::Solid),
            // Helps the map along, and says nothing of the three seconds about it.
            knot(190_000.0, 190_000.0, Verdict::Undecided),
            knot(264_000.0, 264_500.0, Verdict::Likely),
        ];
        let found = unsure(&sure, &lead, row, &[]);
        assert_eq!(found.len(), 1, "{found:?}");
        assert_eq!((found[0].lead, found[0].take), ([96_000.0, 264_000.0], [96_100.0, 264_500.0]));
        let missing = Marked { lead: [150_000.0, 160_000.0], take: [150_000.0, 150_100.0], why: Why::Missing };
        assert!(unsure(&sure, &lead, row, &[missing]).is_empty());
        // Half of it is a rest: what sounds is not long.
        let rests = levels(1_200, &[(0..700, 1.0)]);
        assert!(unsure(&sure, &rests, row, &[]).is_empty());
    }

    #[test]
    fn knots_inside_of_what_is_marked_go_and_its_ends_stay() {
        let mut knots: Vec<Knot> =
            [10.0, 20.0, 30.0, 40.0].iter().map(|at| knot(*at, at + 100.0, Verdict::Likely)).collect();
        let missing = Marked { lead: [10.0, 30.0], take: [110.0, 130.0], why: Why::Missing };
        without(&mut knots, &[missing]);
        assert_eq!(knots.iter().map(|k| k.lead).collect::<Vec<_>>(), [10.0, 30.0, 40.0]);
        let added = Marked { lead: [30.0, 30.0], take: [129.0, 141.0], why: Why::Added };
        without(&mut knots, &[added]);
        assert_eq!(knots.iter().map(|k| k.lead).collect::<Vec<_>>(), [10.0]);
    }

    #[test]
    fn a_run_is_told_in_both_times() {
        let knots = [knot(0.0, 480.0, Verdict::Solid), knot(48_000.0, 48_480.0, Verdict::Solid)];
        let map = Between(&knots);
        let frame = |row: usize| 240.0 * row as f64;
        let missing = marked([10, 20], Why::Missing, &map, frame);
        assert_eq!((missing.lead, missing.take), ([2_400.0, 4_800.0], [2_880.0, 5_280.0]));
        let added = marked([10, 20], Why::Added, &map, frame);
        assert_eq!((added.lead, added.take), ([1_920.0, 4_320.0], [2_400.0, 4_800.0]));
    }
}
