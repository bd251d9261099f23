//! Where sources and microphones stand and how late each one is, so that all arrivals of the table are explained at once.
//!
//! Every arrival is a difference of two distances plus a difference of two latencies. Unknown are the places of sources and
//! microphones and the latencies; known beforehand is that near microphones stand near their sources, that stages are flat,
//! and that most latencies are nothing. Damped least squares (Marquardt, SIAM J. Appl. Math. 1963), every residual reweighed by
//! a Cauchy loss, so that a reflection taken for the direct sound does not bend the rest. Lengths in metres.

use super::Case;
use crate::measure::Verdict;
use crate::measure::arrival::Row;
use crate::measure::consistent::{latencies, later};
use crate::measure::session::Role;
use nalgebra::{DMatrix, DVector, SymmetricEigen};

/// Speed of sound at 20 °C in m/s (ISO 9613-1); a few degrees matter less than the size of a microphone.
const SPEED_M_S: f64 = 343.2;
/// What a solid and a probable arrival are good for.
const SOLID_M: f64 = 0.02;
const LIKELY_M: f64 = 0.06;
/// Usual distance of a near microphone from its source; how far a session's habit may be off it, and a microphone off the
/// session's habit.
const NEAR_M: f64 = 0.28;
const HABIT_OFF_M: f64 = 0.15;
const NEAR_OFF_M: f64 = 0.1;
/// Usual differences in height among sources; height of far microphones over them.
const FLAT_M: f64 = 0.3;
const ABOVE_M: f64 = 1.2;
/// Latencies under this are nothing.
const ON_TIME_M: f64 = 0.03;
/// Rounds of the search.
const ROUNDS: usize = 60;
/// Beginnings tried, with near microphones on other sides of their sources.
const STARTS: usize = 8;
/// More unknowns than this are not solved for; the median of the ways both ways must do.
const MOST: usize = 600;

/// Latency of each track in frames with its standard deviation; none where it is not determined.
pub fn latencies_of(case: &Case) -> Vec<Option<(f64, f64)>> {
    let mut none: Vec<Option<(f64, f64)>> = vec![None; case.tracks.len()];
    let Some(problem) = Problem::of(case) else { return none };
    let scale = case.rate_hz / SPEED_M_S;
    let Some((x, sigma)) = problem.solve() else { return none };
    for (i, &m) in problem.mics.iter().enumerate() {
        let at = problem.late(i);
        none[m] = Some((x[at] * scale, sigma[at] * scale));
    }
    none
}

/// The most rows that hear one another both ways, directly or through others.
fn together(rows: &[Row], in_air: impl Fn(usize) -> bool) -> Vec<usize> {
    let mut left: Vec<usize> = (0..rows.len()).filter(|r| in_air(rows[*r].home)).collect();
    let mut best = Vec::new();
    while let Some(first) = left.pop() {
        let mut part = vec![first];
        let mut i = 0;
        while i < part.len() {
            let (met, rest) = left.into_iter().partition::<Vec<usize>, _>(|r| later(rows, part[i], *r).is_some());
            left = rest;
            part.extend(met);
            i += 1;
        }
        if part.len() > best.len() {
            best = part;
        }
    }
    best.sort_unstable();
    best
}

struct Arrival {
    row: usize,
    mic: usize,
    home: usize,
    metres: f64,
    sigma: f64,
}

struct Problem {
    rows: usize,
    /// Tracks with a place, by index.
    mics: Vec<usize>,
    /// Row each of them stands at.
    near: Vec<Option<usize>>,
    arrivals: Vec<Arrival>,
    start: Vec<f64>,
}

