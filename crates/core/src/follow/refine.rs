//! Gauss–Newton: the print is predicted from the send along the curve, and the curve corrected by what is left.

use crate::follow::band::Band;
use crate::follow::curve::{Curve, STEP_S, smoothed};
use crate::follow::model::{Filter, Sums};
use crate::signal::ReadError;

/// Lower edge of every band, in Hz.
pub(super) const LOWEST_HZ: f64 = 80.0;
/// Highest upper edge of a band, as a part of its rate.
pub(super) const HIGHEST: f64 = 0.42;
/// Rounds end when this part of the steps moves by less than that, in samples of the band.
const MOST: f64 = 0.98;
const SETTLED: f64 = 0.1;
/// What is left is looked at over so many steps to weigh it: 20 ms.
const LOCAL: usize = 4;
/// Part of the steps whose remainder counts as noise that is everywhere.
const QUIET: f64 = 0.05;
/// Part of the steps above whose information none counts more; less counts by this power of it. As it is, a decaying tone of a thousandth
/// of the information would be smoothed so hard that no wow is followed through it, though it tells the lag to half a sample.
const CAP: f64 = 0.9;
const EVEN: f64 = 0.5;

/// How a curve is corrected in one band.
pub(super) struct Pass {
    /// Upper edge of the band, in Hz.
    pub(super) highest_hz: f64,
    /// Corner of the curve, in Hz.
    pub(super) corner_hz: f64,
    /// Fewest and most rounds.
    pub(super) rounds: [usize; 2],
}

/// The curve after some rounds in a band.
pub(super) fn refined(band: &Band, mut curve: Curve, pass: &Pass) -> Result<Curve, ReadError> {
    // Recordings of low rates reach less far up.
    let limits = [LOWEST_HZ, pass.highest_hz.min(HIGHEST * band.hz)];
    for round in 1..=pass.rounds[1] {
        let sums = Filter::fit(band.pair(), &curve)?.sums(band, &curve, limits)?;
        let mut info = information(band, &sums, limits);
        // Half a period of the upper edge would be the next minimum.
        let most = band.hz / (4.0 * limits[1]);
        let off = |(s, w): (&Sums, &f64)| if *w > 0.0 { (-s.slope_left / s.slope).clamp(-most, most) } else { 0.0 };
        let moved: Vec<f64> = sums.iter().zip(&info).zip(&curve.0).map(|(sw, lag)| lag + off(sw) / band.hz).collect();
        let cap = quantile(info.iter().copied().filter(|w| *w > 0.0), CAP);
        info.iter_mut().for_each(|w| *w = (w.min(cap) / cap.max(f64::MIN_POSITIVE)).powf(EVEN));
        let next = Curve(smoothed(&moved, &info, pass.corner_hz, STEP_S));
        let steps = next.0.iter().zip(&curve.0).map(|(next, now)| (next - now).abs() * band.hz);
        let moving = quantile(steps, MOST) > SETTLED;
        curve = next;
        if round >= pass.rounds[0] && !moving {
            break;
        }
    }
    Ok(curve)
}

/// What each step tells of the lag: 1/variance, in samples of the band. What is left is taken as noise that is white within `limits`.
pub(super) fn information(band: &Band, sums: &[Sums], limits: [f64; 2]) -> Vec<f64> {
    // Independent values a step.
    let values = 2.0 * (limits[1] - limits[0]) * STEP_S;
    let near = |j: usize| &sums[j.saturating_sub(LOCAL / 2)..(j + LOCAL / 2 + 1).min(sums.len())];
    let mean = |j: usize| near(j).iter().map(|s| s.left).sum::<f64>() / near(j).len() as f64;
    let left: Vec<f64> = (0..sums.len()).map(mean).collect();
    let everywhere = quantile(left.iter().copied().filter(|l| *l > 0.0), QUIET);
    let noise = |l: f64| (l + everywhere) / (STEP_S * band.hz);
    let samples = STEP_S * band.hz;
    let told = |(s, l): (&Sums, &f64)| if s.slope > 0.0 { s.slope / noise(*l) * values / samples } else { 0.0 };
    sums.iter().zip(&left).map(told).collect()
}

/// The value that a part of all lies below; 0 when there is none.
pub(super) fn quantile(values: impl Iterator<Item = f64>, part: f64) -> f64 {
    let mut all: Vec<f64> = values.collect();
    if all.is_empty() {
        return 0.0;
    }
    let at = ((all.len() - 1) as f64 * part) as usize;
    *all.select_nth_unstable_by(at, f64::total_cmp).1
}
