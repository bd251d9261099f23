//! The least-squares problem of places: unknowns, arrivals, and the loss.

use crate::measure::arrival::{Row, later};
use crate::measure::stage::{Fact, LATE_M};
use crate::track::Role;
use crate::units::Conditions;
use crate::verdict::Verdict;

/// Standard deviations of a solid and of a likely arrival.
const SOLID_M: f64 = 0.02;
const LIKELY_M: f64 = 0.06;
/// Usual distance of a near microphone from its source; how far a session's habit may be off it, and a microphone off the
/// session's habit.
pub const NEAR_M: f64 = 0.28;
const HABIT_OFF_M: f64 = 0.15;
pub const NEAR_OFF_M: f64 = 0.1;
/// Usual differences in height among sources; height of far microphones over them.
const FLAT_M: f64 = 0.3;
pub const ABOVE_M: f64 = 1.2;
/// Problems with more unknowns than this are not solved.
const MOST: usize = 600;

/// Cost of assuming that a likely arrival came by a wall (one in thirty does in simulated sessions), and of assuming it for the next one
/// in the same microphone, as twice the logarithm of a likelihood.
const WALL: f64 = 7.0;
const NEXT_BY_IT: f64 = 1.5;
/// Weight of a solid arrival of a microphone's own source, against one of another source.
const OWN_COUNTS: f64 = 2.0;
/// An early microphone costs this factor more than a late one, from this many metres on.
const EARLY: f64 = 8.0;
const EARLY_FROM_M: f64 = 0.1;

/// Standard deviation of a distance that somebody measured.
const TYPED_M: f64 = 0.02;

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

/// An end of a distance.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum End {
    Source(usize),
    Mic(usize),
}

/// A distance that somebody measured.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tie {
    pub ends: [End; 2],
    pub metres: f64,
    /// Seen from above: heights do not count.
    pub flat: bool,
}

pub struct Problem {
    /// Rows with a place, by index.
    pub used: Vec<usize>,
    /// Tracks with a place, by index.
    pub mics: Vec<usize>,
    /// Row each of them stands at.
    pub near: Vec<Option<usize>>,
    /// Near microphones without a row: their source never leads.
    pub alone: Vec<bool>,
    /// Which of them are homes or have a typed distance: they share equations with one another.
    pub joined: Vec<bool>,
    /// What levels tell of each microphone's distance, once everything has a place.
    pub told: Vec<Vec<Told>>,
    /// Direct level of every source in every microphone, as the logarithm of an amplitude; NaN where it is not known.
    pub levels: Vec<Vec<f64>>,
    pub arrivals: Vec<Arrival>,
    pub ties: Vec<Tie>,
    pub start: Vec<f64>,
}

/// Arrivals that are left out on trial, because one wall or one louder player may have made all of them wrong.
#[derive(Debug, Clone, Copy)]
pub enum Without {
    /// Arrivals of other sources in one microphone.
    Into(usize),
    /// Arrivals of a microphone's own source in the others.
    From(usize),
    /// Arrivals in microphones that stand at no source.
    Far,
}

/// A near microphone's distance from its source, against the session's habit.
pub struct Spacing {
    /// First unknown of its place.
    pub at: usize,
    /// Direction from the source.
    pub toward: [f64; 3],
    /// Excess distance in metres.
    pub off: f64,
}

/// A typed distance with its slopes.
pub struct Typed {
    pub slopes: Vec<(usize, f64)>,
    /// Excess distance in metres.
    pub off: f64,
    pub weight: f64,
}

/// The weights of a descent.
pub struct Stance<'a> {
    pub loose: &'a [bool],
    /// Factor on the scale of the losses.
    pub wide: f64,
    pub without: Option<Without>,
}

