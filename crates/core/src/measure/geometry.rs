//! Where sources and microphones stand and how late each one is, so that all arrivals of the table are explained at once.
//!
//! Every arrival is a difference of two distances plus a difference of two latencies. Unknown are the places of sources and
//! microphones and the latencies; known beforehand is that near microphones stand near their sources, that stages are flat,
//! and that most latencies are nothing. Damped least squares (Marquardt, SIAM J. Appl. Math. 1963), every residual reweighed by
//! a Cauchy loss, so that a reflection taken for the direct sound does not bend the rest. Lengths in metres.

use super::Verdict;
use super::arrival::Row;
use super::consistent::{later, middle};
use super::session::Role;
use crate::units::SampleRate;
use nalgebra::{DMatrix, DVector, SymmetricEigen};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

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
/// How large a latency may be.
const LATE_M: f64 = 10.0;
/// What a latency must explain to be believed: twice the logarithm of how much likelier it makes the arrivals.
const WORTH: f64 = 10.0;
/// A latency is looked for where the ways both ways differ by this.
const HINT_M: f64 = 0.2;
/// Latencies tried in earnest at each step.
const TRIED: usize = 3;
/// Rounds of the search.
const ROUNDS: usize = 25;
/// Losses are this much more patient at first.
const WIDE: [f64; 3] = [20.0, 4.0, 1.0];
/// A round that explains no more than this is the last.
const SETTLED: f64 = 0.03;
/// Beginnings tried, with near microphones on other sides of their sources.
const STARTS: usize = 6;
/// Cost an arrival at which the first beginning is good enough.
const GOOD: f64 = 0.7;
/// More unknowns than this are not solved for; the median of the ways both ways must do.
const MOST: usize = 600;

/// What one microphone's path adds to the way of the sound.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Late {
    /// Frames later than the sound; 0 for a microphone that is on time.
    pub frames: f64,
    /// Its standard deviation in frames.
    pub sigma_frames: f64,
    /// How much worse the arrivals are explained without it, as twice the logarithm of a likelihood; 0 when on time.
    pub worth: f64,
    /// Sources whose arrivals the answer rests on.
    pub sources: usize,
    /// Sources other than its own that reach it clearly. Where none does, the room may have held all of them back alike.
    pub clear: usize,
}

/// Everything in its place.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Placed {
    /// A track each; none where nothing determines it.
    pub late: Vec<Option<Late>>,
    /// Lag in frames at which each row should reach each track, and its standard deviation; none for rows and tracks without
    /// a place.
    pub expected: Vec<Vec<Option<(f64, f64)>>>,
    found: Found,
}

/// Where everything was found, to begin with again.
#[derive(Debug, Clone, PartialEq, Default)]
struct Found {
    used: Vec<usize>,
    mics: Vec<usize>,
    x: Vec<f64>,
    loose: Vec<bool>,
}

/// Places sources and microphones. None without bleed both ways between at least two sources. `before` is what was found
/// before some cells changed; the search then begins there.
pub fn place(rows: &[Row], roles: &[Role], rate: SampleRate, before: Option<&Placed>) -> Option<Placed> {
    let problem = Problem::of(rows, roles, rate)?;
    let same = |b: &&Found| b.used == problem.used && b.mics == problem.mics;
    let begin = before.map(|b| &b.found).filter(same).map(|b| (b.x.clone(), b.loose.clone()));
    let fit = problem.solve(begin)?;
    let spread = problem.covariance(&fit)?;
    let scale = rate.hz_f64() / SPEED_M_S;
    let (used, mics) = (problem.used.clone(), problem.mics.clone());
    let mut placed = Placed {
        late: vec![None; roles.len()],
        expected: vec![vec![None; roles.len()]; rows.len()],
        found: Found { used, mics, x: fit.x.clone(), loose: fit.loose.clone() },
    };
    for (i, &m) in problem.mics.iter().enumerate() {
        let at = problem.late(i);
        placed.late[m] = Some(Late {
            frames: fit.x[at] * scale,
            sigma_frames: spread[(at, at)].max(0.0).sqrt() * scale,
            worth: fit.worth[i],
            sources: problem.arrivals.iter().filter(|a| a.mic == i).count(),
            clear: problem.arrivals.iter().filter(|a| a.mic == i && a.solid && problem.near[i] != Some(a.row)).count(),
        });
        for (row, &r) in problem.used.iter().enumerate() {
            let home = problem.mics.iter().position(|x| *x == rows[r].home);
            let arrival = home.map(|home| Arrival { row, mic: i, home, metres: 0.0, solid: false });
            placed.expected[r][m] = arrival.map(|a| {
                let terms = problem.slopes(&fit.x, &a);
                let of = |&(i, di): &(usize, f64)| terms.iter().map(|(k, dk)| di * dk * spread[(i, *k)]).sum::<f64>();
                (problem.residual(&fit.x, &a) * scale, terms.iter().map(of).sum::<f64>().max(0.0).sqrt() * scale)
            });
        }
    }
    Some(placed)
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
    solid: bool,
}

