//! `marea paths`, as a shell sees it.

use crate::cli::marea;
use crate::common::*;
use serde_json::{Value, json};

fn schema(name: &str) -> jsonschema::Validator {
    let text = std::fs::read_to_string(project().join("docs").join(name)).unwrap();
    jsonschema::validator_for(&serde_json::from_str(&text).unwrap()).unwrap()
}

fn hall() -> Value {
    json!({ "sample_rate_hz": 48_000, "nodes": [
        { "id": "Voice", "kind": "track", "stages": [{ "name": "Gate", "latency_ms": 10.0 }], "to": [{ "node": "Voices" }, { "node": "Plate", "tap": "before" }] },
        { "id": "Voices", "kind": "group", "stages": [{ "name": "Equaliser", "latency_ms": 15.0 }, { "name": "Restoration", "latency_ms": 786.9 }], "to": [{ "node": "Out" }] },
        { "id": "Plate", "kind": "return", "stages": [{ "name": "Converter", "latency_samples": 44.1, "at_rate_hz": 44_100 }], "to": [{ "node": "Out" }] },
        { "id": "Out", "kind": "output" }] })
}

#[test]
fn paths_are_added_up_and_brought_together() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("hall.json"), hall().to_string()).unwrap();
    let out = marea(folder.path(), &["paths", "hall.json", "--json", "--under", "20"]);
    assert_eq!(out.status.code(), Some(0), "{}", String::from_utf8_lossy(&out.stderr));
    let report: Value = serde_json::from_slice(&out.stdout).unwrap();
    let faults: Vec<String> = schema("paths-report.schema.json").iter_errors(&report).map(|e| e.to_string()).collect();
    assert!(faults.is_empty(), "{faults:?}");
    assert!(schema("paths.schema.json").is_valid(&hall()));
    assert!(
        !schema("paths.schema.json")
            .is_valid(&json!({ "sample_rate_hz": 48_000, "nodes": [{ "id": "A", "kind": "bus" }] }))
    );
    // 10.0 + 15.0 + 786.9 ms = 811.9 ms (common practice, no source); the converter's 44.1 samples at 44.1 kHz are one ms.
    let slow = json!({ "latency_samples": 38_971.2, "compensation_samples": 0.0 });
    assert_eq!(report["paths"]["Voice > Voices > Out"], slow);
    assert_eq!(report["paths"]["Voice (before) > Plate > Out"], Value::Null, "only one point of Voice feeds the plate");
    let quick = json!({ "latency_samples": 48.0, "compensation_samples": 38_923.2 });
    assert_eq!(report["paths"]["Voice > Plate > Out"], quick);
    assert_eq!(report["compensation_total_samples"], 38_923.2);
    assert_eq!(report["offender"]["stage"], "Restoration");
    assert_eq!(report["tracks"]["Voice"]["pull_samples"], -38_971.2);
    let met = json!({ "node": "Out", "early": "Plate > Out", "late": "Voices > Out", "apart_samples": 38_923.2, "tracks": ["Voice"], "tracks_in_all": 1 });
    assert_eq!(report["meetings"], json!([met]));
    let off: Vec<&Value> = report["under"]["off"].as_array().unwrap().iter().map(|s| &s["stage"]).collect();
    assert_eq!((off, &report["under"]["fewest"]), (vec![&json!("Equaliser"), &json!("Restoration")], &json!(true)));
    let told = String::from_utf8(marea(folder.path(), &["paths", "hall.json", "--under", "1"]).stdout).unwrap();
    assert!(told.contains("Out gets Voice twice, 810.900 ms apart: by Plate > Out and by Voices > Out"), "{told}");
    assert!(
        told.contains("switch off Gate of Voice, Equaliser of Voices, Restoration of Voices (no fewer do)"),
        "{told}"
    );
}

#[test]
fn a_map_goes_into_a_sheet_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("hall.json"), hall().to_string()).unwrap();
    let json = |args: &[&str]| {
        let out = marea(folder.path(), &[&["paths"], args, &["--json"]].concat());
        assert_eq!(out.status.code(), Some(0), "{}", String::from_utf8_lossy(&out.stderr));
        serde_json::from_slice::<Value>(&out.stdout).unwrap()
    };
    let first = json(&["hall.json", "--write", "hall.csv"]);
    assert_eq!(json(&["hall.csv", "--write", "again.json"]), first);
    assert_eq!(json(&["again.json"]), first);
    let out = marea(folder.path(), &["paths", "hall.json", "--write", "hall.csv"]);
    assert!(String::from_utf8(out.stderr).unwrap().contains("hall.csv is there already"));
    std::fs::write(folder.path().join("bad.csv"), "node,kind\n").unwrap();
    let out = marea(folder.path(), &["paths", "bad.csv"]);
    assert_eq!(out.status.code(), Some(2));
    assert!(String::from_utf8(out.stderr).unwrap().starts_with("marea: bad.csv: the first row must be"));
}

#[test]
fn a_map_that_cannot_be_is_refused_with_the_file_named() {
    let folder = tempfile::tempdir().unwrap();
    let refused = |text: &str, more: &[&str]| {
        std::fs::write(folder.path().join("map.json"), text).unwrap();
        let out = marea(folder.path(), &[&["paths", "map.json"], more].concat());
        assert_eq!(out.status.code(), Some(2));
        String::from_utf8(out.stderr).unwrap()
    };
    let mut round = hall();
    round["nodes"][2]["to"][0]["node"] = "Voices".into();
    round["nodes"][1]["to"][0]["node"] = "Plate".into();
    assert!(refused(&round.to_string(), &[]).starts_with("marea: map.json: the paths form a loop: "));
    assert!(refused("{}", &[]).starts_with("marea: map.json is no map of paths: missing field"));
    assert!(refused("", &[]).contains("map.json is no map of paths"));
    assert!(refused(&hall().to_string(), &["--under", "-1"]).contains("-1 ms is no limit"));
    let out = marea(folder.path(), &["paths", "none.json"]);
    assert!(String::from_utf8(out.stderr).unwrap().contains("none.json cannot be read"));
}
