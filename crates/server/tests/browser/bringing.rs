//! Bringing files in: every file has its row and its word, leaving is warned of, what stopped goes on.

use super::*;
use serde_json::json;

async fn slow_line(b: &Browser, bytes_a_second: i64) {
    let limits =
        json!({ "offline": false, "latency": 0, "downloadThroughput": -1, "uploadThroughput": bytes_a_second });
    b.cdp("Network.enable", json!({})).await;
    b.cdp("Network.emulateNetworkConditions", limits).await;
}

const LEAVES: &str =
    "const e = new Event('beforeunload', { cancelable: true }); window.dispatchEvent(e); return !e.defaultPrevented";

#[actix_web::test]
async fn a_page_that_was_left_goes_on_where_it_stopped() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::watched(1280, 800).await);
    let folder = tempfile::tempdir().expect("a folder");
    new_session(&b, &s, "Left").await;
    let files: Vec<String> =
        (0..5).map(|n| put(folder.path(), &format!("Mic {n}.wav"), wav(&[hits(400_000, n)], 48_000, None))).collect();
    assert_eq!(b.js(LEAVES).await, true);
    slow_line(&b, 250_000).await;
    bring_in(&b, &files).await;
    let session = b.page.current_url().await.unwrap().path().split('/').nth(2).unwrap().to_string();
    let detail = async || s.get(&format!("/api/sessions/{session}")).await.1;
    let received = |d: &serde_json::Value| -> u64 {
        d["uploads"].as_array().unwrap().iter().map(|u| u["received"].as_u64().unwrap()).sum()
    };
    s.until("all are announced and some bytes are here", async |_| {
        let d = detail().await;
        d["uploads"].as_array().unwrap().len() == 5 && received(&d) > 150_000
    })
    .await;
    assert_eq!(b.js(LEAVES).await, false, "leaving is warned of");
    // Progress is told on every page of the session, and the check waits.
    b.click("nav a[href*='/check']").await;
    b.until("progress", "return document.querySelector('[data-test=jobs]')?.innerText.includes('of 5 files')").await;
    b.until("the check waits", "return /[1-5] are on their way/.test(document.body.innerText)").await;
    // Gone all the same: what was announced is known, and is not sent twice.
    b.js("window.onbeforeunload = null; window.addEventListener('beforeunload', (e) => e.stopImmediatePropagation(), true)").await;
    b.leave().await;
    let left = detail().await;
    assert!(received(&left) > 0, "{left}");
    slow_line(&b, -1).await;
    b.page.goto(&format!("{}/sessions/{session}/recordings", s.base)).await.expect("the page");
    b.until(
        "what is missing is told",
        "return document.querySelector('[data-test=jobs]')?.innerText.includes('did not arrive')",
    )
    .await;
    b.cdp("Network.setBlockedURLs", json!({ "urls": [] })).await;
    // Counted as late as can be: what was on the line when the page went away may still have come in.
    let missing = detail().await["uploads"].as_array().unwrap().len();
    assert!(missing > 0, "nothing is left to be brought in again");
    bring_in(&b, &files).await;
    s.until("all are in", async |_| detail().await["tracks"].as_array().unwrap().len() == 5).await;
    assert_eq!(detail().await["uploads"], json!([]));
    let asked = b.requested().await;
    let announced = asked.iter().filter(|u| u.ends_with("/uploads")).count();
    // Those that had not arrived go on where they stopped; a file that had is brought in anew, and known.
    assert_eq!(announced, 5 + (5 - missing), "nothing is announced twice");
    b.until("the rows say so", "const t = [...document.querySelectorAll('[data-test=told]')].map(e => e.innerText); return t.length === 5 && t.every(x => x === 'in the session' || x.includes('same sound'))").await;
    b.close().await;
}

#[actix_web::test]
async fn a_server_that_is_restarted_is_waited_for() {
    let _turn = beside().await;
    let (url, store) = (database().await, tempfile::tempdir().unwrap());
    let first = Process::start(&url, store.path());
    let port = first.base.rsplit_once(':').unwrap().1.to_string();
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    b.page.goto(&first.base).await.expect("the page");
    b.find("[data-test=new-name] input, input[data-test=new-name]").await.send_keys("Restart").await.expect("typed");
    b.click("[data-test=create]").await;
    b.find("[data-test=files]").await;
    let bytes = wav(&[hits(600_000, 1)], 48_000, None);
    slow_line(&b, 400_000).await;
    bring_in(&b, &[put(folder.path(), "Long.wav", bytes.clone())]).await;
    b.until("on its way", "return Number(document.querySelector('[data-upload] .el-progress')?.getAttribute('aria-valuenow') ?? document.querySelector('[data-upload] [role=progressbar]')?.getAttribute('aria-valuenow')) > 15").await;
    first.kill();
    b.until(
        "it says so",
        "return document.querySelector('[data-test=jobs]')?.innerText.includes('go on by themselves')",
    )
    .await;
    let second = Process::at(&url, store.path(), &port);
    slow_line(&b, -1).await;
    b.find("[data-track='Long']").await;
    let session = b.page.current_url().await.unwrap().path().split('/').nth(2).unwrap().to_string();
    let detail: serde_json::Value =
        reqwest::get(format!("{}/api/sessions/{session}", second.base)).await.unwrap().json().await.unwrap();
    let sha = detail["tracks"][0]["recording"].as_str().unwrap();
    assert_eq!(std::fs::read(store.path().join("recordings").join(&sha[..2]).join(sha)).unwrap(), bytes);
    b.close().await;
}

#[actix_web::test]
async fn files_dropped_anywhere_are_taken_and_refusals_stand_in_their_row() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    b.page.goto(&s.base).await.expect("the page");
    b.find("[data-test=create]").await;
    // On the first page they make a session.
    let drop = "const d = new DataTransfer(); for (const [n, t] of [['letter.wav', 'dear engineer, no sound here'], ['empty.wav', '']]) d.items.add(new File([t], n)); document.body.dispatchEvent(new DragEvent('dragover', { dataTransfer: d, bubbles: true, cancelable: true })); document.body.dispatchEvent(new DragEvent('drop', { dataTransfer: d, bubbles: true, cancelable: true }))";
    b.js(drop).await;
    b.find("[data-test=files]").await;
    b.until("a session", "return document.querySelector('h1.session')?.innerText.startsWith('Session of')").await;
    for (file, words) in [("letter.wav", "is not a recording"), ("empty.wav", "is empty")] {
        let row = format!(
            "return document.querySelector(\"[data-upload='{file}'] [data-test=told]\")?.innerText.includes('{words}')"
        );
        b.until(&format!("{file} says why"), &row).await;
    }
    // In a session they are taken in every view; a job that failed can be tried again.
    b.click("nav a[href*='/deliver']").await;
    b.js(drop).await;
    b.until("tried again", "const e = document.querySelector('[data-test=retry]'); e?.click(); return e !== null")
        .await;
    b.until(
        "it says why once more",
        "return document.querySelector('[data-test=jobs]')?.innerText.includes('letter.wav')",
    )
    .await;
    b.close().await;
}