impl Arrival {
    fn sigma(&self) -> f64 {
        if self.solid { SOLID_M } else { LIKELY_M }
    }
}

/// Unknowns and free latencies to begin with.
type Begin = (Vec<f64>, Vec<bool>);

struct Problem {
    /// Rows with a place, by index.
    used: Vec<usize>,
    /// Tracks with a place, by index.
    mics: Vec<usize>,
    /// Row each of them stands at.
    near: Vec<Option<usize>>,
    arrivals: Vec<Arrival>,
    start: Vec<f64>,
}

/// Arrivals that are left out for a while: they may all have gone wrong alike, by one wall or one louder player.
#[derive(Debug, Clone, Copy)]
enum Without {
    /// Those of other sources in a microphone.
    Into(usize),
    /// Those of a microphone's own source elsewhere.
    From(usize),
}

/// What a descent goes by.
struct Stance<'a> {
    loose: &'a [bool],
    /// By how much the losses are wider than they should be.
    wide: f64,
    without: Option<Without>,
}

/// Which latencies are free, where everything stands, and what the fit leaves.
#[derive(Clone)]
struct Fit {
    loose: Vec<bool>,
    /// What each loose latency is worth.
    worth: Vec<f64>,
    x: Vec<f64>,
    cost: f64,
}

impl Problem {
    fn of(rows: &[Row], roles: &[Role], rate: SampleRate) -> Option<Self> {
        let in_air = |m: usize| roles[m] != Role::Direct;
        let heard = |m: usize| rows.iter().any(|r| r.cells[m].lag_frames.is_some());
        let mics: Vec<usize> = (0..roles.len()).filter(|m| in_air(*m) && heard(*m)).collect();
        let used = together(rows, in_air);
        if used.len() < 2 || used.len() * 3 + mics.len() * 4 > MOST {
            return None;
        }
        let place = |m: usize| mics.iter().position(|x| *x == m);
        let near = mics.iter().map(|m| used.iter().position(|r| rows[*r].members.contains(m))).collect();
        let metres = SPEED_M_S / rate.hz_f64();
        let mut arrivals = Vec::new();
        for (row, r) in used.iter().map(|r| &rows[*r]).enumerate() {
            for (i, &m) in mics.iter().enumerate() {
                let cell = &r.cells[m];
                let (Some(lag), true) = (cell.lag_frames, m != r.home) else { continue };
                let solid = cell.verdict == Verdict::Solid;
                arrivals.push(Arrival { row, mic: i, home: place(r.home)?, metres: lag * metres, solid });
            }
        }
        let of: Vec<&Row> = used.iter().map(|r| &rows[*r]).collect();
        let mut p = Self { mics, near, arrivals, start: Vec::new(), used: used.clone() };
        p.start = p.first_guess(&of, metres)?;
        Some(p)
    }

    fn source(&self, row: usize) -> usize {
        row * 3
    }

    fn mic(&self, i: usize) -> usize {
        (self.used.len() + i) * 3
    }

    /// The session's usual distance of near microphones.
    fn habit(&self) -> usize {
        (self.used.len() + self.mics.len()) * 3
    }

    /// Latencies come last: those that are tied are no unknowns.
    fn late(&self, i: usize) -> usize {
        self.habit() + 1 + i
    }

    fn len(&self) -> usize {
        self.late(self.mics.len())
    }

    /// Where each unknown stands in the equations; none for tied latencies.
    fn slots(&self, loose: &[bool]) -> Vec<Option<usize>> {
        let mut next = self.late(0);
        let latencies = loose.iter().map(|l| {
            next += usize::from(*l);
            l.then(|| next - 1)
        });
        (0..self.late(0)).map(Some).chain(latencies).collect()
    }

