//! Probes through simulated stages, against their true latency.

use marea_core::probe::{PERIOD_S, Reading, Signal, read, signal, written};
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::stages::{STAGES, Stage, convolved, delayed, low_pass, noisy, peak};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

fn rate(hz: u64) -> SampleRate {
    SampleRate::new(hz).unwrap()
}

fn probed(stage: &Stage, kind: Signal, seed: u64) -> Vec<Reading> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    read(&stage.process(&written(kind, rate(48_000)), &mut rng), rate(48_000))
}

/// What is said of every stage: nothing solid is wrong, and what has one latency is found.
#[test]
fn every_stage_is_measured() {
    let mut solid = 0;
    for stage in &STAGES {
        for kind in [Signal::Sweep, Signal::Noise] {
            let found = probed(stage, kind, 5);
            let told: Vec<String> = found
                .iter()
                .map(|r| {
                    format!(
                        "{:?} {:.3} {} q {:.3} h {:.0} to {:.0} Hz",
                        r.verdict, r.latency, r.invert, r.quality, r.height, r.reaches_hz
                    )
                })
                .collect();
            println!("{} {kind:?}: {told:?}, truth {:?}", stage.name, stage.latency);
            let Some(truth) = stage.latency else {
                assert!(found.iter().all(|r| r.verdict < Verdict::Solid), "{}: {told:?}", stage.name);
                continue;
            };
            assert_eq!(found.len(), 1, "{}: {told:?}", stage.name);
            let r = &found[0];
            let off = (r.latency - truth).abs();
            assert_eq!((r.signal, r.invert), (kind, stage.inverts), "{}: {told:?}", stage.name);
            match r.verdict {
                Verdict::Solid => assert!(off < 0.1, "{}: {told:?}", stage.name),
                _ => assert!(off < 1.5, "{}: {told:?}", stage.name),
            }
            solid += usize::from(r.verdict == Verdict::Solid);
        }
    }
    assert!(solid >= 12, "{solid} of 24 solid");
}

/// A chain with an equaliser of ±6 dB, bent peaks and noise at −40 dBFS, a delay of any part of a sample, either way up: within 0.05 of
/// a sample, polarity always (the project's own bar).
#[test]
fn chains_with_equaliser_saturation_and_noise() {
    let mut worst = 0f64;
    for seed in 0..6u64 {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut x = written(Signal::Sweep, rate(48_000));
        for hz in [90.0, 900.0, 5_000.0] {
            let hz = hz * rng.random_range(0.6..1.8);
            x = peak(&x, hz, rng.random_range(-6.0..6.0), rng.random_range(0.5..2.0));
        }
        let (drive, turn): (f32, f32) = (rng.random_range(0.5..2.0), if rng.random_bool(0.5) { -1.0 } else { 1.0 });
        x.iter_mut().for_each(|v| *v = turn * (*v * drive).tanh() / drive);
        let late = rng.random_range(0.0..30_000.0);
        let heard = noisy(delayed(&x, late), -40.0, &mut rng);
        let found = read(&heard, rate(48_000));
        assert_eq!(found.len(), 1, "seed {seed}");
        let off = (found[0].latency - late).abs();
        assert_eq!(found[0].invert, turn < 0.0, "seed {seed}");
        assert!(off <= 0.05, "seed {seed}: {off:.3} of a sample");
        worst = worst.max(off);
    }
    println!("worst {worst:.4}");
}

/// Several probes in one recording, of both kinds, each with a latency of its own.
#[test]
fn several_probes_in_one_file() {
    let period = (PERIOD_S * 48_000.0) as usize;
    let mut all = vec![0f32; 3 * period];
    for (k, (kind, late, gain)) in
        [(Signal::Sweep, 100.0, 0.5f32), (Signal::Noise, 2_000.25, -1.0), (Signal::Sweep, 0.0, 0.01)]
            .into_iter()
            .enumerate()
    {
        let one = delayed(&written(kind, rate(48_000)), late);
        all[k * period..(k + 1) * period].iter_mut().zip(&one).for_each(|(a, v)| *a += gain * v);
    }
    let found = read(&all, rate(48_000));
    let told: Vec<(Signal, f64, bool, Verdict)> =
        found.iter().map(|r| (r.signal, (r.latency * 100.0).round() / 100.0, r.invert, r.verdict)).collect();
    assert_eq!(
        told,
        [
            (Signal::Sweep, 100.0, false, Verdict::Solid),
            (Signal::Noise, 2_000.25, true, Verdict::Solid),
            (Signal::Sweep, 0.0, false, Verdict::Solid),
        ]
    );
}

/// Later than a whole period, a path is not told a period too early.
#[test]
fn a_path_of_many_seconds() {
    let mut late = vec![0f32; 48_000 * 5 + 7];
    late.extend(written(Signal::Sweep, rate(48_000)));
    let found = read(&late, rate(48_000));
    assert_eq!(found.len(), 1);
    assert!((found[0].latency - 240_007.0).abs() < 0.02, "{:?}", found[0]);
}

/// What is no probe is not found: noise, silence, music-like pulses, half a sweep.
#[test]
fn nothing_is_found_where_nothing_is() {
    let mut rng = ChaCha8Rng::seed_from_u64(3);
    assert!(read(&vec![0.0; 500_000], rate(48_000)).is_empty());
    assert!(read(&[], rate(48_000)).is_empty());
    assert!(read(&noisy(vec![0.0; 500_000], -20.0, &mut rng), rate(48_000)).is_empty());
    let struck: Vec<f32> =
        (0..500_000).map(|n| (-((n % 24_000) as f32) / 800.0).exp() * (n as f32 * 0.13).sin()).collect();
    assert!(read(&struck, rate(48_000)).iter().all(|r| r.verdict == Verdict::Undecided));
    let sweep = signal(Signal::Sweep, rate(48_000));
    let half = read(&sweep[sweep.len() / 2..], rate(48_000));
    assert!(half.iter().all(|r| r.verdict < Verdict::Solid), "{half:?}");
}

/// The same signal at every rate: written at one, read at another after the converters between.
#[test]
fn rates() {
    for hz in [44_100, 96_000, 192_000] {
        let found = read(&written(Signal::Sweep, rate(hz)), rate(hz));
        assert_eq!(found.len(), 1, "{hz}");
        assert!(found[0].latency.abs() < 0.02 && found[0].verdict == Verdict::Solid, "{hz}: {:?}", found[0]);
    }
    // A band-limited device says so.
    let narrow = convolved(&written(Signal::Sweep, rate(48_000)), &low_pass(4_000.0, 100));
    let found = read(&narrow, rate(48_000));
    assert!(found.iter().all(|r| r.verdict == Verdict::Likely && r.reaches_hz < 6_000.0), "{found:?}");
}
