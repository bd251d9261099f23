//! How a session is looked at and listened to, in one window and in two; and what is never touched by it.

use crate::common::*;
use serde_json::{Value, json};

async fn four(s: &TestServer) -> (String, Vec<Value>) {
    let session = s.session("Desk").await;
    let x = hits(60_000, 3);
    let one = |by: i64| wav(&[moved(&x, by, 1.0)], 48_000, None);
    let pair = wav(&[moved(&x, 70, 1.0), moved(&x, 90, 1.0)], 48_000, None);
    let files = [("Drum.wav", one(0)), ("Cello.wav", one(40)), ("Hall pair.wav", pair)];
    let tracks = s.bring_in(&session, &files).await;
    (session, tracks)
}

async fn desk(s: &TestServer, session: &str) -> Value {
    s.get(&format!("/api/sessions/{session}")).await.1["desk"].clone()
}

#[actix_web::test]
async fn two_windows_change_the_desk_and_both_stay_true() {
    let s = TestServer::start().await;
    let (session, tracks) = four(&s).await;
    let at = format!("/api/sessions/{session}/desk");
    let (a, b) = (tracks[0]["id"].as_str().unwrap(), tracks[1]["id"].as_str().unwrap());
    let before = s.get(&format!("/api/sessions/{session}")).await.1;
    assert_eq!(before["desk"]["listening"]["scope"], "session", "an untouched desk is the usual one");
    // One window mutes a lane, the other places another one and marks a place: neither loses anything.
    let lane = |muted: bool, pan: Value| json!({ "height": 1.0, "hidden": false, "muted": muted, "soloed": false, "pan": pan, "level_db": 0.0 });
    assert_eq!(s.patch(&at, json!({ "lanes": { a: lane(true, Value::Null) } })).await.0, 200);
    assert_eq!(s.patch(&at, json!({ "lanes": { b: lane(false, json!(-0.5)) }, "markers": [{ "frame": 900, "name": "x" }, { "frame": 5, "name": "y" }] })).await.0, 200);
    let now = desk(&s, &session).await;
    assert_eq!((&now["lanes"][a]["muted"], &now["lanes"][b]["pan"]), (&json!(true), &json!(-0.5)));
    assert_eq!(now["markers"][0]["name"], "y", "marks are in order");
    let revision = |v: &Value| v["session"]["revision"].as_i64().unwrap();
    let after = s.get(&format!("/api/sessions/{session}")).await.1;
    assert!(revision(&after) > revision(&before), "every page hears of it");
    // A lane that is as usual again takes no room; a loop that ends where it begins is none.
    s.patch(&at, json!({ "lanes": { a: lane(false, Value::Null) }, "range": { "from": 5, "to": 900, "on": true, "pre_roll_s": 2.0 } })).await;
    let now = desk(&s, &session).await;
    assert!(now["lanes"][a].is_null() && now["range"]["to"] == 900);
    s.patch(&at, json!({ "range": { "from": 0, "to": 0, "on": false, "pre_roll_s": 0.0 } })).await;
    assert!(desk(&s, &session).await["range"].is_null());
    // Nothing of it is decided, measured or delivered.
    assert_eq!(after["steps"], json!({ "undo": null, "redo": null, "count": 0 }));
    assert_eq!(s.tracks(&session).await[0]["correction"]["gain_db"], json!(0.0));
    let quiet = json!({ "height": 1.0, "hidden": true, "muted": true, "soloed": false, "pan": 1.0, "level_db": -30.0 });
    let listening = json!({ "scope": "pair", "mono": true, "dim": true, "swap": true, "click": true, "speed": 0.5 });
    assert_eq!(s.patch(&at, json!({ "lanes": { a: quiet }, "listening": listening })).await.0, 200);
    let wanted = json!({ "depth": "float32", "start": "session" });
    let (_, job) = s.post(&format!("/api/sessions/{session}/deliveries"), wanted).await;
    s.settled(&session).await;
    let file = s.store.path().join("deliveries").join(job.as_str().unwrap()).join("Drum.wav");
    let (_, delivered) = read(&std::fs::read(file).unwrap());
    let (_, held) = read(&wav(&[hits(60_000, 3)], 48_000, None));
    assert_eq!(delivered, held, "what is hidden, muted and dim is delivered as it was recorded");
}

