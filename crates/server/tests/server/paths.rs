//! Signal paths of a session: drawn, added up, chosen from, delivered, taken back.

use crate::common::*;
use crate::deliver::{deliver, fetch};
use serde_json::{Value, json};

fn map() -> Value {
    json!({ "sample_rate_hz": 44_100, "nodes": [
        { "id": "Voice", "kind": "track", "stages": [{ "name": "Gate", "latency_samples": 441 }], "to": [{ "node": "Voices" }, { "node": "Plate", "tap": "before" }] },
        { "id": "Pair L", "kind": "track", "to": [{ "node": "Out" }] },
        { "id": "Absent", "kind": "track", "to": [{ "node": "Out" }] },
        { "id": "Voices", "kind": "group", "stages": [{ "name": "Limiter", "latency_ms": 2.5 }], "to": [{ "node": "Out" }] },
        { "id": "Plate", "kind": "return", "stages": [{ "name": "Converter", "latency_ms": 1.0 }], "to": [{ "node": "Out" }] },
        { "id": "Out", "kind": "output" } ] })
}

async fn with_tracks(s: &TestServer) -> (String, Vec<f32>) {
    let session = s.session("Paths").await;
    let x = hits(48_000, 1);
    let files = [
        ("Voice.wav", wav(std::slice::from_ref(&x), 48_000, None)),
        ("Pair.wav", wav(&[x.clone(), x.clone()], 48_000, None)),
    ];
    s.bring_in(&session, &files).await;
    (session, x)
}

async fn draw(s: &TestServer, session: &str, map: &Value) -> (u16, Value) {
    s.put(&format!("/api/sessions/{session}/paths"), json!({ "map": map, "label": "Paths drawn" })).await
}

async fn moved_by(s: &TestServer, session: &str) -> Vec<f64> {
    s.tracks(session).await.iter().map(|t| t["path_frames"].as_f64().unwrap()).collect()
}

#[actix_web::test]
async fn paths_are_drawn_chosen_delivered_and_taken_back() {
    let s = TestServer::start().await;
    let (session, x) = with_tracks(&s).await;
    let url = format!("/api/sessions/{session}/paths");
    assert_eq!(s.get(&url).await.1["map"], Value::Null);
    let (status, made) = draw(&s, &session, &map()).await;
    assert_eq!(status, 201, "{made}");
    let (_, shown) = s.get(&format!("{url}?under_ms=5")).await;
    let view = &shown["view"];
    // 441 samples at the map's 44.1 kHz are 10 ms, 480 frames of this session; with 2.5 ms 600 frames.
    assert_eq!(
        (&view["routes"][0]["name"], &view["routes"][0]["frames"]),
        (&json!("Voice > Voices > Out"), &json!(600.0))
    );
    assert_eq!(view["offender"]["name"], "Gate of Voice");
    assert_eq!(view["meetings"], json!([{ "node": 5, "apart_frames": 552.0, "early": 5, "late": 4 }]));
    let finding = &view["findings"][0];
    assert_eq!((&finding["kind"], &finding["about"]["tracks"]), (&json!("paths-meet-unequal"), &json!([0])));
    assert!(view["notes"].to_string().contains("No track of this session is called “Absent”"), "{}", view["notes"]);
    // Off: without the gate 2.5 ms are left.
    let off = &view["ways"][2];
    assert_eq!((&off["off"][0]["name"], &off["latency_frames"]), (&json!("Gate of Voice"), &json!(120.0)));
    // Wait: the pair waits for the voice; the plate's copy cannot be told on the track.
    let wait = &view["ways"][0];
    assert_eq!((&wait["latency_frames"], &wait["add"][0]["frames"]), (&json!(600.0), &json!(552.0)));
    // Pull: chosen as one decision, a part of its own beside alignment.
    let decision = json!({ "label": "x", "changes": [{ "track_id": s.tracks(&session).await[0]["id"], "after": { "offset_frames": 30.0 } }] });
    s.post(&format!("/api/sessions/{session}/decisions"), decision).await;
    let (status, made) = s.post(&format!("{url}/choice"), json!({ "way": "pull" })).await;
    assert_eq!(status, 201, "{made}");
    assert_eq!(made["label"], "Paths: late tracks pulled earlier by up to 12.50 ms");
    assert_eq!(moved_by(&s, &session).await, [-600.0, 0.0, 0.0]);
    let voice = &s.tracks(&session).await[0];
    assert_eq!((&voice["correction"]["offset_frames"], &voice["pieces"][0]["from"]), (&json!(30.0), &json!(-570)));
    assert_eq!(s.get(&url).await.1["chosen"], "pull");
    // Delivered from the earliest sound: nothing before zero is lost, and the voice lies 570 frames before the pair.
    let (job, files) = deliver(&s, &session, json!({ "depth": "float32", "start": "earliest" })).await;
    assert_eq!(files[0]["left_out_frames"], 0);
    let (_, voice) = read(&fetch(&s, &job, "Voice.wav").await);
    assert_eq!(voice[0][..48_000], x);
    let (_, pair) = read(&fetch(&s, &job, "Pair.wav").await);
    assert_eq!(pair[0][570..48_570], x);
    let sheet = String::from_utf8(fetch(&s, &job, "values.csv").await).unwrap();
    let row = sheet.lines().nth(1).unwrap();
    assert!(sheet.lines().next().unwrap().ends_with("path_samples") && row.ends_with("-600"), "{sheet}");
    // Wait: linked channels are played through one path.
    s.post(&format!("{url}/choice"), json!({ "way": "wait" })).await;
    assert_eq!(moved_by(&s, &session).await, [0.0, 600.0, 600.0]);
    // Off: the map is switched, tracks carry nothing.
    s.post(&format!("{url}/choice"), json!({ "way": "off", "under_ms": 5.0 })).await;
    assert_eq!(moved_by(&s, &session).await, [0.0, 0.0, 0.0]);
    let (_, shown) = s.get(&url).await;
    assert_eq!(shown["map"]["nodes"][0]["stages"][0]["on"], false);
    assert_eq!(s.post(&format!("{url}/choice"), json!({ "way": "off", "under_ms": 5.0 })).await.0, 409);
    // Undo takes map and tracks back together; then the first choice, then the map.
    s.post(&format!("/api/sessions/{session}/undo"), json!({})).await;
    let (_, shown) = s.get(&url).await;
    assert_eq!((&shown["map"]["nodes"][0]["stages"][0]["on"], &shown["chosen"]), (&json!(true), &json!("wait")));
    for _ in 0..4 {
        s.post(&format!("/api/sessions/{session}/undo"), json!({})).await;
    }
    assert_eq!(s.get(&url).await.1["map"], Value::Null);
    assert_eq!(moved_by(&s, &session).await, [0.0, 0.0, 0.0]);
}