impl Problem {
    /// None without bleed both ways between at least two sources.
    fn of(case: &Case) -> Option<Self> {
        let rows = &case.table.rows;
        let in_air = |m: usize| case.tracks[m].role != Role::Direct;
        let heard = |m: usize| rows.iter().any(|r| r.cells[m].lag_frames.is_some());
        let mics: Vec<usize> = (0..case.tracks.len()).filter(|m| in_air(*m) && heard(*m)).collect();
        let used = together(rows, in_air);
        if used.len() < 2 || used.len() * 3 + mics.len() * 4 > MOST {
            return None;
        }
        let place = |m: usize| mics.iter().position(|x| *x == m);
        let near = mics.iter().map(|m| used.iter().position(|r| rows[*r].members.contains(m))).collect();
        let metres = SPEED_M_S / case.rate_hz;
        let late = latencies(rows);
        let mut arrivals = Vec::new();
        for (row, r) in used.iter().map(|r| &rows[*r]).enumerate() {
            for (i, &m) in mics.iter().enumerate() {
                let cell = &r.cells[m];
                let (Some(lag), true) = (cell.lag_frames, m != r.home) else { continue };
                let sigma = if cell.verdict == Verdict::Solid { SOLID_M } else { LIKELY_M };
                arrivals.push(Arrival { row, mic: i, home: place(r.home)?, metres: lag * metres, sigma });
            }
        }
        let mut p = Self { rows: used.len(), mics, near, arrivals, start: Vec::new() };
        let rows: Vec<&Row> = used.iter().map(|r| &rows[*r]).collect();
        let late: Vec<f64> = used.iter().map(|r| late[*r].unwrap_or(0.0)).collect();
        p.start = p.first_guess(&rows, &late, metres)?;
        Some(p)
    }

    fn source(&self, row: usize) -> usize {
        row * 3
    }

    fn mic(&self, i: usize) -> usize {
        (self.rows + i) * 3
    }

    fn late(&self, i: usize) -> usize {
        (self.rows + self.mics.len()) * 3 + i
    }

    /// The session's usual distance of near microphones.
    fn habit(&self) -> usize {
        self.late(self.mics.len())
    }

    fn len(&self) -> usize {
        self.habit() + 1
    }

    /// Sources by classical scaling of the distances both ways (Torgerson, Psychometrika 1952), far microphones where
    /// they fit best on rings about the stage.
    fn first_guess(&self, rows: &[&Row], late: &[f64], metres: f64) -> Option<Vec<f64>> {
        let n = self.rows;
        let mut d = DMatrix::from_element(n, n, f64::NAN);
        for i in 0..n {
            d[(i, i)] = 0.0;
            for k in 0..n {
                let both = rows[i].cells[rows[k].home].lag_frames.zip(rows[k].cells[rows[i].home].lag_frames);
                if let (Some((a, b)), true) = (both, i != k) {
                    d[(i, k)] = ((a + b) * 0.5 * metres).clamp(0.3, 40.0);
                }
            }
        }
        // What is not measured is as long as the way round by the others.
        for via in 0..n {
            for i in 0..n {
                for k in 0..n {
                    let round = d[(i, via)] + d[(via, k)];
                    if d[(i, k)].is_nan() && !round.is_nan() {
                        d[(i, k)] = round * 0.8;
                    }
                }
            }
        }
        if d.iter().any(|v| v.is_nan()) {
            return None;
        }
        let square = d.map(|v| v * v);
        let mean = square.mean();
        let by_row: Vec<f64> = (0..n).map(|i| square.row(i).mean()).collect();
        let gram = DMatrix::from_fn(n, n, |i, k| -0.5 * (square[(i, k)] - by_row[i] - by_row[k] + mean));
        let eigen = SymmetricEigen::new(gram);
        let mut order: Vec<usize> = (0..n).collect();
        order.sort_by(|a, b| eigen.eigenvalues[*b].total_cmp(&eigen.eigenvalues[*a]));
        let mut x = vec![0f64; self.len()];
        x[self.habit()] = NEAR_M;
        for i in 0..n {
            for (axis, &e) in order.iter().take(2).enumerate() {
                x[self.source(i) + axis] = eigen.eigenvectors[(i, e)] * eigen.eigenvalues[e].max(0.01).sqrt();
            }
        }
        for i in 0..self.mics.len() {
            if let Some(row) = self.near[i] {
                // Off the source by a hand's breadth, each in its own direction.
                let turn = i as f64 * 2.4;
                (x[self.mic(i)], x[self.mic(i) + 1], x[self.mic(i) + 2]) = (0.17 * turn.cos(), 0.17 * turn.sin(), 0.1);
                let own = &rows[row];
                let lag = own.cells[self.mics[i]].lag_frames.unwrap_or(0.0);
                let home = late[row];
                let far_off = (lag.abs() * metres > 0.6).then_some(lag).unwrap_or(0.0);
                x[self.late(i)] = (home + far_off) * metres;
            }
        }
        for i in (0..self.mics.len()).filter(|i| self.near[*i].is_none()) {
            let mine: Vec<&Arrival> = self.arrivals.iter().filter(|a| a.mic == i).collect();
            let mut best = (f64::INFINITY, [0.0; 3]);
            for ring in [1.0, 2.5, 4.0, 6.0, 9.0, 13.0] {
                for step in 0..24 {
                    let turn = f64::from(step) * std::f64::consts::TAU / 24.0;
                    let at = [ring * turn.cos(), ring * turn.sin(), ABOVE_M];
                    x[self.mic(i)..self.mic(i) + 3].copy_from_slice(&at);
                    let cost = mine.iter().map(|a| (self.residual(&x, a) / 0.5).powi(2).ln_1p()).sum::<f64>();
                    if cost < best.0 {
                        best = (cost, at);
                    }
                }
            }
            x[self.mic(i)..self.mic(i) + 3].copy_from_slice(&best.1);
        }
        Some(x)
    }

