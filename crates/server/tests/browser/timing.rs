//! Timing: a set's strokes found, seen before they are moved, moved together and by hand, read back, delivered, and as recorded again; a layer
//! set onto its source; two takes brought together, put together from parts, and cleared of noises.

use super::*;
use marea_scene::layers::layers;
use marea_scene::sets::{Kind, scene};
use marea_scene::takes::{blemished, takes};
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
    b.find("[data-plot=strokes] canvas").await.send_keys("\u{e014}\u{e014}\u{e014}").await.expect("keys");
    let told = "return / (early|late|on it),/.test(document.querySelector('[data-plot=strokes] [data-test=readout]').innerText)";
    b.until("a stroke", told).await;
    // It is left as played, by a key, and goes with its section again.
    b.key("a").await;
    b.until("by hand", "return document.querySelector('[data-test=moved-by-hand]')?.innerText === '1'").await;
    b.until("kept", "return document.querySelector('[data-test=own-move]')?.value === '0.00'").await;
    b.click("[data-test=as-section]").await;
    b.until("none by hand", "return !document.querySelector('[data-test=moved-by-hand]')").await;
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
    // The same cut in every track, and the same samples in what is delivered. The plan is kept with the session.
    let plan = s.get(&format!("/api/sessions/{id}")).await.1["desk"]["plans"]["timing"].clone();
    let found = s.asked(&format!("/api/sessions/{id}/timing"), &plan).await.1;
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
    // In two sections: the first is taken back, and the second stays.
    let half = |from: i64, to: i64| {
        let mut section = plan["sections"][0].clone();
        section["range"] = json!([from, to]);
        section
    };
    let mut halves = plan.clone();
    halves["sections"] = json!([half(0, 360_000), half(360_000, 720_000)]);
    assert_eq!(s.patch(&format!("/api/sessions/{id}/desk"), json!({ "timing": halves })).await.0, 200);
    b.until("by halves", "return document.querySelectorAll('[data-section]').length === 2").await;
    b.click("[data-section='0'] [data-test=section-back]").await;
    b.until(
        "one taken back",
        "return document.querySelector('[data-section=\"0\"] [data-test=strength]').value === '0' && document.querySelector('[data-test=carried]')?.innerText.includes('moved like this')",
    )
    .await;
    let kept = s.get(&format!("/api/sessions/{id}")).await.1["desk"]["plans"]["timing"].clone();
    let view = s.asked(&format!("/api/sessions/{id}/timing"), &kept).await.1;
    let moved = |early: bool| {
        let is = |e: &&Value| {
            e["by"] != 0 && e["rides"] == false && (e["at"].as_f64().expect("a frame") < 340_000.0) == early
        };
        view["events"].as_array().expect("events").iter().filter(is).count()
    };
    assert_eq!((&view["carried"], moved(true)), (&json!("moved"), 0));
    assert!(moved(false) > 3, "{}", moved(false));
    b.no_errors().await;
    b.close().await;
}

/// The file of a track as delivered, by hand.
pub async fn delivered(b: &Browser, s: &TestServer, id: &str, name: &str) -> Vec<f32> {
    b.click("nav a[href$='/deliver']").await;
    b.click("[data-test=float32]").await;
    b.click("[data-test=write]").await;
    b.until("a delivery", "return !!document.querySelector('[data-test=delivery] [data-file]')").await;
    let jobs = s.get(&format!("/api/sessions/{id}/deliveries")).await.1;
    let folder = s.store.path().join("deliveries").join(jobs[0]["id"].as_str().expect("an id"));
    read(&std::fs::read(folder.join(name)).expect("delivered")).1.swap_remove(0)
}

/// A session of two tracks, looked at as a pair in one of the views of timing.
pub async fn two(b: &Browser, s: &TestServer, view: &str, files: [(&str, &[f32]); 2]) -> String {
    let folder = tempfile::tempdir().expect("a folder");
    let paths: Vec<String> =
        files.iter().map(|(name, x)| put(folder.path(), name, wav(&[x.to_vec()], 48_000, None))).collect();
    new_session(b, s, view).await;
    bring_in(b, &paths).await;
    b.until("both", "return document.querySelectorAll('tr[data-track]').length === 2").await;
    let id = only_session(s).await;
    let tracks = s.get(&format!("/api/sessions/{id}")).await.1["tracks"].clone();
    let of = |name: &str| {
        let is = |t: &&Value| t["file_name"] == name;
        tracks.as_array().expect("tracks").iter().find(is).expect("a track")["id"].as_str().expect("an id").to_string()
    };
    let [a, other] = files.map(|f| of(f.0));
    b.page.goto(&format!("{}/sessions/{id}/{view}?a={a}&b={other}", s.base)).await.expect("the view");
    b.click("[data-test=listen], [data-test=look]").await;
    id
}