impl Problem {
    pub fn of(rows: &[Row], roles: &[Role], at: Conditions, facts: &[Fact]) -> Option<Self> {
        let in_air = |m: usize| roles[m] != Role::Direct;
        let heard = |m: usize| rows.iter().any(|r| r.cells[m].lag_frames.is_some());
        let mics: Vec<usize> = (0..roles.len()).filter(|m| in_air(*m) && heard(*m)).collect();
        let used = together(rows, in_air);
        if used.len() < 2 || used.len() * 3 + mics.len() * 4 > MOST {
            return None;
        }
        let place = |m: usize| mics.iter().position(|x| *x == m);
        let near: Vec<Option<usize>> =
            mics.iter().map(|m| used.iter().position(|r| rows[*r].members.contains(m))).collect();
        let at_source = |m: usize| matches!(roles[m], Role::Near | Role::Unknown);
        let alone = mics.iter().zip(&near).map(|(m, near)| near.is_none() && at_source(*m)).collect();
        let metres = at.air.speed_m_s() / at.rate.hz_f64();
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
        let ties = ties(facts, place, &near);
        let tied = |i: usize| ties.iter().any(|t| t.ends.contains(&End::Mic(i)));
        let joined = mics.iter().enumerate().map(|(i, m)| of.iter().any(|r| r.home == *m) || tied(i)).collect();
        let level = |r: &Row, m: usize| r.direct(m).map_or(f64::NAN, f64::ln);
        let levels = of.iter().map(|r| mics.iter().map(|m| level(r, *m)).collect()).collect();
        let told = vec![Vec::new(); mics.len()];
        let mut p =
            Self { mics, near, alone, joined, told, levels, arrivals, ties, start: Vec::new(), used: used.clone() };
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

    /// Latencies come last; tied ones are no unknowns.
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

    /// Derivatives of a residual by each unknown, written into `terms`.
    pub fn slopes(&self, x: &[f64], arrival: &Arrival, terms: &mut Vec<(usize, f64)>) {
        terms.clear();
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
    }

    /// Sum of the losses, with the patterns that fit best.
    pub fn cost(&self, x: &[f64], stance: &Stance) -> f64 {
        self.cost_with(x, stance, &self.patterns(x))
    }

    /// Sum of the losses with these patterns.
    pub fn cost_with(&self, x: &[f64], stance: &Stance, patterns: &[f64]) -> f64 {
        let (loose, wide) = (stance.loose, stance.wide);
        let loss =
            |a: &Arrival| self.counts(a) * wide * wide * (self.residual(x, a) / (a.sigma() * wide)).powi(2).ln_1p();
        let arrivals: f64 = self.heeded(stance).map(loss).sum();
        let known: f64 = self.beliefs(loose).map(|(at, value, sigma)| ((x[at] - value) / sigma).powi(2)).sum();
        let near: f64 = self.spacings(x).map(|s| (s.off / NEAR_OFF_M).powi(2)).sum();
        let tied: f64 = self.typed(x).map(|t| (t.off / TYPED_M).powi(2)).sum();
        arrivals + known + near + tied + self.loudness(x, patterns).map(|l| l.cost).sum::<f64>()
    }

    /// Loss of an arrival. The arrival in a source's own microphone cannot have come by a wall.
    pub fn counts(&self, a: &Arrival) -> f64 {
        if a.solid && self.near[a.mic] == Some(a.row) { OWN_COUNTS } else { 1.0 }
    }

    /// Cost saved, against [`Self::cost`], if all likely arrivals of other sources in one microphone share one reflecting wall: a
    /// microphone that faces away from the others hears all of them by the wall it faces.
    pub fn by_walls(&self, x: &[f64]) -> f64 {
        let less = |mic: usize| {
            let mine = self.arrivals.iter().filter(|a| a.mic == mic && !a.solid && self.near[mic] != Some(a.row));
            let (mut sum, mut count) = (0.0, 0.0);
            for a in mine {
                sum += (self.residual(x, a) / a.sigma()).powi(2).ln_1p();
                count += 1.0;
            }
            (sum - WALL - NEXT_BY_IT * (count - 1.0)).max(0.0)
        };
        (0..self.mics.len()).map(less).sum()
    }

    /// Cost of early microphones: hardly anything in a signal path makes a track early.
    pub fn too_early(&self, x: &[f64], loose: &[bool]) -> f64 {
        let early = |i: &usize| loose[*i] && x[self.late(*i)] < -EARLY_FROM_M;
        EARLY * (0..loose.len()).filter(early).count() as f64
    }

    /// Arrivals that count.
    pub fn heeded<'a>(&'a self, stance: &'a Stance) -> impl Iterator<Item = &'a Arrival> {
        self.arrivals.iter().filter(|a| match stance.without {
            None => true,
            Some(Without::Into(mic)) => a.mic != mic || self.near[mic] == Some(a.row),
            Some(Without::From(mic)) => a.home != mic,
            Some(Without::Far) => self.near[a.mic].is_some() || self.alone[a.mic],
        })
    }

    /// Differences of near microphones' distances from the session's usual one.
    pub fn spacings(&self, x: &[f64]) -> impl Iterator<Item = Spacing> {
        (0..self.mics.len()).filter(|i| self.near[*i].is_some()).map(move |i| {
            let at = self.mic(i);
            let o = [x[at], x[at + 1], x[at + 2]];
            let length = o.iter().map(|v| v * v).sum::<f64>().sqrt().max(1e-3);
            Spacing { at, toward: o.map(|v| v / length), off: length - x[self.habit()].max(0.02) }
        })
    }

    /// Typed distances: what is over, by each unknown.
    pub fn typed(&self, x: &[f64]) -> impl Iterator<Item = Typed> {
        self.ties.iter().map(move |tie| {
            let at = |end: End| match end {
                End::Source(row) => [0, 1, 2].map(|axis| x[self.source(row) + axis]),
                End::Mic(i) => self.place(x, i),
            };
            let [a, b] = tie.ends.map(at);
            let mut apart = [0, 1, 2].map(|axis| b[axis] - a[axis]);
            if tie.flat {
                apart[2] = 0.0;
            }
            let length = apart.iter().map(|v| v * v).sum::<f64>().sqrt().max(0.01);
            let mut slopes = Vec::new();
            for (end, sign) in tie.ends.into_iter().zip([-1.0, 1.0]) {
                for (axis, along) in apart.iter().enumerate() {
                    let slope = sign * along / length;
                    match end {
                        End::Source(row) => slopes.push((self.source(row) + axis, slope)),
                        End::Mic(i) => {
                            slopes.push((self.mic(i) + axis, slope));
                            slopes.extend(self.near[i].map(|row| (self.source(row) + axis, slope)));
                        }
                    }
                }
            }
            Typed { slopes, off: length - tie.metres, weight: 1.0 / (TYPED_M * TYPED_M) }
        })
    }

    /// Prior knowledge: the unknown, its expected value, and its standard deviation.
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

/// What the level of another source tells about a near microphone's distance.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Told {
    /// The other source, by its place among those used.
    pub row: usize,
    /// Logarithm of the distance in metres, and of how much less is taken from there than from the front.
    pub value: f64,
}

/// Distances that facts state. Places state how far those who have one are apart, seen from above.
fn ties(facts: &[Fact], place: impl Fn(usize) -> Option<usize>, near: &[Option<usize>]) -> Vec<Tie> {
    let mut all = Vec::new();
    let mut stand: Vec<(usize, [f64; 2])> = Vec::new();
    for fact in facts {
        match *fact {
            Fact::FromSource { of, metres } => {
                let mic = place(of);
                let source = mic.and_then(|i| near[i]);
                let ends = mic.zip(source).map(|(i, row)| [End::Source(row), End::Mic(i)]);
                all.extend(ends.map(|ends| Tie { ends, metres, flat: false }));
            }
            Fact::Apart { of, to, metres } => {
                let ends = place(of).zip(place(to)).map(|(a, b)| [a, b].map(End::Mic));
                all.extend(ends.map(|ends| Tie { ends, metres, flat: false }));
            }
            Fact::Stands { of, at } => {
                let Some(i) = place(of) else { continue };
                all.extend(stand.iter().map(|(k, there)| {
                    let metres = (at[0] - there[0]).hypot(at[1] - there[1]);
                    Tie { ends: [*k, i].map(End::Mic), metres, flat: true }
                }));
                stand.push((i, at));
            }
        }
    }
    all
}

/// The largest group of rows that are connected by bleed both ways, directly or through others.
pub fn together(rows: &[Row], in_air: impl Fn(usize) -> bool) -> Vec<usize> {
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
