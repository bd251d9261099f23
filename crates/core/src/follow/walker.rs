//! Somebody who walks between two microphones: how much later the second hears him than the first, along time.
//!
//! Correlations of a quarter of a second, their spectra smoothed along time, are followed by the path of least cost; then again along the
//! lag that was found, twice, with a narrower search: a window in which the lag changes blurs its own peak.

use super::band::{Band, top};
use super::curve::{Curve, STEP_S};
use super::followed::{Followed, Left, nothing};
use super::frames::{Found, Frames, Shape, spread_out};
use super::print::left;
use super::refine::quantile;
use crate::progress::MeasureError;
use crate::signal::Source;
use crate::units::SampleRate;
use crate::verdict::Verdict;

/// Searched to either side, in seconds, round by round. The widest is what two microphones 14 m apart can have.
const SEARCH_S: [f64; 3] = [0.04, 0.004, 0.001_5];
/// Corners of the lag along time, in Hz: the sharper the windows are, the closer it is followed. Who passes a microphone at half a metre
/// turns the lag within half a second.
const CORNERS_HZ: [f64; 3] = [0.7, 1.2, 2.0];
/// Somebody who walks 1.5 m/s away from one microphone and towards the other changes the lag by 0.4 ms in a hop.
const SHAPE: Shape =
    Shape { window_s: 0.25, hop_s: 0.05, widest_s: SEARCH_S[0], band_hz: [150.0, 7_000.0], speed: 0.009 };
/// The longest that is followed, in seconds: the widest search of half an hour holds 300 MB.
const LONGEST_S: f64 = 1_800.0;
/// Least sound that tells anything, in seconds.
const LEAST_S: f64 = 2.0;
/// Part of the sounding frames that is decided in a solid and in a likely answer.
const SOLID: f64 = 0.8;
const LIKELY: f64 = 0.5;

/// Follows somebody who is heard by two microphones: how many frames later by the second, along time. Frames of the answer count from
/// the first of `second`. What it leaves is told as for a print, but no speed is.
///
/// # Errors
/// [`MeasureError`] when a recording cannot be read or `report` says stop.
pub fn walker(
    first: &dyn Source,
    second: &dyn Source,
    rate: SampleRate,
    report: &dyn Fn(f64) -> bool,
) -> Result<Followed, MeasureError> {
    let go_on = |part: f64| if report(part) { Ok(()) } else { Err(MeasureError::Stopped) };
    if first.frames().max(second.frames()) as f64 / rate.hz_f64() > LONGEST_S {
        return Ok(nothing("longer than half an hour: cut out a part"));
    }
    let band = top(first, second, rate)?;
    go_on(0.1)?;
    if band.seconds() < LEAST_S {
        return Ok(nothing("less than two seconds"));
    }
    let frames = Frames::of(&band, SHAPE)?;
    if frames.sounds.iter().filter(|s| **s).count() as f64 * SHAPE.hop_s < LEAST_S {
        return Ok(nothing("less than two seconds of sound in both"));
    }
    let mut curve = Curve::line((band.seconds() / STEP_S) as usize + 1, 0.0, 0.0);
    let mut found = Found { lags: Vec::new(), decided: Vec::new(), sign: 1.0 };
    for (n, (search_s, corner_hz)) in SEARCH_S.into_iter().zip(CORNERS_HZ).enumerate() {
        go_on(0.2 + 0.2 * n as f64)?;
        let heard = frames.heard(&curve, search_s)?;
        found = frames.followed(&heard, &curve, search_s, corner_hz);
        curve = spread_out(&found.lags, SHAPE.hop_s, curve.0.len());
    }
    go_on(0.8)?;
    judged(&band, &frames.sounds, &found, rate)
}

/// Before the first that is decided, and after the last, nobody knows where he goes: the lag stays.
fn held(lags: &[f64], decided: &[bool]) -> Vec<f64> {
    let (first, last) = (decided.iter().position(|d| *d), decided.iter().rposition(|d| *d));
    let Some((first, last)) = first.zip(last) else { return lags.to_vec() };
    (0..lags.len()).map(|n| lags[n.clamp(first, last)]).collect()
}

/// Everything about a lag that is as good as it gets.
fn judged(band: &Band, sounds: &[bool], found: &Found, rate: SampleRate) -> Result<Followed, MeasureError> {
    let Found { lags, decided, sign, .. } = found;
    let sounding = sounds.iter().filter(|s| **s).count();
    let told = decided.iter().filter(|d| **d).count();
    let share = told as f64 / sounding.max(1) as f64;
    if (told as f64) * SHAPE.hop_s < LEAST_S {
        return Ok(Followed { share, ..nothing("the two hear nothing in common for long enough") });
    }
    let lags = &held(lags, decided);
    let later = quantile(lags.iter().zip(decided).filter(|(_, d)| **d).map(|(l, _)| *l), 0.5);
    let hz = rate.hz_f64();
    let steps = (band.seconds() / STEP_S) as usize + 1;
    let one = left(band, &Curve::line(steps, later, 0.0))?;
    let all = left(band, &spread_out(lags, SHAPE.hop_s, steps))?;
    let verdict = match share {
        SOLID.. if all <= one + 0.1 => Verdict::Solid,
        LIKELY.. => Verdict::Likely,
        _ => Verdict::Undecided,
    };
    Ok(Followed {
        step_frames: SHAPE.hop_s * hz,
        lag_frames: lags.iter().map(|l| l * hz).collect(),
        measured: decided.to_vec(),
        later_frames: later * hz,
        line_frames: later * hz,
        invert: *sign < 0.0,
        share,
        left: Left { offset: one, drift: one, map: all },
        verdict,
        ..nothing(&format!("{:.0} % of what sounds could be decided", 100.0 * share))
    })
}
