//! Which latencies there are: one freed after another, each weighed by what it explains.

use super::problem::{Problem, Stance, Without};
use crate::measure::consistent::middle;
use rayon::prelude::*;

/// What a latency must explain to be believed: twice the logarithm of how much likelier it makes the arrivals.
const WORTH: f64 = 10.0;
/// A latency is looked for where the ways both ways differ by this.
const HINT_M: f64 = 0.2;
/// Latencies tried in earnest at each step.
const TRIED: usize = 3;
/// Losses are this much more patient at first.
const WIDE: [f64; 3] = [20.0, 4.0, 1.0];
/// Beginnings tried, with near microphones on other sides of their sources.
const STARTS: usize = 6;
/// With more microphones than this so many ways lead to each that the search is begun from where everything stands, and from
/// few other sides.
const CROWD: usize = 32;
const STARTS_IN_A_CROWD: usize = 2;
/// Cost an arrival at which the first beginning is good enough.
const GOOD: f64 = 0.7;

/// Unknowns and free latencies to begin with.
type Begin = (Vec<f64>, Vec<bool>);

/// Which latencies are free, where everything stands, and what the fit leaves.
#[derive(Clone)]
pub struct Fit {
    pub loose: Vec<bool>,
    /// What each loose latency is worth.
    pub worth: Vec<f64>,
    pub x: Vec<f64>,
    cost: f64,
}

impl Problem {
    /// Frees one latency after another as long as that explains much, and ties again what turns out not to be needed.
    pub fn solve(&mut self, begin: Option<Begin>) -> Option<Fit> {
        let none = vec![false; self.mics.len()];
        let again = begin.is_some();
        let begin = begin.unwrap_or_else(|| (self.turned(0), none.clone()));
        // The first guess goes by the mean of both ways, which no latency bends.
        self.tell_by_level(&begin.0);
        let mut best = self.best_of(vec![begin])?;
        // What explains nearly all of it need not be looked for from other sides.
        if !again && best.cost > GOOD * self.arrivals.len() as f64 {
            let starts = if self.mics.len() > CROWD { STARTS_IN_A_CROWD } else { STARTS };
            let others = (1..starts).map(|n| (self.turned(n), none.clone())).collect();
            best = [Some(best), self.best_of(others)].into_iter().flatten().min_by(|a, b| a.cost.total_cmp(&b.cost))?;
        }
        if !again {
            while let Some(better) = self.freed(&best, 1) {
                best = better;
            }
            self.tell_by_level(&best.x);
            best = self.best_of(vec![(best.x, best.loose)])?;
        }
        while let Some(better) = self.freed(&best, 1).or_else(|| self.freed(&best, 2)) {
            best = better;
        }
        loop {
            let tied: Vec<(usize, Fit)> =
                (0..none.len()).filter(|i| best.loose[*i]).filter_map(|i| Some((i, self.tied(&best, i)?))).collect();
            for (i, without) in &tied {
                best.worth[*i] = without.cost - best.cost;
            }
            match tied.into_iter().map(|t| t.1).min_by(|a, b| a.cost.total_cmp(&b.cost)) {
                Some(without) if without.cost - best.cost < WORTH => best = without,
                _ => return Some(best),
            }
        }
    }

    fn best_of(&self, begin: Vec<Begin>) -> Option<Fit> {
        let fits: Vec<Fit> = begin.into_par_iter().map(|(x, loose)| self.fit(x, loose, None)).collect();
        fits.into_iter().min_by(|a, b| a.cost.total_cmp(&b.cost))
    }

    /// Anew, and from where everything stands now: what stood wrong may have given way to a latency. Both with the latencies
    /// that `x` has.
    fn beginnings(&self, x: &[f64], loose: &[bool]) -> Vec<Begin> {
        if self.mics.len() > CROWD {
            return vec![(x.to_vec(), loose.to_vec())];
        }
        let mut anew = self.turned(0);
        (0..loose.len()).for_each(|k| anew[self.late(k)] = x[self.late(k)]);
        [anew, x.to_vec()].map(|x| (x, loose.to_vec())).into()
    }