/// A track that gets another name stays where it is on the map, and goes back with its name.
#[actix_web::test]
async fn a_renamed_track_keeps_its_node() {
    let s = TestServer::start().await;
    let (session, _) = with_tracks(&s).await;
    assert_eq!(draw(&s, &session, &map()).await.0, 201);
    let url = format!("/api/sessions/{session}/paths");
    let voice = s.tracks(&session).await[0]["id"].clone();
    let rename = async |s: &TestServer, name: &str| {
        let decision = json!({ "label": "renamed", "changes": [{ "track_id": voice, "after": { "name": name } }] });
        s.post(&format!("/api/sessions/{session}/decisions"), decision).await
    };
    let (status, said) = rename(&s, "Alto").await;
    assert_eq!(status, 201, "{said}");
    let shown = s.get(&url).await.1;
    assert_eq!(shown["map"]["nodes"][0]["id"], "Alto");
    assert_eq!(shown["view"]["routes"][0]["name"], "Alto > Voices > Out");
    // A name that something on the map has already is no node of its own.
    assert_eq!(rename(&s, "Plate").await.0, 201);
    assert_eq!(s.get(&url).await.1["map"]["nodes"][0]["id"], "Alto");
    for (name, node) in [("Alto", "Alto"), ("Voice", "Voice")] {
        assert_eq!(s.post(&format!("/api/sessions/{session}/undo"), json!({})).await.0, 200);
        assert_eq!(s.tracks(&session).await[0]["name"], name);
        assert_eq!(s.get(&url).await.1["map"]["nodes"][0]["id"], node);
    }
}

#[actix_web::test]
async fn a_map_drawn_anew_leaves_the_tracks_and_says_so() {
    let s = TestServer::start().await;
    let (session, _) = with_tracks(&s).await;
    let url = format!("/api/sessions/{session}/paths");
    draw(&s, &session, &map()).await;
    s.post(&format!("{url}/choice"), json!({ "way": "pull" })).await;
    let mut slower = map();
    slower["nodes"][3]["stages"][0]["latency_ms"] = json!(7.5);
    draw(&s, &session, &slower).await;
    let (_, shown) = s.get(&url).await;
    assert_eq!((&shown["chosen"], &shown["stale"]), (&json!("none"), &json!(true)));
    assert_eq!(moved_by(&s, &session).await[0], -600.0);
    s.post(&format!("{url}/choice"), json!({ "way": "none" })).await;
    assert_eq!(moved_by(&s, &session).await[0], 0.0);
    // What the check says of arrivals does not change with what a path puts on a track.
    assert_eq!(s.get(&url).await.1["stale"], false);
}

