//! Two takes of one part side by side, chord by chord.
//!
//! [`crate::warp`] hears both and says which moment of one is which of the other, [`onset`] when a chord begins, and whether they are
//! the same chords; [`flags`] tells the passages where the two do not sit together, and by the beats which of them is off.

mod chord;
mod flags;
mod onset;

use crate::dsp::stats::median;
use crate::edit::tempo::Beats;
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::units::SampleRate;
use crate::verdict::Verdict;
use crate::warp::alike;
use crate::warp::bands::{Bands, HOP_S};
use crate::warp::path::{Path, path};
use crate::warp::tops::tops;
pub use chord::Chord;
pub use flags::{Flagged, Off, SLACK_MS, flagged};
use onset::first_string;

/// Takes are held together within this, in seconds.
const REACH_S: f64 = 0.2;
/// A chord rises by this much in the mean of all bands, in ln of power, and stands out by this factor over the half second about it; the
/// second number where the other take has a chord.
const RISES: [f32; 2] = [0.25, 0.16];
const STANDS_OUT: [f32; 2] = [2.5, 1.8];
const ABOUT_S: f64 = 0.5;
/// It is no louder before than after by more than this, in ln of power: else something ends there. Compared over so much, which begins so
/// long before and after; in seconds.
const ENDS: f32 = 0.25;
const COMPARED_S: f64 = 0.06;
const GAP_S: f64 = 0.02;
/// Two chords are so far apart, in seconds.
const APART_S: f64 = 0.07;
/// The path is read as the median over so much about a chord, in seconds.
const READ_S: f64 = 0.05;
/// The second take rises too within this of where the path has it, in seconds, by this part of the first's rise.
const SEEN_S: f64 = 0.06;
const SEEN_PART: f32 = 0.25;
/// Where the path and both first strings agree within this, a difference is solid, in ms.
const AGREE_MS: f64 = 8.0;
/// Where the path and the two rises disagree by more than this, in ms, it is undecided.
const ASTRAY_MS: f64 = 12.0;
/// So near the end of the reach nothing is told, in rows.
const EDGE: f64 = 3.0;
/// A chord that is so many times as unlike as the median chord is not the same in both.
const OTHER: f32 = 2.2;

/// Two takes side by side.
#[derive(Debug, Clone, PartialEq)]
pub struct Takes {
    /// In the order of time.
    pub chords: Vec<Chord>,
    /// By how many frames the second is later in the median.
    pub later: Option<f64>,
    /// The mean part of its neighbours that a chord is less like than the one it is held to be: a half by chance, as with two songs in one
    /// tempo, and with a part of one sound only. None where there are no neighbours. Nothing is solid where it may be chance.
    pub alike: Option<f64>,
    /// Where they do not sit together.
    pub flagged: Vec<Flagged>,
    /// Chords of the first that the second has not, in session frames.
    pub only_first: Vec<f64>,
    /// And of the second.
    pub only_second: Vec<f64>,
}

