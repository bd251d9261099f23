//! A late half of a main pair: both halves together, located by the places of five sources and more.
//!
//! The arrivals of every source are distances that share one unknown, as pseudo-ranges of satellite navigation do. Of one microphone
//! alone a latency of several milliseconds passes for a place; of two that stand like a pair it does not. Rooms stand too freely: nothing
//! is said of them.

use crate::decide::case::Case;
use crate::dsp::stats::median;
use crate::measure::arrival::Table;
use crate::measure::stage::LATE_M;
use crate::track::Role;
use nalgebra::{DMatrix, DVector};

/// Sources that must reach both halves.
const FEW: usize = 5;
/// Standard deviation of an arrival, and of a source's coordinate, in metres.
const ARRIVAL_M: f64 = 0.011;
const SOURCE_M: f64 = 0.05;
/// Halves of a pair hang at one height, give or take, so far apart at most, and about so high above the sources, in metres.
const LEVEL_M: f64 = 0.2;
const BASE_M: f64 = 2.0;
const BASE_OFF_M: f64 = 0.2;
/// Usual distance of the two.
const USUAL_M: f64 = 1.2;
const ABOVE_M: f64 = 1.0;
const ABOVE_OFF_M: f64 = 0.6;
/// Cost of a free latency, and what a second one adds: both late passes for many a place. Least worth of what is told. Twice a
/// logarithm of a likelihood.
const FREED: f64 = 6.0;
const BOTH: f64 = 16.0;
const WORTH: f64 = 14.0;
/// Least latency that is told, in metres of sound (1.5 ms) and in standard deviations.
const LEAST_M: f64 = 0.515;
const SIGMAS: f64 = 3.0;
/// Deviations are told larger by this factor, and with this much besides, in metres: an arrival by a wall may pass unseen.
const WIDER: f64 = 1.5;
const BESIDES_M: f64 = 0.05;
/// Places that a descent begins at: distances of each half from the middle in metres, and directions.
const RINGS_M: [f64; 3] = [0.3, 0.9, 1.6];
const TURNS: usize = 6;
/// Rounds of a descent, and steps tried in each.
const ROUNDS: usize = 25;
const TRIES: usize = 6;
/// A descent ends when a round gains less than this.
const SETTLED: f64 = 1e-3;
/// Factors on the standard deviation of arrivals, from wide to the final one.
const WIDE: [f64; 3] = [25.0, 5.0, 1.0];
/// Likelihood of an arrival by a wall, one in twenty and anywhere in a metre and a half, against that of a direct one just where it is
/// expected.
const BY_WALL: f64 = 0.002;
/// A place is within so many metres of the middle of the sources.
const WITHIN_M: f64 = 6.0;

/// Latency of one half.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Half {
    /// Track, by index.
    pub track: usize,
    /// Frames later than its place explains.
    pub frames: f64,
    pub sigma_frames: f64,
    pub sources: usize,
}

/// Late halves of all pairs of main microphones, as recorded.
pub fn judge(case: &Case, recorded: &Table, pairs: &[[usize; 2]]) -> Vec<Half> {
    let main = |p: &&[usize; 2]| p.iter().all(|m| case.tracks[*m].role == Role::Main);
    let at_source =
        |p: &&[usize; 2]| !p.iter().any(|m| recorded.rows.iter().any(|r| r.own_mic && r.members.contains(m)));
    pairs.iter().filter(main).filter(at_source).flat_map(|pair| of_pair(case, recorded, *pair)).collect()
}

/// What reaches a pair.
#[derive(Debug, Default)]
struct Pair {
    /// Coordinates of each source as placed, in metres.
    sources: Vec<[f64; 3]>,
    /// Which source, which half, distance and latency together in metres.
    ranges: Vec<(usize, usize, f64)>,
}

/// Unknowns: both places, both latencies, then the sources.
const LATE_AT: usize = 6;
const SOURCES_AT: usize = 8;

fn of_pair(case: &Case, recorded: &Table, pair: [usize; 2]) -> Vec<Half> {
    let Some(places) = &recorded.places else { return Vec::new() };
    let metres = case.metres(1.0);
    let mut known = Pair::default();
    for (row, beacon) in recorded.rows.iter().zip(&places.beacons) {
        let Some(beacon) = beacon else { continue };
        for (half, m) in pair.into_iter().enumerate() {
            let range = row.cells[m].lag_frames.map(|lag| lag * metres + beacon.path_m);
            known.ranges.extend(range.map(|range| (known.sources.len(), half, range)));
        }
        known.sources.push(beacon.at);
    }
    let frames = |late: Late| Half {
        track: pair[late.half],
        frames: late.late_m / metres,
        sigma_frames: late.sigma_m / metres,
        sources: known.reach(late.half),
    };
    known.late().into_iter().map(frames).collect()
}

