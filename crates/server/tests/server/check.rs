//! The whole-session check through the server: it comes by itself, findings are accepted, put aside and taken back.

use crate::common::ensemble as demo;
use crate::common::*;
use serde_json::{Value, json};

/// Waits until there is a check that fits the session as it is.
async fn checked(s: &TestServer, session: &str) -> Value {
    let path = format!("/api/sessions/{session}/check");
    // The very answer that fits: another one might be asked for a moment later.
    let mut fits = Value::Null;
    s.until("a check", async |s| {
        let (status, body) = s.get(&path).await;
        fits = body;
        status == 200 && fits["stale"] == false
    })
    .await;
    fits
}

fn of<'a>(check: &'a Value, kind: &str) -> Vec<&'a Value> {
    check["findings"].as_array().unwrap().iter().filter(|f| f["finding"]["kind"] == kind).collect()
}

fn standing(check: &Value, kind: &str) -> Vec<String> {
    of(check, kind).iter().map(|f| f["standing"].as_str().unwrap().to_string()).collect()
}

#[actix_web::test]
async fn findings_are_accepted_put_aside_and_taken_back() {
    let (s, session) = demo().await;
    let at = |what: &str| format!("/api/sessions/{session}/{what}");
    let check = checked(&s, &session).await;
    assert_eq!((check["tracks"].as_array().unwrap().len(), check["sources"].as_array().unwrap().len()), (11, 5));
    let drum = of(&check, "wired-inverted")[0].clone();
    assert_eq!(drum["finding"]["verdict"], "solid");
    assert!(drum["finding"]["effects"].as_array().unwrap().len() > 1, "effects are told before anything is accepted");
    // Accepted: agreed as corrected, a decision of the history, taken back by undo.
    let key = drum["key"].as_str().unwrap();
    let (status, made) = s.post(&at("check/accept"), json!({ "keys": [key] })).await;
    assert_eq!(status, 201);
    assert!(made["label"].as_str().unwrap().starts_with("Accepted: Frame drum is wired"), "{}", made["label"]);
    assert_eq!(standing(&checked(&s, &session).await, "wired-inverted"), ["agreed"]);
    let (status, refused) = s.post(&at("check/accept"), json!({ "keys": [key] })).await;
    assert_eq!(status, 409, "{refused}");
    s.post(&at("undo"), json!({})).await;
    assert_eq!(standing(&checked(&s, &session).await, "wired-inverted"), ["open"]);
    // Put aside with a reason only.
    let (status, _) = s.post(&at("check/dismiss"), json!({ "key": key, "reason": " " })).await;
    assert_eq!(status, 422);
    let (status, _) = s.post(&at("check/dismiss"), json!({ "key": key, "reason": "the player wants it so" })).await;
    assert_eq!(status, 201);
    let check = checked(&s, &session).await;
    assert_eq!(standing(&check, "wired-inverted"), ["dismissed"]);
    assert_eq!(of(&check, "wired-inverted")[0]["note"], "the player wants it so");
    s.post(&at("undo"), json!({})).await;
    assert_eq!(standing(&checked(&s, &session).await, "wired-inverted"), ["open"]);
    // All solid ones at once are one decision.
    let check = checked(&s, &session).await;
    let solid: Vec<&Value> = check["findings"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|f| f["finding"]["verdict"] == "solid" && !f["finding"]["changes"].as_array().unwrap().is_empty())
        .map(|f| &f["key"])
        .collect();
    assert!(solid.len() >= 2);
    s.post(&at("check/accept"), json!({ "keys": solid })).await;
    let check = checked(&s, &session).await;
    for kind in ["wired-inverted", "opposed-by-placement"] {
        assert_eq!(standing(&check, kind), ["agreed"], "{kind}");
    }
    // Of two pairs that contradict each other nobody can know which is swapped. The answer is a decision; then it is told.
    let asked = of(&check, "pairs-contradict")[0];
    let answers = asked["finding"]["question"]["answers"].as_array().unwrap();
    let hall = answers.iter().position(|a| a["then"].as_str().unwrap().contains("Hall pair")).unwrap();
    let (status, _) = s.post(&at("check/accept"), json!({ "answer": { "key": asked["key"], "answer": 7 } })).await;
    assert_eq!(status, 409, "no such answer");
    let (status, made) =
        s.post(&at("check/accept"), json!({ "answer": { "key": asked["key"], "answer": hall } })).await;
    assert_eq!(status, 201, "{made}");
    assert!(made["label"].as_str().unwrap().starts_with("Answered: Where does "), "{made}");
    let check = checked(&s, &session).await;
    assert_eq!(
        (standing(&check, "pairs-contradict"), standing(&check, "pair-swapped")),
        (vec![], vec!["open".to_string()])
    );
    let swapped = of(&check, "pair-swapped")[0]["key"].clone();
    assert_eq!(s.post(&at("check/accept"), json!({ "keys": [swapped] })).await.0, 201);
    assert_eq!(standing(&checked(&s, &session).await, "pair-swapped"), ["agreed"]);
    for _ in 0..3 {
        s.post(&at("undo"), json!({})).await;
    }
    assert_eq!(standing(&checked(&s, &session).await, "pairs-contradict"), ["open"]);
    // Advised places can be taken over as well.
    let advised = &check["tracks"][3];
    assert_eq!(s.post(&at("check/accept"), json!({ "advice": [advised] })).await.0, 201);
    let back = s.tracks(&session).await[3]["correction"].clone();
    assert!(back["invert"] == true && (back["offset_frames"].as_f64().unwrap() + 7.4).abs() < 0.5, "{back}");
}

