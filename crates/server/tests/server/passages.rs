//! Passages placed elsewhere, through the server: heard, delivered, taken back, kept with the session, refused.

use crate::common::*;
use crate::timing_routes::{apart, delivered};
use serde_json::{Value, json};

const LONG: usize = 480_000;

fn passage(of: &str, more: Value) -> Value {
    let mut p = json!({
        "tracks": [of], "range": [48_000, 96_000], "at": 240_000,
        "head": 480, "tail": 480, "fade_in": 480, "fade_out": 480,
    });
    p.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    p
}

#[actix_web::test]
async fn a_passage_is_heard_again_with_all_that_it_carries() {
    let s = TestServer::start().await;
    let session = s.session("Again").await;
    let (near, far) = (noise(LONG, 71), noise(LONG, 72));
    let files =
        [("Near.wav", &near), ("Far.wav", &far)].map(|(name, x)| (name, wav(std::slice::from_ref(x), 48_000, None)));
    s.bring_in(&session, &files).await;
    let ids: Vec<String> = s.tracks(&session).await.iter().map(|t| t["id"].as_str().unwrap().into()).collect();
    let decide = format!("/api/sessions/{session}/decisions");
    // One of two that are linked plays 100 frames later, and 1,000 frames of the other are lowered.
    let link = json!("7d0c9a7e-6a55-4c1e-8d0f-0d4f6c1e2a10");
    let lowered = json!([{ "from": 60_000, "to": 61_000, "besides": { "offset_frames": 0.0, "invert": false, "gain_db": -10.0 } }]);
    let changes = json!([
        { "track_id": ids[0], "after": { "link": link, "stretches": lowered } },
        { "track_id": ids[1], "after": { "link": link, "offset_frames": 100.0 } },
    ]);
    let (status, said) = s.post(&decide, json!({ "label": "Ready", "changes": changes })).await;
    assert_eq!(status, 201, "{said}");
    let before = [delivered(&s, &session, "Near.wav").await, delivered(&s, &session, "Far.wav").await];
    assert!(before[0][60_500].abs() < 0.5 * near[60_500].abs(), "lowered");
    let path = format!("/api/sessions/{session}/passages");
    let carried = async |of: Value| s.post(&format!("{path}/carried"), json!({ "passages": of })).await.1;
    assert_eq!(
        carried(json!([])).await,
        json!({ "carried": true, "trouble": null }),
        "none is set, and none is placed"
    );
    assert_eq!(carried(json!([passage(&ids[0], json!({}))])).await["carried"], false);
    // Placed by one of the two, both play it, at the same frames of the session.
    let (status, said) = s.post(&path, json!({ "passages": [passage(&ids[0], json!({}))] })).await;
    assert_eq!((status, &said["label"]), (201, &json!("a passage placed")), "{said}");
    for (name, was) in ["Near.wav", "Far.wav"].iter().zip(&before) {
        let now = delivered(&s, &session, name).await;
        assert_eq!(now[240_000..288_000], was[48_000..96_000], "{name}: again, with what was lowered");
        assert_eq!(now[..239_520], was[..239_520], "{name}: as before in front of it");
        assert_eq!(now[288_480..], was[288_480..], "{name}: and after it");
        assert!(apart(&now[239_520..240_000], &was[239_520..240_000]) > 0.0, "{name}: it fades in");
    }
    assert_eq!(carried(json!([passage(&ids[0], json!({}))])).await["carried"], true);
    assert_eq!(carried(json!([passage(&ids[0], json!({ "head": 500 }))])).await["carried"], false);
    assert_eq!(carried(json!([])).await["carried"], false);
    // What is seen is what is heard, and what it would be without.
    let track = s.tracks(&session).await[0].clone();
    let seen: Vec<i64> = track["pieces"].as_array().unwrap().iter().map(|p| p["from"].as_i64().unwrap()).collect();
    assert!(seen.contains(&239_520) && track["passages"][0]["by"] == 192_000, "{track}");
    assert!(track["without_passages"].as_array().unwrap().iter().all(|p| p["from"] != 239_520), "{track}");
    // Another one, heard instead of where it was played; the first is not set any more.
    let moved = passage(&ids[0], json!({ "moved": true, "at": 300_000 }));
    assert_eq!(s.post(&path, json!({ "passages": [moved] })).await.0, 201);
    let now = delivered(&s, &session, "Near.wav").await;
    assert_eq!(now[300_000..348_000], before[0][48_000..96_000]);
    assert_eq!(now[240_000..288_000], before[0][240_000..288_000], "the first is gone");
    assert!(now[48_000..96_000].iter().all(|v| *v == 0.0), "silent where it was played");
    // Undo brings the first one back; none leaves all as it was.
    assert_eq!(s.post(&format!("/api/sessions/{session}/undo"), json!({})).await.0, 200);
    assert_eq!(delivered(&s, &session, "Near.wav").await[240_000..288_000], before[0][48_000..96_000]);
    let (status, said) = s.post(&path, json!({ "passages": [] })).await;
    assert_eq!((status, &said["label"]), (201, &json!("no passage placed elsewhere")), "{said}");
    assert_eq!(delivered(&s, &session, "Near.wav").await, before[0]);
    assert_eq!(s.post(&path, json!({ "passages": [] })).await.0, 409, "nothing changes");
}

