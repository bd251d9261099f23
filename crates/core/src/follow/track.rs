//! A lag every 10 ms: the path of least cost through short correlations.

use crate::dsp::spectrum::{Transform, planned, quick_len};
use crate::follow::band::Band;
use crate::follow::coarse::Line;
use crate::follow::curve::{Curve, STEP_S, smoothed, time};
use crate::signal::overlap;
use rayon::prelude::*;
use realfft::num_complex::Complex32;
use std::f64::consts::PI;

/// Window and hop, in seconds.
const WINDOW_S: f64 = 0.08;
const HOP_S: f64 = 0.01;
/// With more frames than this every other one is left out: the curve has to be within a quarter of a period of the lowest band only.
const MANY: usize = 30_000;
/// Frames from which the whitening is made.
const SPREAD: usize = 600;
/// Searched to either side of the line, in seconds.
const SEARCH_S: f64 = 0.01;
/// Band, in Hz.
const BAND_HZ: [f64; 2] = [80.0, 5_400.0];
/// Largest change of speed, as a part of it, and cost of a step of the grid.
const SPEED: f64 = 0.015;
const STEP_COST: f32 = 0.04;
/// A frame counts for the sign from this height over RMS on, and in full for the path from that one on.
const CLEAR: f32 = 4.0;
const FULL: f32 = 6.0;
/// Corner of the curve that is begun with, in Hz.
const CORNER_HZ: f64 = 4.0;

/// Correlation of one frame, by lag; its height over its RMS; how far the lag at which the send was read lies from the line, in seconds.
pub(super) struct Frame {
    pub(super) curve: Vec<f32>,
    pub(super) height: f32,
    pub(super) rounded: f64,
}

/// The lag along time to begin with.
pub(super) fn begun(band: &Band, line: Line) -> Curve {
    let whole = ((band.seconds() - WINDOW_S) / HOP_S).max(1.0) as usize;
    let hop = if whole > MANY { 2.0 * HOP_S } else { HOP_S };
    let count = ((band.seconds() - WINDOW_S) / hop).max(1.0) as usize;
    let side = (SEARCH_S * band.hz) as usize;
    let frames = frames(band, line, (count, hop), side);
    let sum: f64 = frames.iter().filter(|f| f.height > CLEAR).map(|f| f64::from(extreme(&f.curve) * f.height)).sum();
    let sign = if sum < 0.0 { -1.0 } else { 1.0 };
    let path = path(&frames.iter().collect::<Vec<_>>(), sign, (SPEED * hop * band.hz).ceil() as usize);
    let lag = |(n, at): (usize, &usize)| {
        let c = &frames[n].curve;
        let refined = *at as f64 + top(c, *at, sign);
        frames[n].rounded + (refined - side as f64) / band.hz
    };
    let off: Vec<f64> = path.iter().enumerate().map(lag).collect();
    let weights: Vec<f64> = frames.iter().map(|f| f64::from(f.height).powi(2)).collect();
    let off = smoothed(&off, &weights, CORNER_HZ, hop);
    let steps = (band.seconds() / STEP_S) as usize + 1;
    let of = |j: usize| {
        let t = time(j);
        let x = ((t - WINDOW_S / 2.0) / hop).clamp(0.0, (off.len() - 1) as f64);
        let n = (x as usize).min(off.len().saturating_sub(2));
        let next = off[(n + 1).min(off.len() - 1)];
        line.at_0 + line.slope * t + off[n] + (next - off[n]) * (x - n as f64)
    };
    Curve((0..steps).map(of).collect())
}

pub(super) fn extreme(curve: &[f32]) -> f32 {
    curve.iter().copied().fold(0.0, |best: f32, v| if v.abs() > best.abs() { v } else { best })
}

/// Where between points a parabola through three has its top, −0.5 … 0.5.
pub(super) fn top(curve: &[f32], at: usize, sign: f32) -> f64 {
    if at == 0 || at + 1 >= curve.len() {
        return 0.0;
    }
    let [a, b, c] = [curve[at - 1], curve[at], curve[at + 1]].map(|v| f64::from(sign * v));
    let bend = a - 2.0 * b + c;
    if bend < 0.0 { (0.5 * (a - c) / bend).clamp(-0.5, 0.5) } else { 0.0 }
}

/// Windows of both, cut along the line.
struct Cut<'a> {
    band: &'a Band,
    line: Line,
    hop_s: f64,
    taper: Vec<f32>,
}

impl Cut<'_> {
    /// Spectra of the send and of the print in a frame, and how far from the line the send was read, in seconds.
    fn spectra(&self, n: usize, t: &mut Transform, out: [&mut [Complex32]; 2]) -> f64 {
        let hz = self.band.hz;
        let from = (n as f64 * self.hop_s * hz) as i64;
        let lag = (self.line.at_0 + self.line.slope * (n as f64 * self.hop_s + WINDOW_S / 2.0)) * hz;
        let cut = |x: &[f32], from: i64| -> Vec<f32> {
            let mut out = vec![0f32; self.taper.len()];
            if let Some((first, at, count)) = overlap(from, out.len(), x.len() as i64) {
                let inside = out[at..at + count].iter_mut().zip(&x[first..first + count]).zip(&self.taper[at..]);
                inside.for_each(|((o, v), w)| *o = v * w);
            }
            out
        };
        let send = cut(&self.band.send.0, from - lag.round() as i64);
        t.forward_two([&send, &cut(&self.band.print.0, from)], out);
        (lag.round() - lag) / hz
    }
}

