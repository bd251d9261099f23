//! The slices in which a set is moved: every event in a piece of its own, joined where no attack is.
//!
//! A piece begins a guard before the earliest arrival of its event in any microphone. Two pieces are joined by one fade that ends before
//! either would play the next attack, and begins when the last one has sounded; where they move apart the tail between is repeated, where
//! they move together a part of it is skipped. What is repeated, skipped or faded holds no attack that anybody has seen.

use super::moves::Event;
use crate::edit::slice::Slice;
use crate::units::SampleRate;

/// A piece begins so long before the earliest arrival of its event, in seconds.
pub const BEFORE_EVENT_S: f64 = 0.001;
/// A fade begins so long after the last arrival of the event before; where there is no room, so long; in seconds.
const AFTER_S: [f64; 2] = [0.012, 0.004];
/// Length of a fade, and the shortest that makes no click, in seconds.
const FADE_S: f64 = 0.01;
const SHORTEST_S: f64 = 0.001_5;
/// An attack that was seen may have begun so much earlier, in seconds.
const UNSURE_S: f64 = 0.002;
/// What is seen of an attack, before and after its arrival, in seconds.
pub const ATTACK_S: [f64; 2] = [0.000_25, 0.005];

/// Where one piece gives over to the next, in frames as moved.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Join {
    /// First frame of the fade.
    pub from: i64,
    /// Frame after its last.
    pub to: i64,
}

/// A set cut and moved.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Plan {
    /// The pieces in order, for every recording of the set; empty where nothing moves.
    pub slices: Vec<Slice>,
    /// Where they meet.
    pub joins: Vec<Join>,
    /// By how many frames each event is moved in the end.
    pub moves: Vec<i64>,
    /// Events that could not be parted from the one before, and go along with it.
    pub rides: Vec<usize>,
}

/// Everything that is cut.
#[derive(Debug, Clone, Copy)]
pub struct Set<'a> {
    /// In order.
    pub events: &'a [Event],
    /// Frames, in order, of everything in any microphone that may be an attack: nothing there is faded, skipped or repeated.
    pub seen: &'a [i64],
    /// First frame of the set and the one after its last.
    pub span: [i64; 2],
    /// Its rate.
    pub rate: SampleRate,
}

/// Moves each event by so many frames.
///
/// # Panics
/// When there are not as many moves as events.
pub fn plan(set: &Set, moves: &[i64]) -> Plan {
    assert_eq!(set.events.len(), moves.len(), "a move an event");
    let mut plan = Plan { moves: moves.to_vec(), ..Plan::default() };
    let [begin, end] = set.span;
    // What sounds before the first event stays where it is.
    let mut now = Part { from: begin, fade: 0, by: 0 };
    let mut last = begin.saturating_sub(set.rate.frames(AFTER_S[0]));
    for (n, event) in set.events.iter().enumerate() {
        let by = plan.moves[n];
        match (by == now.by).then(Vec::new).or_else(|| set.joined([last, event.first], [now.by, by])) {
            Some(steps) => {
                for Step { join, by } in steps {
                    plan.slices.push(now.until(join.to));
                    now = Part { from: join.from - by, fade: join.to - join.from, by };
                    plan.joins.push(join);
                }
            }
            None => {
                plan.moves[n] = now.by;
                plan.rides.push(n);
            }
        }
        last = event.last;
    }
    if !plan.joins.is_empty() {
        plan.slices.push(now.until(end.saturating_add(now.by)));
    }
    plan
}

/// A piece that has begun.
struct Part {
    from: i64,
    fade: i64,
    by: i64,
}

impl Part {
    /// The slice that ends at a frame as moved.
    fn until(&self, to: i64) -> Slice {
        Slice { from: self.from, to: to - self.by, at: (self.from + self.by) as f64, fade_in: self.fade, fade_out: 0 }
    }
}

/// A join, and by how much is moved after it.
struct Step {
    join: Join,
    by: i64,
}

impl Set<'_> {
    /// The joins between an event that has arrived everywhere and the next one's first arrival, when they are moved by these amounts.
    fn joined(&self, [last, first]: [i64; 2], [m0, m1]: [i64; 2]) -> Option<Vec<Step>> {
        let frames = |s: f64| self.rate.frames(s);
        let (shortest, full) = (frames(SHORTEST_S), frames(FADE_S));
        let apart = (m1 - m0).abs();
        let free = |after: f64| self.free((last + frames(after)).max(self.span[0]), first - frames(BEFORE_EVENT_S));
        for after in AFTER_S {
            // The last of the longest fades that fit.
            let fits = free(after).into_iter().map(|[x, y]| (y, (y - x - apart).min(full))).filter(|f| f.1 >= shortest);
            if let Some((y, length)) = fits.max_by_key(|f| (f.1, f.0)) {
                let to = y + m0.min(m1);
                return Some(vec![Step { join: Join { from: to - length, to }, by: m1 }]);
            }
        }
        // Moving apart, the same stretch is repeated as often as it takes.
        let [x, y] = free(AFTER_S[1]).into_iter().filter(|_| m1 > m0).max_by_key(|[x, y]| y - x)?;
        let length = full.min((y - x) / 3).max(shortest);
        let most = y - x - length;
        if most < length {
            return None;
        }
        let count = ((apart + most - 1) / most).max(1);
        let at = |k: i64| m0 + apart * k / count;
        let step = |k: i64| {
            let to = y + at(k);
            Step { join: Join { from: to - length.min(at(k + 1) - at(k)), to }, by: at(k + 1) }
        };
        let steps: Vec<Step> = (0..count).map(step).collect();
        steps.iter().all(|s| s.join.to - s.join.from >= shortest).then_some(steps)
    }

    /// Stretches from one frame to another that hold nothing that may be an attack.
    fn free(&self, from: i64, to: i64) -> Vec<[i64; 2]> {
        let [before, after] = [UNSURE_S + ATTACK_S[0], ATTACK_S[1]].map(|s| self.rate.frames(s) + 1);
        let mut free = Vec::new();
        let mut begin = from;
        let near = self.seen.partition_point(|s| *s + after < from);
        for seen in self.seen[near..].iter().take_while(|s| *s - before < to) {
            if begin < seen - before {
                free.push([begin, seen - before]);
            }
            begin = begin.max(seen + after);
        }
        if begin < to {
            free.push([begin, to]);
        }
        free
    }
}
