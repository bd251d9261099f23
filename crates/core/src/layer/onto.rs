//! A layer set onto its source: every stroke in a piece of its own, as far as there is room to part them.

use super::Layered;
use crate::dsp::stats::median;
use crate::hits::seen::seen;
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::timing::moves::Event;
use crate::timing::plan::{Plan, Set, plan};
use crate::units::SampleRate;

/// A layer as it is cut.
#[derive(Debug, Clone, PartialEq)]
pub struct Onto {
    /// Its pieces.
    pub plan: Plan,
    /// Session frames of the strokes that could not be parted from what sounds before, and go along with it.
    pub rides: Vec<f64>,
}

/// The pieces that set a layer's strokes onto its source, in whole frames; those that the source has not go by the median of all.
///
/// # Errors
/// [`MeasureError`] when the sound cannot be read or `report` says stop.
pub fn onto(found: &Layered, layer: &Placed, rate: SampleRate, report: Report) -> Result<Onto, MeasureError> {
    let mut lags: Vec<f64> = found.matches.iter().map(|m| m.lag()).collect();
    let usual = median(&mut lags).unwrap_or(0.0);
    let own = found.matches.iter().map(|m| (m.layer, m.lag()));
    let mut strokes: Vec<(f64, f64)> = own.chain(found.unmatched_layer.iter().map(|at| (*at, usual))).collect();
    strokes.sort_by(|a, b| a.0.total_cmp(&b.0));
    let event = |(at, _): &(f64, f64)| Event { at: *at, first: at.floor() as i64, last: at.ceil() as i64 };
    let events: Vec<Event> = strokes.iter().map(event).collect();
    let moves: Vec<i64> = strokes.iter().map(|(_, lag)| -lag.round() as i64).collect();
    let mut attacks = seen(std::slice::from_ref(layer), rate, report)?;
    attacks.extend(events.iter().map(|e| e.first));
    attacks.sort_unstable();
    attacks.dedup();
    let span = [layer.start.0, layer.end().0];
    let plan = plan(&Set { events: &events, seen: &attacks, span, rate }, &moves);
    let rides = plan.rides.iter().map(|n| strokes[*n].0).collect();
    Ok(Onto { plan, rides })
}
