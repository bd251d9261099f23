//! Latency: paths drawn by mouse and keyboard, the stage that costs most, three ways, one chosen, heard and delivered.

use super::*;

async fn table(b: &Browser, field: &str, text: &str) {
    b.js(&format!("const f=document.querySelector('{field}'); f.focus(); f.value=''")).await;
    b.find(field).await.send_keys(&format!("{text}\u{e007}")).await.expect("typed");
}

#[actix_web::test]
async fn paths_are_drawn_compared_compensated_and_delivered() {
    let _turn = beside().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let x = hits(480_000, 5);
    new_session(&b, &s, "Paths").await;
    let files = [("Voice.wav", 1.0), ("Drum.wav", 0.5)]
        .map(|(name, level)| put(folder.path(), name, wav(&[moved(&x, 0, level)], 48_000, None)));
    bring_in(&b, &files).await;
    b.until("two tracks", "return document.querySelectorAll('tr[data-track]').length === 2").await;
    let session = only_session(&s).await;
    // Begun with the session's tracks; a group by its key, its name typed where the cursor stands.
    b.click("nav a[href$='/latency']").await;
    b.click("[data-test=begin]").await;
    b.until("three nodes", "return document.querySelectorAll('[data-node]').length === 3").await;
    b.key("g").await;
    b.until("a group", "return document.activeElement.getAttribute('aria-label') === 'Name of Group'").await;
    table(&b, "[aria-label=\"Name of Group\"]", "Slow").await;
    b.until("a name", "return !!document.querySelector('[data-node=Slow]')").await;
    // A stage in it; its latency typed in the table.
    b.click("[data-node=Slow]").await;
    b.click("[data-test=new-stage]").await;
    b.until("a stage", "return !!document.querySelector('[data-stage=\"Slow/0\"]')").await;
    table(&b, "[aria-label=\"Name of stage 1 of Slow\"]", "Restoration").await;
    b.until("a name", "return document.querySelector('[data-row=\"Slow/0\"] input').value === 'Restoration'").await;
    table(&b, "[data-test=\"latency-Slow-0\"]", "12.5 ms").await;
    // The voice is led into it with the pointer, and goes on into the output besides.
    b.js("const g=document.querySelector('[data-grip=Voice]'), t=document.querySelector('[data-node=Slow] .bed').getBoundingClientRect(), r=g.getBoundingClientRect(), svg=g.closest('svg'); g.setPointerCapture=()=>{}; const at=(el,type,x,y)=>el.dispatchEvent(new PointerEvent(type,{bubbles:true,pointerId:1,button:0,clientX:x,clientY:y})); at(g,'pointerdown',r.left+4,r.top+4); at(svg,'pointermove',t.left+20,t.top+2); at(svg,'pointerup',t.left+20,t.top+2)").await;
    b.until("a finding", "return document.querySelector('[data-test=finding-paths-meet-unequal]')?.innerText.includes('12.50 ms (600.0 samples) apart')").await;
    b.until("a step", "return !!document.querySelector('[data-test=step]')").await;
    b.until(
        "the offender",
        "return document.querySelector('[data-test=offender]')?.innerText === 'Restoration of Slow, 12.50 ms'",
    )
    .await;
    // By the keyboard: along the flow from the group to its stage, and back.
    b.find("[data-node=Slow]").await.send_keys("\u{e014}").await.expect("a key");
    b.until("the stage", "return document.activeElement.dataset.stage === 'Slow/0'").await;
    b.find("[data-stage=\"Slow/0\"]").await.send_keys("\u{e012}\u{e012}").await.expect("keys");
    b.until("what feeds it", "return document.activeElement.dataset.node === 'Voice'").await;
    // Switched off by its key, and taken back.
    b.click("[data-stage=\"Slow/0\"]").await;
    b.key("x").await;
    b.until("off", "return document.querySelector('[data-stage=\"Slow/0\"]').classList.contains('off')").await;
    b.click("[data-test=undo]").await;
    b.until("on", "return !document.querySelector('[data-stage=\"Slow/0\"]').classList.contains('off')").await;
    // Its true latency, through a simulated device: kept beside what is stated, and taken back.
    b.click("[data-test=\"measured-Slow-0\"]").await;
    b.until("devices", "const d=document.querySelector('[data-test=device]'); if(!d||d.options.length!==13) return false; d.selectedIndex=5; d.dispatchEvent(new Event('change')); return true").await;
    b.click("[data-test=probe-device]").await;
    b.until(
        "measured",
        "return Math.abs(Number(document.querySelector('[data-test=probe-found]')?.dataset.ms) - 61.37 / 48) < 0.002",
    )
    .await;
    b.click("[data-test=keep-measured]").await;
    b.until("kept", "return document.querySelector('[data-test=\"measured-Slow-0\"]').innerText.startsWith('1.27')")
        .await;
    b.until("as stated", "return document.querySelector('[data-test=\"latency-Slow-0\"]').value === '12.5 ms'").await;
    b.click("[data-test=undo]").await;
    b.until("taken back", "return document.querySelector('[data-test=\"measured-Slow-0\"]').innerText === 'probe…'")
        .await;
    // Every path is listed with what it comes to.
    b.click("[data-test=routes] summary").await;
    b.until(
        "the list",
        "return document.querySelector('[data-route=\"Voice > Slow > Out\"]')?.innerText.includes('12.50 ms')",
    )
    .await;
    b.click("[data-test=routes] summary").await;
    // Copied and pasted by their keys: twice as late, and taken back.
    b.click("[data-stage=\"Slow/0\"]").await;
    b.key("\u{e009}c\u{e000}").await;
    b.key("\u{e009}v\u{e000}").await;
    b.until("twice", "return document.querySelector('[data-test=finding-paths-meet-unequal]')?.innerText.includes('25.00 ms (1200.0 samples) apart')").await;
    b.click("[data-test=undo]").await;
    b.until("once", "return document.querySelector('[data-test=finding-paths-meet-unequal]')?.innerText.includes('12.50 ms (600.0 samples) apart')").await;
    // A return of the group that would feed it again is refused with the loop named, and nothing changes.
    b.js("[...document.querySelectorAll('.adds button')].find(x => x.innerText === 'Return').click()").await;
    b.until("a return", "return !!document.querySelector('[data-node=Return]')").await;
    for (from, to) in [("Slow", "Return"), ("Return", "Slow")] {
        let select = format!(
            "const f = document.querySelector('[aria-label=\"What {from} feeds besides\"]'); if (![...f.options].some(o => o.value === '{to}')) return false; f.value = '{to}'; f.dispatchEvent(new Event('change')); return true"
        );
        b.until("connected", &select).await;
        tokio::time::sleep(Duration::from_millis(400)).await;
    }
    b.until("refused", "return document.body.innerText.includes('paths form a loop: ')").await;
    b.js("document.querySelector('[aria-label=\"Return no longer feeds Out\"]')?.closest('tbody').querySelector('input').focus()").await;
    b.until("as before", "return ![...document.querySelectorAll('[data-row=\"Return/\"] ~ tr .feed')].some(f => f.innerText.includes('Slow'))").await;
    b.click("[data-node=Return]").await;
    b.key("\u{e017}").await;
    b.until("gone", "return !document.querySelector('[data-node=Return]')").await;
    // Three ways side by side: the limit typed, the stage named that must be off.
    table(&b, "[data-test=under]", "5").await;
    b.until(
        "the third way",
        "return document.querySelector('[data-test=way-off]').innerText.includes('Restoration of Slow')",
    )
    .await;
    b.until("wait", "return document.querySelector('[data-test=way-wait]').innerText.includes('12.50 ms late')").await;
    // Chosen: the voice plays earlier, one decision; the lanes draw it there.
    b.click("[data-test=way-pull] .do").await;
    b.until("chosen", "return document.querySelector('[data-test=way-pull]').classList.contains('chosen')").await;
    let voice = s.tracks(&session).await.into_iter().find(|t| t["name"] == "Voice").expect("the voice");
    assert_eq!(
        (&voice["path_frames"], &voice["correction"]["offset_frames"], &voice["pieces"][0]["from"]),
        (&serde_json::json!(-600.0), &serde_json::json!(0.0), &serde_json::json!(-600))
    );
    // Delivered: from the earliest sound, and said.
    b.click("nav a[href$='/deliver']").await;
    b.until("said", "return document.querySelector('[data-test=before-zero]')?.innerText.includes('12.50 ms before')")
        .await;
    b.click("[data-test=float32]").await;
    b.click("[data-test=write]").await;
    b.until("a delivery", "return !!document.querySelector('[data-test=delivery] [data-file=\"Voice.wav\"]')").await;
    let jobs = s.get(&format!("/api/sessions/{session}/deliveries")).await.1;
    let folder = s.store.path().join("deliveries").join(jobs[0]["id"].as_str().expect("an id"));
    let sound = |file: &std::path::Path| read(&std::fs::read(file).expect("a file")).1.remove(0);
    let (voice, drum) = (sound(&folder.join("Voice.wav")), sound(&folder.join("Drum.wav")));
    assert!(voice[..480_000] == sound(files[0].as_ref())[..], "the voice from the first frame on");
    assert!(drum[600..480_600] == sound(files[1].as_ref())[..], "the drum 600 frames behind it");
    let errors = b.errors().await;
    assert!(errors.len() == 1 && errors[0].contains("422"), "nothing but the loop was refused: {errors:?}");
    b.close().await;
}