    /// The best fit with one latency tied.
    fn tied(&self, now: &Fit, i: usize) -> Option<Fit> {
        let (mut x, mut loose) = (now.x.clone(), now.loose.clone());
        (x[self.late(i)], loose[i]) = (0.0, false);
        let begin: Vec<(Begin, Option<Without>)> = self
            .beginnings(&x, &loose)
            .into_iter()
            .flat_map(|b| [None, Some(Without::Into(i)), Some(Without::From(i))].map(|w| (b.clone(), w)))
            .collect();
        let fits: Vec<Fit> = begin.into_par_iter().map(|((x, loose), without)| self.fit(x, loose, without)).collect();
        fits.into_iter().min_by(|a, b| a.cost.total_cmp(&b.cost))
    }

    /// The best fit with so many more latencies free at once, one or two; none when not enough is gained. Of two that hold one
    /// another up neither explains enough alone.
    fn freed(&self, now: &Fit, count: usize) -> Option<Fit> {
        let mut hints: Vec<(usize, f64)> =
            (0..self.mics.len()).filter(|i| !now.loose[*i]).filter_map(|i| Some((i, self.hint(&now.x, i)?))).collect();
        hints.retain(|h| h.1.abs() > HINT_M);
        hints.sort_by(|a, b| b.1.abs().total_cmp(&a.1.abs()));
        hints.truncate(TRIED);
        let with = |free: &[(usize, f64)]| {
            let (mut x, mut loose) = (now.x.clone(), now.loose.clone());
            free.iter().for_each(|(i, late)| (x[self.late(*i)], loose[*i]) = (*late, true));
            self.beginnings(&x, &loose)
        };
        let begin: Vec<Begin> = if count == 1 {
            hints.iter().flat_map(|h| with(&[*h])).collect()
        } else {
            let pairs = hints.iter().enumerate().flat_map(|(n, a)| hints[n + 1..].iter().map(move |b| [*a, *b]));
            pairs.flat_map(|pair| with(&pair)).collect()
        };
        self.best_of(begin).filter(|best| now.cost - best.cost > WORTH * count as f64)
    }

    /// What the ways both ways, and for a second microphone at a source the distance to the first, say of one latency.
    fn hint(&self, x: &[f64], i: usize) -> Option<f64> {
        let row = self.near[i]?;
        let beside: Vec<usize> = (0..self.mics.len()).filter(|k| *k != i && self.near[*k] == Some(row)).collect();
        let heard = |row: usize, mic: usize| {
            let there = self.arrivals.iter().find(|a| a.row == row && a.mic == mic).map(|a| a.metres);
            there.or(self.arrivals.iter().any(|a| a.row == row && a.home == mic).then_some(0.0))
        };
        let mut says: Vec<f64> = Vec::new();
        for there in self.arrivals.iter().filter(|a| a.mic == i) {
            // Another microphone at the same source hears every source as late as this one, but for a metre.
            let of = |k: &usize| Some(there.metres - heard(there.row, *k)? + x[self.late(*k)]);
            says.extend(beside.iter().filter_map(of));
            // A late home hears its own source late, and so seems to be reached early by it elsewhere.
            if let Some(back) = self.arrivals.iter().find(|a| a.home == i && a.mic == there.home) {
                says.push((there.metres - back.metres) / 2.0 + x[self.late(there.home)]);
            }
        }
        middle(&mut says)
    }

    /// Least squares first, then losses that forgive more and more what does not fit.
    fn fit(&self, mut x: Vec<f64>, loose: Vec<bool>, without: Option<Without>) -> Fit {
        let mut cost = 0.0;
        for wide in WIDE {
            cost = self.descend(&mut x, &Stance { loose: &loose, wide, without });
        }
        if without.is_some() {
            cost = self.descend(&mut x, &Stance { loose: &loose, wide: 1.0, without: None });
        }
        Fit { worth: vec![0.0; loose.len()], loose, x, cost }
    }
}
