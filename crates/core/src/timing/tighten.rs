//! A set of microphones moved onto a grid or onto somebody else's strokes: which strokes belong together, where each was meant, how far it goes, and the pieces that bring it there.

use super::grid::Grid;
use super::moves::{Asked, Event, Fate, fate};
use super::plan::{BEFORE_EVENT_S, Plan, Set, plan};
use crate::dsp::stats::median;
use crate::edit::tempo::Beats;
use crate::hits::event::{Event as Together, events};
use crate::hits::{Hit, Played};
use crate::units::SampleRate;
use crate::verdict::Verdict;

/// What is moved by hand is the stroke within this, in seconds: found anew by other settings it lies a little elsewhere.
const BY_HAND_S: f64 = 0.01;
/// Strokes on one place of the grid are moved as one up to this far apart, in seconds: a flam stays a flam.
const ONE_PLACE_S: f64 = 0.04;

/// What strokes are moved towards.
#[derive(Debug, Clone, Copy)]
pub enum Towards<'a> {
    /// Note values.
    Grid(Grid),
    /// The strokes of somebody else, in session frames, in order.
    Strokes(&'a [f64]),
}

/// A part of the session, and how it is moved.
#[derive(Debug, Clone, Copy)]
pub struct Section<'a> {
    /// From one session frame to another; all of it where there is none.
    pub range: Option<[f64; 2]>,
    /// Where to.
    pub towards: Towards<'a>,
    /// Strength, slack, and how far at most.
    pub asked: Asked,
}

/// Strokes that somebody moves as they like, whatever their section says.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ByHand {
    /// Session frame about which they are played.
    pub at: f64,
    /// By how many frames they go, later when positive; 0 leaves them as played.
    pub by: i64,
    /// It is a pin: what lies between two of them moves with them, by an amount that changes evenly from the one to the other.
    pub pin: bool,
}

/// Where to, and by how much.
#[derive(Debug, Clone, Copy)]
pub struct Wanted<'a> {
    /// What lies in several of them belongs to the last; what lies in none stays.
    pub sections: &'a [Section<'a>],
    /// Where note values fall.
    pub beats: &'a Beats,
    /// Strokes closer together than so many frames are one event.
    pub within: f64,
    /// Strokes softer than this against a usual one of their source, in dB, are not moved by themselves.
    pub softest_db: f32,
    /// Strokes moved by hand.
    pub by_hand: &'a [ByHand],
}

impl Wanted<'_> {
    /// The section that a stroke belongs to, and where it was meant.
    fn meant(&self, at: f64) -> Option<(&Section<'_>, f64)> {
        let inside = |s: &&Section| s.range.is_none_or(|[from, to]| from <= at && at < to);
        let section = self.sections.iter().rev().find(inside)?;
        let place = match section.towards {
            Towards::Grid(grid) => grid.nearest(self.beats, at),
            Towards::Strokes(strokes) => nearest(strokes, at)?,
        };
        Some((section, place))
    }

    /// How far somebody moves the strokes that are played at a frame.
    fn by_hand(&self, at: f64, reach: f64) -> Option<i64> {
        let apart = |h: &&ByHand| (h.at - at).abs();
        let near = self.by_hand.iter().filter(|h| apart(h) <= reach).min_by(|a, b| apart(a).total_cmp(&apart(b)));
        near.map(|h| h.by).or_else(|| self.between_pins(at))
    }

    /// What the pins on either side make of a frame.
    fn between_pins(&self, at: f64) -> Option<i64> {
        let pins = || self.by_hand.iter().filter(|h| h.pin);
        let before = pins().filter(|p| p.at <= at).max_by(|a, b| a.at.total_cmp(&b.at))?;
        let after = pins().filter(|p| p.at > at).min_by(|a, b| a.at.total_cmp(&b.at))?;
        let part = (at - before.at) / (after.at - before.at);
        Some((before.by as f64 + part * (after.by - before.by) as f64).round() as i64)
    }
}

/// The nearest of some frames in order.
fn nearest(all: &[f64], at: f64) -> Option<f64> {
    let next = all.partition_point(|s| *s < at);
    let near = &all[next.saturating_sub(1)..(next + 1).min(all.len())];
    near.iter().copied().min_by(|a, b| (a - at).abs().total_cmp(&(b - at).abs()))
}

