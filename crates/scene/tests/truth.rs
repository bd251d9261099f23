//! The demo's truth, and the measurement against it.

use marea_core::measure::pair::options::PairOptions;
use marea_core::measure::pair::{PairMeasurement, measure_pair};
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use marea_scene::harbour_hall::{CELLO_LATE_FRAMES, scene};
use marea_scene::room::{Mic, Room, SPEED_M_S};
use marea_scene::{Rendered, write_files};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;

fn measure(a: &[f32], b: &[f32]) -> PairMeasurement {
    let rate = SampleRate::new(48_000).unwrap();
    let (a, b) = (MemSource(a.to_vec()), MemSource(b.to_vec()));
    measure_pair(
        &Placed { source: &a, start: SessionFrame(0) },
        &Placed { source: &b, start: SessionFrame(0) },
        rate,
        PairOptions::default(),
        &mut |_| true,
    )
    .unwrap()
}

const PAIRS: [(&str, &str, &str); 6] = [
    ("Cajón", "Cajón front.wav", "Cajón back.wav"),
    ("Cajón", "Cajón back.wav", "Cajón front.wav"),
    ("Cello", "Cello near.wav", "Cello pickup.wav"),
    ("Cello", "Cello pickup.wav", "Cello near.wav"),
    ("Marimba low", "Marimba low.wav", "Marimba high.wav"),
    ("Marimba high", "Marimba high.wav", "Marimba low.wav"),
];

fn check(played: &Rendered, seed: u64) {
    for (source, a, b) in PAIRS {
        let m = measure(played.channel(a, 1).unwrap(), played.channel(b, 1).unwrap());
        let (lag, sign) = played.true_lag(source, (a, 1), (b, 1)).unwrap();
        let got = m.lag_frames.unwrap_or_else(|| panic!("seed {seed}, {b} against {a}: {}", m.reason));
        assert!((got - lag).abs() < 0.5, "seed {seed}, {b} against {a}: {got} instead of {lag}");
        assert_eq!(m.sign, sign, "seed {seed}, {b} against {a}");
    }
}

/// Near pairs of the demo and of three other performances: lag within half a sample, sign right.
#[test]
fn near_pairs_of_harbour_hall() {
    for seed in [1, 20, 21, 22] {
        check(&scene(75.0, seed).render(), seed);
    }
}

/// A wrong answer called solid is the worst there is: every near microphone against every channel, and what is solid is the
/// lag of a source both hear.
#[test]
fn nothing_solid_is_wrong() {
    let played = scene(75.0, 33).render();
    let near = PAIRS.map(|(_, a, _)| a).into_iter().chain(["Frame drum.wav"]);
    let mut solid = 0;
    for a in near {
        for (b, planes) in &played.files {
            for channel in 1..=planes.len() as u16 {
                let m = measure(played.channel(a, 1).unwrap(), &planes[usize::from(channel) - 1]);
                if b == a || m.verdict != Verdict::Solid {
                    continue;
                }
                solid += 1;
                let right = ["Marimba low", "Marimba high", "Cajón", "Frame drum", "Cello"].iter().any(|s| {
                    let (lag, sign) = played.true_lag(s, (a, 1), (b, channel)).unwrap();
                    (m.lag_frames.unwrap() - lag).abs() < 1.0 && m.sign == sign
                });
                assert!(right, "{b} [{channel}] against {a}: {:?} {}", m.lag_frames, m.reason);
            }
        }
    }
    assert!(solid > 20, "only {solid} solid: the check shows nothing");
}

/// Two evenings have nothing to do with one another.
#[test]
fn unrelated_evenings_stay_undecided() {
    let (one, other) = (scene(40.0, 51).render(), scene(40.0, 52).render());
    for (a, b) in [
        ("Cajón front.wav", "Cajón front.wav"),
        ("Cello near.wav", "Marimba high.wav"),
        ("Frame drum.wav", "Cello pickup.wav"),
        ("Main pair.wav", "Main pair.wav"),
    ] {
        let m = measure(one.channel(a, 1).unwrap(), other.channel(b, 1).unwrap());
        assert_eq!((m.verdict, m.lag_frames), (Verdict::Undecided, None), "{a} and {b}: {}", m.reason);
    }
}

