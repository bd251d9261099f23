//! Timing: a set's strokes found, seen before they are moved, moved together, read back, delivered, and as recorded again.

use super::*;
use marea_scene::sets::{Kind, scene};
use serde_json::{Value, json};

#[actix_web::test]
async fn a_set_is_moved_together_and_what_is_delivered_is_moved_alike() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    let made = scene(15.0, 9_656, Kind::Clean);
    let played = made.render();
    let folder = tempfile::tempdir().expect("a folder");
    let paths: Vec<String> =
        played.files.iter().map(|(name, x)| put(folder.path(), name, wav(x, 48_000, None))).collect();
    let tracks: usize = played.files.iter().map(|(_, x)| x.len()).sum();
    new_session(&b, &s, "Set").await;
    bring_in(&b, &paths).await;
    let all = format!("return document.querySelectorAll('tr[data-track]').length === {tracks}");
    b.until("all tracks", &all).await;
    let id = only_session(&s).await;
    let beats = json!({ "bpm": 117.0, "first_beat_frame": 1_000 });
    s.patch(&format!("/api/sessions/{id}"), beats).await;
    b.click("nav a[href$='/timing']").await;
    b.click("[data-test=listen]").await;
    b.until("strokes", "return Number(document.querySelector('[data-test=moved]')?.innerText) > 10").await;
    b.until("read back", "return document.querySelector('[data-test=proof]')?.dataset.lost === '0'").await;
    // A stroke by keyboard, and where it goes.
    b.find("[data-test=strokes]").await.send_keys("\u{e014}\u{e014}\u{e014}").await.expect("keys");
    let told = "return / (early|late|on it),/.test(document.querySelector('[data-test=stroke-readout]').innerText)";
    b.until("a stroke", told).await;
    // Less strength: seen at once, before the server has cut it anew; with none nothing is moved, and nothing can be.
    let strength = async |per_cent: u32| {
        let set = format!(
            "const f=document.querySelector('[data-test=strength]'); f.value={per_cent}; f.dispatchEvent(new Event('input', {{bubbles: true}}))"
        );
        b.js(&set).await;
    };
    strength(0).await;
    b.until("none", "return document.querySelector('[data-test=moved]').innerText === '0'").await;
    b.until(
        "nor then",
        "return !!document.querySelector('[data-test=proof]') && document.querySelector('[data-test=move]').disabled",
    )
    .await;
    strength(70).await;
    b.until(
        "again",
        "return !!document.querySelector('[data-test=proof]') && !document.querySelector('[data-test=move]').disabled",
    )
    .await;
    b.click("[data-test=move]").await;
    b.until("moved", "return document.querySelector('[data-test=carried]')?.innerText.includes('moved like this')")
        .await;
    // The same cut in every track, and the same samples in what is delivered.
    let plan = b.js("return JSON.stringify(new URLSearchParams(location.search).get('plan'))").await;
    let plan: String = serde_json::from_str(plan.as_str().expect("text")).expect("the plan in the address");
    let found = s.get(&format!("/api/sessions/{id}/timing?of={}", urlencoding(&plan))).await.1;
    assert_eq!(found["carried"], "moved");
    let events = found["events"].as_array().expect("events");
    let own: Vec<&Value> = events.iter().filter(|e| e["by"] != 0 && e["rides"] == false).collect();
    assert!(own.len() > 10, "{} of {}", own.len(), events.len());
    b.click("nav a[href$='/deliver']").await;
    b.click("[data-test=float32]").await;
    b.click("[data-test=write]").await;
    b.until("a delivery", "return !!document.querySelector('[data-test=delivery] [data-file]')").await;
    let jobs = s.get(&format!("/api/sessions/{id}/deliveries")).await.1;
    let folder = s.store.path().join("deliveries").join(jobs[0]["id"].as_str().expect("an id"));
    for (name, before) in &played.files {
        let after = read(&std::fs::read(folder.join(name)).expect("delivered")).1;
        for e in &own {
            let [at, by] = ["at", "by"].map(|key| e[key].as_f64().expect("frames"));
            let (from, to) = (at.round() as usize, (at.round() + by) as usize);
            let off = (0..200).map(|n| (before[0][from + n] - after[0][to + n]).abs()).fold(0f32, f32::max);
            // Brought in with 24 bits.
            assert!(off < 3e-7, "{name} at {from}: {off}");
        }
    }
    b.click("nav a[href$='/timing']").await;
    // The view knows its plan when one comes back, and after a reload; as recorded again, and undone.
    b.until("moved", "return document.querySelector('[data-test=carried]')?.innerText.includes('moved like this')")
        .await;
    b.until("in the address", "return location.search.includes('plan=')").await;
    b.page.refresh().await.expect("reloaded");
    b.until("moved", "return document.querySelector('[data-test=carried]')?.innerText.includes('moved like this')")
        .await;
    b.click("[data-test=set-as-recorded]").await;
    b.until(
        "as recorded",
        "return !document.querySelector('[data-test=set-as-recorded]') && !!document.querySelector('[data-test=move]')",
    )
    .await;
    b.click("[data-test=undo]").await;
    b.until(
        "moved again",
        "return document.querySelector('[data-test=carried]')?.innerText.includes('moved like this')",
    )
    .await;
    b.no_errors().await;
    b.close().await;
}

fn urlencoding(text: &str) -> String {
    let kept = |b: u8| b.is_ascii_alphanumeric();
    text.bytes().map(|b| if kept(b) { (b as char).to_string() } else { format!("%{b:02X}") }).collect()
}
