//! Passages that are heard elsewhere: again, or there instead of where they were played.

use super::slice::Slice;
use serde::{Deserialize, Serialize};

/// Frames before a recording from which on it counts as playing: a fractional delay sounds a little before the first frame.
const AHEAD: i64 = 4_096;
/// Frames after which no recording plays any more: 66 days at 192 kHz.
const FAR: i64 = 1 << 40;

/// One passage. Frames are counted from the beginning of the recording as its slices have it, without what the track is moved by: a
/// passage is used again as it is heard, cuts and lowered noises included.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Passage {
    /// First frame.
    pub from: i64,
    /// Frame after the last.
    pub to: i64,
    /// Frames by which it is heard later; earlier below 0.
    pub by: i64,
    /// Frames over which it takes over from what is heard there.
    pub fade_in: i64,
    /// Frames over which it gives back.
    pub fade_out: i64,
    /// It is silent where it was played.
    #[serde(default)]
    pub moved: bool,
}

impl Passage {
    /// Has it a length, and room for its fades?
    pub fn is_sound(&self) -> bool {
        let length = self.to.saturating_sub(self.from);
        length > 0 && self.fade_in >= 0 && self.fade_out >= 0 && self.fade_in.saturating_add(self.fade_out) <= length
    }

    /// Where it is heard: its first frame and the one after its last.
    pub fn target(&self) -> [i64; 2] {
        [self.from.saturating_add(self.by), self.to.saturating_add(self.by)]
    }

    fn fades(&self) -> [i64; 2] {
        [self.fade_in, self.fade_out]
    }
}

/// A recording that is not cut, as one slice.
pub(super) fn uncut() -> Slice {
    Slice { from: -AHEAD, to: FAR, at: -AHEAD as f64, fade_in: 0, fade_out: 0 }
}

/// Slices with a passage more, in order. They follow one another: each is heard from where it begins until the next one does. A join
/// that lies within a fade of the passage goes: what is heard where the fade ends is heard throughout it.
///
/// ```
/// use marea_core::edit::passage::{Passage, with_passage};
/// use marea_core::edit::slice::Slice;
/// let all = Slice { from: 0, to: 1_000, at: 0.0, fade_in: 0, fade_out: 0 };
/// let again = Passage { from: 100, to: 200, by: 500, fade_in: 5, fade_out: 8, moved: false };
/// let places: Vec<[i64; 3]> =
///     with_passage(&[all], &again).iter().map(|s| [s.at as i64, s.from, s.to]).collect();
/// assert_eq!(places, [[0, 0, 605], [600, 100, 200], [692, 692, 1_000]]);
/// ```
pub fn with_passage(slices: &[Slice], passage: &Passage) -> Vec<Slice> {
    let mut again = part(slices, [passage.from, passage.to], passage.fades());
    again.iter_mut().for_each(|s| s.at += passage.by as f64);
    let below = match passage.moved {
        true => {
            let [before, after] = around(slices, [passage.from, passage.to], passage.fades(), true);
            [before, after].concat()
        }
        false => slices.to_vec(),
    };
    let [from, to] = passage.target();
    let [before, after] = around(&below, [from, to], passage.fades(), false);
    // Where something goes on after it, that rises over its end; its own fall would leave a dip.
    if let Some(last) = again.last_mut().filter(|_| heard_at(&below, to).is_some()) {
        last.fade_out = 0;
    }
    match again.is_empty() {
        true => slices.to_vec(),
        false => [before, again, after].concat(),
    }
}

/// Session frame after the last of a slice.
fn end(s: &Slice) -> f64 {
    s.at + (s.to - s.from) as f64
}

/// Which slice is heard at a frame.
fn heard_at(slices: &[Slice], frame: i64) -> Option<usize> {
    slices.iter().rposition(|s| s.at <= frame as f64 && (frame as f64) < end(s))
}

