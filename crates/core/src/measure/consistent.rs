//! What the cells of a table must have in common: sound takes as long one way as the other, and longer than nothing.

use super::arrival::{Cell, Row};
use super::verdict::Verdict;
use crate::units::SampleRate;

/// Two sources with microphones of their own stand further apart than sound travels in half of this, in seconds.
const BOTH_WAYS_S: f64 = 0.001;
/// Sums of both ways this close to nothing, in seconds, mean that both rows hear one and the same source.
const SAME_S: f64 = 0.000_1;
/// Two microphones at one source stand no further apart than this, in seconds.
const AT_ONE_SOURCE_S: f64 = 0.001_5;
/// An alternative of this part of the peak may take its place.
const ALTERNATIVE: f64 = 0.4;

/// Compares the bleed both ways between every two sources. Lags of i in the microphone of k and of k in the microphone of i
/// add up to twice the distance, whatever the latencies are. What contradicts that is replaced by a peak that does not, or
/// becomes undecided; two rows that prove to be one source become one row.
pub fn settle(rows: &mut Vec<Row>, rate: SampleRate) {
    let seconds = |frames: f64| frames / rate.hz_f64();
    let mut i = 0;
    while i < rows.len() {
        let mut k = i + 1;
        while k < rows.len() {
            let (hi, hk) = (rows[i].home, rows[k].home);
            let (a, b) = (&rows[i].cells[hk], &rows[k].cells[hi]);
            if let (Some(la), Some(lb)) = (a.lag_frames, b.lag_frames)
                && seconds(la + lb) < BOTH_WAYS_S
            {
                let small = seconds(la.abs().max(lb.abs())) < AT_ONE_SOURCE_S;
                if seconds((la + lb).abs()) < SAME_S && small && a.coherence.min(b.coherence) > 0.5 {
                    merge(rows, i, k);
                    continue;
                }
                if la < lb {
                    doubt(&mut rows[i].cells[hk], lb, rate);
                } else {
                    doubt(&mut rows[k].cells[hi], la, rate);
                }
            }
            k += 1;
        }
        i += 1;
    }
    unreflect(rows, rate);
    within_reach(rows, rate);
}

/// A lag that comes so much later than the way back allows, in seconds, is a reflection.
const ONE_WAY_S: f64 = 0.001_5;
/// Times the latencies are refined; they settle after three or four.
const ROUNDS: usize = 12;

/// What a probable lag counts against a solid one.
const LIKELY_COUNTS: f64 = 0.2;

/// What a decided cell counts.
pub fn weight(cell: &Cell) -> f64 {
    if cell.verdict == Verdict::Solid { 1.0 } else { LIKELY_COUNTS }
}

/// What the bleed both ways between the homes of rows i and k says k is later than i by, in frames, and how much that counts:
/// the one lag is d + (Lk − Li), the other d + (Li − Lk), so that half the difference leaves the distance out.
pub fn later(rows: &[Row], i: usize, k: usize) -> Option<(f64, f64)> {
    let (there, back) = (&rows[i].cells[rows[k].home], &rows[k].cells[rows[i].home]);
    Some(((there.lag_frames? - back.lag_frames?) / 2.0, weight(there) * weight(back)))
}

/// How late each home microphone is against most of them, in frames; none for a row without a partner.
///
/// Every row takes the median over its partners, again and again; most rows are taken to be on time.
pub fn latencies(rows: &[Row]) -> Vec<Option<f64>> {
    let mut late = vec![0f64; rows.len()];
    let mut known = vec![false; rows.len()];
    for _ in 0..ROUNDS {
        let mut next = late.clone();
        for k in 0..rows.len() {
            let partners = (0..rows.len()).filter(|i| *i != k);
            let mut says: Vec<(f64, f64)> =
                partners.filter_map(|i| later(rows, i, k).map(|(l, w)| (l + late[i], w))).collect();
            known[k] = !says.is_empty();
            // Half way, so that two rows do not push each other to and fro.
            next[k] = 0.5 * (late[k] + weighted_middle(&mut says).unwrap_or(0.0));
        }
        late = next;
        let common = most(&late);
        late.iter_mut().for_each(|l| *l -= common);
    }
    late.into_iter().zip(known).map(|(l, known)| known.then_some(l)).collect()
}

/// The value with half the weight on either side; the mean of two when the half falls between them.
pub fn weighted_middle(values: &mut [(f64, f64)]) -> Option<f64> {
    values.sort_by(|a, b| a.0.total_cmp(&b.0));
    let half = values.iter().map(|v| v.1).sum::<f64>() / 2.0;
    let mut below = 0.0;
    for i in 0..values.len() {
        below += values[i].1;
        if below > half + 1e-9 {
            return Some(values[i].0);
        }
        if (below - half).abs() <= 1e-9 && i + 1 < values.len() {
            return Some(0.5 * (values[i].0 + values[i + 1].0));
        }
    }
    None
}

