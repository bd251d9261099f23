//! kill -9 in the middle of things: nothing lost, no half file.

use super::api::walk;
use crate::common::*;
use serde_json::{Value, json};
use std::time::{Duration, Instant};

pub async fn get(base: &str, path: &str) -> Value {
    reqwest::get(format!("{base}{path}")).await.expect("an answer").json().await.unwrap_or(Value::Null)
}

pub async fn until(what: &str, mut check: impl AsyncFnMut() -> bool) {
    let began = Instant::now();
    while !check().await {
        assert!(began.elapsed() < Duration::from_secs(MOST_S), "waited in vain: {what}");
        tokio::time::sleep(Duration::from_millis(10)).await;
    }
}

pub async fn ready(base: &str) {
    until("the server answers", async || reqwest::get(format!("{base}/api/health")).await.is_ok()).await;
}

pub async fn post(base: &str, path: &str, body: Value) -> Value {
    reqwest::Client::new()
        .post(format!("{base}{path}"))
        .json(&body)
        .send()
        .await
        .expect("an answer")
        .json()
        .await
        .unwrap_or(Value::Null)
}

pub async fn ended(base: &str, session: &str, kind: &str) -> Vec<Value> {
    let mut found = Vec::new();
    until("jobs end", async || {
        let jobs = get(base, &format!("/api/sessions/{session}/jobs")).await;
        found = jobs.as_array().cloned().unwrap_or_default();
        found.retain(|j| j["kind"] == kind);
        !found.is_empty() && found.iter().all(|j| !["queued", "running"].contains(&j["state"].as_str().unwrap()))
    })
    .await;
    found
}

pub async fn upload(base: &str, session: &str, name: &str, bytes: Vec<u8>) {
    let part = reqwest::multipart::Part::bytes(bytes).file_name(name.to_string());
    let form = reqwest::multipart::Form::new().part("file", part);
    let r = reqwest::Client::new()
        .post(format!("{base}/api/sessions/{session}/recordings"))
        .multipart(form)
        .send()
        .await
        .unwrap();
    assert_eq!(r.status(), 202);
}

#[actix_web::test]
async fn killed_during_import_and_during_export() {
    let (url, store) = (database().await, tempfile::tempdir().unwrap());
    let first = Process::start(&url, store.path());
    ready(&first.base).await;
    let session =
        post(&first.base, "/api/sessions", json!({ "name": "Crash" })).await["id"].as_str().unwrap().to_string();
    // Another rate than the session's: reading it takes a while.
    upload(&first.base, &session, "quick.wav", wav(&[hits(100_000, 1)], 48_000, None)).await;
    ended(&first.base, &session, "import").await;
    let slow = hits(9_600_000, 2);
    upload(&first.base, &session, "slow.wav", wav(std::slice::from_ref(&slow), 44_100, None)).await;
    let base = first.base.clone();
    until("the import is at work", async || {
        !walk(&store.path().join("parts")).is_empty()
            || get(&base, &format!("/api/sessions/{session}/jobs")).await.to_string().contains("\"running\"")
    })
    .await;
    first.kill();

    let second = Process::start(&url, store.path());
    ready(&second.base).await;
    let jobs = ended(&second.base, &session, "import").await;
    assert!(jobs.iter().all(|j| j["state"] == "done"), "{jobs:?}");
    let tracks = get(&second.base, &format!("/api/sessions/{session}")).await["tracks"].clone();
    assert_eq!(tracks.as_array().unwrap().len(), 2);
    // 9 600 000 frames at 44.1 kHz are 10 448 980 at 48 kHz (arithmetic, rounded up).
    assert_eq!(tracks[1]["frames"], 10_448_980);

    // How far it is, is told five times a second: what is seen at work may have ended before the kill. Then it is whole, and the
    // next one is tried.
    let (mut server, mut interrupted) = (second, None);
    for _ in 0..20 {
        let options = json!({ "depth": "int24", "start": "session" });
        let job = post(&server.base, &format!("/api/sessions/{session}/deliveries"), options).await;
        let job = job.as_str().unwrap().to_string();
        let base = server.base.clone();
        until("the export is at work", async || {
            let jobs = get(&base, &format!("/api/sessions/{session}/jobs")).await;
            let own = jobs.as_array().unwrap().iter().find(|j| j["id"] == job.as_str()).cloned().unwrap_or_default();
            own["state"] == "done" || own["doing"].to_string().contains("writing")
        })
        .await;
        server.kill();
        let folder = store.path().join("deliveries").join(&job);
        let there = folder.exists();
        if there {
            whole(&folder);
        }
        server = Process::start(&url, store.path());
        ready(&server.base).await;
        if !there {
            interrupted = Some(folder);
            break;
        }
    }
    let folder = interrupted.expect("one of twenty deliveries was interrupted");
    let jobs = ended(&server.base, &session, "deliver").await;
    assert!(jobs.iter().all(|j| j["state"] == "done"), "{jobs:?}");
    whole(&folder);
}

/// Both files of the delivery are there and read to their end.
fn whole(folder: &std::path::Path) {
    for file in ["quick.wav", "slow.wav"] {
        let (info, planes) = marea_media::read_all(&folder.join(file)).unwrap();
        assert_eq!((planes[0].len(), info.notes.len()), (10_448_980, 0), "{file}");
    }
}

#[actix_web::test]
async fn ends_in_order_when_told() {
    let (url, store) = (database().await, tempfile::tempdir().unwrap());
    let mut p = Process::start(&url, store.path());
    ready(&p.base).await;
    let session = post(&p.base, "/api/sessions", json!({ "name": "End" })).await["id"].as_str().unwrap().to_string();
    // An open stream of events must not hold it.
    let open = reqwest::get(format!("{}/api/sessions/{session}/events", p.base)).await.unwrap();
    assert!(std::process::Command::new("kill").arg(p.child.id().to_string()).status().unwrap().success());
    let began = Instant::now();
    let status = loop {
        if let Some(status) = p.child.try_wait().unwrap() {
            break status;
        }
        assert!(began.elapsed() < Duration::from_secs(MOST_S), "it does not end");
        tokio::time::sleep(Duration::from_millis(50)).await;
    };
    assert!(status.success(), "{status}");
    drop(open);
}
