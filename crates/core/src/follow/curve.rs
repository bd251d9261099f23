//! A lag along time, and the smoothing spline that makes one of uncertain values.

use std::f64::consts::PI;

/// Time between two values of a curve, in seconds.
pub const STEP_S: f64 = 0.005;

/// Lags in seconds, one every [`STEP_S`]; value j belongs to the middle of step j.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Curve(pub Vec<f64>);

impl Curve {
    /// A straight one: lag at time 0 and its slope.
    pub fn line(steps: usize, at_0: f64, slope: f64) -> Self {
        Self((0..steps).map(|j| at_0 + slope * time(j)).collect())
    }

    /// The lag at a time in seconds.
    pub fn at(&self, t: f64) -> f64 {
        let x = (t / STEP_S - 0.5).clamp(0.0, (self.0.len().max(1) - 1) as f64);
        let j = (x as usize).min(self.0.len().saturating_sub(2));
        let (a, b) = (self.0[j], self.0[(j + 1).min(self.0.len() - 1)]);
        a + (b - a) * (x - j as f64)
    }

    /// Every value later by as much.
    pub fn later(mut self, by: f64) -> Self {
        self.0.iter_mut().for_each(|v| *v += by);
        self
    }
}

/// The middle of a step, in seconds.
pub fn time(step: usize) -> f64 {
    (step as f64 + 0.5) * STEP_S
}

/// Values smoothed: weighted squares of the differences plus squares of the second differences are least (Whittaker 1923; Reinsch 1967;
/// both from memory). Of equal weights, changes at `corner_hz` keep half their size; where there is no weight it goes on straight.
///
/// `every_s`: time between two values.
pub fn smoothed(values: &[f64], weights: &[f64], corner_hz: f64, every_s: f64) -> Vec<f64> {
    let n = values.len();
    let total: f64 = weights.iter().sum();
    if n < 3 || total <= 0.0 {
        return values.to_vec();
    }
    let used = weights.iter().filter(|w| **w > 0.0).count() as f64;
    let stiff = total / used / (2.0 * (PI * (corner_hz * every_s).min(0.5)).sin()).powi(4);
    // Where nothing was measured the equations need a trace of weight to have one solution.
    let least = stiff * 1e-12;
    // Squares of second differences: 1, −4, 6, −4, 1, less at the ends.
    let mut d = vec![0f64; n];
    let mut e = vec![0f64; n];
    let mut f = vec![0f64; n];
    for i in 0..n - 2 {
        for (k, a) in [1.0, -2.0, 1.0].into_iter().enumerate() {
            d[i + k] += stiff * a * a;
        }
        e[i] -= 2.0 * stiff;
        e[i + 1] -= 2.0 * stiff;
        f[i] += stiff;
    }
    let mean = values.iter().zip(weights).map(|(v, w)| v * w).sum::<f64>() / total;
    // About the mean, so that the trace of weight pulls nowhere far.
    let mut x: Vec<f64> = (0..n).map(|i| (values[i] - mean) * weights[i]).collect();
    (0..n).for_each(|i| d[i] += weights[i] + least);
    // L·D·Lᵀ of a matrix with two bands beside the diagonal.
    let (mut l1, mut l2) = (vec![0f64; n], vec![0f64; n]);
    for i in 0..n {
        if i >= 2 {
            l2[i - 2] = f[i - 2] / d[i - 2];
            d[i] -= l2[i - 2].powi(2) * d[i - 2];
        }
        if i >= 1 {
            let carried = if i >= 2 { l2[i - 2] * l1[i - 2] * d[i - 2] } else { 0.0 };
            l1[i - 1] = (e[i - 1] - carried) / d[i - 1];
            d[i] -= l1[i - 1].powi(2) * d[i - 1];
        }
    }
    for i in 1..n {
        x[i] -= l1[i - 1] * x[i - 1];
        if i >= 2 {
            x[i] -= l2[i - 2] * x[i - 2];
        }
    }
    (0..n).for_each(|i| x[i] /= d[i]);
    for i in (0..n - 1).rev() {
        x[i] -= l1[i] * x[i + 1];
        if i + 2 < n {
            x[i] -= l2[i] * x[i + 2];
        }
    }
    x.iter_mut().for_each(|v| *v += mean);
    x
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::{DMatrix, DVector};

    #[test]
    fn the_banded_solution_is_that_of_the_whole_matrix() {
        let n = 40;
        let values: Vec<f64> = (0..n).map(|i| ((i * 37) % 17) as f64 * 0.3 + i as f64).collect();
        let weights: Vec<f64> = (0..n).map(|i| if i % 5 == 0 { 0.0 } else { 1.0 + (i % 3) as f64 }).collect();
        let used = weights.iter().filter(|w| **w > 0.0).count() as f64;
        let stiff = weights.iter().sum::<f64>() / used / (2.0 * (PI * 4.0 * STEP_S).sin()).powi(4);
        let mut second = DMatrix::zeros(n - 2, n);
        for i in 0..n - 2 {
            (second[(i, i)], second[(i, i + 1)], second[(i, i + 2)]) = (1.0, -2.0, 1.0);
        }
        let w = DMatrix::from_diagonal(&DVector::from_vec(weights.clone()));
        let a = &w + second.transpose() * &second * stiff;
        let expected = a.lu().solve(&(w * DVector::from_vec(values.clone()))).unwrap();
        let got = smoothed(&values, &weights, 4.0, STEP_S);
        got.iter().zip(expected.iter()).for_each(|(g, e)| assert!((g - e).abs() < 1e-6, "{g} {e}"));
    }

    #[test]
    fn the_corner_keeps_half_and_a_line_stays_as_it_is() {
        let n = 20_000;
        let wave: Vec<f64> = (0..n).map(|j| (2.0 * PI * 8.0 * time(j)).sin()).collect();
        let got = smoothed(&wave, &vec![3.0; n], 8.0, STEP_S);
        let size = |x: &[f64]| x[4_000..16_000].iter().map(|v| v * v).sum::<f64>().sqrt();
        assert!((size(&got) / size(&wave) - 0.5).abs() < 0.01);
        let line: Vec<f64> = (0..n).map(|j| 5.0 + 0.01 * j as f64).collect();
        let got = smoothed(&line, &vec![1.0; n], 4.0, STEP_S);
        got.iter().zip(&line).for_each(|(g, l)| assert!((g - l).abs() < 1e-4, "{g} {l}"));
    }
}
