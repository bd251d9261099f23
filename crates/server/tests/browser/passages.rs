//! Passages: marked by the loop, placed on a bar, with more before them and other fades by the keyboard, heard, delivered, and taken out.

use super::timing::delivered;
use super::*;
use serde_json::json;

#[actix_web::test]
async fn a_passage_is_placed_on_a_bar_and_delivered() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    let folder = tempfile::tempdir().expect("a folder");
    let sound = noise(480_000, 81);
    let file = put(folder.path(), "Marimba.wav", wav(std::slice::from_ref(&sound), 48_000, None));
    new_session(&b, &s, "Passage").await;
    bring_in(&b, &[file]).await;
    b.until("in", "return document.querySelectorAll('tr[data-track]').length === 1").await;
    let id = only_session(&s).await;
    let desk = format!("/api/sessions/{id}/desk");
    let range = json!({ "range": { "from": 48_000, "to": 96_000, "on": false, "pre_roll_s": 0.0 } });
    assert_eq!(s.patch(&desk, range).await.0, 200);
    // 120 quarters a minute, four to a bar: bar 4 begins at 6 s.
    let tempo = json!({ "bpm": 120.0, "beats_a_bar": 4 });
    assert_eq!(s.patch(&format!("/api/sessions/{id}"), tempo).await.0, 200);
    b.page.goto(&format!("{}/sessions/{id}/passages", s.base)).await.expect("the view");
    b.click("[data-test=loop-is-one]").await;
    b.find("[data-test=passage-card]").await;
    let typed = "const i = document.querySelector('[data-test=bar]'); i.value = '4'; i.dispatchEvent(new Event('change', { bubbles: true }))";
    b.js(typed).await;
    let bar = "return document.querySelector('[data-test=passages] li button').innerText.trim() === '4 | 1.0'";
    b.until("on its bar", bar).await;
    // By the keyboard: 2 ms more are heard before it, and it comes in over 1 ms less.
    let keys = "\u{e013}\u{e013}\u{e012}\u{e012}\u{e015}\u{e012}";
    b.find("[data-test=joins]").await.send_keys(keys).await.expect("keys");
    let fields = "return ['head', 'tail', 'fade_in', 'fade_out'].map(f => document.querySelector(`[data-test=${f}]`).value).join() === '12.0,10.0,9.0,10.0'";
    b.until("its edges", fields).await;
    // Heard before it is taken, then taken.
    b.click("[data-test=hear-plan]").await;
    b.until("heard", "return document.querySelector('[data-test=hear-plan]')?.getAttribute('aria-pressed') === 'true'")
        .await;
    b.click("[data-test=place]").await;
    b.find("[data-test=carried]").await;
    b.until("kept with the session", "return document.querySelectorAll('[data-test=passages] li').length === 1").await;
    b.page.refresh().await.expect("read again");
    b.find("[data-test=carried]").await;
    let now = delivered(&b, &s, &id, "Marimba.wav").await;
    let same = |a: &[f32], b: &[f32]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 3e-7);
    assert!(same(&now[288_000..336_000], &sound[48_000..96_000]), "again from bar 4 on");
    assert!(same(&now[..288_000 - 576], &sound[..288_000 - 576]), "as recorded before it");
    assert!(same(&now[336_480..], &sound[336_480..]), "and after it");
    assert!(same(&now[288_000 - 576 + 432..288_000], &sound[48_000 - 144..48_000]), "with what is heard before it");
    // Taken out, it plays as recorded.
    b.click("nav a[href$='/timing']").await;
    b.click("[data-test=tab-passages]").await;
    b.click("[data-test=remove]").await;
    b.click("[data-test=place-none]").await;
    b.until("none", "return !document.querySelector('[data-test=place-none]')").await;
    let pieces = s.get(&format!("/api/sessions/{id}")).await.1["tracks"][0]["pieces"].clone();
    assert_eq!(pieces.as_array().map(Vec::len), Some(1), "{pieces}");
    b.no_errors().await;
    b.close().await;
}
