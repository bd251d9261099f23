//! Consistency of the cells of a table: sound takes the same time both ways between two sources, and never a negative one.

use crate::measure::arrival::{Alternative, Cell, Late, OWN_COHERENCE, Row};
use crate::measure::places::{Placed, place};
use crate::measure::stage::Places;
use crate::track::Role;
use crate::units::{Conditions, SampleRate};
use crate::verdict::Verdict;

/// Least sum of the lags both ways between two sources with microphones of their own, in seconds.
const BOTH_WAYS_S: f64 = 0.001;
/// When the sum of the lags both ways is this close to 0, in seconds, both rows hear the same source.
const SAME_S: f64 = 0.000_1;
/// Largest distance of two microphones at one source, in seconds of sound: they hear every other source this close together.
pub(super) const AT_ONE_SOURCE_S: f64 = 0.001_5;
/// Least height of an alternative peak, as part of the highest, to replace it.
const ALTERNATIVE: f64 = 0.4;

/// Compares the bleed both ways between every two sources. Lags of i in the microphone of k and of k in the microphone of i
/// add up to twice the distance, whatever the latencies are. What contradicts that is replaced by a peak that does not, or
/// becomes undecided; two rows that prove to be one source become one row.
pub fn settle(rows: &mut Vec<Row>, roles: &[Role], at: Conditions) -> (Vec<Option<Late>>, Option<Places>) {
    let rate = at.rate;
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
    echoes(rows, rate);
    strays(rows, roles, rate);
    // Cells that were solid before places are known: a place may be wrong because the home is not the source's own microphone.
    let clear: Vec<Vec<bool>> =
        rows.iter().map(|r| r.cells.iter().map(|c| c.verdict == Verdict::Solid).collect()).collect();
    let Some(mut placed) = place(rows, roles, at, &[], None) else { return (vec![None; roles.len()], None) };
    // Without the cells that distorted them, the places show further ones.
    if reconcile(rows, &placed, rate, false)
        && let Some(again) = place(rows, roles, at, &[], Some(&placed.places.found))
    {
        placed = again;
        reconcile(rows, &placed, rate, true);
    }
    let late = placed.late;
    roundabout(rows, &late, rate);
    strangers(rows, roles, &clear, &late, rate);
    (late, Some(placed.places))
}

/// Without latencies the bleed between two sources takes the same time both ways, except for the distances of their microphones: half the
/// difference is at most this, in seconds.
const ROUNDABOUT_S: f64 = 0.001_2;

/// A solid arrival that takes much longer than the one the other way round came by a wall, because the microphone does not pick up the
/// direct sound. With few arrivals the places cannot show this.
fn roundabout(rows: &mut [Row], late: &[Option<Late>], rate: SampleRate) {
    let by = |m: usize| late[m].map_or(0.0, |l| l.frames);
    for i in 0..rows.len() {
        for k in (0..rows.len()).filter(|k| *k != i) {
            let (hi, hk) = (rows[i].home, rows[k].home);
            let ways = rows[i].cells[hk].lag_frames.zip(rows[k].cells[hi].lag_frames);
            let Some((there, back)) = ways else { continue };
            let longer = (there - back) / 2.0 - by(hk) + by(hi);
            let cell = &mut rows[i].cells[hk];
            if cell.verdict == Verdict::Solid && longer > ROUNDABOUT_S * rate.hz_f64() {
                cell.verdict = Verdict::Likely;
                cell.reason =
                    format!("{:.1} ms longer than the other way round: perhaps by a wall", rate.ms(2.0 * longer));
            }
        }
    }
}

/// Largest spread, over all sources, of the lag between two microphones at one source, in seconds.
const STRAY_S: f64 = 0.003_5;
/// Sources that must reach both microphones before the spread is judged.
const STRAY_FEW: usize = 5;