#[actix_web::test]
async fn what_cannot_be_placed_is_refused_and_the_plan_is_kept() {
    let s = TestServer::start().await;
    let session = s.session("Refused").await;
    s.bring_in(&session, &[("One.wav", wav(&[noise(LONG, 73)], 48_000, None))]).await;
    let one = s.tracks(&session).await[0]["id"].as_str().unwrap().to_string();
    let (path, desk) = (format!("/api/sessions/{session}/passages"), format!("/api/sessions/{session}/desk"));
    let plan = json!({ "passages": [passage(&one, json!({}))] });
    let (status, said) = s.patch(&desk, json!({ "passages": plan })).await;
    assert_eq!((status, &said["plans"]["passages"]["passages"][0]["at"]), (200, &json!(240_000)), "{said}");
    for wrong in [
        json!({ "range": [96_000, 48_000] }),
        json!({ "head": -1 }),
        json!({ "fade_in": 60_000 }),
        json!({ "fade_out": i64::MAX }),
        json!({ "at": i64::MIN }),
        json!({ "at": i64::MAX }),
        json!({ "tail": i64::MAX }),
        json!({ "tracks": [] }),
    ] {
        let wrong = json!({ "passages": [passage(&one, wrong)] });
        assert_eq!(s.post(&path, wrong.clone()).await.0, 422, "{wrong}");
        assert_eq!(s.patch(&desk, json!({ "passages": wrong })).await.0, 422, "{wrong}");
    }
    let stranger = passage("00000000-0000-0000-0000-000000000000", json!({}));
    assert_eq!(s.post(&path, json!({ "passages": [stranger] })).await.0, 404);
    let nowhere = passage(&one, json!({ "range": [600_000, 648_000] }));
    let (_, told) = s.post(&format!("{path}/carried"), json!({ "passages": [nowhere] })).await;
    assert!(told["trouble"].as_str().unwrap().starts_with("One: nothing is recorded"), "{told}");
    let (status, said) = s.post(&path, json!({ "passages": [nowhere] })).await;
    assert!(status == 409 && said["message"].as_str().unwrap().contains("One: nothing is recorded"), "{said}");
    // What follows a time map is not taken apart as well.
    let map = json!({ "map": [[0.0, 0.0], [480_000.0, 480_100.0]] });
    let mapped = json!({ "label": "Map", "changes": [{ "track_id": one, "after": map }] });
    let (status, said) = s.post(&format!("/api/sessions/{session}/decisions"), mapped).await;
    assert_eq!(status, 201, "{said}");
    let (status, said) = s.post(&path, plan).await;
    assert!(status == 409 && said["message"].as_str().unwrap().contains("One follows a time map"), "{said}");
}
