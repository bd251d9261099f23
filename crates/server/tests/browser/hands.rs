//! Hands: undo says what it takes back, keys lose nothing, the focus stays, the address tells what is seen.

use super::*;
use marea_server::web::VIEWS;
use serde_json::{Value, json};

const ENTER: &str = "\u{e007}";
const TAB: &str = "\u{e004}";

/// A session with these files, open at a view.
async fn opened(b: &Browser, s: &TestServer, files: &[(&str, Vec<u8>)], view: &str) -> String {
    let session = s.session("Hands").await;
    s.bring_in(&session, files).await;
    b.page.goto(&format!("{}/sessions/{session}/{view}", s.base)).await.expect("the page");
    session
}

fn pair() -> [(&'static str, Vec<u8>); 2] {
    let x = hits(480_000, 1);
    [("Near.wav", wav(std::slice::from_ref(&x), 48_000, None)), ("Far.wav", wav(&[moved(&x, 333, 0.6)], 48_000, None))]
}

/// A key for whatever has the focus: unlike [`Browser::key`], which takes it away first.
async fn press(b: &Browser, key: &str) {
    b.page.active_element().await.expect("the focus").send_keys(key).await.expect("a key");
}

const OFFSET: &str = "document.querySelector(\"[data-lane='Far']\")?.dataset.offset";

async fn undo_says(b: &Browser, words: &str) {
    let said = format!("return document.querySelector('[data-test=undo]')?.innerText.includes('{words}')");
    b.until(&format!("undo names: {words}"), &said).await;
}

#[actix_web::test]
async fn undo_names_what_it_takes_back_and_takes_back_everything() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    opened(&b, &s, &pair(), "align").await;
    b.until("measured", "return document.querySelector('[data-test=sentence]')?.dataset.verdict === 'solid'").await;
    b.key(ENTER).await;
    b.until("applied", &format!("return {OFFSET} === '-333'")).await;
    undo_says(&b, "Far aligned to Near").await;
    let said = b.find("[data-test=sentence]").await.text().await.expect("text");
    assert!(
        said.contains("taken out: 6.94 ms") && said.contains("nothing is left") && !said.contains("arrives later"),
        "{said}"
    );
    // Hidden: undo brings the lane back, and the alignment stays.
    b.click("[data-test=all-lanes]").await;
    b.click("[data-lane='Far'] [data-test=lane-menu]").await;
    b.click("[role=menuitem]").await;
    undo_says(&b, "Far hidden").await;
    assert_eq!(b.js("return document.querySelectorAll('[data-lane]').length").await, 1);
    b.key("\u{e009}z\u{e000}").await;
    b.until("the lane is back", "return document.querySelectorAll('[data-lane]').length === 2").await;
    assert_eq!(b.js(&format!("return {OFFSET}")).await, "-333");
    b.until("it is told", "return document.body.innerText.includes('Taken back: Far hidden')").await;
    // Taken out of the session, and brought back with all it carried.
    b.click("nav a[href*='/recordings']").await;
    b.click("tr[data-track='Far'] button[title^='Take Far']").await;
    undo_says(&b, "Far taken out").await;
    b.until("one track", "return document.querySelectorAll('tr[data-track]').length === 1").await;
    b.click("[data-test=undo]").await;
    b.until("two tracks", "return document.querySelectorAll('tr[data-track]').length === 2").await;
    undo_says(&b, "Far aligned to Near").await;
    b.no_errors().await;
    b.close().await;
}

