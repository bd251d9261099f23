//! Files that come in pieces: by the tus protocol (tus.io, resumable uploads 1.0.0).

use super::crash::{ended, get, post, ready};
use crate::common::*;
use base64::Engine;
use reqwest::{Method, Response};
use serde_json::{Value, json};

const TUS: (&str, &str) = ("Tus-Resumable", "1.0.0");

async fn announce(base: &str, session: &str, name: &str, bytes: usize) -> Response {
    let name = base64::engine::general_purpose::STANDARD.encode(name);
    reqwest::Client::new()
        .post(format!("{base}/api/sessions/{session}/uploads"))
        .header(TUS.0, TUS.1)
        .header("Upload-Length", bytes)
        .header("Upload-Metadata", format!("filename {name}"))
        .send()
        .await
        .unwrap()
}

async fn place(base: &str, session: &str, name: &str, bytes: usize) -> String {
    let r = announce(base, session, name, bytes).await;
    assert_eq!(r.status(), 201);
    r.headers()["location"].to_str().unwrap().to_string()
}

async fn send(base: &str, place: &str, offset: usize, bytes: &[u8]) -> Response {
    reqwest::Client::new()
        .patch(format!("{base}{place}"))
        .header(TUS.0, TUS.1)
        .header("Content-Type", "application/offset+octet-stream")
        .header("Upload-Offset", offset)
        .body(bytes.to_vec())
        .send()
        .await
        .unwrap()
}

/// Where it stands by HEAD; none when nobody knows of it.
async fn offset(base: &str, place: &str) -> Option<usize> {
    let r = reqwest::Client::new()
        .request(Method::HEAD, format!("{base}{place}"))
        .header(TUS.0, TUS.1)
        .send()
        .await
        .unwrap();
    r.headers().get("upload-offset").map(|v| v.to_str().unwrap().parse().unwrap())
}

#[actix_web::test]
async fn a_file_goes_on_where_it_stopped_also_after_a_kill() {
    let (url, store) = (database().await, tempfile::tempdir().unwrap());
    let first = Process::start(&url, store.path());
    ready(&first.base).await;
    let session =
        post(&first.base, "/api/sessions", json!({ "name": "Pieces" })).await["id"].as_str().unwrap().to_string();
    let x = hits(300_000, 1);
    let bytes = wav(std::slice::from_ref(&x), 48_000, None);
    let at = place(&first.base, &session, "Cajón é.wav", bytes.len()).await;
    assert_eq!(send(&first.base, &at, 0, &bytes[..100_000]).await.headers()["upload-offset"], "100000");
    assert_eq!(send(&first.base, &at, 50, &bytes[50..]).await.status(), 409, "not from the middle of what is here");
    // The line breaks: promised everything, sent a part.
    {
        use std::io::Write;
        let address = first.base.trim_start_matches("http://");
        let mut line = std::net::TcpStream::connect(address).unwrap();
        write!(line, "PATCH {at} HTTP/1.1\r\nHost: {address}\r\nTus-Resumable: 1.0.0\r\nContent-Type: application/offset+octet-stream\r\nUpload-Offset: 100000\r\nContent-Length: {}\r\n\r\n", bytes.len() - 100_000).unwrap();
        line.write_all(&bytes[100_000..300_000]).unwrap();
        line.flush().unwrap();
        super::crash::until("a part of it is here", async || offset(&first.base, &at).await.unwrap() > 100_000).await;
    }
    // What the server has not read of a line when it breaks is lost; what it has read stays.
    tokio::time::sleep(std::time::Duration::from_millis(300)).await;
    let here = offset(&first.base, &at).await.unwrap();
    assert!((100_001..=300_000).contains(&here), "{here}");
    first.kill();
    let second = Process::start(&url, store.path());
    ready(&second.base).await;
    assert_eq!(offset(&second.base, &at).await, Some(here));
    let detail = get(&second.base, &format!("/api/sessions/{session}")).await;
    assert_eq!(
        (&detail["uploads"][0]["file_name"], &detail["uploads"][0]["received"]),
        (&json!("Cajón é.wav"), &json!(here))
    );
    let done = loop {
        // A line that was lost may still be read from for a moment.
        let r = send(&second.base, &at, here, &bytes[here..]).await;
        if r.status() != 409 {
            break r;
        }
    };
    assert_eq!(done.status(), 204);
    let job = done.headers()["upload-job"].to_str().unwrap().to_string();
    let jobs = ended(&second.base, &session, "import").await;
    assert_eq!((&jobs[0]["id"], &jobs[0]["state"]), (&json!(job), &json!("done")), "{jobs:?}");
    let detail = get(&second.base, &format!("/api/sessions/{session}")).await;
    assert_eq!((&detail["tracks"][0]["frames"], &detail["uploads"]), (&json!(300_000), &json!([])));
    assert_eq!(offset(&second.base, &at).await, None, "it is a recording now");
    let sha = detail["tracks"][0]["recording"].as_str().unwrap();
    assert_eq!(std::fs::read(store.path().join("recordings").join(&sha[..2]).join(sha)).unwrap(), bytes, "bit for bit");
}

