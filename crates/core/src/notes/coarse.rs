//! The lag of a whole rendering against its notes, to some hundredths of a second.

use super::features::{HOPS_A_SECOND, Rises};
use super::midi::Note;

/// Searched, in seconds: a rendering may begin a little early, and come very late.
pub const SEARCHED_S: [f64; 2] = [-0.5, 3.0];
/// Belongs to a peak, to either side, in seconds.
const PEAK_S: f64 = 0.12;
/// Lags kept.
const MOST_CANDIDATES: usize = 12;
/// Channel of drums, counted from 0 (*General MIDI*: channel 10): their keys are no pitches.
const DRUMS: u8 = 9;

/// A lag, and how it stands out.
#[derive(Debug, Clone, PartialEq)]
pub struct Coarse {
    /// In seconds.
    pub seconds: f64,
    /// Height over that of the best rival.
    pub ratio: f64,
    /// The rival, in seconds.
    pub rival_s: f64,
    /// It alone leaves no note without a sound and no sound without a note.
    pub explains: bool,
    /// All lags that fit half as well and better, in seconds, the best first.
    pub candidates: Vec<f64>,
    /// By how many standard deviations the notes' pitches rise more than the same pitches in another order do; none where there is one
    /// pitch, or none.
    pub pitched: Option<f64>,
}

/// The lag at which the pitches of notes rise most; none when nothing rises.
pub fn coarse(notes: &[Note], rises: &Rises) -> Option<Coarse> {
    let [from, to] = SEARCHED_S.map(|s| (s * HOPS_A_SECOND) as i64);
    let pitches: Vec<&Note> = notes.iter().filter(|n| n.channel != DRUMS).collect();
    let of_pitches = curve(&pitches, from..=to, |n| rises.of(n.key));
    let of_all = curve(&notes.iter().collect::<Vec<_>>(), from..=to, |_| Some(&rises.all));
    let sum: Vec<f64> = level(&of_pitches).iter().zip(level(&of_all)).map(|(p, a)| p + a).collect();
    let at = (0..sum.len()).max_by(|a, b| sum[*a].total_cmp(&sum[*b]))?;
    if sum[at] <= 0.0 {
        return None;
    }
    let near = (PEAK_S * HOPS_A_SECOND) as usize;
    let rival = (0..sum.len()).filter(|n| n.abs_diff(at) > near).max_by(|a, b| sum[*a].total_cmp(&sum[*b]))?;
    let seconds = |n: usize| (n as i64 + from) as f64 / HOPS_A_SECOND;
    Some(Coarse {
        seconds: seconds(at),
        ratio: sum[at] / sum[rival].max(f64::MIN_POSITIVE),
        rival_s: seconds(rival),
        explains: false,
        candidates: candidates(&sum, near).into_iter().map(seconds).collect(),
        pitched: in_order(&pitches, rises, at as i64 + from),
    })
}

/// Places that have half of the largest value and more, so far apart at least, the highest first.
fn candidates(sum: &[f64], near: usize) -> Vec<usize> {
    let mut left: Vec<usize> = (0..sum.len()).collect();
    left.sort_by(|a, b| sum[*b].total_cmp(&sum[*a]));
    let mut kept: Vec<usize> = Vec::new();
    for n in left.into_iter().take_while(|n| sum[*n] > 0.5 * sum.iter().copied().fold(0.0, f64::max)) {
        if kept.len() < MOST_CANDIDATES && kept.iter().all(|k| k.abs_diff(n) > near) {
            kept.push(n);
        }
    }
    kept
}

/// The sum over all notes of the rise at their pitch, against that sum with the pitches in any other order: by its mean and variance over
/// all orders (Hoeffding 1951, *A combinatorial central limit theorem*; from memory). Chords are not told apart from single notes.
fn in_order(notes: &[&Note], rises: &Rises, lag: i64) -> Option<f64> {
    let mut keys: Vec<u8> = notes.iter().map(|n| n.key).collect();
    keys.sort_unstable();
    keys.dedup();
    let count = notes.len() as f64;
    let share: Vec<f64> = keys.iter().map(|k| notes.iter().filter(|n| n.key == *k).count() as f64 / count).collect();
    let rise = |note: &Note, key: u8| {
        let place = usize::try_from((note.seconds * HOPS_A_SECOND).round() as i64 + lag).ok();
        f64::from(place.zip(rises.of(key)).and_then(|(n, r)| r.get(n)).copied().unwrap_or(0.0))
    };
    let table: Vec<Vec<f64>> = notes.iter().map(|n| keys.iter().map(|k| rise(n, *k)).collect()).collect();
    let rows: Vec<f64> = table.iter().map(|row| row.iter().zip(&share).map(|(m, s)| m * s).sum()).collect();
    let columns: Vec<f64> = (0..keys.len()).map(|k| table.iter().map(|row| row[k]).sum::<f64>() / count).collect();
    let all = rows.iter().sum::<f64>() / count;
    let apart = |(row, of): (&Vec<f64>, &f64)| {
        let cells = row.iter().zip(&columns).zip(&share);
        cells.map(|((m, column), s)| s * (m - of - column + all).powi(2)).sum::<f64>()
    };
    let variance = table.iter().zip(&rows).map(apart).sum::<f64>() * count / (count - 1.0);
    let own: f64 = notes.iter().map(|n| rise(n, n.key)).sum();
    (variance > 0.0).then(|| (own - all * count) / variance.sqrt())
}

/// Mean rise over all notes, lag by lag.
fn curve<'a>(
    notes: &[&Note],
    lags: std::ops::RangeInclusive<i64>,
    of: impl Fn(&Note) -> Option<&'a [f32]>,
) -> Vec<f64> {
    let mut sums = vec![0f64; (lags.end() - lags.start() + 1) as usize];
    for note in notes {
        let Some(rises) = of(note) else { continue };
        let place = (note.seconds * HOPS_A_SECOND).round() as i64;
        for (sum, lag) in sums.iter_mut().zip(lags.clone()) {
            *sum += usize::try_from(place + lag).ok().and_then(|n| rises.get(n)).copied().map_or(0.0, f64::from);
        }
    }
    sums.iter().map(|s| s / notes.len().max(1) as f64).collect()
}

/// About its mean, over its RMS.
fn level(curve: &[f64]) -> Vec<f64> {
    let mean = curve.iter().sum::<f64>() / curve.len() as f64;
    let rms = (curve.iter().map(|c| (c - mean).powi(2)).sum::<f64>() / curve.len() as f64).sqrt();
    curve.iter().map(|c| if rms > 0.0 { (c - mean) / rms } else { 0.0 }).collect()
}
