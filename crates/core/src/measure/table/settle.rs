//! What the cells of a table must have in common: sound takes as long one way as the other, and longer than nothing.

use crate::measure::arrival::{Alternative, Cell, Late, Row};
use crate::measure::places::{Placed, place};
use crate::track::Role;
use crate::units::{Conditions, SampleRate};
use crate::verdict::Verdict;

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
pub fn settle(rows: &mut Vec<Row>, roles: &[Role], at: Conditions) -> Vec<Option<Late>> {
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
    // What was clear by itself: a place may be wrong because the home is not the source's own.
    let clear: Vec<Vec<bool>> =
        rows.iter().map(|r| r.cells.iter().map(|c| c.verdict == Verdict::Solid).collect()).collect();
    let Some(mut placed) = place(rows, roles, at, None) else { return vec![None; roles.len()] };
    // Once what bent the places is gone, they show what is left of the kind.
    if reconcile(rows, &placed, rate, false)
        && let Some(again) = place(rows, roles, at, Some(&placed))
    {
        placed = again;
        reconcile(rows, &placed, rate, true);
    }
    let late = placed.late;
    roundabout(rows, &late, rate);
    strangers(rows, roles, &clear, &late, rate);
    late
}

/// Bleed between two sources takes as long one way as the other, latencies taken out, but for how far their microphones stand
/// from them: half the difference is no more than this, in seconds.
const ROUNDABOUT_S: f64 = 0.001_2;

/// A clear arrival that takes much longer than the other way round came by a wall: a microphone may be deaf to where a source
/// stands. No place speaks against that when few others do.
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

/// Two microphones at one source, a metre apart or less, are reached one after the other by no two sources so differently, in
/// seconds.
const STRAY_S: f64 = 0.003_5;
/// Sources that must reach both before that is asked.
const STRAY_FEW: usize = 5;

/// Takes a microphone away from a source that it does not stand at: latency or not, the others would reach it and the home one
/// after the other always alike, and its own would reach it first of all.
fn strays(rows: &mut [Row], roles: &[Role], rate: SampleRate) {
    for i in 0..rows.len() {
        let home = rows[i].home;
        let stray = |m: &usize| {
            let lag = |r: &Row, m: usize| if m == r.home { Some(0.0) } else { r.cells[m].lag_frames };
            let mut apart: Vec<f64> = rows.iter().filter_map(|r| Some(lag(r, *m)? - lag(r, home)?)).collect();
            apart.sort_by(f64::total_cmp);
            // One of four at either end may be wrong, and one in any case.
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

/// A near microphone that hears a source so much before its home does, in seconds, stands nearer to it.
const BEFORE_HOME_S: f64 = 0.000_1;

/// Where another near microphone hears a source before its home does, latencies taken out, that home is not the source's own
/// microphone, and nothing in the row is sure to be what its name says.
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

/// Lags closer than this, in seconds, are one and the same.
const ECHO_S: f64 = 0.000_025;
/// Cells of a row that must repeat another source before any is believed to.
const FEW: usize = 2;
/// As part of those that can be compared.
const ECHOING: f64 = 0.2;

/// Where a source is played over by another one, some of its cells tell the arrivals of that one, seen from this one's home.
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

/// A lag that lies so far from where its source and microphone stand, in seconds, is a reflection or another source.
const OFF_S: f64 = 0.001;
/// So many standard deviations of what the others say must lie between.
const SIGMAS: f64 = 5.0;
/// An alternative this close to it is the direct sound.
const FITS_S: f64 = 0.000_5;

/// With this coherence a microphone at a source hears that source and nothing else: no place of others speaks against it.
const OWN_COHERENCE: f64 = 0.9;

/// Arrivals in one microphone are off by the same when they are within this of one another, in seconds, and so many are
/// together no chance.
const ALIKE_S: f64 = 0.001;
const MANY_ALIKE: usize = 3;

/// By how many frames arrivals are off what is expected, for every microphone.
fn beyond(rows: &[Row], placed: &Placed) -> Vec<Vec<f64>> {
    let mics = rows.first().map_or(0, |r| r.cells.len());
    let off = |m: usize| {
        let both = rows.iter().zip(&placed.expected);
        both.filter_map(move |(row, expected)| Some(row.cells[m].lag_frames? - expected[m]?.0)).collect()
    };
    (0..mics).map(off).collect()
}

/// Compares every lag with the place that all others give its source and microphone; a second time only what is still called
/// solid. True when a cell was changed.
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
                    // By a wall or by a fault: what arrives is this source all the same.
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

/// Of several peaks alike, takes the only one that lies where all others let expect it.
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
