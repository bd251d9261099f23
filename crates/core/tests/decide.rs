//! The rules on tables made from geometry: places give lags, wiring and placement give signs.

mod common;

use common::stage::{RATE, Stage, solid, table, track};
use marea_core::decide::finding::{Change, Finding, To};
use marea_core::decide::kind::Kind;
use marea_core::decide::{Check, Move, as_carried, decide, sum_gain, whole};
use marea_core::dsp::bands::BANDS_HZ;
use marea_core::edit::Edit;
use marea_core::edit::map::TimeMap;
use marea_core::edit::slice::Cut;
use marea_core::measure::arrival::Copied;
use marea_core::measure::arrival::Facts;
use marea_core::measure::arrival::{Row, empty};
use marea_core::track::Role;
use marea_core::track::{Policy, Side};
use marea_core::units::{Offset, SessionFrame};
use marea_core::verdict::Verdict;

/// Kinds and first tracks, without what all advice together does: every fault that is mended changes some octave.
fn kinds(c: &Check) -> Vec<(Kind, usize)> {
    c.findings.iter().filter(|f| f.kind != Kind::AdviceCosts).map(|f| (f.kind, f.about.tracks[0])).collect()
}

#[test]
fn a_clean_stage_yields_nothing() {
    for seed in 0..20 {
        for count in 3..8 {
            let c = Stage::new(count, seed).check();
            assert_eq!(kinds(&c), vec![], "seed {seed}, {count} sources: {:?}", c.findings.first().map(|f| &f.text));
            assert!(c.tracks.iter().all(|t| t.offset_frames.0 == 0.0 && !t.invert));
        }
    }
}

#[test]
fn crossed_pairs_are_found_and_exchanged() {
    let mut s = Stage::new(5, 4);
    s.mics.swap(7, 8);
    let c = s.check();
    // Of two pairs that contradict each other nobody can know which is exchanged: it is asked.
    assert_eq!((c.swapped_pairs.len(), kinds(&c)), (0, vec![(Kind::PairsContradict, 5)]));
    let f = &c.findings[0];
    assert_eq!((f.about.tracks.as_slice(), f.changes.len(), f.verdict), (&[5, 6, 7, 8][..], 0, Verdict::Solid));
    let question = f.question.clone().unwrap();
    let home = question.answers[0].changes[0].of;
    for answer in question.answers {
        let [Change { of, to: To::Side(side) }] = answer.changes[..] else { panic!("{answer:?}") };
        assert_eq!((of, side.word()), (home, answer.text.as_str()));
        let mut s = Stage { mics: s.mics.clone(), tracks: s.tracks.clone(), ..Stage::new(5, 4) };
        s.tracks[home].side = side;
        let c = s.check();
        // The stage has the truth: the main pair stands as named, and so the room pair is exchanged where the answer is true.
        let truly = if s.mics[home][0] < s.mics[5][0].midpoint(s.mics[6][0]) { Side::Left } else { Side::Right };
        assert_eq!(c.swapped_pairs, [if side == truly { [7, 8] } else { [5, 6] }]);
        assert_eq!(kinds(&c), [(Kind::PairSwapped, c.swapped_pairs[0][0])]);
        for c in &c.findings[0].changes {
            let To::Side(side) = c.to else { panic!("{c:?}") };
            s.tracks[c.of].side = side;
        }
        assert_eq!(kinds(&s.check()), []);
    }
    // Named sides outweigh the other pair.
    let mut s = Stage::new(5, 4);
    s.mics.swap(5, 6);
    s.tracks[0].side = Side::Left;
    s.tracks[1].side = Side::Left;
    s.tracks[4].side = Side::Right;
    assert_eq!(s.check().swapped_pairs, [[5, 6]]);
}

#[test]
fn what_is_accepted_is_agreed_as_corrected() {
    let mut s = Stage::new(6, 8);
    (s.wired[1], s.placed[2], s.late[4]) = (-1, -1, 300.0);
    let before = s.check();
    assert_eq!(kinds(&before).len(), 3);
    for c in before.findings.iter().flat_map(|f| &f.changes) {
        s.tracks[c.of].edit = c.to.on(&s.tracks[c.of].edit);
    }
    assert_eq!(kinds(&s.check()), [], "{:?}", s.check().findings.first().map(|f| &f.text));
    // A correction that is wrong is a finding of its own.
    s.tracks[0].edit.invert = true;
    assert_eq!(kinds(&s.check()), [(Kind::WiredInverted, 0)]);
}