    fn place(&self, x: &[f64], i: usize) -> [f64; 3] {
        let at = self.mic(i);
        let own = self.near[i].map_or([0.0; 3], |r| [x[r * 3], x[r * 3 + 1], x[r * 3 + 2]]);
        [0, 1, 2].map(|a| x[at + a] + own[a])
    }

    fn way(&self, x: &[f64], row: usize, i: usize) -> ([f64; 3], f64) {
        let (s, m) = (self.source(row), self.place(x, i));
        let d = [0, 1, 2].map(|a| m[a] - x[s + a]);
        let length = d.iter().map(|v| v * v).sum::<f64>().sqrt().max(0.01);
        (d.map(|v| v / length), length)
    }

    fn residual(&self, x: &[f64], a: &Arrival) -> f64 {
        let there = self.way(x, a.row, a.mic).1 - self.way(x, a.row, a.home).1;
        there + x[self.late(a.mic)] - x[self.late(a.home)] - a.metres
    }

    /// Sum of the losses.
    fn cost(&self, x: &[f64]) -> f64 {
        let arrivals: f64 = self.arrivals.iter().map(|a| (self.residual(x, a) / a.sigma).powi(2).ln_1p()).sum();
        let known: f64 = self.beliefs().map(|(at, value, sigma)| ((x[at] - value) / sigma).powi(2)).sum();
        let late: f64 = (0..self.mics.len()).map(|i| (x[self.late(i)] / ON_TIME_M).powi(2).ln_1p()).sum();
        let near: f64 = self.spacings(x).map(|(_, _, off)| (off / NEAR_OFF_M).powi(2)).sum();
        arrivals + known + late + near
    }

    /// Near microphones: first unknown of the place, direction from the source, and how far off the usual distance.
    fn spacings(&self, x: &[f64]) -> impl Iterator<Item = (usize, [f64; 3], f64)> {
        (0..self.mics.len()).filter(|i| self.near[*i].is_some()).map(move |i| {
            let at = self.mic(i);
            let o = [x[at], x[at + 1], x[at + 2]];
            let length = o.iter().map(|v| v * v).sum::<f64>().sqrt().max(1e-3);
            (at, o.map(|v| v / length), length - x[self.habit()])
        })
    }

    /// What is believed beforehand: which unknown, its value, and how far it may be off.
    fn beliefs(&self) -> impl Iterator<Item = (usize, f64, f64)> {
        let sources = (0..self.rows)
            .flat_map(|r| [(0, 0.0, 20.0), (1, 0.0, 20.0), (2, 0.0, FLAT_M)].map(|(a, v, s)| (r * 3 + a, v, s)));
        let mics = (0..self.mics.len()).flat_map(|i| {
            let at = self.mic(i);
            match self.near[i] {
                Some(_) => [0, 1, 2].map(|a| (at + a, 0.0, 2.0)),
                None => [(at, 0.0, 20.0), (at + 1, 0.0, 20.0), (at + 2, ABOVE_M, 1.0)],
            }
        });
        sources.chain(mics).chain([(self.habit(), NEAR_M, HABIT_OFF_M)])
    }