#[actix_web::test]
async fn a_held_key_loses_nothing_and_makes_one_decision() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    let session = opened(&b, &s, &pair(), "align").await;
    b.until("measured", "return document.querySelector('[data-test=sentence]')?.dataset.verdict === 'solid'").await;
    // Held, then clicked as fast as a hand can. The page's clock stands still meanwhile: on a busy machine what belongs together by the
    // hand comes further apart than a decision lasts.
    let held = "const done = arguments[arguments.length - 1], own = performance.now, at = own.call(performance); performance.now = () => at; let n = 0; const go = () => { window.dispatchEvent(new KeyboardEvent('keydown', { key: ']', bubbles: true, repeat: n > 0 })); if (++n < 10) return setTimeout(go, 33); for (let i = 0; i < 5; i++) document.querySelector('[data-test=nudge-later]').click(); performance.now = own; done(n) }; go()";
    b.page.execute_async(held, vec![]).await.expect("ten presses and five clicks");
    b.until("all fifteen", &format!("return {OFFSET} === '15'")).await;
    b.until(
        "one decision",
        "return document.querySelector('[data-test=undo]').innerText.includes('nudged by 15 samples')",
    )
    .await;
    // Flipped twice in one breath: upright again, and nothing red.
    b.js("for (let i = 0; i < 2; i++) window.dispatchEvent(new KeyboardEvent('keydown', { key: 'f', bubbles: true }))")
        .await;
    s.until("two flips", async |s| s.history(&session).await.len() == 3).await;
    assert_eq!(
        s.tracks(&session).await[1]["correction"],
        json!({ "offset_frames": 15.0, "invert": false, "gain_db": 0.0 })
    );
    assert_eq!(b.js("return document.querySelectorAll('.el-message--error').length").await, 0);
    // Undo at once after the last press takes the whole series back.
    b.js("for (let i = 0; i < 3; i++) window.dispatchEvent(new KeyboardEvent('keydown', { key: '[', bubbles: true })); window.dispatchEvent(new KeyboardEvent('keydown', { key: 'z', ctrlKey: true, bubbles: true }))").await;
    b.until(
        "as before",
        &format!("return {OFFSET} === '15' && document.body.innerText.includes('Taken back: Far nudged by \u{2212}3')"),
    )
    .await;
    b.close().await;
}

#[actix_web::test]
async fn keys_go_where_the_focus_is() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    opened(&b, &s, &pair(), "recordings").await;
    // A click on the rail, and Enter works in the view.
    b.click("nav a[href*='/align']").await;
    b.until("measured", "return document.querySelector('[data-test=sentence]')?.dataset.verdict === 'solid'").await;
    press(&b, ENTER).await;
    b.until("applied", &format!("return {OFFSET} === '-333'")).await;
    b.click("[data-test=undo]").await;
    b.until("as recorded", &format!("return {OFFSET} === '0'")).await;
    b.click("[data-test=next-hit]").await;
    press(&b, ENTER).await;
    b.until("applied after a click on a button", &format!("return {OFFSET} === '-333'")).await;
    // An offset is typed in the unit that is shown, and the focus goes back to where the typing began.
    b.js("document.querySelector(\"[data-lane='Far'] [data-test=type-offset]\").focus()").await;
    press(&b, ENTER).await;
    assert_eq!(
        b.find("[data-test=lane-offset]").await.prop("value").await.unwrap().as_deref(),
        Some("\u{2212}6.94 ms")
    );
    b.js("document.querySelector('[data-test=lane-offset]').select()").await;
    press(&b, &format!("-10{ENTER}")).await;
    b.until("ten milliseconds", &format!("return {OFFSET} === '-480'")).await;
    assert_eq!(b.js("return document.activeElement.dataset.test").await, "type-offset");
    // The grip keeps the focus while its lane wanders.
    b.click("[data-test=all-lanes]").await;
    b.js("document.querySelector(\"[data-lane='Far'] .grip\").focus()").await;
    press(&b, "\u{e013}").await;
    b.until("first", "return document.querySelector('[data-lane]').dataset.lane === 'Far'").await;
    b.until("the grip", "return document.activeElement.closest('[data-lane]')?.dataset.lane === 'Far' && document.activeElement.classList.contains('grip')").await;
    // A box is ticked by Space where one stepped to it; elsewhere Space plays.
    b.click("nav a[href*='/deliver']").await;
    b.find("input[aria-label='Write Near']").await;
    for _ in 0..40 {
        if b.js("return document.activeElement.getAttribute('aria-label')").await == "Write Near" {
            break;
        }
        press(&b, TAB).await;
    }
    press(&b, " ").await;
    assert_eq!(b.js("return document.querySelector(\"input[aria-label='Write Near']\").checked").await, true);
    assert_eq!(b.find("[data-test=listen-bar]").await.attr("data-playing").await.unwrap().as_deref(), Some("false"));
    b.key(" ").await;
    b.until("it plays", "return document.querySelector('[data-test=listen-bar]').dataset.playing === 'true'").await;
    b.key(" ").await;
    // Letters are turned off in the list of keys, and stay off.
    b.key("?").await;
    b.click("[data-test=letters]").await;
    b.key("\u{e00c}").await;
    b.page.refresh().await.unwrap();
    b.find("[data-test=mono]").await;
    b.key("m").await;
    tokio::time::sleep(Duration::from_millis(400)).await;
    assert_eq!(b.find("[data-test=mono]").await.attr("aria-pressed").await.unwrap().as_deref(), Some("false"));
    b.js("localStorage.removeItem('marea.letters')").await;
    b.no_errors().await;
    b.close().await;
}

