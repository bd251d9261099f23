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

#[actix_web::test]
async fn a_range_is_looked_at_by_itself() {
    let s = TestServer::start().await;
    let session = s.session("Range").await;
    let x = noise(480_000);
    // Turned over in the second half only, as when a cable was changed.
    let other: Vec<f32> = x.iter().enumerate().map(|(n, v)| if n < 240_000 { *v } else { -*v }).collect();
    let tracks = s.bring_in(&session, &[("half.wav", wav(&[x, other], 48_000, None))]).await;
    let ids: Vec<&str> = tracks.iter().map(|t| t["id"].as_str().unwrap()).collect();
    let at = format!("/api/sessions/{session}/image");
    for (from, to, inverted) in [(0, 230_000, false), (250_000, 470_000, true)] {
        let asked = s.post(&at, json!({ "tracks": ids, "from": from, "to": to })).await.0;
        assert!(asked == 202 || asked == 204, "{asked}");
        let path = format!("{at}?tracks={}&from={from}&to={to}", ids.join(","));
        s.until("the image", async |s| s.get(&path).await.0 == 200).await;
        let v = s.get(&path).await.1;
        assert_eq!(v["repair"]["pairs"][0]["invert"], json!(inverted), "{from}");
        assert_eq!((&v["image"]["first"], v["places_by_file"].is_boolean()), (&json!(from), true));
    }
    // Outside the session there is nothing to look at, and that is said.
    for (from, to) in [(900_000, 990_000), (5, 900), (300_000, 200_000)] {
        let (status, said) = s.post(&at, json!({ "tracks": ids, "from": from, "to": to })).await;
        assert!(status == 422 && said["message"].as_str().unwrap().contains("half a second"), "{said}");
    }
}

#[actix_web::test]
async fn channels_are_named_by_their_layout() {
    let s = TestServer::start().await;
    let session = s.session("Many").await;
    let x = noise(96_000);
    let planes: Vec<Vec<f32>> = (0..8).map(|c| moved(&x, c * 3, if c == 6 { -1.0 } else { 0.9 })).collect();
    let tracks = s.bring_in(&session, &[("hall.wav", wav(&planes, 48_000, None))]).await;
    let names: Vec<&str> = tracks.iter().map(|t| t["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["hall L", "hall R", "hall C", "hall LFE", "hall Lb", "hall Rb", "hall Ls", "hall Rs"]);
    let v = image(&s, &session, &tracks).await;
    assert_eq!(v["places"][4], json!("left_back"));
    // Seen from above: ITU-R BS.775 has the surrounds at 110 degrees, what is behind them at 135.
    assert_eq!((&v["degrees"][1], &v["degrees"][4], &v["degrees"][6]), (&json!(30.0), &json!(-135.0), &json!(-110.0)));
    let ids: Vec<&str> = tracks.iter().map(|t| t["id"].as_str().unwrap()).collect();
    let path = format!("/api/sessions/{session}/image?tracks={}&order=smpte", ids.join(","));
    assert_eq!(s.get(&path).await.1["places"][4], json!("left_surround"), "in the order of SMPTE");
    assert_eq!(s.get(&path.replace("smpte", "sideways")).await.0, 400);
    // Sixteen channels have no usual layout: every two are compared all the same.
    let planes: Vec<Vec<f32>> = (0..16).map(|c| moved(&x, c, 0.5)).collect();
    let tracks = s.bring_in(&session, &[("many.wav", wav(&planes, 48_000, None))]).await;
    let tracks = &tracks[8..];
    assert_eq!(tracks[15]["name"], "many 16");
    let v = image(&s, &session, tracks).await;
    assert!(v["places"].is_null() && v["to_mono"] == json!([]) && v["degrees"] == json!([]));
    assert_eq!(v["image"]["pairs"].as_array().unwrap().len(), 120);
}
