//! `marea tempo` from files to its answer.

use crate::cli::marea;
use crate::common::wav;
use marea_scene::grid::session;
use serde_json::{Value, json};
use std::path::Path;

fn put(folder: &Path, name: &str, sound: Vec<f32>) {
    std::fs::write(folder.join(name), wav(&[sound], 48_000, None)).unwrap();
}

/// The answer, which keeps to its schema.
fn asked(folder: &Path, args: &[&str]) -> Value {
    let got = marea(folder, &[&["tempo", "--json"], args].concat());
    assert!(got.status.success(), "{}", String::from_utf8_lossy(&got.stderr));
    let report: Value = serde_json::from_slice(&got.stdout).unwrap();
    let schema: Value = serde_json::from_str(include_str!("../../../../docs/tempo.schema.json")).unwrap();
    jsonschema::validator_for(&schema).unwrap().validate(&report).unwrap();
    report
}

fn number(v: &Value) -> f64 {
    v.as_f64().unwrap_or_else(|| panic!("{v}"))
}

#[test]
fn a_click_gives_a_map_and_the_map_gives_the_same_lags() {
    let folder = tempfile::tempdir().unwrap();
    let made = session(16, 9_900);
    assert_eq!(made.changes.len(), 2);
    put(folder.path(), "Click.wav", made.click);
    let lags: Vec<f64> = made.tracks.iter().map(|t| t.lag_ms).collect();
    for (track, name) in made.tracks.into_iter().zip(["Box.wav", "Bars.wav", "Feel.wav", "Bass.wav"]) {
        put(folder.path(), name, track.sound);
    }
    let files = ["Box.wav", "Bars.wav", "Feel.wav", "Bass.wav"];
    let report = asked(folder.path(), &[&files[..], &["--click", "Click.wav"]].concat());
    assert!((number(&report["first_beat_sample"]) - made.first_beat).abs() < 24.0, "{report}");
    for (told, truth) in report["changes"].as_array().unwrap().iter().zip(&made.changes) {
        assert_eq!(
            (&told["quarter"], &told["beats"]),
            (&json!(truth.quarter), &json!(truth.quarters_a_bar)),
            "{report}"
        );
        assert!((number(&told["bpm"]) - truth.bpm).abs() < 0.02);
    }
    let check = |report: &Value| {
        for (name, lag, bar) in [("Box.wav", lags[0], 3.0), ("Bars.wav", lags[1], 3.0), ("Bass.wav", lags[3], 6.0)] {
            let track = &report["tracks"][name];
            assert!((number(&track["lag_ms"]) - lag).abs() < bar && track["constant"] == true, "{name} {lag}: {track}");
            assert!((number(&track["offset_samples"]) + 48.0 * lag).abs() < 48.0 * bar);
        }
        let feel = &report["tracks"]["Feel.wav"];
        assert_eq!((&feel["constant"], &feel["offset_samples"]), (&json!(false), &Value::Null), "{feel}");
    };
    check(&report);
    std::fs::write(folder.path().join("map.json"), report.to_string()).unwrap();
    check(&asked(folder.path(), &[&files[..], &["--map", "map.json"]].concat()));
}

#[test]
fn a_track_is_held_against_the_strokes_of_another() {
    let folder = tempfile::tempdir().unwrap();
    let made = session(16, 9_900);
    let [first, second] = [&made.tracks[0], &made.tracks[1]];
    put(folder.path(), "Box.wav", first.sound.clone());
    put(folder.path(), "Bars.wav", second.sound.clone());
    let report = asked(folder.path(), &["Bars.wav", "--beside", "Box.wav"]);
    assert_eq!((&report["tempo_from"], &report["first_beat_sample"]), (&json!("strokes"), &Value::Null));
    let told = &report["tracks"]["Bars.wav"];
    assert!((number(&told["lag_ms"]) - (second.lag_ms - first.lag_ms)).abs() < 3.0, "{told}");
    assert_eq!((&told["constant"], &told["grid"]), (&json!(true), &Value::Null), "{told}");
    let both = marea(folder.path(), &["tempo", "Bars.wav", "--beside", "Box.wav", "--click", "Box.wav"]);
    assert_eq!(both.status.code(), Some(2), "one reference at a time");
}

#[test]
fn a_steady_track_gives_a_tempo_and_asks_for_half_or_double() {
    let folder = tempfile::tempdir().unwrap();
    let made = session(16, 9_901);
    put(folder.path(), "Box.wav", made.tracks.into_iter().next().unwrap().sound);
    let report = asked(folder.path(), &["Box.wav"]);
    assert_eq!((&report["tempo_from"], &report["accented"]), (&json!("track"), &json!(false)));
    // Held against itself it is never solid.
    assert_eq!(report["tracks"]["Box.wav"]["verdict"], "likely", "{report}");
    let told = [&report["or_bpm"][0], &report["or_bpm"][1], &report["changes"][0]["bpm"]].map(number);
    assert!(told.iter().any(|b| (b - made.changes[0].bpm).abs() < 0.05), "{told:?}, {}", made.changes[0].bpm);
}

#[test]
fn what_cannot_be_used_is_named() {
    let folder = tempfile::tempdir().unwrap();
    put(folder.path(), "Still.wav", vec![0.0; 96_000]);
    let report = asked(folder.path(), &["Still.wav", "--click", "Still.wav"]);
    assert_eq!(
        (&report["tempo_from"], &report["tracks"]["Still.wav"]["verdict"]),
        (&json!("nothing"), &json!("undecided"))
    );
    let maps = [
        ("torn.json", "{\"first_beat_sample\": 0", "is no tempo map"),
        (
            "fast.json",
            "{\"first_beat_sample\":0,\"changes\":[{\"quarter\":0,\"bpm\":999,\"beats\":4,\"unit\":4}]}",
            "between 20 and 400",
        ),
        (
            "odd.json",
            "{\"first_beat_sample\":0,\"changes\":[{\"quarter\":0,\"bpm\":99,\"beats\":7,\"unit\":8}]}",
            "7/8",
        ),
        (
            "none.json",
            "{\"first_beat_sample\":0,\"changes\":[{\"quarter\":0,\"bpm\":99,\"beats\":7,\"unit\":0}]}",
            "7/0",
        ),
        ("late.json", "{\"first_beat_sample\":0,\"changes\":[]}", "in order"),
        ("torn.mid", "MThd", "torn.mid cannot be read"),
    ];
    for (name, text, says) in maps {
        std::fs::write(folder.path().join(name), text).unwrap();
        let got = marea(folder.path(), &["tempo", "Still.wav", "--map", name]);
        let told = String::from_utf8_lossy(&got.stderr).into_owned();
        assert!(got.status.code() == Some(2) && told.contains(name) && told.contains(says), "{name}: {told}");
    }
}