#[actix_web::test]
async fn what_makes_no_sense_is_refused_and_changes_nothing() {
    let s = TestServer::start().await;
    let (session, tracks) = four(&s).await;
    let at = format!("/api/sessions/{session}/desk");
    let a = tracks[0]["id"].as_str().unwrap();
    let lane = |key: &str, v: Value| {
        let mut l =
            json!({ "height": 1.0, "hidden": false, "muted": false, "soloed": false, "pan": null, "level_db": 0.0 });
        l[key] = v;
        json!({ "lanes": { a: l } })
    };
    let group = |id: u8, members: Value| json!({ "id": format!("00000000-0000-7000-8000-00000000000{id}"), "name": "G", "colour": 1, "tracks": members, "folded": false, "hidden": false, "muted": false, "soloed": false, "together": true });
    let mut nameless = group(1, json!([a]));
    nameless["name"] = json!(" ");
    for (wrong, says) in [
        (lane("pan", json!(1.5)), "between -1 and 1"),
        (lane("level_db", json!(40.0)), "-60 and 12"),
        (lane("height", json!(0.0)), "0.4 to 6"),
        (json!({ "groups": [group(1, json!([a])), group(2, json!([a]))] }), "two groups"),
        (json!({ "groups": [nameless] }), "1 to 200 characters"),
        (json!({ "range": { "from": 1, "to": 2, "on": true, "pre_roll_s": 99.0 } }), "pre-roll"),
        (json!({ "ruler": "furlongs" }), "ruler"),
        (json!({ "seat": "moon" }), "seat"),
        (json!({ "listening": { "scope": "session", "speed": 3.0 } }), "25 and 100"),
        (json!({ "listening": { "scope": "everything", "speed": 1.0 } }), "part of the session"),
    ] {
        let (status, said) = s.patch(&at, wrong).await;
        assert!(status == 422 && said["message"].as_str().unwrap().contains(says), "{status} {said}");
    }
    assert_eq!(desk(&s, &session).await["groups"], json!([]));
    assert_eq!(s.patch("/api/sessions/00000000-0000-7000-8000-000000000000/desk", json!({})).await.0, 404);
}

#[actix_web::test]
async fn a_group_moves_together_by_hand_and_only_then() {
    let s = TestServer::start().await;
    let (session, tracks) = four(&s).await;
    let ids: Vec<&str> = tracks.iter().map(|t| t["id"].as_str().unwrap()).collect();
    let mut group = json!({ "id": "00000000-0000-7000-8000-000000000001", "name": "Low", "colour": 0, "tracks": [ids[1], ids[2]], "folded": false, "hidden": false, "muted": false, "soloed": false, "together": true });
    s.patch(&format!("/api/sessions/{session}/desk"), json!({ "groups": [group] })).await;
    let decide = async |track: &str, offset: f64, by_hand: bool| {
        let change = json!({ "label": "moved", "with_groups": by_hand, "changes": [{ "track_id": track, "after": { "offset_frames": offset } }] });
        assert_eq!(s.post(&format!("/api/sessions/{session}/decisions"), change).await.0, 201);
        let tracks = s.tracks(&session).await;
        tracks.iter().map(|t| t["correction"]["offset_frames"].as_f64().unwrap()).collect::<Vec<f64>>()
    };
    // Half of the hall pair is in the group: the other half is of its file and comes along.
    assert_eq!(decide(ids[1], -10.0, true).await, [0.0, -10.0, -10.0, -10.0]);
    assert_eq!(decide(ids[3], -15.0, true).await, [0.0, -15.0, -15.0, -15.0], "asked for from the other end");
    assert_eq!(decide(ids[1], 0.0, false).await, [0.0, 0.0, -15.0, -15.0], "what the check advises moves nobody else");
    assert_eq!(decide(ids[0], 3.0, true).await, [3.0, 0.0, -15.0, -15.0], "who is in no group moves alone");
    s.post(&format!("/api/sessions/{session}/undo"), json!({})).await;
    group["together"] = json!(false);
    s.patch(&format!("/api/sessions/{session}/desk"), json!({ "groups": [group] })).await;
    assert_eq!(decide(ids[1], 8.0, true).await, [0.0, 8.0, -15.0, -15.0], "a group that does not move together");
}

