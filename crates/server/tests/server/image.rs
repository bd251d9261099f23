//! Files of several channels: looked at, repaired, taken back, delivered.

use crate::common::*;
use marea_core::edit::Correction;
use marea_core::render::resample::Resampler;
use marea_core::render::track::TrackRenderer;
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use serde_json::{Value, json};

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
    let x = noise(480_000, 9);
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
    let tracks = s.bring_in(&session, &[("a.wav", wav(&[noise(96_000, 9), vec![0.0; 96_000]], 48_000, None))]).await;
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
    let x = noise(480_000, 9);
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

/// From 4 s to 8 s one channel was turned over and 2 samples late: repaired there, to the last sample of the delivered file, and
/// nowhere else. Moving the file afterwards moves the repaired stretch along.
#[actix_web::test]
async fn a_repair_may_be_that_of_a_range_alone() {
    let s = TestServer::start().await;
    let session = s.session("Stretch").await;
    let x = noise(576_000, 9);
    let (from, to) = (192_000, 384_000);
    let bad = moved(&x, 2, -1.0);
    let other: Vec<f32> = (0..x.len()).map(|n| if (from..to).contains(&n) { bad[n] } else { x[n] }).collect();
    let tracks = s.bring_in(&session, &[("cable.wav", wav(&[x, other], 48_000, None))]).await;
    let ids: Vec<&str> = tracks.iter().map(|t| t["id"].as_str().unwrap()).collect();
    let at = format!("/api/sessions/{session}/image");
    let range = json!({ "tracks": ids, "from": from, "to": to });
    s.post(&at, range.clone()).await;
    s.settled(&session).await;
    let mut accept = range;
    accept["only_range"] = json!(true);
    let (status, made) = s.post(&format!("{at}/accept"), accept.clone()).await;
    assert_eq!(status, 201, "{made}");
    assert!(made["label"].as_str().unwrap().contains("from 4.000 to 8.000 s"), "{made}");
    let now = s.tracks(&session).await;
    let besides = json!({ "offset_frames": -2.0, "invert": true, "gain_db": 0.0 });
    assert_eq!(now[1]["stretches"], json!([{ "from": from, "to": to, "besides": besides }]));
    assert_eq!((&now[0]["stretches"], &now[1]["correction"]["invert"]), (&json!([]), &json!(false)));
    // As carried now the stretch agrees, and there is nothing left to accept.
    assert_eq!(s.post(&at, json!({ "tracks": ids, "from": from, "to": to })).await.0, 202);
    s.settled(&session).await;
    assert_eq!(s.post(&format!("{at}/accept"), accept).await.0, 409);
    // The whole file moves: 100 samples later, stretch and all.
    let later = json!({ "label": "later", "changes": [{ "track_id": ids[0], "after": { "offset_frames": 100.0 } }] });
    assert_eq!(s.post(&format!("/api/sessions/{session}/decisions"), later).await.0, 201);
    let wanted = json!({ "depth": "float32", "start": "session" });
    let (_, job) = s.post(&format!("/api/sessions/{session}/deliveries"), wanted).await;
    s.settled(&session).await;
    let folder = s.store.path().join("deliveries").join(job.as_str().unwrap());
    let (_, planes) = read(&std::fs::read(folder.join("cable.wav")).unwrap());
    let differ: Vec<usize> = (100..planes[0].len()).filter(|n| planes[0][*n] != planes[1][*n]).collect();
    // Where it takes over, and where it gives back, 5 ms each.
    let seam = |n: &usize| (from + 100..from + 340).contains(n) || (to - 140..to + 102).contains(n);
    assert!(!differ.is_empty() && differ.iter().all(seam), "{:?} … {:?}", differ.first(), differ.last());
    let sheet = std::fs::read_to_string(folder.join("values.csv")).unwrap();
    let told = "4.000 to 8.000 s: -2 samples, 0.00 dB, inverted";
    assert_eq!(sheet.lines().filter(|l| l.contains(told)).count(), 1, "{sheet}");
    // Taken back twice, it is as it was; a range that is none is refused.
    for _ in 0..2 {
        s.post(&format!("/api/sessions/{session}/undo"), json!({})).await;
    }
    assert_eq!(s.tracks(&session).await[1]["stretches"], json!([]));
    let (status, said) = s.post(&format!("{at}/accept"), json!({ "tracks": ids, "only_range": true })).await;
    assert!(status == 404 || status == 409 || status == 422, "{status} {said}");
    for stretches in [
        json!([{ "from": 9, "to": 3, "besides": besides }]),
        json!([{ "from": 0, "to": 9, "besides": besides }, { "from": 5, "to": 20, "besides": besides }]),
    ] {
        let wrong =
            json!({ "label": "wrong", "changes": [{ "track_id": ids[1], "after": { "stretches": stretches } }] });
        let (status, said) = s.post(&format!("/api/sessions/{session}/decisions"), wrong).await;
        assert!(status == 422 && said["message"].as_str().unwrap().contains("in order"), "{said}");
    }
}

