//! A print measured against its send.

use crate::dsp::one_delay::{OneDelay, one_delay};
use crate::follow::band::{Band, Pair, bands};
use crate::follow::coarse;
use crate::follow::curve::{Curve, STEP_S, time};
use crate::follow::fill::{Swing, filled, swings};
use crate::follow::followed::{Followed, Left, Wow, nothing};
use crate::follow::model::{Filter, Sums};
use crate::follow::refine::{HIGHEST, LOWEST_HZ, Pass, information, quantile, refined};
use crate::follow::track;
use crate::progress::MeasureError;
use crate::signal::{ReadError, Source};
use crate::units::SampleRate;
use crate::verdict::Verdict;
use realfft::num_complex::Complex;

/// The longest print that is followed, in seconds.
pub const LONGEST_S: f64 = 3_600.0;
/// Bands, lowest first.
const PASSES: [Pass; 3] = [
    Pass { highest_hz: 1_200.0, corner_hz: 4.0, rounds: [1, 8] },
    Pass { highest_hz: 4_000.0, corner_hz: 8.0, rounds: [1, 3] },
    Pass { highest_hz: 9_000.0, corner_hz: 30.0, rounds: [1, 2] },
];
/// A step is measured when the 35 ms about it tell the lag within this, in samples at 48 kHz, and the model explains the print so well
/// over 100 ms. What lies further off tells nothing here: the curve bends within 30 ms.
const CLOSE: usize = 3;
const ABOUT: usize = 20;
const WITHIN: f64 = 0.5;
const ALIKE: f64 = 0.7;
/// A step sounds when the 100 ms about it are less than this below the loud ones, in dB.
const SOUNDS_DB: f64 = 40.0;
const LOUD: f64 = 0.95;
/// Least sound, in seconds, that tells anything.
const LEAST_S: f64 = 0.5;
/// Part of the sounding steps that is measured in a print of this send, and in one that is not.
const PRINT: f64 = 0.6;
const STRANGER: f64 = 0.05;
/// One delay explains the filter this well in a solid answer, and the filter comes through up to here, in Hz: what is lost above is lost
/// by a filter whose delay cannot be told from the path's.
const ONE_DELAY: f64 = 0.85;
const REACHES_HZ: f64 = 6_000.0;
/// The magnitude is held outside this band, and the phase of that one tells the constant part of the lag and the polarity, in Hz.
const HELD_HZ: [f64; 2] = [60.0, 19_500.0];
const JUDGED_HZ: [f64; 2] = [200.0, 12_000.0];
/// Periodic changes told.
const SWINGS: usize = 5;

/// Follows a print: how late it is against its send along time, from −0.25 to 10 s, its polarity, and what corrections leave.
///
/// # Errors
/// [`MeasureError`] when a recording cannot be read or `report` says stop.
pub fn follow(
    send: &dyn Source,
    print: &dyn Source,
    rate: SampleRate,
    report: &dyn Fn(f64) -> bool,
) -> Result<Followed, MeasureError> {
    let go_on = |part: f64| if report(part) { Ok(()) } else { Err(MeasureError::Stopped) };
    if print.frames().max(send.frames()) as f64 / rate.hz_f64() > LONGEST_S {
        return Ok(nothing("longer than an hour: cut out a part"));
    }
    let (top, middle, low) = bands(send, print, rate)?;
    go_on(0.1)?;
    if top.seconds() < LEAST_S {
        return Ok(nothing("less than half a second of the print"));
    }
    let Some(line) = coarse::line(&middle) else { return Ok(nothing("one of the two is silent")) };
    go_on(0.2)?;
    let mut curve = track::begun(&middle, line);
    let [first, second, last] = &PASSES;
    let lower = |curve| -> Result<Curve, ReadError> { refined(&middle, refined(&low, curve, first)?, second) };
    go_on(0.3)?;
    curve = lower(curve)?;
    go_on(0.5)?;
    curve = refined(&top, curve, last)?;
    go_on(0.8)?;
    judged(&top, Pair { hz: rate.hz_f64(), send, print }, &curve)
}