/// The median; the mean of the two in the middle for an even number.
pub fn middle(values: &mut [f64]) -> Option<f64> {
    values.sort_by(f64::total_cmp);
    let n = values.len();
    (n > 0).then(|| 0.5 * (values[(n - 1) / 2] + values[n / 2]))
}

/// The middle of the half that lies closest together (the shorth): what most have in common. Of two alike the earlier.
pub fn most(values: &[f64]) -> f64 {
    let mut v = values.to_vec();
    v.sort_by(f64::total_cmp);
    let half = v.len() / 2 + 1;
    let best = v.windows(half.min(v.len()).max(1)).min_by(|a, b| {
        let width = |w: &[f64]| w[w.len() - 1] - w[0];
        width(a).total_cmp(&width(b))
    });
    best.map_or(0.0, |w| w[w.len() / 2])
}

/// A lag much longer than the way back, latencies aside, went round by a wall.
fn unreflect(rows: &mut [Row], rate: SampleRate) {
    let late = latencies(rows);
    let slack = ONE_WAY_S * rate.hz_f64();
    for i in 0..rows.len() {
        for k in 0..rows.len() {
            let (Some(li), Some(lk)) = (late[i], late[k]) else { continue };
            let back = rows[k].cells[rows[i].home].lag_frames;
            let home = rows[k].home;
            let (true, Some(there), Some(back)) = (i != k, rows[i].cells[home].lag_frames, back) else { continue };
            let expected = back + 2.0 * (lk - li);
            if there < expected + slack {
                continue;
            }
            let cell = &mut rows[i].cells[home];
            let fits = cell.alternatives.iter().filter(|a| (a.lag_frames - expected).abs() < slack).copied();
            if let Some(a) = fits.max_by(|a, b| a.part.total_cmp(&b.part)) {
                cell.take(a, "the first arrival, as the way back shows; a reflection is stronger");
            } else if cell.verdict == Verdict::Solid {
                cell.verdict = Verdict::Likely;
                cell.reason =
                    format!("{:.1} ms longer than the way back: perhaps a reflection", rate.ms(there - expected));
            }
        }
    }
}

/// Two sources reach any microphone no further apart than they stand from each other. A lag that is later than that, by at
/// least half of the other sources, went round by a wall.
fn within_reach(rows: &mut [Row], rate: SampleRate) {
    let late = latencies(rows);
    let slack = ONE_WAY_S * rate.hz_f64();
    let apart = |i: usize, j: usize| {
        let both = rows[i].cells[rows[j].home].lag_frames.zip(rows[j].cells[rows[i].home].lag_frames);
        both.map(|(a, b)| 0.5 * (a + b))
    };
    let mut latest = Vec::new();
    for i in 0..rows.len() {
        for (m, cell) in rows[i].cells.iter().enumerate() {
            let (Some(lag), Some(li), true) = (cell.lag_frames, late[i], m != rows[i].home) else { continue };
            let mut limits: Vec<f64> = (0..rows.len())
                .filter(|j| *j != i && rows[*j].home != m)
                .filter_map(|j| Some(rows[j].cells[m].lag_frames? + late[j]? + apart(i, j)? + slack - li))
                .collect();
            let beyond = limits.iter().filter(|l| lag > **l).count();
            if beyond > 0 && beyond * 2 >= limits.len() {
                latest.push((i, m, middle(&mut limits).unwrap_or(lag)));
            }
        }
    }
    for (i, m, limit) in latest {
        let cell = &mut rows[i].cells[m];
        let fits =
            cell.alternatives.iter().filter(|a| a.lag_frames <= limit && a.lag_frames > 0.0 && a.part >= ALTERNATIVE);
        if let Some(a) = fits.copied().max_by(|a, b| a.part.total_cmp(&b.part)) {
            cell.take(a, "the first arrival, as the other sources show; a reflection is stronger");
        } else if cell.verdict == Verdict::Solid {
            cell.verdict = Verdict::Likely;
            cell.reason = "later than the other sources allow: perhaps a reflection".into();
        }
    }
}

/// The lag that is too early gives way: what it heard was the other source.
fn doubt(cell: &mut Cell, other_way: f64, rate: SampleRate) {
    let least = BOTH_WAYS_S * rate.hz_f64() - other_way;
    let better = cell.alternatives.iter().filter(|a| a.lag_frames > least && a.part >= ALTERNATIVE);
    let better = better.max_by(|a, b| a.part.total_cmp(&b.part)).copied();
    match better {
        Some(a) => cell.take(a, "the strongest peak was another source's; this is the next one"),
        None => cell.undecide("what arrives here belongs to another source; a hit of this one alone would help"),
    }
}

/// The row with more moments stays.
fn merge(rows: &mut Vec<Row>, i: usize, k: usize) {
    let weight = |r: &Row| r.hits.len() * 2 + r.passages.len();
    if weight(&rows[k]) > weight(&rows[i]) {
        rows.swap(i, k);
    }
    let gone = rows.remove(k);
    for m in gone.members {
        if !rows[i].members.contains(&m) {
            rows[i].members.push(m);
        }
    }
}