#[actix_web::test]
async fn the_address_tells_what_is_seen() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    let x = hits(480_000, 1);
    let files: Vec<(String, Vec<u8>)> =
        (0..4).map(|n| (format!("Mic {n}.wav"), wav(&[moved(&x, 50 * n, 0.8)], 48_000, None))).collect();
    let files: Vec<(&str, Vec<u8>)> = files.iter().map(|(n, f)| (n.as_str(), f.clone())).collect();
    opened(&b, &s, &files, "align").await;
    b.until("measured", "return document.querySelector('[data-test=sentence]')?.dataset.verdict === 'solid'").await;
    b.key("t").await;
    b.key("t").await;
    b.until("another pair", "return document.querySelector('[data-test=sentence]')?.innerText.includes('Mic 3')").await;
    b.click("[data-test=all-lanes]").await;
    for key in ["\u{e013}", "\u{e013}", "\u{e014}"] {
        b.key(key).await;
    }
    b.until("in the address", "return location.search.includes('lanes=all') && location.search.includes('zoom=')")
        .await;
    tokio::time::sleep(Duration::from_millis(700)).await;
    let seen = "const q = new URLSearchParams(location.search); return [q.get('a'), q.get('b'), q.get('lanes'), Number(q.get('zoom')), Math.round(Number(q.get('at')) / 1000), [...document.querySelectorAll('[data-lane]')].length, document.querySelector('[data-test=sentence]').innerText]";
    let before = b.js(seen).await;
    b.page.refresh().await.unwrap();
    b.until("measured again", "return document.querySelector('[data-test=sentence]')?.innerText.includes('Mic 3')")
        .await;
    tokio::time::sleep(Duration::from_millis(1_500)).await;
    assert_eq!(b.js(seen).await, before);
    assert_eq!(b.page.title().await.unwrap(), "Align \u{2013} Hands \u{2013} Marea");
    b.click("nav a[href*='/stereo']").await;
    b.click("[data-test=part-sides]").await;
    b.until("sides", "return location.search.includes('part=sides') && location.search.includes('b=')").await;
    b.page.refresh().await.unwrap();
    b.until(
        "sides again",
        "return document.querySelector('[data-test=part-sides]')?.getAttribute('aria-pressed') === 'true'",
    )
    .await;
    assert_eq!(b.page.title().await.unwrap(), "Stereo \u{2013} Hands \u{2013} Marea");
    b.page.goto(&s.base).await.unwrap();
    b.until("its own title", "return document.title === 'Sessions \u{2013} Marea'").await;
    b.close().await;
}

