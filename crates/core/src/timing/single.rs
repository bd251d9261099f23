//! Strokes of one part, each moved as far as it is told: the hits of a layer, the chords of a take.

use super::moves::Event;
use super::plan::{Plan, Set, plan};
use crate::units::SampleRate;

/// A stroke, and how far it goes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stroke {
    /// Session frame at which it begins, as recorded.
    pub at: f64,
    /// By how many frames it goes, later when positive.
    pub by: i64,
}

/// The pieces that move them: `strokes` in the order of time, `attacks` everything that may be one, in order, in what is cut between the
/// frames of `span`. The strokes themselves are attacks.
pub fn moved(strokes: &[Stroke], attacks: &[i64], span: [i64; 2], rate: SampleRate) -> Plan {
    let event = |s: &Stroke| Event { at: s.at, first: s.at.floor() as i64, last: s.at.ceil() as i64 };
    let events: Vec<Event> = strokes.iter().map(event).collect();
    let seen = with(attacks, &events);
    let moves: Vec<i64> = strokes.iter().map(|s| s.by).collect();
    plan(&Set { events: &events, seen: &seen, span, rate }, &moves)
}

fn with(attacks: &[i64], events: &[Event]) -> Vec<i64> {
    let mut all: Vec<i64> = attacks.iter().copied().chain(events.iter().map(|e| e.first)).collect();
    all.sort_unstable();
    all.dedup();
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::timing::proof::ledger;

    #[test]
    fn strokes_go_where_they_are_told_and_no_attack_is_lost() {
        let rate = SampleRate::new(48_000).unwrap();
        let strokes: Vec<Stroke> =
            (1..6).map(|n| Stroke { at: 24_000.0 * f64::from(n), by: [0, -700, 350, 0, 90][n as usize - 1] }).collect();
        // One that is no stroke of the part lies between two that move apart.
        let attacks = [84_000];
        let plan = moved(&strokes, &attacks, [0, 200_000], rate);
        assert_eq!((plan.moves.as_slice(), plan.rides.len()), ([0, -700, 350, 0, 90].as_slice(), 0));
        let all: Vec<i64> = strokes.iter().map(|s| s.at as i64).chain(attacks).collect();
        let told = ledger(&plan.slices, &all, rate);
        assert!(told.lost.is_empty() && told.doubled.is_empty(), "{told:?}");
    }
}