/// The same, but one that has come in by then, where there is one: what is cut off while it comes in clicks.
fn in_full_at(slices: &[Slice], frame: i64) -> Option<usize> {
    let is = |s: &Slice| s.at + s.fade_in as f64 <= frame as f64 && (frame as f64) < end(s);
    slices.iter().rposition(is).or_else(|| heard_at(slices, frame))
}

/// What is heard between two frames, coming in and going out over some of them.
fn part(slices: &[Slice], [from, to]: [i64; 2], [fade_in, fade_out]: [i64; 2]) -> Vec<Slice> {
    let begun_by = heard_at(slices, from + fade_in);
    let ended_by = in_full_at(slices, (to - fade_out - 1).max(from + fade_in)).map(|e| e.max(begun_by.unwrap_or(0)));
    // Where nothing is heard at the end of a fade, what sounds within the fade only is left out.
    let inside = |n: &usize| {
        let s = &slices[*n];
        let begins_in_it = begun_by.map_or(s.at >= from as f64, |b| *n >= b);
        let ends_in_it = ended_by.map_or(end(s) <= to as f64, |e| *n <= e);
        s.at < to as f64 && end(s) > from as f64 && begins_in_it && ends_in_it
    };
    let of = |n: usize| {
        let begun = if Some(n) == begun_by { begun(&slices[n], from, fade_in) } else { slices[n] };
        if Some(n) == ended_by || end(&begun) > to as f64 { ended(&begun, to, fade_out) } else { begun }
    };
    (0..slices.len()).filter(inside).map(of).collect()
}

/// What is heard before and after a range in which something else will be, each fading within it. What is heard before falls there itself
/// where the range stays silent.
fn around(slices: &[Slice], [from, to]: [i64; 2], [fade_in, fade_out]: [i64; 2], silent: bool) -> [Vec<Slice>; 2] {
    let last = in_full_at(slices, from);
    let falls = if silent { fade_in } else { 0 };
    let before = |(n, s): (usize, &Slice)| match Some(n) == last || end(s) > (from + fade_in) as f64 {
        true => ended(s, from + fade_in, falls),
        false => *s,
    };
    let begins_before = |n: usize, s: &Slice| s.at < from as f64 && last.is_none_or(|l| n <= l);
    let before = slices.iter().enumerate().filter(|(n, s)| begins_before(*n, s)).map(before).collect();
    let mut after: Vec<Slice> = slices.iter().filter(|s| s.at > to as f64).copied().collect();
    if let Some(n) = heard_at(slices, to) {
        after.insert(0, begun(&slices[n], to - fade_out, fade_out));
    }
    [before, after]
}

/// A slice that is heard from a frame on, with what the recording holds before where it began later.
fn begun(s: &Slice, at: i64, fade_in: i64) -> Slice {
    let by = (at as f64 - s.at).ceil();
    fitted(Slice { from: s.from + by as i64, at: s.at + by, fade_in, ..*s })
}

/// A slice that is heard up to a frame, with what the recording holds after where it ended sooner.
fn ended(s: &Slice, at: i64, fade_out: i64) -> Slice {
    fitted(Slice { to: s.from + (at as f64 - s.at).ceil() as i64, fade_out, ..*s })
}