/// Correlations along the line, whitened by the power spectra of frames from all over, divided by their RMS.
fn frames(band: &Band, line: Line, (count, hop_s): (usize, f64), side: usize) -> Vec<Frame> {
    let window = (WINDOW_S * band.hz) as usize;
    let len = quick_len(window + side);
    let round = |i: usize| (0.5 - 0.5 * (2.0 * PI * (i as f64 + 0.5) / window as f64).cos()) as f32;
    let cut = Cut { band, line, hop_s, taper: (0..window).map(round).collect() };
    let bins = len / 2 + 1;
    let empty = || vec![Complex32::default(); bins];
    let mut whole = vec![[0f64; 2]; bins];
    let (mut t, mut a, mut b) = (Transform::new(len), empty(), empty());
    for n in (0..count).step_by(count.div_ceil(SPREAD)) {
        cut.spectra(n, &mut t, [&mut a, &mut b]);
        for (w, (a, b)) in whole.iter_mut().zip(a.iter().zip(&b)) {
            *w = [w[0] + f64::from(a.norm_sqr()), w[1] + f64::from(b.norm_sqr())];
        }
    }
    let largest = whole.iter().map(|w| w[0] * w[1]).fold(0.0, f64::max).sqrt();
    let bin = |hz: f64| (hz / band.hz * len as f64) as usize;
    let used = bin(BAND_HZ[0])..bin(BAND_HZ[1].min(0.45 * band.hz));
    let white = |(k, w): (usize, &[f64; 2])| {
        let power = (w[0] * w[1]).sqrt();
        if used.contains(&k) && power > 0.0 { (1.0 / (power + 1e-6 * largest)) as f32 } else { 0.0 }
    };
    let white: Vec<f32> = whole.iter().enumerate().map(white).collect();
    let tools = || {
        let inverse = planned(len, |p| p.plan_fft_inverse(len));
        let (input, out, scratch) = (inverse.make_input_vec(), inverse.make_output_vec(), inverse.make_scratch_vec());
        (Transform::new(len), empty(), empty(), input, out, scratch, inverse)
    };
    (0..count)
        .into_par_iter()
        .map_init(tools, |(t, a, b, input, out, scratch, inverse), n| {
            let rounded = cut.spectra(n, t, [&mut *a, &mut *b]);
            input.fill(Complex32::default());
            let cross = a.iter().zip(b.iter()).map(|(a, b)| a.conj() * b);
            input.iter_mut().zip(cross.zip(&white)).for_each(|(i, (c, w))| *i = c * w);
            inverse.process_with_scratch(input, out, scratch).expect("lengths fit by construction");
            let mut curve: Vec<f32> = out[len - side..].to_vec();
            curve.extend_from_slice(&out[..=side]);
            let rms = (curve.iter().map(|v| v * v).sum::<f32>() / curve.len() as f32).sqrt();
            if rms > 0.0 {
                curve.iter_mut().for_each(|v| *v /= rms);
            }
            Frame { height: extreme(&curve).abs(), curve, rounded }
        })
        .collect()
}

/// The lags, by their place in the curves, that score most together.
pub(super) fn path(frames: &[&Frame], sign: f32, reach: usize) -> Vec<usize> {
    let lags = frames[0].curve.len();
    let score = |f: &Frame, at: usize| (1.0 + sign * f.curve[at]).max(0.05).ln() * (f.height / FULL).min(1.0);
    let mut best: Vec<f32> = (0..lags).map(|at| score(frames[0], at)).collect();
    let mut came: Vec<Vec<i8>> = vec![vec![0; lags]];
    for f in &frames[1..] {
        let mut next = vec![f32::NEG_INFINITY; lags];
        // As wide as the values, so that both are chosen side by side.
        let mut from = vec![0i32; lags];
        for step in -(reach as i64)..=reach as i64 {
            let cost = STEP_COST * step.unsigned_abs() as f32;
            let (low, high) = (step.max(0) as usize, (lags as i64 + step.min(0)) as usize);
            let before = &best[(low as i64 - step) as usize..(high as i64 - step) as usize];
            for ((next, from), best) in next[low..high].iter_mut().zip(&mut from[low..high]).zip(before) {
                let value = best - cost;
                let better = value > *next;
                *next = if better { value } else { *next };
                *from = if better { step as i32 } else { *from };
            }
        }
        next.iter_mut().enumerate().for_each(|(at, v)| *v += score(f, at));
        best = next;
        came.push(from.into_iter().map(|step| step as i8).collect());
    }
    let mut at = (0..lags).max_by(|a, b| best[*a].total_cmp(&best[*b])).unwrap_or(0);
    let mut path = vec![at; frames.len()];
    for n in (1..frames.len()).rev() {
        at = (at as i64 - i64::from(came[n][at])) as usize;
        path[n - 1] = at;
    }
    path
}