#[actix_web::test]
async fn the_check_waits_for_what_is_announced() {
    let s = TestServer::start().await;
    let session = s.session("Waiting").await;
    let bytes: Vec<Vec<u8>> = (0..2).map(|n| wav(&[hits(200_000, n)], 48_000, None)).collect();
    let mut places = Vec::new();
    for (n, b) in bytes.iter().enumerate() {
        places.push(place(&s.base, &session, &format!("{n}.wav"), b.len()).await);
    }
    assert_eq!(send(&s.base, &places[0], 0, &bytes[0]).await.status(), 204);
    s.settled(&session).await;
    let checks = async || {
        let (_, jobs) = s.get(&format!("/api/sessions/{session}/jobs")).await;
        jobs.as_array().unwrap().iter().filter(|j| j["kind"] == "check").count()
    };
    s.post(&format!("/api/sessions/{session}/undo"), json!({})).await;
    assert_eq!((s.tracks(&session).await.len(), checks().await), (1, 0), "one is here, one is waited for");
    // Given up, the check goes on without it.
    let r = s.http.delete(format!("{}{}", s.base, places[1])).header(TUS.0, TUS.1).send().await.unwrap();
    assert_eq!(r.status(), 204);
    s.until("the check", async |s| s.get(&format!("/api/sessions/{session}/check")).await.1["stale"] == false).await;
    assert!(super::api::walk(&s.store.path().join("uploads")).is_empty());
}

#[actix_web::test]
async fn what_cannot_come_is_refused_before_it_is_sent() {
    let s = TestServer::with(|x| x.max_upload_bytes = 1_000_000).await;
    let session = s.session("Refused").await;
    for (name, bytes, word) in [("empty.wav", 0, "“empty.wav” is empty"), ("big.wav", 2_000_000, "“big.wav” is larger")]
    {
        let r = announce(&s.base, &session, name, bytes).await;
        assert_eq!(r.status(), 422);
        let said: Value = r.json().await.unwrap();
        assert!(said["message"].as_str().unwrap().starts_with(word), "{said}");
    }
    let at = place(&s.base, &session, "short.wav", 100).await;
    let r = send(&s.base, &at, 0, &[7; 200]).await;
    assert_eq!(r.status(), 422, "more than was announced");
    let full = TestServer::with(|x| x.keep_free_bytes = u64::MAX / 2).await;
    let session = full.session("Full").await;
    let r = announce(&full.base, &session, "x.wav", 100).await;
    assert_eq!(r.status(), 507);
    assert!(r.text().await.unwrap().contains("“x.wav” was not kept"));
    assert!(super::api::walk(full.store.path()).is_empty());
}