    /// The unknowns and their standard deviations.
    fn solve(&self) -> Option<(Vec<f64>, Vec<f64>)> {
        let starts = if self.len() > 150 { 1 } else { STARTS };
        let tries = (0..starts).filter_map(|i| self.solve_from(self.turned(i)));
        tries.min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, x, sigma)| (x, sigma))
    }

    /// The first guess with near microphones on other sides of their sources.
    fn turned(&self, nth: usize) -> Vec<f64> {
        let mut x = self.start.clone();
        for i in (0..self.mics.len()).filter(|i| self.near[*i].is_some()) {
            let turn = i as f64 * 2.4 + nth as f64 * (1.1 + 0.7 * i as f64);
            let up = 0.1 - 0.2 * (nth % 2) as f64;
            let at = self.mic(i);
            (x[at], x[at + 1], x[at + 2]) = (0.17 * turn.cos(), 0.17 * turn.sin(), up);
        }
        x
    }

    fn solve_from(&self, mut x: Vec<f64>) -> Option<(f64, Vec<f64>, Vec<f64>)> {
        let n = self.len();
        let mut cost = self.cost(&x);
        let mut damping = 1e-2;
        let mut normal = DMatrix::zeros(n, n);
        for _ in 0..ROUNDS {
            let (a, g) = self.equations(&x);
            normal.copy_from(&a);
            let mut moved = false;
            for _ in 0..8 {
                let mut damped = a.clone();
                for i in 0..n {
                    damped[(i, i)] += damping * (1.0 + a[(i, i)]);
                }
                let Some(step) = damped.cholesky().map(|c| c.solve(&g)) else {
                    damping *= 10.0;
                    continue;
                };
                let next: Vec<f64> = x.iter().zip(step.iter()).map(|(x, s)| x - s).collect();
                let now = self.cost(&next);
                if now < cost {
                    moved = cost - now > 1e-7 * cost;
                    (x, cost) = (next, now);
                    damping = (damping * 0.3).max(1e-9);
                    break;
                }
                damping *= 5.0;
            }
            if !moved {
                break;
            }
        }
        for i in 0..n {
            normal[(i, i)] += 1e-6;
        }
        // A near microphone's place is bounded all round by its distance, not only along it.
        for i in (0..self.mics.len()).filter(|i| self.near[*i].is_some()) {
            for axis in 0..3 {
                let at = self.mic(i) + axis;
                normal[(at, at)] += 1.0 / (NEAR_M * NEAR_M);
            }
        }
        let inverse = normal.cholesky()?.inverse();
        let sigma = (0..n).map(|i| inverse[(i, i)].max(0.0).sqrt()).collect();
        Some((cost, x, sigma))
    }

    /// Normal equations and gradient, with the weights that the residuals have now.
    fn equations(&self, x: &[f64]) -> (DMatrix<f64>, DVector<f64>) {
        let n = self.len();
        let (mut a, mut g) = (DMatrix::zeros(n, n), DVector::zeros(n));
        let mut add = |terms: &[(usize, f64)], residual: f64, weight: f64| {
            for &(i, di) in terms {
                g[i] += weight * di * residual;
                for &(k, dk) in terms {
                    a[(i, k)] += weight * di * dk;
                }
            }
        };
        for arrival in &self.arrivals {
            let mut terms: Vec<(usize, f64)> = Vec::with_capacity(17);
            for (mic, sign) in [(arrival.mic, 1.0), (arrival.home, -1.0)] {
                let (toward, _) = self.way(x, arrival.row, mic);
                for axis in 0..3 {
                    terms.push((self.source(arrival.row) + axis, -sign * toward[axis]));
                    terms.push((self.mic(mic) + axis, sign * toward[axis]));
                    if let Some(row) = self.near[mic] {
                        terms.push((self.source(row) + axis, sign * toward[axis]));
                    }
                }
                terms.push((self.late(mic), sign));
            }
            let r = self.residual(x, arrival);
            let s2 = arrival.sigma * arrival.sigma;
            add(&terms, r, 1.0 / (s2 + r * r));
        }
        for (at, value, sigma) in self.beliefs() {
            add(&[(at, 1.0)], x[at] - value, 1.0 / (sigma * sigma));
        }
        for (at, toward, off) in self.spacings(x) {
            let [a, b, c] = [0, 1, 2].map(|a| (at + a, toward[a]));
            add(&[a, b, c, (self.habit(), -1.0)], off, 1.0 / (NEAR_OFF_M * NEAR_OFF_M));
        }
        for i in 0..self.mics.len() {
            let l = x[self.late(i)];
            add(&[(self.late(i), 1.0)], l, 1.0 / (ON_TIME_M * ON_TIME_M + l * l));
        }
        (a, g)
    }
}
