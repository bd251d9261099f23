//! First guess of all places.

use crate::measure::arrival::Row;
use crate::measure::places::problem::{ABOVE_M, Arrival, NEAR_M, Problem};
use nalgebra::{DMatrix, Dyn, SymmetricEigen};

/// Radii tried about the stage, in metres.
const RINGS_M: [f64; 6] = [1.0, 2.5, 4.0, 6.0, 9.0, 13.0];

impl Problem {
    /// Sources by classical scaling of the distances both ways (Torgerson, Psychometrika 1952), far microphones where
    /// they fit best on rings about the stage.
    pub fn first_guess(&self, rows: &[&Row], metres: f64) -> Option<Vec<f64>> {
        let (order, eigen) = scaled(&distances(rows, metres)?);
        let mut x = vec![0f64; self.len()];
        x[self.habit()] = NEAR_M;
        for i in 0..self.used.len() {
            for (axis, &e) in order.iter().take(2).enumerate() {
                x[self.source(i) + axis] = eigen.eigenvectors[(i, e)] * eigen.eigenvalues[e].max(0.01).sqrt();
            }
        }
        for i in 0..self.mics.len() {
            if self.near[i].is_some() {
                // Near microphones start a hand's breadth off their source, each in its own direction.
                let turn = i as f64 * 2.4;
                (x[self.mic(i)], x[self.mic(i) + 1], x[self.mic(i) + 2]) = (0.17 * turn.cos(), 0.17 * turn.sin(), 0.1);
            }
        }
        for i in (0..self.mics.len()).filter(|i| self.near[*i].is_none()) {
            self.best_on_rings(i, &mut x);
        }
        Some(x)
    }

    /// Puts a far microphone where its arrivals fit best on rings about the stage.
    fn best_on_rings(&self, i: usize, x: &mut [f64]) {
        let mine: Vec<&Arrival> = self.arrivals.iter().filter(|a| a.mic == i).collect();
        let mut best = (f64::INFINITY, [0.0; 3]);
        for ring in RINGS_M {
            for step in 0..24 {
                let turn = f64::from(step) * std::f64::consts::TAU / 24.0;
                let at = [ring * turn.cos(), ring * turn.sin(), ABOVE_M];
                x[self.mic(i)..self.mic(i) + 3].copy_from_slice(&at);
                let cost = mine.iter().map(|a| (self.residual(x, a) / 0.5).powi(2).ln_1p()).sum::<f64>();
                if cost < best.0 {
                    best = (cost, at);
                }
            }
        }
        x[self.mic(i)..self.mic(i) + 3].copy_from_slice(&best.1);
    }

    /// The first guess with near microphones on other sides of their sources.
    pub fn turned(&self, nth: usize) -> Vec<f64> {
        let mut x = self.start.clone();
        for i in (0..self.mics.len()).filter(|i| self.near[*i].is_some()) {
            let turn = i as f64 * 2.4 + nth as f64 * (1.1 + 0.7 * i as f64);
            let up = 0.1 - 0.2 * (nth % 2) as f64;
            let at = self.mic(i);
            (x[at], x[at + 1], x[at + 2]) = (0.17 * turn.cos(), 0.17 * turn.sin(), up);
        }
        x
    }
}

/// Metres between sources, from the bleed both ways. A distance that was not measured is the shortest path over other sources; none
/// where there is no path.
fn distances(rows: &[&Row], metres: f64) -> Option<DMatrix<f64>> {
    let n = rows.len();
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
    (!d.iter().any(|v| v.is_nan())).then_some(d)
}

/// Classical scaling: the axes in order of what they explain.
fn scaled(distances: &DMatrix<f64>) -> (Vec<usize>, SymmetricEigen<f64, Dyn>) {
    let n = distances.nrows();
    let square = distances.map(|v| v * v);
    let mean = square.mean();
    let by_row: Vec<f64> = (0..n).map(|i| square.row(i).mean()).collect();
    let gram = DMatrix::from_fn(n, n, |i, k| -0.5 * (square[(i, k)] - by_row[i] - by_row[k] + mean));
    let eigen = SymmetricEigen::new(gram);
    let mut order: Vec<usize> = (0..n).collect();
    order.sort_by(|a, b| eigen.eigenvalues[*b].total_cmp(&eigen.eigenvalues[*a]));
    (order, eigen)
}
