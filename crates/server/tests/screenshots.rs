//! Takes the pictures in docs/screenshots from the demo session. Run by `make screenshots`; not a test of anything.

#[path = "common/browser.rs"]
mod browser;
mod common;

use browser::Browser;
use serde_json::json;

#[actix_web::test]
#[ignore = "takes pictures; make screenshots runs it"]
async fn pictures() {
    let folder = std::env::var("MAREA_SHOTS")
        .map_or_else(|_| common::project().join("docs/screenshots"), std::path::PathBuf::from);
    std::fs::create_dir_all(&folder).expect("a folder");
    let width: u32 = std::env::var("MAREA_SHOTS_WIDTH").ok().and_then(|w| w.parse().ok()).unwrap_or(1280);
    let server = common::with_demo().await;
    let (_, list) = server.get("/api/sessions").await;
    let session = list[0]["id"].as_str().expect("the demo").to_string();
    server.settled(&session).await;
    let b = Browser::open(width, 800).await;
    let shot = async |name: &str| {
        tokio::time::sleep(std::time::Duration::from_millis(700)).await;
        b.picture(&folder.join(format!("{name}.png"))).await;
    };
    b.page.goto(&server.base).await.expect("the page");
    b.find("[data-test=session]").await;
    b.js("document.documentElement.classList.remove('dark'); localStorage.setItem('marea.theme', 'light')").await;
    b.page.goto(&format!("{}/sessions/{session}/recordings", server.base)).await.expect("the page");
    b.find("[data-track='Cello near']").await;
    shot("recordings").await;
    b.page.goto(&format!("{}/sessions/{session}/check", server.base)).await.expect("the page");
    b.find("[data-test=arrivals]").await;
    b.find("[data-test=effects]").await;
    shot("check").await;
    b.js("document.querySelector('[data-cell=\"3-9\"]').focus()").await;
    b.click("[data-test=part-stage]").await;
    b.find("[data-point=s1]").await;
    b.js("document.querySelector('[data-point=s1]').focus()").await;
    shot("stage").await;
    b.click("[data-test=part-table]").await;
    b.page.goto(&format!("{}/sessions/{session}/align", server.base)).await.expect("the page");
    let choose = async |css: &str, label: &str| {
        b.click(css).await;
        b.until("the list", &format!("const e=[...document.querySelectorAll('.el-select-dropdown__item')].find(x=>x.offsetParent&&x.innerText.trim()==='{label}'); if(!e) return false; e.click(); return true")).await;
    };
    choose("[data-test=track-a]", "Cello pickup").await;
    choose("[data-test=track-b]", "Cello near").await;
    b.until("measured", "return document.querySelector('[data-test=sentence]')?.dataset.verdict").await;
    shot("align").await;
    b.key("\u{e007}").await;
    b.until("applied", "return document.querySelector('[data-lane=\"Cello near\"]')?.dataset.offset !== '0'").await;
    b.click("[data-test=all-lanes]").await;
    b.key("\u{e011}").await;
    b.click("[data-test=play]").await;
    tokio::time::sleep(std::time::Duration::from_secs(4)).await;
    b.click("[data-test=theme]").await;
    shot("align-all-night").await;
    b.key(" ").await;
    b.click("[data-test=theme]").await;
    // Lanes in groups with all columns, the pair laid over one another.
    b.click("[data-test=group-files]").await;
    b.find("[data-group='Main pair']").await;
    b.js("document.querySelector(\"[data-group='Hall 5.1'] [data-test=fold]\").click()").await;
    b.click("[data-test=columns]").await;
    b.until("columns", "const e=[...document.querySelectorAll('[data-column]')].filter(x=>x.offsetParent); if(e.length<7) return false; e.filter(x=>['source','pan','level'].includes(x.dataset.column)).forEach(x=>x.click()); return true").await;
    b.key("\u{e00c}").await;
    b.js("[...document.querySelectorAll('.pickers .choice button')].find(x=>x.innerText==='Pair').click()").await;
    b.click("[data-ruler=bars]").await;
    b.click("[data-overlay=sum]").await;
    b.key("n").await;
    b.page.goto(&format!("{}/sessions/{session}/stereo", server.base)).await.expect("the page");
    choose("[data-test=set]", "Choir stall pair").await;
    b.find("[data-finding=channel-inverted]").await;
    b.click("[data-test=play]").await;
    tokio::time::sleep(std::time::Duration::from_secs(3)).await;
    shot("stereo").await;
    b.key(" ").await;
    choose("[data-test=set]", "Hall 5.1").await;
    b.find("[data-test=matrix]").await;
    shot("surround").await;
    b.click("[data-test=part-sides]").await;
    b.find("[data-test=sides]").await;
    b.page.goto(&format!("{}/sessions/{session}/latency", server.base)).await.expect("the page");
    b.find("[data-test=path-map]").await;
    b.click("[data-test=offender]").await;
    shot("latency").await;
    b.page.goto(&format!("{}/sessions/{session}/prints", server.base)).await.expect("the page");
    b.find("[data-test=lag-plot]").await.send_keys(&"\u{e014}".repeat(12)).await.expect("keys");
    shot("prints").await;
    b.page.goto(&format!("{}/sessions/{session}/rendered", server.base)).await.expect("the page");
    b.find("[data-plot=notes] canvas").await;
    shot("rendered").await;
    b.page.goto(&format!("{}/sessions/{session}/clocks", server.base)).await.expect("the page");
    b.click("[data-recording=Camera] input").await;
    b.click("[data-test=place]").await;
    b.find("[data-bar=Camera]").await;
    shot("clocks").await;
    b.page.goto(&format!("{}/sessions/{session}/tempo", server.base)).await.expect("the page");
    b.click("[data-test=hold]").await;
    b.find("[data-test=against]").await;
    shot("tempo").await;
    b.page.goto(&format!("{}/sessions/{session}/deliver", server.base)).await.expect("the page");
    b.click("[data-test=write]").await;
    b.find("[data-test=delivery]").await;
    shot("deliver").await;
    in_time(&server, &b, &shot).await;
    flutes(&server, &b, &session, &shot).await;
    b.close().await;
}

