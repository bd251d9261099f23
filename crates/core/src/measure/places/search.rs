//! Finds the latencies: frees one after another as an unknown, and keeps those that explain enough.

use crate::measure::places::problem::{Arrival, Problem, Stance, Without};
use rayon::prelude::*;

/// What a latency must explain to be kept: twice the logarithm of the likelihood ratio.
const WORTH: f64 = 7.0;
/// Factors on the scale of the losses, from wide to the final one.
const WIDE: [f64; 3] = [20.0, 4.0, 1.0];
/// Starting points tried, with near microphones on different sides of their sources.
const STARTS: usize = 6;
/// With more microphones than this each is tied down by so many arrivals that the search for latencies goes on from the places found
/// so far. From widest losses it would leave a good minimum: fewer latencies were found in simulated sessions (7 of 13, not 4).
pub const CROWD: usize = 32;
/// No factor: the minimum next to where the search begins.
const NEAREST: [f64; 1] = [1.0];
/// Factor on the scale of the losses from which it goes on in a crowd.
const WIDE_IN_A_CROWD: f64 = 4.0;
/// Part of the arrivals that lie within three standard deviations at which the first beginning is good enough: other sides of the
/// sources change little then, and what is left over is wrong by itself.
const GOOD: f64 = 0.93;

/// Unknowns and free latencies to begin with.
pub type Begin = (Vec<f64>, Vec<bool>);

/// Which latencies are free, where everything stands, and what the fit leaves.
#[derive(Clone)]
pub struct Fit {
    pub loose: Vec<bool>,
    /// How much each free latency explains.
    pub worth: Vec<f64>,
    pub x: Vec<f64>,
    cost: f64,
}

#[cfg(test)]
impl Fit {
    /// Everything there, nothing known of it.
    pub fn at(x: Vec<f64>, loose: Vec<bool>) -> Self {
        Self { worth: vec![0.0; loose.len()], loose, x, cost: 0.0 }
    }
}

