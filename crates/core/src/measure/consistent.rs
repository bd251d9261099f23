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
}

/// The lag that is too early gives way: what it heard was the other source.
fn doubt(cell: &mut Cell, other_way: f64, rate: SampleRate) {
    let least = BOTH_WAYS_S * rate.hz_f64() - other_way;
    let better = cell.alternatives.iter().filter(|a| a.lag_frames > least && a.part >= ALTERNATIVE);
    let better = better.max_by(|a, b| a.part.total_cmp(&b.part)).copied();
    match better {
        Some(a) => {
            cell.lag_frames = Some(a.lag_frames);
            cell.sign = a.sign;
            cell.low_sign = 0;
            cell.bands.clear();
            cell.verdict = Verdict::Likely;
            cell.reason = "the strongest peak was another source's; this is the next one".into();
        }
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