#[actix_web::test]
async fn paths_that_cannot_be_are_refused_and_change_nothing() {
    let s = TestServer::start().await;
    let (session, _) = with_tracks(&s).await;
    draw(&s, &session, &map()).await;
    let mut circle = map();
    circle["nodes"][4]["to"] = json!([{ "node": "Voices" }]);
    circle["nodes"][3]["to"] = json!([{ "node": "Plate" }]);
    let (status, said) = draw(&s, &session, &circle).await;
    assert_eq!(status, 422);
    let text = said["message"].as_str().unwrap();
    assert!(text.contains("paths form a loop") && text.contains("Voices") && text.contains("Plate"), "{text}");
    let mut early = map();
    early["nodes"][3]["stages"][0]["latency_ms"] = json!(-3.0);
    let text = draw(&s, &session, &early).await.1["message"].to_string();
    assert!(text.contains("Limiter") && text.contains("-3"), "{text}");
    let url = format!("/api/sessions/{session}/paths");
    assert_eq!(s.get(&format!("{url}?under_ms=-1")).await.0, 422);
    let same = s.get(&url).await.1["map"].clone();
    assert_eq!(same["nodes"][3]["stages"][0]["latency_ms"], 2.5);
    // The map goes out as a sheet and as JSON, and comes back the same.
    let file = async |kind: &str| {
        s.http.get(format!("{}{url}/file?kind={kind}", s.base)).send().await.unwrap().text().await.unwrap()
    };
    let (status, back) = s.post(&format!("{url}/sheet"), json!({ "text": file("csv").await })).await;
    assert_eq!(status, 200);
    assert_eq!(back, same);
    assert_eq!(serde_json::from_str::<Value>(&file("json").await).unwrap(), same);
    assert_eq!(s.post(&format!("{url}/sheet"), json!({ "text": "nothing" })).await.0, 422);
    assert_eq!(s.get(&format!("{url}/file?kind=pdf")).await.0, 422);
    // Everything taken out again: nothing to show, nothing to choose from.
    assert_eq!(draw(&s, &session, &json!({ "sample_rate_hz": 48_000, "nodes": [] })).await.0, 201);
    let (status, shown) = s.get(&url).await;
    assert_eq!((status, &shown["view"], &shown["chosen"]), (200, &Value::Null, &json!("none")));
    assert_eq!(s.post(&format!("{url}/choice"), json!({ "way": "pull" })).await.0, 404);
}

#[actix_web::test]
async fn what_meets_unequally_stands_in_the_check_and_is_put_aside_there() {
    let s = TestServer::start().await;
    let session = s.session("Paths in the check").await;
    let x = hits(48_000 * 8, 3);
    let other = hits(48_000 * 8, 4);
    let files = [("Voice.wav", wav(&[x], 48_000, None)), ("Box.wav", wav(&[other], 48_000, None))];
    s.bring_in(&session, &files).await;
    s.settled(&session).await;
    let stage = json!([{ "name": "Repair", "latency_ms": 12.5 }]);
    let map = json!({ "sample_rate_hz": 48_000, "nodes": [
        { "id": "Voice", "kind": "track", "to": [{ "node": "Slow" }, { "node": "Out" }] },
        { "id": "Slow", "kind": "group", "stages": stage, "to": [{ "node": "Out" }] },
        { "id": "Out", "kind": "output" },
    ] });
    assert_eq!(draw(&s, &session, &map).await.0, 201);
    s.settled(&session).await;
    let found = async || {
        let check = s.get(&format!("/api/sessions/{session}/check")).await.1;
        let of = check["findings"].as_array().unwrap().clone();
        of.into_iter().find(|f| f["finding"]["kind"] == "paths-meet-unequal").expect("a finding of the paths")
    };
    let open = found().await;
    assert!(open["standing"] == "open" && open["key"].as_str().unwrap().ends_with("~Out"), "{open}");
    let aside = json!({ "key": open["key"], "reason": "meant so" });
    assert_eq!(s.post(&format!("/api/sessions/{session}/check/dismiss"), aside).await.0, 201);
    let aside = found().await;
    assert_eq!((&aside["standing"], &aside["note"]), (&json!("dismissed"), &json!("meant so")));
}
