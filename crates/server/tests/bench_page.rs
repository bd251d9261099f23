//! Times of the page for `make bench`: printed, never asserted. `MAREA_BENCH_PLAY_S` shortens the long playing.

#[path = "common/browser.rs"]
mod browser;
mod common;

use browser::Browser;
use common::*;
use std::time::{Duration, Instant};
use uuid::Uuid;

/// Lanes, and seconds of each.
const LANES: usize = 60;
const SECONDS: usize = 3_600;

/// Every first paint fetches tiles; the passes after it are what a hand sees.
const SWEEP: &str = "const done=arguments[arguments.length-1]; const c=document.querySelector('[data-test=sea]'); window.__mareaPaint=[]; let i=0; const run=()=>{ if(i++>=240){ done(window.__mareaPaint); return } const e=new WheelEvent('wheel',{deltaY:(i%80<40?-60:60),shiftKey:i%3===0,bubbles:true,cancelable:true,clientX:700+(i%7)*30,clientY:200}); c.dispatchEvent(e); requestAnimationFrame(run) }; run()";

async fn paints(b: &Browser, what: &str) {
    for _ in 0..2 {
        b.page.execute_async(SWEEP, vec![]).await.expect("a sweep");
    }
    let times = b.page.execute_async(SWEEP, vec![]).await.expect("a sweep");
    let mut ms: Vec<f64> = times.as_array().expect("times").iter().filter_map(serde_json::Value::as_f64).collect();
    ms.sort_by(f64::total_cmp);
    if let Some(p95) = ms.get(ms.len() * 95 / 100) {
        let (count, median) = (ms.len(), ms[ms.len() / 2]);
        println!(
            "| page: zoom and pan, {what}, 95th percentile of {count} paints, median {median:.1} ms | {p95:.1} ms | ≤ 8 ms |"
        );
    }
}

#[actix_web::test]
#[ignore = "prints times; make bench runs it"]
async fn page() {
    let server = with_demo().await;
    let (_, list) = server.get("/api/sessions").await;
    let session = list[0]["id"].as_str().expect("the demo").to_string();
    server.settled(&session).await;
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("{}/sessions/{session}/align", server.base)).await.expect("the page");
    b.until("measured", "return document.querySelector('[data-test=sentence]')?.dataset.verdict").await;
    b.click("[data-test=all-lanes]").await;
    tokio::time::sleep(Duration::from_millis(600)).await;
    paints(&b, "the demo").await;
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
    let mut answers = Vec::new();
    for name in ["mono", "swap", "dim", "click", "scope-pair", "scope-session"] {
        b.click(&format!("[data-test={name}]")).await;
        tokio::time::sleep(Duration::from_millis(400)).await;
        let ms = b.js("return Number(document.querySelector('[data-test=listen-bar]').dataset.answerMs)").await;
        answers.push(ms.as_f64().unwrap_or(f64::NAN));
    }
    let most = answers.iter().copied().fold(0.0, f64::max);
    println!(
        "| page: mono, swap, dim, click, pair and session of the demo, until each takes over | {most:.0} ms at most | ≤ 50 ms |"
    );
    let gaps = b.js("return document.querySelector('[data-test=listen-bar]').dataset.gaps").await;
    println!("| page: gaps while playing | {gaps} | 0 |");
    b.close().await;
}

/// One recording of an hour: a minute of hits at changing levels.
fn hour() -> Vec<u8> {
    let minute = hits(48_000 * 60, 3);
    let mut sound = Vec::with_capacity(48_000 * SECONDS);
    for n in 0..SECONDS / 60 {
        let gain = 0.3 + 0.7 * ((n * 7 % 11) as f32 / 11.0);
        sound.extend(minute.iter().map(|v| v * gain));
    }
    wav(&[sound], 48_000, None)
}

