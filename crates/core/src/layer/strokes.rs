//! What is struck in one track, with its first milliseconds.

use crate::hits::moment::moment;
use crate::hits::seen::seen_over;
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use std::collections::BTreeMap;

/// Weaker strokes this close to a stronger one are part of it, in seconds.
const APART_S: f64 = 0.012;
/// The first milliseconds that are compared, and as much more on either side as they are moved against one another; in seconds.
const BEFORE_S: f64 = 0.002;
const AFTER_S: f64 = 0.010;
const SHIFT_S: f64 = 0.001_5;
/// Its peak lies within so long; later another may have begun, in seconds.
const PEAK_S: f64 = 0.004;
/// What sounds lower than this shows the polarity, in Hz, in a stroke's first so many seconds.
const LOW_HZ: f64 = 600.0;
const LOW_S: f64 = 0.020;

/// A stroke.
#[derive(Debug, Clone)]
pub struct Struck {
    /// Session frame at which it begins.
    pub at: f64,
    /// The whole session frame nearest to that.
    pub frame: i64,
    /// Largest sample of its first milliseconds.
    pub level: f32,
    /// Its first milliseconds, from [`BEFORE_S`] and [`SHIFT_S`] before that frame.
    pub wave: Vec<f32>,
    /// Samples on either side of `wave` that are there to be moved.
    pub shift: usize,
    /// Its lows, in the same way, for longer.
    pub lows: Vec<f32>,
}

/// All strokes of a track that rise by so much over the five milliseconds before, in the order of time.
///
/// # Errors
/// [`MeasureError`] when the sound cannot be read or `report` says stop.
pub fn strokes(sound: &Placed, rises_db: f64, rate: SampleRate, report: Report) -> Result<Vec<Struck>, MeasureError> {
    let places = seen_over(rises_db, std::slice::from_ref(sound), rate, report)?;
    let mut all = places.into_iter().map(|at| one(sound, at, rate)).collect::<Result<Vec<_>, _>>()?;
    all.sort_by(|a, b| b.level.total_cmp(&a.level));
    let apart = rate.frames(APART_S);
    let mut kept: BTreeMap<i64, Struck> = BTreeMap::new();
    for stroke in all {
        if kept.range(stroke.frame - apart + 1..stroke.frame + apart).next().is_none() {
            kept.insert(stroke.frame, stroke);
        }
    }
    Ok(kept.into_values().collect())
}

fn one(sound: &Placed, about: i64, rate: SampleRate) -> Result<Struck, MeasureError> {
    let at = moment(sound, about, rate)?;
    let frame = at.round() as i64;
    let frames = |s: f64| index(rate.frames(s));
    let (before, shift) = (frames(BEFORE_S), frames(SHIFT_S));
    let mut x = vec![0f32; 2 * shift + before + frames(LOW_S)];
    sound.read(frame - (before + shift) as i64, &mut x)?;
    let lows = low(&x, rate);
    x.truncate(2 * shift + before + frames(AFTER_S));
    let level = x[shift + before..][..frames(PEAK_S)].iter().fold(0f32, |m, v| m.max(v.abs()));
    Ok(Struck { at, frame, level, wave: x, shift, lows })
}

/// Two poles, causal: both tracks are delayed alike.
fn low(x: &[f32], rate: SampleRate) -> Vec<f32> {
    let keep = (-std::f64::consts::TAU * LOW_HZ / rate.hz_f64()).exp() as f32;
    let mut held = [0f32; 2];
    let step = |v: &f32| {
        held[0] = *v + keep * (held[0] - *v);
        held[1] = held[0] + keep * (held[1] - held[0]);
        held[1]
    };
    x.iter().map(step).collect()
}
