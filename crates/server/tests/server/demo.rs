//! The demo session through the server: its known faults come out.

use crate::common::*;
use serde_json::json;

#[actix_web::test]
async fn the_faults_of_harbour_hall_are_found() {
    let s = TestServer::start().await;
    let (status, made) = s.post("/api/demo", json!({})).await;
    assert_eq!((status, made["name"].as_str()), (202, Some("Harbour Hall")));
    let session = made["id"].as_str().unwrap().to_string();
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
            "Hall pair R"
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
    // The frame drum is wired inverted: opposed to the marimba's own arrival in it.
    let drum = measured("Marimba low", "Frame drum").await;
    assert_eq!(drum["sign"], -1, "{}", drum["reason"]);
    // Left of the hall pair hears the cello, which sits on the right, before its right: swapped.
    let (left, right) = (measured("Cello pickup", "Hall pair L").await, measured("Cello pickup", "Hall pair R").await);
    assert!(left["lag_frames"].as_f64().unwrap() < right["lag_frames"].as_f64().unwrap());
}