#[actix_web::test]
async fn channels_are_named_by_their_layout() {
    let s = TestServer::start().await;
    let session = s.session("Many").await;
    let x = noise(96_000, 9);
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
    assert_eq!(s.get(&path.replace("smpte", "sideways")).await.0, 422);
    // Sixteen channels have no usual layout: every two are compared all the same.
    let planes: Vec<Vec<f32>> = (0..16).map(|c| moved(&x, c, 0.5)).collect();
    let tracks = s.bring_in(&session, &[("many.wav", wav(&planes, 48_000, None))]).await;
    let tracks = &tracks[8..];
    assert_eq!(tracks[15]["name"], "many 16");
    let v = image(&s, &session, tracks).await;
    assert!(v["places"].is_null() && v["to_mono"] == json!([]) && v["degrees"] == json!([]));
    assert_eq!(v["image"]["pairs"].as_array().unwrap().len(), 120);
}

/// A later copy by a part of a frame.
fn late(x: &[f32], frames: f64) -> Vec<f32> {
    let track = MemSource(x.to_vec());
    let placed = Placed { source: &track, start: SessionFrame(0) };
    let mut out = vec![0f32; x.len()];
    let later = Correction { offset_frames: marea_core::units::Offset(frames), ..Correction::default() };
    TrackRenderer::new(placed, &later.into(), rate(48_000)).read(0, &mut out).unwrap();
    out
}

/// Each fault by itself, from the file that comes in to the file that goes out: what is left between the channels is at least
/// 60 dB under the sound.
#[actix_web::test]
async fn every_fault_is_repaired_in_the_delivered_file() {
    let s = TestServer::start().await;
    // Parts of a frame are exact up to 20 kHz: noise of 40 kHz brought up to 48 holds nothing above.
    let (from, to) = (SampleRate::new(40_000).unwrap(), SampleRate::new(48_000).unwrap());
    let mut x = vec![0f32; 480_000];
    Resampler::new(from, to).read(&MemSource(noise(400_000, 9)), 0, &mut x).unwrap();
    let scaled = |factor: f32| x.iter().map(|v| v * factor).collect::<Vec<f32>>();
    let louder = 10f32.powf(1.7 / 20.0);
    let faults = [
        ("late", late(&x, 2.37), json!({ "offset_frames": -2.37, "invert": false, "gain_db": 0.0 })),
        ("turned", scaled(-1.0), json!({ "offset_frames": 0.0, "invert": true, "gain_db": 0.0 })),
        ("louder", scaled(louder), json!({ "offset_frames": 0.0, "invert": false, "gain_db": -1.7 })),
        (
            "softer and turned",
            scaled(-0.7),
            json!({ "offset_frames": 0.0, "invert": true, "gain_db": 0.0, "first_db": -3.1 }),
        ),
    ];
    for (name, second, expected) in faults {
        let session = s.session(name).await;
        let bytes = wav(&[scaled(0.6), second.iter().map(|v| v * 0.6).collect()], 48_000, None);
        let tracks = s.bring_in(&session, &[("pair.wav", bytes)]).await;
        let v = image(&s, &session, &tracks).await;
        let ids = [tracks[0]["id"].clone(), tracks[1]["id"].clone()];
        let (status, made) = s.post(&format!("/api/sessions/{session}/image/accept"), json!({ "tracks": ids })).await;
        assert_eq!(status, 201, "{name}: {made} {}", v["repair"]);
        let now = s.tracks(&session).await;
        for key in ["offset_frames", "gain_db"] {
            let (got, wanted) = (now[1]["correction"][key].as_f64().unwrap(), expected[key].as_f64().unwrap());
            assert!((got - wanted).abs() < 0.02, "{name}: {key} {got} for {wanted}");
        }
        // Of two levels the louder one is brought down.
        let (got, wanted) =
            (now[0]["correction"]["gain_db"].as_f64().unwrap(), expected["first_db"].as_f64().unwrap_or(0.0));
        assert!((got - wanted).abs() < 0.02, "{name}: the first by {got} for {wanted}");
        assert_eq!(now[1]["correction"]["invert"], expected["invert"], "{name}");
        let wanted = json!({ "depth": "float32", "start": "session" });
        let (_, job) = s.post(&format!("/api/sessions/{session}/deliveries"), wanted).await;
        s.settled(&session).await;
        let folder = s.store.path().join("deliveries").join(job.as_str().unwrap());
        let (_, planes) = read(&std::fs::read(folder.join("pair.wav")).unwrap());
        let (mut left, mut whole) = (0f64, 0f64);
        for (a, b) in planes[0].iter().zip(&planes[1]).skip(1_000).take(470_000) {
            left += f64::from(a - b).powi(2);
            whole += f64::from(*a).powi(2);
        }
        let db = 10.0 * (left / whole).max(1e-15).log10();
        // The level is proposed to a hundredth of a dB: 0.005 dB off leave −65 dB.
        assert!(db < -60.0, "{name}: {db:.1} dB are left");
    }
}