/// What a lag along time leaves, as [`Left`] has it, in dB: for comparison with a truth that is known. `lag_frames` as in [`Followed`].
///
/// # Errors
/// [`MeasureError`] when a recording cannot be read.
pub fn left_along(
    send: &dyn Source,
    print: &dyn Source,
    rate: SampleRate,
    lag_frames: &[f64],
) -> Result<f64, MeasureError> {
    let (top, ..) = bands(send, print, rate)?;
    let curve = Curve(lag_frames.iter().map(|l| l / rate.hz_f64()).collect());
    Ok(left(&top, &curve)?)
}

pub(super) fn limits(hz: f64) -> [f64; 2] {
    [LOWEST_HZ, PASSES[2].highest_hz.min(HIGHEST * hz)]
}

/// What the filter that fits best along a curve leaves, in dB.
pub(super) fn left(top: &Band, way: &Curve) -> Result<f64, ReadError> {
    Ok(Filter::fit(top.pair(), way)?.left_db(top.hz, limits(top.hz)))
}

/// Everything about a curve that is as good as it gets.
fn judged(top: &Band, whole: Pair, curve: &Curve) -> Result<Followed, MeasureError> {
    let limits = limits(top.hz);
    let filter = Filter::fit(top.pair(), curve)?;
    let sums = filter.sums(top, curve, limits)?;
    let (measured, sounding) = (measured(top, &sums, limits), sounding(top, sums.len()));
    let count = |of: &[bool]| of.iter().filter(|b| **b).count();
    let both: Vec<bool> = measured.iter().zip(&sounding).map(|(m, s)| *m && *s).collect();
    let share = count(&both) as f64 / count(&sounding).max(1) as f64;
    if (count(&sounding) as f64) * STEP_S < LEAST_S {
        return Ok(nothing("too little sound in the print"));
    }
    if share < STRANGER {
        return Ok(Followed { share, ..nothing("not a print of this send: the send does not predict it") });
    }
    let whole_filter = Filter::fit(whole, curve)?;
    let reaches_hz = whole_filter.reaches as f64 * whole.hz / whole_filter.len as f64;
    let constant = constant(&whole_filter, whole.hz);
    let curve = curve.clone().later(constant.map_or(0.0, |c| c.delay / whole.hz));
    let line = line_through(&curve, &both);
    let curve = filled(&curve, &both, line);
    let later = quantile(curve.0.iter().zip(&both).filter(|(_, m)| **m).map(|(l, _)| *l), 0.5);
    let steps = curve.0.len();
    let frames = whole.hz;
    let wow = |s: Swing| Wow { hz: s.hz, frames: s.seconds * frames, speed: s.seconds * std::f64::consts::TAU * s.hz };
    let told = constant.is_some_and(|c| c.quality > ONE_DELAY) && reaches_hz > REACHES_HZ;
    let percent = 100.0 * share;
    let (verdict, reason) = match share {
        _ if constant.is_none() => {
            (Verdict::Undecided, "too little of the band comes through to tell its polarity".into())
        }
        PRINT.. if told => (Verdict::Solid, format!("{percent:.0} % of what sounds could be measured")),
        PRINT.. => (
            Verdict::Likely,
            format!(
                "{percent:.0} % of what sounds could be measured; with little above {:.0} kHz, or coloured strongly, its constant part is unsure by a sample or two",
                reaches_hz / 1e3
            ),
        ),
        _ => (Verdict::Undecided, format!("only {percent:.0} % of what sounds could be measured")),
    };
    Ok(Followed {
        step_frames: STEP_S * frames,
        measured: both.clone(),
        later_frames: later * frames,
        drift_ppm: line[1] * 1e6,
        line_frames: line[0] * frames,
        invert: constant.is_some_and(|c| c.invert),
        share,
        left: Left {
            offset: left(top, &Curve::line(steps, later, 0.0))?,
            drift: left(top, &Curve::line(steps, line[0], line[1]))?,
            map: left(top, &curve)?,
        },
        wow: swings(&curve, &both, line, SWINGS).into_iter().map(wow).collect(),
        lag_frames: curve.0.iter().map(|l| l * frames).collect(),
        verdict,
        reason,
    })
}