/// Removes a microphone from a source it does not stand at. If it stood there, with or without latency, all other sources would reach it
/// and the home with about the same lag, and its own source would not reach it earlier than they allow.
fn strays(rows: &mut [Row], roles: &[Role], rate: SampleRate) {
    for i in 0..rows.len() {
        let home = rows[i].home;
        let stray = |m: &usize| {
            let lag = |r: &Row, m: usize| if m == r.home { Some(0.0) } else { r.cells[m].lag_frames };
            let mut apart: Vec<f64> = rows.iter().filter_map(|r| Some(lag(r, *m)? - lag(r, home)?)).collect();
            apart.sort_by(f64::total_cmp);
            // A quarter of the values at either end may be wrong, at least one.
            let (n, few) = (apart.len(), (apart.len() / 4).max(1));
            let own = lag(&rows[i], *m);
            let sooner = |r: &Row| Some(own? - r.cells[*m].lag_frames? > STRAY_S * rate.hz_f64());
            let elsewhere = rows.iter().any(|r| r.home != *m && sooner(r).unwrap_or(false));
            elsewhere && n >= STRAY_FEW && apart[n - 1 - few] - apart[few] > STRAY_S * rate.hz_f64()
        };
        let gone: Vec<usize> =
            rows[i].members.iter().copied().filter(|m| *m != home && roles[*m] != Role::Direct && stray(m)).collect();
        rows[i].members.retain(|m| !gone.contains(m));
    }
}

/// A near microphone that hears a source earlier than its home by this, in seconds, stands nearer to it.
const BEFORE_HOME_S: f64 = 0.000_1;

/// When another near microphone hears a source before its home does (latencies taken out), the home is not the source's own microphone,
/// and the row may be of another source than its name says: nothing in it stays solid.
fn strangers(rows: &mut [Row], roles: &[Role], clear: &[Vec<bool>], late: &[Option<Late>], rate: SampleRate) {
    let by = |m: usize| late[m].map_or(0.0, |l| l.frames);
    for (row, clear) in rows.iter_mut().zip(clear) {
        let near = |m: usize| !row.members.contains(&m) && matches!(roles[m], Role::Near | Role::Unknown);
        let before = |m: usize| row.cells[m].lag_frames.map_or(0.0, |l| l - by(m) + by(row.home));
        if (0..roles.len()).any(|m| near(m) && clear[m] && before(m) < -BEFORE_HOME_S * rate.hz_f64()) {
            row.own_mic = false;
            let home = row.home;
            for (_, cell) in row.cells.iter_mut().enumerate().filter(|(m, c)| *m != home && c.verdict == Verdict::Solid)
            {
                cell.verdict = Verdict::Likely;
                cell.reason =
                    "another microphone hears this source before its own does: perhaps it has none of its own".into();
            }
        }
    }
}

/// Lags that differ by less than this are equal, in seconds.
const ECHO_S: f64 = 0.000_025;
/// Least number of cells of a row that repeat another source, before any of them is taken for a repetition.
const FEW: usize = 2;
/// The same as a part of all cells that can be compared.
const ECHOING: f64 = 0.2;

/// Finds cells that hold the arrivals of another, louder source, as seen from this source's home.
fn echoes(rows: &mut [Row], rate: SampleRate) {
    let near = |a: f64, b: f64| (a - b).abs() < ECHO_S * rate.hz_f64();
    let mut found = Vec::new();
    for (i, row) in rows.iter().enumerate() {
        for other in rows.iter().enumerate().filter(|(k, _)| *k != i).map(|(_, r)| r) {
            let Some(shift) = other.cells[row.home].lag_frames.filter(|l| *l > 0.0) else { continue };
            let of = |m: usize| Some((row.cells[m].lag_frames?, other.cells[m].lag_frames? - shift));
            let both: Vec<(usize, f64, f64)> = (0..row.cells.len())
                .filter(|m| *m != row.home && *m != other.home)
                .filter_map(|m| of(m).map(|(a, b)| (m, a, b)))
                .collect();
            let same: Vec<usize> = both.iter().filter(|(_, a, b)| near(*a, *b)).map(|b| b.0).collect();
            if same.len() >= FEW && same.len() as f64 >= ECHOING * both.len() as f64 {
                found.extend(same.into_iter().map(|m| (i, m, other.cells[m].lag_frames.unwrap_or(0.0) - shift)));
            }
        }
    }
    for (i, m, echo) in found {
        let cell = &mut rows[i].cells[m];
        let better = cell.alternatives.iter().filter(|a| a.part >= ALTERNATIVE && !near(a.lag_frames, echo));
        match better.max_by(|a, b| a.part.total_cmp(&b.part)).copied() {
            Some(a) => cell.take(a, "the strongest peak was another source's; this is the next one"),
            None => cell.undecide("what arrives here belongs to another source; a hit of this one alone would help"),
        }
    }
}