#[actix_web::test]
async fn the_check_follows_what_it_depends_on() {
    let (s, session) = demo().await;
    let at = |what: &str| format!("/api/sessions/{session}/{what}");
    let tracks = s.tracks(&session).await;
    let id = |name: &str| tracks.iter().find(|t| t["name"] == name).unwrap()["id"].clone();
    let decide = async |name: &str, after: Value| {
        s.post(&at("decisions"), json!({ "label": "x", "changes": [{ "track_id": id(name), "after": after }] })).await
    };
    // A near microphone that is called a room has no source of its own any more.
    decide("Frame drum", json!({ "role": "room" })).await;
    s.until("four sources", async |s| {
        let (_, c) = s.get(&at("check")).await;
        c["stale"] == false && c["sources"].as_array().is_some_and(|a| a.len() == 4)
    })
    .await;
    s.post(&at("undo"), json!({})).await;
    s.until("five sources", async |s| {
        let (_, c) = s.get(&at("check")).await;
        c["stale"] == false && c["sources"].as_array().is_some_and(|a| a.len() == 5)
    })
    .await;
    // Policy needs no measuring: the advice follows at once.
    decide("Cajón back", json!({ "policy": "leave" })).await;
    let (_, c) = s.get(&at("check")).await;
    assert_eq!((&c["stale"], &c["advice"][3]["offset_frames"]), (&json!(false), &json!(0.0)));
    assert_eq!(decide("Cajón back", json!({ "policy": "sideways" })).await.0, 422);
    // A hit removed by hand is gone after the check.
    let row = c["table"]["rows"].as_array().unwrap().iter().find(|r| r["home"] == 0).unwrap().clone();
    let hit = row["hits"][0].as_i64().unwrap();
    decide("Marimba low", json!({ "hits": { "added": [], "removed": [hit] } })).await;
    let c = checked(&s, &session).await;
    let row = c["table"]["rows"].as_array().unwrap().iter().find(|r| r["home"] == 0).unwrap().clone();
    assert!(!row["hits"].as_array().unwrap().contains(&json!(hit)));
    // A cancelled check is not begun again by itself, only when asked for.
    decide("Marimba low", json!({ "hits": { "added": [], "removed": [] } })).await;
    s.until("the job", async |s| {
        let (_, jobs) = s.get(&at("jobs")).await;
        let running = jobs.as_array().unwrap().iter().find(|j| j["kind"] == "check" && j["state"] != "done").cloned();
        match running {
            Some(j) if j["state"] == "cancelled" => true,
            Some(j) => {
                s.post(&format!("/api/jobs/{}/cancel", j["id"].as_str().unwrap()), json!({})).await;
                false
            }
            // Too quick to be cancelled: that is an answer, too.
            None => s.get(&at("check")).await.1["stale"] == false,
        }
    })
    .await;
    assert!(matches!(s.post(&at("check"), json!({})).await.0, 202));
    checked(&s, &session).await;
}

