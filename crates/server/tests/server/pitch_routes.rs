//! The pitch of a voice through the server: told, a note at another one made anew beneath it, taken back, refused.

use crate::common::*;
use crate::timing_routes::{delivered, measured};
use marea_scene::doubles::{How, doubles};
use serde_json::{Value, json};

fn key(note: &Value) -> f64 {
    note["key"].as_f64().expect("a key")
}

#[actix_web::test]
async fn a_note_goes_up_and_everything_else_is_what_it_was() {
    let s = TestServer::start().await;
    let session = s.session("Pitch").await;
    let sung = doubles(12.0, 761, &[How::Same]).lead;
    s.bring_in(&session, &[("Voice.wav", wav(std::slice::from_ref(&sung), 48_000, None))]).await;
    let voice = s.tracks(&session).await[0]["id"].as_str().unwrap().to_string();
    let path = format!("/api/sessions/{session}/pitch");
    let plan = json!({ "track": voice });
    assert_eq!(s.asked(&path, &plan).await.0, 204, "nobody has listened yet");
    let view = measured(&s, &session, "pitch", &plan).await;
    let notes = view["notes"].as_array().unwrap();
    let solid =
        |n: &&Value| n["verdict"] == "solid" && n["to"].as_f64().unwrap() - n["from"].as_f64().unwrap() > 9_600.0;
    let note = notes.iter().find(solid).expect("a note that is sure");
    let [from, to] = ["from", "to"].map(|end| note[end].as_f64().unwrap() as i64);
    let up = json!({ "track": voice, "notes": [{ "from": from, "to": to + 1, "cents": 100.0 }] });
    let (status, said) = s.post(&format!("{path}/make"), up.clone()).await;
    assert_eq!(status, 202, "{said}");
    s.settled(&session).await;
    let now = s.tracks(&session).await;
    let result = now.iter().find(|t| !t["made_of"].is_null()).expect("a result");
    assert_eq!((&result["name"], &result["made_of"]["take"]), (&json!("Voice retuned"), &json!(voice)));
    assert!(result["made_of"]["lead"].is_null() && result["made_of"]["louder_db"].as_f64().unwrap().abs() < 0.2);
    assert_eq!(s.asked(&path, &up).await.1["fits"], true);
    assert_eq!(s.asked(&path, &plan).await.1["fits"], false);

    // Heard again, it lies a semitone higher; its neighbours do not.
    let of = json!({ "track": result["id"] });
    let after = measured(&s, &session, "pitch", &of).await;
    let about = |n: &&Value| (n["from"].as_f64().unwrap() - from as f64).abs() < 2_400.0;
    let higher = after["notes"].as_array().unwrap().iter().find(about).expect("the note");
    assert!((key(higher) - key(note) - 1.0).abs() < 0.05, "{note} {higher}");
    // Away from the voiced stretch that it lies in every sample is what it was.
    let sound = delivered(&s, &session, "Voice retuned.wav").await;
    let original = delivered(&s, &session, "Voice.wav").await;
    let differs: Vec<i64> = (0..sound.len()).filter(|n| sound[*n] != original[*n]).map(|n| n as i64).collect();
    let ends = [differs[0], differs[differs.len() - 1]];
    let hz = view["hz"].as_array().unwrap();
    let step = view["step_frames"].as_f64().unwrap();
    let voiced = |at: i64| hz.get((at as f64 / step) as usize).is_some_and(|hz| hz.as_f64().unwrap() > 0.0);
    let mut stretch = [from, to];
    while voiced(stretch[0] - 240) {
        stretch[0] -= 240;
    }
    while voiced(stretch[1] + 240) {
        stretch[1] += 240;
    }
    assert!(ends[0] > stretch[0] - 1_500 && ends[1] < stretch[1] + 1_500, "{ends:?} beyond {stretch:?}");

    assert_eq!(s.post(&format!("/api/sessions/{session}/undo"), json!({})).await.0, 200);
    assert_eq!(s.tracks(&session).await.len(), 1);
    // What cannot be is named.
    assert_eq!(s.post(&format!("{path}/make"), plan).await.0, 422, "no note changes");
    let backwards = json!({ "track": voice, "notes": [{ "from": to, "to": from, "cents": 5.0 }] });
    assert_eq!(s.post(&path, backwards).await.0, 422);
    let far = json!({ "track": voice, "notes": [{ "from": from, "to": to, "cents": 5_000.0 }] });
    assert_eq!(s.post(&path, far).await.0, 422);
    let nobody = json!({ "track": "00000000-0000-0000-0000-000000000000" });
    assert_eq!(s.post(&path, nobody).await.0, 404);
}

#[actix_web::test]
async fn what_has_no_single_voice_has_no_notes() {
    let s = TestServer::start().await;
    let session = s.session("No voice").await;
    let noise: Vec<f32> = hits(144_000, 3);
    let files = [("Noise.wav", wav(&[noise], 48_000, None)), ("Silence.wav", wav(&[vec![0.0; 96_000]], 48_000, None))];
    s.bring_in(&session, &files).await;
    for track in s.tracks(&session).await {
        let view = measured(&s, &session, "pitch", &json!({ "track": track["id"] })).await;
        let solid = view["notes"].as_array().unwrap().iter().filter(|n| n["verdict"] == "solid").count();
        assert_eq!(solid, 0, "{}", view["notes"]);
    }
}
