//! Late by a fault or by distance, on tables made from geometry.

mod common;

use common::stage::{Stage, track};
use marea_core::decide::{Check, Kind, Severity, Side, decide};
use marea_core::measure::Verdict;
use marea_core::measure::session::Role;

fn kinds(c: &Check) -> Vec<(Kind, usize)> {
    c.findings.iter().map(|f| (f.kind, f.tracks[0])).collect()
}

/// Latency against geometry: the bleed both ways gives it without knowing any place. Near microphones stand 25 cm from their
/// sources; that leaves up to 0.4 ms unsure.
#[test]
fn latency_is_told_from_distance() {
    for seed in 0..12 {
        let mut s = Stage::new(6, seed);
        let late = 60.0 + 45.0 * seed as f64;
        s.late[2] = late;
        let c = s.check();
        assert_eq!(kinds(&c), vec![(Kind::Late, 2)], "seed {seed}: {:?}", c.findings);
        assert!((c.tracks[2].latency_frames - late).abs() < 19.2, "{} instead of {late}", c.tracks[2].latency_frames);
        assert_eq!(c.findings[0].severity, Severity::Fault);
    }
}

/// Late without doubt, but by an amount that nothing pins down: it is said as undecided, and nothing is moved.
#[test]
fn a_latency_of_unknown_amount_is_said_and_not_taken_out() {
    let stage = Stage::new(5, 2);
    let mut table = stage.table();
    let mut late = table.late[1].unwrap();
    (late.frames, late.worth, late.clear, late.sources) = (300.0, 60.0, 3, 4);
    for (sigma, clear, sources, told) in [(8.0, 3, 4, true), (30.0, 3, 4, false), (8.0, 0, 1, false), (8.0, 1, 1, true)]
    {
        (late.sigma_frames, late.clear, late.sources) = (sigma, clear, sources);
        table.late[1] = Some(late);
        let c = decide(&table, &stage.tracks);
        let finding = c.findings.iter().find(|f| f.tracks[0] == 1).expect("something is said");
        assert_eq!(finding.verdict > Verdict::Undecided, told, "{finding:?}");
        assert_eq!((c.tracks[1].latency_frames != 0.0, finding.proposals.is_empty()), (told, !told));
        assert_eq!(finding.kind, Kind::Late);
    }
}

/// Two microphones at one source stand no metre apart: when one hears that source five milliseconds after the other, little
/// else has to reach it for a latency to be told, and it is told of the right one.
#[test]
fn a_neighbour_at_the_source_bears_a_latency_out() {
    for (seed, late) in [(3u64, 260.0f64), (4, 340.0), (5, 0.0)] {
        let mut stage = Stage::new(5, seed);
        let (p, second) = (stage.sources[0], stage.mics.len());
        stage.mics.push([p[0] - 0.15, p[1] + 0.1, p[2] + 0.1]);
        stage.tracks.push(track("near 0 second".into(), Role::Near, "source 0", Side::None, None));
        (stage.wired.push(1), stage.placed.push(1), stage.late.push(late));
        let mut rows = stage.table().rows;
        rows[0].members.push(second);
        for row in &mut rows[1..] {
            row.cells[second].verdict = Verdict::Likely;
        }
        // Two of the others do not reach it at all.
        for row in &mut rows[3..] {
            (row.cells[second].lag_frames, row.cells[second].verdict) = (None, Verdict::Undecided);
        }
        let table = stage.found(rows);
        let check = decide(&table, &stage.tracks);
        let told: Vec<_> = check.findings.iter().filter(|f| matches!(f.kind, Kind::Late | Kind::Early)).collect();
        if late == 0.0 {
            assert!(told.is_empty(), "{told:?}");
            continue;
        }
        let beside = table.late[second].unwrap().beside_frames.unwrap();
        assert!((beside - late).abs() < 60.0, "{beside}");
        assert_eq!(told.iter().map(|f| f.tracks[0]).collect::<Vec<_>>(), [second], "seed {seed}");
        let found = check.tracks[second].latency_frames;
        assert!((found - late).abs() < 19.2, "seed {seed}: {found} for {late}");
    }
}

/// Its own source did not reach the second one clearly, and the first may be late itself: four others that reach both, from
/// either side, tell how late each of them is.
#[test]
fn neighbours_that_are_both_late_are_told_apart() {
    for (seed, first, late) in [(3u64, 0.0f64, 398.0f64), (6, 102.0, 262.0), (11, 0.0, 150.0)] {
        let mut stage = Stage::new(5, seed);
        let (p, home, second) = (stage.sources[2], 2, stage.mics.len());
        stage.mics.push([p[0] - 0.15, p[1] + 0.1, p[2] + 0.1]);
        stage.tracks.push(track("near 2 second".into(), Role::Near, "source 2", Side::None, None));
        (stage.wired.push(1), stage.placed.push(1), stage.late.push(late));
        stage.late[home] = first;
        let mut rows = stage.table().rows;
        rows[2].members.push(second);
        (rows[2].cells[second].lag_frames, rows[2].cells[second].verdict) = (None, Verdict::Undecided);
        for row in [1, 3] {
            rows[row].cells[second].verdict = Verdict::Likely;
        }
        let table = stage.found(rows);
        let beside = table.late[second].unwrap().beside_frames.unwrap();
        assert!((beside - late).abs() < 60.0, "seed {seed}: {beside}");
        let check = decide(&table, &stage.tracks);
        for (m, late) in [(home, first), (second, late)] {
            let found = check.tracks[m].latency_frames;
            assert!((found - late).abs() < 19.2, "seed {seed}: {found} for {late} of {m}, {:?}", table.late[m]);
        }
    }
}
