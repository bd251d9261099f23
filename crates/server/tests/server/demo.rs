//! The demo session through the server: its known faults come out.

use crate::common::*;
use marea_scene::after::{CAMERA_LATE_S, CAMERA_PPM, PRINT_PPM};
use marea_scene::evening::{ACCORDION_LATE_FRAMES, BELLS_LOUDER_DB};
use serde_json::json;

#[actix_web::test]
async fn the_faults_of_harbour_hall_are_found() {
    let s = TestServer::start().await;
    let (status, made) = s.post("/api/demo", json!({})).await;
    assert_eq!((status, made["name"].as_str()), (202, Some("Harbour Hall")));
    let session = made["id"].as_str().unwrap().to_string();
    assert_eq!((&made["bpm"], &made["first_beat_frame"]), (&json!(96.0), &json!(48_000)), "the tempo that is played");
    // Asked again it is the same session, not a second one.
    assert_eq!(s.post("/api/demo", json!({})).await.1["id"], made["id"]);
    s.settled(&session).await;
    let tracks = s.tracks(&session).await;
    let names: Vec<&str> = tracks.iter().map(|t| t["name"].as_str().unwrap()).collect();
    assert_eq!(
        names,
        [
            "Marimba low",
            "Marimba high",
            "Cajón front",
            "Cajón back",
            "Frame drum",
            "Cello near",
            "Cello pickup",
            "Main pair L",
            "Main pair R",
            "Hall pair L",
            "Hall pair R",
            "Accordion L",
            "Accordion R",
            "Choir stall pair L",
            "Choir stall pair R",
            "Hall 5.1 L",
            "Hall 5.1 R",
            "Hall 5.1 C",
            "Hall 5.1 LFE",
            "Hall 5.1 Ls",
            "Hall 5.1 Rs",
            "Bells rendered L",
            "Bells rendered R",
            "Flute take 1",
            "Flute take 2",
            "Flute take 3",
            "Marimba high print",
            "Camera"
        ]
    );
    let measured = async |a: &str, b: &str| {
        let id = |n: &str| tracks.iter().find(|t| t["name"] == n).unwrap()["id"].as_str().unwrap().to_string();
        let (a, b) = (id(a), id(b));
        s.post(&format!("/api/sessions/{session}/pairs"), json!({ "a": a, "b": b })).await;
        s.settled(&session).await;
        s.get(&format!("/api/sessions/{session}/pairs?a={a}&b={b}")).await.1["measurement"].clone()
    };
    // The cello's near microphone: half a metre of air and 221 frames of fault after the pickup (truth of the scene).
    let cello = measured("Cello pickup", "Cello near").await;
    assert_eq!((&cello["verdict"], &cello["sign"]), (&json!("solid"), &json!(1)));
    assert!((cello["lag_frames"].as_f64().unwrap() - 292.66).abs() < 0.5);
    let cajon = measured("Cajón front", "Cajón back").await;
    assert_eq!(
        (&cajon["verdict"], &cajon["sign"], &cajon["propose_invert"]),
        (&json!("solid"), &json!(-1), &json!(true))
    );
    // Under Align as in the check: one decision.
    let (_, check) = s.get(&format!("/api/sessions/{session}/check")).await;
    let place = |name: &str| {
        let id = tracks.iter().find(|t| t["name"] == name).unwrap()["id"].clone();
        check["tracks"].as_array().unwrap().iter().position(|t| *t == id).unwrap()
    };
    for (a, b) in [("Cajón front", "Cajón back"), ("Marimba low", "Frame drum")] {
        let id = |n: &str| tracks.iter().find(|t| t["name"] == n).unwrap()["id"].as_str().unwrap().to_string();
        s.post(&format!("/api/sessions/{session}/pairs"), json!({ "a": id(a), "b": id(b) })).await;
        s.settled(&session).await;
        let (_, view) = s.get(&format!("/api/sessions/{session}/pairs?a={}&b={}", id(a), id(b))).await;
        let better = |n: &str| check["advice"][place(n)]["polarity"]["sums_better_inverted"].as_bool().unwrap();
        assert_eq!(view["by_check"], true, "{view}");
        assert_eq!(view["propose_invert"], better(a) != better(b), "{a} and {b}");
    }
    // The frame drum is wired inverted: opposed to the marimba's own arrival in it.
    let drum = measured("Marimba low", "Frame drum").await;
    assert_eq!(drum["sign"], -1, "{}", drum["reason"]);
    // Left of the hall pair hears the cello, which sits on the right, before its right: swapped.
    let (left, right) = (measured("Cello pickup", "Hall pair L").await, measured("Cello pickup", "Hall pair R").await);
    assert!(left["lag_frames"].as_f64().unwrap() < right["lag_frames"].as_f64().unwrap());
    // What went wrong between the channels of its files.
    let image = async |names: &[&str]| {
        let id = |n: &&str| tracks.iter().find(|t| t["name"] == **n).unwrap()["id"].as_str().unwrap().to_string();
        let ids: Vec<String> = names.iter().map(id).collect();
        s.post(&format!("/api/sessions/{session}/image"), json!({ "tracks": ids })).await;
        s.settled(&session).await;
        s.get(&format!("/api/sessions/{session}/image?tracks={}", ids.join(","))).await.1["repair"].clone()
    };
    let accordion = image(&["Accordion L", "Accordion R"]).await["pairs"][0].clone();
    assert!((accordion["delay_frames"].as_f64().unwrap() - ACCORDION_LATE_FRAMES).abs() < 0.1, "{accordion}");
    assert_eq!((&accordion["invert"], &accordion["verdict"]), (&json!(false), &json!("solid")));
    let choir = image(&["Choir stall pair L", "Choir stall pair R"]).await["pairs"][0].clone();
    assert_eq!((&choir["invert"], &choir["delay_frames"]), (&json!(true), &json!(0.0)), "{choir}");
    let bells = image(&["Bells rendered L", "Bells rendered R"]).await;
    let level = bells["findings"].as_array().unwrap().iter().find(|f| f["kind"] == "level-difference").unwrap();
    assert!(level["text"].as_str().unwrap().contains(&format!("{BELLS_LOUDER_DB:.1}")), "{level}");
    let names = ["Hall 5.1 L", "Hall 5.1 R", "Hall 5.1 C", "Hall 5.1 LFE", "Hall 5.1 Ls", "Hall 5.1 Rs"];
    let hall = image(&names).await;
    let turned: Vec<bool> =
        hall["channels"].as_array().unwrap().iter().map(|c| c["correction"]["invert"] == true).collect();
    assert_eq!(turned, [false, false, false, false, true, false], "{}", hall["findings"]);
    // The check says the same of them, and finds nothing else wrong with what was added.
    let check = s.get(&format!("/api/sessions/{session}/check")).await.1;
    let name = |i: &serde_json::Value| {
        let id = &check["tracks"][i.as_u64().unwrap() as usize];
        tracks.iter().find(|t| t["id"] == *id).unwrap()["name"].as_str().unwrap().to_string()
    };
    let mut faults: Vec<(String, String)> = check["findings"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|f| f["finding"]["severity"] == "fault")
        .map(|f| (f["finding"]["kind"].as_str().unwrap().to_string(), name(&f["finding"]["about"]["tracks"][0])))
        .collect();
    faults.sort();
    let expected = [
        ("late", "Cello near"),
        ("pair-swapped", "Hall pair L"),
        ("wired-inverted", "Choir stall pair L"),
        ("wired-inverted", "Frame drum"),
        ("wired-inverted", "Hall 5.1 Ls"),
    ];
    assert_eq!(faults, expected.map(|(k, n)| (k.to_string(), n.to_string())));
    the_print_the_camera_and_the_bells_are_told_as_they_are(&s, &session).await;
}

