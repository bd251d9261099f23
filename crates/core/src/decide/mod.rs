//! From the arrival table to findings and advice: what is a fault, what is only placement, and what to do.
//!
//! Pure: the same table and the same tracks give the same answer. What the tracks carry is applied to the table first, so that the
//! session can be judged as recorded and as corrected without measuring anew.
//!
//! Constants that name no source were found on simulated sessions, see docs/accuracy.md.

mod advice;
mod carried;
pub mod case;
mod cost;
pub mod finding;
mod halves;
pub mod image;
pub mod kind;
mod latency;
pub mod plain;
mod polarity;
mod setup;
mod sides;
mod signs;
pub mod stage;
mod words;

pub use crate::decide::carried::as_carried;
pub use crate::decide::cost::{Move, sum_gain, whole};
pub use crate::decide::finding::Gain;
pub use crate::decide::setup::{Named, said, tracks_of};
pub use crate::decide::sides::{PairSides, Tells};
pub use crate::decide::signs::{Link, Solution, solve};
pub use crate::decide::words::{Guess, guess, other_side_name, same_source};

use crate::decide::case::{Advice, Case, SourceOf};
use crate::decide::finding::Finding;
use crate::decide::stage::Stage;
use crate::measure::arrival::{Row, Table};
use crate::track::Track;
use crate::verdict::Verdict;
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
    /// Where everything stands; none where arrivals do not tell.
    pub stage: Option<Stage>,
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
    |k| sides::findings(k.case, k.sides, k.sources),
    |k| plain::findings(k.case),
    |k| cost::group_findings(k.case, k.advice, k.sources),
];

/// Judges the session as corrected.
pub fn decide(table: &Table, tracks: &[Track]) -> Check {
    let corrected = as_carried(table, tracks);
    let case = Case { table: &corrected, tracks, rate_hz: table.rate.hz_f64() };
    let latency = latency::judge(&case, table);
    let polarity = polarity::judge(&case, &latency);
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
    findings.extend(cost::advice_costs(&case, table, &advice));
    // A correction that does not help the sum has no cost there; it may matter all the same.
    for f in &mut findings {
        f.cost_db = f.cost_db.filter(|c| *c > 0.0);
    }
    findings.sort_by(|a, b| {
        let rank = |f: &Finding| (f.severity, f.verdict);
        rank(b).cmp(&rank(a)).then(b.cost_db.unwrap_or(0.0).total_cmp(&a.cost_db.unwrap_or(0.0)))
    });
    let heard = sides::heard(&case);
    let stage = table.places.as_ref().map(|p| stage::stage(p, tracks, &sides));
    Check { tracks: advice, sources, findings, swapped_pairs: sides.swapped, sides: heard, stage }
}

impl Check {
    /// Whether one of two tracks is to be inverted against the other, by all that is known of both. None where one is undecided or where
    /// two tracks are all there is: then their own measurement decides.
    pub fn inverted_between(&self, pair: [usize; 2]) -> Option<bool> {
        let told = |m: usize| {
            let p = &self.tracks[m].polarity;
            let sure = p.sums.is_some_and(|v| v > Verdict::Undecided) && self.tracks.len() > 2;
            sure.then_some(p.sums_better_inverted)
        };
        Some(told(pair[0])? != told(pair[1])?)
    }
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
