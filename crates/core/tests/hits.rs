//! Strokes of made-up players, whose moments are known to the sample.

mod common;

use common::{in_turn, rate};
use marea_core::hits::{Played, hits, seen::seen};
use marea_core::measure::table::{Heard, measure_session};
use marea_core::progress::MeasureError;
use marea_core::signal::{MemSource, Placed};
use marea_core::track::Role;
use marea_core::units::SessionFrame;
use marea_core::verdict::Verdict;

/// Hits of microphones that stand at a player each, all from session frame 0.
fn found(sounds: &[MemSource]) -> Vec<Played> {
    let placed: Vec<Placed> = sounds.iter().map(|source| Placed { source, start: SessionFrame(0) }).collect();
    let heard: Vec<Heard> = (placed.iter().enumerate())
        .map(|(n, sound)| Heard {
            sound: *sound,
            role: Role::Near,
            said: Some(n),
            added: Vec::new(),
            removed: Vec::new(),
        })
        .collect();
    let table = measure_session(&heard, rate(), &|_| true).unwrap();
    let stopped = hits(&placed, &table, rate(), &|_| false);
    assert!(matches!(stopped, Err(MeasureError::Stopped)));
    hits(&placed, &table, rate(), &|_| true).unwrap()
}

/// Frames of what is called a stroke.
fn frames(p: &Played) -> Vec<i64> {
    p.hits.iter().filter(|h| h.verdict > Verdict::Undecided).map(|h| h.at as i64).collect()
}

#[test]
fn each_player_has_the_own_strokes_and_none_of_the_others() {
    let sounds = [in_turn(10, [(0, 1.0), (400, 0.1)]), in_turn(11, [(380, 0.1), (0, 1.0)])];
    let played = found(&sounds);
    assert_eq!(played.len(), 2);
    for (n, p) in played.iter().enumerate() {
        let struck: Vec<i64> = (10_000..270_000).step_by(13_000).skip(n).step_by(2).collect();
        let told = frames(p);
        assert_eq!(told.len(), struck.len(), "player {n}: {told:?}");
        assert!(told.iter().zip(&struck).all(|(t, s)| (t - s).abs() <= 2), "player {n}: {told:?}");
    }
}

#[test]
fn a_gain_changes_nothing() {
    let sounds = |gain: f32| {
        let mut second = in_turn(11, [(380, 0.1), (0, 1.0)]);
        second.0.iter_mut().for_each(|v| *v *= gain);
        [in_turn(10, [(0, 1.0), (400, 0.1)]), second]
    };
    let [plain, soft] = [1.0, 0.05].map(|gain| found(&sounds(gain)));
    for (a, b) in plain.iter().zip(&soft) {
        assert_eq!(frames(a), frames(b));
        assert!(a.hits.iter().zip(&b.hits).all(|(a, b)| (a.odds - b.odds).abs() < 0.1 && a.verdict == b.verdict));
    }
}

#[test]
fn everything_that_may_be_an_attack_is_seen_and_a_tone_is_none() {
    let sounds = [in_turn(10, [(0, 1.0), (400, 0.1)]), in_turn(11, [(380, 0.1), (0, 1.0)])];
    let at = |sounds: &[MemSource]| {
        let placed: Vec<Placed> = sounds.iter().map(|source| Placed { source, start: SessionFrame(0) }).collect();
        seen(&placed, rate(), &|_| true).unwrap()
    };
    let seen = at(&sounds);
    let late = [[0, 380], [400, 0]];
    for (n, struck) in (10_000i64..270_000).step_by(13_000).enumerate() {
        for arrival in late[n % 2].map(|l| struck + l) {
            // A plan protects from 2.25 ms before what was seen.
            assert!(seen.iter().any(|s| (-108..=108).contains(&(arrival - s))), "{arrival}");
        }
    }
    // The noise under it, at −80 dB, and a tone that goes on have none but the beginning.
    let tone = MemSource((0..192_000).map(|n| 0.3 * (0.05 * n as f32).sin()).collect());
    let told = at(&[tone]);
    assert!(told.iter().all(|at| *at < 480 || *at > 191_000), "{told:?}");
}
