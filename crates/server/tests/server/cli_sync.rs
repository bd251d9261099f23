//! `marea sync` from files to its answer and to what it writes.

use crate::cli::marea;
use crate::common::wav;
use marea_core::timecode::count::Count;
use marea_scene::clocks::{Recorded, recorded};
use marea_scene::ltc::Generator;
use serde_json::Value;
use std::path::Path;

fn put(folder: &Path, name: &str, planes: &[Vec<f32>], stamp: Option<u64>) {
    std::fs::write(folder.join(name), wav(planes, 48_000, stamp)).unwrap();
}

/// The answer, which keeps to its schema: one entry a file.
fn asked(folder: &Path, args: &[&str]) -> Vec<Value> {
    let got = marea(folder, &[&["sync", "--json"], args].concat());
    assert!(got.status.success(), "{}", String::from_utf8_lossy(&got.stderr));
    let report: Value = serde_json::from_slice(&got.stdout).unwrap();
    let schema: Value = serde_json::from_str(include_str!("../../../../docs/sync.schema.json")).unwrap();
    jsonschema::validator_for(&schema).unwrap().validate(&report).unwrap();
    report["files"].as_array().unwrap().clone()
}

fn number(v: &Value) -> f64 {
    v.as_f64().unwrap_or_else(|| panic!("{v}"))
}

#[test]
fn pieces_of_one_recorder_are_placed_share_a_clock_and_are_written_in_time() {
    let folder = tempfile::tempdir().unwrap();
    let Recorded { reference, other, begins, ppm, .. } = recorded(200.0, 150.0, 9_821);
    put(folder.path(), "Hall.wav", &[reference], None);
    put(folder.path(), "Cam_001.wav", &[other[..60 * 48_000].to_vec()], None);
    put(folder.path(), "Cam_002.wav", &[other[80 * 48_000..].to_vec()], None);
    let files = asked(folder.path(), &["Hall.wav", "Cam_001.wav", "Cam_002.wav", "--out", "out", "--float"]);
    let second = begins + 80.0 * 48_000.0 / (1.0 + 1e-6 * ppm);
    for (file, expected, mate) in [(&files[1], begins, "Cam_002.wav"), (&files[2], second, "Cam_001.wav")] {
        assert!((number(&file["start_samples"]) - expected).abs() < 2.0, "{file}");
        assert!((number(&file["ppm"]) - ppm).abs() < 0.25, "{file} instead of {ppm}");
        assert_eq!((&file["by"], &file["ppm_claimed"]), (&"sound".into(), &true.into()), "{file}");
        assert_eq!(file["clock_shared_with"], serde_json::json!([mate]));
    }
    // What was written is the other's sound where and as fast as it truly was.
    let path = folder.path().join("out/Cam_001.wav");
    let cam: Vec<f32> = hound::WavReader::open(path).unwrap().samples().map(Result::unwrap).collect();
    for from in [begins as usize + 3 * 48_000, begins as usize + 55 * 48_000] {
        let dot = |x: &[f32], y: &[f32]| x.iter().zip(y).map(|(x, y)| f64::from(*x) * f64::from(*y)).sum::<f64>();
        let expected: Vec<f32> = (from..from + 96_000)
            .map(|s| {
                let at = (s as f64 - begins) * (1.0 + 1e-6 * ppm);
                let (n, part) = (at as usize, at.fract() as f32);
                other[n] + part * (other[n + 1] - other[n])
            })
            .collect();
        let got = &cam[from..from + 96_000];
        let alike = dot(got, &expected) / (dot(got, got) * dot(&expected, &expected)).sqrt();
        assert!(alike > 0.97, "{alike} at {from}");
    }
    let again = marea(folder.path(), &["sync", "Hall.wav", "Cam_001.wav", "--out", "out"]);
    assert!(String::from_utf8_lossy(&again.stderr).contains("exists already"));
}

#[test]
fn what_does_not_fit_by_sound_is_placed_by_code_clap_or_stamp_and_says_so() {
    let folder = tempfile::tempdir().unwrap();
    let [a, b] = [9_831, 9_832].map(|seed| recorded(60.0, 20.0, seed).reference[..20 * 48_000].to_vec());
    let code = |first: u32| {
        let g = Generator { count: Count::F25, first, rate_hz: 48_000.0, begins: 10.0, level: 0.3, ppm: 0.0 };
        let mut track = g.record(490);
        track.resize(20 * 48_000, 0.0);
        track
    };
    let midnight = Count::F25.day();
    put(folder.path(), "A.wav", &[code(midnight - 100), a.clone()], Some(48_000 * 100));
    // Seven seconds later, past midnight.
    put(folder.path(), "B.wav", &[b.clone(), code(75)], None);
    // The sound of B from its third second on, and others.
    put(folder.path(), "C.wav", &[b[3 * 48_000..].to_vec()], None);
    let [d, e] = [9_833, 9_834].map(|seed| recorded(60.0, 20.0, seed).reference[..20 * 48_000].to_vec());
    put(folder.path(), "D.wav", &[d], Some(48_000 * 90));
    put(folder.path(), "E.wav", &[e], None);
    let files = asked(folder.path(), &["A.wav", "B.wav", "C.wav", "D.wav", "E.wav"]);
    let by = |n: usize| files[n]["by"].as_str().unwrap();
    assert_eq!((by(0), by(1)), ("reference", "code"));
    assert!((number(&files[1]["start_samples"]) - 7.0 * 48_000.0).abs() < 2.0, "{}", files[1]);
    assert_eq!((&files[0]["code"]["first"], &files[0]["code"]["channel"]), (&"23:59:56:00".into(), &1.into()));
    assert_eq!((&files[1]["code"]["count"], &files[1]["verdict"]), (&"25".into(), &"likely".into()));
    assert!(by(2) == "sound" && (number(&files[2]["start_samples"]) - 10.0 * 48_000.0).abs() < 2.0, "{}", files[2]);
    assert!(files[2]["reason"].as_str().unwrap().contains("by way of B.wav"));
    assert_eq!((by(3), number(&files[3]["start_samples"])), ("stamp", -480_000.0));
    assert_eq!(
        (by(4), &files[4]["start_samples"], &files[4]["verdict"]),
        ("nothing", &Value::Null, &"undecided".into())
    );
}

#[test]
fn one_clap_in_each_is_offered_as_a_first_placement() {
    let folder = tempfile::tempdir().unwrap();
    let with = |at: usize, seed: u64| {
        let mut sound: Vec<f32> = recorded(24.0, 20.0, seed).other.iter().map(|v| 0.005 * v).collect();
        (0..4_000)
            .for_each(|k| sound[at + k] += 0.8 * (-(k as f32) / 300.0).exp() * ((k * k % 97) as f32 / 48.0 - 1.0));
        sound
    };
    put(folder.path(), "Slate.wav", &[with(300_000, 9_835)], None);
    put(folder.path(), "Phone.wav", &[with(120_000, 9_836)], None);
    let files = asked(folder.path(), &["Slate.wav", "Phone.wav"]);
    assert_eq!((&files[1]["by"], &files[1]["verdict"]), (&"clap".into(), &"likely".into()), "{}", files[1]);
    assert!((number(&files[1]["start_samples"]) - 180_000.0).abs() <= 96.0);
    let one = marea(folder.path(), &["sync", "Slate.wav"]);
    assert_eq!(one.status.code(), Some(2));
    let missing = marea(folder.path(), &["sync", "Slate.wav", "None.wav"]);
    assert!(String::from_utf8_lossy(&missing.stderr).contains("None.wav"));
}
