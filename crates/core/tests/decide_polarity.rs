//! Polarity on tables made from geometry: wiring, placement, and phases that turn.

mod common;

use common::stage::{Stage, solid, table, track};
use marea_core::decide::finding::{Finding, To};
use marea_core::decide::kind::Kind;
use marea_core::decide::{Check, Link, decide, solve};
use marea_core::dsp::bands::BANDS_HZ;
use marea_core::measure::arrival::{Row, empty};
use marea_core::track::Role;
use marea_core::track::Side;
use marea_core::units::SessionFrame;
use marea_core::verdict::Verdict;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// Kinds and first tracks, without what all advice together does: every fault that is mended changes some octave.
fn kinds(c: &Check) -> Vec<(Kind, usize)> {
    c.findings.iter().filter(|f| f.kind != Kind::AdviceCosts).map(|f| (f.kind, f.about.tracks[0])).collect()
}

/// Against trying every combination of all signs, microphones included.
#[test]
fn the_polarity_search_finds_what_exhaustive_search_finds() {
    let mut rng = ChaCha8Rng::seed_from_u64(5);
    for _ in 0..60 {
        let (rows, mics) = (rng.random_range(1..=4), rng.random_range(1..=6));
        let mut links = Vec::new();
        for row in 0..rows {
            for mic in 0..mics {
                if rng.random_bool(0.8) {
                    let sign = if rng.random_bool(0.5) { 1 } else { -1 };
                    links.push(Link { row, mic, sign, weight: rng.random_range(0.1..1.0) });
                }
            }
        }
        let value = |p: &dyn Fn(usize) -> i8, q: &dyn Fn(usize) -> i8| -> f64 {
            links.iter().map(|l| l.weight * f64::from(l.sign * p(l.mic) * q(l.row))).sum()
        };
        let bit = |bits: u32, i: usize| if bits >> i & 1 == 1 { -1 } else { 1 };
        let best = (0..1u32 << (rows + mics))
            .map(|bits| value(&|m| bit(bits, m), &|r| bit(bits, mics + r)))
            .fold(f64::NEG_INFINITY, f64::max);
        let s = solve(rows, mics, &links, None);
        assert!((value(&|m| s.mics[m], &|r| s.rows[r]) - best).abs() < 1e-9);
    }
}

#[test]
fn with_many_sources_planted_signs_come_back() {
    let mut rng = ChaCha8Rng::seed_from_u64(9);
    let (rows, mics) = (24, 40);
    let planted: Vec<i8> = (0..mics).map(|m| if m % 9 == 4 { -1 } else { 1 }).collect();
    let sources: Vec<i8> = (0..rows).map(|_| if rng.random_bool(0.5) { 1 } else { -1 }).collect();
    let mut links = Vec::new();
    for row in 0..rows {
        for mic in 0..mics {
            let wrong = if rng.random_bool(0.15) { -1 } else { 1 };
            links.push(Link { row, mic, sign: planted[mic] * sources[row] * wrong, weight: 1.0 });
        }
    }
    assert_eq!(solve(rows, mics, &links, None).mics, planted);
    let anchored = solve(rows, mics, &links, Some(4));
    assert!(
        anchored.mics.iter().zip(&planted).all(|(a, p)| *a == -p),
        "the anchor keeps its polarity, the rest follows"
    );
}

/// What the other sources only make probable is borne out by the microphone's own source, heard clearly elsewhere.
#[test]
fn wiring_is_told_from_two_faint_sources_where_its_own_bears_it_out() {
    let faint = |wired: i8, rest: &[i8]| {
        let mut s = Stage::new(5, 3);
        s.wired[1] = wired;
        let mut t = s.table();
        for (row, sign) in [0, 2, 3, 4].into_iter().zip(rest) {
            let cell = &mut t.rows[row].cells[1];
            match sign {
                0 => *cell = empty("too faint", true),
                sign => (cell.verdict, cell.sign) = (Verdict::Likely, *sign),
            }
        }
        decide(&t, &s.tracks)
    };
    let c = faint(-1, &[-1, -1, 0, 0]);
    assert_eq!(kinds(&c), [(Kind::WiredInverted, 1)]);
    assert_eq!((c.findings[0].verdict, c.tracks[1].invert), (Verdict::Likely, true));
    // One is enough where the microphone has its source to itself and three others hear that source turned over.
    let c = faint(-1, &[-1, 0, 0, 0]);
    assert_eq!((kinds(&c), c.findings[0].verdict), (vec![(Kind::WiredInverted, 1)], Verdict::Likely));
    // None, or two that contradict one another, are not: it is said, and nothing is turned over.
    for rest in [[0, 0, 0, 0], [-1, 1, 0, 0]] {
        let c = faint(-1, &rest);
        assert!(c.findings.iter().all(|f| f.kind != Kind::WiredInverted), "{rest:?}: {:?}", c.findings);
        assert!(!c.tracks[1].invert);
    }
    assert_eq!(kinds(&faint(1, &[1, 1, 0, 0])), [], "an upright one is left");
}

