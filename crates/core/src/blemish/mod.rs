//! Noises before a note: a finger on a string, a breath, a click. Short, softer than the note that follows, and gone before it begins.
//!
//! [`levels`] hears bands of highs, and the lows, every 2.5 ms; a noise is a short rise of many of them at once, whose lows do not stay.

mod levels;

use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::units::SampleRate;
use levels::{BANDS, HOP_S, Levels, Row};
use std::ops::Range;

/// The highs of a noise rise by so much over what was before, and fall by so much before the note, in dB; looked at so far on either side,
/// in seconds.
const RISES_DB: f32 = 6.0;
const FALLS_DB: f32 = 5.0;
const BEFORE_S: f64 = 0.06;
/// This part of the bands rise so much at least, in dB: partials that beat rise each in its own time.
const BANDS_RISE: f64 = 0.4;
const BAND_RISES_DB: f32 = 5.0;
/// Where the highs rise by this part of that again and again, sounds beat: looked at so far on either side, in seconds, for rises that are no
/// louder than it by more than so much, in dB.
const AGAIN: f32 = 0.6;
const AGAIN_S: f64 = 0.25;
const AGAIN_LOUDER_DB: f32 = 3.0;
/// It lasts no longer, in seconds.
const LONGEST_S: f64 = 0.35;
/// The note begins within so long of its end, in seconds; its highs are louder by so much, and by no more than so much, in dB.
const NOTE_S: f64 = 0.25;
const UNDER_NOTE_DB: [f32; 2] = [4.0, 45.0];
/// A note's lows stay when its highs have gone: over what was before by more than this, and no softer than those of the note that follows by more
/// than that, in dB.
const LOWS_STAY_DB: f32 = 4.0;
const NOTE_LOWS_DB: f32 = 28.0;
/// It is lowered from so long before it is seen to so long after, in seconds.
const ROOM_S: f64 = 0.004;
/// Heard at a time, and as much of what is before and after it, in seconds.
const BLOCK_S: f64 = 30.0;
const ABOUT_S: f64 = 1.0;

/// A noise before a note.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Blemish {
    /// First session frame.
    pub from: i64,
    /// Session frame after its last.
    pub to: i64,
    /// Session frame of the loudest moment of the note that follows.
    pub note: i64,
    /// By how much its highs are softer than the note's, in dB.
    pub under_db: f64,
}

/// Noises before the notes of a sound, in the order of time, none over another.
///
/// # Errors
/// [`MeasureError`] when the sound cannot be read or `report` says stop.
pub fn blemishes(sound: &Placed, rate: SampleRate, report: Report) -> Result<Vec<Blemish>, MeasureError> {
    let (first, last) = (sound.start.0, sound.end().0);
    let (block, about, room) = (rate.frames(BLOCK_S), rate.frames(ABOUT_S), rate.frames(ROOM_S));
    let mut found: Vec<Blemish> = Vec::new();
    let mut begin = first;
    while begin < last {
        if !report((begin - first) as f64 / (last - first) as f64) {
            return Err(MeasureError::Stopped);
        }
        let heard = [(begin - about).max(first), (begin + block + about).min(last)];
        let levels = Levels::read(sound, heard, rate)?;
        for noise in noises(&levels.rows) {
            let [from, to, note] = [noise.from, noise.to, noise.note].map(|row| levels.frame(row));
            if !(begin..begin + block).contains(&from) {
                continue;
            }
            let from = (from - room).max(found.last().map_or(first, |b| b.to));
            let to = (to + room).min(note);
            if from < to {
                found.push(Blemish { from, to, note, under_db: f64::from(noise.under_db) });
            }
        }
        begin += block;
    }
    Ok(found)
}

/// A noise by the rows of its levels.
struct Noise {
    from: usize,
    to: usize,
    note: usize,
    under_db: f32,
}

fn rows(s: f64) -> usize {
    (s / HOP_S) as usize
}

/// Short rises of the highs alone, each with the note that follows.
fn noises(all: &[Row]) -> Vec<Noise> {
    let is_top = |n: usize| {
        let near = n.saturating_sub(rows(0.01))..(n + rows(0.01) + 1).min(all.len());
        all[near].iter().all(|r| r.highs <= all[n].highs)
    };
    let mut found: Vec<Noise> = Vec::new();
    for n in (0..all.len()).filter(|n| is_top(*n)) {
        if found.last().is_none_or(|last| n >= last.to) {
            found.extend(noise(all, n));
        }
    }
    found
}

