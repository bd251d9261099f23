//! Prints: the send found among the session's tracks, the lag along time, three ways heard, one chosen and delivered.

use super::*;
use marea_core::follow::left_along;
use marea_core::signal::MemSource;
use marea_core::units::SampleRate;
use marea_scene::prints::{Machine, send};
use rand::SeedableRng;

#[actix_web::test]
async fn a_print_is_followed_heard_corrected_and_delivered() {
    let _turn = beside().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(9_104);
    let sent = send(16.0, 9_104);
    let machine = Machine::of(&mut rng);
    let print = machine.print(&sent, &mut rng);
    new_session(&b, &s, "Tape").await;
    let files = [("Cello.wav", send(16.0, 77)), ("Marimba.wav", sent.clone()), ("Marimba print.wav", print)]
        .map(|(name, x)| put(folder.path(), name, wav(&[x], 48_000, None)));
    bring_in(&b, &files).await;
    b.until("three tracks", "return document.querySelectorAll('tr[data-track]').length === 3").await;
    let session = only_session(&s).await;
    let id = |tracks: &[serde_json::Value], name: &str| {
        let found = tracks.iter().find(|t| t["name"] == name).expect("the track");
        found["id"].as_str().expect("an id").to_string()
    };
    let tracks = s.tracks(&session).await;
    let (marimba, tape) = (id(&tracks, "Marimba"), id(&tracks, "Marimba print"));
    // The print is known by its name, and its send is found.
    b.click("nav a[href$='/prints']").await;
    b.until("a verdict", "return document.querySelector('[data-test=print-sentence]')?.dataset.verdict === 'solid'")
        .await;
    let sentence = b.find("[data-test=print-sentence]").await.text().await.expect("text");
    assert!(
        sentence.starts_with("Marimba print is ") && sentence.contains(" later than Marimba (median)"),
        "{sentence}"
    );
    b.until("found", "return document.querySelector('[data-test=found]')?.innerText.includes('found among 2 tracks')")
        .await;
    // The plot is walked by keyboard, past the seven seconds before the print begins, and looked at closely.
    b.find("[data-test=lag-plot]")
        .await
        .send_keys(&format!("\u{e014}\u{e008}{}\u{e000}", "\u{e014}".repeat(10)))
        .await
        .expect("keys");
    b.until(
        "a value",
        "return document.querySelector('[data-test=lag-readout]').innerText.includes(' later · measured')",
    )
    .await;
    let points = b.js("return document.querySelector('[data-test=lag-plot]').dataset.points").await;
    b.find("[data-test=lag-plot]").await.send_keys("\u{e013}\u{e013}").await.expect("keys");
    b.until(
        "closer",
        &format!(
            "return document.querySelector('[data-test=lag-plot]').dataset.points !== '{}'",
            points.as_str().unwrap_or("")
        ),
    )
    .await;
    b.find("[data-test=lag-plot]").await.send_keys("\u{e011}").await.expect("a key");
    // Heard with its send before anything is decided.
    b.click("[data-test=print-map] .link").await;
    b.until("heard", "return document.querySelector('[data-test=print-map] .link').innerText === 'Heard now'").await;
    b.key("4").await;
    b.until("the next", "return document.querySelector('[data-test=print-drift] .link').innerText === 'Heard now'")
        .await;
    assert!(s.tracks(&session).await.iter().all(|t| t["correction"]["offset_frames"] == 0.0), "nothing is decided yet");
    // The whole lag is chosen: one decision, carried as a map.
    b.click("[data-test=print-map] .do").await;
    b.until("carried", "return document.querySelector('[data-test=print-map]').classList.contains('chosen')").await;
    let left: f64 = b
        .js("return document.querySelector('[data-test=print-map]').dataset.left")
        .await
        .as_str()
        .expect("dB")
        .parse()
        .expect("dB");
    let pieces = s.tracks(&session).await.into_iter().find(|t| t["id"] == tape.as_str()).expect("the print");
    assert!(pieces["pieces"].as_array().expect("pieces").len() > 100, "drawn where it sounds");
    // Delivered: the null of the file is what was told, with no lag at all.
    b.click("nav a[href$='/deliver']").await;
    b.click("[data-test=float32]").await;
    b.click("[data-test=write]").await;
    b.until("a delivery", "return !!document.querySelector('[data-test=delivery] [data-file=\"Marimba print.wav\"]')")
        .await;
    let jobs = s.get(&format!("/api/sessions/{session}/deliveries")).await.1;
    let folder = s.store.path().join("deliveries").join(jobs[0]["id"].as_str().expect("an id"));
    let sound = |name: &str| MemSource(read(&std::fs::read(folder.join(name)).expect("a file")).1.remove(0));
    let rate = SampleRate::new(48_000).expect("a rate");
    let null =
        left_along(&sound("Marimba.wav"), &sound("Marimba print.wav"), rate, &vec![0.0; 4_000]).expect("measured");
    assert!((null - left).abs() < 0.5, "told {left} dB, delivered {null} dB");
    // Its send moved afterwards: said, and put right by the same key; then as recorded again.
    let moved = serde_json::json!({ "label": "Moved", "changes": [{ "track_id": marimba, "after": { "offset_frames": 480.0 } }] });
    assert_eq!(s.post(&format!("/api/sessions/{session}/decisions"), moved).await.0, 201);
    b.click("nav a[href$='/prints']").await;
    b.until("said", "return !!document.querySelector('[data-test=print-other]')").await;
    b.click("[data-test=print-map] .do").await;
    b.until("carried", "return document.querySelector('[data-test=print-map]').classList.contains('chosen')").await;
    b.click("[data-test=print-none]").await;
    b.until("as recorded", "return !document.querySelector('[data-test=print-none]')").await;
    b.no_errors().await;
    b.close().await;
}