/// The fit of least cost.
fn least(fits: impl Iterator<Item = Fit>) -> Option<Fit> {
    fits.min_by(|a, b| a.cost.total_cmp(&b.cost))
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
        // A fit that explains nearly everything needs no other starting point.
        if !again && self.fitting(&best.x) < GOOD {
            let others = (1..STARTS).map(|n| (self.turned(n), none.clone())).collect();
            best = least([Some(best), self.best_of(others)].into_iter().flatten())?;
        }
        if !again {
            while let Some(better) = self.freed(&best, 1) {
                best = better;
            }
            self.tell_by_level(&best.x);
            best = self.best_of(vec![(best.x, best.loose)])?;
        }
        // Where no pair of latencies explained enough before, none does after a few arrivals are left out.
        let most = if again { 1 } else { 2 };
        while let Some(better) = (1..=most).find_map(|count| self.freed(&best, count)) {
            best = better;
        }
        Some(self.without_idle(best))
    }

    /// Ties what explains too little, the least first, and tells what each latency that stays is worth.
    fn without_idle(&self, mut best: Fit) -> Fit {
        loop {
            let free: Vec<usize> = (0..self.mics.len()).filter(|i| best.loose[*i]).collect();
            let begin = |i: &usize| {
                let (mut x, mut loose) = (best.x.clone(), best.loose.clone());
                (x[self.late(*i)], loose[*i]) = (0.0, false);
                (x, loose)
            };
            // A latency is worth at most what is lost when everything else stays about where it is.
            let about: Vec<Fit> = free.par_iter().map(&begin).map(|(x, loose)| self.narrowed(x, loose)).collect();
            let idle = |fit: &Fit| fit.cost - best.cost < WORTH;
            if let Some(without) = least(about.iter().filter(|fit| idle(fit)).cloned()) {
                best = without;
                continue;
            }
            // The cheapest first: it is the likeliest to go, and once one goes all are looked at anew.
            let mut order: Vec<usize> = (0..free.len()).collect();
            order.sort_by(|a, b| about[*a].cost.total_cmp(&about[*b].cost));
            let mut gone = None;
            for n in order {
                let without = self.tied(free[n], begin(&free[n]), about[n].clone());
                best.worth[free[n]] = without.cost - best.cost;
                if idle(&without) {
                    gone = Some(without);
                    break;
                }
            }
            match gone {
                Some(without) => best = without,
                None => return best,
            }
        }
    }

    /// So many microphones that the search goes on from the places found so far?
    fn crowded(&self) -> bool {
        self.mics.len() > CROWD
    }

    /// Part of the arrivals that lie within three standard deviations.
    fn fitting(&self, x: &[f64]) -> f64 {
        let near = |a: &&Arrival| self.residual(x, a).abs() < 3.0 * a.sigma();
        self.arrivals.iter().filter(near).count() as f64 / self.arrivals.len().max(1) as f64
    }

    fn best_of(&self, begin: Vec<Begin>) -> Option<Fit> {
        least(self.fits(begin).into_iter())
    }

    fn fits(&self, begin: Vec<Begin>) -> Vec<Fit> {
        begin.into_par_iter().map(|(x, loose)| self.fit(x, loose, None, &WIDE)).collect()
    }

    /// The minimum next to each beginning, and from the one that gains most also what wider losses find.
    fn fits_from_here(&self, begin: Vec<Begin>, gain: impl Fn(&Fit) -> f64) -> Vec<Fit> {
        let mut fits: Vec<Fit> = begin.into_par_iter().map(|(x, loose)| self.narrowed(x, loose)).collect();
        if let Some(best) = fits.iter().max_by(|a, b| gain(a).total_cmp(&gain(b))) {
            let wider = self.widened(best.x.clone(), best.loose.clone());
            fits.push(wider);
        }
        fits
    }

    /// From wider losses to the nearest minimum.
    fn widened(&self, mut x: Vec<f64>, loose: Vec<bool>) -> Fit {
        self.descend(&mut x, &Stance { loose: &loose, wide: WIDE_IN_A_CROWD, without: None });
        self.narrowed(x, loose)
    }

    /// From the first guess and from the places found so far: a wrong place may have been a latency. Both with the latencies
    /// that `x` has.
    fn beginnings(&self, x: &[f64], loose: &[bool]) -> Vec<Begin> {
        if self.crowded() {
            return vec![(x.to_vec(), loose.to_vec())];
        }
        let mut anew = self.turned(0);
        (0..loose.len()).for_each(|k| anew[self.late(k)] = x[self.late(k)]);
        [anew, x.to_vec()].map(|x| (x, loose.to_vec())).into()
    }

    /// The best fit with one latency tied, as `begin` has it; `about` is the one near by.
    fn tied(&self, i: usize, (x, loose): Begin, about: Fit) -> Fit {
        let cheaper = |a: Fit, b: Fit| if b.cost < a.cost { b } else { a };
        if self.crowded() {
            let without = [Without::Into(i), Without::From(i)];
            let fits: Vec<Fit> =
                without.into_par_iter().map(|w| self.fit(x.clone(), loose.clone(), Some(w), &NEAREST)).collect();
            let near = fits.into_iter().fold(about, cheaper);
            let wider = self.widened(near.x.clone(), loose);
            return cheaper(near, wider);
        }
        let begin: Vec<(Begin, Option<Without>)> = self
            .beginnings(&x, &loose)
            .into_iter()
            .flat_map(|b| [None, Some(Without::Into(i)), Some(Without::From(i))].map(|w| (b.clone(), w)))
            .collect();
        let fits: Vec<Fit> =
            begin.into_par_iter().map(|((x, loose), without)| self.fit(x, loose, without, &WIDE)).collect();
        fits.into_iter().fold(about, cheaper)
    }

    /// The best fit with more latencies free, so many microphones at once, one or two, or with all that stand at one source; none
    /// when not enough is gained. Two that depend on each other do not explain enough alone.
    fn freed(&self, now: &Fit, count: usize) -> Option<Fit> {
        let hints = self.hints(now);
        let with = |free: &[(usize, f64)]| {
            let (mut x, mut loose) = (now.x.clone(), now.loose.clone());
            free.iter().for_each(|(i, late)| (x[self.late(*i)], loose[*i]) = (*late, true));
            self.beginnings(&x, &loose)
        };
        let begin: Vec<Begin> = if count == 1 {
            let alone = hints.iter().flat_map(|h| with(&[*h]));
            alone.chain(self.sets(now).iter().flat_map(|set| with(set))).collect()
        } else {
            let pairs = hints.iter().enumerate().flat_map(|(n, a)| hints[n + 1..].iter().map(move |b| [*a, *b]));
            pairs.flat_map(|pair| with(&pair)).collect()
        };
        let free = |fit: &Fit| fit.loose.iter().filter(|l| **l).count() as f64;
        let gained = |fit: &Fit| now.cost - fit.cost - WORTH * (free(fit) - free(now));
        let fits = if self.crowded() { self.fits_from_here(begin, gained) } else { self.fits(begin) };
        fits.into_iter().filter(|fit| gained(fit) > 0.0).max_by(|a, b| gained(a).total_cmp(&gained(b)))
    }

    /// The cost, less what one wall explains, plus the cost of early microphones.
    fn judged(&self, cost: f64, x: &[f64], loose: &[bool]) -> f64 {
        cost - self.by_walls(x) + self.too_early(x, loose)
    }

    /// The nearest minimum.
    fn narrowed(&self, mut x: Vec<f64>, loose: Vec<bool>) -> Fit {
        let cost = self.descend(&mut x, &Stance { loose: &loose, wide: 1.0, without: None });
        let cost = self.judged(cost, &x, &loose);
        Fit { worth: vec![0.0; loose.len()], loose, x, cost }
    }

    /// Losses on the scale of `widths`, one after another: from wide ones, which are nearly least squares, to those that give outliers
    /// little weight.
    fn fit(&self, mut x: Vec<f64>, loose: Vec<bool>, without: Option<Without>, widths: &[f64]) -> Fit {
        let mut cost = 0.0;
        for &wide in widths {
            cost = self.descend(&mut x, &Stance { loose: &loose, wide, without });
        }
        cost = self.judged(cost, &x, &loose);
        if without.is_some() {
            // The arrivals left out may have been right, or more of them wrong.
            let all = Stance { loose: &loose, wide: 1.0, without: None };
            cost = self.judged(self.cost(&x, &all), &x, &loose);
            let mut again = x.clone();
            let with_all = self.descend(&mut again, &all);
            let with_all = self.judged(with_all, &again, &loose);
            if with_all < cost {
                (x, cost) = (again, with_all);
            }
        }
        Fit { worth: vec![0.0; loose.len()], loose, x, cost }
    }
}