#[test]
fn policies_say_what_is_moved_and_why() {
    let mut s = Stage::new(4, 2);
    let second = [s.sources[0][0] - 0.3, s.sources[0][1] - 0.2, s.sources[0][2]];
    let main = s.mics.len() - 4;
    s.mics.push(second);
    s.late.push(0.0);
    s.wired.push(1);
    s.placed.push(1);
    s.tracks.push(track("near 0 second".into(), Role::Near, "source 0", Side::None, None));
    let extra = s.mics.len() - 1;
    let mut t = s.table();
    t.rows[0].members.push(extra);
    let lag = t.rows[0].cells[extra].lag_frames.unwrap();
    let c = decide(&t, &s.tracks);
    assert!((c.tracks[extra].offset_frames.0 + lag).abs() < 0.06, "aligned to the first to hear it");
    assert_eq!((c.tracks[main].policy, c.tracks[main].offset_frames.0), (Policy::KeepDistance, 0.0));
    assert!(c.tracks[main].reason.contains("keeps its distance"));
    s.tracks[extra].policy = Some(Policy::Leave);
    s.tracks[main].policy = Some(Policy::BringIn);
    s.tracks[main + 1].policy = Some(Policy::BringIn);
    let c = decide(&t, &s.tracks);
    assert_eq!(c.tracks[extra].offset_frames.0, 0.0);
    let first =
        t.rows.iter().flat_map(|r| [main, main + 1].map(|m| r.cells[m].lag_frames.unwrap())).fold(f64::MAX, f64::min);
    for m in [main, main + 1] {
        assert!((c.tracks[m].offset_frames.0 + first).abs() < 0.06, "the pair moves as a set");
    }
}

/// Fifty milliseconds are no distance between two microphones at one source: whatever it is, it is not moved as one; and what
/// meets nobody is told but for takes of their own, and channels of a recording that is met.
#[test]
fn what_cannot_be_distance_is_not_moved_as_distance() {
    let mut s = Stage::new(4, 2);
    let extra = s.mics.len();
    s.mics.push(s.mics[0].map(|v| v - 0.2));
    s.late.push(0.0);
    s.wired.push(1);
    s.placed.push(1);
    s.tracks.push(track("another take".into(), Role::Near, "source 0", Side::None, None));
    let mut t = s.table();
    t.rows[0].members.push(extra);
    t.rows[0].cells[extra].lag_frames = Some(2_400.0);
    for row in &mut t.rows[1..] {
        row.cells[extra] = empty("too faint", true);
    }
    t.late[extra] = None;
    let c = decide(&t, &s.tracks);
    assert_eq!((c.tracks[extra].offset_frames.0, c.tracks[extra].verdict), (0.0, Verdict::Undecided));
    assert!(c.tracks[extra].reason.contains("too many for two microphones"), "{}", c.tracks[extra].reason);
    t.rows[0].members.pop();
    t.rows[0].cells[extra] = empty("too faint", true);
    let unrelated = |tracks: &[_]| decide(&t, tracks).findings.iter().any(|f| f.kind == Kind::Unrelated);
    assert!(unrelated(&s.tracks));
    s.tracks[extra].source = "Source 0 take 2".into();
    assert!(unrelated(&s.tracks), "all may be of one take");
    s.tracks[0].source = "source 0 take 1".into();
    assert!(!unrelated(&s.tracks), "a take of its own");
    (s.tracks[extra].source, s.tracks[extra].set, s.tracks[0].set) = ("source 0".into(), Some(7), Some(7));
    assert!(unrelated(&s.tracks), "half of a pair");
    s.tracks[1].set = Some(7);
    assert!(!unrelated(&s.tracks), "one of many channels that are met");
}

