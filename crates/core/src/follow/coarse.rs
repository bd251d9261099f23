//! Where a print lies against its send and how fast it runs, from long windows.

use crate::dsp::spectrum::{Transform, planned, quick_len};
use crate::dsp::window::half_cosine;
use crate::follow::band::Band;
use rayon::prelude::*;
use realfft::num_complex::Complex32;

/// Windows compared, their length, and the range of lags, in seconds.
pub(super) const WINDOWS: usize = 16;
pub(super) const WINDOW_S: f64 = 1.5;
const EARLIEST_S: f64 = -0.25;
const LATEST_S: f64 = 10.0;
/// Band of the comparison, in Hz, and the exponent of the whitening: 1 would leave nothing but phases.
const BAND_HZ: [f64; 2] = [100.0, 5_000.0];
const WHITE: f32 = 0.8;
/// Between two lags that are compared, and how far a peak may be off, in seconds.
const GRID_S: f64 = 0.001;
const OFF: usize = 3;
/// Largest difference in speed, as a part of it, and the most of them that are tried.
const SPEED: f64 = 0.003;
const TRIED: f64 = 1_200.0;
/// A difference in speed must score so much better than none, as a part.
const BETTER: f64 = 0.02;

/// A lag in seconds at time 0 of the print, and its slope.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Line {
    pub(super) at_0: f64,
    pub(super) slope: f64,
}

/// The line along which a print follows its send best; none when there is no sound to compare. A line is found for strangers too.
pub(super) fn line(band: &Band) -> Option<Line> {
    best(band).map(|b| b.0)
}

/// The same with the mean height of the correlations along it, against their RMS.
pub(super) fn best(band: &Band) -> Option<(Line, f64)> {
    let window = ((WINDOW_S * band.hz) as usize).min(band.print.0.len());
    let starts = loud(&band.print.0, window);
    let curves: Vec<(f64, Vec<f32>)> = starts
        .par_iter()
        .map(|from| ((*from as f64 + window as f64 / 2.0) / band.hz, curve(band, *from, window)))
        .collect();
    best_of(&curves)
}

/// The line through correlations: the middle of each window in seconds, and its heights by lag.
pub(super) fn best_of(curves: &[(f64, Vec<f32>)]) -> Option<(Line, f64)> {
    let (first, last) = (curves.first()?.0, curves.last()?.0);
    let middle = (first + last) / 2.0;
    let span = (last - first).max(WINDOW_S);
    // Neighbouring slopes differ by what a peak may be off at the ends.
    let step = (2.0 * OFF as f64 * GRID_S / span).max(SPEED / TRIED);
    let most = (SPEED / step) as i64;
    let best = (-most..=most)
        .into_par_iter()
        .map(|k| {
            let slope = k as f64 * step;
            let (at, score) = along(curves, middle, slope);
            (slope, at, if k == 0 { score * (1.0 + BETTER as f32) } else { score })
        })
        .max_by(|a, b| a.2.total_cmp(&b.2))?;
    let (slope, at, score) = best;
    let line = Line { at_0: EARLIEST_S + at as f64 * GRID_S - slope * middle, slope };
    (score > 0.0).then_some((line, f64::from(score)))
}

/// The best place on the grid for lags that change by a slope, and its mean height.
fn along(curves: &[(f64, Vec<f32>)], middle: f64, slope: f64) -> (usize, f32) {
    let len = curves[0].1.len();
    let mut sum = vec![0f32; len];
    for (t, curve) in curves {
        let by = (slope * (t - middle) / GRID_S).round() as i64;
        let from = (-by).max(0) as usize;
        let to = (len as i64 - by.max(0)).max(0) as usize;
        if from < to {
            let moved = &curve[(from as i64 + by) as usize..(to as i64 + by) as usize];
            sum[from..to].iter_mut().zip(moved).for_each(|(s, v)| *s += v);
        }
    }
    // Peaks were widened, so that their top is flat: its centre is meant.
    let mean = |i: usize| sum[i.saturating_sub(OFF)..(i + OFF + 1).min(len)].iter().sum::<f32>();
    let best = (0..len).map(|i| (i, mean(i))).max_by(|a, b| a.1.total_cmp(&b.1)).unwrap_or((0, 0.0));
    (best.0, best.1 / (curves.len() * (2 * OFF + 1)) as f32)
}

