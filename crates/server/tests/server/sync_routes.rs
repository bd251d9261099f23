//! Prints, clocks, notes and tempo through the server: what is refused, and what stays true when things change.

use crate::common::*;
use marea_scene::renders::rendering;
use serde_json::json;

async fn two(s: &TestServer) -> (String, String, String) {
    let session = s.session("Refused").await;
    let files =
        [("Send.wav", hits(96_000, 1)), ("Print.wav", hits(96_000, 2))].map(|(n, x)| (n, wav(&[x], 48_000, None)));
    s.bring_in(&session, &files).await;
    let tracks = s.tracks(&session).await;
    let id = |n: usize| tracks[n]["id"].as_str().unwrap().to_string();
    (session, id(0), id(1))
}

#[actix_web::test]
async fn a_stranger_is_no_print_and_nothing_can_be_chosen() {
    let s = TestServer::start().await;
    let (session, send, print) = two(&s).await;
    let (path, of) = (format!("/api/sessions/{session}/prints"), json!({ "send": send, "print": print }));
    let asked = format!("{path}?send={send}&print={print}");
    assert_eq!(s.get(&asked).await.0, 204);
    assert_eq!(s.post(&format!("{path}/choice"), json!({ "send": send, "print": print, "way": "map" })).await.0, 404);
    assert_eq!(s.post(&path, of.clone()).await.0, 202);
    s.settled(&session).await;
    assert_eq!(s.post(&path, of).await.0, 204, "it is there");
    let (status, view) = s.get(&asked).await;
    assert_eq!((status, &view["verdict"], &view["carried"]), (200, &json!("undecided"), &json!("recorded")));
    assert!(view["later_frames"].is_null() && view["lag"].is_null(), "no number is told of strangers: {view}");
    let (status, said) = s.post(&format!("{path}/choice"), json!({ "send": send, "print": print, "way": "map" })).await;
    assert_eq!(status, 409, "{said}");
    // Against itself, or against what is not there.
    assert_eq!(s.post(&path, json!({ "send": print, "print": print })).await.0, 422);
    let nobody = "00000000-0000-0000-0000-000000000000";
    assert_eq!(s.post(&path, json!({ "send": nobody, "print": print })).await.0, 404);
}

#[actix_web::test]
async fn a_walker_is_followed_apart_from_prints() {
    let s = TestServer::start().await;
    let session = s.session("Walk").await;
    let walk = marea_scene::walkers::walk(16.0, 9_862);
    let [first, second] = walk.heard;
    s.bring_in(&session, &[("First.wav", wav(&[first], 48_000, None)), ("Second.wav", wav(&[second], 48_000, None))])
        .await;
    let tracks = s.tracks(&session).await;
    let [a, b] = [0, 1].map(|n| tracks[n]["id"].as_str().unwrap().to_string());
    let path = format!("/api/sessions/{session}/prints");
    assert_eq!(s.post(&path, json!({ "send": a, "print": b, "moving": "walker" })).await.0, 202);
    s.settled(&session).await;
    let (status, view) = s.get(&format!("{path}?send={a}&print={b}&moving=walker")).await;
    assert_eq!((status, &view["ways"]), (200, &json!(["offset", "map"])), "{view}");
    assert_eq!(s.get(&format!("{path}?send={a}&print={b}")).await.0, 204, "as a print it was not followed");
    let choice = |way: &str| json!({ "send": a, "print": b, "moving": "walker", "way": way });
    let (status, made) = s.post(&format!("{path}/choice"), choice("map")).await;
    assert_eq!((status, &made["label"]), (201, &json!("Second: follows who walks, onto First")), "{made}");
    assert_eq!(s.get(&format!("{path}?send={a}&print={b}&moving=walker")).await.1["carried"], "map");
    assert_eq!(s.post(&format!("{path}/choice"), choice("drift")).await.0, 409, "who walks has no speed");
}

#[actix_web::test]
async fn recordings_that_do_not_fit_are_not_placed() {
    let s = TestServer::start().await;
    let (session, a, b) = two(&s).await;
    let path = format!("/api/sessions/{session}/clocks");
    assert_eq!(s.post(&path, json!({ "tracks": [a, b] })).await.0, 202);
    s.settled(&session).await;
    let (status, view) = s.get(&format!("{path}?tracks={a},{b}")).await;
    assert_eq!(
        (status, &view[0]["by"], &view[1]["verdict"]),
        (200, &json!("reference"), &json!("undecided")),
        "{view}"
    );
    let (status, said) = s.post(&format!("{path}/take"), json!({ "tracks": [a, b], "take": [b] })).await;
    assert!(status == 409 && said["message"].as_str().unwrap().contains("Print was not placed"), "{said}");
    for (tracks, wanted) in
        [(json!([a]), 422), (json!([a, a]), 422), (json!([a, "00000000-0000-0000-0000-000000000000"]), 404)]
    {
        assert_eq!(s.post(&path, json!({ "tracks": tracks })).await.0, wanted);
    }
    assert_eq!(s.get(&format!("{path}?tracks=none")).await.0, 422);
}

