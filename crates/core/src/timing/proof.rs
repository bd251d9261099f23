//! What a plan does to a set, read back from its slices: no attack lost or doubled, no join that clicks, nothing between microphones changed.

use super::plan::ATTACK_S;
use crate::edit::slice::Slice;
use crate::units::{SampleRate, db_of_amplitude};
use std::ops::Range;

/// Attacks counted, and those that are not played once and in full.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Ledger {
    /// All of them.
    pub attacks: usize,
    /// Frames of those that no slice plays in full.
    pub lost: Vec<i64>,
    /// And of those of which a second slice plays a part.
    pub doubled: Vec<i64>,
}

/// Every attack (frames of its arrival in any microphone, as recorded) against the slices. Without slices all is as recorded.
pub fn ledger(slices: &[Slice], attacks: &[i64], rate: SampleRate) -> Ledger {
    let mut told = Ledger { attacks: attacks.len(), ..Ledger::default() };
    if slices.is_empty() {
        return told;
    }
    let (begin, end) = (slices[0].from, ends_at(slices));
    let [before, after] = ATTACK_S.map(|s| rate.frames(s));
    // What each plays at full weight: after its own fade, and until the next one's begins.
    let fades = slices.iter().skip(1).map(|s| s.fade_in).chain([0]);
    let full: Vec<Range<i64>> = slices.iter().zip(fades).map(|(s, next)| s.from + s.fade_in..s.to - next).collect();
    // A piece is no longer than the file, so that those that can hold an attack are found by their ends and beginnings.
    let mut reach = i64::MIN;
    let ends: Vec<i64> = slices.iter().map(|s| (reach = reach.max(s.to), reach).1).collect();
    for &attack in attacks {
        // What the set begins or ends with is whole where it is played from there on.
        let (from, to) = ((attack - before).max(begin), (attack + after).min(end));
        let near = ends.partition_point(|end| *end <= from);
        let (mut plays, mut touches) = (0, 0);
        for (n, s) in slices.iter().enumerate().skip(near) {
            // Slices move by less than an hour; what begins far behind cannot reach back.
            if s.from > to && slices[n..].iter().take(8).all(|s| s.from > to) {
                break;
            }
            touches += usize::from(s.from < to && from < s.to);
            plays += usize::from(full[n].start <= from && to <= full[n].end);
        }
        if plays == 0 {
            told.lost.push(attack);
        } else if touches > 1 {
            told.doubled.push(attack);
        }
    }
    told
}

fn ends_at(slices: &[Slice]) -> i64 {
    slices.iter().map(|s| s.to).max().unwrap_or(i64::MAX)
}

/// How much a join clicks, in dB against the level about it; −∞ where it does not. `joined` is what plays, `before` and `after` are what
/// the two pieces read there, all over the same frames; `fade` is the part of them that is faded.
///
/// The largest second difference within the fade, less √2 times the largest of either piece, against the RMS of what plays: what a splice
/// adds to the sound's own edges.
pub fn click_db(joined: &[f32], [before, after]: [&[f32]; 2], fade: Range<usize>) -> f64 {
    const BESIDE: usize = 4;
    let range = fade.start.saturating_sub(BESIDE).max(1)..(fade.end + BESIDE).min(joined.len().saturating_sub(1));
    let sharpest =
        |x: &[f32]| range.clone().map(|n| f64::from(x[n - 1] - 2.0 * x[n] + x[n + 1]).abs()).fold(0.0, f64::max);
    let own = std::f64::consts::SQRT_2 * sharpest(before).max(sharpest(after));
    let level = (joined.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / joined.len().max(1) as f64).sqrt();
    let added = sharpest(joined) - own;
    if added <= 0.0 || level <= 0.0 { f64::NEG_INFINITY } else { db_of_amplitude(added / level) }
}
