//! Sessions, recordings, measuring, decisions.

use crate::common::*;
use serde_json::{Value, json};

fn id(track: &Value) -> String {
    track["id"].as_str().expect("an id").to_string()
}

async fn pair_of(s: &TestServer, session: &str, a: &str, b: &str) -> Value {
    let (status, body) = s.post(&format!("/api/sessions/{session}/pairs"), json!({ "a": a, "b": b })).await;
    assert!([202, 204].contains(&status), "{body}");
    s.settled(session).await;
    let (status, body) = s.get(&format!("/api/sessions/{session}/pairs?a={a}&b={b}")).await;
    assert_eq!(status, 200, "{body}");
    body
}

#[actix_web::test]
async fn from_files_to_a_correction_and_back() {
    let s = TestServer::start().await;
    let session = s.session("A struck evening").await;
    let x = hits(480_000, 1);
    let tracks = s
        .bring_in(
            &session,
            &[
                ("First near.wav", wav(std::slice::from_ref(&x), 48_000, None)),
                ("Second near.wav", wav(&[moved(&x, 221, -0.5)], 48_000, None)),
            ],
        )
        .await;
    assert_eq!((tracks.len(), &tracks[0]["name"], &tracks[1]["role"]), (2, &json!("First near"), &json!("near")));
    let (a, b) = (id(&tracks[0]), id(&tracks[1]));
    let view = pair_of(&s, &session, &a, &b).await;
    assert_eq!(view["measurement"]["verdict"], "solid", "{}", view["measurement"]["reason"]);
    assert!((view["lag"]["samples"].as_f64().unwrap() - 221.0).abs() < 0.05);
    // Arithmetic: 221 frames at 48 kHz are 4.604 ms, at 343.2 m/s 1.580 m.
    assert!(
        (view["lag"]["ms"].as_f64().unwrap() - 4.604).abs() < 0.002
            && (view["lag"]["metres"].as_f64().unwrap() - 1.580).abs() < 0.001
    );
    assert_eq!(view["measurement"]["sign"], -1);
    // Asked again, it is there already.
    let (status, _) = s.post(&format!("/api/sessions/{session}/pairs"), json!({ "a": a, "b": b })).await;
    assert_eq!(status, 204);

    let sum = |v: &Value| {
        v["sum_gain"]
            .as_array()
            .unwrap()
            .iter()
            .map(|g| g["corrected_db"].as_f64().unwrap())
            .fold(f64::INFINITY, f64::min)
    };
    let path = format!("/api/sessions/{session}/pairs/sum?a={a}&b={b}");
    assert!(sum(&s.get(&path).await.1) < -2.0, "as it stands it combs");
    let decide = format!("/api/sessions/{session}/decisions");
    let (status, body) = s.post(&decide, json!({ "label": "aligned", "changes": [{ "track_id": b, "after": { "offset_frames": -221.0, "invert": true } }] })).await;
    assert_eq!(status, 201, "{body}");
    assert!(sum(&s.get(&path).await.1) > 2.0, "corrected it adds up");
    // In pieces of its own that lie where the offset put it, it sounds the same and adds up the same.
    let whole = s.get(&path).await.1;
    let slice = |from: i64, to: i64| json!({ "from": from, "to": to, "at": from - 221, "fade_in": 0, "fade_out": 0 });
    let cut = json!({ "begins": 0, "slices": [slice(0, 100_000), slice(100_000, 600_000)] });
    let pieces = json!({ "offset_frames": 0.0, "invert": true, "cut": cut });
    let (status, body) =
        s.post(&decide, json!({ "label": "in pieces", "changes": [{ "track_id": b, "after": pieces }] })).await;
    assert_eq!(status, 201, "{body}");
    let both = [&whole, &s.get(&path).await.1].map(sum);
    assert!(both[0] > 2.0 && (both[0] - both[1]).abs() < 0.05, "{both:?}");
    s.post(&format!("/api/sessions/{session}/undo"), json!({})).await;
    let remaining = pair_of(&s, &session, &a, &b).await["remaining"]["samples"].as_f64().unwrap();
    assert!(remaining.abs() < 0.05, "{remaining}");
    for (way, offset, invert) in [("undo", 0.0, false), ("redo", -221.0, true), ("undo", 0.0, false)] {
        let (status, body) = s.post(&format!("/api/sessions/{session}/{way}"), json!({})).await;
        assert_eq!((status, &body["label"]), (200, &json!("aligned")));
        let c = s.tracks(&session).await[1]["correction"].clone();
        assert_eq!((c["offset_frames"].as_f64(), c["invert"].as_bool()), (Some(offset), Some(invert)), "{way}");
    }
    // A new decision puts what was taken back out of reach; it stays in the history.
    s.post(&decide, json!({ "label": "nudged", "changes": [{ "track_id": b, "after": { "offset_frames": 1.0 } }] }))
        .await;
    assert_eq!(s.post(&format!("/api/sessions/{session}/redo"), json!({})).await.1, Value::Null);
    let states: Vec<Value> = s.history(&session).await.iter().map(|d| d["state"].clone()).collect();
    assert_eq!(states, ["superseded", "superseded", "done"]);
}

