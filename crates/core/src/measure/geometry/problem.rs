//! Unknowns, what is known of them, and how far both are apart.

use super::{SPEED_M_S, together};
use crate::measure::Verdict;
use crate::measure::arrival::Row;
use crate::measure::consistent::middle;
use crate::measure::session::Role;
use crate::units::SampleRate;

/// What a solid and a probable arrival are good for.
const SOLID_M: f64 = 0.02;
const LIKELY_M: f64 = 0.06;
/// Usual distance of a near microphone from its source; how far a session's habit may be off it, and a microphone off the
/// session's habit.
pub const NEAR_M: f64 = 0.28;
const HABIT_OFF_M: f64 = 0.15;
const NEAR_OFF_M: f64 = 0.1;
/// Standard deviation of a near distance that levels and habit tell together, as part of it.
const BY_LEVEL: f64 = 0.5;
/// Levels of a distant source are more room than distance: the deviation is never more than this.
const BY_LEVEL_MOST_M: f64 = 0.1;
/// Usual differences in height among sources; height of far microphones over them.
const FLAT_M: f64 = 0.3;
pub const ABOVE_M: f64 = 1.2;
/// How large a latency may be.
const LATE_M: f64 = 10.0;
/// Levels say nothing of a distance that fewer pairs tell.
const FEW_LEVELS: usize = 4;
/// More unknowns than this are not solved for; the median of the ways both ways must do.
const MOST: usize = 600;

pub struct Arrival {
    pub row: usize,
    pub mic: usize,
    pub home: usize,
    pub metres: f64,
    pub solid: bool,
}

impl Arrival {
    pub fn sigma(&self) -> f64 {
        if self.solid { SOLID_M } else { LIKELY_M }
    }
}

pub struct Problem {
    /// Rows with a place, by index.
    pub used: Vec<usize>,
    /// Tracks with a place, by index.
    pub mics: Vec<usize>,
    /// Row each of them stands at.
    pub near: Vec<Option<usize>>,
    /// Which of them are homes.
    pub is_home: Vec<bool>,
    /// Distance of near microphones as their levels tell it, once everything has a place.
    pub told: Vec<Option<f64>>,
    /// Level of every source in every microphone, as the logarithm of an amplitude; NaN where it is not known.
    pub levels: Vec<Vec<f64>>,
    pub arrivals: Vec<Arrival>,
    pub start: Vec<f64>,
}

/// Arrivals that are left out for a while: they may all have gone wrong alike, by one wall or one louder player.
#[derive(Debug, Clone, Copy)]
pub enum Without {
    /// Those of other sources in a microphone.
    Into(usize),
    /// Those of a microphone's own source elsewhere.
    From(usize),
}

/// A near microphone's distance from its source, against what it should be.
pub struct Spacing {
    /// First unknown of its place.
    pub at: usize,
    /// Direction from the source.
    pub toward: [f64; 3],
    /// Too far by this.
    pub off: f64,
    /// How much of a change of the habit it should follow.
    pub follows: f64,
    /// How far off is usual.
    pub sigma: f64,
}

/// What a descent goes by.
pub struct Stance<'a> {
    pub loose: &'a [bool],
    /// By how much the losses are wider than they should be.
    pub wide: f64,
    pub without: Option<Without>,
}

impl Problem {
    pub fn of(rows: &[Row], roles: &[Role], rate: SampleRate) -> Option<Self> {
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
        let is_home = mics.iter().map(|m| of.iter().any(|r| r.home == *m)).collect();
        let level = |r: &Row, m: usize| Some(r.level(m)).filter(|l| *l > 0.0).map_or(f64::NAN, |l| 0.5 * l.ln());
        let levels = of.iter().map(|r| mics.iter().map(|m| level(r, *m)).collect()).collect();
        let told = vec![None; mics.len()];
        let mut p = Self { mics, near, is_home, told, levels, arrivals, start: Vec::new(), used: used.clone() };
        p.start = p.first_guess(&of, metres)?;
        Some(p)
    }

    pub fn source(&self, row: usize) -> usize {
        row * 3
    }

    pub fn mic(&self, i: usize) -> usize {
        (self.used.len() + i) * 3
    }

    /// The session's usual distance of near microphones.
    pub fn habit(&self) -> usize {
        (self.used.len() + self.mics.len()) * 3
    }

    /// Latencies come last: those that are tied are no unknowns.
    pub fn late(&self, i: usize) -> usize {
        self.habit() + 1 + i
    }

    pub fn len(&self) -> usize {
        self.late(self.mics.len())
    }

    pub fn place(&self, x: &[f64], i: usize) -> [f64; 3] {
        let at = self.mic(i);
        let own = self.near[i].map_or([0.0; 3], |r| [x[r * 3], x[r * 3 + 1], x[r * 3 + 2]]);
        [0, 1, 2].map(|a| x[at + a] + own[a])
    }