fn noise(all: &[Row], top: usize) -> Option<Noise> {
    let highs = |n: usize| all[n].highs;
    let longest = rows(LONGEST_S);
    let quiet = quiet_before(all, top)?;
    let to = (top + 1..(top + longest).min(all.len())).find(|m| highs(top) - highs(*m) >= FALLS_DB)?;
    let from = (quiet..=top).find(|m| highs(top) - highs(*m) < RISES_DB).unwrap_or(top);
    // The note: the next moment that is clearly louder.
    let loud = |m: &usize| highs(*m) > highs(top) + UNDER_NOTE_DB[0];
    let begins = (to..(to + rows(NOTE_S)).min(all.len())).find(loud)?;
    let note = (begins..(begins + rows(0.03)).min(all.len())).max_by(|a, b| highs(*a).total_cmp(&highs(*b)))?;
    let under_db = highs(note) - highs(top);
    let lows = |range: Range<usize>| {
        let range = range.start.min(all.len() - 1)..range.end.min(all.len()).max(range.start.min(all.len() - 1) + 1);
        all[range.clone()].iter().map(|r| r.lows).sum::<f32>() / range.len() as f32
    };
    // Of a note that swells the lows come first.
    let before = lows(quiet.saturating_sub(rows(0.03))..quiet);
    let stays = lows(to + rows(0.005)..(to + rows(0.025)).min(begins));
    let of_note = all[begins..(begins + rows(0.04)).min(all.len())].iter().map(|r| r.lows).fold(f32::MIN, f32::max);
    let is_note = stays > before + LOWS_STAY_DB && stays > of_note - NOTE_LOWS_DB;
    let again = |range: Range<usize>| rises_again(&all[range], highs(top), highs(top) - highs(quiet));
    let beats = again(quiet.saturating_sub(rows(AGAIN_S))..quiet) || again(to..begins.min(to + rows(AGAIN_S)));
    let lasts = to - from <= longest && under_db <= UNDER_NOTE_DB[1];
    let is_noise = lasts && many_rise(&all[quiet], &all[top]) && !beats && !is_note;
    is_noise.then_some(Noise { from, to, note, under_db })
}

/// The moment before a rise; none where it decays from something louder, or rises too slowly.
fn quiet_before(all: &[Row], top: usize) -> Option<usize> {
    let mut from = top;
    loop {
        let near = from.saturating_sub(rows(BEFORE_S))..from;
        let begin = near.min_by(|a, b| all[*a].highs.total_cmp(&all[*b].highs))?;
        if all[begin..top].iter().any(|r| r.highs > all[top].highs) {
            return None;
        }
        if all[top].highs - all[begin].highs >= RISES_DB {
            return Some(begin);
        }
        from = begin;
        if begin == 0 || top - from > rows(LONGEST_S) {
            return None;
        }
    }
}

/// Do the highs of a stretch rise by nearly as much as a noise that is so loud and rises so far?
fn rises_again(part: &[Row], loud: f32, rise: f32) -> bool {
    let near = rows(BEFORE_S);
    let rises = |n: usize| {
        let least = part[n.saturating_sub(near)..=n].iter().map(|r| r.highs).fold(f32::MAX, f32::min);
        part[n].highs - least >= AGAIN * rise && part[n].highs <= loud + AGAIN_LOUDER_DB
    };
    // What rises on to something louder is a note that begins.
    let is_top = |n: usize| part[n.saturating_sub(4)..(n + 5).min(part.len())].iter().all(|r| r.highs <= part[n].highs);
    (0..part.len()).any(|n| is_top(n) && n + 4 < part.len() && rises(n))
}