/// A session of many long tracks: one recording, and links to its working copy for all others.
async fn many(server: &TestServer, bytes: Vec<u8>) -> String {
    let session = server.session("Many").await;
    let tracks = server.bring_in(&session, &[("Mic 01.wav", bytes)]).await;
    let sha = tracks[0]["recording"].as_str().expect("a digest").to_string();
    let db = sqlx::MySqlPool::connect(&server.database_url).await.expect("the database");
    let work = server.store.path().join("work");
    for n in 2..=LANES {
        let mut other = hex::decode(&sha).expect("hex");
        other[0] ^= n as u8;
        let link = work.join(format!("{}-48000", hex::encode(&other)));
        std::os::unix::fs::symlink(work.join(format!("{sha}-48000")), link).expect("a link");
        let (id, of) = (Uuid::now_v7(), tracks[0]["id"].as_str().expect("an id").parse::<Uuid>().expect("an id"));
        sqlx::query("INSERT INTO recordings (sha256, bytes) SELECT ?, bytes FROM recordings WHERE sha256 = ?")
            .bind(&other)
            .bind(hex::decode(&sha).expect("hex"))
            .execute(&db)
            .await
            .expect("a recording");
        sqlx::query("INSERT INTO tracks (id, session_id, sha256, channel, channels, file_name, coding, file_rate_hz, notes, position, name, role, source, side, start_frame, frames, edit_id) SELECT ?, session_id, ?, channel, channels, file_name, coding, file_rate_hz, notes, position + ?, ?, role, source, side, ?, frames, edit_id FROM tracks WHERE id = ?")
            .bind(id)
            .bind(&other)
            .bind(n as i64)
            .bind(format!("Mic {n:02}"))
            .bind(n as i64 * 48)
            .bind(of)
            .execute(&db)
            .await
            .expect("a track");
    }
    session
}

/// Processor seconds of this process, which holds the server.
fn processor_s() -> f64 {
    let stat = std::fs::read_to_string("/proc/self/stat").unwrap_or_default();
    let fields: Vec<&str> = stat.rsplit(')').next().unwrap_or("").split_whitespace().collect();
    let ticks = |i: usize| fields.get(i).and_then(|v| v.parse::<f64>().ok()).unwrap_or(0.0);
    (ticks(11) + ticks(12)) / 100.0
}

/// Memory of the page's own process in MB, shared parts counted by share.
fn page_mb() -> f64 {
    let of = |pid: &str| -> Option<f64> {
        let line = std::fs::read_to_string(format!("/proc/{pid}/cmdline")).ok()?;
        if !line.contains("--type=renderer") {
            return None;
        }
        let rollup = std::fs::read_to_string(format!("/proc/{pid}/smaps_rollup")).ok()?;
        let pss = rollup.lines().find(|l| l.starts_with("Pss:"))?;
        pss.split_whitespace().nth(1)?.parse::<f64>().ok().map(|k| k / 1_024.0)
    };
    let all = std::fs::read_dir("/proc").into_iter().flatten().flatten();
    all.filter_map(|e| of(&e.file_name().to_string_lossy())).fold(0.0, f64::max)
}

