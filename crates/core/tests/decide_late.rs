//! Late by a fault or by distance, on tables made from geometry.

mod common;

use common::stage::{Stage, track};
use marea_core::decide::finding::Finding;
use marea_core::decide::kind::{Kind, Severity};
use marea_core::decide::{Check, decide};
use marea_core::track::Role;
use marea_core::track::Side;
use marea_core::units::{Air, Offset};
use marea_core::verdict::Verdict;

/// Without what all advice together does: every fault that is mended changes some octave.
fn kinds(c: &Check) -> Vec<(Kind, usize)> {
    c.findings.iter().filter(|f| f.kind != Kind::AdviceCosts).map(|f| (f.kind, f.about.tracks[0])).collect()
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
        let finding = c.findings.iter().find(|f| f.about.tracks[0] == 1).expect("something is said");
        assert_eq!(finding.verdict > Verdict::Undecided, told, "{finding:?}");
        assert_eq!((c.tracks[1].latency_frames != 0.0, finding.changes.is_empty()), (told, !told));
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
        stage.wired.push(1);
        stage.placed.push(1);
        stage.late.push(late);
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
        assert_eq!(told.iter().map(|f| f.about.tracks[0]).collect::<Vec<_>>(), [second], "seed {seed}");
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
        stage.wired.push(1);
        stage.placed.push(1);
        stage.late.push(late);
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

/// A second microphone that nothing else reaches and that hears its source metres after the first: said, never moved; not of
/// another take, and not of one that stands where two at one source do.
#[test]
fn a_second_microphone_far_behind_the_first_is_said_to_be_perhaps_late() {
    for (lag, named, told) in [(400.0, "source 0", true), (120.0, "source 0", false), (400.0, "source 0 take 2", false)]
    {
        let mut stage = Stage::new(5, 3);
        stage.tracks[0].source = if named.contains("take") { "source 0 take 1".into() } else { "source 0".into() };
        let (p, second) = (stage.sources[0], stage.mics.len());
        stage.mics.push([p[0] - 0.15, p[1] + 0.1, p[2] + 0.1]);
        stage.tracks.push(track("near 0 second".into(), Role::Near, named, Side::None, None));
        stage.wired.push(1);
        stage.placed.push(1);
        stage.late.push(lag);
        let mut table = stage.table();
        table.rows[0].members.push(second);
        table.rows[0].cells[second].coherence = 0.97;
        let late = table.late[second].as_mut().unwrap();
        (late.frames, late.worth, late.sources, late.clear) = (0.0, 0.0, 1, 0);
        let of_it =
            |c: &Check| c.findings.iter().find(|f| f.kind == Kind::Late && f.about.tracks[0] == second).cloned();
        let check = decide(&table, &stage.tracks);
        let finding = of_it(&check);
        assert_eq!(finding.is_some(), told, "{finding:?}");
        if let Some(f) = finding {
            assert_eq!((f.verdict, f.changes.len(), f.severity), (Verdict::Undecided, 0, Severity::Caution));
            assert!(f.text.contains("further away, or it is late"), "{}", f.text);
            // In colder air sound goes slower: the same lag is a shorter way.
            let metres = |f: &Finding| -> f64 {
                let (_, after) = f.text.split_once("stands ").unwrap();
                after.split(' ').next().unwrap().parse().unwrap()
            };
            table.air = Air::new(-20.0).unwrap();
            let colder = of_it(&decide(&table, &stage.tracks)).unwrap();
            assert_eq!((metres(&f), metres(&colder)), (2.8, 2.6), "8.2 ms at 343.2 and at 318.9 m/s");
            // Moved onto the first it is where somebody put it.
            stage.tracks[second].edit.placement.offset_frames = Offset(-lag);
            assert!(of_it(&decide(&table, &stage.tracks)).is_none());
        }
    }
}