#[actix_web::test]
async fn notes_are_read_kept_with_the_session_and_follow_bar_1() {
    let s = TestServer::start().await;
    let session = s.session("Notes").await;
    let made = rendering(16.0, 9_528);
    s.bring_in(&session, &[("Bells.wav", wav(&[made.sound], 48_000, None))]).await;
    let track = s.tracks(&session).await[0]["id"].as_str().unwrap().to_string();
    let path = format!("/api/sessions/{session}/scores");
    let send = async |bytes: Vec<u8>, name: &str| {
        let r = s.http.post(format!("{}{path}?name={name}", s.base)).body(bytes).send().await.unwrap();
        (r.status().as_u16(), r.json::<serde_json::Value>().await.unwrap())
    };
    let (status, said) = send(b"MThd no".to_vec(), "Torn.mid").await;
    assert!(
        status == 422 && said["message"].as_str().unwrap().starts_with("\u{201c}Torn.mid\u{201d} cannot be read"),
        "{said}"
    );
    let (status, said) = send(vec![0; 5 << 20], "Large.mid").await;
    assert!(status == 422 && said["message"].as_str().unwrap().contains("larger than 4 MiB"), "{said}");
    let (status, score) = send(made.file, "Bells.mid").await;
    assert_eq!((status, &score["name"]), (201, &json!("Bells.mid")));
    let score = score["id"].as_str().unwrap().to_string();
    let told = async || {
        s.post(&format!("/api/sessions/{session}/notes"), json!({ "score": score, "track": track })).await;
        s.settled(&session).await;
        s.get(&format!("/api/sessions/{session}/notes?score={score}&track={track}")).await.1
    };
    let first = told().await;
    let late = first["latency_ms"].as_f64().unwrap();
    assert!((late - made.late_ms).abs() < 1.0, "{late}");
    // Bar 1 moved by 10 ms: the notes move with it.
    s.patch(&format!("/api/sessions/{session}"), json!({ "first_beat_frame": 480 })).await;
    let moved = told().await["latency_ms"].as_f64().unwrap();
    assert!((moved - (late - 10.0)).abs() < 0.05, "{moved} after {late}");
    let gone = s.http.delete(format!("{}{path}/{score}", s.base)).send().await.unwrap();
    assert_eq!(gone.status(), 204);
    assert_eq!(s.get(&format!("/api/sessions/{session}/notes?score={score}&track={track}")).await.0, 404);
}

#[actix_web::test]
async fn a_tempo_that_nobody_keeps_is_not_used() {
    let s = TestServer::start().await;
    let (session, a, b) = two(&s).await;
    let path = format!("/api/sessions/{session}/tempo");
    assert_eq!(s.post(&path, json!({ "by": "click" })).await.0, 422, "which click?");
    let of = json!({ "by": "session" });
    assert_eq!(s.post(&path, of).await.0, 202);
    s.settled(&session).await;
    let (status, view) = s.get(&format!("{path}?by=session")).await;
    assert_eq!((status, view["tracks"].as_array().unwrap().len()), (200, 2), "{view}");
    // What is not constant is not taken out.
    let loose = view["tracks"].as_array().unwrap().iter().find(|t| t["constant"] == false);
    if let Some(t) = loose {
        assert_eq!(s.post(&format!("{path}/take"), json!({ "by": "session", "take": [t["track"]] })).await.0, 409);
    }
    assert_eq!(s.post(&format!("{path}/use"), json!({ "by": "track", "track": a })).await.0, 404, "not measured yet");
    let used = s.post(&format!("{path}/use"), json!({ "by": "session", "bpm": 333.0 })).await;
    assert_eq!(used.0, 422, "{used:?}");
    assert_eq!(s.get(&format!("{path}?by=track&track={b}")).await.0, 204);
}

