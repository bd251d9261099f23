//! Databases that an older version made are brought over with all that was decided.

use crate::common::*;
use marea_server::db;
use serde_json::{Value, json};
use sqlx::{Executor, MySqlPool};

/// The demo session as the version before edits kept it: findings accepted, one put aside, moves, a repaired stretch, decisions
/// taken back for good and decisions that wait for redo. Without results of measuring: those are measured again.
const BEFORE_EDITS: &str = include_str!("before_edits.sql");

async fn old_database() -> String {
    let url = database().await;
    let pool = MySqlPool::connect(&url).await.expect("the database");
    let mut one = pool.acquire().await.expect("a connection");
    // Tables come in the order of their names, not of what they point to.
    one.execute("SET FOREIGN_KEY_CHECKS = 0").await.expect("set");
    one.execute(sqlx::raw_sql(BEFORE_EDITS)).await.expect("the old session");
    one.execute("SET FOREIGN_KEY_CHECKS = 1").await.expect("set");
    url
}

fn track<'a>(tracks: &'a [Value], name: &str) -> &'a Value {
    tracks.iter().find(|t| t["name"] == name).unwrap_or_else(|| panic!("{name}"))
}

#[actix_web::test]
async fn a_session_of_the_version_before_edits_keeps_its_sound_and_its_history() {
    let url = old_database().await;
    let s = TestServer::with(|s| s.database_url = url).await;
    let session = s.get("/api/sessions").await.1[0]["id"].as_str().unwrap().to_string();
    let tracks = s.tracks(&session).await;
    assert_eq!(tracks.len(), 26);
    let carried = |name: &str| track(&tracks, name)["correction"].clone();
    let correction = |o: f64, i: bool, g: f64| json!({ "offset_frames": o, "invert": i, "gain_db": g });
    assert_eq!(carried("Flute take 2"), correction(123.45, false, -1.5));
    assert_eq!(carried("Flute take 3"), correction(30.0, false, 0.0));
    assert_eq!(carried("Frame drum"), correction(-7.0, false, 0.0));
    assert_eq!(carried("Marimba low")["invert"], false);
    let repaired = json!([{ "from": 48_000, "to": 96_000, "besides": correction(-3.25, true, 2.0) }]);
    assert_eq!(track(&tracks, "Cello near")["stretches"], repaired);
    assert_eq!(track(&tracks, "Flute one")["source"], "flute", "renamed by a decision");
    let history = s.history(&session).await;
    let told: Vec<(&str, &str)> =
        history.iter().map(|d| (d["label"].as_str().unwrap(), d["state"].as_str().unwrap())).skip(2).collect();
    assert_eq!(
        told,
        [
            ("Flute later", "done"),
            ("Nudged", "done"),
            ("Mended", "done"),
            ("Renamed", "done"),
            ("Taken back for good", "superseded"),
            ("Taken back for good too", "superseded"),
            ("Instead", "done"),
            ("Waits for redo", "undone"),
            ("Waits as well", "undone"),
        ]
    );
    // What the branch that was left had carried is still told, decision on decision.
    let edit = async |of: usize, which: &str| {
        let id = history[of]["changes"][0][which].as_str().unwrap().to_string();
        s.get(&format!("/api/sessions/{session}/edits/{id}")).await.1
    };
    let (first, second) = (edit(6, "edit_after").await, edit(7, "edit_after").await);
    assert_eq!(
        (&first["placement"]["offset_frames"], &first["invert"], &first["gain_db"]),
        (&json!(500.0), &json!(true), &json!(0.0))
    );
    assert_eq!((&second["placement"]["offset_frames"], &second["gain_db"]), (&json!(500.0), &json!(3.0)));
    assert_eq!(edit(6, "edit_before").await, edit(8, "edit_before").await, "both began from the same");
    // The whole way back, and forth again.
    let step = async |way: &str| s.post(&format!("/api/sessions/{session}/{way}"), json!({})).await.1["label"].clone();
    assert_eq!((step("redo").await, step("redo").await), (json!("Waits for redo"), json!("Waits as well")));
    let there = s.tracks(&session).await;
    assert_eq!(track(&there, "Frame drum")["correction"]["offset_frames"], -8.5);
    assert_eq!(track(&there, "Frame drum")["stretches"][0]["besides"]["gain_db"], -6.0);
    assert_eq!(track(&there, "Marimba low")["correction"]["invert"], true);
    while step("undo").await != Value::Null {}
    for t in s.tracks(&session).await {
        let (c, stretches) = (&t["correction"], &t["stretches"]);
        assert_eq!((c, stretches), (&correction(0.0, false, 0.0), &json!([])), "{}", t["name"]);
    }
    let untouched = s.tracks(&session).await.iter().map(|t| t["name"].clone()).collect::<Vec<_>>();
    assert!(untouched.contains(&json!("Flute take 1")), "{untouched:?}");
    while step("redo").await != Value::Null {}
    assert_eq!(s.tracks(&session).await, there);
}

