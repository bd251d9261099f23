//! Clocks: a camera placed by its sound, its speed taken out, and delivered in time.

use super::*;
use marea_scene::clocks::{Recorded, recorded};

#[actix_web::test]
async fn a_camera_is_placed_by_its_sound_and_taken_over() {
    let _turn = beside().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let Recorded { reference, other, begins, ppm, .. } = recorded(150.0, 100.0, 9_821);
    new_session(&b, &s, "Camera").await;
    let files = [("Hall.wav", vec![reference]), ("Camera.wav", vec![other.clone(), other])]
        .map(|(name, planes)| put(folder.path(), name, wav(&planes, 48_000, None)));
    bring_in(&b, &files).await;
    b.until("three tracks", "return document.querySelectorAll('tr[data-track]').length === 3").await;
    let session = only_session(&s).await;
    b.click("nav a[href$='/clocks']").await;
    b.click("[data-recording=Camera] input").await;
    b.click("[data-test=place]").await;
    b.until("placed", "return !!document.querySelector('[data-recording=Camera] td.solid')").await;
    let found =
        b.js("return Number(document.querySelector('[data-recording=Camera] [data-begins]').dataset.begins)").await;
    assert!((found.as_f64().expect("frames") - begins).abs() < 2.0, "{found} instead of {begins}");
    b.until("drawn", "return document.querySelectorAll('[data-bar=Camera] .placed').length === 1").await;
    // Taken over: both channels lie there and run at the reference's speed, one decision that undo takes back.
    b.click("[data-take=Camera]").await;
    b.until("there", "return document.querySelector('[data-recording=Camera]').innerText.includes('lies there')").await;
    let camera: Vec<serde_json::Value> = s.tracks(&session).await.into_iter().filter(|t| t["channels"] == 2).collect();
    for t in &camera {
        let offset = t["correction"]["offset_frames"].as_f64().expect("frames");
        assert!((offset - begins).abs() < 2.0, "{offset} instead of {begins}");
        let rate = t["pieces"][0]["rate"].as_f64().expect("a rate");
        assert!((1e6 * (rate - 1.0) - ppm).abs() < 0.5, "{rate} instead of {ppm} ppm");
    }
    // The same is shown after a reload.
    b.page.refresh().await.expect("again");
    b.until("there", "return document.querySelector('[data-recording=Camera]')?.innerText.includes('lies there')")
        .await;
    b.click("[data-test=undo]").await;
    b.until("back", "return !!document.querySelector('[data-take=Camera]')").await;
    assert!(s.tracks(&session).await.iter().all(|t| t["correction"]["offset_frames"] == 0.0), "as recorded");
    b.no_errors().await;
    b.close().await;
}
