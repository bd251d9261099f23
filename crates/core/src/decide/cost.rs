//! What a fault takes from a sum, and what correcting it does to every other sum.

use crate::decide::carried::as_carried;
use crate::decide::case::{Advice, Case, SourceOf};
use crate::decide::finding::{Change, Effect, Finding, Gain, To};
use crate::decide::kind::Kind;
use crate::dsp::bands::{BANDS_HZ, LOWS_HZ, LOWS_MATTER};
use crate::measure::arrival::{Row, Table};
use crate::units::db_of_power;
use crate::verdict::Verdict;
use std::f64::consts::{PI, TAU};

/// Changes of a sum smaller than this are left out, in dB.
const WORTH_DB: f64 = 0.3;
/// Tracks that differ by more than this in level do not cancel noticeably, in dB.
const APART_DB: f64 = 20.0;
/// Sums of lows that lose this much are reported, in dB.
const LOST_DB: f64 = -3.0;
/// A pair is reported when it loses this much in mono on half of the sources, and half of it on three quarters of them, in dB.
const WEAK_DB: f64 = -4.0;
/// An octave matters for the whole when it holds this part of the energy; and is worse when it loses this, in dB.
const OCTAVE_MATTERS: f64 = 0.1;
const WORSE_DB: f64 = 0.5;
/// Effects listed at most.
const MOST_EFFECTS: usize = 16;

/// The sum that gains most from a proposed correction.
pub struct Cost {
    /// Row it is heard on.
    pub row: usize,
    /// How much better the sum would be, over all bands.
    pub total_db: f64,
    /// By band.
    pub bands: Vec<Gain>,
}

/// A further change of a track: frames later, and inverted.
#[derive(Debug, Clone, Copy, Default)]
pub struct Move {
    /// Frames later than now.
    pub frames: f64,
    /// Inverted.
    pub inverted: bool,
}

/// Power of tracks on a row's source by third-octave: of their sum, and the sum of their powers.
///
/// `moved` gives track and move. The phase changes over the width of a band, which weakens the interference at long lags.
pub fn sum_gain(row: &Row, moved: &[(usize, Move)], rate_hz: f64) -> Option<Vec<[f64; 2]>> {
    if moved.iter().any(|(m, _)| row.cells[*m].bands.len() != BANDS_HZ.len() || row.cells[*m].lag_frames.is_none()) {
        return None;
    }
    let bands = BANDS_HZ.iter().enumerate().map(|(b, hz)| {
        let half = 10f64.powf(0.05);
        let wide = hz * (half - 1.0 / half);
        let part = |&(m, k): &(usize, Move)| {
            let cell = &row.cells[m];
            let sign = if k.inverted { -1.0 } else { 1.0 };
            let h = cell.bands[b];
            (f64::from(h.re) * sign, f64::from(h.im) * sign, (cell.lag_frames.unwrap_or(0.0) + k.frames) / rate_hz)
        };
        let parts: Vec<(f64, f64, f64)> = moved.iter().map(part).collect();
        let apart: f64 = parts.iter().map(|(re, im, _)| re * re + im * im).sum();
        let mut cross = 0.0;
        for (i, a) in parts.iter().enumerate() {
            for c in &parts[..i] {
                let tau = a.2 - c.2;
                let (re, im) = (a.0 * c.0 + a.1 * c.1, a.1 * c.0 - a.0 * c.1);
                let (sin, cos) = (TAU * hz * tau).sin_cos();
                let x = PI * wide * tau;
                let blur = if x.abs() < 1e-9 { 1.0 } else { x.sin() / x };
                cross += 2.0 * (re * cos + im * sin) * blur;
            }
        }
        let p = f64::from(row.power[b]);
        [((apart + cross) * p).max(0.0), apart * p]
    });
    Some(bands.collect())
}

/// Sum of all tracks on all sources by third-octave of [`BANDS_HZ`] against unrelated sounds, in dB. Tracks whose arrival is
/// undecided are left out of that source.
pub fn whole(table: &Table) -> Vec<f64> {
    sums(table).iter().map(|s| if s[1] > 0.0 { db(s[0], s[1]) } else { 0.0 }).collect()
}

/// Power of the sum of all tracks on all sources, and the sum of their powers, by third-octave.
fn sums(table: &Table) -> Vec<[f64; 2]> {
    let mut sums = vec![[0f64; 2]; BANDS_HZ.len()];
    for row in &table.rows {
        if row.power.len() != BANDS_HZ.len() {
            continue;
        }
        let heard = |m: &usize| row.cells[*m].lag_frames.is_some() && row.cells[*m].bands.len() == BANDS_HZ.len();
        let set: Vec<(usize, Move)> = (0..row.cells.len()).filter(heard).map(|m| (m, Move::default())).collect();
        let Some(bands) = sum_gain(row, &set, table.rate.hz_f64()) else { continue };
        // Sources count alike, however loud they play.
        let all: f64 = bands.iter().map(|b| b[1]).sum::<f64>().max(1e-30);
        sums.iter_mut().zip(&bands).for_each(|(s, b)| (s[0], s[1]) = (s[0] + b[0] / all, s[1] + b[1] / all));
    }
    sums
}

