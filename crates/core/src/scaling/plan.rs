//! What of a sound is copied, because an attack is there or nothing changes, and what lies between and is scaled.

use crate::edit::map::TimeMap;
use crate::units::SampleRate;
use std::collections::BTreeSet;

/// Copied about an attack: so much before it and so much after, in seconds.
const BEFORE_S: f64 = 0.006;
const AFTER_S: f64 = 0.03;
/// At least so much after it, where the next one leaves no room.
const AFTER_LEAST_S: f64 = 0.008;
/// What is scaled is at least so long, in seconds, before and after.
const LEAST_S: f64 = 0.015;
/// And grows or shrinks by this at most between two attacks.
const MOST: f64 = 2.5;
/// Attacks closer than this are one, in seconds.
const ONE_S: f64 = 0.002;
/// From what is copied to what is scaled, and back, in seconds.
const OUT_S: f64 = 0.012;
const IN_S: f64 = 0.004;
/// What is scaled hears nothing of the attack before it until so long after it, nor the next one from so long before it, in seconds.
const CLEAR_AFTER_S: f64 = 0.003;
const CLEAR_BEFORE_S: f64 = 0.002;
/// Beyond its own part it hears so much of what is copied, in seconds.
const BESIDE_S: f64 = 0.022;

/// One part of a result. Frames out are those of the result.
#[derive(Debug, Clone, PartialEq)]
pub enum Part {
    /// As it was.
    Copied {
        /// From a frame to another.
        out: [i64; 2],
        /// So much later than in the recording, in frames.
        later: i64,
    },
    /// Longer or shorter than it was.
    Scaled(Gap),
}

/// What is scaled.
#[derive(Debug, Clone, PartialEq)]
pub struct Gap {
    /// From a frame of the result to another.
    pub out: [i64; 2],
    /// Frames that it is faded over: in before its first one, and out after its last one. 0 at the ends of the result.
    pub fades: [i64; 2],
    /// Frames of the recording and of the result, both rising, straight between; at the same lag beyond.
    pub points: Vec<[f64; 2]>,
    /// Frames of the recording from which and up to which it may be heard.
    pub clear: [i64; 2],
}

impl Gap {
    /// The frame of the recording that sounds at one of the result.
    pub fn own_of(&self, out: f64) -> f64 {
        let n = self.points.partition_point(|p| p[1] <= out);
        match (n.checked_sub(1).and_then(|n| self.points.get(n)), self.points.get(n)) {
            (Some(p), Some(q)) => p[0] + (out - p[1]) * (q[0] - p[0]) / (q[1] - p[1]),
            (Some(p), None) | (None, Some(p)) => out + p[0] - p[1],
            (None, None) => out,
        }
    }
}

impl Part {
    /// Frames of the result from which and up to which it sounds.
    pub fn reach(&self) -> [i64; 2] {
        match self {
            Self::Copied { out, .. } => *out,
            Self::Scaled(gap) => [gap.out[0] - gap.fades[0], gap.out[1] + gap.fades[1]],
        }
    }

    /// Without fades.
    pub fn out(&self) -> [i64; 2] {
        match self {
            Self::Copied { out, .. } | Self::Scaled(Gap { out, .. }) => *out,
        }
    }
}

/// Where an attack goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Attack {
    /// Frame of the recording.
    pub own: i64,
    /// Frame of the result.
    pub out: i64,
    /// It had no room of its own and keeps its distance from another one.
    pub rides: bool,
}

/// What is copied and what is scaled, in order and without holes.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    /// One after the other.
    pub parts: Vec<Part>,
    /// In order.
    pub attacks: Vec<Attack>,
}

impl Plan {
    /// First frame of the result.
    pub fn first(&self) -> i64 {
        self.parts.first().map_or(0, |p| p.out()[0])
    }

    /// The frame after its last.
    pub fn end(&self) -> i64 {
        self.parts.last().map_or(0, |p| p.out()[1])
    }
}

/// A stretch of the recording that is copied, and the attacks that it holds: the first and the last, and how strong the strongest is.
#[derive(Clone, Copy)]
struct Span {
    own: [i64; 2],
    later: i64,
    attacks: [i64; 2],
    strength: f32,
}

