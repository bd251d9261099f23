//! A layer set onto its source: every stroke in a piece of its own, as far as there is room to part them.

use super::{Layered, Match};
use crate::dsp::stats::median;
use crate::hits::seen::seen;
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::timing::plan::Plan;
use crate::timing::single::{Stroke, moved};
use crate::units::SampleRate;

/// A layer as it is cut.
#[derive(Debug, Clone, PartialEq)]
pub struct Onto {
    /// Its pieces.
    pub plan: Plan,
    /// Session frames of the strokes that could not be parted from what sounds before, and go along with it.
    pub rides: Vec<f64>,
}

/// How far every hit of a layer goes, in whole frames and in the order of time, when it is by so much later than its source. Those that
/// the source has not go by the median of all.
pub fn moves(found: &Layered, late: impl Fn(&Match) -> f64) -> Vec<Stroke> {
    let usual = median(&mut found.matches.iter().map(&late).collect::<Vec<f64>>()).unwrap_or(0.0);
    let stroke = |at: f64, late: f64| Stroke { at, by: -late.round() as i64 };
    let own = found.matches.iter().map(|m| stroke(m.layer, late(m)));
    let mut all: Vec<Stroke> = own.chain(found.unmatched_layer.iter().map(|at| stroke(*at, usual))).collect();
    all.sort_by(|a, b| a.at.total_cmp(&b.at));
    all
}

/// The pieces that set a layer's strokes onto its source.
///
/// # Errors
/// [`MeasureError`] when the sound cannot be read or `report` says stop.
pub fn onto(found: &Layered, layer: &Placed, rate: SampleRate, report: Report) -> Result<Onto, MeasureError> {
    let strokes = moves(found, Match::lag);
    let attacks = seen(std::slice::from_ref(layer), rate, report)?;
    let plan = moved(&strokes, &attacks, [layer.start.0, layer.end().0], rate);
    let rides = plan.rides.iter().map(|n| strokes[*n].at).collect();
    Ok(Onto { plan, rides })
}