/// Holds two takes of one part against each other, and each against the beats where there are some. Passages that are apart by more
/// than `slack_ms` from the median of all are flagged.
///
/// # Errors
/// [`MeasureError`] when a sound cannot be read or `report` says stop.
pub fn takes(
    sounds: [&Placed; 2],
    rate: SampleRate,
    (beats, slack_ms): (Option<&Beats>, f64),
    report: Report,
) -> Result<Takes, MeasureError> {
    let from = sounds.iter().map(|s| s.start.0).max().unwrap_or(0);
    let to = sounds.iter().map(|s| s.end().0).min().unwrap_or(0);
    let heard = sounds.map(|s| Bands::read(s, [from, to], rate, report));
    let [first, second] = heard;
    let (first, second) = (first?, second?);
    let path = path(&first, &second, (REACH_S / HOP_S) as usize, report)?;
    let pair = Pair { sounds, rate, from, bands: [&first, &second], path: &path };
    let Found { mut chords, alone: [only_first, only_second], alike } = pair.chords()?;
    if !alike.is_some_and(|a| alike::is_no_chance(a, chords.len())) {
        chords.iter_mut().for_each(|c| c.verdict = c.verdict.min(Verdict::Likely));
    }
    // More chords of one alone than of both: they are no takes of one part, and what agrees does so by chance.
    if only_first.len() + only_second.len() > chords.len() {
        chords.iter_mut().for_each(|c| c.verdict = Verdict::Undecided);
    }
    let mut apart: Vec<f64> =
        chords.iter().filter(|c| c.verdict != Verdict::Undecided).map(Chord::difference).collect();
    let later = median(&mut apart);
    if let Some(beats) = beats {
        flags::against_beats(&mut chords, beats, rate.hz_f64());
    }
    let flagged = flags::flagged(&chords, later.unwrap_or(0.0), slack_ms, rate.hz_f64());
    Ok(Takes { chords, later, alike, flagged, only_first, only_second })
}

/// Two takes and the path between them.
struct Pair<'a> {
    sounds: [&'a Placed<'a>; 2],
    rate: SampleRate,
    from: i64,
    bands: [&'a Bands; 2],
    path: &'a Path,
}

/// Chords of both, those of one alone, and how much more alike a chord is to its own than to its neighbours.
struct Found {
    chords: Vec<Chord>,
    alone: [Vec<f64>; 2],
    alike: Option<f64>,
}

