//! `marea follow` from files to the corrected file.

use std::path::Path;
use std::process::{Command, Output};

fn marea(args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_marea")).args(args).output().unwrap()
}

fn wav(path: &Path, x: &[f32]) {
    let spec = hound::WavSpec {
        channels: 1,
        sample_rate: 48_000,
        bits_per_sample: 32,
        sample_format: hound::SampleFormat::Float,
    };
    let mut w = hound::WavWriter::create(path, spec).unwrap();
    x.iter().for_each(|v| w.write_sample(*v).unwrap());
    w.finalize().unwrap();
}

fn read(path: &Path) -> Vec<f32> {
    hound::WavReader::open(path).unwrap().samples::<f32>().map(Result::unwrap).collect()
}

/// Bursts of noise.
fn sound(seconds: usize) -> Vec<f32> {
    let mut seed = 7u32;
    let mut noise = move || {
        seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        seed as f32 / u32::MAX as f32 - 0.5
    };
    // A running mean of two takes the highest octave down, as sound has it.
    let mut before = 0.0;
    (0..48_000 * seconds)
        .map(|n| {
            let now = noise();
            let v = 0.5 * (now + before) * (-((n % 9_600) as f32) / 3_000.0).exp();
            before = now;
            v
        })
        .collect()
}

/// The lag of the print at one of its samples: 1.5 s, wow at 0.9 Hz, and 120 ppm.
fn lag(n: f64) -> f64 {
    72_000.0 + 120e-6 * n + 40.0 * (std::f64::consts::TAU * 0.9 * n / 48_000.0).sin()
}

/// Read between samples by a sinc of 40 to either side, written here so that it is not the one that is tested.
fn print_of(sent: &[f32]) -> Vec<f32> {
    let read = |at: f64| -> f64 {
        let whole = at.floor() as i64;
        (whole - 39..=whole + 40)
            .filter_map(|k| {
                let v = f64::from(*sent.get(usize::try_from(k).ok()?)?);
                let x = (k as f64 - at) * std::f64::consts::PI;
                let sinc = if x.abs() < 1e-9 { 1.0 } else { x.sin() / x };
                Some(v * sinc * (0.5 + 0.5 * (x / 41.0).cos()))
            })
            .sum()
    };
    (0..sent.len() + 73_000).map(|n| -0.7 * read(n as f64 - lag(n as f64)) as f32).collect()
}

/// What is left of `b` when the best part of `a` is taken from it, in dB.
fn null_db(a: &[f32], b: &[f32]) -> f64 {
    let dot = |x: &[f32], y: &[f32]| x.iter().zip(y).map(|(x, y)| f64::from(*x) * f64::from(*y)).sum::<f64>();
    let gain = dot(a, b) / dot(a, a);
    let left: f64 = a.iter().zip(b).map(|(a, b)| (f64::from(*b) - gain * f64::from(*a)).powi(2)).sum();
    10.0 * (left / dot(b, b)).log10()
}

#[test]
fn a_print_is_corrected_to_the_delivered_file() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let sent = sound(12);
    wav(&at("Send.wav"), &sent);
    wav(&at("Return.wav"), &print_of(&sent));
    let [send, back, out] = ["Send.wav", "Return.wav", "out"].map(|n| at(n).display().to_string());
    let got = marea(&["follow", &send, &back, "--json", "--out", &out, "--float"]);
    assert!(got.status.success(), "{}", String::from_utf8_lossy(&got.stderr));
    let report: serde_json::Value = serde_json::from_slice(&got.stdout).unwrap();
    let schema: serde_json::Value = serde_json::from_str(include_str!("../../../../docs/follow.schema.json")).unwrap();
    jsonschema::validator_for(&schema).unwrap().validate(&report).unwrap();
    assert_eq!((&report["verdict"], &report["invert"]), (&"solid".into(), &true.into()), "{}", report["reason"]);
    let number = |v: &serde_json::Value| v.as_f64().unwrap();
    let curve = &report["lag_curve"];
    let (first, step) = (number(&curve["first_sample"]), number(&curve["step_samples"]));
    let lags = curve["lag_samples"].as_array().unwrap().iter().enumerate();
    let off = |(j, l): (usize, &serde_json::Value)| (number(l) - lag(first + step * j as f64)).abs();
    let mut off: Vec<f64> = lags.filter(|(j, _)| curve["measured"][*j] == true).map(off).collect();
    let rms = (off.iter().map(|o| o * o).sum::<f64>() / off.len() as f64).sqrt();
    off.sort_by(f64::total_cmp);
    let most = off[off.len() * 95 / 100];
    assert!(rms < 0.3 && most < 0.6, "RMS {rms}, 95 % within {most}");
    assert!((number(&report["offset_samples"]) + 72_000.0).abs() < 100.0);
    assert!((number(&report["wow"][0]["hz"]) - 0.9).abs() < 0.05, "{}", report["wow"]);
    // Measured on the file that was written: nulled against the send, upright again and where the send is.
    let corrected = read(&at("out/Return.wav"));
    let range = 48_000..48_000 * 11;
    let db = null_db(&sent[range.clone()], &corrected[range]);
    assert!(db < -25.0, "the corrected print nulls to {db:.1} dB");
    let again = marea(&["follow", &send, &back, "--out", &out]);
    assert!(!again.status.success() && String::from_utf8_lossy(&again.stderr).contains("exists already"));
}