#[actix_web::test]
#[ignore = "prints times; make bench runs it"]
async fn sixty_lanes_of_an_hour() {
    // Made before the server is asked anything: an idle connection would be closed meanwhile.
    let bytes = hour();
    let server = TestServer::start().await;
    let session = many(&server, bytes).await;
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("{}/sessions/{session}/recordings", server.base)).await.expect("the page");
    b.find("[data-track='Mic 60']").await;
    b.click("nav a[href$='/check']").await;
    b.find("[data-test=lanes-fold]").await;
    // From the key to waveforms in every lane in view.
    let first = "const done=arguments[arguments.length-1]; const t=performance.now(); document.querySelector('[data-test=lanes-fold]').click(); const look=()=>{ const c=document.querySelector('[data-test=sea]'); if(c&&c.width>0){ const d=c.getContext('2d').getImageData(0,22,c.width,c.height-22).data; let rows=0; for(let y=0;y<c.height-22;y++){ let n=0; for(let x=0;x<c.width;x+=3) if(d[(y*c.width+x)*4+3]>60) n++; if(n>c.width/12) rows++ } if(rows>(c.height-22)*0.3) return done(performance.now()-t) } requestAnimationFrame(look) }; look()";
    let ms = b.page.execute_async(first, vec![]).await.expect("a time").as_f64().unwrap_or(f64::NAN);
    println!("| page: {LANES} lanes × 1 h, first picture once the overviews exist | {ms:.0} ms | ≤ 1000 ms |");
    b.page.goto(&format!("{}/sessions/{session}/align", server.base)).await.expect("the page");
    b.click("[data-test=all-lanes]").await;
    b.until("all lanes", &format!("return document.querySelectorAll('[data-lane]').length === {LANES}")).await;
    // What is measured by itself would run beside: a check of so much takes minutes, and is not what is looked at here.
    // The page asks for one thing after the other, so it is looked again until nothing was asked for a while.
    let mut quiet = 0;
    while quiet < 20 {
        tokio::time::sleep(Duration::from_millis(100)).await;
        let (_, jobs) = server.get(&format!("/api/sessions/{session}/jobs")).await;
        let jobs = jobs.as_array().cloned().unwrap_or_default();
        let open = |j: &&serde_json::Value| ["queued", "running"].contains(&j["state"].as_str().unwrap_or(""));
        quiet = if jobs.iter().any(|j| open(&j)) { 0 } else { quiet + 1 };
        for job in jobs.iter().filter(open) {
            let path = format!("/api/jobs/{}/cancel", job["id"].as_str().expect("an id"));
            server.post(&path, serde_json::json!({})).await;
        }
    }
    b.key("\u{e011}").await;
    paints(&b, &format!("{LANES} lanes × 1 h")).await;
    let long: u64 = std::env::var("MAREA_BENCH_PLAY_S").ok().and_then(|s| s.parse().ok()).unwrap_or(600);
    b.click("[data-test=scope-pair]").await;
    b.click("[data-test=play]").await;
    b.until("sound", "return Number(document.querySelector('[data-test=listen-bar]').dataset.frame) > 48000").await;
    // The cursor against the sound's own clock, ten times a second.
    b.js("const d=document.querySelector('[data-test=listen-bar]').dataset; window.__off=[]; window.__look=setInterval(()=>window.__off.push(Number(d.frame)/48-Number(d.soundS)*1000),100)").await;
    let (began, before, stalls) = (Instant::now(), processor_s(), Stalls::watch());
    tokio::time::sleep(Duration::from_secs(long)).await;
    let busy = 100.0 * (processor_s() - before) / began.elapsed().as_secs_f64();
    let off = b.js("clearInterval(window.__look); return window.__off").await;
    let mut off: Vec<f64> = off.as_array().expect("times").iter().filter_map(serde_json::Value::as_f64).collect();
    // A reading is taken when a message comes through: drift is what the median of ten seconds does.
    let median = |x: &mut [f64]| {
        x.sort_by(f64::total_cmp);
        x.get(x.len() / 2).copied().unwrap_or(f64::NAN)
    };
    let tens: Vec<f64> = off.chunks_mut(100).filter(|c| c.len() > 50).map(median).collect();
    let spread = tens.iter().copied().fold(f64::MIN, f64::max) - tens.iter().copied().fold(f64::MAX, f64::min);
    let gaps = b.js("return document.querySelector('[data-test=listen-bar]').dataset.gaps").await;
    println!(
        "| page: {long} s of a pair of them with meters, cursor against the sound's clock | {spread:.1} ms; {gaps} gaps; {} | ≤ 20 ms, 0 |",
        stalls.told()
    );
    println!("| server: processor while a pair plays with meters | {busy:.1} % of one core | ≤ 10 % |");
    b.click("[data-test=scope-session]").await;
    let before = (Instant::now(), processor_s());
    tokio::time::sleep(Duration::from_secs(10)).await;
    let busy = 100.0 * (processor_s() - before.1) / before.0.elapsed().as_secs_f64();
    println!("| server: processor while all {LANES} tracks play | {busy:.1} % of one core | |");
    let gaps = b.js("return document.querySelector('[data-test=listen-bar]').dataset.gaps").await;
    println!("| page: gaps after that | {gaps} | 0 |");
    println!("| page: memory of its process with {LANES} lanes × 1 h | {:.0} MB | ≤ 300 MB |", page_mb());
    b.close().await;
}
