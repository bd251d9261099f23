//! Places, latencies and who stands where, on sessions made from geometry: the truth is known to the micrometre.

mod common;

use common::rate;
use common::stage::{RATE, Stage, solid, track};
use marea_core::decide::decide;
use marea_core::decide::kind::Kind;
use marea_core::measure::arrival::{Alternative, Row};
use marea_core::measure::places::place;
use marea_core::measure::table::regroup::regroup;
use marea_core::measure::table::settle::settle;
use marea_core::track::Role;
use marea_core::track::Side;
use marea_core::verdict::Verdict;

fn likely(row: &mut Row, mic: usize) {
    row.cells[mic].verdict = Verdict::Likely;
}

/// A lag that was left out is told by all others, as well as it says.
#[test]
fn what_all_others_let_expect_is_where_it_was() {
    for seed in 0..10 {
        let s = Stage::new(6, seed);
        let mut rows = s.table().rows;
        let truth = rows[1].cells[4].lag_frames.unwrap();
        rows[1].cells[4].undecide("left out");
        let placed = place(&rows, &s.roles(), rate().into(), &[], None).unwrap();
        let (expected, sigma) = placed.expected[1][4].unwrap();
        let off = (expected - truth).abs();
        assert!(off < 4.0 * sigma.max(3.0) && off < 0.001 * RATE, "seed {seed}: {expected} ± {sigma}, was {truth}");
    }
}

#[test]
fn two_of_six_late_are_both_found_and_nobody_else() {
    for seed in 0..12 {
        let mut s = Stage::new(6, seed);
        let truth = [(1, 130.0), (4, 420.0 - 20.0 * seed as f64)];
        truth.iter().for_each(|(m, l)| s.late[*m] = *l);
        let c = s.check();
        let mut found: Vec<usize> =
            c.findings.iter().filter(|f| f.kind == Kind::Late).map(|f| f.about.tracks[0]).collect();
        found.sort_unstable();
        assert_eq!(found, [1, 4], "seed {seed}");
        for (m, late) in truth {
            assert!((c.tracks[m].latency_frames - late).abs() < 19.2, "seed {seed}: {}", c.tracks[m].latency_frames);
        }
    }
}

/// A microphone that faces a wall hears all others by way of it: later than straight, all alike, and none of them clearly.
#[test]
fn what_comes_round_by_a_wall_is_no_latency() {
    for (seed, round) in (0..12).flat_map(|seed| [(seed, 350.0), (seed, 415.0), (seed, 780.0)]) {
        let s = Stage::new(6, seed);
        let mut rows = s.table().rows;
        for row in rows.iter_mut().filter(|r| r.home != 2) {
            row.cells[2].lag_frames = row.cells[2].lag_frames.map(|l| l + round);
            likely(row, 2);
        }
        let c = decide(&s.found(rows), &s.tracks);
        assert!(c.findings.iter().all(|f| f.kind != Kind::Late), "seed {seed}: {}", c.findings[0].text);
        assert_eq!(c.tracks[2].latency_frames, 0.0);
    }
}

/// Sound takes as long one way as the other. With three sources no place speaks against a wall on one of the ways; the other way
/// does. A latency is no wall: it is taken out first.
#[test]
fn what_takes_longer_than_the_other_way_round_is_not_solid() {
    for seed in 0..6 {
        let mut s = Stage::new(3, seed);
        let mut rows = s.table().rows;
        let lag = rows[0].cells[2].lag_frames.unwrap();
        rows[0].cells[2].lag_frames = Some(lag + 160.0);
        settle(&mut rows, &s.roles(), rate().into());
        assert!(rows[0].cells[2].verdict < Verdict::Solid, "seed {seed}: {}", rows[0].cells[2].reason);
        assert_eq!(rows[2].cells[0].verdict, Verdict::Solid, "the other way stays");
        s = Stage::new(6, seed);
        s.late[2] = 400.0;
        let mut rows = s.table().rows;
        settle(&mut rows, &s.roles(), rate().into());
        assert!(rows.iter().flat_map(|r| &r.cells).all(|c| c.verdict == Verdict::Solid), "seed {seed}");
    }
}

/// Both microphones at a source late by much the same: neither bears the other out, and only both together explain what all
/// others say.
#[test]
fn two_at_one_source_that_are_both_late_are_found_together() {
    for seed in 0..6 {
        let mut s = Stage::new(6, seed);
        let (p, second) = (s.sources[2], s.mics.len());
        s.mics.push([p[0] + 0.2, p[1] - 0.15, p[2] + 0.1]);
        s.tracks.push(track("near 2 second".into(), Role::Near, "source 2", Side::None, None));
        s.wired.push(1);
        s.placed.push(1);
        s.late.push(154.0);
        s.late[2] = 129.0;
        let mut rows = s.table().rows;
        rows[2].members.push(second);
        let late = s.found(rows).late;
        for (m, true_one) in [(2, 129.0), (second, 154.0), (1, 0.0), (3, 0.0)] {
            let off = late[m].unwrap().frames - true_one;
            assert!(off.abs() < 19.2, "seed {seed}, microphone {m}: off by {off:.1} frames");
        }
    }
}