/// ISO 9613-1 at 20 °C: the direct sound comes after distance / 343.2 m/s; it is the first thing in the response.
#[test]
fn direct_sound_comes_when_geometry_says() {
    let room = Room { size: [10.0, 8.0, 4.0], reflection: 0.7, order: 2, reverberation_s: 0.4 };
    let mic = Mic { latency_frames: 100.0, ..Mic::at([7.0, 4.0, 1.5], [-1.0, 0.0, 0.0], 0.0) };
    let mut rng = ChaCha8Rng::seed_from_u64(1);
    let response = room.response(48_000.0, ([3.0, 4.0, 1.5], None), &mic, &mut rng);
    let expected = 4.0 / SPEED_M_S * 48_000.0 + 100.0;
    let first = response.iter().position(|v| v.abs() > 0.1).unwrap() as f64;
    assert!((first - expected).abs() < 3.0, "{first} instead of {expected}");
    // Allen & Berkley 1979: the floor's image is heard at its own distance.
    let floor = ((4.0f64.powi(2) + 3.0f64.powi(2)).sqrt() / SPEED_M_S * 48_000.0 + 100.0).round() as usize;
    let peak = response[floor - 2..floor + 3].iter().fold(0f32, |m, v| m.max(v.abs()));
    assert!(peak > 0.08, "{peak}");
}

#[test]
fn faults_are_in_the_truth_and_in_the_sound() {
    let s = scene(12.0, 3);
    assert_eq!(s.faults.len(), 3);
    let played = s.render();
    let truth = |source: &str, file: &str| {
        played.arrivals.iter().find(|a| a.source == source && a.file == file).unwrap().clone()
    };
    assert_eq!(truth("Frame drum", "Frame drum.wav").sign, -1);
    assert_eq!(truth("Cajón", "Cajón back.wav").sign, -1);
    assert_eq!(truth("Marimba low", "Cajón back.wav").sign, 1, "opposed by nature only for its own source");
    assert!(truth("Cello", "Cello near.wav").delay_frames > CELLO_LATE_FRAMES);
    // The cello sits on the right; channel 1 of the swapped pair hears it first.
    let hall = |c| {
        played
            .arrivals
            .iter()
            .find(|a| a.source == "Cello" && a.file == "Hall pair.wav" && a.channel == c)
            .unwrap()
            .delay_frames
    };
    assert!(hall(1) < hall(2));
}

#[test]
fn bleed_is_everywhere_and_seeds_differ() {
    let (one, same, other) = (scene(20.0, 5).render(), scene(20.0, 5).render(), scene(20.0, 6).render());
    let drum = |r: &Rendered| r.channel("Frame drum.wav", 1).unwrap().to_vec();
    assert_eq!(drum(&one), drum(&same));
    assert_ne!(drum(&one), drum(&other));
    // With the cajón's own part silenced its front microphone still hears the others.
    let mut without = scene(20.0, 5);
    without.sources[2].dry.fill(0.0);
    let raw = |s: &marea_scene::Scene| {
        let r = s.render();
        let x = r.channel("Cajón front.wav", 1).unwrap();
        (x.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / x.len() as f64).sqrt()
            / f64::from(x.iter().fold(0f32, |m, v| m.max(v.abs())))
    };
    assert!(raw(&without) > 0.01, "silence instead of bleed");
    assert!(one.files.iter().flat_map(|(_, p)| p).flatten().all(|v| v.is_finite() && v.abs() <= 0.5));
}

#[test]
fn a_fast_clock_drifts() {
    let mut s = scene(30.0, 9);
    s.takes.truncate(1);
    let straight = s.render();
    s.takes[0].mics[0].clock_ppm = 100.0;
    let fast = s.render();
    // 100 ppm over 20 s at 48 kHz are 96 frames.
    let window = |r: &Rendered, at: usize| r.channel("Marimba low.wav", 1).unwrap()[at..at + 48_000].to_vec();
    let (a, b) = (window(&straight, 960_000), window(&fast, 960_096));
    let ratio = a.iter().zip(&b).map(|(x, y)| f64::from(x * y)).sum::<f64>()
        / a.iter().map(|x| f64::from(*x).powi(2)).sum::<f64>();
    assert!(ratio > 0.8, "{ratio}");
}

#[test]
fn files_and_truth_on_disk() {
    let folder = tempfile::tempdir().unwrap();
    let s = scene(3.0, 1);
    let paths = write_files(&s.render(), folder.path(), 4_800, &s.faults).unwrap();
    assert_eq!(paths.len(), 9);
    let (info, planes) = marea_media::read_all(&folder.path().join("Hall pair.wav")).unwrap();
    assert_eq!((info.time_reference, info.channels, planes[0].len()), (Some(4_800), 2, 144_000));
    let truth: serde_json::Value =
        serde_json::from_str(&std::fs::read_to_string(folder.path().join("truth.json")).unwrap()).unwrap();
    assert_eq!(truth["arrivals"].as_array().unwrap().len(), 5 * 11);
}