#[actix_web::test]
async fn a_layer_is_set_onto_its_source_but_for_one_hit_and_delivered() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    let made = layers(12.0, 207);
    let id = two(&b, &s, "layer", [("Snare.wav", &made.source), ("Sample.wav", &made.layer)]).await;
    b.until("held", "return Number(document.querySelector('[data-test=doubled]')?.innerText) > 5").await;
    b.until("read back", "return document.querySelector('[data-test=proof]')?.dataset.lost === '0'").await;
    // The second hit, by keyboard: seen with its source, and left as it was recorded.
    b.find("[data-plot=strokes] canvas").await.send_keys("\u{e014}\u{e014}").await.expect("keys");
    b.until("a hit", "return !!document.querySelector('[data-test=hit-card]')").await;
    b.key("a").await;
    b.until("left", "return document.querySelector('[data-test=hit-move]')?.value === '0.00'").await;
    b.until("ready", "return document.querySelector('[data-test=set-layer]')?.disabled === false").await;
    b.click("[data-test=set-layer]").await;
    b.until("set", "return document.querySelector('[data-test=carried]')?.innerText.includes('set like this')").await;
    let plan = s.get(&format!("/api/sessions/{id}")).await.1["desk"]["plans"]["layers"][0].clone();
    let hits = s.asked(&format!("/api/sessions/{id}/layer"), &plan).await.1["hits"].clone();
    let after = delivered(&b, &s, &id, "Sample.wav").await;
    let sign = if made.inverts { -1.0 } else { 1.0 };
    let mut left = 0;
    for h in hits.as_array().expect("hits").iter().filter(|h| h["rides"] == false) {
        let [at, by] = ["at", "by"].map(|key| h[key].as_f64().expect("frames"));
        let (from, to) = (at.round() as usize, (at.round() + by) as usize);
        let off = (0..200).map(|n| (sign * made.layer[from + n] - after[to + n]).abs()).fold(0f32, f32::max);
        assert!(off < 3e-7, "{h}: {off}");
        left += usize::from(h["by_hand"] == true && by == 0.0);
    }
    assert_eq!(left, 1, "one hit stays");
    b.no_errors().await;
    b.close().await;
}

#[actix_web::test]
async fn a_passage_of_a_take_is_brought_to_the_other_and_another_is_meant() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    let made = takes(40.0, 203);
    let id = two(&b, &s, "takes", [("Morning.wav", &made.sounds[0]), ("Evening.wav", &made.sounds[1])]).await;
    b.until("passages", "return document.querySelectorAll('[data-test=passages] li').length >= 2").await;
    // Without a tempo that they keep to, either can be moved; the first one is.
    b.click("[data-test=passages] li:first-child [data-test^=move-]").await;
    b.until("moved", "return !!document.querySelector('[data-test=passages] li:first-child [data-test=stays]')").await;
    b.click("[data-test=passages] li:last-child [data-test=meant]").await;
    b.until("meant", "return document.querySelector('[data-test=passages] li:last-child').dataset.meant === 'true'")
        .await;
    b.until("ready", "return document.querySelector('[data-test=bring-together]')?.disabled === false").await;
    b.click("[data-test=bring-together]").await;
    b.until("carried", "return !!document.querySelector('[data-test=carried]')").await;
    // Both hard left and right: alone, and in the song, by one key.
    b.key("u").await;
    b.until("song", "return document.querySelector('[data-test=apart-song]').getAttribute('aria-pressed') === 'true'")
        .await;
    b.key("u").await;
    b.until(
        "alone",
        "return document.querySelector('[data-test=apart-alone]').getAttribute('aria-pressed') === 'true'",
    )
    .await;
    // After a reload the same; what is delivered is moved.
    b.page.refresh().await.expect("reloaded");
    b.until("carried", "return !!document.querySelector('[data-test=carried]')").await;
    b.until(
        "still meant",
        "return document.querySelector('[data-test=passages] li:last-child').dataset.meant === 'true'",
    )
    .await;
    let plan = s.get(&format!("/api/sessions/{id}")).await.1["desk"]["plans"]["takes"][0].clone();
    let n = usize::from(plan["moves"][0]["track"] == plan["second"]);
    let by = plan["moves"][0]["by"].as_i64().expect("frames");
    let view = s.asked(&format!("/api/sessions/{id}/takes"), &plan).await.1;
    let after = delivered(&b, &s, &id, ["Morning.wav", "Evening.wav"][n]).await;
    let moved = view["chords"].as_array().expect("chords").iter().filter(|c| c["by"][n] == by);
    let mut seen = 0;
    for c in moved {
        let from = c["at"][n].as_f64().expect("a frame").round() as usize;
        let to = (from as i64 + by) as usize;
        let off = (0..400).map(|k| (made.sounds[n][from + k] - after[to + k]).abs()).fold(0f32, f32::max);
        assert!(off < 3e-7, "{c}: {off}");
        seen += 1;
    }
    assert!(seen > 0, "{view}");
    b.no_errors().await;
    b.close().await;
}