/// Fades that have room; what comes in counts first.
fn fitted(s: Slice) -> Slice {
    let fade_in = s.fade_in.min(s.to - s.from);
    Slice { fade_in, fade_out: s.fade_out.min(s.to - s.from - fade_in), ..s }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The frame of the recording that is heard in full at a frame, by what is painted last; none within a fade or where nothing plays.
    fn full_at(slices: &[Slice], frame: i64) -> Option<i64> {
        let s = &slices[heard_at(slices, frame)?];
        let n = frame - s.at as i64;
        (n >= s.fade_in && s.to - s.from - n > s.fade_out).then_some(s.from + n)
    }

    /// Slices that follow one another, with gaps of silence or over one another by the fade of the next.
    fn chain(given: &[(i64, i64, i64)]) -> Vec<Slice> {
        let mut at = 0;
        let mut slices: Vec<Slice> = Vec::new();
        for (length, skip, gap) in given {
            let from = slices.last().map_or(0, |s| s.to) + skip;
            let fade = if *gap < 0 { -gap } else { 0 };
            at += if slices.is_empty() { 0 } else { *gap };
            slices.push(Slice { from, to: from + length, at: at as f64, fade_in: fade, fade_out: 0 });
            at += length;
        }
        slices
    }

    proptest! {
        /// Outside of its fades a passage is what was heard where it was played, and beside it everything is as it was; what is moved is
        /// silent where it was.
        #[test]
        fn a_passage_is_heard_again_and_nothing_else_changes(
            given in prop::collection::vec((60i64..200, 0i64..30, -10i64..6), 1..7),
            from in 0i64..600, length in 40i64..300, by in -700i64..700, fades in (0i64..15, 0i64..15), moved: bool,
        ) {
            let slices = chain(&given);
            let p = Passage { from, to: from + length, by, fade_in: fades.0, fade_out: fades.1, moved };
            let placed = with_passage(&slices, &p);
            prop_assert!(placed.iter().all(Slice::is_sound), "{placed:?}");
            prop_assert!(placed.windows(2).all(|s| s[0].at <= s[1].at), "{placed:?}");
            if part(&slices, [p.from, p.to], p.fades()).is_empty() {
                prop_assert_eq!(placed, slices);
                return Ok(());
            }
            let [a, b] = p.target();
            for frame in -900..2_000 {
                let now = full_at(&placed, frame);
                if (a..b).contains(&frame) {
                    let inside = (a + p.fade_in..b - p.fade_out).contains(&frame);
                    if let Some(was) = full_at(&slices, frame - by).filter(|_| inside) {
                        prop_assert_eq!(now, Some(was), "again at {}", frame);
                    }
                } else if moved && (p.from + p.fade_in..p.to - p.fade_out).contains(&frame) {
                    prop_assert_eq!(now, None, "silent at {}", frame);
                } else if !(moved && (p.from..p.to).contains(&frame)) {
                    let was = full_at(&slices, frame);
                    // A slice that was still coming in where the passage ends has come in there.
                    prop_assert!(now == was || was.is_none(), "beside at {}: {:?} for {:?}", frame, now, was);
                    prop_assert!(heard_at(&slices, frame).is_some() || heard_at(&placed, frame).is_none(), "nothing at {}", frame);
                }
            }
        }
    }

    #[test]
    fn at_a_seam_one_rises_over_the_other_and_where_nothing_is_it_fades_by_itself() {
        let all = [Slice { from: 0, to: 300, at: 0.0, fade_in: 0, fade_out: 0 }];
        let inside = with_passage(&all, &Passage { from: 0, to: 50, by: 100, fade_in: 4, fade_out: 6, moved: false });
        assert_eq!(inside.iter().map(|s| [s.fade_in, s.fade_out]).collect::<Vec<_>>(), [[0, 0], [4, 0], [6, 0]]);
        let beyond = with_passage(&all, &Passage { from: 0, to: 50, by: 400, fade_in: 4, fade_out: 6, moved: false });
        assert_eq!(beyond.iter().map(|s| [s.fade_in, s.fade_out]).collect::<Vec<_>>(), [[0, 0], [4, 6]]);
        let away = with_passage(&all, &Passage { from: 100, to: 150, by: 400, fade_in: 4, fade_out: 6, moved: true });
        assert_eq!(away.iter().map(|s| [s.fade_in, s.fade_out]).collect::<Vec<_>>(), [[0, 4], [6, 0], [4, 6]]);
        assert_eq!(away.iter().map(|s| [s.from, s.to]).collect::<Vec<_>>(), [[0, 104], [144, 300], [100, 150]]);
    }
}
