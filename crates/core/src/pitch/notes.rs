//! Notes in a pitch along time.

use super::track::{Pitch, SETTLES, STEP_S};
use crate::dsp::stats::median;
use crate::verdict::Verdict;

/// A note is at least so long, in seconds.
const SHORTEST_S: f64 = 0.06;
/// It ends where the pitch stays further than this from its median for so long; in semitones and seconds: a vibrato comes back.
const LEAVES: f64 = 0.6;
const FOR_S: f64 = 0.09;
/// Its median is taken over the last so many seconds.
const LATELY_S: f64 = 0.4;
/// A note is solid when such a part of its moments is, once it has settled.
const PART: f64 = 0.6;

/// A note that was sung.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Note {
    /// Session frames.
    pub from: f64,
    /// Session frames.
    pub to: f64,
    /// Its median pitch, as a MIDI key with cents as parts (69 is 440 Hz).
    pub key: f64,
    /// How sure.
    pub verdict: Verdict,
}

/// A pitch as a MIDI key with cents as parts.
pub fn key_of(hz: f64) -> f64 {
    69.0 + 12.0 * (hz / 440.0).log2()
}

/// The notes of a pitch along time.
pub fn notes(pitch: &[Pitch]) -> Vec<Note> {
    let keys: Vec<Option<f64>> = pitch.iter().map(|p| p.hz.map(key_of)).collect();
    let rows = |s: f64| (s / STEP_S).round() as usize;
    let (mut found, mut from) = (Vec::new(), None::<usize>);
    for n in 0..=keys.len() {
        let key = keys.get(n).copied().flatten();
        match (from, key) {
            (None, Some(_)) => from = Some(n),
            (Some(begin), None) => {
                found.push([begin, n]);
                from = None;
            }
            (Some(begin), Some(_)) => {
                let away = rows(FOR_S);
                let to = n.saturating_sub(away).max(begin);
                let near = begin.max(n.saturating_sub(rows(LATELY_S))).min(to)..to;
                let lately = median(&mut keys[near].iter().flatten().copied().collect::<Vec<_>>());
                let left = |m: usize| lately.zip(keys[m]).is_some_and(|(usual, k)| (k - usual).abs() > LEAVES);
                if n >= begin + away && (n + 1 - away..=n).all(left) {
                    let cut = n + 1 - away;
                    found.push([begin, cut]);
                    from = Some(cut);
                }
            }
            (None, None) => {}
        }
    }
    found.into_iter().filter(|[a, b]| b - a >= rows(SHORTEST_S)).filter_map(|run| note(pitch, &keys, run)).collect()
}

fn note(pitch: &[Pitch], keys: &[Option<f64>], [from, to]: [usize; 2]) -> Option<Note> {
    let key = median(&mut keys[from..to].iter().flatten().copied().collect::<Vec<_>>())?;
    // Where it begins no moment is solid.
    let settled = &pitch[(from + SETTLES).min(to - 1)..to];
    let part = |least: Verdict| settled.iter().filter(|p| p.verdict >= least).count() as f64 / settled.len() as f64;
    let verdict = match () {
        () if part(Verdict::Solid) >= PART => Verdict::Solid,
        () if part(Verdict::Likely) >= PART => Verdict::Likely,
        () => Verdict::Undecided,
    };
    Some(Note { from: pitch[from].at, to: pitch[to - 1].at, key, verdict })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row(n: usize, key: Option<f64>) -> Pitch {
        let hz = key.map(|k| 440.0 * 2f64.powf((k - 69.0) / 12.0));
        Pitch { at: 240.0 * n as f64, hz, differs: 0.05, verdict: Verdict::Solid }
    }

    #[test]
    fn steps_and_rests_part_notes_and_a_vibrato_does_not() {
        let sway = |n: usize| 0.45 * (n as f64 * 0.005 * 5.5 * std::f64::consts::TAU).sin();
        let at = |n: usize| match n {
            0..100 => Some(60.0 + sway(n)),
            100..160 => Some(62.0),
            170..176 => Some(64.0),
            190..240 => Some(64.1),
            _ => None,
        };
        let pitch: Vec<Pitch> = (0..260).map(|n| row(n, at(n))).collect();
        let found = notes(&pitch);
        assert_eq!(found.len(), 3, "{found:?}");
        // Half a cycle of the vibrato is over: its median lies beside the key by that.
        let near = |n: &Note, key: f64, off: f64| (n.key - key).abs() < off;
        assert!(near(&found[0], 60.0, 0.1) && near(&found[1], 62.0, 1e-6) && near(&found[2], 64.1, 1e-6), "{found:?}");
        assert!((found[1].from / 240.0 - 100.0).abs() < 2.0, "{:?}", found[1]);
    }
}
