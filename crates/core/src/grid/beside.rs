//! Strokes of a track against those of another one: a constant lag, or feel.

use super::against::{Against, CLOSE_MS, ENOUGH, FARTHEST_MS, FEWEST, HALVES_MS, nothing};
use crate::dsp::stats::median;
use crate::onsets::{Kind, Stroke};
use crate::verdict::Verdict;

/// Strokes belong together within so many ms about the lag, and a lag is where most differences lie within twice that.
const TOGETHER_MS: f64 = 15.0;
/// Strokes that scatter further than that are looked at so far about the lag: what lies close together alone would not scatter.
const ABOUT_MS: f64 = 40.0;
/// Part of the strokes of whichever has fewer that must belong together.
const SHARED: f64 = 0.3;
/// Lags up to this part of the usual distance of two strokes are told apart from a rhythm that merely goes on.
const WITHIN: f64 = 0.45;
/// Another lag with this many more strokes that belong together is to be asked about.
const BETTER: f64 = 1.1;

/// Holds strokes against the strokes of another track, both in order. The lag is the median of what belongs together; `parts` is 0, as
/// there is no grid.
pub fn beside(strokes: &[Stroke], others: &[Stroke]) -> Against {
    let hits = strokes.len();
    if hits < FEWEST || others.len() < FEWEST {
        return nothing(hits, "one of the two has too few beginnings that can be measured");
    }
    let differences = differences(strokes, others);
    // What lies between two strokes is the next one's as well as this one's.
    let most = (WITHIN * usual_ms(strokes).min(usual_ms(others))).min(FARTHEST_MS);
    let Some(lag) = densest(&differences, most) else { return nothing(hits, "the two never play together") };
    let pairs = together(strokes, others, (lag, ABOUT_MS.min(most)));
    let needed = (SHARED * hits.min(others.len()) as f64).max(FEWEST as f64);
    if (pairs.len() as f64) < needed {
        return nothing(hits, "the two seldom play together");
    }
    let of = |part: &[[f64; 2]]| median(&mut part.iter().map(|p| p[1]).collect::<Vec<_>>()).unwrap_or(0.0);
    let lag = of(&pairs);
    let spread_ms = median(&mut pairs.iter().map(|p| (p[1] - lag).abs()).collect::<Vec<_>>()).unwrap_or(0.0);
    let (first, second) = pairs.split_at(pairs.len() / 2);
    let constant = spread_ms <= CLOSE_MS && (of(first) - of(second)).abs() <= HALVES_MS;
    let better = |other: &f64| (other - lag).abs() > 2.0 * TOGETHER_MS;
    let or_ms: Vec<f64> = densest(&differences, FARTHEST_MS)
        .filter(better)
        .filter(|other| {
            together(strokes, others, (*other, ABOUT_MS.min(most))).len() as f64 > BETTER * pairs.len() as f64
        })
        .into_iter()
        .collect();
    let struck = strokes.iter().chain(others).all(|s| s.kind == Kind::Struck);
    let enough = struck && pairs.len() >= ENOUGH && constant && or_ms.is_empty();
    let reason = match (constant, or_ms.is_empty()) {
        (false, _) => "the lag changes from stroke to stroke or along the song: feel, nothing is proposed".into(),
        (true, true) => format!("{} of {hits} beginnings belong together", pairs.len()),
        (true, false) => "more of them would belong together at another lag: to be decided by ear".into(),
    };
    Against {
        lag_ms: Some(lag),
        spread_ms,
        hits: pairs.len(),
        parts: 0,
        constant,
        or_ms,
        strokes: pairs,
        verdict: if enough { Verdict::Solid } else { Verdict::Likely },
        reason,
    }
}

/// How much later than any stroke of the other each stroke comes, in ms, as far as anybody plays off; smallest first.
fn differences(strokes: &[Stroke], others: &[Stroke]) -> Vec<f64> {
    let mut all = Vec::new();
    for s in strokes {
        let from = others.partition_point(|o| 1_000.0 * (s.at_s - o.at_s) > FARTHEST_MS + TOGETHER_MS);
        let near = others[from..].iter().map(|o| 1_000.0 * (s.at_s - o.at_s));
        all.extend(near.take_while(|d| *d >= -FARTHEST_MS - TOGETHER_MS));
    }
    all.sort_by(f64::total_cmp);
    all
}

/// The middle of where most differences lie close together, `most` ms away at most.
fn densest(differences: &[f64], most: f64) -> Option<f64> {
    let (mut best, mut to) = (None, 0);
    let mut count = 0;
    for from in 0..differences.len() {
        to = to.max(from);
        while to < differences.len() && differences[to] - differences[from] <= TOGETHER_MS {
            to += 1;
        }
        let middle = differences[from + (to - from) / 2];
        if middle.abs() <= most && to - from > count {
            (best, count) = (Some(middle), to - from);
        }
    }
    best
}

