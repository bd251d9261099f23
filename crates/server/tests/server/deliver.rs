//! Aligned files and the sheet of values.

use crate::common::*;
use serde_json::{Value, json};
use std::io::Read;

pub(super) async fn deliver(s: &TestServer, session: &str, body: Value) -> (String, Vec<Value>) {
    let (status, job) = s.post(&format!("/api/sessions/{session}/deliveries"), body).await;
    assert_eq!(status, 202, "{job}");
    s.settled(session).await;
    let (_, list) = s.get(&format!("/api/sessions/{session}/deliveries")).await;
    let done = list.as_array().unwrap().iter().find(|j| j["id"] == job).expect("done").clone();
    (job.as_str().unwrap().to_string(), done["result"]["files"].as_array().unwrap().clone())
}

pub(super) async fn fetch(s: &TestServer, job: &str, name: &str) -> Vec<u8> {
    let url = format!("{}/api/deliveries/{job}/files/{name}", s.base);
    s.http.get(url).send().await.unwrap().bytes().await.unwrap().to_vec()
}

#[actix_web::test]
async fn files_are_moved_sample_by_sample() {
    let s = TestServer::start().await;
    let session = s.session("Deliver").await;
    let x = hits(60_000, 1);
    let stamp = 48_000 * 72_900;
    let tracks = s
        .bring_in(
            &session,
            &[
                ("Anchor.wav", wav(std::slice::from_ref(&x), 48_000, Some(stamp))),
                ("Late.wav", wav(&[moved(&x, 110, 1.0)], 48_000, Some(stamp))),
                ("Pair.wav", wav(&[x.clone(), moved(&x, 3, 0.5)], 48_000, Some(stamp))),
            ],
        )
        .await;
    let changes = json!([
        { "track_id": tracks[1]["id"], "after": { "offset_frames": -110.0, "invert": true } },
        { "track_id": tracks[3]["id"], "after": { "offset_frames": 25.0 } },
    ]);
    s.post(&format!("/api/sessions/{session}/decisions"), json!({ "label": "x", "changes": changes })).await;
    let (job, files) = deliver(&s, &session, json!({ "depth": "int24", "start": "session" })).await;
    let names: Vec<&str> = files.iter().map(|f| f["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["Anchor.wav", "Late.wav", "Pair.wav", "values.csv"]);
    assert_eq!(files[1]["left_out_frames"], 110);
    let fetch = async |name: &str| fetch(&s, &job, name).await;
    let (info, anchor) = read(&fetch("Anchor.wav").await);
    // The pair ends 25 frames later; all files have that length.
    assert_eq!((anchor[0].len(), info.time_reference), (60_025, Some(stamp)));
    assert_eq!(anchor[0][..60_000], x);
    let (_, late) = read(&fetch("Late.wav").await);
    for n in 0..60_000 - 110 {
        assert_eq!(late[0][n], -x[n] + 0.0, "frame {n}");
    }
    let (_, pair) = read(&fetch("Pair.wav").await);
    assert_eq!(pair.len(), 2);
    assert_eq!(pair[0][25..], x[..]);
    assert!(pair[1][25..].iter().zip(moved(&x, 3, 0.5)).all(|(a, b)| (a - b).abs() < 2.0 / 8_388_608.0));
    let sheet = String::from_utf8(fetch("values.csv").await).unwrap();
    assert!(
        sheet.contains("\"Late.wav\",1,\"Late\"") && sheet.contains(",-110,-2.2917,-0.7865,inverted,0.00,48000,"),
        "{sheet}"
    );
    // The archive holds the same bytes.
    let archive =
        s.http.get(format!("{}/api/deliveries/{job}/archive.zip", s.base)).send().await.unwrap().bytes().await.unwrap();
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(archive)).unwrap();
    assert_eq!(zip.len(), 4);
    let mut bytes = Vec::new();
    zip.by_name("Late.wav").unwrap().read_to_end(&mut bytes).unwrap();
    assert_eq!(bytes, fetch("Late.wav").await);
}

#[actix_web::test]
async fn from_the_earliest_sound_and_only_what_is_wanted() {
    let s = TestServer::start().await;
    let session = s.session("Earliest").await;
    let x = hits(60_000, 2);
    let stamp = 48_000 * 100;
    let tracks = s
        .bring_in(
            &session,
            &[
                ("A.wav", wav(std::slice::from_ref(&x), 48_000, Some(stamp))),
                ("B.wav", wav(&[moved(&x, 1, 1.0)], 48_000, Some(stamp))),
            ],
        )
        .await;
    let change =
        json!({ "label": "x", "changes": [{ "track_id": tracks[1]["id"], "after": { "offset_frames": -480.0 } }] });
    s.post(&format!("/api/sessions/{session}/decisions"), change).await;
    let (job, files) =
        deliver(&s, &session, json!({ "depth": "float32", "start": "earliest", "tracks": [tracks[0]["id"]] })).await;
    assert_eq!(files.len(), 2);
    let bytes = std::fs::read(s.store.path().join("deliveries").join(job).join("A.wav")).unwrap();
    let (info, planes) = read(&bytes);
    assert_eq!((info.time_reference, planes[0].len()), (Some(stamp - 480), 60_480));
    assert_eq!(planes[0][480..], x);
    let empty = s.session("Empty").await;
    s.post(&format!("/api/sessions/{empty}/deliveries"), json!({ "depth": "int24", "start": "session" })).await;
    let jobs = s.settled(&empty).await;
    assert!(jobs[0]["error"].as_str().unwrap().contains("no recordings"), "{jobs:?}");
}

/// Two mono files that differ by a side in their names are a pair like the channels of one file: moved, exchanged and delivered
/// together, also after a restart; taken apart and put together by hand.
#[actix_web::test]
async fn mono_files_are_a_pair_by_name() {
    let s = TestServer::start().await;
    let session = s.session("Pairs").await;
    let at = |what: &str| format!("/api/sessions/{session}/{what}");
    let x = hits(96_000, 4);
    let file = |name: &'static str, by: i64| (name, wav(&[moved(&x, by, 1.0)], 48_000, None));
    let files = [file("08 OH L.wav", 9), file("09 OH R.wav", 14), file("Snare Top.wav", 0), file("Tambour.wav", 3)];
    s.bring_in(&session, &files).await;
    let track = async |name: &str| s.tracks(&session).await.into_iter().find(|t| t["name"] == name).unwrap();
    let decide = async |name: &str, after: Value| {
        let changes = json!([{ "track_id": track(name).await["id"], "after": after }]);
        s.post(&at("decisions"), json!({ "label": "x", "changes": changes })).await
    };
    let link = async |name: &str| track(name).await["link_id"].clone();
    assert_eq!(link("08 OH L").await, link("09 OH R").await);
    assert!(link("08 OH L").await.is_string() && link("Snare Top").await.is_null());
    // Moved together.
    decide("08 OH L", json!({ "offset_frames": -5.0 })).await;
    assert_eq!(track("09 OH R").await["correction"]["offset_frames"], -5.0);
    // Delivered together, each as it came.
    let only = json!({ "tracks": [track("09 OH R").await["id"]], "depth": "float32", "start": "session" });
    let (status, job) = s.post(&at("deliveries"), only).await;
    assert_eq!(status, 202, "{job}");
    let done = s.settled(&session).await.into_iter().find(|j| j["id"] == job).unwrap();
    let names: Vec<&str> =
        done["result"]["files"].as_array().unwrap().iter().map(|f| f["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["08 OH L.wav", "09 OH R.wav", "values.csv"]);
    // Exchanged: names and sides.
    let sides = json!({ "a": track("08 OH L").await["id"], "b": track("09 OH R").await["id"] });
    assert_eq!(s.post(&at("sides"), sides).await.0, 201);
    assert_eq!(
        (track("08 OH R").await["side"].clone(), track("09 OH L").await["side"].clone()),
        (json!("right"), json!("left"))
    );
    s.post(&at("undo"), json!({})).await;
    // Taken apart by hand: moved alone. Undo makes them a pair again.
    decide("08 OH L", json!({ "link": "none" })).await;
    assert!(link("08 OH L").await.is_null() && link("09 OH R").await.is_null());
    decide("08 OH L", json!({ "offset_frames": 0.0 })).await;
    assert_eq!(track("09 OH R").await["correction"]["offset_frames"], -5.0);
    s.post(&at("undo"), json!({})).await;
    s.post(&at("undo"), json!({})).await;
    assert_eq!(link("08 OH L").await, link("09 OH R").await);
    // Put together by hand, against all names.
    let ids = [track("Snare Top").await["id"].clone(), track("Tambour").await["id"].clone()];
    let pair: Vec<Value> = ids.iter().map(|id| json!({ "track_id": id, "after": { "link": ids[0] } })).collect();
    assert_eq!(s.post(&at("decisions"), json!({ "label": "a pair", "changes": pair })).await.0, 201);
    assert_eq!((link("Snare Top").await, link("Tambour").await), (ids[0].clone(), ids[0].clone()));
    assert_eq!(decide("Tambour", json!({ "link": "nonsense" })).await.0, 422);
    // Another server on the same database knows the same.
    let again = TestServer::with(|settings| settings.database_url.clone_from(&s.database_url)).await;
    let known = again.tracks(&session).await;
    assert_eq!(known.iter().filter(|t| t["link_id"] == ids[0]).count(), 2);
    assert_eq!(known.iter().filter(|t| t["link_id"].is_null()).count(), 0);
}
