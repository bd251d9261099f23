//! Prints of simulated tape machines against the lag that the machines had.

use marea_core::follow::{Followed, find_send, follow, follow_straight, left_along};
use marea_core::signal::MemSource;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::prints::{Machine, send};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;

fn rate() -> SampleRate {
    SampleRate::new(48_000).unwrap()
}

fn machine(seed: u64) -> (Machine, ChaCha8Rng) {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    (Machine::of(&mut rng), rng)
}

fn followed(sent: &[f32], print: &[f32]) -> Followed {
    follow(&MemSource(sent.to_vec()), &MemSource(print.to_vec()), rate(), &|_| true).unwrap()
}

/// Errors of the lag on measured steps, in samples.
fn errors(f: &Followed, machine: &Machine) -> Vec<f64> {
    let truth = |j: usize| machine.lag((j as f64 + 0.5) * f.step_frames / 48_000.0) * 48_000.0;
    let steps = f.lag_frames.iter().zip(&f.measured).enumerate();
    steps.filter(|(_, (_, m))| **m).map(|(j, (l, _))| l - truth(j)).collect()
}

#[test]
fn the_lag_of_a_print_is_followed_along_time() {
    for seed in [9_104, 9_106, 9_109] {
        let sent = send(16.0, seed);
        let (machine, mut rng) = machine(seed);
        let print = machine.print(&sent, &mut rng);
        let f = followed(&sent, &print);
        assert_eq!(f.verdict, Verdict::Solid, "{seed}: {}", f.reason);
        assert_eq!(f.invert, machine.inverts, "{seed}");
        let off = errors(&f, &machine);
        let rms = (off.iter().map(|e| e * e).sum::<f64>() / off.len() as f64).sqrt();
        let mean = off.iter().sum::<f64>() / off.len() as f64;
        // The machine's colour has a delay of its own, of which a part of a sample cannot be told from the path's.
        assert!(
            (rms * rms - mean * mean).max(0.0).sqrt() < 0.3 && mean.abs() < 1.0,
            "{seed}: {rms:.2}, mean {mean:.2}"
        );
        // The null is as deep as the true lag gives it.
        let lags: Vec<f64> = (0..f.lag_frames.len())
            .map(|j| machine.lag((j as f64 + 0.5) * f.step_frames / 48_000.0) * 48_000.0)
            .collect();
        let best = left_along(&MemSource(sent.clone()), &MemSource(print.clone()), rate(), &lags).unwrap();
        assert!(f.left.map < best + 0.5, "{seed}: {:.1} dB, with the true lag {best:.1}", f.left.map);
        assert!(f.left.map < f.left.offset - 6.0, "{seed}: one offset leaves {:.1}", f.left.offset);
    }
}

#[test]
fn a_print_of_another_send_is_refused() {
    for seed in [9_121, 9_122, 9_123, 9_124] {
        let (machine, mut rng) = machine(seed);
        let print = machine.print(&send(12.0, seed), &mut rng);
        let f = followed(&send(12.0, seed + 1), &print);
        assert_eq!(f.verdict, Verdict::Undecided, "{seed}: {}", f.reason);
        assert!(f.lag_frames.is_empty(), "{seed}: no number is told of strangers");
    }
}

#[test]
fn what_cannot_be_followed_is_said() {
    let sent = send(8.0, 9_130);
    for (print, says) in [
        (vec![0f32; 96_000], "silent"),
        (vec![0.1f32; 4_000], "less than half a second"),
        (Vec::new(), "less than half a second"),
    ] {
        let f = followed(&sent, &print);
        assert_eq!(f.verdict, Verdict::Undecided);
        assert!(f.reason.contains(says), "{}", f.reason);
    }
    assert_eq!(followed(&[], &sent).verdict, Verdict::Undecided);
}

#[test]
fn a_plain_copy_lies_where_it_was_put() {
    // Closed form: 12,345 samples later and inverted, at the same speed.
    let sent = send(12.0, 9_132);
    let mut print = vec![0f32; 12_345];
    print.extend(sent.iter().map(|v| -0.5 * v));
    let f = followed(&sent, &print);
    assert!(f.verdict == Verdict::Solid && f.invert, "{}", f.reason);
    assert!((f.later_frames - 12_345.0).abs() < 0.02, "{}", f.later_frames);
    assert!(f.drift_ppm.abs() < 0.2 && f.left.map < -50.0, "{} ppm, {} dB", f.drift_ppm, f.left.map);
}