#[test]
fn plain_faults_are_told() {
    let s = Stage::new(4, 1);
    let mut t = s.table();
    t.facts[0].clipped = 7;
    t.facts[1].offset = 0.02;
    t.facts[2].loud_db = -70.0;
    t.facts[2].floor_db = -120.0;
    t.facts[3] = Facts { frames: 480_000, loud_db: -200.0, floor_db: -200.0, ..Facts::default() };
    t.facts[4].frames = 240_000;
    t.facts[6].floor_db = -32.0;
    // As quiet as that, but of changing level: music that never pauses.
    (t.facts[7].floor_db, t.facts[7].floor_spread_db) = (-32.0, 4.0);
    t.speeds[5] = Some(48.0 / 44.1);
    t.shift[7] = 96_000;
    t.copies.push(Copied { a: 4, b: 5, lag_frames: 0, gain_db: 0.0, inverted: false });
    let mut found = kinds(&decide(&t, &s.tracks));
    found.sort_by_key(|(k, m)| (*m, format!("{k:?}")));
    assert_eq!(
        found,
        [
            (Kind::Clipped, 0),
            (Kind::DcOffset, 1),
            (Kind::TooQuiet, 2),
            (Kind::Dead, 3),
            (Kind::LengthsDiffer, 4),
            (Kind::CopiedChannel, 5),
            (Kind::WrongRate, 5),
            (Kind::Noisy, 6),
            (Kind::Late, 7),
        ]
    );
}

/// A place far off in time is told only of a track whose arrivals bear it out there.
#[test]
fn nothing_is_displaced_that_meets_nobody() {
    let s = Stage::new(4, 1);
    let mut t = s.table();
    t.shift[7] = -3_100;
    assert_eq!(kinds(&decide(&t, &s.tracks)), [(Kind::Early, 7)]);
    for row in &mut t.rows {
        row.cells[7] = empty("too faint", true);
    }
    assert_eq!(kinds(&decide(&t, &s.tracks)), [(Kind::Unrelated, 7)]);
}

/// Two equal sounds in step are 6.02 dB over one of them, 3.01 dB over unrelated ones; half a period apart they cancel.
#[test]
fn sums_follow_the_closed_form() {
    let row = Row {
        home: 0,
        members: vec![0, 1],
        own_mic: true,
        hits: vec![SessionFrame(0); 9],
        strongest: 0,
        passages: Vec::new(),
        power: vec![1.0; BANDS_HZ.len()],
        cells: vec![solid(0.0, 1, 1.0), solid(0.0, 1, 1.0)],
    };
    let gain = |k: Move, band: usize| {
        let b = sum_gain(&row, &[(0, Move::default()), (1, k)], RATE).unwrap()[band];
        10.0 * (b[0] / b[1]).max(1e-9).log10()
    };
    let at = |hz: f64| BANDS_HZ.iter().position(|b| *b == hz).unwrap();
    assert!((gain(Move::default(), at(100.0)) - 3.01).abs() < 0.01);
    assert!(gain(Move { frames: 0.0, inverted: true }, at(100.0)) < -60.0);
    // 240 frames are half a period of 100 Hz; over a third-octave cos(2πfτ) averages to −sinc(0.1158) = −0.978.
    let half = gain(Move { frames: 240.0, inverted: false }, at(100.0));
    assert!((half - 10.0 * (1.0 - 0.9780f64).log10()).abs() < 0.3, "{half}");
    let t = table(vec![row], 2);
    assert!(whole(&t).iter().all(|db| (db - 3.01).abs() < 0.01));
}

/// What each pair says of every source: the half that hears it first, in milliseconds; swapped names turn every side round.
#[test]
fn every_pair_says_where_everybody_is() {
    let stage = Stage::new(6, 31);
    let (table, tracks) = (stage.table(), stage.tracks);
    let check = decide(&table, &tracks);
    assert!(!check.sides.is_empty());
    for p in &check.sides {
        assert_eq!((p.left.len(), p.sides.len()), (table.rows.len(), table.rows.len()));
        for (row, (left, side)) in p.left.iter().zip(&p.sides).enumerate() {
            let arrival = |m: usize| table.rows[row].cells[m].lag_frames;
            let wanted = arrival(p.pair[0]).zip(arrival(p.pair[1])).map(|(l, r)| (r - l) * 1_000.0 / RATE);
            assert_eq!(left.is_some(), wanted.is_some());
            if let (Some(got), Some(wanted)) = (left, wanted) {
                assert!((got - wanted).abs() < 1e-9);
                let expected = match wanted {
                    w if w.abs() * RATE / 1_000.0 <= 2.0 => Side::Centre,
                    w if w > 0.0 => Side::Left,
                    _ => Side::Right,
                };
                assert_eq!(*side, expected);
            }
        }
    }
    let mut crossed = tracks.clone();
    let [l, r] = check.sides[0].pair;
    (crossed[l].side, crossed[r].side) = (Side::Right, Side::Left);
    let turned = &decide(&table, &crossed).sides[0];
    for (a, b) in check.sides[0].left.iter().zip(&turned.left) {
        assert_eq!(a.map(|v| -v), *b);
    }
}

