//! Times of the page for `make bench`: printed, never asserted.

#[path = "common/browser.rs"]
mod browser;
mod common;

use browser::Browser;
use common::*;

#[actix_web::test]
#[ignore = "prints times; make bench runs it"]
async fn page() {
    let server = TestServer::with(|s| s.demo = true).await;
    let (_, list) = server.get("/api/sessions").await;
    let session = list[0]["id"].as_str().expect("the demo").to_string();
    server.settled(&session).await;
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("{}/sessions/{session}/align", server.base)).await.expect("the page");
    b.until("measured", "return document.querySelector('[data-test=sentence]')?.dataset.verdict").await;
    b.click("[data-test=all-lanes]").await;
    tokio::time::sleep(std::time::Duration::from_millis(600)).await;
    // Every first paint fetches tiles; the passes after it are what a hand sees.
    let sweep = "const done=arguments[arguments.length-1]; const c=document.querySelector('.stack canvas'); window.__mareaPaint=[]; let i=0; const run=()=>{ if(i++>=240){ done(window.__mareaPaint); return } const e=new WheelEvent('wheel',{deltaY:(i%80<40?-60:60),shiftKey:i%3===0,bubbles:true,cancelable:true,clientX:700+(i%7)*30,clientY:200}); c.dispatchEvent(e); requestAnimationFrame(run) }; run()";
    for _ in 0..2 {
        b.page.execute_async(sweep, vec![]).await.expect("a sweep");
    }
    let times = b.page.execute_async(sweep, vec![]).await.expect("a sweep");
    let mut ms: Vec<f64> = times.as_array().expect("times").iter().filter_map(serde_json::Value::as_f64).collect();
    ms.sort_by(f64::total_cmp);
    if let Some(p95) = ms.get(ms.len() * 95 / 100) {
        println!(
            "| page: zoom and pan, 11 lanes, 95th percentile of {} paints, median {:.1} ms | {p95:.1} ms | ≤ 8 ms |",
            ms.len(),
            ms[ms.len() / 2]
        );
    }
    b.click("[data-test=scope-session]").await;
    b.click("[data-test=play]").await;
    b.until("sound", "return Number(document.querySelector('[data-test=listen-bar]').dataset.frame) > 48000").await;
    b.click("[data-test=play]").await;
    let start = "const done=arguments[arguments.length-1]; const bar=document.querySelector('[data-test=listen-bar]'); const f=bar.dataset.frame; const t=performance.now(); document.querySelector('[data-test=play]').click(); const look=()=>{ if(bar.dataset.frame!==f) done(performance.now()-t); else setTimeout(look,1) }; look()";
    let play = b.page.execute_async(start, vec![]).await.expect("a time").as_f64().unwrap_or(f64::NAN);
    println!("| page: from the key to the first sound | {play:.0} ms | ≤ 200 ms |");
    let switch = "const done=arguments[arguments.length-1]; const t=performance.now(); window.__mareaSwitched=(at)=>done(at-t); document.querySelector('[data-test=as-recorded]').click()";
    let took = b.page.execute_async(switch, vec![]).await.expect("a time").as_f64().unwrap_or(f64::NAN);
    println!("| page: as corrected to as recorded, until the sound has changed | {took:.0} ms | ≤ 50 ms |");
    let gaps = b.js("return document.querySelector('[data-test=listen-bar]').dataset.gaps").await;
    println!("| page: gaps while playing | {gaps} | 0 |");
    b.close().await;
}
