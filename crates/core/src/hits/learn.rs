//! What is learnt of every source from the strokes at which it leads: how loud it is, and what of it reaches the other microphones.

use super::bins::{BANDS, BEFORE_S, Bins, PEAK_S, bins_of};
use crate::dsp::stats::thin;
use crate::measure::arrival::{Row, Table};
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::units::{SampleRate, SessionFrame};
use crate::verdict::Verdict;
use rayon::prelude::*;

/// Strokes learnt from.
const MOST_STROKES: usize = 40;
/// With fewer nothing is learnt.
const FEWEST_STROKES: usize = 3;
/// With fewer that are heard alone, the passages in which the source leads are used too: a snare that always falls together with a hat.
const ENOUGH_STROKES: usize = 8;
/// A stroke is looked for in so much of a passage, in seconds.
const PASSAGE_S: f64 = 0.25;
/// In one band at least so much of a stroke's peak was not there before.
const RISES: f32 = 0.5;
/// A source's own strokes lie within this of its second loudest, in dB. What leads here and is softer may be something else without a
/// microphone: a cymbal beside a drum that is seldom struck.
const OWN_DB: f32 = 14.0;
/// What is read before and after a stroke of the table, whose moment is known to a millisecond or two; in seconds.
const ABOUT_S: [f64; 2] = [0.012, 0.012];
/// Other sources only add to what is heard of one, so that the true share lies below the median (found on simulated sets).
const LEAK_PART: f64 = 0.35;
/// A source's usual stroke, among its strokes.
const LOUD_PART: f64 = 0.7;
/// What is taken for its share in another microphone where nothing could be learnt.
const UNKNOWN_LEAK: f32 = 0.25;

/// A source as its strokes are looked for.
#[derive(Debug, Clone, PartialEq)]
pub struct Source {
    /// Its own microphone, by index.
    pub home: usize,
    /// When it is heard in every microphone, in frames against its own; none where that is not known or it is not heard.
    pub lags: Vec<Option<f64>>,
    /// Those lags that are beyond doubt.
    pub sure: Vec<bool>,
    /// Amplitude in every microphone as part of that in its own, by band.
    pub leak: Vec<[f32; BANDS]>,
    /// Peak of a usual stroke in its own microphone, by band.
    pub loud: [f32; BANDS],
    /// Strokes this was learnt from.
    pub strokes: usize,
    /// How far it stands from its own microphone, in metres; none where the arrivals do not tell.
    pub path_m: Option<f64>,
}

impl Source {
    /// Something in one of so many microphones, of which nothing is known.
    pub fn unknown(home: usize, microphones: usize) -> Self {
        Self {
            home,
            lags: vec![None; microphones],
            sure: vec![false; microphones],
            leak: vec![[0.0; BANDS]; microphones],
            loud: [0.0; BANDS],
            strokes: 0,
            path_m: None,
        }
    }

    /// More of it in the highs than in all below: cymbals, shakers, claps.
    pub fn is_bright(&self) -> bool {
        self.loud[2] > self.loud[0].max(self.loud[1])
    }
}

/// Every source of the table that has strokes.
///
/// # Errors
/// [`MeasureError::Read`] when a sound cannot be read.
pub fn learn(table: &Table, sounds: &[Placed], rate: SampleRate) -> Result<Vec<Source>, MeasureError> {
    let path = |n: usize| Some(table.places.as_ref()?.beacons.get(n).copied().flatten()?.path_m);
    let of = |(n, row): (usize, &Row)| learnt(row, path(n), sounds, rate);
    let learnt = table.rows.par_iter().enumerate().map(of).collect::<Result<Vec<_>, _>>()?;
    Ok(learnt.into_iter().flatten().collect())
}

/// What one stroke shows in one microphone: its peak, and by how much it rises over what sounded before.
#[derive(Clone, Copy)]
struct Shown {
    peak: f32,
    rise: f32,
}

