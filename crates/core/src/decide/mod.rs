//! From the arrival table to findings and advice: what is a fault, what is only placement, and what to do.
//!
//! Pure: the same table and the same tracks give the same answer. Corrections that tracks carry are applied to the table
//! first, so that the session can be judged as recorded and as corrected without measuring anew.

mod advice;
pub mod case;
mod cost;
pub mod finding;
pub mod image;
pub mod kind;
mod latency;
pub mod plain;
mod polarity;
mod setup;
mod sides;
mod signs;
mod words;

pub use crate::decide::cost::{Move, sum_gain, whole};
pub use crate::decide::finding::Gain;
pub use crate::decide::setup::{Named, said, tracks_of};
pub use crate::decide::sides::{PairSides, Tells};
pub use crate::decide::signs::{Link, Solution, solve};
pub use crate::decide::words::{Guess, guess, other_side_name};

use crate::decide::case::{Advice, Case, SourceOf};
use crate::decide::finding::Finding;
use crate::dsp::stats::median;
use crate::edit::Edit;
use crate::measure::arrival::{Row, Table};
use crate::track::Track;
use crate::units::SessionFrame;
use serde::{Deserialize, Serialize};

/// The answer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Check {
    /// A track each.
    pub tracks: Vec<Advice>,
    /// A row each.
    pub sources: Vec<SourceOf>,
    /// Worst first.
    pub findings: Vec<Finding>,
    /// Pairs whose sides have changed places.
    pub swapped_pairs: Vec<[usize; 2]>,
    /// Where every pair hears every source.
    pub sides: Vec<PairSides>,
}

/// What the rules look at.
struct Known<'a> {
    case: &'a Case<'a>,
    polarity: &'a polarity::Judged,
    latency: &'a latency::Judged,
    sides: &'a sides::Sides,
    advice: &'a [Advice],
    sources: &'a [SourceOf],
}

/// All rules. Findings of equal severity, certainty and cost keep this order.
const RULES: [fn(&Known) -> Vec<Finding>; 5] = [
    |k| polarity::findings(k.case, k.polarity, k.sources),
    |k| latency::findings(k.case, k.latency),
    |k| sides::findings(k.case, k.sides),
    |k| plain::findings(k.case),
    |k| cost::group_findings(k.case, k.advice, k.sources),
];

/// Judges the session as corrected.
pub fn decide(table: &Table, tracks: &[Track]) -> Check {
    let corrected = as_corrected(table, tracks);
    let case = Case { table: &corrected, tracks, rate_hz: table.rate.hz_f64() };
    let polarity = polarity::judge(&case);
    let latency = latency::judge(&case);
    let sides = sides::judge(&case);
    let sources = sources(&case, &sides, &polarity);
    let advice = advice::advise(&case, &polarity, &latency, &sources);
    let known = Known {
        case: &case,
        polarity: &polarity,
        latency: &latency,
        sides: &sides,
        advice: &advice,
        sources: &sources,
    };
    let mut findings: Vec<Finding> = RULES.iter().flat_map(|rule| rule(&known)).collect();
    // A correction that does not help the sum has no cost there; it may matter all the same.
    for f in &mut findings {
        f.cost_db = f.cost_db.filter(|c| *c > 0.0);
    }
    findings.sort_by(|a, b| {
        let rank = |f: &Finding| (f.severity, f.verdict);
        rank(b).cmp(&rank(a)).then(b.cost_db.unwrap_or(0.0).total_cmp(&a.cost_db.unwrap_or(0.0)))
    });
    let heard = sides::heard(&case);
    Check { tracks: advice, sources, findings, swapped_pairs: sides.swapped, sides: heard }
}

/// The table as it would be measured with the corrections in place.
fn as_corrected(table: &Table, tracks: &[Track]) -> Table {
    let mut t = table.clone();
    for row in &mut t.rows {
        let home = &tracks[row.home].edit;
        let start = |m: usize| table.facts[m].start.place();
        for (m, (cell, track)) in row.cells.iter_mut().zip(tracks).enumerate() {
            if let Some(lag) = &mut cell.lag_frames {
                let at_home = |hit: &SessionFrame| hit.place() - start(row.home);
                let here = |hit: &SessionFrame| hit.place() + *lag - start(m);
                *lag += later(home, &track.edit, row.hits.iter().map(|h| [at_home(h), here(h)]));
            }
            for moment in &mut cell.each {
                let Some(lag) = &mut moment.lag_frames else { continue };
                let here = moment.at.place() + *lag - start(m);
                *lag += track.edit.moved_at(here) - home.moved_at(moment.at.place() - start(row.home));
            }
            if track.edit.invert != home.invert {
                cell.sign = -cell.sign;
                cell.low_sign = -cell.low_sign;
                cell.bands.iter_mut().for_each(|b| (b.re, b.im) = (-b.re, -b.im));
                cell.wave.iter_mut().for_each(|w| *w = -*w);
            }
        }
    }
    for (shift, track) in t.shift.iter_mut().zip(tracks) {
        *shift += track.edit.placement.total().0.round() as i64;
    }
    t
}

/// By how many frames a track is moved against the home at the moments of a source, which are given as frames of the home's and of the
/// track's recording. The median, when it is not the same at all of them.
fn later(home: &Edit, track: &Edit, moments: impl Iterator<Item = [f64; 2]>) -> f64 {
    let placed = (track.placement.total() - home.placement.total()).0;
    if home.is_rigid() && track.is_rigid() {
        return placed;
    }
    let mut each: Vec<f64> = moments.map(|[a, b]| track.moved_at(b) - home.moved_at(a)).collect();
    median(&mut each).unwrap_or(placed)
}

/// Names of the rows: the source that their microphones name; the home's label when several rows share the name.
fn sources(case: &Case, sides: &sides::Sides, polarity: &polarity::Judged) -> Vec<SourceOf> {
    let name = |row: &Row| {
        let named = std::iter::once(&row.home).chain(&row.members).map(|m| &case.tracks[*m].source);
        named.into_iter().find(|s| !s.is_empty()).cloned()
    };
    let names: Vec<Option<String>> = case.table.rows.iter().map(name).collect();
    case.table
        .rows
        .iter()
        .enumerate()
        .map(|(i, row)| SourceOf {
            name: match &names[i] {
                Some(n) if names.iter().filter(|o| o.as_ref() == Some(n)).count() == 1 => n.clone(),
                _ => case.label(row.home).to_string(),
            },
            home: row.home,
            side: sides.of_row(i),
            sign: polarity.row(i),
        })
        .collect()
}