/// Strokes that have one of the other about a lag: seconds and difference in ms. Each of the other counts once.
fn together(strokes: &[Stroke], others: &[Stroke], (lag_ms, about_ms): (f64, f64)) -> Vec<[f64; 2]> {
    let (mut pairs, mut next) = (Vec::new(), 0);
    for s in strokes {
        let off = |o: &Stroke| 1_000.0 * (s.at_s - o.at_s) - lag_ms;
        while next < others.len() && off(&others[next]) > about_ms {
            next += 1;
        }
        let near = (next..others.len()).take_while(|n| off(&others[*n]) >= -about_ms);
        if let Some(n) = near.min_by(|a, b| off(&others[*a]).abs().total_cmp(&off(&others[*b]).abs())) {
            pairs.push([s.at_s, off(&others[n]) + lag_ms]);
            next = n + 1;
        }
    }
    pairs
}

/// The median distance of a stroke from the one before it, in ms.
fn usual_ms(strokes: &[Stroke]) -> f64 {
    let mut apart: Vec<f64> = strokes.windows(2).map(|s| 1_000.0 * (s[1].at_s - s[0].at_s)).collect();
    median(&mut apart).unwrap_or(FARTHEST_MS)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;

    fn struck(at_s: f64) -> Stroke {
        Stroke { at_s, kind: Kind::Struck }
    }

    /// A rhythm of eighths at 100 a minute with gaps, and the same by somebody else: `late` ms later, off by `loose` ms at most, with
    /// every sixth left out.
    fn two(late: impl Fn(usize) -> f64, loose: f64, seed: u64) -> [Vec<Stroke>; 2] {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let places: Vec<usize> = (0..120).filter(|_| rng.random_bool(0.7)).collect();
        let other: Vec<Stroke> = places.iter().map(|n| struck(0.3 * *n as f64)).collect();
        let own = places.iter().enumerate().filter(|(n, _)| n % 6 != 5).map(|(n, p)| {
            let off = if loose > 0.0 { rng.random_range(-loose..loose) } else { 0.0 };
            struck(0.3 * *p as f64 + (late(n) + off) / 1_000.0)
        });
        [own.collect(), other]
    }

    #[test]
    fn a_constant_lag_is_told_in_either_direction() {
        for (late, seed) in [(23.0, 1), (-41.0, 2), (0.0, 3), (110.0, 4)] {
            let [own, other] = two(|_| late, 4.0, seed);
            let told = beside(&own, &other);
            assert!((told.lag_ms.unwrap() - late).abs() < 2.0, "{late}: {told:?}");
            assert!(told.constant && told.verdict == Verdict::Solid && told.parts == 0, "{}", told.reason);
            let back = beside(&other, &own);
            assert!((back.lag_ms.unwrap() + late).abs() < 2.0, "{late}: {back:?}");
        }
    }

    #[test]
    fn a_lag_that_grows_or_scatters_is_feel() {
        let [own, other] = two(|n| 0.3 * n as f64, 1.0, 5);
        let told = beside(&own, &other);
        assert!(!told.constant && told.verdict < Verdict::Solid, "{told:?}");
        let [own, other] = two(|_| 10.0, 25.0, 6);
        assert!(!beside(&own, &other).constant);
    }

    #[test]
    fn a_lag_further_than_the_next_stroke_is_asked_about_where_the_rhythm_tells() {
        let [own, other] = two(|_| 240.0, 2.0, 7);
        let told = beside(&own, &other);
        let all: Vec<f64> = told.lag_ms.into_iter().chain(told.or_ms.clone()).collect();
        assert!(all.iter().any(|l| (l - 240.0).abs() < 4.0), "{told:?}");
        assert!(told.verdict < Verdict::Solid, "{}", told.reason);
    }

    #[test]
    fn strangers_and_too_few_strokes_tell_nothing() {
        let [own, _] = two(|_| 0.0, 0.0, 8);
        let mut rng = ChaCha8Rng::seed_from_u64(9);
        let mut at: Vec<f64> = (0..80).map(|_| rng.random_range(0.0..36.0)).collect();
        at.sort_by(f64::total_cmp);
        let told = beside(&own, &at.into_iter().map(struck).collect::<Vec<_>>());
        assert!(told.verdict < Verdict::Solid && !told.constant, "{told:?}");
        assert_eq!(beside(&own, &own[..3]).lag_ms, None);
    }
}
