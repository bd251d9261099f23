//! Rendered instruments against their notes: seeds beside those of docs/accuracy-notes.md.

use marea_core::notes::midi::Score;
use marea_core::notes::{NotesMeasured, measure_notes};
use marea_core::signal::MemSource;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::renders::{Rendering, file, rendering};

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

/// A drum pattern that repeats every bar: eighths of one drum, two others on some of them.
fn pattern(late_s: f64) -> (Score, Vec<f32>) {
    let (mut notes, mut sound) = (Vec::new(), vec![0f32; 48_000 * 30]);
    let mut noise = 1u32;
    for eighth in 0..80u32 {
        let keys: &[u8] = match eighth % 8 {
            0 | 5 => &[42, 36],
            2 | 6 => &[42, 38],
            _ => &[42],
        };
        for key in keys {
            notes.push((eighth * 240, 60, *key));
            let at = ((f64::from(eighth) * 0.3 + 0.5 + late_s) * 48_000.0) as usize;
            for (k, v) in sound[at..at + 4_000].iter_mut().enumerate() {
                noise = noise.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                let white = (noise >> 8) as f32 / 8_388_608.0 - 1.0;
                let low = (k as f32 * f32::from(*key - 35) * 0.01).sin();
                *v += 0.3 * (0.4 * white + low) * (-(k as f32) / 700.0).exp();
            }
        }
    }
    // Half a second before the first, at 100 a minute.
    notes.iter_mut().for_each(|n| n.0 += 400);
    (Score::read(&file(&notes, 100.0)).unwrap(), sound)
}

#[test]
fn a_pattern_that_repeats_is_told_by_what_is_left_over_and_never_as_solid() {
    let (mut score, sound) = pattern(0.012);
    score.notes.iter_mut().for_each(|n| n.channel = 9);
    let got = against(&score, &sound);
    assert_eq!(got.verdict, Verdict::Likely, "{}", got.reason);
    assert!((got.latency_ms.unwrap() - 12.0).abs() < 1.0, "{got:?}");
    // Without its ends nobody can tell.
    let middle = &sound[48_000 * 2..48_000 * 20];
    let got = against(&score, middle);
    assert_eq!((got.verdict, got.latency_ms), (Verdict::Undecided, None));
}