    pub fn way(&self, x: &[f64], row: usize, i: usize) -> ([f64; 3], f64) {
        let (s, m) = (self.source(row), self.place(x, i));
        let d = [0, 1, 2].map(|a| m[a] - x[s + a]);
        let length = d.iter().map(|v| v * v).sum::<f64>().sqrt().max(0.01);
        (d.map(|v| v / length), length)
    }

    pub fn residual(&self, x: &[f64], a: &Arrival) -> f64 {
        let there = self.way(x, a.row, a.mic).1 - self.way(x, a.row, a.home).1;
        there + x[self.late(a.mic)] - x[self.late(a.home)] - a.metres
    }

    /// What a residual changes by with each unknown.
    pub fn slopes(&self, x: &[f64], arrival: &Arrival) -> Vec<(usize, f64)> {
        let mut terms = Vec::with_capacity(17);
        for (mic, sign) in [(arrival.mic, 1.0), (arrival.home, -1.0)] {
            let (toward, _) = self.way(x, arrival.row, mic);
            for axis in 0..3 {
                let slope = sign * toward[axis];
                terms.push((self.mic(mic) + axis, slope));
                // A microphone at this very source moves with it.
                if self.near[mic] != Some(arrival.row) {
                    terms.push((self.source(arrival.row) + axis, -slope));
                    terms.extend(self.near[mic].map(|row| (self.source(row) + axis, slope)));
                }
            }
            terms.push((self.late(mic), sign));
        }
        terms
    }

    /// Sum of the losses.
    pub fn cost(&self, x: &[f64], stance: &Stance) -> f64 {
        let (loose, wide) = (stance.loose, stance.wide);
        let loss = |a: &Arrival| wide * wide * (self.residual(x, a) / (a.sigma() * wide)).powi(2).ln_1p();
        let arrivals: f64 = self.heeded(stance).map(loss).sum();
        let known: f64 = self.beliefs(loose).map(|(at, value, sigma)| ((x[at] - value) / sigma).powi(2)).sum();
        let near: f64 = self.spacings(x).map(|s| (s.off / s.sigma).powi(2)).sum();
        arrivals + known + near
    }

    /// Arrivals that count.
    pub fn heeded<'a>(&'a self, stance: &'a Stance) -> impl Iterator<Item = &'a Arrival> {
        self.arrivals.iter().filter(|a| match stance.without {
            None => true,
            Some(Without::Into(mic)) => a.mic != mic || self.near[mic] == Some(a.row),
            Some(Without::From(mic)) => a.home != mic,
        })
    }

    /// How far near microphones are off the distance that they should have.
    pub fn spacings(&self, x: &[f64]) -> impl Iterator<Item = Spacing> {
        (0..self.mics.len()).filter(|i| self.near[*i].is_some()).map(move |i| {
            let at = self.mic(i);
            let o = [x[at], x[at + 1], x[at + 2]];
            let length = o.iter().map(|v| v * v).sum::<f64>().sqrt().max(1e-3);
            let habit = x[self.habit()].max(0.02);
            // Levels and habit count alike: their geometric mean.
            let (should, follows, sigma) = match self.told[i] {
                Some(told) => {
                    let should = (told * habit).sqrt();
                    (should, 0.5 * should / habit, (BY_LEVEL * (told * NEAR_M).sqrt()).min(BY_LEVEL_MOST_M))
                }
                None => (habit, 1.0, NEAR_OFF_M),
            };
            Spacing { at, toward: o.map(|v| v / length), off: length - should, follows, sigma }
        })
    }

    /// What levels say of the distance of every near microphone. Of two sources in two microphones, all four levels together
    /// leave gains and loudness out; what remains is the four distances (spherical spreading), of which three are known well
    /// from the places. The median over all such pairs.
    pub fn tell_by_level(&mut self, x: &[f64]) {
        let way = |row: usize, mic: usize| self.way(x, row, mic).1.ln();
        let mut told = vec![None; self.mics.len()];
        for (h, told) in told.iter_mut().enumerate() {
            let Some(own) = self.near[h] else { continue };
            let mut says = Vec::new();
            for other in (0..self.used.len()).filter(|o| *o != own) {
                for there in (0..self.mics.len()).filter(|k| ![Some(own), Some(other)].contains(&self.near[*k])) {
                    let level = |row: usize, mic: usize| self.levels[row][mic] + way(row, mic);
                    let louder = self.levels[own][h] - level(other, h) - level(own, there) + level(other, there);
                    says.extend(Some(-louder).filter(|l| !l.is_nan()));
                }
            }
            if says.len() >= FEW_LEVELS {
                *told = middle(&mut says).map(|l| l.exp().clamp(0.02, 0.8));
            }
        }
        self.told = told;
    }

    /// What is believed beforehand: which unknown, its value, and how far it may be off.
    pub fn beliefs(&self, loose: &[bool]) -> impl Iterator<Item = (usize, f64, f64)> {
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
}