#[actix_web::test]
async fn parts_of_takes_are_put_together_and_a_noise_is_lowered() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    let made = blemished(20.0, 607);
    let other = takes(20.0, 607).sounds[1].clone();
    let id = two(&b, &s, "noises", [("Second.wav", &other), ("First.wav", &made.sound)]).await;
    b.until("noises", "return document.querySelectorAll('[data-test=noises] tbody tr').length >= 3").await;
    // Nothing is chosen before somebody has listened; then all but the first one are lowered, and one of them comes back.
    assert_eq!(b.js("return document.querySelector('[data-test=lower-all]').disabled").await, true);
    b.click("[data-test=pick-all]").await;
    b.click("[data-test=noises] tbody tr:first-child input").await;
    b.click("[data-test=lower-all]").await;
    b.until("lowered", "return document.querySelectorAll('[data-test=lowered] li').length >= 2").await;
    b.until(
        "but one",
        "return document.querySelector('[data-test=noises] tbody tr:first-child').dataset.lowered === 'false'",
    )
    .await;
    let count =
        b.js("return document.querySelectorAll('[data-test=lowered] li').length").await.as_u64().expect("a number");
    b.click("[data-test=lowered] li:first-child [data-test=bring-back]").await;
    b.until(
        "one less",
        &format!("return document.querySelectorAll('[data-test=lowered] li').length === {}", count - 1),
    )
    .await;
    // Both are takes of one part: from the loop on the second one is heard.
    s.patch(
        &format!("/api/sessions/{id}/desk"),
        json!({ "range": { "from": 480_000, "to": 720_000, "on": false, "pre_roll_s": 0.0 } }),
    )
    .await;
    let tracks = s.get(&format!("/api/sessions/{id}")).await.1["tracks"].clone();
    let of = |name: &str| {
        tracks.as_array().expect("tracks").iter().find(|t| t["file_name"] == name).expect("a track")["id"].clone()
    };
    let plan = json!({ "comp": { "takes": [of("First.wav"), of("Second.wav")], "parts": [] } });
    assert_eq!(s.patch(&format!("/api/sessions/{id}/desk"), plan).await.0, 200);
    b.click("[data-test=tab-comp]").await;
    b.find("[data-test=strip]").await.send_keys("\u{e015}\u{e007}").await.expect("keys");
    b.until("a part", "return document.querySelectorAll('[data-test=parts] li').length === 3").await;
    b.click("[data-test=put-together]").await;
    b.until("put together", "return !!document.querySelector('[data-test=all-heard]')").await;
    let after = delivered(&b, &s, &id, "Second.wav").await;
    assert!(after[..470_000].iter().chain(&after[730_000..]).all(|v| v.abs() < 1e-6), "heard in its part alone");
    assert!(
        after[490_000..710_000].iter().zip(&other[490_000..]).all(|(a, b)| (a - b).abs() < 3e-7),
        "and there as recorded"
    );
    b.no_errors().await;
    b.close().await;
}
