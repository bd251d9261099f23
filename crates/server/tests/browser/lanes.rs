//! The lanes: typed offsets, measures, groups, order, overlay.

use super::*;

/// Types over what stands in the open field of a lane.
async fn type_offset(b: &Browser, text: &str) {
    let input = b.find("[data-test=lane-offset]").await;
    b.js("document.querySelector('[data-test=lane-offset]').value = ''").await;
    input.send_keys(&format!("{text}\u{e007}")).await.expect("typed");
}

#[actix_web::test]
async fn offsets_are_typed_with_any_unit_and_time_is_measured_on_the_lanes() {
    let _turn = beside().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let x = hits(480_000, 5);
    new_session(&b, &s, "Lanes").await;
    let files = [
        ("One.wav", vec![x.clone()]),
        ("Two.wav", vec![moved(&x, 0, 0.5)]),
        ("Wide.wav", vec![moved(&x, 9, 0.5), x.clone()]),
    ]
    .map(|(name, planes)| put(folder.path(), name, wav(&planes, 48_000, None)));
    bring_in(&b, &files).await;
    b.until("four tracks", "return document.querySelectorAll('tr[data-track]').length === 4").await;
    b.click("nav a[href$='/align']").await;
    b.click("[data-test=all-lanes]").await;
    let offset_of = |lane: &str, frames: &str| {
        format!("return document.querySelector(\"[data-lane='{lane}']\")?.dataset.offset === '{frames}'")
    };
    b.click("[data-lane='Wide R'] .name").await;
    // 20 °C: 343.2 m/s. 120 quarters a minute: 1/32 is 62.5 ms.
    for (text, frames) in [("-2.5", "-120"), ("1/32", "3000"), ("-110 samples", "-110"), ("343.2 cm", "480")] {
        b.click("[data-lane='Two'] [data-test=type-offset]").await;
        type_offset(&b, text).await;
        b.until(text, &offset_of("Two", frames)).await;
    }
    // Who was chosen stays so through all of that.
    let chosen = "return [...document.querySelectorAll('[data-lane].selected')].map(e=>e.dataset.lane).join()";
    assert_eq!(b.js(chosen).await, "One,Wide R");
    // What cannot be read is said, and nothing is lost.
    b.click("[data-lane='Two'] [data-test=type-offset]").await;
    type_offset(&b, "soon").await;
    b.until("a sentence", "return document.body.innerText.includes('is no offset')").await;
    b.until("as before", &offset_of("Two", "480")).await;
    // Channels of one file move together.
    b.click("[data-lane^='Wide'] [data-test=type-offset]").await;
    type_offset(&b, "1").await;
    b.until("both", "const l=[...document.querySelectorAll(\"[data-lane^='Wide']\")]; return l.length === 2 && l.every(e => e.dataset.offset === '48')").await;
    // Shift and drag: the time between two places in every unit, and as a frequency.
    b.js("const c=document.querySelector('.sea canvas'); const r=c.getBoundingClientRect(); const at=(type,x)=>c.dispatchEvent(new PointerEvent(type,{bubbles:true,pointerId:1,button:0,shiftKey:true,clientX:r.left+x,clientY:r.top+60})); c.setPointerCapture=()=>{}; at('pointerdown',100); at('pointermove',160); at('pointermove',200); at('pointerup',200)").await;
    let told = b.until("the measure", "return document.querySelector('[data-test=measured]')?.innerText").await;
    let told = told.as_str().expect("text").to_string();
    assert!(["samples", "ms", " m", "quarters", "Hz"].iter().all(|u| told.contains(u)), "{told}");
    b.no_errors().await;
    b.close().await;
}

/// A drag with the pointer on the lanes, from one place to another, in pixels from the upper left of the canvas.
async fn drag(b: &Browser, from: (i32, i32), to: (i32, i32)) {
    let script = format!(
        "const c=document.querySelector('[data-test=sea]'); const r=c.getBoundingClientRect(); c.setPointerCapture=()=>{{}}; \
         const at=(type,x,y)=>c.dispatchEvent(new PointerEvent(type,{{bubbles:true,pointerId:1,button:0,clientX:r.left+x,clientY:r.top+y}})); \
         at('pointerdown',{},{}); at('pointermove',{},{}); at('pointermove',{},{}); at('pointerup',{},{})",
        from.0,
        from.1,
        i32::midpoint(from.0, to.0),
        from.1,
        to.0,
        to.1,
        to.0,
        to.1
    );
    b.js(&script).await;
}