/// Lengths in frames.
struct Lengths {
    before: i64,
    after: i64,
    after_least: i64,
    least: i64,
    one: i64,
}

impl Lengths {
    /// Can this much become that much?
    fn fit(&self, own: i64, out: i64) -> bool {
        let ratio = own as f64 / out as f64;
        own.min(out) >= self.least && (1.0 / MOST..=MOST).contains(&ratio)
    }
}

/// Plans a recording of so many frames along a map; `attacks` are frames of it, in order, each with how strong it is. Of two without room
/// for both the weaker one rides.
pub fn plan(map: &TimeMap, frames: i64, attacks: &[(i64, f32)], rate: SampleRate) -> Plan {
    let [before, after, after_least, least, one] =
        [BEFORE_S, AFTER_S, AFTER_LEAST_S, LEAST_S, ONE_S].map(|s| rate.frames(s));
    let lengths = Lengths { before, after, after_least, least, one };
    let (spans, attacks) = spans(map, frames, attacks, &lengths);
    let goes = |own: i64| map.session_of(own as f64).round() as i64;
    let mut parts: Vec<Part> = Vec::new();
    let mut from = None;
    for span in &spans {
        parts.extend(between(map, from, Some(span), [frames, goes(0)], rate));
        parts.push(Part::Copied { out: span.own.map(|own| own + span.later), later: span.later });
        from = Some(*span);
    }
    parts.extend(match from {
        Some(last) => between_end(map, &last, frames, goes(frames), rate),
        None if frames > 0 => {
            let start = goes(0);
            Some(gap(map, [[0, start], [frames, goes(frames).max(start + 1)]], [0, 0], [0, frames]))
        }
        None => None,
    });
    Plan { parts, attacks }
}

/// Attacks that have a place of their own: the strongest first, and none that leaves another no room.
fn leaders(attacks: &[(i64, f32)], l: &Lengths) -> Vec<i64> {
    let apart = l.before + l.after_least + l.least;
    let mut order: Vec<&(i64, f32)> = attacks.iter().collect();
    order.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    let mut leaders = BTreeSet::new();
    for (at, _) in order {
        if leaders.range(at - apart + 1..at + apart).next().is_none() {
            leaders.insert(*at);
        }
    }
    leaders.into_iter().collect()
}

/// Stretches to be copied, in order and apart, and where every attack goes.
fn spans(map: &TimeMap, frames: i64, attacks: &[(i64, f32)], l: &Lengths) -> (Vec<Span>, Vec<Attack>) {
    let mut attacks: Vec<(i64, f32)> = attacks.iter().filter(|a| (0..frames).contains(&a.0)).copied().collect();
    attacks.dedup_by(|next, kept| {
        let one = next.0 - kept.0 < l.one;
        if one && next.1 > kept.1 {
            kept.1 = next.1;
        }
        one
    });
    let leaders = leaders(&attacks, l);
    let mut followers: Vec<Vec<i64>> = vec![Vec::new(); leaders.len()];
    for (at, _) in &attacks {
        let nearest = (0..leaders.len()).min_by_key(|n| (leaders[*n] - at).abs());
        followers[nearest.expect("the strongest leads")].push(*at);
    }
    let strength = |at: i64| attacks.iter().find(|a| a.0 == at).map_or(0.0, |a| a.1);
    let mut spans: Vec<Span> = Vec::new();
    for (at, group) in leaders.into_iter().zip(followers) {
        let [first, end] = [group[0], group[group.len() - 1]];
        let own = [(first - l.before).max(0), (end + l.after).min(frames)];
        let later = map.session_of(at as f64).round() as i64 - at;
        let mut next = Span { own, later, attacks: [first, end], strength: strength(at) };
        // Without room for both the weaker one keeps its distance from the stronger one, and so on with what is before.
        while let Some(last) = spans.last_mut() {
            let further = next.later - last.later;
            let room = |to: i64| l.fit(next.own[0] - to, next.own[0] - to + further);
            let shortest = (last.attacks[1] + l.after_least).min(last.own[1]);
            let step = (l.one / 2).max(1);
            let ends = (0..).map(|n| last.own[1] - n * step).take_while(|to| *to >= shortest).find(|to| room(*to));
            let as_one = further == 0 && next.own[0] - last.own[1] < l.least;
            if let (Some(to), false) = (ends, as_one) {
                last.own[1] = to;
                break;
            }
            let (later, strength) =
                if last.strength > next.strength { (last.later, last.strength) } else { (next.later, next.strength) };
            let attacks = [last.attacks[0], next.attacks[1]];
            next = Span { own: [last.own[0], next.own[1]], later, attacks, strength };
            spans.pop();
        }
        spans.push(next);
    }
    let goes = |own: i64| {
        let span = spans.iter().find(|s| (s.attacks[0]..=s.attacks[1]).contains(&own));
        let wanted = map.session_of(own as f64);
        let out = own + span.map_or(0, |s| s.later);
        Attack { own, out, rides: (out as f64 - wanted).abs() > 0.5 }
    };
    let told = attacks.iter().map(|a| goes(a.0)).collect();
    (spans, told)
}

