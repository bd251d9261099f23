//! Passages in which two takes do not sit together, and which of them is off.

use super::chord::Chord;
use crate::dsp::stats::median;
use crate::edit::tempo::Beats;
use crate::verdict::Verdict;

/// Apart by less than this, in ms, two takes sit together (common practice, no source).
pub const SLACK_MS: f64 = 25.0;
/// Parts of a quarter that chords may be played on.
const PARTS: [f64; 5] = [1.0, 2.0, 3.0, 4.0, 6.0];
/// A grid fits when this share of all chords lies so close to it in one of the takes, in ms.
const FIT: f64 = 0.9;
const FITS_MS: f64 = 35.0;
/// And when the median of both is off it by no more than this part of what it would be by chance, which is a quarter of a step: on a fine grid
/// everything is near a place, whatever the tempo. Fewer chords tell no grid.
const BY_CHANCE: f64 = 0.5;
const FEWEST: usize = 6;
/// What one chord alone is apart by, that is no more than likely, counts for so much less, in ms; and it clearly rises in both takes.
const LIKELY_MS: f64 = 10.0;
/// A take is off by so much more than the other before it is the one, in ms.
const CLEARLY_MS: f64 = 15.0;

/// Which take is off.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Off {
    /// The first.
    First,
    /// The second.
    Second,
    /// Both are, or neither is clearly further off its beat.
    Either,
    /// There are no beats to tell it by, the takes keep to none of their grids, or both are near to a place.
    Unknown,
}

/// Chords in a row that are apart.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Flagged {
    /// Which take is off.
    pub off: Off,
    /// Session frames from the first chord to the last, where the earlier of the two takes has them.
    pub from: f64,
    /// The last.
    pub to: f64,
    /// Chords.
    pub count: usize,
    /// How much later the second comes than it does in the median, in ms.
    pub apart_ms: f64,
    /// By how much each is off its beats, in ms.
    pub off_ms: Option<[f64; 2]>,
}

/// Tells by how much every chord is off its beat, each take's own median taken out.
pub fn against_beats(chords: &mut [Chord], beats: &Beats, rate_hz: f64) {
    let to_nearest = |at: f64, parts: f64| {
        let q = beats.quarter_of(at) * parts;
        1_000.0 * (at - beats.frame_of(q.round() / parts)) / rate_hz
    };
    let off = |parts: f64| {
        let alone = |c: &Chord| [c.first, c.second].map(|at| to_nearest(at, parts));
        let own = medians(chords.iter().map(alone));
        // The place is that of the take which is nearer to one: the other may be off by more than half a step. Where both are near to a
        // place, each to another, nobody knows whose it is.
        let on = |c: &Chord| {
            let [a, b] = [0, 1].map(|n| alone(c)[n] - own[n]);
            let apart = 1_000.0 * c.difference() / rate_hz - (own[1] - own[0]);
            let both = a.abs().max(b.abs()) <= FITS_MS && apart.abs() > FITS_MS;
            let nearer = if a.abs() <= b.abs() { [a, a + apart] } else { [b - apart, b] };
            (nearer, both)
        };
        chords.iter().map(on).collect::<Vec<([f64; 2], bool)>>()
    };
    let step_ms = |parts: f64| {
        let middle = chords.get(chords.len() / 2).map_or(0.0, |c| beats.quarter_of(c.first));
        1_000.0 * (beats.frame_of(middle + 1.0 / parts) - beats.frame_of(middle)) / rate_hz
    };
    let fits = |off: &[([f64; 2], bool)], parts: f64| {
        let near = off.iter().filter(|([a, b], _)| a.abs().min(b.abs()) <= FITS_MS).count();
        let typical = median(&mut off.iter().flat_map(|(off, _)| off.map(f64::abs)).collect::<Vec<_>>());
        off.len() >= FEWEST
            && near as f64 >= FIT * off.len() as f64
            && typical.is_some_and(|ms| ms <= BY_CHANCE * 0.25 * step_ms(parts))
    };
    // The coarsest that fits, as on a fine one everything is near a place; the few chords between its places are on the next finer ones.
    let all: Vec<Vec<([f64; 2], bool)>> = PARTS.iter().map(|parts| off(*parts)).collect();
    let fitting = all.iter().zip(PARTS).position(|(off, parts)| fits(off, parts)).unwrap_or(all.len());
    for (n, chord) in chords.iter_mut().enumerate() {
        let near = |([a, b], _): &([f64; 2], bool)| a.abs().min(b.abs()) <= FITS_MS;
        let own = all[fitting..].iter().map(|off| off[n]).find(near);
        chord.off_ms = own.filter(|(_, both)| !both).map(|(off, _)| off);
    }
}

fn medians(off: impl Iterator<Item = [f64; 2]> + Clone) -> [f64; 2] {
    [0, 1].map(|n| median(&mut off.clone().map(|o| o[n]).collect::<Vec<_>>()).unwrap_or(0.0))
}