fn learnt(row: &Row, path_m: Option<f64>, sounds: &[Placed], rate: SampleRate) -> Result<Option<Source>, MeasureError> {
    let moments = |of: &[SessionFrame]| thin(&of.iter().map(|h| h.0).collect::<Vec<_>>(), MOST_STROKES);
    let (before, after) = (rate.frames(ABOUT_S[0]), rate.frames(ABOUT_S[1]));
    let mut places: Vec<[i64; 2]> = moments(&row.hits).into_iter().map(|at| [at - before, at + after]).collect();
    if places.len() < ENOUGH_STROKES {
        let within = rate.frames(PASSAGE_S);
        places.extend(moments(&row.passages).into_iter().map(|at| [at - before, at + within]));
    }
    let lags: Vec<Option<f64>> =
        (row.cells.iter().enumerate()).map(|(m, c)| if m == row.home { Some(0.0) } else { c.lag_frames }).collect();
    let sure = (row.cells.iter().enumerate()).map(|(m, c)| m == row.home || c.verdict == Verdict::Solid).collect();
    let shown = places.iter().map(|at| shown(row.home, &lags, *at, sounds, rate)).collect::<Result<Vec<_>, _>>()?;
    let shown = own(shown.into_iter().filter(|s| is_struck(&s[row.home])).collect(), row.home);
    if shown.len() < FEWEST_STROKES {
        return Ok(None);
    }
    let peaks = |b: usize| shown.iter().map(|s| s[row.home][b].peak).collect::<Vec<f32>>();
    let loud = std::array::from_fn(|b| part(peaks(b), LOUD_PART));
    let leak = (0..sounds.len())
        .map(|m| {
            std::array::from_fn(|b| {
                let of = |s: &Vec<[Shown; BANDS]>| s[m][b].rise / s[row.home][b].peak.max(f32::MIN_POSITIVE);
                if lags[m].is_some() { part(shown.iter().map(of).collect(), LEAK_PART) } else { UNKNOWN_LEAK }
            })
        })
        .collect();
    Ok(Some(Source { home: row.home, lags, sure, leak, loud, strokes: shown.len(), path_m }))
}

/// Does it begin there? A tone that goes on does not.
fn is_struck(own: &[Shown; BANDS]) -> bool {
    own.iter().any(|b| b.rise > RISES * b.peak)
}

/// The source's own strokes: those of the loud ones' kind.
fn own(mut shown: Vec<Vec<[Shown; BANDS]>>, home: usize) -> Vec<Vec<[Shown; BANDS]>> {
    let loudest = |s: &[[Shown; BANDS]]| s[home].iter().map(|b| b.peak).fold(0.0, f32::max);
    let mut peaks: Vec<f32> = shown.iter().map(|s| loudest(s)).collect();
    peaks.sort_by(|a, b| b.total_cmp(a));
    let least = peaks.get(1).copied().unwrap_or(0.0) * 10f32.powf(-OWN_DB / 20.0);
    shown.retain(|s| loudest(s) >= least);
    shown
}

/// A stroke that begins within a stretch, in every microphone, by band.
fn shown(
    home: usize,
    lags: &[Option<f64>],
    [from, to]: [i64; 2],
    sounds: &[Placed],
    rate: SampleRate,
) -> Result<Vec<[Shown; BANDS]>, MeasureError> {
    let own = sounds[home];
    let peak = bins_of(PEAK_S, rate);
    let count = ((to - from) / Bins::hop(rate)) as usize;
    let bins = Bins::read(&[own], from, count, rate)?;
    // Where it rises most over what sounded before.
    let largest: [f32; BANDS] = std::array::from_fn(|b| bins.most([0, b], 0, count as i64).max(f32::MIN_POSITIVE));
    let rise = |n: &i64| (0..BANDS).map(|b| bins.rise([0, b], *n..=*n) / largest[b]).sum::<f32>();
    let begins = (bins_of(BEFORE_S, rate)..count as i64 - peak).max_by(|a, b| rise(a).total_cmp(&rise(b))).unwrap_or(0);
    let moment = bins.first + begins * bins.hop;
    // Every microphone as if it stood where the own one does.
    let aligned: Vec<Placed> = sounds.iter().zip(lags).map(|(sound, lag)| earlier(sound, *lag)).collect();
    let look = bins_of(BEFORE_S, rate) + 4;
    let all = Bins::read(&aligned, moment - look * bins.hop, (look + peak + 4) as usize, rate)?;
    let shown =
        |of: [usize; 2]| Shown { peak: all.most(of, look - 2, look + peak), rise: all.rise(of, look - 2..=look + 2) };
    Ok((0..sounds.len()).map(|m| std::array::from_fn(|b| shown([m, b]))).collect())
}

/// A sound as if it had arrived without its lag.
fn earlier<'a>(sound: &Placed<'a>, lag: Option<f64>) -> Placed<'a> {
    Placed { start: sound.start.plus(-lag.unwrap_or(0.0).round() as i64), ..*sound }
}

/// The value that this part of all lies under.
fn part(mut values: Vec<f32>, part: f64) -> f32 {
    values.sort_by(f32::total_cmp);
    values.get((values.len().saturating_sub(1) as f64 * part).round() as usize).copied().unwrap_or(0.0)
}
