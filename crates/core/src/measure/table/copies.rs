//! The same recording twice, or one channel on both: a fixed factor and nothing else between two tracks.

use crate::dsp::envelope::Envelope;
use crate::dsp::far_lag::far_lag;
use crate::measure::arrival::Copied;
use crate::measure::table::survey::{KEPT_MS, Survey};
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::{SampleRate, db_of_power};
use rayon::prelude::*;

/// What is left after the factor is taken out must be this far under the sound, in dB.
const LEFT_DB: f64 = -40.0;
/// Loud places compared.
const PLACES: usize = 12;
/// Factors of speed of a recording whose sample rate was mistaken.
const SPEEDS: [f64; 6] = [44_100.0 / 48_000.0, 48_000.0 / 44_100.0, 0.5, 2.0, 44_100.0 / 96_000.0, 96_000.0 / 44_100.0];

/// Compares the levels of every two tracks, then the samples of those whose levels keep a constant ratio.
///
/// # Errors
/// [`MeasureError::Read`] when a track cannot be read.
pub fn copies(sounds: &[&Placed], surveys: &[Survey], rate: SampleRate) -> Result<Vec<Copied>, MeasureError> {
    let mut found = Vec::new();
    for a in 0..sounds.len() {
        let loud = loudest(&surveys[a]);
        for b in a + 1..sounds.len() {
            for lag in [0, surveys[b].facts.start.since(surveys[a].facts.start)] {
                if one_ratio(&surveys[a].full, &surveys[b].full, &loud, lag)
                    && let Some(copied) = same(sounds, (a, b), &loud, lag, rate)?
                {
                    found.push(copied);
                    break;
                }
            }
        }
    }
    Ok(found)
}

/// Session frames of the loudest stretch in each part of a track.
fn loudest(s: &Survey) -> Vec<i64> {
    let n = s.full.power.len();
    let hop = s.full.hop as i64;
    let part = n.div_ceil(PLACES).max(1);
    (0..n)
        .step_by(part)
        .filter_map(|from| (from..(from + part).min(n)).max_by(|x, y| s.full.power[*x].total_cmp(&s.full.power[*y])))
        .filter(|i| s.full.power[*i] > 1e-9)
        .map(|i| s.full.first + i as i64 * hop)
        .collect()
}

fn one_ratio(a: &Envelope, b: &Envelope, places: &[i64], lag: i64) -> bool {
    let ratios: Vec<f64> = places
        .iter()
        .map(|p| db_of_power(f64::from(b.mean(p + lag, 1)).max(1e-20) / f64::from(a.mean(*p, 1)).max(1e-20)))
        .collect();
    let mean = ratios.iter().sum::<f64>() / ratios.len().max(1) as f64;
    ratios.len() >= 2 && mean.abs() < 60.0 && ratios.iter().all(|r| (r - mean).abs() < 1.0)
}

fn same(
    sounds: &[&Placed],
    (a, b): (usize, usize),
    places: &[i64],
    lag: i64,
    rate: SampleRate,
) -> Result<Option<Copied>, MeasureError> {
    let mut x = vec![0f32; index(rate.frames(0.1))];
    let mut y = x.clone();
    let (mut xx, mut yy, mut xy) = (0f64, 0f64, 0f64);
    for p in places {
        sounds[a].read(*p, &mut x)?;
        sounds[b].read(p + lag, &mut y)?;
        for (u, v) in x.iter().zip(&y) {
            let (u, v) = (f64::from(*u), f64::from(*v));
            xx += u * u;
            yy += v * v;
            xy += u * v;
        }
    }
    if xx <= 0.0 || yy <= 0.0 {
        return Ok(None);
    }
    let left = db_of_power((1.0 - xy * xy / (xx * yy)).max(1e-15));
    Ok((left < LEFT_DB).then(|| Copied { a, b, lag_frames: lag, gain_db: db_of_power(yy / xx), inverted: xy < 0.0 }))
}

/// Factor by which a track must be slowed down (under 1: sped up) to keep time with the others; none when it already does, or
/// when no usual factor helps.
///
/// `rest` gives what all other tracks have in common, `lost` the tracks nothing else was found of.
pub fn speeds(rest: impl Fn(usize) -> Option<Envelope> + Sync, surveys: &[Survey], lost: &[bool]) -> Vec<Option<f64>> {
    surveys
        .par_iter()
        .enumerate()
        .map(|(i, s)| {
            let rest = if lost[i] { rest(i)? } else { return None };
            let fits = |e: &Envelope| far_lag(&rest, e, KEPT_MS).is_some();
            if fits(&s.bright) {
                return None;
            }
            SPEEDS.into_iter().find(|f| fits(&stretched(&s.bright, *f)))
        })
        .collect()
}

fn stretched(e: &Envelope, factor: f64) -> Envelope {
    let n = (e.power.len() as f64 * factor) as usize;
    let power = (0..n).map(|i| e.power[((i as f64 / factor) as usize).min(e.power.len() - 1)]).collect();
    Envelope { power, first: e.first, hop: e.hop }
}