fn many_rise(before: &Row, top: &Row) -> bool {
    let rise = |b: &usize| top.bands[*b] - before.bands[*b] >= BAND_RISES_DB;
    (0..BANDS).filter(rise).count() as f64 >= BANDS_RISE * BANDS as f64
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::MemSource;
    use crate::units::SessionFrame;

    /// Decaying tones of 220 Hz with overtones, one every 0.9 s, over noise 80 dB down.
    fn notes(hz: f64, seconds: f64) -> Vec<f32> {
        let mut noise = noise();
        let one = |n: usize| {
            let t = n as f64 / hz;
            let since = (t - 0.5).rem_euclid(0.9);
            let voice =
                |k: f64| (std::f64::consts::TAU * 220.0 * k * since).sin() * (-4.0 * k.sqrt() * since).exp() / k;
            let tone: f64 = if t < 0.5 { 0.0 } else { (1..20).map(|k| voice(f64::from(k))).sum() };
            (0.3 * tone) as f32 + 1e-4 * noise()
        };
        (0..(seconds * hz) as usize).map(one).collect()
    }

    /// White noise between -1 and 1, the same every time (Lehmer 1951; multiplier of Park & Miller 1988).
    fn noise() -> impl FnMut() -> f32 {
        let mut seed = 1_u64;
        move || {
            seed = seed * 48_271 % 2_147_483_647;
            (seed as f64 / 1_073_741_823.5 - 1.0) as f32
        }
    }

    fn told(x: Vec<f32>, hz: u64, start: i64) -> Vec<Blemish> {
        let source = MemSource(x);
        let placed = Placed { source: &source, start: SessionFrame(start) };
        blemishes(&placed, SampleRate::new(hz).unwrap(), &|_| true).unwrap()
    }

    /// A burst of noise that ends so long before the note at `note`, both in seconds.
    fn with_burst(mut x: Vec<f32>, hz: f64, [note, ends, lasts]: [f64; 3], level: f32) -> (Vec<f32>, [f64; 2]) {
        let mut noise = noise();
        let (from, frames) = ((note - ends - lasts) * hz, (lasts * hz) as usize);
        for n in 0..frames {
            let shape = (std::f64::consts::PI * n as f64 / frames as f64).sin() as f32;
            x[from as usize + n] += level * shape * noise();
        }
        (x, [from, from + frames as f64])
    }

    #[test]
    fn a_burst_before_a_note_is_found_at_any_rate_and_notes_alone_are_none() {
        for hz in [44_100.0, 48_000.0, 96_000.0] {
            let clean = notes(hz, 8.0);
            assert_eq!(told(clean.clone(), hz as u64, 0), [], "{hz}");
            let (x, [from, to]) = with_burst(clean, hz, [5.0, 0.08, 0.06], 0.03);
            let got = told(x, hz as u64, 7_000);
            assert_eq!(got.len(), 1, "{hz}: {got:?}");
            let b = got[0];
            let ms = hz / 1_000.0;
            // Its ends are soft: what is lowered holds its loud half, and no more than 20 ms besides.
            let (first, last) = (from + 7_000.0, to + 7_000.0);
            assert!((b.from as f64) < first + 20.0 * ms && b.from as f64 > first - 20.0 * ms, "{hz}: {b:?} {first}");
            assert!((b.to as f64) > last - 20.0 * ms && (b.to as f64) < last + 20.0 * ms, "{hz}: {b:?} {last}");
            assert!((b.note as f64 - (5.0 * hz + 7_000.0)).abs() < 40.0 * ms && b.under_db > 4.0, "{hz}: {b:?}");
        }
    }

    #[test]
    fn a_noise_is_found_wherever_blocks_meet_and_once() {
        for note in [29.3, 30.2] {
            let (x, _) = with_burst(notes(48_000.0, 34.0), 48_000.0, [note, 0.1, 0.05], 0.03);
            let got = told(x, 48_000, 0);
            assert_eq!(got.len(), 1, "{note}: {got:?}");
        }
    }

    #[test]
    fn what_is_as_loud_as_the_note_or_has_no_note_after_it_is_none() {
        let (loud, _) = with_burst(notes(48_000.0, 8.0), 48_000.0, [5.0, 0.08, 0.06], 0.9);
        assert_eq!(told(loud, 48_000, 0), []);
        // Nothing follows within a quarter of a second.
        let (late, _) = with_burst(notes(48_000.0, 8.0), 48_000.0, [5.0, 0.35, 0.05], 0.03);
        assert_eq!(told(late, 48_000, 0), []);
        for x in [Vec::new(), vec![0.0; 3], vec![0.0; 96_000], vec![0.5; 96_000]] {
            assert_eq!(told(x, 48_000, 0), []);
        }
    }
}
