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
    let many = many_rise(&all[quiet], &all[top]);
    let again = |range: Range<usize>| {
        rises_again(&all[range.start.min(range.end)..range.end], highs(top), highs(top) - highs(quiet))
    };
    let beats = again(quiet.saturating_sub(rows(AGAIN_S))..quiet) || again(to..begins.min(to + rows(AGAIN_S)));
    let many = many && !beats;
    let fits = to - from <= longest && under_db <= UNDER_NOTE_DB[1] && many && !is_note;
    fits.then_some(Noise { from, to, note, under_db })
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