/// What lies before a span: from the one before it, or from the beginning of the recording.
fn between(
    map: &TimeMap,
    from: Option<Span>,
    to: Option<&Span>,
    [frames, start]: [i64; 2],
    rate: SampleRate,
) -> Option<Part> {
    let to = to?;
    let [out, into, beside, after, before] =
        [OUT_S, IN_S, BESIDE_S, CLEAR_AFTER_S, CLEAR_BEFORE_S].map(|s| rate.frames(s));
    let end = [to.own[0], to.own[0] + to.later];
    let until = (to.attacks[0] - before).min(frames);
    match from {
        Some(from) => {
            let begin = [from.own[1], from.own[1] + from.later];
            let clear = (begin[0] - beside).max(from.attacks[1] + after).max(0);
            let fade = out.min(begin[0] - from.attacks[1] - after - into).max(1);
            Some(gap(map, [begin, end], [fade, into], [clear, until]))
        }
        // Where there is no room before the first attack, all before it keeps its distance from it.
        None if end[0] <= 0 => None,
        None if end[1] - start < rate.frames(LEAST_S) / 2 => {
            Some(Part::Copied { out: [to.later, end[1]], later: to.later })
        }
        None => Some(gap(map, [[0, start], end], [0, into], [0, until])),
    }
}

/// What lies behind the last span.
fn between_end(map: &TimeMap, from: &Span, frames: i64, end: i64, rate: SampleRate) -> Option<Part> {
    let [out, into, beside, after] = [OUT_S, IN_S, BESIDE_S, CLEAR_AFTER_S].map(|s| rate.frames(s));
    let begin = [from.own[1], from.own[1] + from.later];
    if begin[0] >= frames {
        return None;
    }
    if end - begin[1] < rate.frames(LEAST_S) / 2 {
        return Some(Part::Copied { out: [begin[1], frames + from.later], later: from.later });
    }
    let clear = (begin[0] - beside).max(from.attacks[1] + after).max(0);
    let fade = out.min(begin[0] - from.attacks[1] - after - into).max(1);
    Some(gap(map, [begin, [frames, end]], [fade, 0], [clear, frames]))
}