/// What becomes of strokes that belong together.
#[derive(Debug, Clone, PartialEq)]
pub struct Moved {
    /// Session frame at which they are played, without what their own microphones are late by.
    pub at: f64,
    /// Where they were meant: their place on the grid, or the stroke that they go with. Where they are, outside of all sections.
    pub meant: f64,
    /// The sources struck, by their place in the list.
    pub sources: Vec<usize>,
    /// What was decided.
    pub fate: Fate,
    /// By how many frames they are moved in the end.
    pub by: i64,
    /// They could not be parted from what sounds before, and go along with it.
    pub rides: bool,
    /// Somebody decided by hand how far they go.
    pub by_hand: bool,
    /// Level of the loudest of them against a usual stroke of its source, in dB.
    pub level_db: f32,
}

/// A set cut and moved.
#[derive(Debug, Clone, PartialEq)]
pub struct Tightened {
    /// In the order of time.
    pub moved: Vec<Moved>,
    /// Pieces for every recording of the set.
    pub plan: Plan,
    /// Frames, in order, of everything that may be an attack in any microphone.
    pub seen: Vec<i64>,
}

/// What is known of a set.
#[derive(Debug, Clone, Copy)]
pub struct Heard<'a> {
    /// The strokes of its sources. Undecided ones are not moved by themselves, but nothing is cut through them.
    pub played: &'a [Played],
    /// By microphone, by how many frames it is late by itself.
    pub late: &'a [f64],
    /// Everything else that may be an attack ([`crate::hits::seen::seen`]).
    pub seen: &'a [i64],
    /// First frame of the set and the one after its last.
    pub span: [i64; 2],
    /// Its rate.
    pub rate: SampleRate,
}

/// Moves the strokes of some sources (by their place in the list) to where they were meant, and all that sounds with them.
pub fn tighten(heard: &Heard, of: &[usize], wanted: &Wanted) -> Tightened {
    let sure = |(n, p): (usize, &Played)| Played {
        hits: p.hits.iter().filter(|h| of.contains(&n) && h.verdict > Verdict::Undecided).copied().collect(),
        ..p.clone()
    };
    let sure: Vec<Played> = heard.played.iter().enumerate().map(sure).collect();
    let groups = heard.gathered(events(&sure, wanted.softest_db, wanted.within), wanted);
    let (places, mut moved): (Vec<Event>, Vec<Moved>) = groups.iter().map(|g| heard.fated(g, wanted)).unzip();
    let arrivals = heard.played.iter().flat_map(|p| p.moments().flat_map(|at| arrivals(p, at)));
    let mut seen: Vec<i64> = heard.seen.iter().copied().chain(arrivals.map(|a| a.round() as i64)).collect();
    seen.sort_unstable();
    seen.dedup();
    let set = Set { events: &places, seen: &seen, span: heard.span, rate: heard.rate };
    let plan = plan(&set, &moved.iter().map(|m| m.by).collect::<Vec<i64>>());
    for (n, m) in moved.iter_mut().enumerate() {
        (m.by, m.rides) = (plan.moves[n], plan.rides.contains(&n));
    }
    Tightened { moved, plan, seen }
}

/// When a stroke reaches each microphone that is known to hear it.
fn arrivals(p: &Played, at: f64) -> impl Iterator<Item = f64> {
    p.source.lags.iter().flatten().map(move |lag| at + lag)
}