#[test]
fn the_send_of_a_print_is_found_among_other_tracks() {
    for seed in [9_143, 9_145, 9_148] {
        let sent = send(12.0, seed);
        let (machine, mut rng) = machine(seed);
        let print = MemSource(machine.print(&sent, &mut rng));
        let others = [1, 2, 3].map(|n| send(12.0, seed + 50 * n));
        let other = |n: usize| others[n - 1].clone();
        // A neighbour's microphone hears the send too, 12 dB below what it is for.
        let neighbour: Vec<f32> = other(1).iter().zip(&sent).map(|(o, s)| o + 0.25 * s).collect();
        let tracks: Vec<MemSource> = [other(2), neighbour, sent.clone(), other(3)].map(MemSource).into();
        let found = find_send(&print, &tracks.iter().map(|t| t as _).collect::<Vec<_>>(), rate(), &|_| true).unwrap();
        assert!(found.clear && found.candidates[0].track == 2, "{seed}: {found:?}");
        // Two sends alike cannot be told apart, and without its send nothing is told.
        let alike: Vec<MemSource> = [other(2), sent.clone(), sent].map(MemSource).into();
        let found = find_send(&print, &alike.iter().map(|t| t as _).collect::<Vec<_>>(), rate(), &|_| true).unwrap();
        assert!(!found.clear && found.candidates.len() == 2, "{seed}: {found:?}");
        let strangers: Vec<MemSource> = [other(2), other(3)].map(MemSource).into();
        let found =
            find_send(&print, &strangers.iter().map(|t| t as _).collect::<Vec<_>>(), rate(), &|_| true).unwrap();
        assert!(found.candidates.is_empty() && !found.clear, "{seed}: {found:?}");
    }
}

fn straight(sent: &[f32], print: &[f32]) -> Followed {
    follow_straight(&MemSource(sent.to_vec()), &MemSource(print.to_vec()), rate(), &|_| true).unwrap()
}

#[test]
fn one_offset_and_speed_are_told_without_following_all_of_the_lag() {
    // Closed form: 12,345 samples later and inverted, at the same speed.
    let sent = send(20.0, 9_132);
    let mut print = vec![0f32; 12_345];
    print.extend(sent.iter().map(|v| -0.5 * v));
    let f = straight(&sent, &print);
    assert!(f.verdict == Verdict::Likely && f.invert, "{}", f.reason);
    assert!((f.later_frames - 12_345.0).abs() < 0.1 && f.drift_ppm.abs() < 1.0, "{} {}", f.later_frames, f.drift_ppm);
    assert!(f.left.offset < -40.0, "{} dB", f.left.offset);
    for seed in [9_104, 9_106, 9_109] {
        let sent = send(24.0, seed);
        let (machine, mut rng) = machine(seed);
        let print = machine.print(&sent, &mut rng);
        let f = straight(&sent, &print);
        assert_eq!((f.verdict, f.invert), (Verdict::Likely, machine.inverts), "{seed}: {}", f.reason);
        // Wow moves single places by as much as this; the median of all lies closer.
        let swing: f64 =
            machine.swings.iter().map(|[hz, speed, _]| speed / (std::f64::consts::TAU * hz) * 48_000.0).sum();
        let truth = 48_000.0 * machine.lag(12.0);
        assert!((f.later_frames - truth).abs() < 2.0 * swing + 5.0, "{seed}: {} for {truth}", f.later_frames);
        assert_eq!(straight(&send(24.0, seed + 21), &print).lag_frames, Vec::<f64>::new(), "{seed}: a stranger");
    }
    assert!(straight(&sent, &[0.0; 96_000]).reason.contains("silent"));
    assert!(straight(&sent, &sent[..40_000]).lag_frames.is_empty());
}

#[test]
fn prints_of_low_rates_are_followed_in_what_band_they_have() {
    for hz in [8_000u32, 11_025, 16_000] {
        // Every nth sample of a running mean: sound of a low rate, whatever folds back is part of it.
        let n = (48_000 / hz) as usize;
        let sent: Vec<f32> = send(20.0, 9_135).chunks_exact(n).map(|c| c.iter().sum::<f32>() / n as f32).collect();
        let mut print = vec![0f32; 1_234];
        print.extend(sent.iter().map(|v| -0.7 * v));
        let rate = SampleRate::new(u64::from(hz)).unwrap();
        for quick in [false, true] {
            let follow = if quick { follow_straight } else { follow };
            let f = follow(&MemSource(sent.clone()), &MemSource(print.clone()), rate, &|_| true).unwrap();
            assert!(f.verdict > Verdict::Undecided && f.invert, "{hz} Hz, quick {quick}: {}", f.reason);
            assert!((f.later_frames - 1_234.0).abs() < 0.1, "{hz} Hz, quick {quick}: {}", f.later_frames);
        }
    }
}