fn db(of: f64, against: f64) -> f64 {
    (100.0 * db_of_power(of.max(against * 1e-4) / against)).round() / 100.0
}

fn total(bands: &[[f64; 2]]) -> Option<f64> {
    let (sum, apart) = bands.iter().fold((0.0, 0.0), |t, b| (t.0 + b[0], t.1 + b[1]));
    (apart > 0.0).then(|| db(sum, apart))
}

/// By what the changes move a track from where it is.
fn move_of(case: &Case, track: usize, changes: &[Change]) -> Move {
    let now = &case.tracks[track].edit;
    let then = changes.iter().filter(|c| c.of == track).fold(now.clone(), |edit, c| c.to.on(&edit));
    Move { frames: (then.placement.offset_frames - now.placement.offset_frames).0, inverted: then.invert != now.invert }
}

/// The sum with another microphone that gains most from the changes.
pub fn cost_of(case: &Case, m: usize, changes: &[Change]) -> Option<Cost> {
    let all = every_sum(case, m, changes);
    let (row, other, ..) = all.into_iter().max_by(|a, b| (a.3 - a.2).total_cmp(&(b.3 - b.2)))?;
    let r = &case.table.rows[row];
    let change = |t: usize| move_of(case, t, changes);
    let now = sum_gain(r, &[(m, Move::default()), (other, Move::default())], case.rate_hz)?;
    let then = sum_gain(r, &[(m, change(m)), (other, change(other))], case.rate_hz)?;
    let most = now.iter().map(|b| b[1]).fold(0.0, f64::max);
    let bands = BANDS_HZ
        .iter()
        .zip(now.iter().zip(&then))
        .filter(|(_, (n, _))| n[1] > most * 1e-3)
        .map(|(hz, (n, t))| Gain { hz: *hz, now_db: db(n[0], n[1]), then_db: db(t[0], t[1]) })
        .collect();
    Some(Cost { row, total_db: (100.0 * (total(&then)? - total(&now)?)).round() / 100.0, bands })
}

/// For every other track the row on which both are heard best, and the level of their sum on it before and after, in dB.
fn every_sum(case: &Case, m: usize, changes: &[Change]) -> Vec<(usize, usize, f64, f64)> {
    let change = |t: usize| move_of(case, t, changes);
    (0..case.tracks.len())
        .filter(|o| *o != m)
        .filter_map(|o| {
            let heard = case.table.rows.iter().enumerate().filter_map(|(i, r)| {
                let (a, b) = (r.level(m), r.level(o));
                let close = a > 0.0 && b > 0.0 && db_of_power(a / b).abs() < APART_DB;
                close.then_some((i, a.min(b)))
            });
            let (i, _) = heard.max_by(|a, b| a.1.total_cmp(&b.1))?;
            let r = &case.table.rows[i];
            let now = total(&sum_gain(r, &[(m, Move::default()), (o, Move::default())], case.rate_hz)?)?;
            let then = total(&sum_gain(r, &[(m, change(m)), (o, change(o))], case.rate_hz)?)?;
            Some((i, o, now, then))
        })
        .collect()
}

/// What the changes do to the sum of each changed track with every other one, the largest differences first.
pub fn effects_of(case: &Case, changes: &[Change]) -> Vec<Effect> {
    let mut changed: Vec<usize> =
        changes.iter().filter(|c| matches!(c.to, To::Offset(_) | To::Inverted(_))).map(|c| c.of).collect();
    changed.dedup();
    let mut all: Vec<Effect> = changed
        .into_iter()
        .flat_map(|track| {
            every_sum(case, track, changes).into_iter().map(move |(row, other, before_db, after_db)| Effect {
                track,
                other,
                row,
                before_db,
                after_db,
            })
        })
        .filter(|e| (e.after_db - e.before_db).abs() >= WORTH_DB)
        .collect();
    all.sort_by(|a, b| (b.after_db - b.before_db).abs().total_cmp(&(a.after_db - a.before_db).abs()));
    all.truncate(MOST_EFFECTS);
    all
}

