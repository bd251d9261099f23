//! A track that doubles another hit by hit: a replaced sample, a clap over a snare, the print of a trigger.
//!
//! [`strokes`] finds what is struck in each of the two, [`clusters`] finds those that sound alike and makes their moments agree,
//! [`pairs`] says which belongs to which, [`polarity`] which way up they are; [`onto`] sets the one onto the other.

mod clusters;
pub mod onto;
mod pairs;
mod polarity;
mod strokes;

use crate::dsp::stats::median;
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::units::SampleRate;
use crate::verdict::Verdict;
use clusters::{Moments, alike, settled};
use pairs::{common_lag, paired};
use strokes::{Struck, strokes};

/// A stroke of the source and of the layer rises by so much over the five milliseconds before, in dB: a source rings and hears others,
/// while the second of two strokes of a layer begins in the sound of the first.
const RISES_DB: [f64; 2] = [8.0, 5.0];
/// Strokes of one are the other's within this of the common lag, in seconds.
const REACH_S: f64 = 0.008;
/// So many strokes that sound alike, whose moments agree within so many frames at 48 kHz, for a match to be solid.
const FEWEST: usize = 3;
const SPREAD_S: f64 = 3.0 / 48_000.0;
/// Where two sounds are the same, correlated in the median by so much, their lag is read from the sounds themselves.
const SAME: f64 = 0.9;
/// A match of the same sound is one when its own two strokes are correlated by this.
const SAME_HERE: f64 = 0.8;
/// What is softer than this part of the median match is no stroke that anybody would miss.
const MISSED_PART: f32 = 0.12;
/// The loud strokes of a track are this part up in the order of their levels. One this loud against them is certainly one; others are
/// where they are correlated by so much (in the source, in the layer) with one of so many certain ones.
const LOUD_PART: f64 = 0.9;
const CERTAIN: f64 = 0.6;
const KNOWN: [f64; 2] = [0.85, 0.7];
const COMPARED: usize = 40;
/// A stroke that is told by its double alone is off the common lag by no more than so many times what most are.
const USUALLY: f64 = 4.0;

/// A stroke and its double, in session frames.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Match {
    /// When it begins in the source.
    pub source: f64,
    /// And in the layer.
    pub layer: f64,
    /// How sure.
    pub verdict: Verdict,
}

impl Match {
    /// By how many frames the layer is later.
    pub fn lag(&self) -> f64 {
        self.layer - self.source
    }
}

/// How a layer stands to its source.
#[derive(Debug, Clone, PartialEq)]
pub struct Layered {
    /// In the order of time.
    pub matches: Vec<Match>,
    /// Strokes of the source that the layer misses, in session frames.
    pub unmatched_source: Vec<f64>,
    /// Strokes of the layer that the source has not, second ones of one among them.
    pub unmatched_layer: Vec<f64>,
    /// It plays inverted against the source.
    pub invert: bool,
    /// How sure that is; undecided where the two share no lows.
    pub polarity: Verdict,
}