/// Beginnings of the loudest windows, one in each equal part.
fn loud(x: &[f32], window: usize) -> Vec<usize> {
    let parts = WINDOWS.min(x.len() / window.max(1)).max(1);
    let hop = (window / 4).max(1);
    let energy = |from: usize| x[from..from + window].iter().map(|v| v * v).sum::<f32>();
    let of = |part: usize| {
        let from = part * x.len() / parts;
        let to = ((part + 1) * x.len() / parts).saturating_sub(window).max(from);
        (from..=to.min(x.len() - window)).step_by(hop).map(|at| (at, energy(at))).max_by(|a, b| a.1.total_cmp(&b.1))
    };
    (0..parts).filter_map(of).filter(|(_, energy)| *energy > 0.0).map(|(at, _)| at).collect()
}

/// The same for a window of a band.
fn curve(band: &Band, from: usize, window: usize) -> Vec<f32> {
    let begin = from as i64 - earlier(band.hz);
    let at = |n: usize| usize::try_from(begin + n as i64).ok().and_then(|n| band.send.0.get(n)).copied().unwrap_or(0.0);
    let send: Vec<f32> = (0..window + lags(band.hz)).map(at).collect();
    heights(band.hz, &send, &band.print.0[from..from + window])
}

/// Frames by which the stretch of the send begins before the window of the print.
pub(super) fn earlier(hz: f64) -> i64 {
    (LATEST_S * hz) as i64
}

/// Frames by which it is longer.
pub(super) fn lags(hz: f64) -> usize {
    ((LATEST_S - EARLIEST_S) * hz) as usize
}

/// Height of the correlation at every lag of the grid, against its RMS; the largest within what a peak may be off. The send begins
/// [`earlier`] than the print, so that index n of the correlation is a lag of LATEST − n, and is [`lags`] longer.
pub(super) fn heights(hz: f64, send: &[f32], print: &[f32]) -> Vec<f32> {
    let (window, lags) = (print.len(), lags(hz));
    let len = quick_len(window + lags);
    // Soft ends: the ends of two stretches would be alike, where the sound is a few tones.
    let round = |n: usize, len: usize, rise: usize| half_cosine(n.min(len - 1 - n).min(rise), rise);
    let soft = |x: &[f32], rise: usize| -> Vec<f32> {
        x.iter().enumerate().map(|(n, v)| v * round(n, x.len(), rise)).collect()
    };
    let (send, print) = (soft(send, window / 4), soft(print, window / 2));
    let mut t = Transform::new(len);
    let (mut a, mut b) = (vec![Complex32::default(); t.bins()], vec![Complex32::default(); t.bins()]);
    t.forward(&print, &mut a);
    t.forward(&send, &mut b);
    let bin = |f: f64| (f / hz * len as f64) as usize;
    let used = bin(BAND_HZ[0])..bin(BAND_HZ[1]);
    let mut cross: Vec<Complex32> = a.iter().zip(&b).map(|(a, b)| a.conj() * b).collect();
    for (k, c) in cross.iter_mut().enumerate() {
        let size = c.norm();
        *c = if used.contains(&k) && size > 0.0 { *c * size.powf(-WHITE) } else { Complex32::default() };
    }
    let inverse = planned(len, |p| p.plan_fft_inverse(len));
    let mut out = vec![0f32; len];
    inverse.process(&mut cross, &mut out).expect("lengths fit by construction");
    let rms = (out[..lags].iter().map(|v| v * v).sum::<f32>() / lags as f32).sqrt().max(f32::MIN_POSITIVE);
    let grid = ((LATEST_S - EARLIEST_S) / GRID_S) as usize;
    // The largest of each grid step, then of the steps about it.
    let mut heights = vec![0f32; grid + 1];
    for (n, v) in out[..lags].iter().enumerate() {
        let lag = LATEST_S - n as f64 / hz;
        let at = (((lag - EARLIEST_S) / GRID_S).round() as usize).min(grid);
        heights[at] = heights[at].max(v.abs() / rms);
    }
    let widest = |i: usize| heights[i.saturating_sub(OFF)..(i + OFF + 1).min(heights.len())].iter().copied();
    (0..heights.len()).map(|i| widest(i).fold(0.0, f32::max)).collect()
}
