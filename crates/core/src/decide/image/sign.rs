//! Which way up the channels stand to one another.

use crate::decide::image::judged::signed;
use crate::measure::image::{Between, Image};
use crate::verdict::Verdict;

/// Votes needed for a majority to speak, and parts of them from which they are clear and overwhelming.
pub const VOTES: usize = 10;
const MOST_OPPOSED: f64 = 0.75;
const ALL_OPPOSED: f64 = 0.85;
/// Votes that must be of one mind: where something else bears them out, where nothing contradicts them, and against a doubt.
/// In eighty simulated recordings of microphones apart one vote of three hundred was wrong.
const BORNE_OUT: usize = 2;
const UNCONTRADICTED: usize = 3;
const OUTWEIGH: usize = 5;
/// Correlation of the lows from which it speaks.
const LOWS_SPEAK: f64 = 0.2;
/// Lows are compared at one lag only: with more than this between the channels, in seconds, they prove nothing.
const LOWS_WITHIN_S: f64 = 0.000_8;

/// Which way up the second stands to the first, and how sure: 0 where nothing tells.
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
        // One lag that everything shares: its sign, unless lows or strikes say otherwise.
        (Verdict::Solid, s) if p.one_lag >= ONE_LAG && lows != -s && vote != -s => (s, Verdict::Solid),
        (Verdict::Solid | Verdict::Likely, s) if lows != -s && vote != -s && (lows == s || vote == s) => {
            (s, if vote == s && lows == s && all { Verdict::Solid } else { Verdict::Likely })
        }
        // Every strike arrives that way, and so does the whole: then lows that say otherwise are the room's.
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

/// Channels that are to be turned over, by all pairs at once, as few as possible; the first of two stays.
pub fn turned(image: &Image, signs: &[(i8, Verdict)]) -> Vec<Option<Verdict>> {
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
    // Turning all over changes nothing: the fewer are turned. Of two, the second.
    let rank = |set: usize| (set.count_ones(), std::cmp::Reverse(set.trailing_zeros()));
    let best = (0..1usize << n.min(16))
        .max_by(|a, b| agreement(*a).total_cmp(&agreement(*b)).then_with(|| rank(*b).cmp(&rank(*a))));
    let best = best.unwrap_or(0);
    (0..n)
        .map(|c| {
            let mine = || image.pairs.iter().zip(signs).filter(|(p, s)| (p.a == c || p.b == c) && s.0 != 0);
            (best >> c & 1 == 1).then(|| {
                // As sure as the surest of those that are not turned with it.
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

/// Part of all moments that a lag of the whole recording, rather than of one source in it, is found at.
pub const ONE_LAG: f64 = 0.85;
