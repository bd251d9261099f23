//! Decisions while checks run: whatever the order in which they meet, the check that fits the session comes.

use crate::common::*;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde_json::json;
use std::time::Duration;

/// How often decisions race against checks. `make races` does it 200 times.
fn times() -> u64 {
    std::env::var("MAREA_RACES").ok().and_then(|t| t.parse().ok()).unwrap_or(8)
}

/// Waits for the check that fits the session as it is; its number of sources.
async fn sources(s: &TestServer, session: &str, what: &str) -> usize {
    let mut found = 0;
    s.until(what, async |s| {
        let (status, check) = s.get(&format!("/api/sessions/{session}/check")).await;
        found = check["sources"].as_array().map_or(0, Vec::len);
        status == 200 && check["stale"] == false
    })
    .await;
    found
}

#[actix_web::test]
async fn a_check_that_was_overtaken_comes_again() {
    let s = TestServer::start().await;
    let (session, tracks) = trio(&s).await;
    let at = |what: &str| format!("/api/sessions/{session}/{what}");
    let call = async |role: &str| {
        let change = json!({ "label": "x", "changes": [{ "track_id": tracks[0]["id"], "after": { "role": role } }] });
        assert_eq!(s.post(&at("decisions"), change).await.0, 201);
    };
    call("room").await;
    let as_room = sources(&s, &session, "the first check").await;
    let mut rng = ChaCha8Rng::seed_from_u64(std::process::id().into());
    for time in 0..times() {
        // Taken back, and before that check can end something else is wanted; taken back as well, at any moment of its work.
        let mut pause = || Duration::from_millis(rng.random_range(0..300) * rng.random_range(0..2));
        call("near").await;
        tokio::time::sleep(pause()).await;
        call("main").await;
        tokio::time::sleep(pause()).await;
        s.post(&at("undo"), json!({})).await;
        assert_eq!(sources(&s, &session, "a near one").await, as_room + 1, "time {time}");
        s.post(&at("undo"), json!({})).await;
        assert_eq!(sources(&s, &session, "a room").await, as_room, "time {time}");
    }
    // What took the place of another is no failure and nobody's wish to end it.
    let (_, jobs) = s.get(&at("jobs")).await;
    assert!(jobs.as_array().unwrap().iter().all(|j| j["state"] != "failed"), "{jobs}");
}
