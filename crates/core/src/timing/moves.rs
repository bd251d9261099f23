//! How far each event is moved: strength, slack, and how far at most.

use serde::{Deserialize, Serialize};

/// Strokes that sound together, of all microphones of a set.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Event {
    /// Where it is played, in frames as aligned.
    pub at: f64,
    /// Its earliest arrival in any microphone of the set.
    pub first: i64,
    /// Its latest.
    pub last: i64,
}

/// What a section asks for.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Asked {
    /// Part of the deviation that is taken out, 0 to 1.
    pub strength: f64,
    /// Deviations up to this many frames stay.
    pub slack: f64,
    /// An event that is further off than this many frames is left, for somebody to decide.
    pub farthest: f64,
}

/// What becomes of an event.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Fate {
    /// Moved by so many frames, later when positive; 0 inside the slack.
    Moved(i64),
    /// Too far off.
    Left,
}

impl Fate {
    /// Frames.
    pub fn by(self) -> i64 {
        if let Self::Moved(by) = self { by } else { 0 }
    }
}

/// How far an event goes that was meant at a frame.
///
/// ```
/// use marea_core::timing::moves::{Asked, Fate, fate};
/// let asked = Asked { strength: 0.5, slack: 10.0, farthest: 1_000.0 };
/// assert_eq!(fate(1_100.0, 1_000.0, &asked), Fate::Moved(-50));
/// assert_eq!(fate(1_008.0, 1_000.0, &asked), Fate::Moved(0));
/// assert_eq!(fate(2_100.0, 1_000.0, &asked), Fate::Left);
/// ```
pub fn fate(at: f64, meant: f64, asked: &Asked) -> Fate {
    let off = meant - at;
    match off.abs() {
        far if far > asked.farthest => Fate::Left,
        near if near <= asked.slack => Fate::Moved(0),
        _ => Fate::Moved((asked.strength.clamp(0.0, 1.0) * off).round() as i64),
    }
}

/// Hits of several tracks that sound together: those less than `within` frames after the one before are one event, at the median. `hits`
/// are frames in order, `spread` how much earlier and later than its hit a stroke reaches the microphones of the set, at most.
pub fn events(hits: &[f64], within: f64, spread: [i64; 2]) -> Vec<Event> {
    let mut events = Vec::new();
    for group in hits.chunk_by(|a, b| b - a < within) {
        let middle = group.len() / 2;
        let at = if group.len() % 2 == 1 { group[middle] } else { 0.5 * (group[middle - 1] + group[middle]) };
        let (first, last) = (group[0].floor() as i64 - spread[0], group[group.len() - 1].ceil() as i64 + spread[1]);
        events.push(Event { at, first, last });
    }
    events
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hits_close_together_are_one_event() {
        let all = events(&[100.0, 140.0, 170.0, 900.0, 2_000.0, 2_010.0], 60.0, [5, 30]);
        assert_eq!(all.len(), 3);
        assert_eq!(all[0], Event { at: 140.0, first: 95, last: 200 });
        assert_eq!(all[1], Event { at: 900.0, first: 895, last: 930 });
        assert_eq!(all[2].at, 2_005.0);
        assert!(events(&[], 60.0, [0, 0]).is_empty());
    }

    #[test]
    fn strength_goes_from_nothing_to_all() {
        for (strength, by) in [(0.0, 0), (0.8, -80), (1.0, -100), (7.0, -100)] {
            let asked = Asked { strength, slack: 0.0, farthest: 500.0 };
            assert_eq!(fate(1_100.0, 1_000.0, &asked), Fate::Moved(by));
        }
    }
}
