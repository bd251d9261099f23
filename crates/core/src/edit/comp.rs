//! Parts of several takes: at each moment one of them is heard, the others are silent there and stay at hand.

use super::correction::Correction;
use super::stretch::{Stretch, with_stretch};
use crate::units::RecordingFrame;

/// As good as silent, in dB: the last bit of 24 is 138 dB under full scale.
pub const SILENT_DB: f64 = -144.0;
/// A stretch this quiet is one that a comp made silent.
const MADE_SILENT_DB: f64 = -100.0;

/// A part of the session, and which take is heard in it, by its place in the list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Part {
    /// First session frame.
    pub from: i64,
    /// Session frame after the last.
    pub to: i64,
    /// Which take.
    pub take: usize,
}

/// Of each of so many takes, the session frames between which another one is heard, in order. Of several parts the last counts; outside of
/// all the first take is heard. Each is longer by `half` on either side, so that the fades of two takes meet at the seam.
///
/// ```
/// use marea_core::edit::comp::{Part, silences};
/// let parts = [Part { from: 100, to: 200, take: 1 }];
/// assert_eq!(silences(&parts, 2, [0, 1_000], 5), [vec![[95, 205]], vec![[-5, 105], [195, 1_005]]]);
/// ```
pub fn silences(parts: &[Part], takes: usize, [first, last]: [i64; 2], half: i64) -> Vec<Vec<[i64; 2]>> {
    let mut edges: Vec<i64> = parts.iter().flat_map(|p| [p.from, p.to]).chain([first, last]).collect();
    edges.retain(|e| (first..=last).contains(e));
    edges.sort_unstable();
    edges.dedup();
    let heard = |at: i64| parts.iter().rev().find(|p| p.from <= at && at < p.to).map_or(0, |p| p.take);
    let of = |take: usize| {
        let mut silent: Vec<[i64; 2]> = Vec::new();
        for part in edges.windows(2).filter(|part| heard(part[0]) != take) {
            match silent.last_mut() {
                Some(before) if before[1] == part[0] => before[1] = part[1],
                _ => silent.push([part[0], part[1]]),
            }
        }
        silent.iter().map(|[from, to]| [from - half, to + half]).collect()
    };
    (0..takes).map(of).collect()
}

/// The stretches of a take that is silent within some of its frames, whatever was silent before.
pub fn silent_within(stretches: &[Stretch], silent: &[[RecordingFrame; 2]]) -> Vec<Stretch> {
    let besides = Correction { gain_db: SILENT_DB, ..Correction::default() };
    let one = |all: Vec<Stretch>, [from, to]: &[RecordingFrame; 2]| {
        with_stretch(&all, Stretch { from: *from, to: *to, besides })
    };
    silent.iter().fold(heard_again(stretches), one)
}

/// The same stretches without any silence of a comp; what else they carry stays.
fn heard_again(stretches: &[Stretch]) -> Vec<Stretch> {
    let again = |s: &Stretch| match s.besides.gain_db <= MADE_SILENT_DB {
        // Sums of decimals are not exact: what is left is told to a millionth.
        true => {
            let gain_db = ((s.besides.gain_db - SILENT_DB) * 1e6).round() / 1e6;
            Stretch { besides: Correction { gain_db, ..s.besides }, ..*s }
        }
        false => *s,
    };
    stretches.iter().map(again).fold(Vec::new(), |all, s| with_stretch(&all, s))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn part(from: i64, to: i64, take: usize) -> Part {
        Part { from, to, take }
    }

    #[test]
    fn at_every_moment_one_take_is_heard() {
        let parts = [part(100, 400, 1), part(300, 500, 2), part(350, 380, 0)];
        let silent = silences(&parts, 3, [0, 1_000], 0);
        for at in 0..1_000 {
            let heard: Vec<usize> =
                (0..3).filter(|take| !silent[*take].iter().any(|[from, to]| (*from..*to).contains(&at))).collect();
            let wanted = match at {
                350..380 => 0,
                300..500 => 2,
                100..300 => 1,
                _ => 0,
            };
            assert_eq!(heard, [wanted], "{at}");
        }
        assert_eq!(silences(&[], 2, [0, 10], 0), [vec![], vec![[0, 10]]]);
        assert_eq!(silences(&[part(-50, 5_000, 1)], 2, [0, 10], 0), [vec![[0, 10]], vec![]]);
    }

    #[test]
    fn what_was_lowered_by_hand_stays_so_when_it_is_heard_again() {
        let frames = |from: i64, to: i64| [RecordingFrame(from), RecordingFrame(to)];
        let lowered = Correction { gain_db: -10.0, ..Correction::default() };
        let own = vec![Stretch { from: RecordingFrame(50), to: RecordingFrame(80), besides: lowered }];
        let silent = silent_within(&own, &[frames(60, 200)]);
        assert_eq!(silent.iter().map(|s| s.besides.gain_db).collect::<Vec<_>>(), [-10.0, -154.0, -144.0]);
        assert_eq!(heard_again(&silent), own);
        let elsewhere = silent_within(&silent, &[frames(300, 400)]);
        assert_eq!(elsewhere.len(), 2, "the silence has moved: {elsewhere:?}");
        assert_eq!(silent_within(&[], &[]), []);
    }
}
