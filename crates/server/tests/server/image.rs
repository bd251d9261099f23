//! Files of several channels: looked at, repaired, taken back, delivered.

use crate::common::*;
use serde_json::{Value, json};

/// Burst and rest, so that correlation and loudness have something to follow.
fn noise(frames: usize) -> Vec<f32> {
    let mut state = 9u32;
    let mut low = 0f32;
    (0..frames)
        .map(|i| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            low += 0.4 * ((state >> 9) as f32 / 8_388_608.0 - 0.5 - low);
            // On the grid of 24 bits, so that files hold it as it is.
            let level = if i / 16_000 % 3 == 2 { 0.1 } else { 0.8 };
            (low * level * 8_388_608.0).round() / 8_388_608.0
        })
        .collect()
}

async fn image(s: &TestServer, session: &str, tracks: &[Value]) -> Value {
    let ids: Vec<&str> = tracks.iter().map(|t| t["id"].as_str().unwrap()).collect();
    let at = format!("/api/sessions/{session}/image");
    let asked = s.post(&at, json!({ "tracks": ids })).await.0;
    assert!(asked == 202 || asked == 204, "{asked}");
    let path = format!("{at}?tracks={}", ids.join(","));
    s.until("the image", async |s| s.get(&path).await.0 == 200).await;
    s.get(&path).await.1
}

#[actix_web::test]
async fn a_file_with_one_channel_late_and_inverted_is_repaired_to_the_last_sample() {
    let s = TestServer::start().await;
    let session = s.session("Stereo").await;
    let x = noise(480_000);
    let tracks = s.bring_in(&session, &[("choir.wav", wav(&[x.clone(), moved(&x, 7, -1.0)], 48_000, None))]).await;
    let v = image(&s, &session, &tracks).await;
    let pair = &v["repair"]["pairs"][0];
    assert_eq!((&pair["invert"], &pair["verdict"]), (&json!(true), &json!("solid")), "{pair}");
    assert!((pair["delay_frames"].as_f64().unwrap() - 7.0).abs() < 0.02, "{pair}");
    let ids = [tracks[0]["id"].clone(), tracks[1]["id"].clone()];
    let accept = format!("/api/sessions/{session}/image/accept");
    let (status, made) = s.post(&accept, json!({ "tracks": ids })).await;
    assert_eq!(status, 201, "{made}");
    let now = s.tracks(&session).await;
    assert_eq!(
        now[0]["correction"],
        json!({ "offset_frames": 0.0, "invert": false, "gain_db": 0.0 }),
        "the first stays"
    );
    assert_eq!(now[1]["correction"], json!({ "offset_frames": -7.0, "invert": true, "gain_db": 0.0 }));
    // As carried now nothing is left to do, and that is said.
    let v = image(&s, &session, &now).await;
    assert_eq!(v["repair"]["pairs"][0]["invert"], json!(false));
    assert!(v["image"]["pairs"][0]["correlation"].as_f64().unwrap() > 0.999);
    let (status, said) = s.post(&accept, json!({ "tracks": ids })).await;
    assert_eq!(status, 409, "{said}");
    // The delivered file carries it.
    let wanted = json!({ "depth": "float32", "start": "session" });
    let (status, job) = s.post(&format!("/api/sessions/{session}/deliveries"), wanted).await;
    assert_eq!(status, 202, "{job}");
    s.settled(&session).await;
    let folder = s.store.path().join("deliveries").join(job.as_str().unwrap());
    let (_, planes) = read(&std::fs::read(folder.join("choir.wav")).unwrap());
    let differ = planes[0].iter().zip(&planes[1]).take(470_000).filter(|(a, b)| a != b).count();
    assert_eq!(differ, 0, "both channels carry the same sound, to the last sample");
    s.post(&format!("/api/sessions/{session}/undo"), json!({})).await;
    assert_eq!(s.tracks(&session).await[1]["correction"]["offset_frames"], json!(0.0), "taken back");
}

#[actix_web::test]
async fn what_is_no_image_is_refused_with_a_sentence() {
    let s = TestServer::start().await;
    let session = s.session("Stereo").await;
    let tracks = s.bring_in(&session, &[("a.wav", wav(&[noise(96_000), vec![0.0; 96_000]], 48_000, None))]).await;
    let at = format!("/api/sessions/{session}/image");
    let (a, b) = (&tracks[0]["id"], &tracks[1]["id"]);
    for wrong in [json!([a]), json!([a, a]), json!([])] {
        let (status, said) = s.post(&at, json!({ "tracks": wrong })).await;
        assert!(status == 422 && said["message"].as_str().unwrap().contains("2 to 16"), "{said}");
    }
    let stranger = "00000000-0000-7000-8000-000000000000";
    assert_eq!(s.post(&at, json!({ "tracks": [a, stranger] })).await.0, 404);
    assert_eq!(s.get(&format!("{at}?tracks=nonsense")).await.0, 404);
    // Silence: no signal, and no number that is none.
    let v = image(&s, &session, &tracks).await;
    assert!(v["image"]["pairs"][0]["correlation"].is_null());
    assert!(v["repair"]["pairs"][0]["text"].as_str().unwrap().contains("no signal"));
    assert_eq!(s.post(&format!("{at}/accept"), json!({ "tracks": [a, b] })).await.0, 409);
}
