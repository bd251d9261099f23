//! Distance of a near microphone from its source, from the levels of other sources in it.
//!
//! Of two sources in two microphones all four direct levels together leave gains and loudness out; what remains is the four
//! distances (spherical spreading, ISO 3745) and how much less the near microphone takes from the side. It faces its source
//! (common practice, no source) and takes (1 − p) + p·cos θ from elsewhere (pressure and pressure gradient, IEC 60268-4; both
//! standards named from memory), so that levels tell its distance and, a little, its direction.

use crate::dsp::stats::median;
use crate::measure::places::problem::{Problem, Told};

/// Patterns tried, from all round to narrow.
const PATTERNS: [f64; 4] = [0.0, 0.3, 0.5, 0.65];
/// Least sensitivity in any direction, as a part of the front: in a room no direction is deaf.
const LEAST: f64 = 0.1;
/// Standard deviation of the logarithm of a distance that one other source tells.
const OFF: f64 = 0.3;
/// All values for one microphone share its own level, so together they count as no more than so many independent ones.
const INDEPENDENT: f64 = 3.0;
/// Fewer pairs of microphones than this tell no distance.
const FEW: usize = 2;

/// One residual with its slopes.
pub struct Loudness {
    /// Measured minus what the place gives.
    pub off: f64,
    /// How it changes with the microphone's place.
    pub slopes: [(usize, f64); 3],
    /// What it weighs now.
    pub weight: f64,
    /// Its loss.
    pub cost: f64,
}

impl Problem {
    /// Compares levels by where everything stands in `x`.
    pub fn tell_by_level(&mut self, x: &[f64]) {
        let all = 0..self.mics.len();
        self.told = all.map(|h| self.near[h].map_or_else(Vec::new, |own| self.told_of(x, h, own))).collect();
    }

    fn told_of(&self, x: &[f64], h: usize, own: usize) -> Vec<Told> {
        let level = |row: usize, mic: usize| self.levels[row][mic] + self.way(x, row, mic).1.ln();
        let by = |row: usize| {
            let there = (0..self.mics.len()).filter(|k| ![Some(own), Some(row)].contains(&self.near[*k]));
            let says = there.map(|k| level(row, h) + level(own, k) - level(row, k) - self.levels[own][h]);
            let mut says: Vec<f64> = says.filter(|v| !v.is_nan()).collect();
            median(&mut says).filter(|_| says.len() >= FEW).map(|value| Told { row, value })
        };
        (0..self.used.len()).filter(|row| *row != own).filter_map(by).collect()
    }

    /// The pattern that suits each microphone best, where everything stands in `x`.
    pub fn patterns(&self, x: &[f64]) -> Vec<f64> {
        let best = |i: usize| {
            let cost = |p: &f64| self.loudness_of(x, i, *p).map(|l| l.cost).sum::<f64>();
            let costs = PATTERNS.map(|p| (p, if self.told[i].is_empty() { 0.0 } else { cost(&p) }));
            costs.into_iter().min_by(|a, b| a.1.total_cmp(&b.1)).map_or(0.0, |c| c.0)
        };
        (0..self.mics.len()).map(best).collect()
    }

    /// Residuals of all that levels tell, with these patterns.
    pub fn loudness(&self, x: &[f64], patterns: &[f64]) -> impl Iterator<Item = Loudness> {
        patterns.iter().enumerate().flat_map(move |(i, p)| self.loudness_of(x, i, *p))
    }

    fn loudness_of(&self, x: &[f64], i: usize, p: f64) -> impl Iterator<Item = Loudness> {
        let at = self.mic(i);
        let o = [x[at], x[at + 1], x[at + 2]];
        let near = o.iter().map(|v| v * v).sum::<f64>().sqrt().max(0.01);
        let front = o.map(|v| -v / near);
        let share = (INDEPENDENT / self.told[i].len() as f64).min(1.0);
        self.told[i].iter().map(move |told| {
            let (from, far) = self.way(x, told.row, i);
            let there = from.map(|v| -v);
            let cos: f64 = front.iter().zip(there).map(|(a, b)| a * b).sum();
            let takes = 1.0 - p + p * cos;
            let off = told.value - (near * takes.max(LEAST)).ln();
            let turn = |a: usize| (front[a] * cos - there[a]) / near - (front[a] - there[a] * cos) / far;
            let aside = if takes > LEAST { p / takes } else { 0.0 };
            let slopes = [0, 1, 2].map(|a| (at + a, front[a] / near - aside * turn(a)));
            let square = (off / OFF).powi(2);
            Loudness { off, slopes, weight: share / (OFF * OFF * (1.0 + square)), cost: share * square.ln_1p() }
        })
    }
}
