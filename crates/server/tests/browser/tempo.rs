//! Tempo: tracks against a click, its tempo taken over, a constant lag taken out, changes typed.

use super::*;
use marea_scene::grid::session;

#[actix_web::test]
async fn tracks_are_held_against_a_click_and_a_constant_lag_is_taken_out() {
    let _turn = beside().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let made = session(16, 9_900);
    let lag = made.tracks[0].lag_ms;
    new_session(&b, &s, "Grid").await;
    let sounds = [
        ("Click.wav", made.click),
        ("Box.wav", made.tracks[0].sound.clone()),
        ("Feel.wav", made.tracks[2].sound.clone()),
    ];
    let files = sounds.map(|(name, x)| put(folder.path(), name, wav(&[x], 48_000, None)));
    bring_in(&b, &files).await;
    b.until("three tracks", "return document.querySelectorAll('tr[data-track]').length === 3").await;
    let id = only_session(&s).await;
    b.click("nav a[href$='/tempo']").await;
    b.click("[data-test=by]").await;
    b.until("chosen", "const e=[...document.querySelectorAll('.el-select-dropdown__item')].find(x=>x.offsetParent&&x.innerText.trim()==='a click'); if(!e) return false; e.click(); return true").await;
    b.click("[data-test=hold]").await;
    b.until("held", "return !!document.querySelector('[data-against=Box]')?.dataset.lag").await;
    let told =
        b.js("return Number(document.querySelector('[data-against=Box]').dataset.lag)").await.as_f64().expect("ms");
    assert!((told - lag).abs() < 3.0, "{told} instead of {lag}");
    b.until("feel", "return document.querySelector('[data-against=Feel]').innerText.includes('feel')").await;
    // The click keeps its own beats, which proves nothing.
    b.until("likely", "return !!document.querySelector('[data-against=Click] td.likely')").await;
    // The click's tempo becomes the session's, changes and all.
    b.click("[data-test=use-tempo]").await;
    b.until("its changes", "return document.querySelectorAll('[data-test=tempo-changes] tbody tr').length === 2").await;
    let detail = s.get(&format!("/api/sessions/{id}")).await.1;
    let first = detail["session"]["first_beat_frame"].as_f64().expect("a frame");
    assert!((first - made.first_beat).abs() < 24.0, "{first}");
    // A tempo is typed; one that cannot be is refused with a sentence.
    let type_in = async |text: &str| {
        b.js("const f=document.querySelector('[aria-label=\"Tempo from bar 1\"]'); f.focus(); f.value=''").await;
        b.find("[aria-label=\"Tempo from bar 1\"]").await.send_keys(&format!("{text}\u{e007}")).await.expect("typed");
    };
    type_in("9000").await;
    b.until("refused", "return document.body.innerText.includes('A tempo lies between 20 and 400')").await;
    let shown = "return Number(document.querySelector('[aria-label=\"Tempo from bar 1\"]').value) < 400";
    b.until("what holds is shown again", shown).await;
    // Stroke by stroke against another track, without any beats.
    let choose = |label: &str| {
        format!(
            "const e=[...document.querySelectorAll('.el-select-dropdown__item')].find(x=>x.offsetParent&&x.innerText.trim()==='{label}'); if(!e) return false; e.click(); return true"
        )
    };
    b.click("[data-test=by]").await;
    b.until("another track", &choose("another track")).await;
    b.click("[data-test=of]").await;
    b.until("the box", &choose("Box")).await;
    b.click("[data-test=hold]").await;
    b.until("said", "return document.querySelector('[data-test=beside-found]')?.innerText.includes('against Box')")
        .await;
    b.until(
        "itself",
        "return document.querySelector('[data-against=Box]').innerText.includes('the others are held against it')",
    )
    .await;
    b.click("[data-test=by]").await;
    b.until("the click again", &choose("a click")).await;
    b.click("[data-test=of]").await;
    b.until("the click itself", &choose("Click")).await;
    b.click("[data-test=hold]").await;
    b.until("held again", "return !!document.querySelector('[data-take=Box]')").await;
    // The constant lag is taken out: one decision.
    b.click("[data-take=Box]").await;
    b.until("taken", "return document.querySelector('[data-against=Box]').innerText.includes('on the beats')").await;
    let track = s.tracks(&id).await.into_iter().find(|t| t["name"] == "Box").expect("the track");
    let offset = track["correction"]["offset_frames"].as_f64().expect("frames");
    assert!((offset + told * 48.0).abs() < 0.02, "{offset}");
    type_in("90").await;
    b.until("typed", "return document.querySelector('[aria-label=\"Tempo from bar 1\"]').value === '90'").await;
    // The field says it before the server has it.
    s.until("a tempo of 90", async |s| s.get(&format!("/api/sessions/{id}")).await.1["session"]["bpm"] == 90.0).await;
    b.no_errors().await;
    b.close().await;
}