/// Arrivals that are off by as much in one microphone, late or by a wall, are their sources' all the same: they stay likely. One
/// that is off by itself is taken back.
#[test]
fn what_is_off_alike_in_one_microphone_stays_likely() {
    let s = Stage::new(7, 2);
    let mut rows = s.table().rows;
    for row in rows.iter_mut().filter(|r| r.home != 2) {
        row.cells[2].lag_frames = row.cells[2].lag_frames.map(|l| l + if row.home == 5 { 900.0 } else { 415.0 });
        likely(row, 2);
    }
    settle(&mut rows, &s.roles(), rate().into());
    let stay = rows.iter().filter(|r| r.home != 2 && r.cells[2].verdict == Verdict::Likely).count();
    assert!(stay >= 3, "only {stay} stay");
    assert_eq!(rows[5].cells[2].verdict, Verdict::Undecided, "{}", rows[5].cells[2].reason);
}

#[test]
fn a_reflection_gives_way_to_the_peak_that_fits() {
    let s = Stage::new(6, 3);
    let mut rows = s.table().rows;
    let truth = rows[0].cells[3].lag_frames.unwrap();
    let wall = Alternative { lag_frames: truth + 300.0, sign: -1, part: 1.0 };
    rows[0].cells[3].take(wall, "strongest");
    rows[0].cells[3].alternatives = vec![Alternative { lag_frames: truth, sign: 1, part: 0.6 }];
    // Nothing else to choose from.
    let later = rows[4].cells[1].lag_frames.unwrap() + 400.0;
    rows[4].cells[1].lag_frames = Some(later);
    likely(&mut rows[4], 1);
    settle(&mut rows, &s.roles(), rate().into());
    assert_eq!((rows[0].cells[3].lag_frames, rows[0].cells[3].sign), (Some(truth), 1), "{}", rows[0].cells[3].reason);
    assert_eq!(rows[4].cells[1].lag_frames, None, "{}", rows[4].cells[1].reason);
    assert!(rows[4].cells[1].alternatives.iter().any(|a| a.lag_frames == later), "what was refused can still be seen");
}

#[test]
fn of_peaks_alike_the_one_that_fits_is_taken_and_never_called_solid() {
    let s = Stage::new(6, 5);
    let mut rows = s.table().rows;
    let truth = rows[2].cells[5].lag_frames.unwrap();
    rows[2].cells[5].undecide("two lags fit alike");
    rows[2].cells[5].alternatives.push(Alternative { lag_frames: truth + 250.0, sign: -1, part: 0.95 });
    settle(&mut rows, &s.roles(), rate().into());
    assert_eq!((rows[2].cells[5].lag_frames, rows[2].cells[5].verdict), (Some(truth), Verdict::Likely));
}

/// Where another source plays over one, some cells tell that other's arrivals.
#[test]
fn cells_that_repeat_another_source_are_not_believed() {
    let s = Stage::new(6, 7);
    let mut rows = s.table().rows;
    let shift = rows[3].cells[rows[0].home].lag_frames.unwrap();
    for m in [1, 2, 6, 7] {
        rows[0].cells[m].lag_frames = Some(rows[3].cells[m].lag_frames.unwrap() - shift);
    }
    settle(&mut rows, &s.roles(), rate().into());
    for m in [1, 2, 6, 7] {
        assert_eq!(rows[0].cells[m].lag_frames, None, "{}", rows[0].cells[m].reason);
    }
    assert!(rows[0].cells[4].lag_frames.is_some(), "the others stay");
    assert!(rows[3].cells[1].lag_frames.is_some(), "and the source that played over it");
}

#[test]
fn a_row_that_repeats_another_source_goes() {
    let s = Stage::new(5, 2);
    let mut rows = s.table().rows;
    let near: Vec<bool> = s.roles().iter().map(|r| *r == Role::Near).collect();
    assert_eq!(regroup(&rows, &near, |_, _| None, rate()).gone, Vec::<usize>::new());
    // What microphone 4 took for its source was source 1.
    let shift = rows[1].cells[4].lag_frames.unwrap();
    for m in (0..rows[4].cells.len()).filter(|m| *m != 4) {
        rows[4].cells[m].lag_frames = Some(rows[1].cells[m].lag_frames.unwrap() - shift);
    }
    assert_eq!(regroup(&rows, &near, |_, _| None, rate()).gone, [4]);
}

