//! A print by one offset and one speed only: read in places, so that it takes little longer than looking at the file.
//!
//! Long windows tell the line as for the whole lag; short ones along it tell how the lag lies about the line, and the line that leaves
//! least of that is the answer. The change along time between the windows is not seen.

use super::band::{Pair, halvings, part};
use super::coarse::{self, Line, WINDOW_S, WINDOWS};
use super::curve::{Curve, STEP_S};
use super::followed::{Followed, Left, nothing};
use super::model::Filter;
use super::print::{LONGEST_S, constant, limits};
use crate::dsp::spectrum::{Transform, planned, quick_len};
use crate::dsp::stats::{line as straight_line, median};
use crate::dsp::window::half_cosine;
use crate::progress::MeasureError;
use crate::signal::{Source, index};
use crate::units::SampleRate;
use crate::verdict::Verdict;
use rayon::prelude::*;
use realfft::num_complex::Complex32;

/// Places looked at in each part of the print, of which the loudest is taken.
const PLACES: usize = 4;
/// Short windows: how many, how long, and how far about the line their lag is looked for, in seconds.
const SHORT: usize = 48;
const SHORT_S: f64 = 0.35;
const ABOUT_S: f64 = 0.02;
/// Their band in Hz, and the exponent of the whitening.
const BAND_HZ: [f64; 2] = [100.0, 9_000.0];
const WHITE: f32 = 0.8;
/// A short window counts from this height over the RMS of its correlation on.
const CLEAR: f32 = 6.0;
/// Part of the windows that count in a print of this send.
const PRINT: f64 = 0.5;
/// Windows further from the line than this many median deviations do not count.
const OFF: f64 = 4.0;
/// Windows from which each filter is made.
const FITTED: usize = 120;

/// One short window: middle in seconds, lag in seconds, signed height over RMS.
#[derive(Clone, Copy)]
struct Lag {
    at: f64,
    lag: f64,
    height: f32,
}

/// Follows a print by one offset and by offset and speed: what [`super::follow`] tells of these two, in a fraction of its time. The lag
/// along time is the straight line, and nothing is known of wow; likely at most.
///
/// # Errors
/// [`MeasureError`] when a recording cannot be read or `report` says stop.
pub fn follow_straight(
    send: &dyn Source,
    print: &dyn Source,
    rate: SampleRate,
    report: &dyn Fn(f64) -> bool,
) -> Result<Followed, MeasureError> {
    let go_on = |part: f64| if report(part) { Ok(()) } else { Err(MeasureError::Stopped) };
    let pair = Pair { hz: rate.hz_f64(), send, print };
    if print.frames().max(send.frames()) as f64 / pair.hz > LONGEST_S {
        return Ok(nothing("longer than an hour: cut out a part"));
    }
    if (print.frames() as f64) < WINDOW_S * pair.hz {
        return Ok(nothing("less than a second and a half of the print"));
    }
    let starts = loud(print, rate)?;
    go_on(0.2)?;
    // The coarse line wants a low rate, the short windows the whole band.
    let lowered = halvings(rate) + 1;
    let curves: Vec<(f64, Vec<f32>)> = starts
        .par_iter()
        .map(|from| -> Result<_, MeasureError> {
            let (hz, whole) = (pair.hz / f64::from(1u32 << lowered), index(rate.frames(WINDOW_S)));
            let middle = (*from as f64 + whole as f64 / 2.0) / pair.hz;
            let came = part(print, *from, whole, lowered)?;
            let earlier = coarse::earlier(hz) << lowered;
            let sent = part(send, from - earlier, (came.len() + coarse::lags(hz)) << lowered, lowered)?;
            let sent = &sent[..(came.len() + coarse::lags(hz)).min(sent.len())];
            Ok((middle, coarse::heights(hz, sent, &came)))
        })
        .collect::<Result<_, _>>()?;
    let Some((line, _)) = coarse::best_of(&curves) else { return Ok(nothing("one of the two is silent")) };
    go_on(0.6)?;
    let lags = short(pair, rate, line, &starts)?;
    go_on(0.8)?;
    judged(pair, &lags)
}

/// Beginnings of the loudest places, one in each equal part, that sound.
fn loud(print: &dyn Source, rate: SampleRate) -> Result<Vec<i64>, MeasureError> {
    let window = index(rate.frames(WINDOW_S));
    let frames = index(print.frames());
    let parts = WINDOWS.min(frames / window).max(1);
    let of = |part: usize| -> Result<Option<i64>, MeasureError> {
        let (from, to) = (part * frames / parts, ((part + 1) * frames / parts).saturating_sub(window));
        let mut best: Option<(f32, i64)> = None;
        let mut x = vec![0f32; window];
        for k in 0..PLACES {
            // A whole number of frames of any lowered rate.
            let at = (from + to.saturating_sub(from) * k / (PLACES - 1).max(1)) as i64 & !15;
            print.read(at, &mut x)?;
            let energy = x.iter().map(|v| v * v).sum::<f32>();
            if energy > best.map_or(0.0, |b| b.0) {
                best = Some((energy, at));
            }
        }
        Ok(best.map(|b| b.1))
    };
    let all: Vec<Option<i64>> = (0..parts).into_par_iter().map(of).collect::<Result<_, _>>()?;
    Ok(all.into_iter().flatten().collect())
}

