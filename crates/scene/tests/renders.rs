//! Rendered instruments against their notes: seeds beside those of docs/accuracy-notes.md.

use marea_core::notes::midi::Score;
use marea_core::notes::{NotesMeasured, measure_notes};
use marea_core::signal::MemSource;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::renders::{Rendering, rendering};

fn against(score: &Score, sound: &[f32]) -> NotesMeasured {
    let rate = SampleRate::new(48_000).unwrap();
    measure_notes(score, &MemSource(sound.to_vec()), rate, &mut |_| true).unwrap()
}

fn made(seed: u64) -> (Rendering, Score) {
    let made = rendering(20.0, seed);
    let score = Score::read(&made.file).unwrap();
    (made, score)
}

#[test]
fn struck_within_1_ms_and_slow_within_5() {
    for seed in 9_500..9_512 {
        let (made, score) = made(seed);
        let got = against(&score, &made.sound);
        if made.scatter_ms > 0.0 {
            assert_eq!((got.verdict, got.latency_ms), (Verdict::Undecided, None), "{seed} was played by a person");
            continue;
        }
        let bar = if seed % 6 < 2 { 1.0 } else { 5.0 };
        assert!(got.latency_ms.is_none_or(|l| (l - made.late_ms).abs() < bar), "{seed}: {got:?}");
        assert!(bar > 1.0 || got.verdict == Verdict::Solid, "{seed}: {}", got.reason);
        if let (Some(made), Some(told)) = (made.value, &got.value) {
            assert_eq!(told.name, made, "{seed}");
        }
    }
}

#[test]
fn other_notes_silence_and_notes_without_sound_are_undecided() {
    for seed in [9_500, 9_501, 9_503] {
        let (made, own) = made(seed);
        let (_, other) = self::made(seed + 6);
        for got in [against(&other, &made.sound), against(&own, &[0.0; 48_000]), against(&own, &[])] {
            assert_eq!((got.verdict, got.latency_ms), (Verdict::Undecided, None));
            assert!(got.notes.iter().all(|n| n.late_ms.is_none()) && !got.reason.is_empty());
        }
    }
}

#[test]
fn one_note_that_is_off_is_seen_among_the_others() {
    let (made, mut score) = made(9_504);
    let alone = |n: usize| n > 0 && score.notes[n].seconds - score.notes[n - 1].seconds > 0.3;
    let n = (3..score.notes.len()).find(|n| alone(*n) && alone(n + 1)).unwrap();
    score.notes[n].seconds -= 0.025;
    let got = against(&score, &made.sound);
    let late = |k: usize| got.notes[k].late_ms.unwrap();
    assert!((late(n) - got.latency_ms.unwrap() - 25.0).abs() < 2.0, "{}", late(n));
}
