//! Everything in any microphone that may be an attack, of whatever source: nothing is cut there.

use super::bins::{BANDS, Bins};
use super::blocks::in_blocks;
use super::find::{Gate, candidates};
use super::learn::Source;
use super::look::Look;
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::units::{SampleRate, amplitude_of_db};
use std::collections::BTreeSet;

/// Softer than this against a microphone's loud attacks it is none, in dB.
const SOFTEST_DB: f64 = -30.0;
/// A microphone's loud attacks are so many of its loudest.
const LOUDEST: usize = 4;
/// A rise by this over the five milliseconds before is one in any single microphone, in dB: what rings is not as sharp.
const SHARP_DB: f64 = 9.0;
/// What is looked at.
const ANY: Gate = Gate { rises_db: 2.0, clear_db: 1.0, loud_db: f64::NEG_INFINITY };
/// A lesser rise of the highs is one where so many microphones have it, and at least this part of them, within so many seconds: a cymbal
/// that rings already, and has no microphone. What rings in one drum has no highs.
const LESS_SHARP_DB: f64 = 1.5;
const MANY: usize = 4;
const MANY_PART: f64 = 0.3;
const TOGETHER_S: f64 = 0.005;

/// A rise in one microphone.
#[derive(Clone, Copy)]
struct Rise {
    at: i64,
    microphone: usize,
    /// By band: its level, and by what factor it is over what sounded before.
    levels: [(f32, f32); BANDS],
}

/// Session frames, in order, at which any of the microphones begins to hear something.
///
/// # Errors
/// [`MeasureError`] when a sound cannot be read or `report` says stop.
pub fn seen(sounds: &[Placed], rate: SampleRate, report: Report) -> Result<Vec<i64>, MeasureError> {
    seen_over(SHARP_DB, sounds, rate, report)
}

/// The same where a rise by so many dB in a single microphone is enough.
///
/// # Errors
/// As [`seen`].
pub fn seen_over(sharp_db: f64, sounds: &[Placed], rate: SampleRate, report: Report) -> Result<Vec<i64>, MeasureError> {
    let anything: Vec<Source> = (0..sounds.len()).map(|home| Source::unknown(home, sounds.len())).collect();
    let [softest, sharp, less] = [SOFTEST_DB, sharp_db, LESS_SHARP_DB].map(|db| amplitude_of_db(db) as f32);
    let heard = |bins: &Bins, within: [i64; 2]| {
        let of = |microphone: usize| {
            let look = Look { sources: &anything, own: microphone, bins, rate };
            let level = |bin: i64, b: usize| {
                let (peak, before) = (bins.peak([microphone, b], bin), bins.before([microphone, b], bin));
                (peak, peak / before.max(f32::MIN_POSITIVE))
            };
            let rise =
                |bin: i64| Rise { at: bins.frame(bin), microphone, levels: std::array::from_fn(|b| level(bin, b)) };
            candidates(&look, within, &ANY).into_iter().map(rise).collect::<Vec<Rise>>()
        };
        (0..sounds.len()).flat_map(of).collect::<Vec<Rise>>()
    };
    let mut rises: Vec<Rise> = in_blocks(sounds, sounds, rate, report, heard)?.into_iter().flatten().collect();
    let least: Vec<[f32; BANDS]> = (0..sounds.len())
        .map(|m| {
            let own = || rises.iter().filter(|r| r.microphone == m);
            std::array::from_fn(|b| softest * loud(own().map(|r| r.levels[b].0)))
        })
        .collect();
    rises.retain(|r| (0..BANDS).any(|b| r.levels[b].0 > least[r.microphone][b]));
    rises.sort_by_key(|r| r.at);
    let many = MANY.max((sounds.len() as f64 * MANY_PART).ceil() as usize);
    let reach = rate.frames(TOGETHER_S);
    let is = |r: &Rise, b: usize, by: f32| r.levels[b].1 > by && r.levels[b].0 > least[r.microphone][b];
    let elsewhere = |at: i64| {
        let from = rises.partition_point(|r| r.at < at - reach);
        let near = rises[from..].iter().take_while(|r| r.at <= at + reach);
        near.filter(|r| is(r, BANDS - 1, less)).map(|r| r.microphone).collect::<BTreeSet<usize>>().len()
    };
    let is_attack = |r: &&Rise| (0..BANDS).any(|b| is(r, b, sharp)) || elsewhere(r.at) >= many;
    let mut seen: Vec<i64> = rises.iter().filter(is_attack).map(|r| r.at).collect();
    seen.dedup();
    Ok(seen)
}

/// The mean of the loudest.
fn loud(levels: impl Iterator<Item = f32>) -> f32 {
    let mut most = [0f32; LOUDEST];
    for level in levels {
        let least = most.iter_mut().min_by(|a, b| a.total_cmp(b)).expect("some are kept");
        *least = least.max(level);
    }
    most.iter().sum::<f32>() / LOUDEST as f32
}