/// A source whose second microphone is wired inverted is no source that pushes one way and pulls the other: its sign elsewhere
/// counts in full.
#[test]
fn a_neighbour_wired_inverted_takes_nothing_from_its_source() {
    let mut s = Stage::new(4, 7);
    let second = s.mics[0].map(|v| v + 0.1);
    s.mics.insert(1, second);
    s.tracks.insert(1, track("near 0 again".into(), Role::Near, "source 0", Side::None, None));
    s.late.insert(1, 0.0);
    s.wired = vec![1; s.mics.len()];
    s.placed = vec![1; s.mics.len()];
    (s.wired[1], s.wired[4]) = (-1, -1);
    let mut t = s.found(s.rows_of(&[0, 2, 3, 4]));
    t.rows[0].members.push(1);
    // All others are faint in the other inverted one: three of them make it likely, if each counts as much.
    for row in 0..3 {
        t.rows[row].cells[4].verdict = Verdict::Likely;
    }
    for m in 0..s.mics.len() {
        if m != 4 {
            t.rows[3].cells[m].verdict = Verdict::Likely;
        }
    }
    let c = decide(&t, &s.tracks);
    let wired: Vec<usize> =
        c.findings.iter().filter(|f| f.kind == Kind::WiredInverted).map(|f| f.about.tracks[0]).collect();
    assert_eq!(wired, [1, 4]);
}

#[test]
fn wiring_is_told_from_placement_and_both_together_are_left() {
    let mut s = Stage::new(5, 3);
    (s.wired[1], s.placed[2]) = (-1, -1);
    (s.wired[3], s.placed[3]) = (-1, -1);
    s.wired[6] = -1;
    let c = s.check();
    let turned: Vec<usize> = (0..c.tracks.len()).filter(|m| c.tracks[*m].invert).collect();
    assert_eq!(turned, [1, 2, 6], "3 is wired inverted and opposed by placement: left as it is");
    let mut found = kinds(&c);
    found.sort_by_key(|f| f.1);
    let wired = Kind::WiredInverted;
    assert_eq!(found, [(wired, 1), (Kind::OpposedByPlacement, 2), (wired, 3), (wired, 6)]);
    let of = |m: usize| c.findings.iter().find(|f| f.about.tracks[0] == m).unwrap();
    // One outside a drum, whose phase turns, looks exactly like one that is both: never solid.
    assert_eq!([1, 2, 3, 6].map(|m| of(m).verdict == Verdict::Solid), [true, true, false, true]);
    assert!(of(3).changes.is_empty() && of(1).changes[0].to == To::Inverted(true));
    assert!(of(1).cost_db.is_some() && !of(1).effects.is_empty());
}

#[test]
fn one_source_alone_cannot_tell_wiring_from_placement() {
    let cells = vec![solid(0.0, 1, 1.0), solid(20.0, -1, 0.9)];
    let row = Row {
        home: 0,
        members: vec![0, 1],
        own_mic: true,
        hits: vec![SessionFrame(0); 20],
        strongest: 0,
        passages: Vec::new(),
        power: vec![1.0; BANDS_HZ.len()],
        cells,
    };
    let tracks = [0, 1].map(|i| track(format!("near {i}"), Role::Near, "drum", Side::None, None));
    let c = decide(&table(vec![row], 2), &tracks);
    assert_eq!(kinds(&c), [(Kind::Undecided, 1)]);
    assert!(c.findings[0].advice.contains("another player"), "{}", c.findings[0].advice);
}