#[actix_web::test]
async fn linked_channels_move_together() {
    let s = TestServer::start().await;
    let session = s.session("Pairs").await;
    let x = hits(200_000, 2);
    let tracks = s
        .bring_in(
            &session,
            &[
                ("Main pair.wav", wav(&[x.clone(), moved(&x, 5, 1.0)], 48_000, None)),
                ("Spot.wav", wav(&[x], 48_000, None)),
            ],
        )
        .await;
    assert_eq!(
        (&tracks[0]["side"], &tracks[1]["side"], &tracks[0]["role"]),
        (&json!("left"), &json!("right"), &json!("main"))
    );
    assert_eq!(tracks[0]["link_id"], tracks[1]["link_id"]);
    assert_eq!(tracks[2]["link_id"], Value::Null);
    let change =
        json!({ "label": "moved", "changes": [{ "track_id": tracks[1]["id"], "after": { "offset_frames": -7.5 } }] });
    let (_, made) = s.post(&format!("/api/sessions/{session}/decisions"), change).await;
    assert_eq!(made["changes"].as_array().unwrap().len(), 2);
    let offsets: Vec<f64> =
        s.tracks(&session).await.iter().map(|t| t["correction"]["offset_frames"].as_f64().unwrap()).collect();
    assert_eq!(offsets, [-7.5, -7.5, 0.0]);
    s.post(&format!("/api/sessions/{session}/undo"), json!({})).await;
    assert!(s.tracks(&session).await.iter().all(|t| t["correction"]["offset_frames"] == 0.0));
}

#[actix_web::test]
async fn time_stamps_place_recordings_and_rates_are_converted() {
    let s = TestServer::start().await;
    let session = s.session("Stamps").await;
    let x = hits(100_000, 3);
    let tracks = s
        .bring_in(
            &session,
            &[
                ("a.wav", wav(std::slice::from_ref(&x), 48_000, Some(48_000 * 3_600))),
                ("b.wav", wav(std::slice::from_ref(&x), 48_000, Some(48_000 * 3_600 + 480))),
                ("c.wav", wav(&[x[..44_100].to_vec()], 44_100, Some(44_100 * 3_600 - 441))),
                ("d.wav", wav(&[moved(&x, 1, 1.0)], 48_000, Some(48_000 * 80_000))),
            ],
        )
        .await;
    let starts: Vec<i64> = tracks.iter().map(|t| t["start_frame"].as_i64().unwrap()).collect();
    // Several are read at a time: the first one in gives the session its beginning.
    let [a, b, c, d] = starts[..] else { panic!("{starts:?}") };
    assert_eq!([b - a, c - a], [480, -480]);
    assert!([a, b, c].contains(&0) && d == 0, "{starts:?}");
    assert_eq!((tracks[2]["frames"].as_i64(), tracks[2]["file_rate_hz"].as_i64()), (Some(48_000), Some(44_100)));
    assert!(tracks[2]["notes"][0].as_str().unwrap().contains("resampled"), "{}", tracks[2]["notes"]);
    assert!(tracks[3]["notes"][0].as_str().unwrap().contains("twelve hours"), "{}", tracks[3]["notes"]);
    // Placed 480 frames apart with the same sound: that is the lag.
    let view = pair_of(&s, &session, &id(&tracks[0]), &id(&tracks[1])).await;
    assert!((view["lag"]["samples"].as_f64().expect("decided") - 480.0).abs() < 0.05);
}

