//! The page in a real browser, 1280×800: the whole way of an engineer, and what the page may not do.

#[path = "../common/browser.rs"]
mod browser;
#[path = "../common/mod.rs"]
mod common;

mod all_the_way;
mod bringing;
mod check;
mod clocks;
mod hands;
mod lanes;
mod latency;
mod listening;
mod made;
mod page;
mod passages;
mod prints;
mod rendered;
mod stereo;
mod tempo;
mod timing;

use browser::Browser;
use common::*;
use std::time::Duration;
use tokio::sync::{Semaphore, SemaphorePermit};

/// Three browsers at a time, as most of a test is waiting; one alone where sound must not break off. `scripts/suite.sh` has as many threads.
const AT_ONCE: u32 = 3;
static TURNS: Semaphore = Semaphore::const_new(AT_ONCE as usize);

/// A turn beside another test.
async fn beside() -> SemaphorePermit<'static> {
    TURNS.acquire().await.expect("never closed")
}

/// A turn with no other browser beside.
async fn alone() -> SemaphorePermit<'static> {
    TURNS.acquire_many(AT_ONCE).await.expect("never closed")
}

async fn new_session(b: &Browser, s: &TestServer, name: &str) {
    b.page.goto(&s.base).await.expect("the page");
    b.find("[data-test=new-name] input, input[data-test=new-name]").await.send_keys(name).await.expect("typed");
    b.click("[data-test=create]").await;
    b.find("[data-test=files]").await;
}

fn put(folder: &std::path::Path, name: &str, bytes: Vec<u8>) -> String {
    let path = folder.join(name);
    std::fs::write(&path, bytes).expect("written");
    path.display().to_string()
}

async fn bring_in(b: &Browser, paths: &[String]) {
    b.find("[data-test=files]").await.send_keys(&paths.join("\n")).await.expect("chosen");
}

/// With so much of the time spent waiting for a processor a machine is busy with something else, and sound may break off.
const BUSY: f64 = 0.6;

/// The sound never broke off; only where the machine itself stood still longer than what is kept ahead, or had no time to give,
/// may it have.
async fn unbroken(b: &Browser, stalls: &Stalls) {
    let gaps = b.js("return Number(document.querySelector('[data-test=listen-bar]').dataset.gaps)").await;
    println!("{gaps} gaps; {}", stalls.told());
    assert!(gaps == 0 || stalls.sum().0 > 0 || stalls.pressure() > BUSY, "{gaps} gaps, and {}", stalls.told());
}

/// Lets the sound go round, so that a test never plays past the end, however slow the machine is.
async fn round(b: &Browser, s: &TestServer, session: &str, frames: usize) {
    let range = serde_json::json!({ "range": { "from": 0, "to": frames, "on": true, "pre_roll_s": 0.0 } });
    s.patch(&format!("/api/sessions/{session}/desk"), range).await;
    b.until("a loop", "return document.querySelector('[data-test=loop]').getAttribute('aria-pressed') === 'true'")
        .await;
}

/// The only session of a server.
async fn only_session(s: &TestServer) -> String {
    s.get("/api/sessions").await.1[0]["id"].as_str().expect("a session").to_string()
}

/// A server with the demo session, once all of it is in and checked.
async fn demo() -> (TestServer, String) {
    let s = with_demo_checked().await;
    let session = only_session(&s).await;
    (s, session)
}