/// A drum between two microphones pushes towards one and pulls from the other: what it says in a microphone elsewhere, which
/// may stand on either side of it, is no word against three faint players that agree.
#[test]
fn a_source_with_two_sides_says_little_of_microphones_elsewhere() {
    let mut stage = Stage::new(5, 8);
    let second = stage.mics.len();
    let drum = stage.sources[0];
    stage.mics.push(drum.map(|v| v - 0.1));
    stage.tracks.push(track("near 0 below".into(), Role::Near, "source 0", Side::None, None));
    stage.wired.push(1);
    stage.placed.push(1);
    stage.late.push(0.0);
    stage.wired[2] = -1;
    let mut table = stage.table();
    table.rows[0].members.push(second);
    table.rows[0].cells[second].sign = -1;
    // On the far side of the drum it arrives the other way round once more.
    table.rows[0].cells[2].sign = 1;
    for row in [1, 3, 4] {
        table.rows[row].cells[2].verdict = Verdict::Likely;
    }
    let c = decide(&table, &stage.tracks);
    assert!(c.findings.iter().any(|f| f.kind == Kind::WiredInverted && f.about.tracks[0] == 2), "{:?}", kinds(&c));
    assert!(c.tracks[2].invert);
}

/// A second microphone before source 0 whose phase turns at 500 Hz on its way: every attack the other way up, the lows as they are
/// (a first-order all-pass; Oppenheim & Schafer). `inverted`: wired so besides; `own`: its own source alone takes that way.
fn with_a_turning_one(seed: u64, inverted: bool, own: bool) -> (Check, usize) {
    let mut s = Stage::new(5, seed);
    let (p, m) = (s.sources[0], s.mics.len());
    s.mics.push([p[0] - 0.2, p[1] - 0.3, p[2]]);
    s.tracks.push(track("near 0 outside".into(), Role::Near, "source 0", Side::None, None));
    s.late.push(0.0);
    s.wired.push(if inverted { -1 } else { 1 });
    s.placed.push(1);
    let mut rows = s.rows_of(&[0, 1, 2, 3, 4]);
    rows[0].members.push(m);
    for (i, row) in rows.iter_mut().enumerate() {
        // A drum: half of the energy lies under 200 Hz.
        row.power.iter_mut().zip(BANDS_HZ).for_each(|(p, hz)| *p = if hz <= 200.0 { 3.0 } else { 1.0 });
        if own && i != 0 {
            continue;
        }
        let cell = &mut row.cells[m];
        cell.sign = -cell.sign;
        cell.bands.iter_mut().zip(BANDS_HZ).filter(|(_, hz)| *hz >= 500.0).for_each(|(b, _)| b.re = -b.re);
    }
    (decide(&s.found(rows), &s.tracks), m)
}

/// Never called wired inverted without doubt, and never inverted where that takes the lows out of its source's sum.
#[test]
fn a_phase_that_turns_is_no_wiring() {
    for seed in 0..12 {
        for inverted in [false, true] {
            let (c, m) = with_a_turning_one(seed, inverted, false);
            let about = |kind: Kind| c.findings.iter().find(|f| f.kind == kind && f.about.tracks[0] == m);
            let turns = about(Kind::PhaseTurns).unwrap_or_else(|| panic!("seed {seed}: {:?}", kinds(&c)));
            assert_eq!((turns.verdict, about(Kind::WiredInverted).is_some()), (Verdict::Solid, false), "seed {seed}");
            assert_eq!(c.tracks[m].invert, inverted, "seed {seed}: the lows decide");
            assert_eq!(turns.changes.is_empty(), !inverted);
            assert!(turns.text.contains("about 450 Hz"), "between the bands at 400 and 500 Hz: {}", turns.text);
        }
    }
}

/// On its own source alone: nothing is proposed that takes the lows away, and one that is wired inverted besides may be called so.
#[test]
fn a_phase_that_turns_for_one_source_keeps_its_lows() {
    for seed in 0..12 {
        for inverted in [false, true] {
            let (c, m) = with_a_turning_one(seed, inverted, true);
            assert_eq!(c.tracks[m].invert, inverted, "seed {seed}: {:?}", c.tracks[m].reason);
            let solid =
                |f: &&Finding| f.kind == Kind::WiredInverted && f.verdict == Verdict::Solid && f.about.tracks[0] == m;
            assert!(inverted || !c.findings.iter().any(|f| solid(&f)), "seed {seed}: {:?}", kinds(&c));
        }
    }
}
