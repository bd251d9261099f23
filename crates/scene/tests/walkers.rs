//! Somebody who walks between two microphones, against where he was.

use marea_core::follow::{Followed, Way, walker};
use marea_core::signal::MemSource;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::walkers::walk;

fn followed(first: &[f32], second: &[f32]) -> Followed {
    let rate = SampleRate::new(48_000).unwrap();
    walker(&MemSource(first.to_vec()), &MemSource(second.to_vec()), rate, &|_| true).unwrap()
}

#[test]
fn the_lag_of_who_walks_is_followed_where_it_is_decided() {
    let mut other: Option<Vec<f32>> = None;
    for seed in [9_861, 9_862, 9_864] {
        let walk = walk(24.0, seed);
        let f = followed(&walk.heard[0], &walk.heard[1]);
        assert!(f.verdict > Verdict::Undecided, "{seed}: {}", f.reason);
        assert_eq!(f.invert, walk.inverts, "{seed}");
        let told = f.lag_frames.iter().zip(&f.measured).enumerate().filter(|(_, (_, m))| **m);
        let off: Vec<f64> = told.map(|(j, (l, _))| l - walk.lag((j as f64 + 0.5) * f.step_frames)).collect();
        let rms = (off.iter().map(|e| e * e).sum::<f64>() / off.len() as f64).sqrt();
        assert!(rms < 1.0, "{seed}: {rms:.2} samples in {} steps", off.len());
        // Following leaves less of the second microphone than one offset, and the edit says so.
        assert!(f.left.map < f.left.offset - 0.3, "{seed}: {:?}", f.left);
        assert!(f.edit(Way::Map).unwrap().map.is_some());
        // Where nobody knows, at both ends, the lag stays.
        let first = f.measured.iter().position(|m| *m).unwrap();
        assert!(f.lag_frames[..first].iter().all(|l| *l == f.lag_frames[first]));
        // What another room heard is no answer.
        if let Some(other) = other.replace(walk.heard[0].clone()) {
            let f = followed(&other, &walk.heard[1]);
            assert_eq!(f.verdict, Verdict::Undecided, "{seed}: {}", f.reason);
        }
    }
}

#[test]
fn who_stands_still_has_one_lag() {
    // Closed form: the same sound 217 samples later, inverted, at half the level.
    let first = walk(16.0, 9_870).heard[0].clone();
    let mut second = vec![0f32; 217];
    second.extend(first.iter().map(|v| -0.5 * v));
    let f = followed(&first, &second);
    assert!(f.verdict == Verdict::Solid && f.invert, "{}", f.reason);
    assert!((f.later_frames - 217.0).abs() < 0.1, "{}", f.later_frames);
    let told = f.lag_frames.iter().zip(&f.measured).filter(|(_, m)| **m);
    assert!(told.into_iter().all(|(l, _)| (l - 217.0).abs() < 0.5));
}

#[test]
fn silence_and_short_sounds_tell_nothing() {
    for (first, second) in [(vec![0f32; 480_000], vec![0f32; 480_000]), (vec![0.1; 9_000], vec![0.1; 9_000])] {
        let f = followed(&first, &second);
        assert!(f.verdict == Verdict::Undecided && f.lag_frames.is_empty(), "{}", f.reason);
    }
    assert!(followed(&[], &[]).lag_frames.is_empty());
}
