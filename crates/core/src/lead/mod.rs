//! A lead and a take that doubles it: which moment of the one is which of the other, and what only one of them has.
//!
//! [`crate::warp`] hears both and finds the way; [`moments`] are what can be held together, [`fine`] hears them closely, [`knots`] finds the
//! best way through them, [`marks`] tells what is missing and what is added. [`course`] says where a take goes.

pub mod course;
mod fine;
mod knots;
mod map;
mod marks;
mod moments;

use crate::dsp::stats::median;
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::units::SampleRate;
use crate::verdict::Verdict;
use crate::warp::alike;
use crate::warp::bands::{Bands, HOP_S};
use crate::warp::path::{Path, path};
use fine::Fine;
use knots::Heard;
pub use knots::Knot;
pub use map::{Between, worst_ratio};
pub use marks::{Marked, Why};

/// A take is at most so much later or earlier than the lead, in seconds.
const REACH_S: f64 = 0.4;
/// The take is not the lead's so much later; there the two are at least so many times as unlike.
const ASTRAY_S: f64 = 7.3;
const BETTER: f64 = 1.15;
/// With fewer knots that are at least likely nothing is told.
const FEWEST: usize = 4;
/// Such a part of all beginnings is solid, for a map to be solid.
const PART: f64 = 0.5;

/// A take against its lead.
#[derive(Debug, Clone, PartialEq)]
pub struct Doubled {
    /// In the order of time, rising in both. None where the two have nothing in common.
    pub knots: Vec<Knot>,
    /// In the order of the lead's time.
    pub marked: Vec<Marked>,
    /// As in [`crate::takes::Takes`].
    pub alike: Option<f64>,
    /// Of the map as a whole.
    pub verdict: Verdict,
    /// Why it is no surer.
    pub reason: String,
}

/// Holds a take against the lead that it doubles.
///
/// # Errors
/// [`MeasureError`] when a sound cannot be read or `report` says stop.
pub fn doubled(lead: &Placed, take: &Placed, rate: SampleRate, report: Report) -> Result<Doubled, MeasureError> {
    let nothing = |reason: &str| {
        let reason = reason.to_string();
        Ok(Doubled { knots: Vec::new(), marked: Vec::new(), alike: None, verdict: Verdict::Undecided, reason })
    };
    if lead.start.0.max(take.start.0) >= lead.end().0.min(take.end().0) {
        return nothing("the two never sound at the same time");
    }
    let from = lead.start.0.min(take.start.0);
    let to = lead.end().0.max(take.end().0);
    let [first, second] = [lead, take].map(|s| Bands::read(s, [from, to], rate, report));
    let bands = [&first?, &second?];
    if let Some(n) = bands.iter().position(|b| !b.active.contains(&true)) {
        return nothing(["the lead is silent", "the take is silent"][n]);
    }
    let reach = (REACH_S / HOP_S) as usize;
    let way = path(bands[0], bands[1], reach, report)?;
    let [mut closely, mut other] = [Fine::new(lead, rate)?, Fine::new(take, rate)?];
    let mut heard = Heard { bands, fine: [&mut closely, &mut other], path: &way, from, rate };
    let mut knots = heard.knots()?;
    // Held against a part of the take that the lead's does not belong to, it would be as unlike as chance makes it.
    let astray = path(bands[0], &bands[1].turned((ASTRAY_S / HOP_S) as usize), reach, report)?;
    let better = unlike(&astray, bands[0]) / unlike(&way, bands[0]);
    let hop = bands[0].hop;
    let row = |at: f64| (at - from as f64) / hop;
    let pairs: Vec<[usize; 2]> = knots
        .iter()
        .filter(|k| k.alike > 0.0)
        .map(|k| [row(k.lead), row(k.take)].map(|r| r.max(0.0) as usize))
        .collect();
    let alike = alike::alike(bands, &pairs);
    let sure = knots.iter().filter(|k| k.verdict > Verdict::Undecided).count();
    if sure < FEWEST || better < BETTER || !alike.is_some_and(|a| alike::is_no_chance(a, pairs.len())) {
        let told = nothing("too little of the take is like the lead: it may be something else")?;
        return Ok(Doubled { alike, ..told });
    }
    let marked = marks(&mut knots, bands, (from as f64, hop));
    let solid = knots.iter().filter(|k| k.verdict == Verdict::Solid).count();
    let is_solid = solid as f64 >= PART * pairs.len() as f64;
    let (verdict, reason) = match is_solid {
        true => (Verdict::Solid, String::new()),
        false => (Verdict::Likely, format!("of {} beginnings {solid} are where both measures agree", pairs.len())),
    };
    Ok(Doubled { knots, marked, alike, verdict, reason })
}

/// Tells what only one of the two has, and takes the knots out that lie in it.
fn marks(knots: &mut Vec<Knot>, bands: [&Bands; 2], (from, hop): (f64, f64)) -> Vec<Marked> {
    let frame = |row: usize| from + row as f64 * hop;
    let row = |at: f64| (at - from) / hop;
    let mut all = Vec::new();
    // Twice: a knot that was held to what is missing hides a part of it.
    for _ in 0..2 {
        let map = Between(knots);
        let missing = marks::alone(bands, |n| row(map.take_of(frame(n))));
        let added = marks::alone([bands[1], bands[0]], |n| row(map.lead_of(frame(n))));
        let of = |run: [usize; 2], why: Why| marks::marked(run, why, &map, frame);
        all = missing.into_iter().map(|run| of(run, Why::Missing)).collect::<Vec<_>>();
        all.extend(added.into_iter().map(|run| of(run, Why::Added)));
        marks::without(knots, &all);
    }
    let unsure = marks::unsure(knots, bands[0], row, &all);
    all.extend(unsure);
    all.sort_by(|a, b| a.lead[0].total_cmp(&b.lead[0]));
    all
}

/// How unlike a lead and what it is held against are where the lead sounds, in the median.
fn unlike(path: &Path, lead: &Bands) -> f64 {
    let heard = path.unlike.iter().zip(&lead.active).filter(|(_, active)| **active);
    median(&mut heard.map(|(unlike, _)| f64::from(*unlike)).collect::<Vec<_>>()).unwrap_or(0.0)
}
