//! Reading a send as its print has it: quickly, and no better than following needs.

use crate::follow::band::Pair;
use crate::follow::curve::{Curve, STEP_S};
use crate::render::sinc::{kaiser, sinc};
use crate::signal::ReadError;
use std::sync::OnceLock;

/// Taps either side, and places between two samples for which they are kept: the nearest is taken, which leaves errors at −65 dB at
/// three eighths of the rate. What is heard and delivered is read by [`crate::render::varispeed`].
const HALF: usize = 16;
const PLACES: usize = 2_048;
const BETA: f64 = 6.5;

type Taps = [f32; 2 * HALF];

fn table() -> &'static [Taps] {
    static TABLE: OnceLock<Vec<Taps>> = OnceLock::new();
    TABLE.get_or_init(|| (0..=PLACES).map(|i| taps(i as f64 / PLACES as f64)).collect())
}

/// Taps for a place so far behind sample number [`HALF`] − 1 of those that are read.
fn taps(behind: f64) -> Taps {
    let tap = |k: usize| {
        let x = k as f64 - (HALF as f64 - 1.0) - behind;
        sinc(x) * kaiser(x / HALF as f64, BETA)
    };
    let all: [f64; 2 * HALF] = std::array::from_fn(tap);
    let sum: f64 = all.iter().sum();
    all.map(|t| (t / sum) as f32)
}

/// Reads the send along the curve for samples of the print from one on.
pub(super) fn read_along(pair: Pair, curve: &Curve, from: i64, out: &mut [f32]) -> Result<(), ReadError> {
    let place = |n: usize| {
        let at = from + n as i64;
        at as f64 - curve.at(at as f64 / pair.hz) * pair.hz
    };
    // The lag is straight between two values of the curve, so that places are needed there only.
    let knots = knots(from, out.len(), pair.hz);
    let places: Vec<f64> = knots.iter().map(|n| place(*n)).collect();
    let lowest = places.iter().copied().fold(f64::INFINITY, f64::min).floor();
    let highest = places.iter().copied().fold(f64::NEG_INFINITY, f64::max).ceil();
    // A lag that jumps by more than this is no print's: reading all between would only cost memory.
    let span = highest - lowest;
    if span.is_nan() || span > 4.0 * out.len() as f64 + 1_000.0 {
        out.fill(0.0);
        return Ok(());
    }
    let first = lowest as i64 - HALF as i64;
    let mut input = vec![0f32; span as usize + 2 * HALF + 2];
    pair.send.read(first, &mut input)?;
    let table = table();
    for (n, p) in knots.windows(2).zip(places.windows(2)) {
        let speed = (p[1] - p[0]) / (n[1] - n[0]) as f64;
        for (k, o) in out[n[0]..n[1]].iter_mut().enumerate() {
            let at = p[0] + speed * k as f64 - first as f64;
            let whole = at as usize;
            let taps = &table[((at - whole as f64) * PLACES as f64 + 0.5) as usize];
            let window = &input[whole + 1 - HALF..whole + 1 + HALF];
            let mut sums = [0f32; 8];
            for (x, t) in window.chunks_exact(8).zip(taps.chunks_exact(8)) {
                (0..8).for_each(|k| sums[k] += x[k] * t[k]);
            }
            *o = sums.iter().sum();
        }
    }
    Ok(())
}

/// Samples between which the curve is straight, first and last ones too.
fn knots(from: i64, len: usize, hz: f64) -> Vec<usize> {
    let end = from + len as i64;
    let mut all = vec![0];
    let mut j = (from as f64 / hz / STEP_S - 0.5).ceil();
    loop {
        let at = ((j + 0.5) * STEP_S * hz).round() as i64;
        if at >= end {
            break;
        }
        if at > from {
            all.push((at - from) as usize);
        }
        j += 1.0;
    }
    all.push(len);
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::MemSource;
    use std::f64::consts::TAU;

    #[test]
    fn a_sine_read_along_a_curve_is_the_sine_at_those_places() {
        // Closed form: the print of a sine is the sine at the places that the curve says.
        for (hz, most_db) in [(500.0, -60.0), (4_000.0, -60.0), (9_000.0, -55.0)] {
            let send = MemSource((0..60_000).map(|n| (TAU * hz / 24_000.0 * f64::from(n)).sin() as f32).collect());
            let lag = |t: f64| 0.2 + 1e-3 * t + 2e-4 * (TAU * 2.0 * t).sin();
            let curve = Curve((0..600).map(|j| lag(crate::follow::curve::time(j))).collect());
            let pair = Pair { hz: 24_000.0, send: &send, print: &send };
            let mut out = vec![0f32; 10_000];
            read_along(pair, &curve, 12_000, &mut out).unwrap();
            let wanted = |n: usize| {
                let t = (12_000 + n) as f64 / 24_000.0;
                (TAU * hz * (t - curve.at(t))).sin()
            };
            let square: f64 = out.iter().enumerate().map(|(n, v)| (f64::from(*v) - wanted(n)).powi(2)).sum();
            let db = 10.0 * (square / 10_000.0).log10();
            assert!(db < most_db, "{hz} Hz: {db} dB");
        }
    }
}