    /// Sources by classical scaling of the distances both ways (Torgerson, Psychometrika 1952), far microphones where
    /// they fit best on rings about the stage.
    fn first_guess(&self, rows: &[&Row], metres: f64) -> Option<Vec<f64>> {
        let n = self.used.len();
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
            if self.near[i].is_some() {
                // Off the source by a hand's breadth, each in its own direction.
                let turn = i as f64 * 2.4;
                (x[self.mic(i)], x[self.mic(i) + 1], x[self.mic(i) + 2]) = (0.17 * turn.cos(), 0.17 * turn.sin(), 0.1);
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

    /// What a residual changes by with each unknown.
    fn slopes(&self, x: &[f64], arrival: &Arrival) -> Vec<(usize, f64)> {
        let mut terms = Vec::with_capacity(20);
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
        terms
    }

    /// Sum of the losses.
    fn cost(&self, x: &[f64], stance: &Stance) -> f64 {
        let (loose, wide) = (stance.loose, stance.wide);
        let loss = |a: &Arrival| wide * wide * (self.residual(x, a) / (a.sigma() * wide)).powi(2).ln_1p();
        let arrivals: f64 = self.heeded(stance).map(loss).sum();
        let known: f64 = self.beliefs(loose).map(|(at, value, sigma)| ((x[at] - value) / sigma).powi(2)).sum();
        let near: f64 = self.spacings(x).map(|(_, _, off)| (off / NEAR_OFF_M).powi(2)).sum();
        arrivals + known + near
    }

    /// Arrivals that count.
    fn heeded<'a>(&'a self, stance: &'a Stance) -> impl Iterator<Item = &'a Arrival> {
        self.arrivals.iter().filter(|a| match stance.without {
            None => true,
            Some(Without::Into(mic)) => a.mic != mic || self.near[mic] == Some(a.row),
            Some(Without::From(mic)) => a.home != mic,
        })
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
    fn beliefs(&self, loose: &[bool]) -> impl Iterator<Item = (usize, f64, f64)> {
        let sources = (0..self.used.len())
            .flat_map(|r| [(0, 0.0, 20.0), (1, 0.0, 20.0), (2, 0.0, FLAT_M)].map(|(a, v, s)| (r * 3 + a, v, s)));
        let mics = (0..self.mics.len()).flat_map(|i| {
            let at = self.mic(i);
            match self.near[i] {
                Some(_) => [0, 1, 2].map(|a| (at + a, 0.0, 2.0)),
                None => [(at, 0.0, 20.0), (at + 1, 0.0, 20.0), (at + 2, ABOVE_M, 1.0)],
            }
        });
        let late = (0..loose.len()).filter(|i| loose[*i]).map(|i| (self.late(i), 0.0, LATE_M));
        sources.chain(mics).chain(late).chain([(self.habit(), NEAR_M, HABIT_OFF_M)])
    }

    /// Frees one latency after another as long as that explains much, and ties again what turns out not to be needed.
    fn solve(&self, begin: Option<Begin>) -> Option<Fit> {
        let none = vec![false; self.mics.len()];
        let again = begin.is_some();
        let mut best = self.best_of(vec![begin.unwrap_or_else(|| (self.turned(0), none.clone()))])?;
        // What explains nearly all of it need not be looked for from other sides.
        if !again && best.cost > GOOD * self.arrivals.len() as f64 {
            let others = (1..STARTS).map(|n| (self.turned(n), none.clone())).collect();
            best = [Some(best), self.best_of(others)].into_iter().flatten().min_by(|a, b| a.cost.total_cmp(&b.cost))?;
        }
        while let Some(better) = self.freed(&best) {
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

    /// The best fit with one more latency free; none when not enough is gained.
    fn freed(&self, now: &Fit) -> Option<Fit> {
        let mut hints: Vec<(usize, f64)> =
            (0..self.mics.len()).filter(|i| !now.loose[*i]).filter_map(|i| Some((i, self.hint(&now.x, i)?))).collect();
        hints.retain(|h| h.1.abs() > HINT_M);
        hints.sort_by(|a, b| b.1.abs().total_cmp(&a.1.abs()));
        let begin = hints.into_iter().take(TRIED).flat_map(|(i, late)| {
            let (mut x, mut loose) = (now.x.clone(), now.loose.clone());
            (x[self.late(i)], loose[i]) = (late, true);
            self.beginnings(&x, &loose)
        });
        self.best_of(begin.collect()).filter(|best| now.cost - best.cost > WORTH)
    }

    /// What the ways both ways, and for a second microphone at a source the distance to the first, say of one latency.
    fn hint(&self, x: &[f64], i: usize) -> Option<f64> {
        let row = self.near[i]?;
        let mut says: Vec<f64> = self
            .arrivals
            .iter()
            .filter(|a| a.mic == i)
            .filter_map(|there| {
                if there.row == row {
                    return Some(there.metres + x[self.late(there.home)]);
                }
                // A late home hears its own source late, and so seems to be reached early by it elsewhere.
                let back = self.arrivals.iter().find(|a| a.home == i && a.mic == there.home)?;
                Some((there.metres - back.metres) / 2.0 + x[self.late(there.home)])
            })
            .collect();
        middle(&mut says)
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

    /// Damped steps to the bottom; the cost there.
    fn descend(&self, x: &mut Vec<f64>, stance: &Stance) -> f64 {
        let slots = self.slots(stance.loose);
        let mut cost = self.cost(x, stance);
        let mut damping = 1e-2;
        for _ in 0..ROUNDS {
            let (a, g) = self.equations(x, stance, &slots);
            let mut moved = false;
            for _ in 0..6 {
                let mut damped = a.clone();
                for i in 0..g.len() {
                    damped[(i, i)] += damping * (1.0 + a[(i, i)]);
                }
                let Some(step) = damped.cholesky().map(|c| c.solve(&g)) else {
                    damping *= 10.0;
                    continue;
                };
                let next: Vec<f64> = x.iter().zip(&slots).map(|(x, s)| x - s.map_or(0.0, |s| step[s])).collect();
                let now = self.cost(&next, stance);
                if now < cost {
                    moved = cost - now > SETTLED * stance.wide;
                    (*x, cost) = (next, now);
                    damping = (damping * 0.3).max(1e-9);
                    break;
                }
                damping *= 6.0;
            }
            if !moved {
                break;
            }
        }
        cost
    }

    /// Covariance of the unknowns; nothing for tied latencies.
    fn covariance(&self, fit: &Fit) -> Option<DMatrix<f64>> {
        let slots = self.slots(&fit.loose);
        let (mut normal, g) = self.equations(&fit.x, &Stance { loose: &fit.loose, wide: 1.0, without: None }, &slots);
        for i in 0..g.len() {
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
        let of = |i: usize, k: usize| slots[i].zip(slots[k]).map_or(0.0, |(i, k)| inverse[(i, k)]);
        Some(DMatrix::from_fn(self.len(), self.len(), of))
    }

    /// Lower half of the normal equations, and the gradient, with the weights that the residuals have now.
    fn equations(&self, x: &[f64], stance: &Stance, slots: &[Option<usize>]) -> (DMatrix<f64>, DVector<f64>) {
        let n = slots.iter().flatten().count();
        let (mut a, mut g) = (DMatrix::zeros(n, n), DVector::zeros(n));
        let mut add = |terms: &[(usize, f64)], residual: f64, weight: f64| {
            for &(i, di) in terms {
                let Some(i) = slots[i] else { continue };
                g[i] += weight * di * residual;
                for &(k, dk) in terms {
                    if let Some(k) = slots[k].filter(|k| *k <= i) {
                        a[(i, k)] += weight * di * dk;
                    }
                }
            }
        };
        for arrival in self.heeded(stance) {
            let r = self.residual(x, arrival);
            let s2 = arrival.sigma().powi(2);
            add(&self.slopes(x, arrival), r, 1.0 / (s2 + (r / stance.wide).powi(2)));
        }
        for (at, value, sigma) in self.beliefs(stance.loose) {
            add(&[(at, 1.0)], x[at] - value, 1.0 / (sigma * sigma));
        }
        for (at, toward, off) in self.spacings(x) {
            let [a, b, c] = [0, 1, 2].map(|a| (at + a, toward[a]));
            add(&[a, b, c, (self.habit(), -1.0)], off, 1.0 / (NEAR_OFF_M * NEAR_OFF_M));
        }
        (a, g)
    }
}
