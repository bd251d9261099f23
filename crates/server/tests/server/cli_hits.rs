//! `marea hits` from files to its answer.

use crate::cli::marea;
use crate::common::wav;
use marea_scene::sets::{Kind, scene};
use marea_scene::struck::paired;
use marea_scene::write_files;
use std::path::Path;

/// The answer, which keeps to its schema.
fn asked(folder: &Path, args: &[&str]) -> serde_json::Value {
    let got = marea(folder, &[&["hits", "--json"], args].concat());
    assert!(got.status.success(), "{}", String::from_utf8_lossy(&got.stderr));
    let report: serde_json::Value = serde_json::from_slice(&got.stdout).unwrap();
    let schema: serde_json::Value = serde_json::from_str(include_str!("../../../../docs/hits.schema.json")).unwrap();
    jsonschema::validator_for(&schema).unwrap().validate(&report).unwrap();
    report
}

#[test]
fn the_strokes_of_a_set_are_found() {
    let folder = tempfile::tempdir().unwrap();
    let set = scene(20.0, 9_656, Kind::Clean);
    let played = set.render();
    write_files(&played, folder.path(), 0, &set.faults).unwrap();
    let files: Vec<&str> = set.takes.iter().map(|t| t.file.as_str()).collect();
    // Every stroke by itself, as its own microphone hears it: the bass drum's.
    let report = asked(folder.path(), &[&["--within", "0"], &files[..]].concat());
    let kick = set.sources.iter().find(|s| s.name == "Kick").unwrap();
    let arrival = |file: &str| played.arrivals.iter().find(|a| a.source == "Kick" && a.file == file).unwrap();
    let nearest = files.iter().min_by(|a, b| arrival(a).delay_frames.total_cmp(&arrival(b).delay_frames)).unwrap();
    let strokes: Vec<f64> = kick.hits.iter().map(|h| *h as f64 + arrival(nearest).delay_frames).collect();
    let hits = report["hits"].as_array().unwrap();
    let has = |h: &serde_json::Value| h["tracks"].as_array().unwrap().iter().any(|t| t == nearest);
    let found: Vec<f64> = hits.iter().filter(|h| has(h)).map(|h| h["sample"].as_f64().unwrap()).collect();
    let right = paired(&strokes, &found).iter().flatten().count();
    assert!(strokes.len() > 10 && right * 10 >= strokes.len() * 9, "{right} of {}: {found:?}", strokes.len());
    assert!(hits.is_sorted_by_key(|h| h["sample"].as_i64().unwrap()));
    // Those that sound together are one.
    let together = asked(folder.path(), &files);
    let together = together["hits"].as_array().unwrap();
    assert!(together.len() < hits.len() && together.iter().any(|h| h["tracks"].as_array().unwrap().len() > 1));
    // Less sensitive, fewer; and nothing but the loud ones.
    let fewer = asked(folder.path(), &[&["--sensitivity", "-6"], &files[..]].concat());
    let loud = fewer["hits"].as_array().unwrap();
    assert!(!loud.is_empty() && loud.len() < together.len());
    assert!(loud.iter().all(|h| h["level_db"].as_f64().unwrap() >= -6.0));
    let told = marea(folder.path(), &[&["hits"], &files[..]].concat()).stdout;
    let told = String::from_utf8(told).unwrap();
    assert!(told.contains("hits,") && told.contains(" solid") && told.contains(" dB  "), "{told}");
}

#[test]
fn without_strokes_there_are_none_and_what_is_wrong_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let put =
        |name: &str, sound: Vec<f32>| std::fs::write(folder.path().join(name), wav(&[sound], 48_000, None)).unwrap();
    put("Silence.wav", vec![0.0; 96_000]);
    put("Tone.wav", (0..96_000).map(|n| 0.3 * (0.02 * n as f32).sin()).collect());
    put("Short.wav", vec![0.5; 3]);
    std::fs::write(folder.path().join("Text.wav"), b"no sound").unwrap();
    for files in [&["Silence.wav"][..], &["Tone.wav"], &["Short.wav"], &["Silence.wav", "Tone.wav", "Short.wav"]] {
        let report = asked(folder.path(), files);
        assert_eq!(report["hits"], serde_json::json!([]), "{files:?}");
        assert_eq!(report["without"], serde_json::json!(files));
    }
    for (args, says) in [
        (&["Text.wav"][..], "Text.wav"),
        (&["None.wav"], "None.wav"),
        (&["Tone.wav", "--sensitivity", "3"], "--sensitivity 3"),
        (&["Tone.wav", "--within", "200"], "--within 200"),
    ] {
        let got = marea(folder.path(), &[&["hits"], args].concat());
        let told = String::from_utf8_lossy(&got.stderr).into_owned();
        assert!(got.status.code() == Some(2) && told.contains(says), "{args:?}: {told}");
    }
}
