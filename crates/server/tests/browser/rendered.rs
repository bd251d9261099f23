//! Rendered instruments: notes brought in, held against the track, the latency taken out and delivered.

use super::*;
use marea_scene::renders::rendering;

#[actix_web::test]
async fn a_rendered_track_is_held_against_its_notes_and_its_latency_taken_out() {
    let _turn = beside().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let made = rendering(20.0, 9_528);
    new_session(&b, &s, "Bells").await;
    let sound = put(folder.path(), "Bells.wav", wav(std::slice::from_ref(&made.sound), 48_000, None));
    bring_in(&b, &[sound]).await;
    b.until("a track", "return document.querySelectorAll('tr[data-track]').length === 1").await;
    let session = only_session(&s).await;
    b.click("nav a[href$='/rendered']").await;
    // What is no file of notes is refused with its name.
    let torn = put(folder.path(), "Torn.mid", made.file[..made.file.len() - 30].to_vec());
    b.find("[data-test=notes-file]").await.send_keys(&torn).await.expect("chosen");
    b.until("refused", "return document.body.innerText.includes('“Torn.mid” cannot be read as a Standard MIDI File')")
        .await;
    let notes = put(folder.path(), "Bells.mid", made.file.clone());
    b.find("[data-test=notes-file]").await.send_keys(&notes).await.expect("chosen");
    b.until(
        "the notes",
        "return document.querySelector('[data-test=bring-notes]') && document.body.innerText.includes(' a minute')",
    )
    .await;
    b.click("[data-test=rendered]").await;
    b.until(
        "a list",
        "return [...document.querySelectorAll('.el-select-dropdown__item')].some(o => o.innerText === 'Bells')",
    )
    .await;
    b.js("[...document.querySelectorAll('.el-select-dropdown__item')].find(o => o.innerText === 'Bells').click()")
        .await;
    b.until("told", "return document.querySelector('[data-test=notes-sentence]')?.dataset.verdict === 'solid'").await;
    let late = b.js("return Number(document.querySelector('[data-test=notes-sentence]').dataset.late)").await;
    let late = late.as_f64().expect("ms");
    assert!((late - made.late_ms).abs() < 1.0, "{late} instead of {}", made.late_ms);
    // Walked note by note.
    b.find("[data-plot=notes] canvas").await.send_keys("\u{e014}\u{e014}").await.expect("keys");
    b.until(
        "a note",
        "return document.querySelector('[data-plot=notes] [data-test=readout]').innerText.includes(' ms later')",
    )
    .await;
    // Its tempo becomes the session's, and the latency is taken out.
    b.click("[data-test=take-tempo]").await;
    b.until("said", "return document.body.innerText.includes('bars and beats follow these notes')").await;
    let detail = s.get(&format!("/api/sessions/{session}")).await.1;
    assert!(
        detail["session"]["bpm"] != 120.0 || detail["session"]["tempo_changes"] != serde_json::json!([]),
        "{detail}"
    );
    b.click("[data-test=take-notes]").await;
    b.until("taken", "return document.querySelector('aside').innerText.includes('Taken out')").await;
    let track = s.tracks(&session).await.remove(0);
    let offset = track["correction"]["offset_frames"].as_f64().expect("frames");
    assert!((offset + late * 48.0).abs() < 0.02, "{offset}");
    b.click("[data-test=remove-score]").await;
    b.until("gone", "return document.body.innerText.includes('Bring in the notes as a Standard MIDI File')").await;
    let errors = b.errors().await;
    assert!(errors.len() == 1 && errors[0].contains("422"), "nothing but the torn file was refused: {errors:?}");
    b.close().await;
}