#[test]
fn a_stranger_is_named_and_not_written() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    wav(&at("Send.wav"), &sound(6));
    let mut other = sound(12);
    other.drain(..48_000 * 6 + 4_321);
    other.reverse();
    wav(&at("Other.wav"), &other);
    let [send, back, out] = ["Send.wav", "Other.wav", "out"].map(|n| at(n).display().to_string());
    let got = marea(&["follow", &send, &back, "--out", &out]);
    let says = String::from_utf8_lossy(&got.stderr).into_owned();
    assert!(!got.status.success() && says.contains("Other.wav") && says.contains("not a print"), "{says}");
    assert!(!at("out").exists());
    let missing = marea(&["follow", &send, &at("None.wav").display().to_string()]);
    assert!(String::from_utf8_lossy(&missing.stderr).contains("None.wav"));
}

/// What `follow --json` says, which keeps to its schema.
fn told(args: &[&str]) -> serde_json::Value {
    let got = marea(&[&["follow", "--json"], args].concat());
    assert!(got.status.success(), "{}", String::from_utf8_lossy(&got.stderr));
    let report: serde_json::Value = serde_json::from_slice(&got.stdout).unwrap();
    let schema: serde_json::Value = serde_json::from_str(include_str!("../../../../docs/follow.schema.json")).unwrap();
    jsonschema::validator_for(&schema).unwrap().validate(&report).unwrap();
    report
}

#[test]
fn one_offset_and_speed_need_not_follow_all_of_the_lag() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let sent = sound(16);
    wav(&at("Send.wav"), &sent);
    wav(&at("Return.wav"), &print_of(&sent));
    let [send, back, out] = ["Send.wav", "Return.wav", "out"].map(|n| at(n).display().to_string());
    let report = told(&[&send, &back, "--way", "drift", "--out", &out]);
    assert_eq!((&report["verdict"], &report["invert"]), (&"likely".into(), &true.into()), "{}", report["reason"]);
    assert!(report["residual_db"]["map"].is_null());
    // Half a second and more of wow by 40 samples either way, about 72,000 and a drift.
    assert!((report["lag_samples"].as_f64().unwrap() - 72_050.0).abs() < 40.0, "{}", report["lag_samples"]);
    assert!(at("out/Return.wav").exists());
}

#[test]
fn who_walks_between_two_microphones_is_followed() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let walk = marea_scene::walkers::walk(20.0, 9_862);
    wav(&at("First.wav"), &walk.heard[0]);
    wav(&at("Second.wav"), &walk.heard[1]);
    let [first, second, out] = ["First.wav", "Second.wav", "out"].map(|n| at(n).display().to_string());
    let report = told(&[&first, &second, "--walker", "--out", &out]);
    assert_ne!(report["verdict"], "undecided", "{}", report["reason"]);
    assert!(report["drift_ppm"].is_null() && report["residual_db"]["drift"].is_null());
    let left = |way: &str| report["residual_db"][way].as_f64().unwrap();
    assert!(left("map") < left("offset"), "{}", report["residual_db"]);
    assert!(at("out/Second.wav").exists());
    let got = marea(&["follow", &first, &second, "--walker", "--way", "drift"]);
    assert!(String::from_utf8_lossy(&got.stderr).contains("no constant speed"));
}
