//! `marea probe`, as a shell sees it.

use crate::cli::marea;
use crate::common::*;
use serde_json::{Value, json};

#[test]
fn a_probe_is_written_and_read_again() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name);
    for (name, more) in [("sweep.wav", vec![]), ("noise.wav", vec!["--noise", "--rate", "44100"])] {
        let out = marea(folder.path(), &[&["probe", "--write", name], more.as_slice()].concat());
        assert_eq!(out.status.code(), Some(0), "{}", String::from_utf8_lossy(&out.stderr));
        let again = marea(folder.path(), &["probe", "--write", name]);
        assert_eq!(again.status.code(), Some(2));
        assert!(String::from_utf8(again.stderr).unwrap().contains("is there already"));
    }
    // Through a path that is 300 samples late and inverted, on one of two channels.
    let (info, planes) = read(&std::fs::read(path("sweep.wav")).unwrap());
    assert_eq!((info.rate.hz(), planes[0].len()), (48_000, 192_000));
    let back = wav(&[vec![0.0; 192_000], moved(&planes[0], 300, -0.5)], 48_000, None);
    std::fs::write(path("back.wav"), back).unwrap();
    let out = marea(folder.path(), &["probe", "--read", "back.wav", "--json"]);
    let report: Value = serde_json::from_slice(&out.stdout).unwrap();
    let text = std::fs::read_to_string(project().join("docs/probe.schema.json")).unwrap();
    let schema = jsonschema::validator_for(&serde_json::from_str(&text).unwrap()).unwrap();
    let faults: Vec<String> = schema.iter_errors(&report).map(|e| e.to_string()).collect();
    assert!(faults.is_empty(), "{faults:?}");
    let probes = report["probes"].as_array().unwrap();
    assert_eq!(probes.len(), 1, "{report}");
    let p = &probes[0];
    assert_eq!(
        (&p["channel"], &p["signal"], &p["invert"], &p["verdict"]),
        (&json!(2), &json!("sweep"), &json!(true), &json!("solid"))
    );
    assert!((p["latency_samples"].as_f64().unwrap() - 300.0).abs() < 0.02, "{p}");
    assert!((p["latency_ms"].as_f64().unwrap() - 6.25).abs() < 0.001, "{p}");
    let told = String::from_utf8(marea(folder.path(), &["probe", "--read", "noise.wav"]).stdout).unwrap();
    assert!(told.contains("noise.wav [1]") && told.contains("upright - solid"), "{told}");
    let told = String::from_utf8(marea(folder.path(), &["probe", "--read", "back.wav"]).stdout).unwrap();
    assert!(told.contains("300.0") && told.contains("inverted"), "{told}");
}

#[test]
fn what_is_no_probe_is_said() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("hits.wav"), wav(&[hits(200_000, 1)], 48_000, None)).unwrap();
    std::fs::write(folder.path().join("text.wav"), "no sound").unwrap();
    let out = marea(folder.path(), &["probe", "--read", "hits.wav"]);
    assert_eq!(String::from_utf8(out.stdout).unwrap().trim(), "hits.wav: no probe was found");
    for (args, words) in [
        (vec!["probe", "--read", "text.wav"], "text.wav"),
        (vec!["probe", "--read", "none.wav"], "none.wav"),
        (vec!["probe", "--write", "none/x.wav"], "none/x.wav cannot be written"),
        (vec!["probe", "--write", "x.wav", "--rate", "5"], "5 Hz"),
        (vec!["probe"], "--write"),
    ] {
        let out = marea(folder.path(), &args);
        assert_eq!(out.status.code(), Some(2), "{args:?}");
        let told = String::from_utf8(out.stderr).unwrap();
        assert!(told.contains(words), "{args:?}: {told}");
    }
}
