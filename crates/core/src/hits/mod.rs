//! The strokes of every source of a session, found in its own microphone and held against all others.
//!
//! [`bins`] hears, [`learn`] knows the sources from the arrival table, [`find`] sees where something may begin, [`look`] says what speaks
//! for it, [`odds`] weighs that, [`moment`] says when exactly, [`event`] puts together what sounds together. [`seen`] is everything that
//! may be an attack, of whatever source.

pub mod bins;
mod blocks;
pub mod event;
pub mod find;
pub mod learn;
pub mod look;
pub mod moment;
pub mod odds;
pub mod seen;

use crate::measure::arrival::Table;
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::units::SampleRate;
use crate::verdict::Verdict;
use bins::Bins;
use blocks::in_blocks;
use learn::{Source, learn};
use look::{Look, Signs};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Two strokes of one source are so far apart, in seconds.
const APART_S: f64 = 0.014;
/// An earlier moment within so long is taken when its odds fall behind by no more than this.
const EARLIER_S: f64 = 0.004;
const NEARLY: f32 = 1.5;
/// Odds (natural logarithm) from which a stroke is solid, likely, and told as undecided.
const SOLID: f32 = 7.0;
const LIKELY: f32 = 0.0;
const TOLD: f32 = -2.0;
/// And odds from which nothing is cut through a moment.
const PERHAPS: f32 = -8.0;
/// Strokes a source was learnt from, for anything of it to be solid.
const ENOUGH: usize = 5;
/// A source further than this from its microphone, in metres, may be another one that the microphone merely hears best.
const NEAR_M: f64 = 0.2;

/// A stroke.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Hit {
    /// Session frame at which its own microphone begins to hear it, as recorded.
    pub at: f64,
    /// Level against a usual stroke of its source, in dB.
    pub level_db: f32,
    /// By how much it stands over all that other sources send there, in dB.
    pub margin_db: f32,
    /// Natural logarithm of the odds that it is one.
    pub odds: f32,
    /// How sure.
    pub verdict: Verdict,
}

/// The strokes of one source.
#[derive(Debug, Clone, PartialEq)]
pub struct Played {
    /// The source as it was learnt.
    pub source: Source,
    /// Its strokes in the order of time, also doubtful ones.
    pub hits: Vec<Hit>,
    /// Session frames at which there may be more of them, in order: more likely none than one, and not told, but nothing is cut there.
    pub perhaps: Vec<i64>,
}

impl Played {
    /// Every session frame at which it is or may be struck, in no order.
    pub fn moments(&self) -> impl Iterator<Item = f64> {
        self.hits.iter().map(|h| h.at).chain(self.perhaps.iter().map(|at| *at as f64))
    }
}

/// A moment at which a source may be struck, and what is to be seen there.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Moment {
    /// Session frame in its own microphone, to a quarter of a millisecond.
    pub at: i64,
    /// What speaks for it.
    pub signs: Signs,
}

/// Every moment at which one of the sources may be struck: a list a source, in the order of time.
///
/// # Errors
/// [`MeasureError`] when a sound cannot be read or `report` says stop.
pub fn moments(
    sounds: &[Placed],
    sources: &[Source],
    rate: SampleRate,
    report: Report,
) -> Result<Vec<Vec<Moment>>, MeasureError> {
    let homes: Vec<Placed> = sources.iter().map(|s| sounds[s.home]).collect();
    let heard = |bins: &Bins, within: [i64; 2]| {
        let seen = |own: usize| {
            let look = Look { sources, own, bins, rate };
            let moment = |bin: i64| Moment { at: bins.frame(bin), signs: look.signs(bin) };
            find::candidates(&look, within, &find::OWN).into_iter().map(moment).collect::<Vec<Moment>>()
        };
        (0..sources.len()).map(seen).collect::<Vec<_>>()
    };
    let found = in_blocks(sounds, &homes, rate, report, heard)?;
    Ok((0..sources.len()).map(|own| found.iter().flat_map(|block| block[own].iter().copied()).collect()).collect())
}

/// The strokes of every source of the table that has a microphone of its own.
///
/// # Errors
/// [`MeasureError`] when a sound cannot be read or `report` says stop.
pub fn hits(sounds: &[Placed], table: &Table, rate: SampleRate, report: Report) -> Result<Vec<Played>, MeasureError> {
    let sources = learn(table, sounds, rate)?;
    let moments = moments(sounds, &sources, rate, report)?;
    let of = |(source, moments): (&Source, &Vec<Moment>)| {
        let complete = is_known(source, &sources);
        let hits = chosen(moments, source.is_bright(), rate)
            .into_iter()
            .map(|(Moment { at, signs }, odds)| {
                let verdict = match odds {
                    odds if odds >= SOLID && complete => Verdict::Solid,
                    odds if odds >= LIKELY => Verdict::Likely,
                    _ => Verdict::Undecided,
                };
                let at = moment::moment(&sounds[source.home], at, rate)?;
                Ok(Hit { at, level_db: signs.loudest(), margin_db: signs.margin(), odds, verdict })
            })
            .collect::<Result<Vec<_>, MeasureError>>()?;
        let may_be = |m: &&Moment| odds::odds(&m.signs, source.is_bright()) > PERHAPS;
        let perhaps = moments.iter().filter(may_be).map(|m| m.at).collect();
        Ok(Played { source: source.clone(), hits, perhaps })
    };
    sources.par_iter().zip(&moments).map(of).collect()
}

/// Is everything known that a solid stroke of a source rests on: itself, and its arrival where all others are near?
fn is_known(source: &Source, all: &[Source]) -> bool {
    let everywhere = all.iter().all(|o| source.sure[o.home]);
    all.len() > 1 && everywhere && source.strokes >= ENOUGH && source.path_m.is_none_or(|m| m <= NEAR_M)
}

/// The surest first, no two close together, with their odds; in the order of time.
fn chosen(all: &[Moment], bright: bool, rate: SampleRate) -> Vec<(Moment, f32)> {
    let (apart, earlier) = (rate.frames(APART_S), rate.frames(EARLIER_S));
    let odds: Vec<f32> = all.iter().map(|m| odds::odds(&m.signs, bright)).collect();
    let mut order: Vec<usize> = (0..all.len()).filter(|n| odds[*n] > TOLD).collect();
    order.sort_by(|a, b| odds[*b].total_cmp(&odds[*a]));
    let mut taken: BTreeMap<i64, (Moment, f32)> = BTreeMap::new();
    for n in order {
        let at = all[n].at;
        if taken.range(at - apart + 1..at + apart).next().is_some() {
            continue;
        }
        let near = (0..=n).rev().take_while(|m| at - all[*m].at <= earlier);
        let first = near.filter(|m| odds[*m] >= odds[n] - NEARLY).last().unwrap_or(n);
        taken.insert(at, (Moment { at: all[first].at, ..all[n] }, odds[n]));
    }
    taken.into_values().collect()
}