/// Chords that are apart by more than the slack, those in a row that are off the same way as one passage.
pub fn flagged(chords: &[Chord], usual: f64, slack_ms: f64, rate_hz: f64) -> Vec<Flagged> {
    let apart = |c: &Chord| 1_000.0 * (c.difference() - usual) / rate_hz;
    let decided: Vec<&Chord> = chords.iter().filter(|c| c.verdict != Verdict::Undecided).collect();
    let mut passages: Vec<Vec<&Chord>> = Vec::new();
    let mut last: Option<bool> = None;
    for c in decided {
        let side = (apart(c).abs() > slack_ms).then_some(apart(c) > 0.0);
        match (side, passages.last_mut()) {
            (Some(_), Some(passage)) if side == last => passage.push(c),
            (Some(_), _) => passages.push(vec![c]),
            (None, _) => {}
        }
        last = side;
    }
    let alone = |p: &&Vec<&Chord>| match p.as_slice() {
        [one] if one.verdict != Verdict::Solid => one.clear && apart(one).abs() > slack_ms + LIKELY_MS,
        _ => true,
    };
    passages.iter().filter(alone).filter_map(|p| passage(p, &apart)).collect()
}

fn passage(chords: &[&Chord], apart: &dyn Fn(&Chord) -> f64) -> Option<Flagged> {
    let (first, last) = (chords.first()?, chords.last()?);
    let of =
        |value: &dyn Fn(&Chord) -> f64| median(&mut chords.iter().map(|c| value(c)).collect::<Vec<_>>()).unwrap_or(0.0);
    let told = || chords.iter().filter_map(|c| c.off_ms);
    let off_ms = told().next().map(|_| medians(told()));
    let off = match off_ms {
        None => Off::Unknown,
        Some([a, b]) if a.abs() > b.abs() + CLEARLY_MS => Off::First,
        Some([a, b]) if b.abs() > a.abs() + CLEARLY_MS => Off::Second,
        Some(_) => Off::Either,
    };
    let at = |c: &Chord| c.first.min(c.second);
    Some(Flagged { off, from: at(first), to: at(last), count: chords.len(), apart_ms: of(apart), off_ms })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::edit::tempo::TempoMap;

    /// Chords on quarters at 120, the two takes so many ms off.
    fn played(off: &[[f64; 2]]) -> Vec<Chord> {
        let chord = |(n, off): (usize, &[f64; 2])| {
            let [first, second] = off.map(|ms| 24_000.0 * n as f64 + 48.0 * ms);
            Chord { first, second, off_ms: None, clear: true, verdict: Verdict::Solid }
        };
        off.iter().enumerate().map(chord).collect()
    }

    #[test]
    fn a_phrase_is_one_passage_and_the_beats_tell_whose() {
        let mut off = vec![[2.0, 12.0]; 16];
        (5..8).for_each(|n| off[n][0] -= 70.0);
        off[12][1] += 40.0;
        let mut chords = played(&off);
        let without = flagged(&chords, 480.0, SLACK_MS, 48_000.0);
        assert_eq!(
            without.iter().map(|f| (f.count, f.off)).collect::<Vec<_>>(),
            [(3, Off::Unknown), (1, Off::Unknown)]
        );
        let beats = TempoMap::single(120.0, 4, 0.0).beats(48_000.0);
        against_beats(&mut chords, &beats, 48_000.0);
        let with = flagged(&chords, 480.0, SLACK_MS, 48_000.0);
        assert_eq!(with.iter().map(|f| (f.count, f.off)).collect::<Vec<_>>(), [(3, Off::First), (1, Off::Second)]);
        assert!((with[0].apart_ms - 70.0).abs() < 1e-6 && (with[1].apart_ms - 40.0).abs() < 1e-6);
        let [a, b] = with[0].off_ms.unwrap();
        assert!((a + 70.0).abs() < 1e-6 && b.abs() < 1e-6, "{a} {b}");
        assert_eq!(with[0].from, chords[5].first);
    }

    #[test]
    fn within_the_slack_nothing_is_flagged_and_opposite_ones_are_two() {
        let off: Vec<[f64; 2]> = (0..10).map(|n| [0.0, f64::from(n % 3) * 12.0]).collect();
        assert!(flagged(&played(&off), 12.0 * 48.0, SLACK_MS, 48_000.0).is_empty());
        let mut off = vec![[0.0, 0.0]; 6];
        (off[2][1], off[3][1]) = (60.0, -60.0);
        assert_eq!(flagged(&played(&off), 0.0, SLACK_MS, 48_000.0).len(), 2);
    }

    #[test]
    fn a_tempo_that_they_do_not_keep_to_blames_nobody() {
        // Chords on quarters at 120, one phrase early, against tempi in no simple ratio: on their finer grids everything is near a place.
        let mut off = vec![[2.0, 12.0]; 40];
        (20..24).for_each(|n| off[n][0] -= 31.0);
        for bpm in [97.3, 113.0, 131.7, 137.9, 171.1] {
            let mut chords = played(&off);
            against_beats(&mut chords, &TempoMap::single(bpm, 4, 0.0).beats(48_000.0), 48_000.0);
            let told = flagged(&chords, 480.0, SLACK_MS, 48_000.0);
            assert_eq!(told.iter().map(|f| f.off).collect::<Vec<_>>(), [Off::Unknown], "{bpm}");
        }
    }
}
