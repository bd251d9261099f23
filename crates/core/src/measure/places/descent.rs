//! Damped least-squares steps, and the covariance of their result.

use crate::measure::places::normal::{Layout, Normal};
use crate::measure::places::problem::{NEAR_M, NEAR_OFF_M, Problem, Stance};
use crate::measure::places::search::Fit;
use nalgebra::DMatrix;

/// Rounds of the search.
const ROUNDS: usize = 25;
/// The search ends when a round lowers the cost by less than this. Ending sooner while losses are wide halves the time, but put one latency
/// in thirty a millisecond off.
const SETTLED: f64 = 0.1;

impl Problem {
    /// Damped steps to the minimum; gives the cost there.
    pub fn descend(&self, x: &mut Vec<f64>, stance: &Stance) -> f64 {
        let layout = Layout::of(self, stance.loose);
        let patterns = self.patterns(x);
        let mut cost = self.cost_with(x, stance, &patterns);
        let mut damping = 1e-2;
        for _ in 0..ROUNDS {
            let equations = self.equations(x, stance, &patterns, &layout);
            let mut moved = false;
            for _ in 0..6 {
                let Some(step) = equations.step(damping) else {
                    damping *= 10.0;
                    continue;
                };
                let next: Vec<f64> = x.iter().zip(&step).map(|(x, s)| x - s).collect();
                let now = self.cost_with(&next, stance, &patterns);
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
        self.cost(x, stance)
    }

    /// Covariance of the unknowns; nothing for tied latencies.
    pub fn covariance(&self, fit: &Fit) -> Option<DMatrix<f64>> {
        let layout = Layout::of(self, &fit.loose);
        let stance = Stance { loose: &fit.loose, wide: 1.0, without: None };
        let mut equations = self.equations(&fit.x, &stance, &self.patterns(&fit.x), &layout);
        (0..self.len()).for_each(|at| equations.add(&[(at, 1.0)], 0.0, 1e-6));
        // A near microphone's place is bounded all round by its distance, not only along it.
        for i in (0..self.mics.len()).filter(|i| self.near[*i].is_some()) {
            (0..3).for_each(|axis| equations.add(&[(self.mic(i) + axis, 1.0)], 0.0, 1.0 / (NEAR_M * NEAR_M)));
        }
        equations.covariance()
    }

    /// The equations with the weights that the residuals have now.
    fn equations<'a>(&self, x: &[f64], stance: &Stance, patterns: &[f64], layout: &'a Layout) -> Normal<'a> {
        let mut equations = Normal::new(layout);
        let mut terms = Vec::new();
        for arrival in self.heeded(stance) {
            let r = self.residual(x, arrival);
            let s2 = arrival.sigma().powi(2);
            self.slopes(x, arrival, &mut terms);
            equations.add(&terms, r, self.counts(arrival) / (s2 + (r / stance.wide).powi(2)));
        }
        for (at, value, sigma) in self.beliefs(stance.loose) {
            equations.add(&[(at, 1.0)], x[at] - value, 1.0 / (sigma * sigma));
        }
        for s in self.spacings(x) {
            let [a, b, c] = [0, 1, 2].map(|a| (s.at + a, s.toward[a]));
            equations.add(&[a, b, c, (self.habit(), -1.0)], s.off, 1.0 / (NEAR_OFF_M * NEAR_OFF_M));
        }
        for t in self.typed(x) {
            equations.add(&t.slopes, t.off, t.weight);
        }
        for l in self.loudness(x, patterns) {
            equations.add(&l.slopes, l.off, l.weight);
        }
        equations
    }
}