#[actix_web::test]
async fn the_same_recording_is_stored_once() {
    let s = TestServer::start().await;
    let (one, other) = (s.session("One").await, s.session("Other").await);
    let bytes = wav(&[hits(60_000, 4)], 48_000, None);
    let (_, first) = s.upload(&one, "x.wav", bytes.clone()).await;
    let (_, second) = s.upload(&other, "y.wav", bytes.clone()).await;
    assert_eq!((&first[0]["known"], &second[0]["known"]), (&json!(false), &json!(true)));
    let (_, third) = s.upload(&one, "again.wav", bytes).await;
    assert_eq!(third[0]["known"], true);
    let jobs = s.settled(&one).await;
    let note = jobs.iter().find_map(|j| j["result"]["note"].as_str()).expect("a sentence");
    assert!(note.contains("again.wav") && note.contains("x.wav") && note.contains("not added again"), "{note}");
    s.settled(&other).await;
    assert_eq!((s.tracks(&one).await.len(), s.tracks(&other).await.len()), (1, 1));
    let stored = walk(&s.store.path().join("recordings"));
    assert_eq!(stored.len(), 1, "{stored:?}");
}

/// Files below a folder, but for the locks that say which server lives.
pub fn walk(folder: &std::path::Path) -> Vec<std::path::PathBuf> {
    let mut found: Vec<_> = std::fs::read_dir(folder)
        .map(|d| d.flatten().flat_map(|e| if e.path().is_dir() { walk(&e.path()) } else { vec![e.path()] }).collect())
        .unwrap_or_default();
    found.retain(|p| p.extension().is_none_or(|e| e != "lock"));
    found
}

/// Takes a track's sound out of the store: its working copies, and the recording itself when it is meant to be gone for good.
pub fn lose(s: &TestServer, track: &Value, recording: bool) {
    let sha = track["recording"].as_str().unwrap();
    // First the recording: a check that runs beside this would make the copies anew from it.
    if recording {
        std::fs::remove_file(s.store.path().join("recordings").join(&sha[..2]).join(sha)).unwrap();
    }
    std::fs::remove_dir_all(s.store.path().join("work").join(format!("{sha}-48000"))).unwrap();
}

#[actix_web::test]
async fn tiles_are_what_the_core_says() {
    use marea_core::dsp::overview::{OverviewBuilder, frames_a_point};
    let s = TestServer::start().await;
    let session = s.session("Tiles").await;
    let x = hits(300_000, 5);
    let tracks = s.bring_in(&session, &[("x.wav", wav(std::slice::from_ref(&x), 48_000, None))]).await;
    let base = format!("{}/api/sessions/{session}/tracks/{}/tiles", s.base, id(&tracks[0]));
    let floats = async |path: String| -> Vec<f32> {
        let bytes = s.http.get(path).send().await.unwrap().bytes().await.unwrap();
        bytes.chunks_exact(4).map(|b| f32::from_le_bytes(b.try_into().unwrap())).collect()
    };
    assert_eq!(floats(format!("{base}/samples/2")).await, x[16_384..24_576]);
    assert_eq!(floats(format!("{base}/samples/36")).await, x[294_912..]);
    assert!(floats(format!("{base}/samples/9999999")).await.is_empty());
    let mut overview = OverviewBuilder::default();
    overview.push(&x);
    let overview = overview.finish();
    for level in 0..6 {
        let got = floats(format!("{base}/{level}/0")).await;
        let points = &overview.levels[level];
        assert_eq!(got.len(), points.len().min(1_024) * 3);
        assert_eq!(
            (got[0], got[1], got[2]),
            (points[0].min, points[0].max, points[0].rms),
            "level {level}, {} frames",
            frames_a_point(level)
        );
    }
    assert_eq!(s.get(&format!("{}/7/0", &base[s.base.len()..])).await.0, 404);
}

