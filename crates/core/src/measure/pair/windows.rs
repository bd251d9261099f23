//! Which parts of a recording are worth measuring.

use crate::dsp::envelope::{Envelope, Onset};
use crate::units::{SampleRate, db_of_power};

/// Places measured at most: more add time, hardly certainty.
const MAX_WINDOWS: usize = 120;

/// Isolated hits of the anchor's own source, in order of time.
///
/// Isolated means no other onset from 50 ms before to 50 ms after. The anchor also hears its neighbours: hits are kept
/// when they are within 18 dB of its strong ones and stand to the other track as its strong ones do (±6 dB), which is
/// what tells a source apart when only two tracks are known.
pub fn isolated_hits(onsets: &[Onset], other: &Envelope, shift: i64, rate: SampleRate) -> Vec<i64> {
    let gap = rate.frames(0.05);
    let mut hits: Vec<Onset> = (0..onsets.len())
        .filter(|&i| {
            let alone_before = i == 0 || onsets[i].frame - onsets[i - 1].frame > gap;
            let alone_after = i + 1 == onsets.len() || onsets[i + 1].frame - onsets[i].frame > gap;
            alone_before && alone_after
        })
        .map(|i| onsets[i])
        .collect();
    if hits.is_empty() {
        return Vec::new();
    }
    let mut levels: Vec<f64> = hits.iter().map(|h| h.level_db).collect();
    levels.sort_by(f64::total_cmp);
    let strong = levels[(levels.len() - 1) * 9 / 10];
    hits.retain(|h| h.level_db >= strong - 18.0);
    let span = rate.frames(0.02);
    let against = |h: &Onset| h.level_db - db_of_power(f64::from(other.mean(h.frame + shift, span)).max(1e-20));
    let mut loudest: Vec<f64> = hits.iter().filter(|h| h.level_db >= strong - 6.0).map(against).collect();
    loudest.sort_by(f64::total_cmp);
    let typical = loudest[loudest.len() / 2];
    hits.retain(|h| (against(h) - typical).abs() <= 6.0);
    hits.sort_by(|a, b| b.level_db.total_cmp(&a.level_db));
    let mut frames: Vec<i64> = spread(&hits).iter().map(|h| h.frame).collect();
    frames.sort_unstable();
    frames
}

/// When there are too many hits, every k-th of those sorted by level: strong and weaker ones alike.
fn spread(hits: &[Onset]) -> Vec<Onset> {
    let step = hits.len().div_ceil(MAX_WINDOWS);
    hits.iter().step_by(step.max(1)).copied().collect()
}

/// Windows of a quarter of a second, half overlapped, in which both tracks are at least 10 dB above their noise floor
/// and within 40 dB of their loud passages.
pub fn sustained(a: &Envelope, b: &Envelope, shift: i64, rate: SampleRate) -> Vec<i64> {
    let step = rate.frames(0.125);
    let bar = |e: &Envelope| {
        let loud = e.percentile(0.95)?;
        let floor = e.floor()?;
        // Music without pauses has its quietest tenth far above the noise: then the loud passages set the bar.
        Some((floor * 10.0).min(loud * 0.1).max(loud * 1e-4))
    };
    let (Some(bar_a), Some(bar_b)) = (bar(a), bar(b)) else { return Vec::new() };
    let end = a.first + (a.power.len() * a.hop) as i64;
    let mut found = Vec::new();
    let mut at = a.first;
    while at + 2 * step <= end {
        if a.mean(at, 2 * step) > bar_a && b.mean(at + shift, 2 * step) > bar_b {
            found.push(at);
        }
        at += step;
    }
    let keep = found.len().div_ceil(MAX_WINDOWS * 2).max(1);
    found.into_iter().step_by(keep).collect()
}