/// What is loose in time, from the rehearsal.
async fn in_time(server: &common::TestServer, b: &Browser, shot: impl AsyncFn(&str)) {
    let session =
        server.post("/api/demo?of=rehearsal", json!({})).await.1["id"].as_str().expect("the rehearsal").to_string();
    server.settled(&session).await;
    let tracks = server.tracks(&session).await;
    let id =
        |name: &str| tracks.iter().find(|t| t["name"] == name).expect(name)["id"].as_str().expect("an id").to_string();
    let set = ["Cajón", "Marimba", "Pair L", "Pair R"].map(id);
    let section = json!({ "grid": "1/8", "strength": 100, "slack_ms": 4, "farthest_ms": 60 });
    let timing = json!({ "set": set, "hits": set[..2], "within_ms": 12, "sections": [section] });
    let fades = json!({ "head": 960, "tail": 960, "fade_in": 960, "fade_out": 960 });
    let mut passage = json!({ "tracks": [set[1]], "range": [168_000, 288_000], "at": 648_000 });
    passage.as_object_mut().expect("fields").extend(fades.as_object().expect("fields").clone());
    let plans = json!({ "timing": timing, "passages": { "passages": [passage] } });
    assert_eq!(server.patch(&format!("/api/sessions/{session}/desk"), plans).await.0, 200);
    let page = |view: &str| format!("{}/sessions/{session}/{view}", server.base);
    b.page.goto(&page("timing")).await.expect("the page");
    b.find("[data-test=proof]").await;
    b.find("[data-plot=strokes] canvas").await.send_keys(&"\u{e014}".repeat(5)).await.expect("keys");
    shot("timing").await;
    b.page.goto(&page(&format!("layer?a={}&b={}", id("Shaker"), id("Shaker layer")))).await.expect("the page");
    b.click("[data-test=listen]").await;
    b.find("[data-test=proof]").await;
    b.find("[data-plot=strokes] canvas").await.send_keys(&"\u{e014}".repeat(9)).await.expect("keys");
    shot("layer").await;
    b.page.goto(&page("passages")).await.expect("the page");
    b.find("[data-test=joins]").await;
    shot("passages").await;
    b.page
        .goto(&page(&format!("takes?a={}&b={}", id("Accordion take 1"), id("Accordion take 2"))))
        .await
        .expect("the page");
    b.click("[data-test=listen]").await;
    b.find("[data-test=passages]").await;
    b.click("[data-test=theme]").await;
    shot("takes-night").await;
}

/// A flute played twice in the evening: the second brought into time with the first, and the pitch of the first. From night to day.
async fn flutes(server: &common::TestServer, b: &Browser, evening: &str, shot: impl AsyncFn(&str)) {
    let tracks = server.tracks(evening).await;
    let id =
        |name: &str| tracks.iter().find(|t| t["name"] == name).expect(name)["id"].as_str().expect("an id").to_string();
    let both = format!("a={}&b={}", id("Flute take 1"), id("Flute take 2"));
    b.page.goto(&format!("{}/sessions/{evening}/doubles?{both}", server.base)).await.expect("the page");
    b.click("[data-test=listen]").await;
    b.find("[data-plot=deviation] canvas").await.send_keys("\u{e014}\u{e014}").await.expect("keys");
    b.click("[data-test=theme]").await;
    shot("doubles").await;
    b.page.goto(&format!("{}/sessions/{evening}/pitch?{both}", server.base)).await.expect("the page");
    b.click("[data-test=listen]").await;
    b.find("[data-plot=staff] canvas").await.send_keys("\u{e014}\u{e014}").await.expect("keys");
    b.until("a card", "return !!document.querySelector('[data-test=note-card]')").await;
    b.key("+").await;
    shot("pitch").await;
}