#[actix_web::test]
async fn probes_are_written_and_found_again() {
    let s = TestServer::start().await;
    for signal in ["sweep", "noise"] {
        let wav = s.http.get(format!("{}/api/probe?signal={signal}&rate_hz=44100", s.base)).send().await.unwrap();
        assert_eq!(wav.headers()["content-type"], "audio/wav");
        let bytes = wav.bytes().await.unwrap();
        let read = s.http.post(format!("{}/api/probe/read?name=Back.wav", s.base)).body(bytes).send().await.unwrap();
        let found: serde_json::Value = read.json().await.unwrap();
        assert_eq!(
            (found.as_array().unwrap().len(), &found[0]["signal"], &found[0]["verdict"]),
            (1, &json!(signal), &json!("solid"))
        );
        assert!(found[0]["latency_samples"].as_f64().unwrap().abs() < 0.05, "{}", found[0]);
    }
    let read = s.http.post(format!("{}/api/probe/read?name=Text.wav", s.base)).body("no sound").send().await.unwrap();
    assert_eq!(read.status(), 422);
    assert!(read.text().await.unwrap().contains("\u{201c}Text.wav\u{201d}"));
    let devices = s.get("/api/probe/devices").await.1;
    assert_eq!(devices.as_array().unwrap().len(), 12);
    assert_eq!(s.post("/api/probe/devices/12", json!({})).await.0, 404);
    let limiter = s.post("/api/probe/devices/0", json!({})).await.1;
    assert!((limiter["latency_samples"].as_f64().unwrap() - 72.0).abs() < 0.05, "{limiter}");
}

#[actix_web::test]
async fn a_set_that_cannot_be_moved_is_refused_with_a_sentence() {
    let s = TestServer::start().await;
    let (session, send, print) = two(&s).await;
    let path = format!("/api/sessions/{session}/timing");
    let section = json!({ "grid": "1/16", "strength": 100.0, "slack_ms": 0.0, "farthest_ms": 60.0 });
    let with = |key: &str, value: serde_json::Value| {
        let mut section = section.clone();
        section[key] = value;
        json!({ "set": [send, print], "within_ms": 12.0, "sections": [section] })
    };
    for (of, says) in [
        (json!({ "set": [], "within_ms": 12.0, "sections": [section] }), "no tracks are chosen"),
        (with("strength", json!(900.0)), "strength 900 is not between 0 and 100"),
        (with("slack_ms", json!(-1.0)), "slack_ms -1 is not between 0 and 500"),
        (with("farthest_ms", json!(2_001.0)), "farthest_ms 2001 is not between 0 and 2000"),
        (with("range", json!([500, 500])), "a section ends after it begins"),
        (with("grid", json!("1/7")), "“1/7” is no grid"),
        (json!({ "set": [send], "within_ms": 101.0, "sections": [section] }), "within_ms 101 is not between 0 and 100"),
    ] {
        let (status, said) = s.post(&path, of).await;
        assert!(status == 422 && said.to_string().to_lowercase().contains(says), "{status} {said}");
    }
    let nobody = "00000000-0000-0000-0000-000000000000";
    assert_eq!(s.post(&path, with("onto", json!(nobody))).await.0, 404);
    assert_eq!(s.get(&format!("{path}?of=no")).await.0, 422);
    // Two strangers on a grid: what is told is what would be cut, and nothing is until somebody says so.
    let plan = with("range", json!([0, 96_000]));
    assert_eq!(s.post(&format!("{path}/take"), plan.clone()).await.0, 404, "not measured yet");
    assert_eq!(s.post(&path, plan.clone()).await.0, 202);
    s.settled(&session).await;
    assert_eq!(s.post(&path, plan.clone()).await.0, 204, "it is there");
    let (status, view) = s.get(&format!("{path}?of={}", escaped(&plan.to_string()))).await;
    assert_eq!((status, &view["carried"], &view["slices"]), (200, &json!("recorded"), &json!([])), "{view}");
    assert_eq!((&view["proof"]["lost"], &view["proof"]["doubled"]), (&json!([]), &json!([])));
    // A track that follows a time map cannot be cut as well.
    let map = json!([[0.0, 0.0], [96_000.0, 96_010.0]]);
    let change = json!({ "label": "Stretched", "changes": [{ "track_id": print, "after": { "map": map } }] });
    assert_eq!(s.post(&format!("/api/sessions/{session}/decisions"), change).await.0, 201);
    let (status, said) = s.post(&path, plan).await;
    assert!(status == 409 && said.to_string().contains("Print follows a time map"), "{said}");
}

/// Text as it stands in an address.
fn escaped(text: &str) -> String {
    let one = |b: u8| if b.is_ascii_alphanumeric() { (b as char).to_string() } else { format!("%{b:02X}") };
    text.bytes().map(one).collect()
}
