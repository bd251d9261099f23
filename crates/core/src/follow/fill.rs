//! The parts of a curve that could not be measured: slow sinusoids that were measured about them go on through them.

use crate::follow::curve::{Curve, STEP_S, time};
use nalgebra::{DMatrix, DVector};
use realfft::RealFftPlanner;
use std::f64::consts::TAU;

/// Sinusoids that are continued, and the range they are looked for in, in Hz.
const SINUSOIDS: usize = 3;
const RANGE_HZ: [f64; 2] = [0.2, 12.0];
/// Measured values to either side of a gap that say how they go on, in steps: 4 s.
const ABOUT: usize = 800;
/// A sinusoid is one of them from this part of the largest on.
const LEAST: f64 = 0.1;

/// A slow change that comes again and again.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Swing {
    /// How often, in Hz.
    pub hz: f64,
    /// Its amplitude, in seconds of lag.
    pub seconds: f64,
}

/// The largest sinusoids in what was measured, about a line: largest first.
pub(super) fn swings(curve: &Curve, measured: &[bool], line: [f64; 2], most: usize) -> Vec<Swing> {
    let len = curve.0.len().next_power_of_two().max(64) * 2;
    let mut x = vec![0f64; len];
    let mut used = 0.0;
    for (j, lag) in curve.0.iter().enumerate().filter(|(j, _)| measured[*j]) {
        let shape = 0.5 - 0.5 * (TAU * (j as f64 + 0.5) / curve.0.len() as f64).cos();
        x[j] = (lag - line[0] - line[1] * time(j)) * shape;
        used += shape;
    }
    let forward = RealFftPlanner::<f64>::new().plan_fft_forward(len);
    let mut bins = forward.make_output_vec();
    forward.process(&mut x, &mut bins).expect("lengths fit by construction");
    let size: Vec<f64> = bins.iter().map(|b| 2.0 * b.norm() / f64::max(used, 1.0)).collect();
    let hz = |k: f64| k / (len as f64 * STEP_S);
    let bin = |hz: f64| (hz * len as f64 * STEP_S) as usize;
    // What lasts for less than two periods is no sinusoid.
    let lowest = RANGE_HZ[0].max(2.0 / (curve.0.len() as f64 * STEP_S));
    let range = bin(lowest).max(1)..bin(RANGE_HZ[1]).min(size.len() - 1);
    let mut peaks: Vec<Swing> = range
        .filter(|k| size[*k] > size[k - 1] && size[*k] >= size[k + 1])
        .map(|k| {
            let [a, b, c] = [size[k - 1], size[k], size[k + 1]];
            let off = (0.5 * (a - c) / (a - 2.0 * b + c).min(-f64::MIN_POSITIVE)).clamp(-0.5, 0.5);
            Swing { hz: hz(k as f64 + off), seconds: b }
        })
        .collect();
    peaks.sort_by(|a, b| b.seconds.total_cmp(&a.seconds));
    let largest = peaks.first().map_or(0.0, |p| p.seconds);
    peaks.retain(|p| p.seconds > LEAST * largest);
    // The lobes beside a peak are no peaks of their own.
    let apart = 4.0 / (curve.0.len() as f64 * STEP_S);
    let mut kept: Vec<Swing> = Vec::new();
    for p in peaks {
        if kept.iter().all(|k| (k.hz - p.hz).abs() > apart) {
            kept.push(p);
        }
        if kept.len() == most {
            break;
        }
    }
    kept
}

/// Goes on through what was not measured. `line`: lag at time 0 and slope of all that was.
pub(super) fn filled(curve: &Curve, measured: &[bool], line: [f64; 2]) -> Curve {
    let swings = swings(curve, measured, line, SINUSOIDS);
    let row = |j: usize| -> Vec<f64> {
        let turn = |s: &Swing| TAU * s.hz * time(j);
        std::iter::once(1.0).chain(swings.iter().flat_map(|s| [turn(s).cos(), turn(s).sin()])).collect()
    };
    let straight = |j: usize| line[0] + line[1] * time(j);
    let mut out = curve.clone();
    let mut from = 0;
    while from < measured.len() {
        if measured[from] {
            from += 1;
            continue;
        }
        let to = (from..measured.len()).find(|j| measured[*j]).unwrap_or(measured.len());
        let about: Vec<usize> =
            (from.saturating_sub(ABOUT)..(to + ABOUT).min(measured.len())).filter(|j| measured[*j]).collect();
        if about.len() > 4 * (1 + 2 * swings.len()) {
            let a = DMatrix::from_fn(about.len(), 1 + 2 * swings.len(), |i, k| row(about[i])[k]);
            let y = DVector::from_iterator(about.len(), about.iter().map(|j| curve.0[*j] - straight(*j)));
            let mut normal = a.tr_mul(&a);
            (0..normal.nrows()).for_each(|k| normal[(k, k)] *= 1.0 + 1e-6);
            if let Some(c) = normal.cholesky().map(|n| n.solve(&a.tr_mul(&y))) {
                let told = |j: usize| straight(j) + row(j).iter().zip(c.iter()).map(|(a, b)| a * b).sum::<f64>();
                // Without a step at either end.
                let off = |j: Option<usize>| j.map(|j| curve.0[j] - told(j));
                let before = off(from.checked_sub(1));
                let after = off(Some(to).filter(|j| *j < measured.len()));
                let (a, b) = (before.or(after).unwrap_or(0.0), after.or(before).unwrap_or(0.0));
                for j in from..to {
                    let share = (j - from + 1) as f64 / (to - from + 1) as f64;
                    out.0[j] = told(j) + a + (b - a) * share;
                }
            }
        }
        from = to;
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_gap_goes_on_as_the_wow_does_about_it() {
        let true_lag = |j: usize| 0.1 + 2e-5 * time(j) + 1e-3 * (TAU * 0.83 * time(j)).sin();
        let n = 12_000;
        let measured: Vec<bool> = (0..n).map(|j| !(5_000..5_400).contains(&j) && j < 11_800).collect();
        let seen = Curve((0..n).map(|j| if measured[j] { true_lag(j) } else { 0.1 }).collect());
        let filled = filled(&seen, &measured, [0.1, 2e-5]);
        let worst = (0..n).map(|j| (filled.0[j] - true_lag(j)).abs()).fold(0.0, f64::max);
        assert!(worst < 5e-5, "{worst} s off in a gap of 2 s");
        let found = swings(&seen, &measured, [0.1, 2e-5], 3);
        assert!((found[0].hz - 0.83).abs() < 0.01 && (found[0].seconds - 1e-3).abs() < 2e-4, "{found:?}");
    }
}
