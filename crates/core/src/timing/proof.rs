//! What a plan does to a set, read back from its slices: no attack lost or doubled, no join that clicks, nothing between microphones changed.

use super::plan::{ATTACK_S, Plan};
use crate::edit::Edit;
use crate::edit::slice::{Cut, Slice};
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::render::track::TrackRenderer;
use crate::signal::{Placed, index};
use crate::units::{SampleRate, db_of_amplitude};
use rayon::prelude::*;
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

/// What a recording of a set carries once the set is cut.
pub fn cut(plan: &Plan, sound: &Placed) -> Edit {
    Edit { cut: Cut { begins: sound.start.0, slices: plan.slices.clone() }, ..Edit::default() }
}

/// What is played of a set after it was cut.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Proof {
    /// Every attack.
    pub ledger: Ledger,
    /// Frames, as moved, of the joins over [`CLICK_DB`].
    pub clicks: Vec<i64>,
    /// The worst of all joins, in dB; −∞ where none adds anything.
    pub worst_join_db: f64,
    /// What is left outside of fades when the recording, moved, is taken from what plays: its largest sample against the recording's
    /// largest, in dB; −∞ where nothing is left. Where it is −∞ for all, the microphones stand to one another as they did.
    pub null_db: f64,
}

/// A join over this clicks, in dB.
pub const CLICK_DB: f64 = -60.0;
/// Heard on either side of a join for its level, in seconds.
const ABOUT_JOIN_S: f64 = 0.01;
/// Rendered at a time, in frames.
const BLOCK: i64 = 1 << 16;

/// Plays all of a set as it was cut, and holds it against the recordings.
///
/// # Errors
/// [`MeasureError`] when a sound cannot be read or `report` says stop.
pub fn prove(
    sounds: &[Placed],
    plan: &Plan,
    attacks: &[i64],
    rate: SampleRate,
    report: Report,
) -> Result<Proof, MeasureError> {
    let one = |sound: &Placed| -> Result<(Vec<f64>, f64), MeasureError> {
        if !report(0.0) {
            return Err(MeasureError::Stopped);
        }
        Ok((joins(sound, plan, rate)?, left(sound, plan, rate)?))
    };
    let all = sounds.par_iter().map(one).collect::<Result<Vec<_>, _>>()?;
    let worst = |n: usize| all.iter().map(|(joins, _)| joins[n]).fold(f64::NEG_INFINITY, f64::max);
    let each: Vec<f64> = (0..plan.joins.len()).map(worst).collect();
    Ok(Proof {
        ledger: ledger(&plan.slices, attacks, rate),
        clicks: plan.joins.iter().zip(&each).filter(|(_, db)| **db > CLICK_DB).map(|(j, _)| j.from).collect(),
        worst_join_db: each.iter().copied().fold(f64::NEG_INFINITY, f64::max),
        null_db: all.iter().map(|a| a.1).fold(f64::NEG_INFINITY, f64::max),
    })
}

/// How much each join of a recording clicks.
fn joins(sound: &Placed, plan: &Plan, rate: SampleRate) -> Result<Vec<f64>, MeasureError> {
    let edit = cut(plan, sound);
    let mut track = TrackRenderer::new(*sound, &edit, rate);
    let about = rate.frames(ABOUT_JOIN_S);
    let each = plan.joins.iter().zip(plan.slices.windows(2)).map(|(join, pair)| {
        let (from, length) = (join.from - about, index(join.to - join.from + 2 * about));
        let mut plays = vec![0f32; length];
        track.read(from, &mut plays)?;
        let read = |s: &Slice| {
            let mut x = vec![0f32; length];
            sound.read(from - by(s), &mut x).map(|()| x)
        };
        let fade = index(about)..index(about + join.to - join.from);
        Ok(click_db(&plays, [&read(&pair[0])?, &read(&pair[1])?], fade))
    });
    each.collect()
}

/// What is left of a recording outside of fades, in dB.
fn left(sound: &Placed, plan: &Plan, rate: SampleRate) -> Result<f64, MeasureError> {
    let edit = cut(plan, sound);
    let mut track = TrackRenderer::new(*sound, &edit, rate);
    let next = plan.slices.iter().skip(1).map(|s| s.fade_in).chain([0]);
    let (mut most, mut off) = (0f32, 0f32);
    for (slice, next) in plan.slices.iter().zip(next) {
        let (from, to) = ((slice.from + slice.fade_in).max(sound.start.0), (slice.to - next).min(sound.end().0));
        for at in (from..to).step_by(BLOCK as usize) {
            let length = index((to - at).min(BLOCK));
            let (mut recorded, mut plays) = (vec![0f32; length], vec![0f32; length]);
            sound.read(at, &mut recorded)?;
            track.read(at + by(slice), &mut plays)?;
            for (a, b) in recorded.iter().zip(&plays) {
                (most, off) = (most.max(a.abs()), off.max((a - b).abs()));
            }
        }
    }
    Ok(if off > 0.0 { db_of_amplitude(f64::from(off / most.max(f32::MIN_POSITIVE))) } else { f64::NEG_INFINITY })
}

/// By how many frames a slice is moved; whole ones.
fn by(slice: &Slice) -> i64 {
    slice.at as i64 - slice.from
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