#[actix_web::test]
async fn a_recording_that_is_gone_is_named_and_the_rest_goes_on() {
    let (s, session) = demo().await;
    // The first check is through: one that runs already would still have the recording.
    checked(&s, &session).await;
    let tracks = s.tracks(&session).await;
    let drum = tracks.iter().find(|t| t["name"] == "Frame drum").unwrap();
    let sha = drum["recording"].as_str().unwrap();
    let mut gone = 0;
    let mut folders = vec![s.store.path().to_path_buf()];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap().flatten() {
            let path = entry.path();
            if path.to_string_lossy().contains(sha) {
                gone += 1;
                if path.is_dir() {
                    std::fs::remove_dir_all(&path).unwrap()
                } else {
                    std::fs::remove_file(&path).unwrap()
                }
            } else if path.is_dir() {
                folders.push(path);
            }
        }
    }
    assert!(gone > 0, "something was there to be removed");
    s.post(&format!("/api/sessions/{session}/check"), json!({})).await;
    s.until("it says which", async |s| {
        let (_, c) = s.get(&format!("/api/sessions/{session}/check")).await;
        c["missing"].as_array().is_some_and(|m| m.len() == 1 && m[0].as_str().unwrap().contains("Frame drum"))
    })
    .await;
    let (_, c) = s.get(&format!("/api/sessions/{session}/check")).await;
    assert_eq!(c["sources"].as_array().unwrap().len(), 4, "the others were checked");
    assert!(of(&c, "dead").is_empty(), "a missing recording is no dead microphone");
}

/// A check that ends late, although another took its place, never hides the one that fits the session as it is.
#[actix_web::test]
async fn a_late_check_takes_no_ones_place() {
    use marea_server::derive::check::CheckOf;
    use marea_server::derive::{Now, put};
    let (s, session) = demo().await;
    checked(&s, &session).await;
    let (pool, id) = (sqlx::MySqlPool::connect(&s.database_url).await.unwrap(), session.parse().unwrap());
    let now = async || Now::of(&pool, id, CheckOf).await.unwrap();
    let stored = async || marea_server::db::derived::basis(&pool, &now().await.row()).await.unwrap().unwrap();
    let fits = now().await.basis;
    let measured = now().await.result(&pool).await.unwrap().unwrap();
    // One of another state of the session comes in late: what fits stays.
    put(&pool, id, &CheckOf, "another state", &measured).await.unwrap();
    assert_eq!(stored().await, fits);
    // Where nothing fits any more, a newer one that does not fit either is better than an older one.
    sqlx::query("UPDATE derived SET basis = 'long ago'").execute(&pool).await.unwrap();
    put(&pool, id, &CheckOf, "a moment ago", &measured).await.unwrap();
    assert_eq!(stored().await, "a moment ago");
    // And what fits takes the place of everything.
    put(&pool, id, &CheckOf, &fits, &measured).await.unwrap();
    assert_eq!(stored().await, fits);
}

/// What the check tells of a session as it is carried now is the same whether a track lies there by an offset, in pieces, or by
/// a time map; and a map is removed as it was set.
#[actix_web::test]
async fn what_is_carried_is_told_the_same_however_it_came_there() {
    let s = TestServer::start().await;
    let (session, tracks) = trio(&s).await;
    let check = checked(&s, &session).await;
    let decide = async |after: Value| {
        let change = json!({ "label": "x", "changes": [{ "track_id": tracks[2]["id"], "after": after }] });
        let (status, body) = s.post(&format!("/api/sessions/{session}/decisions"), change).await;
        assert_eq!(status, 201, "{body}");
        let now = checked(&s, &session).await;
        (now["carried"].clone(), now["whole"].clone())
    };
    let lag = |carried: &Value| carried[0]["cells"][2]["lag_frames"].as_f64().unwrap();
    let recorded = (check["carried"].clone(), check["whole"].clone());
    let offset = decide(json!({ "offset_frames": -130.0, "invert": true })).await;
    assert!((lag(&recorded.0) - lag(&offset.0) - 130.0).abs() < 1e-6);
    assert_eq!(offset.0[0]["cells"][2]["inverted"], true);
    assert_ne!(recorded.1, offset.1, "the sum of all is another");
    assert_eq!(recorded.0[0]["example"], offset.0[0]["example"], "its home was not moved");
    let slice = |from: i64, to: i64| json!({ "from": from, "to": to, "at": from - 130, "fade_in": 0, "fade_out": 0 });
    let cut = json!({ "begins": 0, "slices": [slice(0, 40_000), slice(40_000, 96_000)] });
    assert_eq!(decide(json!({ "offset_frames": 0.0, "cut": cut })).await, offset);
    let map = json!([[0.0, -130.0], [96_000.0, 95_870.0]]);
    assert_eq!(decide(json!({ "cut": { "begins": 0, "slices": [] }, "map": map })).await, offset);
    // Unchanged where it is not spoken of, and removed by null.
    assert_eq!(decide(json!({ "gain_db": -1.0 })).await, offset);
    assert_eq!(decide(json!({ "map": null, "invert": false })).await, recorded);
    s.post(&format!("/api/sessions/{session}/undo"), json!({})).await;
    assert_eq!(checked(&s, &session).await["carried"], offset.0, "undo brings it back");
}