/// A second microphone at a source, late and without a row of its own, hears all as the first does, only later.
#[test]
fn a_microphone_without_a_row_joins_its_neighbour_unless_named_otherwise() {
    let s = Stage::new(5, 4);
    let mut rows = s.table().rows;
    rows.truncate(4);
    for row in &mut rows {
        let beside = row.cells[2].lag_frames.unwrap();
        let own = row.home == 2;
        row.cells[4] = if own { solid(beside + 500.0, 1, 0.6) } else { solid(beside + 509.0, 1, 0.05) };
    }
    let near: Vec<bool> = s.roles().iter().map(|r| *r == Role::Near).collect();
    let found = regroup(&rows, &near, |_, _| None, rate());
    assert_eq!((found.sets, found.gone), (vec![vec![2, 4]], vec![2]));
    let named = |same: bool| move |a: usize, b: usize| (a.min(b) == 2 && a.max(b) == 4).then_some(same);
    assert!(regroup(&rows, &near, named(false), rate()).sets.is_empty(), "a name is believed");
    // Where much else is as loud there, the name decides, and without one nothing does.
    for row in rows.iter_mut().filter(|r| r.home != 2) {
        row.cells[4] = solid(row.cells[4].lag_frames.unwrap(), 1, 0.5);
    }
    assert!(regroup(&rows, &near, |_, _| None, rate()).sets.is_empty());
    assert_eq!(regroup(&rows, &near, named(true), rate()).sets, [[2, 4]]);
}

/// Distances from 4 cm to half a metre: levels tell them apart, so that latency is not put down to a distance; also where
/// microphones take less from the side, so that all others seem further away.
#[test]
fn levels_tell_a_close_microphone_from_a_late_one() {
    for (seed, pattern) in (0..8).flat_map(|seed| [(seed, 0.0), (seed, 0.5)]) {
        let mut s = Stage::new(6, seed);
        s.patterns = vec![pattern; 6];
        for (i, far) in [0.04, 0.3, 0.08, 0.5, 0.15, 0.22].into_iter().enumerate() {
            let (p, m) = (s.sources[i], s.mics[i]);
            let was = (0..3).map(|a| (m[a] - p[a]).powi(2)).sum::<f64>().sqrt();
            s.mics[i] = [0, 1, 2].map(|a| p[a] + (m[a] - p[a]) * far / was);
        }
        s.late[0] = 150.0;
        s.late[3] = 210.0;
        let late = s.table().late;
        for (m, late) in late.iter().enumerate().take(6) {
            let off = late.unwrap().frames - s.late[m];
            // The few centimetres that levels leave open are the floor: 0.3 ms at most.
            assert!(off.abs() < 14.4, "seed {seed}, microphone {m}: off by {off:.1} frames");
        }
    }
}

/// In a large session the search begins from few sides; what is late is found all the same.
#[test]
fn in_a_crowd_of_forty_the_late_ones_are_found() {
    let mut s = Stage::new(36, 3);
    s.late[5] = 160.0;
    s.late[20] = 333.0;
    let late = s.table().late;
    for (m, late) in late.iter().enumerate().take(36) {
        let off = late.unwrap().frames - s.late[m];
        assert!(off.abs() < 19.2, "microphone {m}: off by {off:.1} frames");
    }
}

/// A source that a neighbour hears before the microphone it was put down to has none of its own.
#[test]
fn a_source_heard_elsewhere_first_is_a_stranger_and_nothing_of_it_is_solid() {
    let s = Stage::new(6, 4);
    let mut rows = s.table().rows;
    // Seen from the fourth microphone, somebody stands beside the third.
    let of_third = rows[2].cells.clone();
    let lag = |m: usize| of_third[m].lag_frames.unwrap();
    for (m, cell) in rows[3].cells.iter_mut().enumerate() {
        *cell = solid(lag(m) - lag(3) + 3.0, 1, f64::from(of_third[m].bands[0].re / of_third[3].bands[0].re));
    }
    rows.remove(2);
    settle(&mut rows, &s.roles(), rate().into());
    let row = rows.iter().find(|r| r.home == 3).unwrap();
    assert!(!row.own_mic, "the third microphone hears it first");
    assert!(row.cells.iter().enumerate().all(|(m, c)| m == 3 || c.verdict < Verdict::Solid));
    assert!(rows.iter().filter(|r| r.home != 3).all(|r| r.own_mic));
}

/// A microphone said to stand at one source while another one reaches it much sooner does not stand there; one that all reach as
/// its neighbour, only later, does, however late it is.
#[test]
fn a_microphone_is_taken_from_a_source_it_does_not_stand_at() {
    for seed in 0..6 {
        let mut s = Stage::new(6, seed);
        let mut beside = |of: usize, late: f64| {
            let place = s.mics[of].map(|v| v + 0.1);
            s.mics.push(place);
            s.tracks.push(track("beside".into(), Role::Near, "source 1", Side::None, None));
            s.wired.push(1);
            s.placed.push(1);
            s.late.push(late);
            s.mics.len() - 1
        };
        let (true_one, stray) = (beside(1, 400.0), beside(4, 0.0));
        let mut rows = s.table().rows;
        rows[1].members = vec![1, true_one, stray];
        settle(&mut rows, &s.roles(), rate().into());
        let row = rows.iter().find(|r| r.home == 1).unwrap();
        assert_eq!(row.members, [1, true_one], "seed {seed}");
    }
}
