//! `marea takes` from two files to the chords and passages in which they differ.

use crate::cli::marea;
use crate::common::wav;
use marea_core::edit::tempo::TempoMap;
use marea_scene::takes::{strangers, takes};
use serde_json::{Value, json};
use std::path::Path;

/// The answer, which keeps to its schema.
fn asked(folder: &Path, args: &[&str]) -> Value {
    let got = marea(folder, &[&["takes", "--json"], args].concat());
    assert!(got.status.success(), "{}", String::from_utf8_lossy(&got.stderr));
    let report: Value = serde_json::from_slice(&got.stdout).unwrap();
    let schema: Value = serde_json::from_str(include_str!("../../../../docs/takes.schema.json")).unwrap();
    jsonschema::validator_for(&schema).unwrap().validate(&report).unwrap();
    report
}

fn map(beats: &TempoMap, later: f64) -> String {
    let bpm = beats.changes()[0].bpm;
    let first = beats.beats(48_000.0).frame_of(0.0) + later;
    json!({"first_beat_sample": first, "changes": [{"quarter": 0, "bpm": bpm, "beats": 4, "unit": 4}]}).to_string()
}

#[test]
fn chords_are_held_together_and_the_beats_tell_whose_phrase_is_early() {
    for seed in [203, 204] {
        let made = takes(40.0, seed);
        let folder = tempfile::tempdir().unwrap();
        let put = |name: &str, bytes: Vec<u8>| std::fs::write(folder.path().join(name), bytes).unwrap();
        put("Morning.wav", wav(&[made.sounds[0].clone()], 48_000, None));
        put("Evening.wav", wav(&[made.sounds[1].clone()], 48_000, None));
        put("beats.json", map(&made.beats, 0.0).into_bytes());
        let report = asked(folder.path(), &["Morning.wav", "Evening.wav", "--tempo", "beats.json"]);
        let pairs = report["pairs"].as_array().unwrap();
        let near = |at: f64| pairs.iter().find(|p| (p["a_sample"].as_f64().unwrap() - at).abs() < 960.0);
        let mut off = Vec::new();
        for [a, b] in &made.chords {
            off.extend(near(*a).map(|p| (p["difference_ms"].as_f64().unwrap() - (b - a) / 48.0).abs()));
        }
        off.sort_by(f64::total_cmp);
        assert!(off.len() * 10 >= made.chords.len() * 9, "{seed}: {} of {}", off.len(), made.chords.len());
        assert!(off[off.len() / 2] < 3.0 && off[off.len() * 19 / 20] < 12.0, "{seed}: {off:?}");
        // The longest phrase that is off on purpose is flagged, and so is whose it is.
        let both: Vec<_> = made.chords.iter().zip(&made.off).collect();
        let phrases = both.chunk_by(|a, b| a.1 == b.1).filter(|p| p[0].1.is_some());
        let longest = phrases.max_by_key(|p| p.len()).unwrap();
        let take = longest[0].1.unwrap().0;
        let [from, to] = [longest[0].0, longest[longest.len() - 1].0].map(|c| c[0].min(c[1]));
        let flags = report["flagged"].as_array().unwrap();
        let inside = |f: &&Value| {
            f["from_sample"].as_f64().unwrap() < to + 2_400.0 && f["to_sample"].as_f64().unwrap() > from - 2_400.0
        };
        let flag = flags.iter().find(inside).unwrap_or_else(|| panic!("{seed}: {flags:?}"));
        assert_eq!(flag["take"], ["Morning.wav", "Evening.wav"][take], "{seed}: {flag}");
        assert!(flag["reason"].as_str().unwrap().contains("early"), "{flag}");
        // Without beats nobody is blamed; with all the slack there is nothing is flagged.
        let without = asked(folder.path(), &["Morning.wav", "Evening.wav"]);
        assert!(without["flagged"].as_array().unwrap().iter().all(|f| f["take"].is_null()));
        assert!(without["pairs"][0]["a_off_ms"].is_null() && !report["pairs"][0]["a_off_ms"].is_null());
        let loose = asked(folder.path(), &["Morning.wav", "Evening.wav", "--slack", "200"]);
        assert_eq!(loose["flagged"], json!([]));
    }
}

#[test]
fn a_take_against_itself_is_nowhere_apart_also_by_time_stamps() {
    let made = takes(20.0, 207);
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, x: &[f32], stamp: Option<u64>| {
        std::fs::write(folder.path().join(name), wav(&[x.to_vec()], 48_000, stamp)).unwrap();
    };
    put("One.wav", &made.sounds[0], Some(480_000));
    put("Part.wav", &made.sounds[0][96_000..], Some(576_000));
    let report = asked(folder.path(), &["One.wav", "Part.wav"]);
    let pairs = report["pairs"].as_array().unwrap();
    assert!(pairs.len() > 10 && pairs.iter().all(|p| p["difference_ms"].as_f64().unwrap().abs() < 0.1), "{pairs:?}");
    assert_eq!((&report["flagged"], &report["only_a"]), (&json!([]), &json!([])));
}

#[test]
fn another_song_to_the_same_click_has_no_solid_chord() {
    for seed in [208, 209] {
        let folder = tempfile::tempdir().unwrap();
        for (name, x) in ["Song.wav", "Other.wav"].iter().zip(strangers(30.0, seed)) {
            std::fs::write(folder.path().join(name), wav(&[x], 48_000, None)).unwrap();
        }
        let report = asked(folder.path(), &["Song.wav", "Other.wav"]);
        let pairs = report["pairs"].as_array().unwrap();
        assert!(!pairs.is_empty() && pairs.iter().all(|p| p["verdict"] != "solid"), "{seed}: {report}");
        assert!(report["alike"].as_f64().unwrap() < 0.62, "{seed}: {}", report["alike"]);
    }
}

#[test]
fn what_is_no_take_has_no_chords_and_what_is_wrong_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let put =
        |name: &str, x: &[f32]| std::fs::write(folder.path().join(name), wav(&[x.to_vec()], 48_000, None)).unwrap();
    put("Take.wav", &takes(10.0, 204).sounds[0]);
    put("Silence.wav", &vec![0.0; 480_000]);
    put("Short.wav", &[0.5; 3]);
    std::fs::write(folder.path().join("Text.wav"), b"no sound").unwrap();
    for other in ["Silence.wav", "Short.wav"] {
        let report = asked(folder.path(), &["Take.wav", other]);
        assert_eq!((&report["pairs"], &report["difference_ms"]), (&json!([]), &Value::Null), "{other}");
    }
    for (args, says) in [
        (&["Take.wav", "Text.wav"][..], "Text.wav"),
        (&["None.wav", "Take.wav"], "None.wav"),
        (&["Take.wav", "Take.wav", "--slack", "900"], "--slack 900 is not between 0 and 200 ms"),
        (&["Take.wav", "Take.wav", "--tempo", "Text.wav"], "Text.wav"),
    ] {
        let got = marea(folder.path(), &[&["takes"], args].concat());
        let told = String::from_utf8_lossy(&got.stderr).into_owned();
        assert!(!got.status.success() && told.contains(says), "{args:?}: {told}");
    }
}