/// What all advice together would take from the sum of all tracks: told beforehand, wherever an octave that matters loses.
pub fn advice_costs(case: &Case, recorded: &Table, advice: &[Advice]) -> Option<Finding> {
    let mut advised = case.tracks.to_vec();
    for (track, a) in advised.iter_mut().zip(advice).filter(|(_, a)| a.verdict > Verdict::Undecided) {
        (track.edit.placement.offset_frames, track.edit.invert) = (a.offset_frames, a.invert);
    }
    let octaves = |table: &Table| -> Vec<[f64; 2]> {
        let add = |of: &[[f64; 2]]| of.iter().fold([0.0, 0.0], |t, s| [t[0] + s[0], t[1] + s[1]]);
        sums(table).chunks(3).map(add).collect()
    };
    let (now, then) = (octaves(case.table), octaves(&as_carried(recorded, &advised)));
    let all: f64 = now.iter().map(|o| o[1]).sum();
    let matters = |o: &[f64; 2]| all > 0.0 && o[1] >= all * OCTAVE_MATTERS;
    let lost = (now.iter().zip(&then).enumerate())
        .filter(|(_, (n, t))| matters(n) && t[1] > 0.0)
        .map(|(i, (n, t))| (BANDS_HZ[i * 3 + 1], db(n[0], n[1]), db(t[0], t[1])))
        .filter(|(_, n, t)| n - t > WORSE_DB)
        .max_by(|a, b| (a.1 - a.2).total_cmp(&(b.1 - b.2)))?;
    let changed: Vec<usize> = (0..advised.len()).filter(|m| advised[*m].edit != case.tracks[*m].edit).collect();
    let (hz, n, t) = lost;
    let text = format!(
        "With all advice taken, the sum of all tracks keeps {:.1} dB less about {hz} Hz than now ({n:+.1} → {t:+.1} dB against unrelated sounds).",
        n - t
    );
    let advice = "Take the advice track by track and listen, or leave what stands far from its source in its place.";
    Some(Finding::of_tracks(Kind::AdviceCosts, changed, text).verdict(Verdict::Likely).advice(advice))
}

/// Sums that stay poor even when all advice is taken: lows lost among a source's microphones, pairs weak in mono.
pub fn group_findings(case: &Case, advice: &[Advice], sources: &[SourceOf]) -> Vec<Finding> {
    let advised = |m: usize| {
        let k = case.tracks[m].edit.correction();
        let a = &advice[m];
        (m, Move { frames: (a.offset_frames - k.offset_frames).0, inverted: a.invert != k.invert })
    };
    // With an undecided member the sum is not known.
    let decided = |row: &Row| !row.members.iter().any(|m| advice[*m].verdict == Verdict::Undecided);
    let rows = case.table.rows.iter().enumerate().filter(|(_, row)| decided(row));
    let lows = rows.filter_map(|(i, row)| lows_lost(case, i, row, &sources[i].name, &advised));
    let pairs = crate::decide::sides::pairs(case).into_iter().filter_map(|pair| weak_in_mono(case, pair, &advised));
    lows.chain(pairs).collect()
}

fn lows_lost(
    case: &Case,
    i: usize,
    row: &Row,
    source: &str,
    advised: &dyn Fn(usize) -> (usize, Move),
) -> Option<Finding> {
    // Only microphones in air: the lows of an electrical pickup are the engineer's choice.
    let set: Vec<_> = row.members.iter().filter(|m| row.cells[**m].lag_frames.is_some()).map(|m| advised(*m)).collect();
    let bands = (set.len() > 1).then(|| sum_gain(row, &set, case.rate_hz)).flatten()?;
    let lows = BANDS_HZ.iter().take_while(|hz| **hz <= LOWS_HZ).count();
    let all: f64 = bands.iter().map(|b| b[1]).sum();
    let share: f64 = bands[..lows].iter().map(|b| b[1]).sum();
    let lost = total(&bands[..lows]).filter(|db| *db < LOST_DB && share > all * LOWS_MATTER)?;
    let names: Vec<&str> = row.members.iter().map(|m| case.label(*m)).collect();
    let text = format!(
        "{} take each other's lows away on {source}: the sum up to 200 Hz stays {:.1} dB under unrelated sounds.",
        names.join(" and "),
        -lost
    );
    Some(
        Finding::of_tracks(Kind::LowsLost, row.members.clone(), text)
            .on_source(i)
            .verdict(Verdict::Likely)
            .hits(row.hits.len())
            .advice("Compare both polarities by ear; where the lows are decides.")
            .cost(Some(-lost), Vec::new()),
    )
}

fn weak_in_mono(case: &Case, [l, r]: [usize; 2], advised: &dyn Fn(usize) -> (usize, Move)) -> Option<Finding> {
    let known = |row: &&Row| [l, r].iter().all(|m| row.cells[*m].verdict > Verdict::Undecided);
    let sum = |row: &Row| total(&sum_gain(row, &[advised(l), advised(r)], case.rate_hz)?);
    let mut sums: Vec<f64> = case.table.rows.iter().filter(known).filter_map(sum).collect();
    let n = sums.len();
    let usual = crate::dsp::stats::median(&mut sums).filter(|m| *m < WEAK_DB)?;
    // Spaced microphones lose some sources and not others: only a loss on nearly all of them is the pair's.
    if sums[(n - 1) * 3 / 4] > WEAK_DB / 2.0 {
        return None;
    }
    let text = format!(
        "{} and {} lose {:.1} dB in mono against unrelated sounds, half of the {n} sources even more.",
        case.label(l),
        case.label(r),
        -usual
    );
    Some(
        Finding::of_tracks(Kind::WeakInMono, [l, r], text)
            .verdict(if n >= 3 { Verdict::Solid } else { Verdict::Likely })
            .hits(n)
            .advice("Listen in mono before anything is inverted.")
            .cost(Some(-usual), Vec::new()),
    )
}