impl Heard<'_> {
    /// When a stroke is played, without what its own microphone is late by.
    fn at(&self, stroke: &(usize, Hit)) -> f64 {
        stroke.1.at - self.late.get(self.played[stroke.0].source.home).copied().unwrap_or(0.0)
    }

    /// When strokes that belong together are played: the median, or the loudest where they are a flam.
    fn played_at(&self, group: &Together, wanted: &Wanted) -> f64 {
        let mut at: Vec<f64> = group.strokes.iter().map(|s| self.at(s)).collect();
        at.sort_by(f64::total_cmp);
        if at[at.len() - 1] - at[0] < wanted.within {
            return median(&mut at).unwrap_or(0.0);
        }
        let loudest = group.strokes.iter().max_by(|a, b| a.1.level_db.total_cmp(&b.1.level_db));
        loudest.map_or(at[0], |s| self.at(s))
    }

    /// Events that share a place of the grid and follow closely are one.
    fn gathered(&self, events: Vec<Together>, wanted: &Wanted) -> Vec<Together> {
        let close = self.rate.frames(ONE_PLACE_S) as f64;
        let place = |e: &Together| wanted.meant(self.played_at(e, wanted)).map(|(_, place)| place);
        let mut groups: Vec<Together> = Vec::new();
        for event in events {
            match groups.last_mut() {
                Some(last)
                    if event.at() - last.at() < close && place(&event).is_some_and(|p| place(last) == Some(p)) =>
                {
                    last.strokes.extend(event.strokes);
                }
                _ => groups.push(event),
            }
        }
        groups
    }

    fn fated(&self, group: &Together, wanted: &Wanted) -> (Event, Moved) {
        let at = self.played_at(group, wanted);
        let reach = group.strokes.iter().flat_map(|(n, hit)| arrivals(&self.played[*n], hit.at).chain([hit.at]));
        let [first, last] = reach.fold([f64::MAX, f64::MIN], |[a, b], at| [a.min(at), b.max(at)]);
        let event = Event { at, first: first.floor() as i64, last: last.ceil() as i64 };
        let (mut fate, meant) = match wanted.meant(at) {
            Some((section, meant)) => (fate(at, meant, &section.asked), meant),
            None => (Fate::Moved(0), at),
        };
        let by_hand = wanted.by_hand(at, self.rate.hz_f64() * BY_HAND_S);
        if let Some(by) = by_hand {
            fate = Fate::Moved(by);
        }
        // Nothing is moved out over the beginning.
        if event.first - self.rate.frames(BEFORE_EVENT_S) + fate.by() < self.span[0] && fate.by() < 0 {
            fate = Fate::Left;
        }
        let mut sources: Vec<usize> = group.strokes.iter().map(|s| s.0).collect();
        sources.sort_unstable();
        sources.dedup();
        let level_db = group.strokes.iter().map(|s| s.1.level_db).fold(f32::NEG_INFINITY, f32::max);
        let by_hand = by_hand.is_some();
        (event, Moved { at, meant, sources, fate, by: fate.by(), rides: false, by_hand, level_db })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::edit::tempo::TempoMap;
    use crate::hits::learn::Source;

    const RATE: u64 = 48_000;

    fn played(home: usize, strokes: &[(f64, f32)]) -> Played {
        let hit = |(at, level_db): &(f64, f32)| Hit {
            at: *at,
            level_db: *level_db,
            margin_db: 9.0,
            odds: 3.0,
            verdict: Verdict::Likely,
        };
        let source = Source { lags: vec![Some(0.0), Some(0.0)], ..Source::unknown(home, 2) };
        Played { source, hits: strokes.iter().map(hit).collect(), perhaps: Vec::new() }
    }

    fn wanted<'a>(sections: &'a [Section<'a>], beats: &'a Beats) -> Wanted<'a> {
        Wanted { sections, beats, within: 576.0, softest_db: f32::NEG_INFINITY, by_hand: &[] }
    }

    fn moved(played: &[Played], late: &[f64]) -> Vec<(f64, Fate, i64, usize)> {
        let rate = SampleRate::new(RATE).unwrap();
        let heard = Heard { played, late, seen: &[], span: [0, 480_000], rate };
        let beats = TempoMap::single(120.0, 4, 0.0).beats(rate.hz_f64());
        let asked = Asked { strength: 1.0, slack: 0.0, farthest: 4_000.0 };
        let sections = [Section { range: None, towards: Towards::Grid("1/8".parse().unwrap()), asked }];
        let wanted = wanted(&sections, &beats);
        let all: Vec<usize> = (0..played.len()).collect();
        tighten(&heard, &all, &wanted).moved.iter().map(|m| (m.at, m.fate, m.by, m.sources.len())).collect()
    }

    #[test]
    fn a_flam_stays_one_and_its_loud_stroke_meets_the_grid() {
        // A soft stroke 30 ms before the loud one: the second lies 500 frames late.
        let all = [played(0, &[(11_060.0, -14.0), (12_500.0, 0.0), (36_100.0, 0.0)])];
        let told = moved(&all, &[0.0, 0.0]);
        assert_eq!(told, [(12_500.0, Fate::Moved(-500), -500, 1), (36_100.0, Fate::Moved(-100), -100, 1)]);
    }

    #[test]
    fn what_a_microphone_is_late_by_is_no_deviation() {
        let all = [played(0, &[(24_000.0, 0.0)]), played(1, &[(24_240.0, 0.0), (48_240.0, 0.0)])];
        let told = moved(&all, &[0.0, 240.0]);
        assert_eq!(told, [(24_000.0, Fate::Moved(0), 0, 2), (48_000.0, Fate::Moved(0), 0, 1)]);
    }

    #[test]
    fn sections_have_settings_of_their_own_and_the_last_one_counts() {
        let all = [played(0, &[(12_100.0, 0.0), (36_100.0, 0.0), (60_100.0, 0.0), (84_100.0, 0.0)])];
        let rate = SampleRate::new(RATE).unwrap();
        let heard = Heard { played: &all, late: &[0.0; 2], seen: &[], span: [0, 480_000], rate };
        let beats = TempoMap::single(120.0, 4, 0.0).beats(rate.hz_f64());
        let asked = |strength| Asked { strength, slack: 0.0, farthest: 4_000.0 };
        let towards = Towards::Grid("1/8".parse().unwrap());
        let bass = [59_000.0, 61_000.0];
        let sections = [
            Section { range: Some([20_000.0, 70_000.0]), towards, asked: asked(0.5) },
            Section { range: Some([50_000.0, 90_000.0]), towards: Towards::Strokes(&bass), asked: asked(1.0) },
        ];
        let made = tighten(&heard, &[0], &wanted(&sections, &beats));
        // Outside of all, the first's half, onto the bass, and too far from any of its strokes.
        let told: Vec<(i64, f64)> = made.moved.iter().map(|m| (m.by, m.meant)).collect();
        assert_eq!(told, [(0, 12_100.0), (-50, 36_000.0), (900, 61_000.0), (0, 61_000.0)]);
        assert_eq!(made.moved[3].fate, Fate::Left);
    }

    #[test]
    fn nothing_is_moved_out_over_the_beginning() {
        let told = moved(&[played(0, &[(30.0, 0.0), (24_300.0, 0.0)])], &[0.0, 0.0]);
        assert_eq!(told, [(30.0, Fate::Left, 0, 1), (24_300.0, Fate::Moved(-300), -300, 1)]);
    }

    #[test]
    fn a_hand_decides_for_one_stroke_alone_and_soft_ones_stay() {
        let all = [played(0, &[(12_100.0, 0.0), (36_100.0, -25.0), (60_100.0, 0.0), (84_100.0, 0.0)])];
        let rate = SampleRate::new(RATE).unwrap();
        let heard = Heard { played: &all, late: &[0.0; 2], seen: &[], span: [0, 480_000], rate };
        let beats = TempoMap::single(120.0, 4, 0.0).beats(rate.hz_f64());
        let asked = Asked { strength: 1.0, slack: 0.0, farthest: 4_000.0 };
        let sections = [Section { range: None, towards: Towards::Grid("1/8".parse().unwrap()), asked }];
        // One is left as played, one goes elsewhere (its place was found 3 ms away), one is nobody's.
        let by_hand = [
            ByHand { at: 12_100.0, by: 0, pin: false },
            ByHand { at: 60_244.0, by: 333, pin: false },
            ByHand { at: 70_000.0, by: 9, pin: false },
        ];
        let wanted = Wanted { softest_db: -20.0, by_hand: &by_hand, ..wanted(&sections, &beats) };
        let made = tighten(&heard, &[0], &wanted);
        let told: Vec<(f64, i64, bool)> = made.moved.iter().map(|m| (m.at, m.by, m.by_hand)).collect();
        assert_eq!(told, [(12_100.0, 0, true), (60_100.0, 333, true), (84_100.0, -100, false)]);
        assert!(made.seen.contains(&36_100), "nothing is cut through the soft one");
    }

    #[test]
    fn what_lies_between_two_pins_moves_with_them() {
        let all = [played(0, &[(12_100.0, 0.0), (24_100.0, 0.0), (48_100.0, 0.0), (60_100.0, 0.0), (72_100.0, 0.0)])];
        let rate = SampleRate::new(RATE).unwrap();
        let heard = Heard { played: &all, late: &[0.0; 2], seen: &[], span: [0, 480_000], rate };
        let beats = TempoMap::single(120.0, 4, 0.0).beats(rate.hz_f64());
        let pin = |at, by| ByHand { at, by, pin: true };
        // The second pin is a place where nothing is struck; one stroke between them has a move of its own.
        let by_hand = [pin(66_100.0, -440), ByHand { at: 48_100.0, by: 5, pin: false }, pin(24_100.0, -20)];
        let wanted = Wanted { by_hand: &by_hand, ..wanted(&[], &beats) };
        let told: Vec<i64> = tighten(&heard, &[0], &wanted).moved.iter().map(|m| m.by).collect();
        assert_eq!(told, [0, -20, 5, -380, 0]);
    }
}
