//! Recorders with clocks of their own: seeds beside those of docs/accuracy-clocks.md.

use marea_core::signal::MemSource;
use marea_core::sync::{Features, Place, clap, place};
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::clocks::recorded;

fn rate() -> SampleRate {
    SampleRate::new(48_000).unwrap()
}

fn held(a: &[f32], b: &[f32]) -> Place {
    let [a, b] = [a, b].map(|x| MemSource(x.to_vec()));
    let of = |x: &MemSource| Features::measure(x, rate(), &|| true).unwrap();
    place([(&a, &of(&a)), (&b, &of(&b))], rate(), &|| true).unwrap()
}

#[test]
fn a_part_is_placed_with_its_clock() {
    for (seed, seconds, ppm) in [(9_800, 40.0, 1.0), (9_801, 80.0, 1.0), (9_802, 110.0, 0.5)] {
        let made = recorded(seconds + 20.0, seconds, seed);
        let got = held(&made.reference, &made.other);
        let line = got.line.unwrap();
        assert!((line.begins() - made.begins).abs() < 2.0, "{seed}: {} instead of {}", line.begins(), made.begins);
        assert!((line.ppm - made.ppm).abs() < ppm, "{seed}: {} instead of {}", line.ppm, made.ppm);
        assert_eq!((got.invert, got.verdict), (made.inverts, Verdict::Solid), "{seed}: {}", got.reason);
        assert_eq!(got.claimed(), seconds > 80.0 || (seconds == 80.0 && got.overlap_s >= 80.0), "{seed}");
    }
}

#[test]
fn loops_strangers_silence_and_a_second_of_sound_are_not_placed_wrongly() {
    let made = recorded(70.0, 30.0, 9_809);
    assert!(made.repeats);
    let got = held(&made.reference, &made.other);
    assert_eq!(got.line, None, "{}", got.reason);
    assert!(got.reason.contains("repeats"), "{}", got.reason);
    let stranger = recorded(60.0, 40.0, 9_811).other;
    for other in [&stranger[..], &stranger[..48_000], &[0.0; 96_000], &[]] {
        for got in [held(&made.reference, other), held(other, &made.reference)] {
            assert_eq!((got.line, got.verdict), (None, Verdict::Undecided));
        }
    }
}

#[test]
fn a_recorder_that_began_earlier_and_a_copy_are_placed() {
    let made = recorded(100.0, 60.0, 9_812);
    let line = held(&made.other, &made.reference).line.unwrap();
    assert!((line.at - made.begins).abs() < 3.0, "{} instead of {}", line.at, made.begins);
    assert!((line.ppm + made.ppm).abs() < 1.0);
    let same = held(&made.reference, &made.reference).line.unwrap();
    assert!(same.begins().abs() < 0.01 && same.ppm.abs() < 0.01, "{same:?}");
}

#[test]
fn a_clap_is_found_where_it_stands_alone() {
    let mut sound: Vec<f32> = (0..480_000).map(|n| 0.01 * (0.03 * n as f32).sin()).collect();
    let strike = |sound: &mut [f32], at: usize, level: f32| {
        (0..4_000)
            .for_each(|k| sound[at + k] += level * (-(k as f32) / 300.0).exp() * ((k * k % 97) as f32 / 48.0 - 1.0));
    };
    let of = |sound: &[f32]| clap(&MemSource(sound.to_vec()), rate(), &mut |_| true).unwrap();
    assert_eq!(of(&sound), None);
    strike(&mut sound, 96_000, 0.8);
    assert!((of(&sound).unwrap().frame - 96_000).abs() <= 48);
    strike(&mut sound, 240_000, 0.7);
    assert_eq!(of(&sound), None, "two alike");
}