#[actix_web::test]
async fn lanes_are_ordered_grouped_hidden_and_laid_over_one_another_and_it_lasts() {
    let _turn = beside().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let x = hits(480_000, 6);
    new_session(&b, &s, "Groups").await;
    let files = [
        ("One.wav", vec![x.clone()]),
        ("Two.wav", vec![moved(&x, 0, -0.8)]),
        ("Wide.wav", vec![moved(&x, 9, 0.5), moved(&x, 5, 0.7)]),
    ]
    .map(|(name, planes)| put(folder.path(), name, wav(&planes, 48_000, None)));
    for file in &files {
        bring_in(&b, std::slice::from_ref(file)).await;
    }
    b.until("four tracks", "return document.querySelectorAll('tr[data-track]').length === 4").await;
    b.click("nav a[href$='/align']").await;
    b.click("[data-test=all-lanes]").await;
    let rows = |wanted: &str| {
        format!(
            "return [...document.querySelectorAll('[data-lane], [data-group]')].map(e => e.dataset.lane ?? '['+e.dataset.group+']').join(' ') === '{wanted}'"
        )
    };
    b.until("as brought in", &rows("One Two Wide L Wide R")).await;
    // Files of several channels become groups; a folded one is its head alone.
    b.click("[data-test=group-files]").await;
    b.until("a group", &rows("One Two [Wide] Wide L Wide R")).await;
    b.click("[data-group='Wide'] [data-test=fold]").await;
    b.until("folded", &rows("One Two [Wide]")).await;
    b.click("[data-group='Wide'] [data-test=fold]").await;
    // Order by keys, as by dragging.
    b.js("document.querySelector(\"[data-lane='Two'] [data-test=grip]\").dispatchEvent(new KeyboardEvent('keydown',{key:'ArrowUp',bubbles:true,cancelable:true}))").await;
    b.until("Two first", &rows("Two One [Wide] Wide L Wide R")).await;
    let pull = "const g=document.querySelector(\"[data-lane='Two'] [data-test=grip]\"); const r=g.getBoundingClientRect(); const to=document.querySelector(\"[data-lane='Wide R']\").getBoundingClientRect(); g.dispatchEvent(new PointerEvent('pointerdown',{bubbles:true,clientX:r.left,clientY:r.top+5})); for (const y of [r.top+30,to.bottom+20]) window.dispatchEvent(new PointerEvent('pointermove',{clientX:r.left,clientY:y})); window.dispatchEvent(new PointerEvent('pointerup',{}))";
    b.js(pull).await;
    b.until("Two last", &rows("One [Wide] Wide L Wide R Two")).await;
    // Hidden, told, and shown again.
    b.click("[data-lane='One'] [data-test=lane-menu]").await;
    b.until("the menu", "const e=[...document.querySelectorAll('[role=menuitem]')].find(x=>x.innerText==='Hide'); if(!e) return false; e.click(); return true").await;
    b.until("hidden", &rows("[Wide] Wide L Wide R Two")).await;
    // The menu that is closing takes the focus back, and would close the next one.
    b.settled().await;
    b.click("[data-test=hidden]").await;
    b.until("the list", "const e=document.querySelector(\"[data-show='One']\"); if(!e?.offsetParent) return false; e.click(); return true").await;
    b.until("shown", &rows("One [Wide] Wide L Wide R Two")).await;
    // The group is moved as one by an amount in any unit, and turned over as one.
    b.click("[data-group='Wide'] [data-test=move-group]").await;
    b.find("[data-test=group-offset]").await.send_keys("-1 ms\u{e007}").await.expect("typed");
    let both = |what: &str, wanted: &str| {
        format!(
            "return [...document.querySelectorAll(\"[data-lane^='Wide']\")].every(e => e.dataset.{what} === '{wanted}')"
        )
    };
    b.until("both earlier", &both("offset", "-48")).await;
    b.click("[data-group='Wide'] [data-test=flip-group]").await;
    b.until("both turned", &both("inverted", "true")).await;
    b.key("\u{e009}z\u{e000}").await;
    b.until("taken back as one", &both("inverted", "false")).await;
    // A name and no longer together.
    b.click("[data-group='Wide'] [data-test=edit-group]").await;
    b.until("the dialog", "const e=document.querySelector('[data-test=group-name]'); if(!e?.offsetParent) return false; e.value='Hall'; e.dispatchEvent(new Event('input')); return true").await;
    b.click("[data-test=put-group]").await;
    b.find("[data-group='Hall']").await;
    // Columns: a place while listening.
    b.click("[data-test=columns]").await;
    b.until("the columns", "const e=document.querySelector('[data-column=pan]'); if(!e?.offsetParent) return false; e.click(); return true").await;
    b.find("[data-lane='Two'] [data-test=pan]").await;
    b.js("const e=document.querySelector(\"[data-lane='Two'] [data-test=pan]\"); e.value='-40'; e.dispatchEvent(new Event('change'))").await;
    b.key("\u{e00c}").await;
    b.click("[data-group='Hall'] [data-test=mute-group]").await;
    b.click("[data-ruler=bars]").await;
    // A loop is drawn in the ruler, of the whole session.
    b.key("\u{e011}").await;
    tokio::time::sleep(Duration::from_millis(300)).await;
    drag(&b, (200, 6), (320, 6)).await;
    b.until("a loop", "return document.querySelector('[data-test=loop]').getAttribute('aria-pressed') === 'true'")
        .await;
    // Over one another: One and its opposite leave nothing in the sum, twice as much in the difference.
    b.click("[data-lane='One'] .name").await;
    b.js("const p=[...document.querySelectorAll('.pickers .choice button')].find(x=>x.innerText==='Pair'); p.click()")
        .await;
    let ink = |way: &str| {
        format!(
            "document.querySelector('[data-overlay={way}]').click(); return document.querySelector('[data-test=overlay-head]') !== null"
        )
    };
    b.until("an overlay", &ink("difference")).await;
    let high = "const c=document.querySelector('[data-test=sea]'); const h=60; const d=c.getContext('2d').getImageData(0,c.height-h,c.width,h).data; const s=getComputedStyle(document.documentElement).getPropertyValue('--ink').trim(); const rgb=[1,3,5].map(i=>parseInt(s.slice(i,i+2),16)); let most=0; for(let x=0;x<c.width;x++){let n=0; for(let y=0;y<h;y++){const k=(y*c.width+x)*4; if([0,1,2].every(i=>Math.abs(d[k+i]-rgb[i])<6)) n++;} most=Math.max(most,n)} return most";
    b.until("the difference is drawn", &format!("return (()=>{{ {high} }})() > 6")).await;
    b.until("the other way", &ink("sum")).await;
    tokio::time::sleep(Duration::from_millis(800)).await;
    // All of it is still there when the page is opened anew, as everybody else sees it.
    b.page.refresh().await.expect("the page");
    b.click("[data-test=all-lanes]").await;
    b.until("as it was left", &rows("One [Hall] Wide L Wide R Two")).await;
    b.until("the place", "return document.querySelector(\"[data-lane='Two'] [data-test=pan]\")?.value === '−40'").await;
    b.until("the mute", "return document.querySelector(\"[data-group='Hall'] [data-test=mute-group]\").getAttribute('aria-pressed') === 'true'").await;
    b.until("the ruler", "return document.querySelector('[data-ruler=bars]').getAttribute('aria-pressed') === 'true'")
        .await;
    // Another window mutes a lane and marks a place: this one follows, and loses nothing of its own.
    let session = only_session(&s).await;
    let tracks = s.tracks(&session).await;
    let one = tracks.iter().find(|t| t["name"] == "One").unwrap()["id"].as_str().unwrap();
    let lane = serde_json::json!({ "height": 1.0, "hidden": false, "muted": true, "soloed": false, "pan": null, "level_db": 0.0 });
    s.patch(&format!("/api/sessions/{session}/desk"), serde_json::json!({ "lanes": { one: lane } })).await;
    b.until("muted from elsewhere", "return document.querySelector(\"[data-lane='One']\").dataset.muted === 'true'")
        .await;
    b.until("its own place", "return document.querySelector(\"[data-lane='Two'] [data-test=pan]\").value === '−40'")
        .await;
    b.no_errors().await;
    b.close().await;
}