/// What was made after the evening is found again with the truth that it was made with.
async fn the_print_the_camera_and_the_bells_are_told_as_they_are(s: &TestServer, session: &str) {
    let tracks = s.tracks(session).await;
    let id = |n: &str| tracks.iter().find(|t| t["name"] == n).unwrap()["id"].as_str().unwrap().to_string();
    let at = |what: &str| format!("/api/sessions/{session}/{what}");
    let (print, send, camera, main, bells) =
        (id("Marimba high print"), id("Marimba high"), id("Camera"), id("Main pair L"), id("Bells rendered L"));
    s.post(&at("prints/send"), json!({ "print": print })).await;
    s.post(&at("prints"), json!({ "send": send, "print": print })).await;
    s.post(&at("clocks"), json!({ "tracks": [main, camera] })).await;
    let score = s.get(&at("scores")).await.1[0]["id"].as_str().unwrap().to_string();
    s.post(&at("notes"), json!({ "score": score, "track": bells })).await;
    s.settled(session).await;
    let found = s.get(&at(&format!("prints/send?print={print}"))).await.1;
    assert_eq!((&found["clear"], &found["sends"][0]["track"]), (&json!(true), &json!(send)), "{found}");
    let followed = s.get(&at(&format!("prints?send={send}&print={print}"))).await.1;
    assert_eq!((&followed["verdict"], &followed["invert"]), (&json!("solid"), &json!(false)));
    assert!((followed["drift_ppm"].as_f64().unwrap() - PRINT_PPM).abs() < 1.0, "{}", followed["drift_ppm"]);
    assert!((followed["wow"][0]["hz"].as_f64().unwrap() - 0.56).abs() < 0.02, "{}", followed["wow"]);
    let placed = s.get(&at(&format!("clocks?tracks={main},{camera}"))).await.1[1].clone();
    // The camera stands in the choir stall, behind the main pair: some ms of air come on top.
    assert!(placed["begins_frame"].is_number(), "{placed}");
    let begins = placed["begins_frame"].as_f64().unwrap() / 48_000.0;
    assert!(placed["by"] == "sound" && (begins - CAMERA_LATE_S).abs() < 0.03, "{placed}");
    assert!((placed["ppm"].as_f64().unwrap() - CAMERA_PPM).abs() < 1.5, "{placed}");
    let late = s.get(&at(&format!("notes?score={score}&track={bells}"))).await.1;
    assert_eq!((&late["note_value"], &late["verdict"]), (&json!("1/64 dotted"), &json!("solid")), "{late}");
}