impl Pair<'_> {
    fn frame(&self, row: f64) -> f64 {
        self.from as f64 + row * self.bands[0].hop
    }

    fn chords(&self) -> Result<Found, MeasureError> {
        let [sure, any] = [0, 1].map(|n| self.bands.map(|b| rises(b, RISES[n], STANDS_OUT[n])));
        let mut taken = [vec![false; any[0].len()], vec![false; any[1].len()]];
        let (mut found, mut alone) = (Vec::new(), [Vec::new(), Vec::new()]);
        for take in [0, 1] {
            for n in &sure[take] {
                let known = any[take].iter().position(|m| m == n);
                if known.is_some_and(|k| taken[take][k]) {
                    continue;
                }
                let there = if take == 0 { *n as f64 + self.later(*n) } else { self.earlier(*n) };
                match self.partner((take, *n), there, &any[1 - take], &taken[1 - take]) {
                    Some(k) => {
                        taken[1 - take][k] = true;
                        known.into_iter().for_each(|k| taken[take][k] = true);
                        let mut rows = [*n, any[1 - take][k]];
                        rows.rotate_left(take);
                        found.push(rows);
                    }
                    None => alone[take].push(self.frame(*n as f64)),
                }
            }
        }
        found.sort_unstable();
        let mut unlike: Vec<f64> = found.iter().map(|f| f64::from(self.unlike(f[0]))).collect();
        let usual = median(&mut unlike).unwrap_or(0.0) as f32;
        let clear = |rows: &[usize; 2]| (0..2).all(|take| sure[take].binary_search(&rows[take]).is_ok());
        let chord = |rows: &[usize; 2]| {
            let chord = self.chord(*rows, self.unlike(rows[0]) > OTHER * usual)?;
            Ok(Chord { clear: clear(rows), ..chord })
        };
        let chords = found.iter().map(chord).collect::<Result<Vec<_>, MeasureError>>()?;
        Ok(Found { chords, alone, alike: alike::alike(self.bands, &found) })
    }

    /// By how many rows the second comes later about a row of the first.
    fn later(&self, n: usize) -> f64 {
        let read = (0.5 * READ_S / HOP_S) as usize;
        let about = n.saturating_sub(read)..(n + read + 1).min(self.path.later.len());
        median(&mut self.path.later[about].iter().map(|l| f64::from(*l)).collect::<Vec<_>>()).unwrap_or(0.0)
    }

    /// The row of the first that a row of the second is held against.
    fn earlier(&self, m: usize) -> f64 {
        let reach = (REACH_S / HOP_S) as usize;
        let off = |n: &usize| (*n as f64 + f64::from(self.path.later[*n]) - m as f64).abs();
        let near = m.saturating_sub(reach)..(m + reach + 1).min(self.path.later.len());
        near.min_by(|a, b| off(a).total_cmp(&off(b))).unwrap_or(m) as f64
    }

    fn unlike(&self, n: usize) -> f32 {
        let read = (READ_S / HOP_S) as usize;
        let about = n.saturating_sub(read / 2)..(n + read).min(self.path.unlike.len());
        let len = about.len().max(1) as f32;
        self.path.unlike[about].iter().sum::<f32>() / len
    }

    /// Which rise of the other take is the same chord.
    fn partner(&self, (take, n): (usize, usize), there: f64, of: &[usize], taken: &[bool]) -> Option<usize> {
        let apart = |k: &usize| (of[*k] as f64 - there).abs();
        let near = (0..of.len()).filter(|k| !taken[*k] && apart(k) <= SEEN_S / HOP_S);
        let least = SEEN_PART * self.bands[take].rise[n];
        near.filter(|k| self.bands[1 - take].rise[of[*k]] > least).min_by(|a, b| apart(a).total_cmp(&apart(b)))
    }

    /// The chord that rises at a row of the first and at a row of the second.
    fn chord(&self, [n, m]: [usize; 2], other: bool) -> Result<Chord, MeasureError> {
        let later = self.later(n);
        let (hop, a_ms) = (self.bands[0].hop, self.rate.hz_f64() / 1_000.0);
        let rises = [n, m].map(|row| self.frame(row as f64).round() as i64);
        let first = first_string(self.sounds[0], rises[0], self.rate)?;
        let second = first_string(self.sounds[1], rises[1], self.rate)?;
        let by_path = later * hop;
        let picked = first.zip(second).map(|(a, b)| (b - a) as f64);
        let agreed = picked.filter(|p| (p - by_path).abs() <= AGREE_MS * a_ms);
        let begins = first.map_or(rises[0] as f64, |f| f as f64);
        let difference = agreed.map_or(by_path, |p| 0.5 * (p + by_path));
        let edge = REACH_S / HOP_S - EDGE;
        let astray = agreed.is_none() && ((m as f64 - n as f64) * hop - by_path).abs() > ASTRAY_MS * a_ms;
        let verdict = match agreed {
            _ if other || astray || later.abs() > edge => Verdict::Undecided,
            Some(_) => Verdict::Solid,
            None => Verdict::Likely,
        };
        Ok(Chord { first: begins, second: begins + difference, off_ms: None, clear: false, verdict })
    }
}

/// Rows at which chords rise: by so much, and standing out by so much.
fn rises(bands: &Bands, least: f32, stands_out: f32) -> Vec<usize> {
    let rows = |s: f64| (s / HOP_S) as usize;
    let (about, apart) = (rows(ABOUT_S / 2.0), rows(APART_S));
    let rise = &bands.rise;
    let mean = |of: &[f32], from: usize, to: usize| {
        let part = &of[from.min(of.len())..to.min(of.len())];
        part.iter().sum::<f32>() / part.len().max(1) as f32
    };
    let ends = |n: usize| {
        let [gap, long] = [rows(GAP_S), rows(COMPARED_S)];
        let before = mean(&bands.level, n.saturating_sub(gap + long), n.saturating_sub(gap));
        before - mean(&bands.level, n + gap, n + gap + long) > ENDS
    };
    let stands_out = |n: usize| rise[n] > stands_out * mean(rise, n.saturating_sub(about), n + about);
    let is_chord = |n: usize| rise[n] > least && bands.active[n] && stands_out(n) && !ends(n);
    // Where several are close, the steepest is the chord.
    tops(rise, 2, apart, is_chord)
}