#[actix_web::test]
async fn bringing_over_goes_on_where_it_was_cut_off() {
    let url = old_database().await;
    let pool = MySqlPool::connect(&url).await.expect("the database");
    // As far as the tables and what is in them; the old columns still stand.
    sqlx::migrate!("./migrations").run_to(20_261_128_000_001, &pool).await.expect("tables");
    sqlx::query("INSERT INTO plans (id, slices) VALUES (UNHEX(REPEAT('00', 32)), '[]')").execute(&pool).await.unwrap();
    db::migrate::migrate(&pool).await.expect("brought over");
    // And a third start finds nothing to do.
    db::migrate::migrate(&pool).await.expect("nothing to do");
    let (without,): (i64,) =
        sqlx::query_as("SELECT COUNT(*) FROM tracks LEFT JOIN edits ON edits.id = edit_id WHERE edits.id IS NULL")
            .fetch_one(&pool)
            .await
            .unwrap();
    assert_eq!(without, 0);
}

/// Ids are hashes: what comes again is one row, and nothing of a removed session stays.
#[actix_web::test]
async fn edits_are_kept_once_and_go_with_their_session() {
    let s = TestServer::start().await;
    let session = s.session("Edits").await;
    let x = hits(60_000, 4);
    let tracks = s
        .bring_in(
            &session,
            &[
                ("a.wav", wav(std::slice::from_ref(&x), 48_000, None)),
                ("b.wav", wav(&[moved(&x, 9, 0.5)], 48_000, None)),
            ],
        )
        .await;
    let pool = MySqlPool::connect(&s.database_url).await.expect("the database");
    let rows = async || sqlx::query_as::<_, (i64,)>("SELECT COUNT(*) FROM edits").fetch_one(&pool).await.unwrap().0;
    assert_eq!(rows().await, 1, "both carry nothing");
    let decide = async |of: usize, offset: f64| {
        let change = json!([{ "track_id": tracks[of]["id"], "after": { "offset_frames": offset } }]);
        let (status, made) =
            s.post(&format!("/api/sessions/{session}/decisions"), json!({ "label": "x", "changes": change })).await;
        assert_eq!(status, 201, "{made}");
        made["changes"][0].clone()
    };
    let (a, b, back) = (decide(0, 5.0).await, decide(1, 5.0).await, decide(0, 0.0).await);
    assert_eq!(rows().await, 2);
    assert_eq!((&a["edit_after"], &back["edit_after"]), (&b["edit_after"], &a["edit_before"]));
    let other = s.session("Another").await;
    let id = a["edit_after"].as_str().unwrap();
    assert_eq!(s.get(&format!("/api/sessions/{session}/edits/{id}")).await.1["placement"]["offset_frames"], 5.0);
    for (of, wrong) in [(&other, id), (&session, "00"), (&session, "no hash")] {
        assert_eq!(s.get(&format!("/api/sessions/{of}/edits/{wrong}")).await.0, 404, "{wrong}");
    }
    s.http.delete(format!("{}/api/sessions/{session}", s.base)).send().await.unwrap();
    assert_eq!(rows().await, 0);
}

#[actix_web::test]
async fn a_long_history_is_read_in_pages() {
    let s = TestServer::start().await;
    let session = s.session("Long").await;
    let tracks = s.bring_in(&session, &[("a.wav", wav(&[hits(60_000, 5)], 48_000, None))]).await;
    for n in 1..=120 {
        let change = json!([{ "track_id": tracks[0]["id"], "after": { "offset_frames": n } }]);
        s.post(&format!("/api/sessions/{session}/decisions"), json!({ "label": format!("to {n}"), "changes": change }))
            .await;
    }
    let (_, newest) = s.get(&format!("/api/sessions/{session}/decisions")).await;
    assert_eq!((newest.as_array().unwrap().len(), &newest[0]["label"]), (50, &json!("to 120")));
    let all = s.history(&session).await;
    let labels: Vec<String> = all.iter().map(|d| d["label"].as_str().unwrap().to_string()).collect();
    assert_eq!(labels, (1..=120).map(|n| format!("to {n}")).collect::<Vec<_>>());
    let detail = s.get(&format!("/api/sessions/{session}")).await.1;
    assert_eq!(detail["steps"], json!({ "undo": "to 120", "redo": null, "count": 120 }));
    // A label that is too long ends with a sign that something is left out.
    let change = json!([{ "track_id": tracks[0]["id"], "after": { "gain_db": 1.0 } }]);
    let long = json!({ "label": "é".repeat(400), "changes": change });
    let (_, made) = s.post(&format!("/api/sessions/{session}/decisions"), long).await;
    assert_eq!(made["label"].as_str().unwrap(), format!("{}…", "é".repeat(299)));
    assert!(detail.get("decisions").is_none());
}
