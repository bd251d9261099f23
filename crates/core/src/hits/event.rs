//! Strokes of several sources that sound together are one event.

use super::{Hit, Played};
use crate::verdict::Verdict;

/// Strokes that sound together.
#[derive(Debug, Clone, PartialEq)]
pub struct Event {
    /// The strokes, each with its source's place in the list; the earliest first.
    pub strokes: Vec<(usize, Hit)>,
}

impl Event {
    /// Session frame of the earliest.
    pub fn at(&self) -> f64 {
        self.strokes[0].1.at
    }

    /// As sure as the surest of them: that there is something.
    pub fn verdict(&self) -> Verdict {
        self.strokes.iter().map(|s| s.1.verdict).max().unwrap_or(Verdict::Undecided)
    }

    /// The largest margin of them, in dB.
    pub fn margin_db(&self) -> f32 {
        self.strokes.iter().map(|s| s.1.margin_db).fold(f32::NEG_INFINITY, f32::max)
    }
}

/// All strokes of at least this level against a usual one of their source, in dB: each event ends where nothing follows within so many
/// frames, or where a source would be struck twice.
pub fn events(played: &[Played], least_db: f32, within: f64) -> Vec<Event> {
    let of = |(n, p): (usize, &Played)| p.hits.iter().map(move |h| (n, *h)).collect::<Vec<_>>();
    let mut all: Vec<(usize, Hit)> = played.iter().enumerate().flat_map(of).collect();
    all.retain(|(_, h)| h.level_db >= least_db);
    all.sort_by(|a, b| a.1.at.total_cmp(&b.1.at));
    let mut events: Vec<Event> = Vec::new();
    for stroke in all {
        match events.last_mut() {
            Some(e)
                if stroke.1.at - e.strokes[e.strokes.len() - 1].1.at < within
                    && e.strokes.iter().all(|s| s.0 != stroke.0) =>
            {
                e.strokes.push(stroke);
            }
            _ => events.push(Event { strokes: vec![stroke] }),
        }
    }
    events
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::hits::learn::Source;

    #[test]
    fn what_sounds_together_is_one_event_and_no_source_is_in_it_twice() {
        let played = |at: &[(f64, f32)]| Played {
            source: Source::unknown(0, 0),
            perhaps: Vec::new(),
            hits: (at.iter())
                .map(|(at, level_db)| Hit {
                    at: *at,
                    level_db: *level_db,
                    margin_db: 9.0,
                    odds: 3.0,
                    verdict: Verdict::Likely,
                })
                .collect(),
        };
        let all = [
            played(&[(100.0, 0.0), (500.0, 0.0), (900.0, -25.0)]),
            played(&[(130.0, -3.0), (700.0, 0.0), (720.0, 0.0)]),
        ];
        let at = |least_db, within| {
            events(&all, least_db, within).iter().map(|e| (e.at(), e.strokes.len())).collect::<Vec<_>>()
        };
        assert_eq!(at(-30.0, 50.0), [(100.0, 2), (500.0, 1), (700.0, 1), (720.0, 1), (900.0, 1)]);
        assert_eq!(at(-20.0, 20.0), [(100.0, 1), (130.0, 1), (500.0, 1), (700.0, 1), (720.0, 1)]);
        assert!(events(&[], -30.0, 50.0).is_empty());
    }
}
