//! `marea notes` from files to its answer.

use crate::cli::marea;
use crate::common::wav;
use marea_scene::renders::rendering;
use std::path::Path;

/// The answer, which keeps to its schema.
fn asked(folder: &Path, score: &str, render: &str) -> serde_json::Value {
    let got = marea(folder, &["notes", score, render, "--json"]);
    assert!(got.status.success(), "{}", String::from_utf8_lossy(&got.stderr));
    let report: serde_json::Value = serde_json::from_slice(&got.stdout).unwrap();
    let schema: serde_json::Value = serde_json::from_str(include_str!("../../../../docs/notes.schema.json")).unwrap();
    jsonschema::validator_for(&schema).unwrap().validate(&report).unwrap();
    report
}

#[test]
fn a_render_is_told_against_its_notes_and_no_others() {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, bytes: &[u8]| std::fs::write(folder.path().join(name), bytes).unwrap();
    let (made, other) = (rendering(20.0, 9_528), rendering(20.0, 9_534));
    put("Bells.mid", &made.file);
    put("Other.mid", &other.file);
    // The sound is on the second channel only.
    put("Bells.wav", &wav(&[vec![0.0; made.sound.len()], made.sound], 48_000, None));
    let report = asked(folder.path(), "Bells.mid", "Bells.wav");
    let number = |name: &str| report[name].as_f64().unwrap();
    assert!((number("latency_ms") - made.late_ms).abs() < 1.0, "{report}");
    assert!((number("offset_samples") + made.late_ms * 48.0).abs() < 48.0);
    assert!(number("heard_ms") >= number("latency_ms"));
    assert_eq!(report["verdict"], "solid");
    assert_eq!(report["note_value"].as_str(), made.value);
    let late = report["notes"].as_array().unwrap().iter().filter_map(|n| n["late_ms"].as_f64());
    assert!(late.clone().count() > 8 && late.into_iter().all(|l| (l - made.late_ms).abs() < 3.0));
    let stranger = asked(folder.path(), "Other.mid", "Bells.wav");
    assert_eq!((&stranger["verdict"], &stranger["latency_ms"]), (&"undecided".into(), &serde_json::Value::Null));
    let told = String::from_utf8(marea(folder.path(), &["notes", "Bells.mid", "Bells.wav"]).stdout).unwrap();
    assert!(told.contains("solid") && told.contains("samples at 48000 Hz"), "{told}");
}

#[test]
fn what_cannot_be_read_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, bytes: &[u8]| std::fs::write(folder.path().join(name), bytes).unwrap();
    let made = rendering(5.0, 9_528);
    put("Bells.mid", &made.file);
    put("Torn.mid", &made.file[..made.file.len() - 30]);
    put("Empty.mid", &[]);
    put("Bells.wav", &wav(&[made.sound], 48_000, None));
    for (score, render, says) in [
        ("Torn.mid", "Bells.wav", "Torn.mid cannot be read"),
        ("Empty.mid", "Bells.wav", "Empty.mid cannot be read"),
        ("None.mid", "Bells.wav", "None.mid"),
        ("Bells.mid", "None.wav", "None.wav"),
        ("Bells.mid", "Bells.mid", "Bells.mid"),
    ] {
        let got = marea(folder.path(), &["notes", score, render]);
        let told = String::from_utf8_lossy(&got.stderr).into_owned();
        assert!(got.status.code() == Some(2) && told.contains(says), "{score}, {render}: {told}");
    }
}