/// A finding is known again by what it is about: not by its sentence, but by its source and its stretch where it has them.
#[test]
fn a_finding_is_known_again_by_what_it_is_about() {
    let (name, home) = (|t: usize| format!("t{t}"), |row: usize| 10 + row);
    let key = |f: &Finding| f.key(name, home);
    let late = Finding::of_tracks(Kind::Late, [2], "late");
    assert_eq!(key(&late), "late:t2");
    assert_eq!(key(&late.clone().advice("move it").hits(9).shown_on(Some(4))), "late:t2");
    let lows = |row: usize| Finding::of_tracks(Kind::LowsLost, [0, 1], "lost").on_source(row);
    assert_eq!((key(&lows(1)), key(&lows(2))), ("lows-lost:t0+t1@t11".into(), "lows-lost:t0+t1@t12".into()));
    let mut part = late.clone();
    part.about.stretch = Some([SessionFrame(48_000), SessionFrame(96_000)]);
    assert_eq!(key(&part), "late:t2[48000,96000]");
    assert_eq!(key(&Finding::of_channels(Kind::OneCopied, [0, 1], "one")), "one-copied:#0#1");
}

/// What is proposed is a change of an edit: all of it stays but what is changed.
#[test]
fn changes_leave_the_rest_of_an_edit_as_it_is() {
    let edit = Edit { gain_db: -3.0, invert: true, ..Edit::default() };
    assert_eq!(To::Side(Side::Left).on(&edit), edit);
    let all =
        [To::Offset(Offset(7.5)), To::Inverted(false), To::Gain(1.0)].iter().fold(edit.clone(), |e, to| to.on(&e));
    assert_eq!((all.placement.offset_frames.0, all.invert, all.gain_db), (7.5, false, 1.0));
    let cut = Cut { begins: 3, slices: Vec::new() };
    assert_eq!(To::Cut(cut.clone()).on(&edit), Edit { cut, ..edit.clone() });
    let map = TimeMap::new(vec![[0.0, 0.0], [100.0, 101.0]]).unwrap();
    assert_eq!(To::Map(map.clone()).on(&edit), Edit { map: Some(map), ..edit });
}

/// Where taking all advice loses more than half a decibel in an octave that matters, that is told; and never where nothing is advised.
#[test]
fn what_all_advice_costs_is_told_beforehand() {
    let mut told = 0;
    for seed in 0..40 {
        let mut s = Stage::new(5, seed);
        s.wired[usize::try_from(seed).unwrap() % 5] = -1;
        let (table, tracks) = (s.table(), s.tracks.clone());
        let c = decide(&table, &tracks);
        let mut advised = tracks.clone();
        for (t, a) in advised.iter_mut().zip(&c.tracks) {
            (t.edit.placement.offset_frames, t.edit.invert) = (a.offset_frames, a.invert);
        }
        let (now, then) = (whole(&table), whole(&as_carried(&table, &advised)));
        // Every octave of this stage holds an eighth of the energy.
        let lost = now.chunks(3).zip(then.chunks(3)).any(|(n, t)| n.iter().zip(t).all(|(n, t)| n - t > 0.5));
        let said = c.findings.iter().any(|f| f.kind == Kind::AdviceCosts);
        assert!(said || !lost, "seed {seed}: {now:?} {then:?}");
        told += usize::from(said);
        assert!(
            !decide(&table, &advised).findings.iter().any(|f| f.kind == Kind::AdviceCosts),
            "nothing is left to be taken"
        );
    }
    assert!(told > 0);
}
