//! Places as they are told: with their spread, and sources once more by near microphones alone.

use crate::measure::arrival::Row;
use crate::measure::places::problem::{Problem, Stance, Without};
use crate::measure::places::search::Fit;
use crate::measure::stage::{Beacon, Places, Spot};
use nalgebra::{DMatrix, Matrix4};

/// Fills in the places of all that has one. `covariance` is that of the problem's unknowns.
pub fn fill(places: &mut Places, problem: &Problem, fit: &Fit, covariance: &DMatrix<f64>, rows: &[Row]) {
    let points = points(problem, &fit.x);
    let spread = spread(problem, covariance, &points);
    let spot = |n: usize| Spot { at: points[n], spread: spread[n] };
    let sources = problem.used.len();
    problem.used.iter().enumerate().for_each(|(n, row)| places.sources[*row] = Some(spot(n)));
    problem.mics.iter().enumerate().for_each(|(i, mic)| places.tracks[*mic] = Some(spot(sources + i)));
    let mut x = fit.x.clone();
    problem.descend(&mut x, &Stance { loose: &fit.loose, wide: 1.0, without: Some(Without::Far) });
    for (n, &row) in problem.used.iter().enumerate() {
        let Some(home) = problem.mics.iter().position(|m| *m == rows[row].home) else { continue };
        let at = [0, 1, 2].map(|axis| x[problem.source(n) + axis]);
        let path_m = problem.way(&x, n, home).1 + x[problem.late(home)];
        places.beacons[row] = Some(Beacon { at, path_m });
    }
}

/// All sources, then all microphones.
fn points(problem: &Problem, x: &[f64]) -> Vec<[f64; 3]> {
    let sources = (0..problem.used.len()).map(|n| [0, 1, 2].map(|axis| x[problem.source(n) + axis]));
    sources.chain((0..problem.mics.len()).map(|i| problem.place(x, i))).collect()
}

/// Covariance in the plane of every point, without shifts and turns of the whole about the sources (S-transformation, Baarda 1973,
/// from memory).
fn spread(problem: &Problem, covariance: &DMatrix<f64>, points: &[[f64; 3]]) -> Vec<[f64; 3]> {
    let sources = problem.used.len();
    // Unknowns that add up to each coordinate.
    let parts = |n: usize, axis: usize| -> Vec<usize> {
        if n < sources {
            return vec![problem.source(n) + axis];
        }
        let i = n - sources;
        std::iter::once(problem.mic(i) + axis).chain(problem.near[i].map(|row| problem.source(row) + axis)).collect()
    };
    let all: Vec<Vec<usize>> = (0..points.len()).flat_map(|n| [0, 1, 2].map(|axis| parts(n, axis))).collect();
    let sum = |a: &[usize], b: &[usize]| a.iter().flat_map(|i| b.iter().map(move |k| covariance[(*i, *k)])).sum();
    let raw = DMatrix::from_fn(all.len(), all.len(), |i, k| sum(&all[i], &all[k]));
    // Three shifts and a turn about the vertical.
    let moves = DMatrix::from_fn(all.len(), 4, |i, k| match (i % 3, k) {
        (axis, shift) if shift < 3 => f64::from(u8::from(axis == shift)),
        (0, _) => -points[i / 3][1],
        (1, _) => points[i / 3][0],
        _ => 0.0,
    });
    let datum = moves.rows(0, 3 * sources);
    let square: Matrix4<f64> = (datum.transpose() * datum).fixed_view::<4, 4>(0, 0).into();
    let plain = |n: usize| [raw[(3 * n, 3 * n)], raw[(3 * n, 3 * n + 1)], raw[(3 * n + 1, 3 * n + 1)]];
    let Some(inverse) = square.try_inverse() else { return (0..points.len()).map(plain).collect() };
    // What the sources' own changes say of those moves: a row a move.
    let told = inverse * datum.transpose();
    let kept = |i: usize| -> Vec<(usize, f64)> {
        let of = |k: usize| -(0..4).map(|m| moves[(i, m)] * told[(m, k)]).sum::<f64>();
        std::iter::once((i, 1.0)).chain((0..3 * sources).map(|k| (k, of(k)))).collect()
    };
    let cross = |a: &[(usize, f64)], b: &[(usize, f64)]| -> f64 {
        a.iter().map(|(i, u)| u * b.iter().map(|(k, v)| v * raw[(*i, *k)]).sum::<f64>()).sum()
    };
    (0..points.len())
        .map(|n| {
            let (east, north) = (kept(3 * n), kept(3 * n + 1));
            [cross(&east, &east), cross(&east, &north), cross(&north, &north)]
        })
        .collect()
}
