//! Which latencies to try: read off the arrivals, before any place is known.

use crate::dsp::stats::median;
use crate::measure::places::problem::{Arrival, End, Problem};
use crate::measure::places::search::Fit;

/// A latency is tried where the lags both ways differ by this, in metres of sound.
const HINT_M: f64 = 0.24;
/// Latencies tried at each step.
const TRIED: usize = 3;

impl Problem {
    /// The largest latencies hinted at, of microphones that are tied: which, and by how much.
    pub fn hints(&self, now: &Fit) -> Vec<(usize, f64)> {
        let tied = (0..self.mics.len()).filter(|i| !now.loose[*i]);
        let mut hints: Vec<(usize, f64)> = tied.filter_map(|i| Some((i, self.hint(&now.x, i)?))).collect();
        hints.retain(|h| h.1.abs() > HINT_M);
        hints.sort_by(|a, b| b.1.abs().total_cmp(&a.1.abs()));
        hints.truncate(TRIED);
        hints
    }

    /// Microphones at one source that may all be late, the latest first, each with the latency that the lags both ways and among them
    /// say; the home comes last.
    pub fn sets(&self, now: &Fit) -> Vec<Vec<(usize, f64)>> {
        let set = |row: usize| {
            let home = self.arrivals.iter().find(|a| a.row == row)?.home;
            let late = median(&mut self.both_ways(&now.x, home)).filter(|late| late.abs() > HINT_M)?;
            let beside = self.arrivals.iter().filter(|a| a.row == row && self.near[a.mic] == Some(row));
            let all: Vec<(usize, f64)> = beside.map(|a| (a.mic, late + a.metres)).chain([(home, late)]).collect();
            (all.len() > 1 && all.iter().all(|(i, _)| !now.loose[*i])).then_some(all)
        };
        let mut sets: Vec<Vec<(usize, f64)>> = (0..self.used.len()).filter_map(set).collect();
        let size = |set: &Vec<(usize, f64)>| set.last().map_or(0.0, |home| home.1.abs());
        sets.sort_by(|a, b| size(b).total_cmp(&size(a)));
        sets.truncate(TRIED);
        sets
    }

    /// What the lags both ways say of one latency, and for a second microphone at a source its lag against the first.
    fn hint(&self, x: &[f64], i: usize) -> Option<f64> {
        if self.alone[i] {
            // It stands no further away than its earliest arrival says.
            let ways = self.arrivals.iter().filter(|a| a.mic == i).map(|a| a.metres + x[self.late(a.home)]);
            return ways.min_by(f64::total_cmp);
        }
        let Some(row) = self.near[i] else { return self.by_distance(x, i) };
        let beside: Vec<usize> = (0..self.mics.len()).filter(|k| *k != i && self.near[*k] == Some(row)).collect();
        let heard = |row: usize, mic: usize| {
            let there = self.arrivals.iter().find(|a| a.row == row && a.mic == mic).map(|a| a.metres);
            there.or(self.arrivals.iter().any(|a| a.row == row && a.home == mic).then_some(0.0))
        };
        let mut says = self.both_ways(x, i);
        for there in self.arrivals.iter().filter(|a| a.mic == i) {
            // Another microphone at the same source hears every source as late as this one, but for a metre.
            let of = |k: &usize| Some(there.metres - heard(there.row, *k)? + x[self.late(*k)]);
            says.extend(beside.iter().filter_map(of));
        }
        median(&mut says)
    }

    /// What typed distances to near microphones say of a far one's latency: their sources are as far away as they are.
    fn by_distance(&self, x: &[f64], i: usize) -> Option<f64> {
        let typed = self.ties.iter().filter_map(|tie| match tie.ends {
            [End::Mic(a), End::Mic(b)] if a == i => Some((b, tie.metres)),
            [End::Mic(a), End::Mic(b)] if b == i => Some((a, tie.metres)),
            _ => None,
        });
        let says = typed.filter_map(|(k, metres)| {
            let there = self.arrivals.iter().find(|a| a.mic == i && Some(a.row) == self.near[k])?;
            Some(there.metres - metres + self.way(x, there.row, there.home).1 + x[self.late(there.home)])
        });
        median(&mut says.collect::<Vec<f64>>())
    }

    /// What each source heard both ways says of one latency: a late home hears its own source late, so the source seems to arrive
    /// early elsewhere.
    fn both_ways(&self, x: &[f64], i: usize) -> Vec<f64> {
        let back = |there: &Arrival| self.arrivals.iter().find(|a| a.home == i && a.mic == there.home);
        let says = |there: &Arrival| Some((there.metres - back(there)?.metres) / 2.0 + x[self.late(there.home)]);
        self.arrivals.iter().filter(|a| a.mic == i).filter_map(says).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Two microphones (0 at home, 1) at one source, a third (2) at another, ten metres away; all else at nothing.
    fn problem(late: f64, solid: bool) -> Problem {
        let arrival = |row, mic, home, metres| Arrival { row, mic, home, metres, solid };
        let arrivals = vec![
            arrival(1, 0, 2, 10.0 + late),
            arrival(1, 1, 2, 10.2 + late),
            arrival(0, 2, 0, 10.0 - late),
            arrival(0, 1, 0, 0.2),
        ];
        Problem {
            used: vec![0, 1],
            mics: vec![0, 1, 2],
            near: vec![Some(0), Some(0), Some(1)],
            alone: vec![false; 3],
            joined: vec![true, false, true],
            ties: Vec::new(),
            told: vec![Vec::new(); 3],
            levels: Vec::new(),
            arrivals,
            start: Vec::new(),
        }
    }

    #[test]
    fn both_at_a_late_source_are_one_set() {
        for (late, sets) in [(1.5, 1), (0.0, 0)] {
            let p = problem(late, true);
            let now = Fit::at(vec![0.0; p.len()], vec![false; 3]);
            let found = p.sets(&now);
            assert_eq!(found.len(), sets, "{found:?}");
            if let Some(set) = found.first() {
                assert_eq!(set.iter().map(|s| s.0).collect::<Vec<_>>(), [1, 0], "the home comes last");
                assert!((set[0].1 - 1.7).abs() < 1e-9 && (set[1].1 - 1.5).abs() < 1e-9, "{set:?}");
            }
            // One that is free already is no set any more.
            assert!(p.sets(&Fit::at(now.x, vec![true, false, false])).is_empty());
        }
    }

    /// Probable arrivals of others that go wrong together in one microphone have one wall to answer for them; what is sure has none.
    #[test]
    fn one_wall_answers_for_what_goes_wrong_together() {
        let mut p = problem(0.0, false);
        let x = vec![0.0; p.len()];
        // Everything at nothing: each arrival is off by its whole length.
        let alone = p.by_walls(&x);
        for _ in 0..3 {
            p.arrivals.push(Arrival { row: 1, mic: 0, home: 2, metres: 10.0, solid: false });
        }
        assert!(p.by_walls(&x) > alone + 20.0, "{} after {alone}", p.by_walls(&x));
        p.arrivals.iter_mut().for_each(|a| a.solid = true);
        assert_eq!(p.by_walls(&x), 0.0);
    }
}