/// Holds every stroke of a layer against its source. Nothing is matched where one of them has no strokes.
///
/// # Errors
/// [`MeasureError`] when a sound cannot be read or `report` says stop.
pub fn layered(sounds: [&Placed; 2], rate: SampleRate, report: Report) -> Result<Layered, MeasureError> {
    let [source, layer] = [0, 1].map(|n| strokes(sounds[n], RISES_DB[n], rate, report));
    let (heard, layer) = (source?, known(layer?, KNOWN[1]));
    let source = known(heard.clone(), KNOWN[0]);
    let at = |all: &[Struck]| all.iter().map(|s| s.at).collect::<Vec<f64>>();
    let Some(common) = common_lag(&at(&source), &at(&layer), rate) else {
        return Ok(Layered {
            matches: Vec::new(),
            unmatched_source: at(&source),
            unmatched_layer: at(&layer),
            invert: false,
            polarity: Verdict::Undecided,
        });
    };
    let reach = rate.frames(REACH_S) as f64;
    let (source, by_double) = with_doubled(source, &heard, &at(&layer), (common, reach));
    let of = paired(&at(&source), &at(&layer), common, reach);
    let both: Vec<[&Struck; 2]> = source.iter().zip(&of).filter_map(|(s, of)| of.map(|n| [s, &layer[n]])).collect();
    let [first, second] = [settled(&source, rate), settled(&layer, rate)];
    let same = same_sound(&both);
    let spread = SPREAD_S * rate.hz_f64();
    let matched = |(n, of): (usize, &Option<usize>)| {
        let m = (*of)?;
        let moments: [&Moments; 2] = [&first[n], &second[m]];
        let agreed = moments.iter().all(|x| x.alike >= FEWEST && x.spread <= spread);
        let direct = alike(&source[n], &layer[m]).filter(|(_, c)| same && c.abs() > SAME_HERE);
        let lag = direct.map(|(lag, _)| (layer[m].frame - source[n].frame) as f64 + lag);
        // One that is told by its double alone has nothing else that says so.
        let solid = !by_double[n] && if same { lag.is_some() } else { agreed };
        let begins = moments[0].at;
        let layer = begins + lag.unwrap_or(moments[1].at - begins);
        Some(Match { source: begins, layer, verdict: if solid { Verdict::Solid } else { Verdict::Likely } })
    };
    let matches = of.iter().enumerate().filter_map(matched).collect();
    let (invert, polarity) = polarity::polarity(&both);
    let missed = |all: &[Struck], is_matched: &dyn Fn(usize) -> bool| {
        let each = || all.iter().enumerate().map(|(n, s)| (is_matched(n), s));
        let mut levels: Vec<f64> = each().filter(|(is, _)| *is).map(|(_, s)| f64::from(s.level)).collect();
        let least = MISSED_PART * median(&mut levels).unwrap_or(0.0) as f32;
        each().filter(|(is, s)| !is && s.level > least).map(|(_, s)| s.at).collect::<Vec<f64>>()
    };
    Ok(Layered {
        matches,
        unmatched_source: missed(&source, &|n| of[n].is_some()),
        unmatched_layer: missed(&layer, &|n| of.contains(&Some(n))),
        invert,
        polarity,
    })
}

/// Strokes that are as loud as most, or sound like one that is: what rings, bleeds and fades does not.
fn known(all: Vec<Struck>, correlated: f64) -> Vec<Struck> {
    let mut levels: Vec<f64> = all.iter().map(|s| f64::from(s.level)).collect();
    levels.sort_by(f64::total_cmp);
    let Some(loud) = levels.get((levels.len().saturating_sub(1) as f64 * LOUD_PART) as usize) else { return all };
    let least = (CERTAIN * loud) as f32;
    let certain: Vec<&Struck> = all.iter().filter(|s| s.level >= least).collect();
    let step = certain.len().div_ceil(COMPARED).max(1);
    let sounds_like =
        |s: &Struck| certain.iter().step_by(step).any(|k| alike(k, s).is_some_and(|(_, c)| c > correlated));
    all.iter().filter(|s| s.level >= least || sounds_like(s)).cloned().collect()
}

/// With those soft strokes of the source that sound like no other, as a shaker's do, and are doubled all the same: where the layer has a
/// stroke that is no other's, as far from the common lag as most. Of every stroke, whether it is one of those.
fn with_doubled(
    source: Vec<Struck>,
    heard: &[Struck],
    layer: &[f64],
    (common, reach): (f64, f64),
) -> (Vec<Struck>, Vec<bool>) {
    let at: Vec<f64> = source.iter().map(|s| s.at).collect();
    let of = paired(&at, layer, common, reach);
    let mut off: Vec<f64> =
        of.iter().zip(&at).filter_map(|(n, at)| n.map(|n| (layer[n] - at - common).abs())).collect();
    let near = (USUALLY * median(&mut off).unwrap_or(0.0)).min(reach);
    let mut all: Vec<(Struck, bool)> = source.into_iter().map(|s| (s, false)).collect();
    for (n, l) in layer.iter().enumerate() {
        let apart = |s: &&Struck| (s.at + common - l).abs();
        let closest = heard.iter().min_by(|a, b| apart(a).total_cmp(&apart(b)));
        if let Some(s) = closest.filter(|s| !of.contains(&Some(n)) && apart(s) <= near && !at.contains(&s.at)) {
            all.push((s.clone(), true));
        }
    }
    all.sort_by(|a, b| a.0.at.total_cmp(&b.0.at));
    all.dedup_by(|a, b| a.0.at == b.0.at);
    all.into_iter().unzip()
}

/// Are the two sounds the same ones, apart from level and polarity?
fn same_sound(both: &[[&Struck; 2]]) -> bool {
    let mut each: Vec<f64> = both.iter().map(|[a, b]| alike(a, b).map_or(0.0, |(_, c)| c.abs())).collect();
    median(&mut each).is_some_and(|c| c > SAME)
}