#[actix_web::test]
async fn the_seat_turns_names_sides_and_places() {
    let s = TestServer::start().await;
    let (session, tracks) = four(&s).await;
    let at = format!("/api/sessions/{session}/desk");
    let left = tracks[2]["id"].as_str().unwrap();
    let lane = json!({ "height": 1.0, "hidden": false, "muted": false, "soloed": false, "pan": -0.8, "level_db": 0.0 });
    s.patch(&at, json!({ "lanes": { left: lane } })).await;
    let named = async || {
        let tracks = s.tracks(&session).await;
        tracks
            .iter()
            .map(|t| format!("{}/{}", t["name"].as_str().unwrap(), t["side"].as_str().unwrap()))
            .collect::<Vec<_>>()
    };
    let before = named().await;
    assert_eq!(before[2..], ["Hall pair L/left", "Hall pair R/right"]);
    let seat = format!("/api/sessions/{session}/seat");
    let (status, made) = s.post(&seat, json!({})).await;
    assert!(status == 201 && made["label"].as_str().unwrap().contains("performer"), "{made}");
    assert_eq!(named().await[2..], ["Hall pair R/right", "Hall pair L/left"]);
    let now = desk(&s, &session).await;
    assert_eq!((&now["seat"], &now["lanes"][left]["pan"]), (&json!("performer"), &json!(0.8)));
    assert_eq!(s.post(&seat, json!({})).await.0, 201);
    assert_eq!(named().await, before, "twice is back");
    // Nothing to turn is said.
    let bare = s.session("Bare").await;
    s.bring_in(&bare, &[("Drum.wav", wav(&[hits(9_000, 9)], 48_000, None))]).await;
    let (status, said) = s.post(&format!("/api/sessions/{bare}/seat"), json!({})).await;
    assert!(status == 409 && said["message"].as_str().unwrap().contains("names a side"), "{said}");
}

#[actix_web::test]
async fn an_overlay_is_the_sum_of_what_is_carried() {
    let s = TestServer::start().await;
    let (session, tracks) = four(&s).await;
    let (a, b) = (tracks[0]["id"].as_str().unwrap(), tracks[1]["id"].as_str().unwrap());
    let change =
        json!({ "label": "x", "changes": [{ "track_id": b, "after": { "offset_frames": -40.0, "invert": true } }] });
    assert_eq!(s.post(&format!("/api/sessions/{session}/decisions"), change).await.0, 201);
    let x = hits(60_000, 3);
    let tile = async |way: &str, level: &str, tile: i64| {
        let path = format!("{}/api/sessions/{session}/overlay/{a}/{b}/{way}/{level}/{tile}", s.base);
        let bytes = reqwest::get(path).await.unwrap().bytes().await.unwrap();
        bytes.chunks_exact(4).map(|v| f32::from_le_bytes(v.try_into().unwrap())).collect::<Vec<f32>>()
    };
    // Aligned and turned over, the second takes the first away in the sum and doubles it in the difference.
    let sum = tile("sum", "samples", 1).await;
    assert_eq!(sum.len(), 8_192);
    assert!(sum.iter().all(|v| v.abs() < 1e-6));
    let difference = tile("difference", "samples", 1).await;
    assert!(difference.iter().zip(&x[8_192..]).all(|(d, x)| (d - 2.0 * x).abs() < 1e-6));
    // Points are the extremes of those samples.
    let points = tile("difference", "0", 0).await;
    assert_eq!(points.len(), 3 * 1_024);
    for (i, p) in points.chunks_exact(3).enumerate().take(900) {
        let part = &x[i * 64..(i + 1) * 64];
        let most = part.iter().fold(f32::MIN, |m, v| m.max(2.0 * v));
        assert!((p[1] - most).abs() < 1e-6, "{i}");
    }
    assert!(tile("sum", "samples", -1).await.iter().all(|v| *v == 0.0), "before the session's start is silence");
    for wrong in ["product/samples/0", "sum/7/0", "sum/x/0"] {
        assert_eq!(s.get(&format!("/api/sessions/{session}/overlay/{a}/{b}/{wrong}")).await.0, 404, "{wrong}");
    }
}
