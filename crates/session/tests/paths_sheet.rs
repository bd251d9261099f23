//! Maps of signal paths to sheets and back.

use marea_core::paths::{Graph, PathMap};
use marea_session::paths_sheet::{from_sheet, to_sheet};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde_json::{Value, json};

fn map(value: Value) -> PathMap {
    serde_json::from_value(value).unwrap()
}

/// Maps with names that a sheet might take for something else come back as they were.
#[test]
fn a_map_comes_back_from_its_sheet() {
    let names = ["Voice", "=1+1", "+48", "-20 dB", "@home", "'quoted", "a,b", "say \"so\"", "two\nlines", "Größe", "7"];
    for seed in 0..40 {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let stage = |rng: &mut ChaCha8Rng| {
            let name = names[rng.random_range(0..names.len())];
            let latency = if rng.random_bool(0.5) { "latency_ms" } else { "latency_samples" };
            let mut s = json!({ "name": name, "on": rng.random_bool(0.5), "late_when_off": rng.random_bool(0.5) });
            s[latency] = json!(rng.random_range(0.0..2_000.0));
            s
        };
        let nodes: Vec<Value> = names
            .iter()
            .map(|name| {
                let stages: Vec<Value> = (0..rng.random_range(0..3)).map(|_| stage(&mut rng)).collect();
                let to = if rng.random_bool(0.5) {
                    json!([{ "node": "Out", "tap": "before" }, { "node": "Out" }])
                } else {
                    json!([])
                };
                json!({ "id": name, "kind": "track", "stages": stages, "to": to })
            })
            .chain([json!({ "id": "Out", "kind": "output" })])
            .collect();
        let whole = map(json!({ "sample_rate_hz": 44_100, "nodes": nodes }));
        let sheet = to_sheet(&whole);
        assert!(!sheet.lines().any(|l| l.starts_with(['=', '+', '-', '@'])), "{sheet}");
        assert_eq!(from_sheet(&sheet).unwrap(), whole, "{sheet}");
        assert!(Graph::new(&whole).is_ok());
    }
}

#[test]
fn a_sheet_is_read_as_people_write_it() {
    let text = "\u{feff}sample_rate_hz,48000\nnode,kind,stage,latency_ms,latency_samples,at_rate_hz,on,late_when_off,to,tap\n\
                Voice, Track ,Gate,\"1,5\",,,,,Out,\n\nVoice,track,Delay,,441,44100,no,1\nOut,output\n";
    let expected = map(json!({ "sample_rate_hz": 48_000, "nodes": [
        { "id": "Voice", "kind": "track", "to": [{ "node": "Out" }], "stages": [
            { "name": "Gate", "latency_ms": 1.5 },
            { "name": "Delay", "latency_samples": 441, "at_rate_hz": 44_100, "on": false, "late_when_off": true }] },
        { "id": "Out", "kind": "output" }] }));
    assert_eq!(from_sheet(text).unwrap(), expected);
}

#[test]
fn what_cannot_be_read_is_told_with_its_line() {
    let head = "sample_rate_hz,48000\nnode,kind,stage,latency_ms,latency_samples,at_rate_hz,on,late_when_off,to,tap\n";
    let refused = |rows: &str| from_sheet(&format!("{head}{rows}")).expect_err("refused").to_string();
    assert_eq!(refused("A,bus\n"), "line 3: “bus” is no kind: track, group, return or output");
    assert_eq!(refused("A,track,S,soon\n"), "line 3: “soon” is no number");
    assert_eq!(refused("A,track,S,1,,,maybe\n"), "line 3: “maybe” is neither yes nor no");
    assert_eq!(refused("A,track,,,,,,,B,beside\n"), "line 3: “beside” is neither after nor before");
    assert_eq!(refused("A,track\nA,group\n"), "line 4: “A” is a track above and a group here");
    for text in ["", "node,kind\n", "sample_rate_hz,fast\n", "sample_rate_hz,48000\nname,kind\n"] {
        assert!(
            from_sheet(text).expect_err("refused").to_string().starts_with("the first row must be “sample_rate_hz”")
        );
    }
}