/// What is told of a half.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Late {
    half: usize,
    late_m: f64,
    sigma_m: f64,
}

/// Something believed beforehand: slopes by each unknown, what is over, its standard deviation.
type Belief = (Vec<(usize, f64)>, f64, f64);

/// Loss of an arrival that is off by so many metres, and its weight: normal, or by a wall.
fn loss(off: f64, wide: f64) -> (f64, f64) {
    let s2 = (ARRIVAL_M * wide).powi(2);
    let normal = (-0.5 * off * off / s2).exp();
    (-2.0 * ((normal + BY_WALL) / (1.0 + BY_WALL)).ln(), normal / (normal + BY_WALL) / s2)
}

struct Fit {
    free: [bool; 2],
    x: Vec<f64>,
    cost: f64,
}

impl Fit {
    fn better(self, other: Self) -> Self {
        if other.cost < self.cost { other } else { self }
    }
}

impl Pair {
    /// Halves that are late.
    fn late(&self) -> Vec<Late> {
        if [0, 1].iter().any(|half| self.reach(*half) < FEW) {
            return Vec::new();
        }
        // A pair that stands well without a latency has nothing to gain from one: the check is judged often, so it ends here.
        let enough = WORTH + FREED;
        let none = self.solve([false; 2], enough);
        if none.cost < enough {
            return Vec::new();
        }
        let tried = [[true, true], [true, false], [false, true]].map(|free| self.solve(free, 0.0));
        let Some(best) = tried.into_iter().reduce(Fit::better) else { return Vec::new() };
        if none.cost - best.cost < WORTH {
            return Vec::new();
        }
        let Some(covariance) = self.equations(&best.x, best.free, 1.0).0.cholesky().map(|c| c.inverse()) else {
            return Vec::new();
        };
        let told = |half: usize| {
            let variance = covariance[(LATE_AT + half, LATE_AT + half)].max(0.0);
            let (late_m, sigma_m) = (best.x[LATE_AT + half], (WIDER * variance.sqrt()).hypot(BESIDES_M));
            (best.free[half] && late_m > LEAST_M.max(SIGMAS * sigma_m)).then_some(Late { half, late_m, sigma_m })
        };
        (0..2).filter_map(told).collect()
    }

    /// Sources that reach a half.
    fn reach(&self, half: usize) -> usize {
        self.ranges.iter().filter(|r| r.1 == half).count()
    }

    fn middle(&self) -> [f64; 3] {
        let n = self.sources.len() as f64;
        [0, 1, 2].map(|axis| self.sources.iter().map(|s| s[axis]).sum::<f64>() / n)
    }

    /// The best fit with these latencies free, or the first that costs less than `enough`.
    fn solve(&self, free: [bool; 2], enough: f64) -> Fit {
        let mut best = Fit { free, x: Vec::new(), cost: f64::INFINITY };
        for start in self.starts(free) {
            best = best.better(self.descend(start, free));
            if best.cost < enough {
                break;
            }
        }
        best
    }

    /// Both halves opposite one another about the middle of the sources.
    fn starts(&self, free: [bool; 2]) -> Vec<Vec<f64>> {
        let (mut all, middle) = (Vec::new(), self.middle());
        for ring in RINGS_M {
            for turn in 0..TURNS {
                let turn = std::f64::consts::TAU * turn as f64 / TURNS as f64;
                let (east, north) = (ring * turn.cos(), ring * turn.sin());
                let mut x = vec![0.0; SOURCES_AT + 3 * self.sources.len()];
                for (half, sign) in [1.0, -1.0].into_iter().enumerate() {
                    let at = [middle[0] + sign * east, middle[1] + sign * north, middle[2] + ABOVE_M];
                    x[3 * half..3 * half + 3].copy_from_slice(&at);
                }
                for (n, source) in self.sources.iter().enumerate() {
                    x[SOURCES_AT + 3 * n..SOURCES_AT + 3 * n + 3].copy_from_slice(source);
                }
                for half in 0..2 {
                    let mut over: Vec<f64> =
                        (self.ranges.iter().filter(|r| r.1 == half)).map(|r| r.2 - self.way(&x, r.0, half).1).collect();
                    x[LATE_AT + half] = if free[half] { median(&mut over).unwrap_or(0.0) } else { 0.0 };
                }
                all.push(x);
            }
        }
        all
    }