/// From one pair of frames (of the recording, of the result) to another, along the map between them; a copy where nothing changes.
fn gap(map: &TimeMap, [begin, end]: [[i64; 2]; 2], fades: [i64; 2], clear: [i64; 2]) -> Part {
    let later = begin[1] - begin[0];
    let [first, last] = [begin, end].map(|p| p.map(|v| v as f64));
    let off = |p: [f64; 2]| p[1] - map.session_of(p[0]);
    let run = last[0] - first[0];
    let put = |p: &[f64; 2]| {
        let part = (p[0] - first[0]) / run;
        [p[0], p[1] + off(first) * (1.0 - part) + off(last) * part]
    };
    let inside = map.points().iter().filter(|p| p[0] > first[0] + 1.0 && p[0] < last[0] - 1.0).map(put);
    let mut points: Vec<[f64; 2]> = [first].into_iter().chain(inside).chain([last]).collect();
    let steady = |p: &[[f64; 2]]| {
        let ratio = (p[1][0] - p[0][0]) / (p[1][1] - p[0][1]);
        p[1][1] > p[0][1] && (1.0 / MOST..=MOST).contains(&ratio)
    };
    if !points.windows(2).all(steady) {
        points = vec![first, last];
    }
    if points.iter().all(|p| (p[1] - p[0] - later as f64).abs() < 0.5) {
        return Part::Copied { out: [begin[1], end[0] + later], later };
    }
    Part::Scaled(Gap { out: [begin[1], end[1]], fades, points, clear })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;

    fn rate() -> SampleRate {
        SampleRate::new(48_000).unwrap()
    }

    /// Whatever the map and the attacks: no holes, every attack copied once and where the plan says, and time never runs back.
    #[test]
    fn parts_leave_no_hole_and_every_attack_is_copied_once() {
        for seed in 0..300 {
            let mut r = ChaCha8Rng::seed_from_u64(seed);
            let frames = r.random_range(1..200_000);
            let mut points = vec![[0.0, r.random_range(-9_000.0..9_000.0)]];
            while points[points.len() - 1][0] < frames as f64 {
                let [own, out] = points[points.len() - 1];
                let run = r.random_range(500.0..30_000.0);
                points.push([own + run, out + run * r.random_range(0.55..1.8)]);
            }
            let map = TimeMap::new(points).unwrap();
            let mut attacks: Vec<(i64, f32)> =
                (0..r.random_range(0..40)).map(|_| (r.random_range(0..frames), r.random_range(0.0..1.0))).collect();
            attacks.sort_by_key(|a| a.0);
            let plan = plan(&map, frames, &attacks, rate());
            for two in plan.parts.windows(2) {
                assert_eq!(two[0].out()[1], two[1].out()[0], "seed {seed}: {two:?}");
            }
            for part in &plan.parts {
                let [from, to] = part.out();
                assert!(from < to, "seed {seed}: {part:?}");
                if let Part::Scaled(gap) = part {
                    let rises = gap.points.windows(2).all(|p| p[0][0] < p[1][0] && p[0][1] < p[1][1]);
                    assert!(rises && gap.clear[0] < gap.clear[1], "seed {seed}: {gap:?}");
                }
            }
            for a in &plan.attacks {
                let holds = |p: &&Part| match p {
                    Part::Copied { out, later } => out[0] <= a.out && a.out < out[1] && a.own + later == a.out,
                    Part::Scaled(_) => false,
                };
                assert_eq!(plan.parts.iter().filter(holds).count(), 1, "seed {seed}: {a:?}");
                let wanted = map.session_of(a.own as f64);
                assert!(a.rides || (a.out as f64 - wanted).abs() <= 0.5, "seed {seed}: {a:?}, wanted at {wanted}");
            }
            assert!(plan.attacks.is_sorted_by(|a, b| a.out < b.out), "seed {seed}");
        }
    }

    #[test]
    fn of_attacks_without_room_the_strongest_is_where_the_map_puts_it() {
        let map = TimeMap::new(vec![[0.0, 0.0], [96_000.0, 120_000.0]]).unwrap();
        // A run of faint ones, every 12 ms, with a stroke among them.
        let attacks: Vec<(i64, f32)> = (0..20).map(|n| (20_000 + n * 576, if n == 11 { 0.9 } else { 0.02 })).collect();
        let plan = plan(&map, 96_000, &attacks, rate());
        let stroke = plan.attacks.iter().find(|a| a.own == 20_000 + 11 * 576).unwrap();
        assert!(!stroke.rides && stroke.out == 32_920, "{stroke:?}");
        assert_eq!(plan.attacks.len(), 20);
        // There is no room anywhere between them: all keep their distance from it.
        assert!(plan.attacks.iter().all(|a| a.out - a.own == stroke.out - stroke.own), "{:?}", plan.attacks);
    }

    #[test]
    fn nothing_is_scaled_where_nothing_changes() {
        let map = TimeMap::new(vec![[0.0, 480.0], [90_000.0, 90_480.0]]).unwrap();
        let plan = plan(&map, 96_000, &[(20_000, 0.5), (50_000, 0.1)], rate());
        assert!(plan.parts.iter().all(|p| matches!(p, Part::Copied { later: 480, .. })), "{plan:?}");
        assert_eq!([plan.first(), plan.end()], [480, 96_480]);
    }
}