/// The steps about which the lag is told closely and the model is like the print.
fn measured(band: &Band, sums: &[Sums], limits: [f64; 2]) -> Vec<bool> {
    let info = information(band, sums, limits);
    let within = WITHIN * band.hz / 48_000.0;
    let of = |j: usize| {
        let near = j.saturating_sub(ABOUT / 2)..(j + ABOUT / 2 + 1).min(sums.len());
        let told: f64 = info[j.saturating_sub(CLOSE)..(j + CLOSE + 1).min(sums.len())].iter().sum();
        let total = |f: fn(&Sums) -> f64| sums[near.clone()].iter().map(f).sum::<f64>();
        let alike = total(|s| s.both) / (total(|s| s.print) * total(|s| s.model)).sqrt().max(f64::MIN_POSITIVE);
        told > 1.0 / within.powi(2) && alike > ALIKE
    };
    (0..sums.len()).map(of).collect()
}

/// The steps about which the print sounds.
fn sounding(band: &Band, steps: usize) -> Vec<bool> {
    let print = &band.print.0;
    let at = |step: usize| ((step as f64 * STEP_S * band.hz).round() as usize).min(print.len());
    let power: Vec<f64> = (0..steps)
        .map(|j| {
            let of = &print[at(j)..at(j + 1)];
            of.iter().map(|v| f64::from(v * v)).sum::<f64>() / of.len().max(1) as f64
        })
        .collect();
    let near = |j: usize| &power[j.saturating_sub(ABOUT / 2)..(j + ABOUT / 2 + 1).min(steps)];
    let power: Vec<f64> = (0..steps).map(|j| near(j).iter().sum::<f64>() / near(j).len() as f64).collect();
    let least = quantile(power.iter().copied(), LOUD) * 10f64.powf(-SOUNDS_DB / 10.0);
    power.iter().map(|p| *p > least.max(1e-9)).collect()
}

/// The constant part of the lag that the filter has taken upon itself, and the polarity.
pub(super) fn constant(filter: &Filter, hz: f64) -> Option<OneDelay> {
    let bins: Vec<Complex<f64>> = filter.bins.iter().map(|b| Complex::new(f64::from(b.re), f64::from(b.im))).collect();
    let bin = |f: f64| (f / hz * filter.len as f64).round() as usize;
    let held = [bin(HELD_HZ[0]), bin(HELD_HZ[1].min(0.45 * hz)).min(filter.reaches)];
    let judged = bin(JUDGED_HZ[0])..bin(JUDGED_HZ[1].min(0.4 * hz)).min(filter.reaches);
    if held[1] <= held[0] || judged.len() < 8 {
        return None;
    }
    one_delay(&bins, held, judged, filter.len)
}

/// Lag at time 0 and slope of the straight line through what was measured.
fn line_through(curve: &Curve, measured: &[bool]) -> [f64; 2] {
    let (mut n, mut t, mut l, mut tt, mut tl) = (0.0, 0.0, 0.0, 0.0, 0.0);
    for (j, lag) in curve.0.iter().enumerate().filter(|(j, _)| measured[*j]) {
        let x = time(j);
        (n, t, l, tt, tl) = (n + 1.0, t + x, l + lag, tt + x * x, tl + x * lag);
    }
    let spread = tt - t * t / f64::max(n, 1.0);
    let slope = if spread > 0.0 { (tl - t * l / n) / spread } else { 0.0 };
    [(l - slope * t) / f64::max(n, 1.0), slope]
}