    /// Direction from a source to a half, and its length.
    fn way(&self, x: &[f64], source: usize, half: usize) -> ([f64; 3], f64) {
        let d = [0, 1, 2].map(|axis| x[3 * half + axis] - x[SOURCES_AT + 3 * source + axis]);
        let length = d.iter().map(|v| v * v).sum::<f64>().sqrt().max(0.01);
        (d.map(|v| v / length), length)
    }

    fn off(&self, x: &[f64], (source, half, range): (usize, usize, f64)) -> f64 {
        self.way(x, source, half).1 + x[LATE_AT + half] - range
    }

    /// What is believed beforehand: slopes, what is over, its standard deviation.
    fn beliefs(&self, x: &[f64], free: [bool; 2]) -> Vec<Belief> {
        let middle = self.middle();
        let mut all = vec![(vec![(2, 1.0), (5, -1.0)], x[2] - x[5], LEVEL_M)];
        let apart = [0, 1].map(|axis| x[axis] - x[3 + axis]);
        let base = apart[0].hypot(apart[1]).max(0.01);
        all.push(((0..2).flat_map(|a| [(a, apart[a] / base), (3 + a, -apart[a] / base)]).collect(), base, USUAL_M));
        if base > BASE_M {
            let slopes = (0..2).flat_map(|a| [(a, apart[a] / base), (3 + a, -apart[a] / base)]).collect();
            all.push((slopes, base - BASE_M, BASE_OFF_M));
        }
        for half in 0..2 {
            let up = 3 * half + 2;
            for axis in 0..2 {
                all.push((vec![(3 * half + axis, 1.0)], x[3 * half + axis] - middle[axis], WITHIN_M));
            }
            all.push((vec![(up, 1.0)], x[up] - middle[2] - ABOVE_M, ABOVE_OFF_M));
            if free[half] {
                all.push((vec![(LATE_AT + half, 1.0)], x[LATE_AT + half], LATE_M));
            }
        }
        for (n, source) in self.sources.iter().enumerate() {
            for (axis, at) in source.iter().enumerate() {
                let i = SOURCES_AT + 3 * n + axis;
                all.push((vec![(i, 1.0)], x[i] - at, SOURCE_M));
            }
        }
        all
    }

    fn cost(&self, x: &[f64], free: [bool; 2], wide: f64) -> f64 {
        let arrivals: f64 = self.ranges.iter().map(|r| loss(self.off(x, *r), wide).0).sum();
        let known: f64 = self.beliefs(x, free).iter().map(|(_, off, sigma)| (off / sigma).powi(2)).sum();
        arrivals + known + [0.0, FREED, FREED + BOTH][free.iter().filter(|f| **f).count()]
    }

    /// Normal equations with the weights that the residuals have now.
    fn equations(&self, x: &[f64], free: [bool; 2], wide: f64) -> (DMatrix<f64>, DVector<f64>) {
        let n = x.len();
        let (mut square, mut slope) = (DMatrix::zeros(n, n), DVector::zeros(n));
        let mut add = |terms: &[(usize, f64)], off: f64, weight: f64| {
            for (i, di) in terms {
                slope[*i] += weight * di * off;
                terms.iter().for_each(|(k, dk)| square[(*i, *k)] += weight * di * dk);
            }
        };
        for range @ (source, half, _) in self.ranges.iter().copied() {
            let off = self.off(x, range);
            let (toward, _) = self.way(x, source, half);
            let mut terms: Vec<(usize, f64)> = Vec::with_capacity(7);
            for (axis, along) in toward.iter().enumerate() {
                terms.push((3 * half + axis, *along));
                terms.push((SOURCES_AT + 3 * source + axis, -along));
            }
            if free[half] {
                terms.push((LATE_AT + half, 1.0));
            }
            add(&terms, off, loss(off, wide).1);
        }
        for (terms, off, sigma) in self.beliefs(x, free) {
            add(&terms, off, 1.0 / (sigma * sigma));
        }
        // A tied latency has no equation.
        (0..2).filter(|h| !free[*h]).for_each(|h| square[(LATE_AT + h, LATE_AT + h)] = 1.0);
        (square, slope)
    }