/// Everything on a small screen, and at 200 % on a usual one, is there without a page that scrolls sideways; every canvas has the
/// size of its box.
#[actix_web::test]
async fn small_and_large_screens_show_everything() {
    let _turn = beside().await;
    let (s, session) = demo().await;
    let b = Browser::open(1280, 800).await;
    for view in VIEWS {
        b.page.goto(&format!("{}/sessions/{session}/{view}", s.base)).await.expect("the page");
        b.find("main > *").await;
        if view == "check" {
            b.find("[data-test=arrivals]").await;
            b.key("w").await;
            b.find(".stack canvas").await;
        }
        for (width, height) in [(1024, 768), (640, 400), (1920, 1080), (1280, 800)] {
            b.resize(width, height).await;
            b.settled().await;
            let fits = "const d = document.documentElement; return d.scrollWidth <= innerWidth && d.scrollHeight <= innerHeight";
            assert_eq!(b.js(fits).await, true, "{view} at {width}x{height}: the page itself scrolls");
            let bar = "const r = document.querySelector('[data-test=listen-bar]').getBoundingClientRect(); return r.bottom <= innerHeight + 0.5 && r.height <= 70";
            assert_eq!(b.js(bar).await, true, "{view} at {width}x{height}: the bar");
            let sharp = "return [...document.querySelectorAll('canvas')].filter(c => c.clientWidth > 0 && (c.width !== Math.round(c.clientWidth * devicePixelRatio) || c.height !== Math.round(c.clientHeight * devicePixelRatio))).length === 0";
            b.until(&format!("{view} at {width}x{height}: canvases as large as their boxes"), sharp).await;
        }
    }
    b.no_errors().await;
    b.close().await;
}

/// axe (npm axe-core; its rules are those of WCAG 2.2 and good practice) on every view in both themes.
#[actix_web::test]
async fn every_view_is_accessible_in_both_themes() {
    let _turn = beside().await;
    let (s, session) = demo().await;
    let b = Browser::open(1280, 800).await;
    let axe = std::fs::read_to_string(project().join("web/node_modules/axe-core/axe.min.js")).expect("npm ci was run");
    let rules = "'wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'";
    let script = format!(
        "{axe}; const done = arguments[arguments.length - 1]; axe.run(document, {{ runOnly: [{rules}] }}).then(r => done([r.passes.length, r.violations.map(v => [v.id, v.nodes.slice(0, 3).map(n => n.target.join(' ') + ': ' + n.failureSummary)])]))"
    );
    let mut looked = [0, 0];
    // A key that opens more of it.
    let key_of = |view: &str| match view {
        "check" => "w",
        "align" => "a",
        _ => "",
    };
    let of_session = |view: &str| format!("/sessions/{session}/{view}");
    let mut visits = vec![("/".to_string(), ""), ("/nowhere".into(), "")];
    visits.extend(VIEWS.map(|view| (of_session(view), key_of(view))));
    visits.extend(["stereo?part=sides", "tempo?by=session"].map(|view| (of_session(view), "")));
    visits.extend(["?", "history"].map(|act| (of_session("check"), act)));
    for (path, act) in &visits {
        b.page.goto(&format!("{}{path}", s.base)).await.expect("the page");
        b.find("main > *").await;
        b.settled().await;
        match *act {
            "" => {}
            "history" => b.click("[data-test=history]").await,
            key => b.key(key).await,
        }
        for _ in 0..2 {
            b.settled().await;
            let told: Value = b.page.execute_async(&script, vec![]).await.expect("axe ran");
            let dark = b.js("return document.documentElement.classList.contains('dark')").await == true;
            assert!(told[0].as_u64().unwrap() > 10, "{path}: axe looked at something");
            assert_eq!(told[1], json!([]), "dark {dark}: {path} {act}");
            looked[usize::from(dark)] += 1;
            // Where no button changes the theme, it is the one of the visit before.
            let changed = b.js("const b = document.querySelector('[data-test=theme]'); b?.click(); return b !== null");
            if changed.await == false {
                let other = if dark { "light" } else { "dark" };
                b.js(&format!("localStorage.setItem('marea.theme', '{other}')")).await;
                b.page.refresh().await.expect("the page");
                b.find("main > *").await;
            }
        }
    }
    assert_eq!(looked, [visits.len(); 2]);
    b.close().await;
}
