//! `marea layer` from two files to the layer set onto its source.

use crate::cli::marea;
use crate::common::{read, wav};
use marea_scene::layers::{Kind, layers};
use serde_json::{Value, json};
use std::path::Path;

/// The answer, which keeps to its schema.
fn asked(folder: &Path, args: &[&str]) -> Value {
    let got = marea(folder, &[&["layer", "--json"], args].concat());
    assert!(got.status.success(), "{}", String::from_utf8_lossy(&got.stderr));
    let report: Value = serde_json::from_slice(&got.stdout).unwrap();
    let schema: Value = serde_json::from_str(include_str!("../../../../docs/layer.schema.json")).unwrap();
    jsonschema::validator_for(&schema).unwrap().validate(&report).unwrap();
    report
}

#[test]
fn a_layer_is_set_onto_its_source_and_then_lies_on_it() {
    for seed in [201, 202, 203] {
        let made = layers(20.0, seed);
        let folder = tempfile::tempdir().unwrap();
        let put =
            |name: &str, x: &[f32]| std::fs::write(folder.path().join(name), wav(&[x.to_vec()], 48_000, None)).unwrap();
        put("Snare.wav", &made.source);
        put("Sample.wav", &made.layer);
        let report = asked(folder.path(), &["Snare.wav", "Sample.wav", "--out", "set"]);
        let matches = report["matches"].as_array().unwrap();
        let number = |m: &Value, key: &str| m[key].as_f64().unwrap();
        let mut off = Vec::new();
        for [from, to] in &made.matches {
            let near = matches.iter().find(|m| (number(m, "source_sample") - from).abs() < 48.0);
            off.extend(near.map(|m| (number(m, "lag_samples") - (to - from)).abs()));
        }
        off.sort_by(f64::total_cmp);
        assert!(off.len() * 10 >= made.matches.len() * 9, "{seed}: {} of {}", off.len(), made.matches.len());
        // A clap rises for 16 samples, and is seen to begin within the first of them.
        let median = if made.kind == Kind::Claps { 5.0 } else { 1.0 };
        assert!(off[off.len() / 2] <= median && off[off.len() * 9 / 10] < 10.0, "{seed}: {off:?}");
        if made.kind != Kind::Claps {
            assert!(report["polarity"] == "undecided" || report["invert"] == made.inverts, "{seed}");
        }
        // Set onto the source, hardly any lag is left.
        let again = asked(folder.path(), &["Snare.wav", "set/Sample.wav"]);
        let again_at = again["matches"].as_array().unwrap();
        let lies = |[from, _]: &&[f64; 2]| {
            let near = again_at.iter().find(|m| (number(m, "source_sample") - from).abs() < 48.0);
            near.is_some_and(|m| number(m, "lag_samples").abs() <= 4.0)
        };
        let (on, rides) = (made.matches.iter().filter(lies).count(), report["rides"].as_array().unwrap().len());
        assert!((on + rides) * 10 >= made.matches.len() * 8, "{seed}: {on} lie on it, {rides} could not");
        assert!(again["invert"] == false, "{seed}: an inverted layer is inverted back");
        let [before, after] =
            ["Sample.wav", "set/Sample.wav"].map(|f| read(&std::fs::read(folder.path().join(f)).unwrap()).1[0].len());
        assert!(after + 4_800 > before, "{seed}: nothing of it is left out");
    }
}

#[test]
fn what_doubles_nothing_is_left_alone_and_what_is_wrong_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, x: Vec<f32>| std::fs::write(folder.path().join(name), wav(&[x], 48_000, None)).unwrap();
    put("Played.wav", layers(10.0, 204).source);
    put("Silence.wav", vec![0.0; 480_000]);
    put("Short.wav", vec![0.5; 3]);
    std::fs::write(folder.path().join("Text.wav"), b"no sound").unwrap();
    for other in ["Silence.wav", "Short.wav"] {
        let report = asked(folder.path(), &["Played.wav", other]);
        assert_eq!((&report["matches"], &report["lag_samples"]), (&json!([]), &Value::Null), "{other}");
        assert!(!report["unmatched_source"].as_array().unwrap().is_empty());
    }
    for (args, says) in [
        (&["Played.wav", "Text.wav"][..], "Text.wav"),
        (&["None.wav", "Played.wav"], "None.wav"),
        (&["Played.wav", "Silence.wav", "--out", "set"], "no hit of Silence.wav doubles one of Played.wav"),
        (&["Played.wav", "Played.wav", "--out", "."], "would be written over"),
    ] {
        let got = marea(folder.path(), &[&["layer"], args].concat());
        let told = String::from_utf8_lossy(&got.stderr).into_owned();
        assert!(got.status.code() == Some(2) && told.contains(says), "{args:?}: {told}");
    }
}