    /// The nearest minimum, with losses that let go of outliers more and more.
    fn descend(&self, mut x: Vec<f64>, free: [bool; 2]) -> Fit {
        for wide in WIDE {
            self.steps(&mut x, free, wide);
        }
        Fit { free, cost: self.cost(&x, free, 1.0), x }
    }

    /// Damped steps down.
    fn steps(&self, x: &mut Vec<f64>, free: [bool; 2], wide: f64) {
        let mut cost = self.cost(x, free, wide);
        let mut damping = 1e-2;
        for _ in 0..ROUNDS {
            let (square, slope) = self.equations(x, free, wide);
            let mut gained = 0.0;
            for _ in 0..TRIES {
                let mut damped = square.clone();
                (0..x.len()).for_each(|i| damped[(i, i)] += damping * (1.0 + damped[(i, i)]));
                let Some(step) = damped.cholesky().map(|c| c.solve(&slope)) else { return };
                let next: Vec<f64> = x.iter().zip(step.iter()).map(|(x, s)| x - s).collect();
                let now = self.cost(&next, free, wide);
                if now < cost {
                    gained = cost - now;
                    (*x, cost) = (next, now);
                    damping = (damping * 0.3).max(1e-9);
                    break;
                }
                damping *= 6.0;
            }
            if gained < SETTLED {
                return;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;

    /// Sources placed to 5 cm, arrivals to a sample and a half, one in seventeen by a wall; a pair of any usual kind over them, the first
    /// half late.
    fn pair(seed: u64, sources: usize, late_m: f64) -> Pair {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let normal = |rng: &mut ChaCha8Rng| (0..12).map(|_| rng.random_range(0.0..1.0)).sum::<f64>() - 6.0;
        let around = |rng: &mut ChaCha8Rng, r: f64, up: f64| {
            let turn = rng.random_range(0.0..std::f64::consts::TAU);
            [r * turn.cos(), r * turn.sin(), up]
        };
        let (base, up) = (rng.random_range(0.3..2.0), rng.random_range(0.5..1.5));
        let toward = around(&mut rng, base / 2.0, 0.0);
        let middle = [rng.random_range(-0.4..0.4), rng.random_range(-0.4..0.4), up];
        let halves = [1.0, -1.0].map(|sign| {
            let tilt = rng.random_range(-0.1..0.1);
            [middle[0] + sign * toward[0], middle[1] + sign * toward[1], middle[2] + tilt]
        });
        let mut p = Pair::default();
        for n in 0..sources {
            let (r, height) = (rng.random_range(0.2..1.3), rng.random_range(-0.3..0.3));
            let truth = around(&mut rng, r, height);
            for (half, at) in halves.iter().enumerate() {
                let way = (0..3).map(|a| (truth[a] - at[a]).powi(2)).sum::<f64>().sqrt();
                let wall = if rng.random_bool(0.06) { rng.random_range(0.2..1.5) } else { 0.0 };
                let late = if half == 0 { late_m } else { 0.0 };
                p.ranges.push((n, half, way + wall + late + ARRIVAL_M * normal(&mut rng)));
            }
            p.sources.push(truth.map(|v| v + SOURCE_M * normal(&mut rng)));
        }
        p
    }

    #[test]
    fn nothing_is_told_of_halves_on_time() {
        for seed in 0..60 {
            let sources = [5, 7, 9][seed as usize % 3];
            assert_eq!(pair(seed, sources, 0.0).late(), [], "seed {seed}");
        }
    }

    /// The first half, by about so much, most of the time; with few sources less often. The other half never.
    #[test]
    fn a_late_half_is_told_with_its_deviation() {
        for (sources, ms, least) in [(5, 6.0, 16), (7, 4.0, 15), (9, 4.0, 17), (9, 6.0, 18)] {
            let late = ms * 0.343;
            let (mut found, mut close) = (0, 0);
            for seed in 100..120 {
                for told in pair(seed, sources, late).late() {
                    assert_eq!(told.half, 0, "seed {seed}");
                    found += 1;
                    close += usize::from((told.late_m - late).abs() < 2.0 * told.sigma_m);
                }
            }
            println!("{sources} sources, {ms} ms: {found} found, {close} as told");
            assert!(found >= least && close + 2 >= found, "{sources} sources, {ms} ms: {found} found, {close} as told");
        }
    }
}
