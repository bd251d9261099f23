//! Bars and beats: one tempo and many.

use marea_core::edit::tempo::{TempoChange, TempoError, TempoMap};
use proptest::prelude::*;

fn change(quarter: u32, bpm: f64, quarters_a_bar: u32) -> TempoChange {
    TempoChange { quarter, bpm, quarters_a_bar }
}

/// 4/4 at 120 for two bars, then 3/4 for two, then 3/4 at 60: at 48 kHz a quarter lasts 24 000 frames, at the end 48 000.
#[test]
fn tempo_and_metre_change_at_quarters() {
    let changes = vec![change(0, 120.0, 4), change(8, 120.0, 3), change(14, 60.0, 3)];
    let beats = TempoMap::new(1_000.0, changes).unwrap().beats(48_000.0);
    assert_eq!([0.0, 8.0, 14.0, 15.0].map(|q| beats.frame_of(q)), [1_000.0, 193_000.0, 337_000.0, 385_000.0]);
    let at = |quarter: f64| {
        let b = beats.at(beats.frame_of(quarter) + 5.0);
        (b.quarter, b.bar, b.in_bar, b.frames)
    };
    assert_eq!(at(7.0), (7.0, 1, 3, 5.0));
    assert_eq!(at(8.0), (8.0, 2, 0, 5.0), "a new metre begins a bar");
    assert_eq!(at(13.0), (13.0, 3, 2, 5.0));
    assert_eq!(at(16.0), (16.0, 4, 2, 5.0), "a new tempo alone does not");
    assert_eq!(at(-1.0), (-1.0, -1, 3, 5.0), "bars go on before the first");
    // A metre that changes in the middle of a bar begins the next one.
    let cut = TempoMap::new(0.0, vec![change(0, 100.0, 4), change(6, 100.0, 2)]).unwrap().beats(48_000.0);
    let bar = |quarter: f64| cut.at(cut.frame_of(quarter) + 0.5).bar;
    assert_eq!((bar(5.0), bar(6.0), bar(8.0)), (1, 2, 3));
}

#[test]
fn what_makes_no_map_is_refused() {
    let of = |changes: &[TempoChange]| TempoMap::new(0.0, changes.to_vec()).err();
    assert_eq!(of(&[]), Some(TempoError::Order));
    assert_eq!(of(&[change(1, 120.0, 4)]), Some(TempoError::Order));
    assert_eq!(of(&[change(0, 120.0, 4), change(8, 90.0, 4), change(8, 80.0, 4)]), Some(TempoError::Order));
    assert_eq!(of(&[change(0, f64::NAN, 4)]), Some(TempoError::Tempo));
    assert_eq!(of(&[change(0, 120.0, 4), change(4, 401.0, 4)]), Some(TempoError::Tempo));
    assert_eq!(of(&[change(0, 120.0, 0)]), Some(TempoError::Metre));
    assert_eq!(TempoMap::single(1e9, 0, 0.0), TempoMap::single(400.0, 1, 0.0));
}

proptest! {
    /// Frames and quarters turn into one another, and time never stands still.
    #[test]
    fn quarters_and_frames_are_two_ways_to_say_one_place(
        steps in prop::collection::vec((1u32..40, 20.0f64..400.0, 1u32..9), 0..12), first in -1e6f64..1e6, q in -50.0f64..400.0,
    ) {
        let mut quarter = 0;
        let later = steps.iter().map(|(by, bpm, bar)| { quarter += by; change(quarter, *bpm, *bar) });
        let changes = std::iter::once(change(0, 120.0, 4)).chain(later).collect();
        let beats = TempoMap::new(first, changes).unwrap().beats(44_100.0);
        prop_assert!((beats.quarter_of(beats.frame_of(q)) - q).abs() < 1e-6);
        prop_assert!(beats.frame_of(q + 0.25) > beats.frame_of(q));
        let beat = beats.at(beats.frame_of(q) + 1e-3);
        prop_assert!(beat.frames >= 0.0 && beat.quarter <= q + 1e-6 && q < beat.quarter + 1.0 + 1e-6, "{beat:?}");
    }
}
