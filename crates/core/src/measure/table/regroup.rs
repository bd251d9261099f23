//! A second look at which microphone stands at which source. Levels alone cannot always tell; the arrivals of a first table can.

use super::settle::AT_ONE_SOURCE_S;
use crate::measure::arrival::{Cell, Row};
use crate::units::SampleRate;
use crate::verdict::Verdict;

/// Lags of one source in two rows, one shifted by the lag between their homes, differ by no more than this, in seconds.
const SAME_S: f64 = 0.000_06;
/// A microphone at a source hears it so much above all others, as a factor of power: 7 dB.
const ABOVE_OTHERS: f64 = 5.0;
/// Arrivals that must agree before anything is concluded.
const FEW: usize = 2;

/// What is to be measured anew.
#[derive(Debug, Default, PartialEq)]
pub struct Regrouped {
    /// Rows that do not hold.
    pub gone: Vec<usize>,
    /// Tracks that stand at one source, each set in place of the rows its members had.
    pub sets: Vec<Vec<usize>>,
}

/// Finds rows that repeat another one's source, and near microphones without a row of their own that stand beside another
/// microphone. `alike` tells for two tracks whether somebody gave them the same source, or different ones, which are never joined;
/// none where nobody said anything.
pub fn regroup(
    rows: &[Row],
    near: &[bool],
    alike: impl Fn(usize, usize) -> Option<bool>,
    rate: SampleRate,
) -> Regrouped {
    let mut found = Regrouped::default();
    for i in 0..rows.len() {
        for k in (0..rows.len()).filter(|k| *k != i) {
            // Of two rows of one source, keeps the one whose home hears it first.
            let later = rows[i].cells[rows[k].home].lag_frames.is_some_and(|l| l > 0.0);
            if later && !found.gone.contains(&i) && !found.gone.contains(&k) && same_source(&rows[i], &rows[k], rate) {
                found.gone.push(k);
            }
        }
    }
    let valid = |i: usize, gone: &[usize]| !gone.contains(&i);
    for m in (0..near.len()).filter(|m| near[*m]) {
        let own = rows.iter().position(|r| r.members.contains(&m)).filter(|i| valid(*i, &found.gone));
        if own.is_some_and(|i| rows[i].members.len() > 1 || !poor(&rows[i])) {
            continue;
        }
        let beside = (0..rows.len()).filter(|i| valid(*i, &found.gone) && Some(*i) != own).find(|i| {
            let r = &rows[*i];
            let said = alike(r.home, m);
            said != Some(false) && side_by_side(rows, &found.gone, (*i, m), said == Some(true), rate)
        });
        let Some(i) = beside else { continue };
        found.gone.extend(own);
        match found.sets.iter_mut().find(|s| s.contains(&rows[i].home)) {
            Some(set) => set.push(m),
            None => {
                let mut set = rows[i].members.clone();
                set.push(m);
                found.sets.push(set);
            }
        }
    }
    let replaced: Vec<usize> =
        (0..rows.len()).filter(|i| found.sets.iter().any(|s| s.contains(&rows[*i].home))).collect();
    found.gone.extend(replaced);
    found.gone.sort_unstable();
    found.gone.dedup();
    found
}

/// Fewer than half of those that hear the source are decided.
fn poor(row: &Row) -> bool {
    let heard: Vec<&Cell> =
        (0..row.cells.len()).filter(|m| *m != row.home).map(|m| &row.cells[m]).filter(|c| c.heard).collect();
    heard.iter().filter(|c| c.lag_frames.is_some()).count() * 2 < heard.len()
}

/// The arrivals of one are those of the other, seen from another home.
fn same_source(a: &Row, b: &Row, rate: SampleRate) -> bool {
    let Some(shift) = a.cells[b.home].lag_frames else { return false };
    let off = (0..a.cells.len()).filter(|m| *m != a.home && *m != b.home).filter_map(|m| {
        let (there, here) = (a.cells[m].lag_frames?, b.cells[m].lag_frames?);
        Some((there - shift - here).abs() < SAME_S * rate.hz_f64())
    });
    let all: Vec<bool> = off.collect();
    let same = all.iter().filter(|s| **s).count();
    same >= FEW && same * 2 > all.len()
}

/// The track hears every source, the row's own among them, at one constant lag after the row's home. It must also hear the row's
/// source above all others, unless its name says that it stands there: at the end of a line of players the lags alone look like this.
fn side_by_side(rows: &[Row], gone: &[usize], (row, m): (usize, usize), said: bool, rate: SampleRate) -> bool {
    let (home, cell) = (rows[row].home, &rows[row].cells[m]);
    let Some(lag) = cell.lag_frames.filter(|_| cell.verdict == Verdict::Solid) else { return false };
    let others: Vec<&Row> = rows
        .iter()
        .enumerate()
        .filter(|(i, r)| *i != row && !gone.contains(i) && r.home != m && r.home != home)
        .map(|(_, r)| r)
        .collect();
    let apart: Vec<f64> =
        others.iter().filter_map(|r| Some((r.cells[m].lag_frames? - r.cells[home].lag_frames? - lag).abs())).collect();
    // A lag that a short distance explains needs less evidence than one that needs a latency.
    let needed = if lag.abs() < AT_ONE_SOURCE_S * rate.hz_f64() { FEW } else { FEW + 1 };
    let loudest_other = others.iter().map(|r| r.level(m)).fold(0.0, f64::max);
    apart.len() >= needed
        && apart.iter().all(|a| *a < AT_ONE_SOURCE_S * rate.hz_f64())
        && (said || rows[row].level(m) > ABOVE_OTHERS * loudest_other)
}