#[actix_web::test]
async fn events_are_pushed() {
    use futures_util::StreamExt;
    let s = TestServer::start().await;
    let session = s.session("Events").await;
    let mut stream =
        s.http.get(format!("{}/api/sessions/{session}/events", s.base)).send().await.unwrap().bytes_stream();
    let mut text = String::new();
    s.upload(&session, "x.wav", wav(&[hits(400_000, 6)], 48_000, None)).await;
    while !(text.contains("\"state\":\"done\"") && text.matches("event: changed").count() >= 2) {
        let chunk = tokio::time::timeout(std::time::Duration::from_secs(120), stream.next())
            .await
            .expect("an event")
            .unwrap()
            .unwrap();
        text.push_str(&String::from_utf8_lossy(&chunk));
    }
    assert!(text.contains("event: job") && text.contains("Bringing in x.wav"), "{text}");
}

#[actix_web::test]
async fn jobs_can_be_cancelled_and_done_again() {
    // A first upload keeps the workers busy, so that the second is cancelled in the queue or at work.
    let mut jobs = Vec::new();
    // Made before anything is sent, and the last one long: it must not be done before it can be cancelled.
    let files: Vec<Vec<u8>> = (0..4)
        .map(|n| wav(&[hits(if n == 3 { 12_000_000 } else { 2_000_000 }, 10 + n)], 44_100 + n * 100, None))
        .collect();
    let last = files[3].clone();
    let s = TestServer::start().await;
    let session = s.session("Cancel").await;
    for (n, bytes) in files.into_iter().enumerate() {
        let (_, body) = s.upload(&session, &format!("{n}.wav"), bytes).await;
        jobs.push(body[0]["job"].as_str().unwrap().to_string());
    }
    let (status, body) = s.post(&format!("/api/jobs/{}/cancel", jobs[3]), json!({})).await;
    assert_eq!(status, 200, "{body}");
    let ended = s.settled(&session).await;
    let state = |id: &str| ended.iter().find(|j| j["id"] == id).unwrap()["state"].clone();
    assert_eq!(state(&jobs[0]), "done");
    assert_eq!(state(&jobs[3]), "cancelled");
    assert_eq!(s.tracks(&session).await.len(), 3);
    assert!(walk(&s.store.path().join("parts")).is_empty());
    // The recording itself was kept: bringing it in again needs no second copy.
    let (_, body) = s.upload(&session, "3.wav", last).await;
    assert_eq!(body[0]["known"], true);
    s.settled(&session).await;
    assert_eq!(s.tracks(&session).await.len(), 4);
}

#[actix_web::test]
async fn settings_of_a_session() {
    let s = TestServer::start().await;
    let session = s.session("  Settings\u{7}  ").await;
    let url = format!("{}/api/sessions/{session}", s.base);
    let patch = async |body: Value| {
        let r = s.http.patch(&url).json(&body).send().await.unwrap();
        (r.status().as_u16(), r.json::<Value>().await.unwrap())
    };
    let (status, body) =
        patch(json!({ "temperature_c": 0.0, "bpm": 96.0, "first_beat_frame": -480, "beats_a_bar": 3 })).await;
    assert_eq!((&body["first_beat_frame"], &body["beats_a_bar"]), (&json!(-480), &json!(3)));
    assert_eq!((status, &body["name"], &body["bpm"]), (200, &json!("Settings"), &json!(96.0)));
    // ISO 9613-1: 331.3 m/s at 0 °C.
    let speed = s.get(&format!("/api/sessions/{session}")).await.1["speed_m_s"].as_f64().unwrap();
    assert!((speed - 331.3).abs() < 0.05);
    for bad in
        [json!({ "temperature_c": 200.0 }), json!({ "bpm": 0.0 }), json!({ "beats_a_bar": 0 }), json!({ "name": " " })]
    {
        assert_eq!(patch(bad.clone()).await.0, 422, "{bad}");
    }
    assert_eq!(s.http.delete(&url).send().await.unwrap().status(), 204);
    assert_eq!(s.get(&format!("/api/sessions/{session}")).await.0, 404);
}