#[actix_web::test]
async fn a_print_of_nothing_here_and_two_sends_alike_are_said() {
    let _turn = beside().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(9_106);
    let sent = send(12.0, 9_106);
    let print = Machine::of(&mut rng).print(&sent, &mut rng);
    new_session(&b, &s, "Strangers").await;
    let files = [("Cello.wav", send(12.0, 78)), ("Flute.wav", send(12.0, 79)), ("Tape print.wav", print)]
        .map(|(name, x)| put(folder.path(), name, wav(&[x], 48_000, None)));
    bring_in(&b, &files).await;
    b.until("three tracks", "return document.querySelectorAll('tr[data-track]').length === 3").await;
    b.click("nav a[href$='/prints']").await;
    b.until("said", "return document.querySelector('[data-test=nobody]')?.innerText.startsWith('Tape print is no print of any track here')").await;
    // The send is brought in, twice: which of them it was cannot be told, and is asked.
    b.click("nav a[href$='/recordings']").await;
    let files = ["Marimba.wav", "Marimba copy.wav"].map(|name| {
        let level = if name == "Marimba.wav" { 1.0 } else { 0.5 };
        put(folder.path(), name, wav(&[sent.iter().map(|v| v * level).collect()], 48_000, None))
    });
    bring_in(&b, &files).await;
    b.until("five tracks", "return document.querySelectorAll('tr[data-track]').length === 5").await;
    b.click("nav a[href$='/prints']").await;
    b.until("asked", "return document.querySelectorAll('[data-test=alike] button').length === 2").await;
    b.click("[data-test=alike] button").await;
    b.until(
        "followed",
        "return document.querySelector('[data-test=print-sentence]')?.innerText.includes(' later than Marimba')",
    )
    .await;
    b.no_errors().await;
    b.close().await;
}

#[actix_web::test]
async fn who_walks_between_two_microphones_is_followed_or_left() {
    let _turn = beside().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let walk = marea_scene::walkers::walk(20.0, 9_862);
    new_session(&b, &s, "Walk").await;
    let [first, second] = walk.heard.clone();
    let files = [("Lectern.wav", first), ("Table.wav", second)]
        .map(|(name, x)| put(folder.path(), name, wav(&[x], 48_000, None)));
    bring_in(&b, &files).await;
    b.until("two tracks", "return document.querySelectorAll('tr[data-track]').length === 2").await;
    let session = only_session(&s).await;
    b.click("nav a[href$='/prints']").await;
    b.click("[data-test=moving]").await;
    b.until("chosen", "const e=[...document.querySelectorAll('.el-select-dropdown__item')].find(x=>x.offsetParent&&x.innerText.trim()==='somebody who walks'); if(!e) return false; e.click(); return true").await;
    b.until("followed", "return document.querySelector('[data-test=print-sentence]')?.innerText.includes(' later than Lectern (median;')").await;
    assert!(
        b.js("return !document.querySelector('[data-test=print-drift], [data-test=wow-plot]')").await == true,
        "no speed, no wow"
    );
    // Heard along the lag before anything is decided, then followed: one decision.
    b.key("5").await;
    b.until("heard", "return document.querySelector('[data-test=print-map] .link').innerText === 'Heard now'").await;
    // It goes on while the session is read again, as when a check ends meanwhile.
    s.patch(&format!("/api/sessions/{session}"), serde_json::json!({ "name": "Walk on" })).await;
    b.until("read again", "return document.title.includes('Walk on')").await;
    b.until("still heard", "return document.querySelector('[data-test=print-map] .link').innerText === 'Heard now'")
        .await;
    b.click("[data-test=print-map] .do").await;
    b.until("carried", "return document.querySelector('[data-test=print-map]').classList.contains('chosen')").await;
    let table = s.tracks(&session).await.into_iter().find(|t| t["name"] == "Table").expect("the track");
    assert!(table["pieces"].as_array().expect("pieces").len() > 10, "{table}");
    // The address keeps it, and leaving it as recorded takes all back.
    b.js("location.reload()").await;
    b.until("the same", "return document.querySelector('[data-test=print-map]')?.classList.contains('chosen')").await;
    b.click("[data-test=print-none]").await;
    b.until("left", "return !document.querySelector('[data-test=print-none]')").await;
    let table = s.tracks(&session).await.into_iter().find(|t| t["name"] == "Table").expect("the track");
    assert_eq!(table["pieces"].as_array().expect("pieces").len(), 1, "{table}");
    b.no_errors().await;
    b.close().await;
}