/// A lag that differs by this from the one expected from the places, in seconds, is a reflection or another source.
const OFF_S: f64 = 0.001;
/// The difference must also be so many standard deviations of the expected lag.
const SIGMAS: f64 = 5.0;
/// An alternative peak this close to the expected lag is the direct sound, in seconds.
const FITS_S: f64 = 0.000_5;

/// Arrivals in one microphone differ from the expected by the same amount when they lie within this, in seconds; so many of them are no
/// coincidence.
const ALIKE_S: f64 = 0.001;
const MANY_ALIKE: usize = 3;

/// Differences between measured and expected lags, for every microphone, in frames.
fn beyond(rows: &[Row], placed: &Placed) -> Vec<Vec<f64>> {
    let mics = rows.first().map_or(0, |r| r.cells.len());
    let off = |m: usize| {
        let both = rows.iter().zip(&placed.expected);
        both.filter_map(move |(row, expected)| Some(row.cells[m].lag_frames? - expected[m]?.0)).collect()
    };
    (0..mics).map(off).collect()
}

/// Compares every lag with the one expected from the places. The second time only solid cells are compared. True when a cell was changed.
fn reconcile(rows: &mut [Row], placed: &Placed, rate: SampleRate, again: bool) -> bool {
    let mut changed = false;
    let beyond = beyond(rows, placed);
    for (row, expected) in rows.iter_mut().zip(&placed.expected) {
        for (m, (cell, expected)) in row.cells.iter_mut().zip(expected).enumerate() {
            let Some((expected, sigma)) = *expected else { continue };
            if again && cell.verdict < Verdict::Solid {
                continue;
            }
            if cell.verdict == Verdict::Solid && row.members.contains(&m) && cell.coherence >= OWN_COHERENCE {
                continue;
            }
            let Some(lag) = cell.lag_frames else {
                changed |= choose(cell, expected, sigma, rate);
                continue;
            };
            let off = (lag - expected).abs();
            if off < (OFF_S * rate.hz_f64()).max(SIGMAS * sigma) {
                continue;
            }
            let fits = cell.alternatives.iter().filter(|a| (a.lag_frames - expected).abs() < FITS_S * rate.hz_f64());
            if let Some(a) = fits.max_by(|a, b| a.part.total_cmp(&b.part)).copied() {
                cell.take(a, "the first arrival, as all others show; the strongest peak is a reflection");
            } else {
                let why = format!(
                    "{:.1} ms {} than all other arrivals let expect: perhaps a reflection or another source",
                    rate.ms(off),
                    if lag > expected { "later" } else { "earlier" }
                );
                let alike = |o: &&f64| (**o - (lag - expected)).abs() < ALIKE_S * rate.hz_f64();
                if cell.verdict == Verdict::Solid {
                    (cell.verdict, cell.reason) = (Verdict::Likely, why);
                } else if beyond[m].iter().filter(alike).count() >= MANY_ALIKE {
                    // By a wall or by a fault; it is this source in any case.
                    cell.reason = format!("{why}; others in this microphone by as much");
                    continue;
                } else {
                    cell.undecide(&why);
                }
            }
            changed = true;
        }
    }
    changed
}

/// Of several peaks of similar height, takes the one at the expected lag, if there is exactly one.
fn choose(cell: &mut Cell, expected: f64, sigma: f64, rate: SampleRate) -> bool {
    if !cell.heard || sigma * SIGMAS > OFF_S * rate.hz_f64() {
        return false;
    }
    let fits = |a: &&Alternative| a.part >= ALTERNATIVE && (a.lag_frames - expected).abs() < FITS_S * rate.hz_f64();
    let mut fitting = cell.alternatives.iter().filter(fits);
    let (Some(a), None) = (fitting.next().copied(), fitting.next()) else { return false };
    cell.take(a, "of several peaks alike the one where all other arrivals let expect it");
    true
}

/// The lag that is too early is doubted: it is that of the other source.
fn doubt(cell: &mut Cell, other_way: f64, rate: SampleRate) {
    let least = BOTH_WAYS_S * rate.hz_f64() - other_way;
    let better = cell.alternatives.iter().filter(|a| a.lag_frames > least && a.part >= ALTERNATIVE);
    let better = better.max_by(|a, b| a.part.total_cmp(&b.part)).copied();
    match better {
        Some(a) => cell.take(a, "the strongest peak was another source's; this is the next one"),
        None => cell.undecide("what arrives here belongs to another source; a hit of this one alone would help"),
    }
}

/// Of two rows of one source the one with more moments stays.
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