/// The lags of short windows in the loud places, about a line.
fn short(pair: Pair, rate: SampleRate, line: Line, starts: &[i64]) -> Result<Vec<Lag>, MeasureError> {
    let window = index(rate.frames(SHORT_S));
    let each = SHORT.div_ceil(starts.len().max(1)).min((WINDOW_S / SHORT_S) as usize);
    let begin = |n: usize| starts[n / each] + (n % each * window) as i64;
    let side = index(rate.frames(ABOUT_S));
    let len = quick_len(window + side + 1);
    let bins = len / 2 + 1;
    let bin = |hz: f64| (hz / pair.hz * len as f64) as usize;
    let used = bin(BAND_HZ[0])..bin(BAND_HZ[1].min(0.42 * pair.hz));
    let round = |n: usize| half_cosine(n.min(window - 1 - n).min(window / 2), window / 2);
    let tools = || (Transform::new(len), [vec![0f32; window], vec![0f32; window]]);
    (0..starts.len() * each)
        .into_par_iter()
        .map_init(tools, |(t, [x, y]), n| -> Result<Lag, MeasureError> {
            let from = begin(n);
            let at = (from as f64 + window as f64 / 2.0) / pair.hz;
            let about = ((line.at_0 + line.slope * at) * pair.hz).round() as i64;
            pair.send.read(from - about, x)?;
            pair.print.read(from, y)?;
            for window in [&mut *x, &mut *y] {
                window.iter_mut().enumerate().for_each(|(n, v)| *v *= round(n));
            }
            let (mut a, mut b) = (vec![Complex32::default(); bins], vec![Complex32::default(); bins]);
            t.forward_two([x, y], [&mut a, &mut b]);
            let mut cross = vec![Complex32::default(); bins];
            for k in used.clone() {
                let c = a[k].conj() * b[k];
                let size = c.norm();
                cross[k] = if size > 0.0 { c * size.powf(-WHITE) } else { c };
            }
            let inverse = planned(len, |p| p.plan_fft_inverse(len));
            let mut out = inverse.make_output_vec();
            inverse.process(&mut cross, &mut out).expect("lengths fit by construction");
            let curve = [&out[len - side..], &out[..=side]].concat();
            let rms = (curve.iter().map(|v| v * v).sum::<f32>() / curve.len() as f32).sqrt().max(f32::MIN_POSITIVE);
            let top = (1..curve.len() - 1).max_by(|a, b| curve[*a].abs().total_cmp(&curve[*b].abs())).unwrap_or(side);
            let [l, m, r] = [curve[top - 1], curve[top], curve[top + 1]].map(|v| f64::from(v * curve[top].signum()));
            let bend = l - 2.0 * m + r;
            let between = if bend < 0.0 { (0.5 * (l - r) / bend).clamp(-0.5, 0.5) } else { 0.0 };
            let lag = (about as f64 + top as f64 + between - side as f64) / pair.hz;
            Ok(Lag { at, lag, height: curve[top] / rms })
        })
        .collect()
}

/// The line that leaves least, and what it and one offset leave of the print.
fn judged(pair: Pair, lags: &[Lag]) -> Result<Followed, MeasureError> {
    let sum: f32 = lags.iter().filter(|l| l.height.abs() > CLEAR).map(|l| l.height).sum();
    let mut kept: Vec<(f64, f64)> =
        lags.iter().filter(|l| l.height * sum.signum() > CLEAR).map(|l| (l.at, l.lag)).collect();
    let share = kept.len() as f64 / lags.len().max(1) as f64;
    if share < PRINT || kept.len() < 3 {
        return Ok(Followed { share, ..nothing("not a print of this send, or too little of it sounds") });
    }
    let mut line = straight_line(&kept).unwrap_or((kept[0].1, 0.0));
    for _ in 0..3 {
        let off = |p: &(f64, f64)| (p.1 - line.0 - line.1 * p.0).abs();
        let usual = median(&mut kept.iter().map(off).collect::<Vec<_>>()).unwrap_or(0.0);
        let near: Vec<(f64, f64)> = kept.iter().filter(|p| off(p) <= OFF * usual + 1.0 / pair.hz).copied().collect();
        line = straight_line(&near).unwrap_or(line);
        kept = near;
    }
    let steps = (pair.print.frames() as f64 / pair.hz / STEP_S) as usize + 1;
    let fit = |at_0: f64, slope: f64| Filter::fit_from(pair, &Curve::line(steps, at_0, slope), FITTED);
    let drift = fit(line.0, line.1)?;
    // The filter takes a constant lag upon itself.
    let own = constant(&drift, pair.hz);
    let at_0 = line.0 + own.map_or(0.0, |c| c.delay / pair.hz);
    let later = median(&mut kept.iter().map(|p| at_0 + line.1 * p.0).collect::<Vec<_>>()).unwrap_or(at_0);
    let offset = fit(later, 0.0)?;
    let limits = limits(pair.hz);
    let left = Left {
        offset: offset.left_db(pair.hz, limits),
        drift: drift.left_db(pair.hz, limits),
        map: drift.left_db(pair.hz, limits),
    };
    let hz = pair.hz;
    let ends = [0.5, 1.5].map(|n| (at_0 + line.1 * n * pair.print.frames() as f64 / hz) * hz);
    Ok(Followed {
        step_frames: pair.print.frames() as f64,
        lag_frames: ends.to_vec(),
        measured: vec![true; 2],
        later_frames: later * hz,
        drift_ppm: line.1 * 1e6,
        line_frames: at_0 * hz,
        invert: own.map_or(sum < 0.0, |c| c.invert),
        share,
        left,
        verdict: Verdict::Likely,
        ..nothing(&format!("{} short windows lie along one line", kept.len()))
    })
}
