//! The polarity of the channels of one recording against each other.

use crate::decide::image::judged::signed;
use crate::measure::image::{Between, Image};
use crate::verdict::Verdict;

/// Votes needed before the majority counts, and the parts of all votes from which it is clear, and overwhelming.
pub const VOTES: usize = 10;
const MOST_OPPOSED: f64 = 0.75;
const ALL_OPPOSED: f64 = 0.85;
/// Votes that must all agree: when another measurement confirms them, when nothing contradicts them, and when something does.
/// In eighty simulated recordings with spaced microphones one vote in three hundred was wrong.
const BORNE_OUT: usize = 2;
const UNCONTRADICTED: usize = 3;
const OUTWEIGH: usize = 5;
/// Correlation of the lows from which it counts.
const LOWS_SPEAK: f64 = 0.2;
/// Lows are compared at lag 0 only: with a larger lag than this between the channels, in seconds, they prove nothing.
const LOWS_WITHIN_S: f64 = 0.000_8;

/// Polarity of the second channel against the first, and how sure: 0 where nothing tells.
pub fn sign_of(p: &Between, rate_hz: u32) -> (i8, Verdict) {
    let lag_s = p.pair.lag_frames.map(|l| l.abs() / f64::from(rate_hz));
    let low = p.low_correlation.filter(|_| lag_s.is_none_or(|l| l < LOWS_WITHIN_S));
    let lows = low.map_or(0, |c| if c.abs() < LOWS_SPEAK { 0 } else { c.signum() as i8 });
    let [votes, against] = p.votes;
    let part = against as f64 / votes.max(1) as f64;
    let (vote, all) = match () {
        () if votes < VOTES => (0, false),
        () if part >= MOST_OPPOSED => (-1, part >= ALL_OPPOSED),
        () if part <= 1.0 - MOST_OPPOSED => (1, part <= 1.0 - ALL_OPPOSED),
        () => (0, false),
    };
    let voice = if against == 0 { 1 } else { -1 };
    let of_one_voice = against == 0 || against == votes;
    let strong_lows = low.is_some_and(|c| c.abs() > 0.5);
    let lows_alone = if strong_lows { (lows, Verdict::Likely) } else { (0, Verdict::Undecided) };
    match (p.pair.verdict, p.pair.sign) {
        // All sound shares one lag: its sign is taken, unless the lows or the hits contradict it.
        (Verdict::Solid, s) if p.one_lag >= ONE_LAG && lows != -s && vote != -s => (s, Verdict::Solid),
        (Verdict::Solid | Verdict::Likely, s) if lows != -s && vote != -s && (lows == s || vote == s) => {
            (s, if vote == s && lows == s && all { Verdict::Solid } else { Verdict::Likely })
        }
        // All hits and the whole recording agree: lows that differ come from the room.
        (Verdict::Solid, s) if vote == s && all => (s, Verdict::Likely),
        _ if vote != 0 && lows == vote => (vote, if all { Verdict::Solid } else { Verdict::Likely }),
        _ if vote != 0 && lows == 0 && all => (vote, Verdict::Likely),
        (_, s) if of_one_voice && (!strong_lows || lows == voice) => {
            let needed = match () {
                () if lows == voice || s == voice => BORNE_OUT,
                () if lows == 0 && s == 0 => UNCONTRADICTED,
                () => OUTWEIGH,
            };
            if votes >= needed { (voice, Verdict::Likely) } else { lows_alone }
        }
        _ if vote == 0 => lows_alone,
        _ => (0, Verdict::Undecided),
    }
}

/// Channels to invert, judged from all pairs together: as few as possible; of two, the first stays.
pub fn inverted(image: &Image, signs: &[(i8, Verdict)]) -> Vec<Option<Verdict>> {
    let n = image.channels.len();
    let weight = |v: Verdict| match v {
        Verdict::Solid => 1.0,
        Verdict::Likely => 0.3,
        Verdict::Undecided => 0.0,
    };
    let agreement = |set: usize| -> f64 {
        let sign = |c: usize| if set >> c & 1 == 1 { -1.0 } else { 1.0 };
        let pairs = image.pairs.iter().zip(signs);
        pairs.map(|(p, (s, v))| f64::from(*s) * weight(*v) * sign(p.a) * sign(p.b)).sum()
    };
    // Inverting all channels changes nothing, so the smaller group is inverted; of two channels, the second.
    let rank = |set: usize| (set.count_ones(), std::cmp::Reverse(set.trailing_zeros()));
    let best = (0..1usize << n.min(16))
        .max_by(|a, b| agreement(*a).total_cmp(&agreement(*b)).then_with(|| rank(*b).cmp(&rank(*a))));
    let best = best.unwrap_or(0);
    (0..n)
        .map(|c| {
            let mine = || image.pairs.iter().zip(signs).filter(|(p, s)| (p.a == c || p.b == c) && s.0 != 0);
            (best >> c & 1 == 1).then(|| {
                // As sure as the surest comparison with a channel that stays upright.
                let other = |p: &Between| best >> (p.a + p.b - c) & 1 == 0;
                mine().filter(|(p, s)| other(p) && s.0 < 0).map(|(_, s)| s.1).max().unwrap_or(Verdict::Likely)
            })
        })
        .collect()
}

/// What speaks for an inversion, in a sentence.
pub fn why(image: &Image, c: usize) -> String {
    let mine = image.pairs.iter().filter(|p| p.a == c || p.b == c);
    let against: Vec<&Between> = mine.filter(|p| p.votes[1] * 2 > p.votes[0] || p.pair.sign < 0).collect();
    let Some(p) = against.first() else { return String::new() };
    let lows = p.low_correlation.map_or(String::new(), |l| format!("correlation below 200 Hz is {}", signed(l, 2)));
    let strikes = if p.votes[0] >= BORNE_OUT {
        format!("{} of {} strikes arrive opposed", p.votes[1], p.votes[0])
    } else {
        String::new()
    };
    let said: Vec<String> = [strikes, lows].into_iter().filter(|s| !s.is_empty()).collect();
    let mut text = said.join(", ");
    if let Some(first) = text.get(..1) {
        text = format!("{}{}.", first.to_uppercase(), &text[1..]);
    }
    text
}

/// Part of all moments at which a lag must be found to be that of the whole recording and not of one source in it.
pub const ONE_LAG: f64 = 0.85;
