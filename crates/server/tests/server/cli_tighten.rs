//! `marea tighten` from a folder to the moved files.

use crate::cli::marea;
use crate::common::{read, wav};
use marea_scene::sets::{Kind, scene};
use marea_scene::write_files;
use serde_json::Value;
use std::path::Path;

const MAP: &str = r#"{ "first_beat_sample": 1000, "changes": [{ "quarter": 0, "bpm": 117, "beats": 4, "unit": 4 }] }"#;

/// The answer, which keeps to its schema.
fn asked(folder: &Path, args: &[&str]) -> Value {
    let got = marea(folder, &[&["tighten", "set", "--tempo", "map.json", "--json"], args].concat());
    assert!(got.status.success(), "{}", String::from_utf8_lossy(&got.stderr));
    let report: Value = serde_json::from_slice(&got.stdout).unwrap();
    let schema: Value = serde_json::from_str(include_str!("../../../../docs/tighten.schema.json")).unwrap();
    jsonschema::validator_for(&schema).unwrap().validate(&report).unwrap();
    report
}

fn planes(path: &Path) -> Vec<Vec<f32>> {
    read(&std::fs::read(path).unwrap()).1
}

fn numbers(list: &Value) -> Vec<i64> {
    list.as_array().unwrap().iter().map(|v| v.as_i64().unwrap()).collect()
}

#[test]
fn a_set_is_moved_onto_a_grid_and_every_file_plays_the_same_strokes() {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, bytes: &[u8]| std::fs::write(folder.path().join(name), bytes).unwrap();
    put("map.json", MAP.as_bytes());
    let set = scene(20.0, 9_656, Kind::Clean);
    let played = set.render();
    write_files(&played, &folder.path().join("set"), 0, &set.faults).unwrap();
    let how = ["--grid", "1/16", "--strength", "80", "--slack", "4", "--farthest", "40"];
    let report = asked(folder.path(), &[&how[..], &["--out", "moved", "--float"]].concat());
    let moves = report["moves"].as_array().unwrap();
    let n = |m: &Value, key: &str| m[key].as_f64().unwrap();
    let own: Vec<&Value> = moves.iter().filter(|m| m["rides"] == false).collect();
    assert!(own.len() > 20, "{} of {} moves", own.len(), moves.len());
    for m in &own {
        let off = n(m, "grid_sample") - n(m, "from_sample");
        let by = n(m, "to_sample") - n(m, "from_sample");
        assert!((by - 0.8 * off).abs() <= 1.0, "80 % of {off}: {m}");
        assert!(off.abs() >= 191.0 && off.abs() <= 1_921.0, "over the slack, under the farthest: {m}");
    }
    assert!(!report["left"].as_array().unwrap().is_empty());
    let proof = &report["proof"];
    assert_eq!((&proof["lost"], &proof["doubled"], &proof["failed"]), (&0.into(), &0.into(), &serde_json::json!([])));
    assert!(n(proof, "worst_join_db") < -60.0 && n(proof, "null_db") == -200.0, "{proof}");
    // The same samples from each stroke on, in every file, as delivered.
    for take in &set.takes {
        let [before, after] = ["set", "moved"].map(|at| planes(&folder.path().join(at).join(&take.file)));
        assert!(after[0].len() >= before[0].len(), "{}", take.file);
        for m in &own {
            let [from, to] = ["from_sample", "to_sample"].map(|key| m[key].as_u64().unwrap() as usize);
            assert_eq!(before[0][from..from + 200], after[0][to..to + 200], "{} at {from}", take.file);
        }
    }
    // Of one file alone, fewer are moved; asked for nothing, nothing is.
    let kick = set.takes.iter().find(|t| t.file.to_lowercase().contains("kick")).unwrap();
    let one = asked(folder.path(), &[&how[..], &["--hits", &kick.file]].concat());
    let of = |r: &Value| r["moves"].as_array().unwrap().iter().filter(|m| m["rides"] == false).count();
    assert!(of(&one) > 0 && of(&one) < own.len(), "{} of {}", of(&one), own.len());
    let none = asked(folder.path(), &["--grid", "1/16", "--strength", "0", "--out", "same", "--float"]);
    assert_eq!(none["moves"], serde_json::json!([]));
    for take in &set.takes {
        let [before, after] = ["set", "same"].map(|at| planes(&folder.path().join(at).join(&take.file)));
        assert!(before == after, "{}", take.file);
    }
    // Told in words as well; recordings and files that are there already are not written over.
    let told = marea(folder.path(), &[&["tighten", "set", "--tempo", "map.json"], &how[..]].concat());
    assert!(String::from_utf8_lossy(&told.stdout).contains("0 lost, 0 doubled"));
    for (out, says) in [("set", "would be written over"), ("moved", "exists already")] {
        let got = marea(folder.path(), &[&["tighten", "set", "--tempo", "map.json", "--out", out], &how[..]].concat());
        assert!(got.status.code() == Some(2) && String::from_utf8_lossy(&got.stderr).contains(says), "{out}");
    }
}

#[test]
fn a_set_without_strokes_stays_and_what_is_wrong_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, bytes: &[u8]| std::fs::write(folder.path().join(name), bytes).unwrap();
    std::fs::create_dir(folder.path().join("set")).unwrap();
    std::fs::create_dir(folder.path().join("empty")).unwrap();
    put("map.json", MAP.as_bytes());
    put("fast.json", MAP.replace("117", "999").as_bytes());
    put("slow.json", MAP.replace("117", "1").as_bytes());
    let tone: Vec<f32> = (0..96_000).map(|n| 0.3 * (0.02 * n as f32).sin()).collect();
    put("set/Tone.wav", &wav(&[tone], 48_000, None));
    put("set/Silence.wav", &wav(&[vec![0.0; 48_000]], 48_000, None));
    let report = asked(folder.path(), &["--grid", "1/64"]);
    assert_eq!((&report["moves"], &report["left"]), (&serde_json::json!([]), &serde_json::json!([])));
    assert_eq!(numbers(&report["proof"]["failed"]), [0i64; 0]);
    for (args, says) in [
        (&["set", "--tempo", "map.json", "--grid", "1/3"][..], "“1/3” is no grid"),
        (&["set", "--tempo", "fast.json", "--grid", "1/8"], "fast.json: a tempo lies between 20 and 400"),
        (&["set", "--tempo", "slow.json", "--grid", "1/8"], "slow.json: a tempo lies between 20 and 400"),
        (&["set", "--tempo", "none.json", "--grid", "1/8"], "none.json"),
        (&["set", "--tempo", "map.json", "--grid", "1/8", "--strength", "120"], "--strength 120"),
        (&["set", "--tempo", "map.json", "--grid", "1/8", "--slack=-1"], "--slack -1"),
        (&["set", "--tempo", "map.json", "--grid", "1/8", "--farthest", "9000"], "--farthest 9000"),
        (
            &["set", "--tempo", "map.json", "--grid", "1/8", "--hits", "Other.wav"],
            "Other.wav is no recording of this set",
        ),
        (&["empty", "--tempo", "map.json", "--grid", "1/8"], "empty holds no recordings"),
        (&["map.json", "--tempo", "map.json", "--grid", "1/8"], "map.json is no folder"),
    ] {
        let got = marea(folder.path(), &[&["tighten"], args].concat());
        let told = String::from_utf8_lossy(&got.stderr).into_owned();
        assert!(got.status.code() == Some(2) && told.contains(says), "{args:?}: {told}");
    }
}