/// Left and right that changed places: in sides, in names and in the delivered file; the sheet says which channel is which.
#[actix_web::test]
async fn exchanged_sides_are_delivered_exchanged() {
    let s = TestServer::start().await;
    let session = s.session("Sides").await;
    let (a, b) = (noise(96_000, 9), moved(&noise(96_000, 9), 37, 0.4));
    let bytes = wav(&[a, b], 48_000, None);
    let (_, held) = read(&bytes);
    let tracks = s.bring_in(&session, &[("Hall pair.wav", bytes)]).await;
    let two = json!({ "a": tracks[0]["id"], "b": tracks[1]["id"] });
    let sides = format!("/api/sessions/{session}/sides");
    assert_eq!(s.post(&sides, two.clone()).await.0, 201);
    let now = s.tracks(&session).await;
    let named: Vec<&str> =
        now.iter().flat_map(|t| [t["name"].as_str().unwrap(), t["side"].as_str().unwrap()]).collect();
    assert_eq!(named, ["Hall pair R", "right", "Hall pair L", "left"]);
    let wanted = json!({ "depth": "float32", "start": "session" });
    let (_, job) = s.post(&format!("/api/sessions/{session}/deliveries"), wanted).await;
    s.settled(&session).await;
    let folder = s.store.path().join("deliveries").join(job.as_str().unwrap());
    let (_, planes) = read(&std::fs::read(folder.join("Hall pair.wav")).unwrap());
    assert!(planes[0] == held[1] && planes[1] == held[0], "channels have changed places");
    let sheet = std::fs::read_to_string(folder.join("values.csv")).unwrap();
    assert!(
        sheet.contains("\"Hall pair.wav\",1,\"Hall pair L\"") && sheet.contains("\"Hall pair.wav\",2,\"Hall pair R\"")
    );
    // Taken back like everything else; what are no two sides is refused.
    s.post(&format!("/api/sessions/{session}/undo"), json!({})).await;
    assert_eq!(s.tracks(&session).await[0]["name"], "Hall pair L");
    let centre = json!({ "label": "x", "changes": [{ "track_id": tracks[0]["id"], "after": { "side": "centre" } }] });
    s.post(&format!("/api/sessions/{session}/decisions"), centre).await;
    let (status, said) = s.post(&sides, two).await;
    assert!(status == 409 && said["message"].as_str().unwrap().contains("left and right"), "{said}");
}
