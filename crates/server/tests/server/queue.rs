//! The queue of long work: nothing is lost by an orderly end, by kills, or by its own length.

use super::crash::{ended, get, post, ready, until, upload};
use crate::common::*;
use serde_json::{Value, json};
use sqlx::MySqlPool;
use std::process::Command;
use uuid::Uuid;

/// A session with one recording, by a server that has ended since.
async fn prepared() -> (String, tempfile::TempDir, String) {
    let (url, store) = (database().await, tempfile::tempdir().unwrap());
    let first = Process::start(&url, store.path());
    ready(&first.base).await;
    let session =
        post(&first.base, "/api/sessions", json!({ "name": "Queue" })).await["id"].as_str().unwrap().to_string();
    upload(&first.base, &session, "quick.wav", wav(&[hits(100_000, 1)], 48_000, None)).await;
    ended(&first.base, &session, "import").await;
    first.kill();
    (url, store, session)
}

async fn put(db: &MySqlPool, session: &str, state: &str, payload: Value, more: &str) -> String {
    let id = Uuid::now_v7();
    let kind = payload["of"]["what"].as_str().or(payload["kind"].as_str()).unwrap().to_string();
    let sql =
        format!("INSERT INTO jobs SET id = ?, session_id = ?, kind = ?, title = 'put', payload = ?, state = ? {more}");
    sqlx::query(sqlx::AssertSqlSafe(sql))
        .bind(id)
        .bind(session.parse::<Uuid>().unwrap())
        .bind(kind)
        .bind(payload.to_string())
        .bind(state)
        .execute(db)
        .await
        .unwrap();
    id.to_string()
}

fn deliver() -> Value {
    json!({ "kind": "deliver", "depth": "int24", "start": "session", "tracks": [] })
}

#[actix_web::test]
async fn deliveries_and_waiting_jobs_are_told_however_many_there_are() {
    let (url, store, session) = prepared().await;
    let db = MySqlPool::connect(&url).await.unwrap();
    let old = "created_at = NOW(6) - INTERVAL 2 HOUR, updated_at = NOW(6) - INTERVAL 10 MINUTE";
    let delivery = put(&db, &session, "done", deliver(), &format!(", {old}")).await;
    for _ in 0..600 {
        put(
            &db,
            &session,
            "done",
            json!({ "kind": "derive", "of": { "what": "pair", "a": Uuid::nil(), "b": Uuid::nil() }, "basis": "x" }),
            "",
        )
        .await;
    }
    // Held by somebody else for an hour, and silent for ten minutes.
    let held = format!(", lease_until = NOW(6) + INTERVAL 1 HOUR, {old}");
    let slow = put(&db, &session, "running", deliver(), &held).await;
    let p = Process::start(&url, store.path());
    ready(&p.base).await;
    let told = get(&p.base, &format!("/api/sessions/{session}/deliveries")).await;
    assert_eq!((told.as_array().unwrap().len(), &told[0]["id"]), (1, &json!(delivery)));
    let told = get(&p.base, &format!("/api/sessions/{session}/jobs")).await;
    assert!(told.as_array().unwrap().iter().any(|j| j["id"] == json!(slow)), "what is at work is told");
    // The newest are told of those that ended, and what is long over is removed.
    sqlx::query("UPDATE jobs SET updated_at = NOW(6) - INTERVAL 2 HOUR WHERE kind = 'pair'")
        .execute(&db)
        .await
        .unwrap();
    let again =
        post(&p.base, &format!("/api/sessions/{session}/deliveries"), json!({ "depth": "int24", "start": "session" }))
            .await;
    until("old jobs go", async || {
        let left: (i64,) =
            sqlx::query_as("SELECT COUNT(*) FROM jobs WHERE kind = 'pair'").fetch_one(&db).await.unwrap();
        left.0 == 0
    })
    .await;
    let told = get(&p.base, &format!("/api/sessions/{session}/deliveries")).await;
    let ids: Vec<&Value> = told.as_array().unwrap().iter().map(|j| &j["id"]).collect();
    assert_eq!(ids, [&again, &json!(delivery)], "newest first, none removed");
}

#[actix_web::test]
async fn an_orderly_end_gives_long_work_back() {
    let (url, store, session) = prepared().await;
    let db = MySqlPool::connect(&url).await.unwrap();
    let mut p = Process::start(&url, store.path());
    ready(&p.base).await;
    // Another rate than the session's: reading it takes a while.
    upload(&p.base, &session, "slow.wav", wav(&[hits(12_000_000, 2)], 44_100, None)).await;
    for round in 0..6 {
        let base = p.base.clone();
        until("the import is at work", async || {
            get(&base, &format!("/api/sessions/{session}/jobs")).await.to_string().contains("reading slow.wav")
        })
        .await;
        assert!(Command::new("kill").arg(p.child.id().to_string()).status().unwrap().success());
        let status = p.child.wait().unwrap();
        assert!(status.success(), "{status}");
        let (state, attempts): (String, i32) =
            sqlx::query_as("SELECT state, attempts FROM jobs WHERE kind = 'import' ORDER BY created_at DESC LIMIT 1")
                .fetch_one(&db)
                .await
                .unwrap();
        assert_eq!((state.as_str(), attempts), ("queued", 0), "round {round}");
        assert!(super::api::walk(&store.path().join("parts")).is_empty(), "nothing half is left");
        p = Process::start(&url, store.path());
        ready(&p.base).await;
    }
    let jobs = ended(&p.base, &session, "import").await;
    assert!(jobs.iter().all(|j| j["state"] == "done"), "{jobs:?}");
    let tracks = get(&p.base, &format!("/api/sessions/{session}")).await["tracks"].clone();
    assert_eq!(tracks.as_array().unwrap().len(), 2);
}

#[actix_web::test]
async fn kills_are_no_fault_of_a_job_and_its_own_crashes_are() {
    let (url, store, session) = prepared().await;
    let db = MySqlPool::connect(&url).await.unwrap();
    // Begun forty times by servers that were killed: carried out by itself, and well.
    let dead = ", attempts = 40, lease_until = NOW(6) - INTERVAL 1 SECOND";
    let killed = put(&db, &session, "running", deliver(), dead).await;
    let p = Process::start(&url, store.path());
    ready(&p.base).await;
    let jobs = ended(&p.base, &session, "deliver").await;
    assert_eq!((&jobs[0]["id"], &jobs[0]["state"]), (&json!(killed), &json!("done")), "{jobs:?}");
    assert!(store.path().join("deliveries").join(&killed).join("quick.wav").exists());
    p.kill();
    // A program that is brought down by the job, in its place.
    let folder = tempfile::tempdir().unwrap();
    let program = folder.path().join("falls");
    std::fs::write(&program, "#!/bin/sh\nkill -9 $$\n").unwrap();
    std::fs::set_permissions(&program, std::os::unix::fs::PermissionsExt::from_mode(0o755)).unwrap();
    let s = TestServer::with(|x| {
        x.database_url.clone_from(&url);
        x.program = Some(program);
    })
    .await;
    // Its own store: the job never gets as far as to look.
    let bad = put(&db, &session, "queued", deliver(), ", attempts = 3").await;
    let mut told = Value::Null;
    s.until("it is given up", async |s| {
        let (_, jobs) = s.get(&format!("/api/sessions/{session}/jobs")).await;
        told = jobs.as_array().unwrap().iter().find(|j| j["id"] == json!(bad)).cloned().unwrap_or_default();
        told["state"] == "failed"
    })
    .await;
    let said = told["error"].as_str().unwrap();
    assert!(said.contains("2 times") && said.contains("tried again"), "{said}");
    drop(s);
    // Tried again, by a program that is well.
    let p = Process::start(&url, store.path());
    ready(&p.base).await;
    let again = post(&p.base, &format!("/api/jobs/{bad}/retry"), json!({})).await;
    assert!(["queued", "running"].contains(&again["state"].as_str().unwrap()), "{again}");
    let jobs = ended(&p.base, &session, "deliver").await;
    assert!(jobs.iter().all(|j| j["state"] == "done"), "{jobs:?}");
    let refused = post(&p.base, &format!("/api/jobs/{bad}/retry"), json!({})).await;
    assert_eq!(refused["code"], "conflict");
}

/// On a machine that stands still for some seconds the lease of a job runs out while it is worked on. Whoever takes it over has it
/// alone, and what has ended stays as it ended: a check that is called cancelled is not begun again by itself.
#[actix_web::test]
async fn a_job_that_was_taken_over_ends_once() {
    use marea_server::db::jobs::{End, claim, end, report};
    let (url, _store, session) = prepared().await;
    let db = MySqlPool::connect(&url).await.unwrap();
    sqlx::query("UPDATE jobs SET state = 'done', worker = NULL").execute(&db).await.unwrap();
    let job: Uuid = put(&db, &session, "queued", deliver(), "").await.parse().unwrap();
    let (first, second) = (Uuid::now_v7(), Uuid::now_v7());
    assert_eq!(claim(&db, first).await.unwrap().unwrap().id, job);
    assert!(claim(&db, second).await.unwrap().is_none(), "it is held");
    sqlx::query("UPDATE jobs SET lease_until = NOW(6) - INTERVAL 1 SECOND").execute(&db).await.unwrap();
    assert_eq!(claim(&db, second).await.unwrap().unwrap().id, job);
    assert!(!report(&db, job, first, 0.5, "").await.unwrap(), "the first one is told to stop");
    end(&db, job, first, End::Cancelled).await.unwrap();
    assert!(report(&db, job, second, 0.5, "").await.unwrap(), "the second one goes on");
    end(&db, job, second, End::Done(json!({}))).await.unwrap();
    end(&db, job, second, End::Cancelled).await.unwrap();
    let state: String =
        sqlx::query_scalar("SELECT state FROM jobs WHERE id = ?").bind(job).fetch_one(&db).await.unwrap();
    assert_eq!(state, "done");
}

/// The workers of one server are told apart as those of two are.
#[actix_web::test]
async fn two_workers_of_a_server_have_names_of_their_own() {
    let s = TestServer::start().await;
    let session = s.session("Two at a time").await;
    let db = MySqlPool::connect(&s.database_url).await.unwrap();
    let mut names = std::collections::HashSet::new();
    for seed in 1..10 {
        for n in 0..2 {
            let bytes = wav(&[hits(400_000, 2 * seed + n)], 48_000, None);
            assert_eq!(s.upload(&session, &format!("{seed} {n}.wav"), bytes).await.0, 202);
        }
        s.settled(&session).await;
        let all: Vec<Uuid> = sqlx::query_scalar("SELECT DISTINCT worker FROM jobs WHERE worker IS NOT NULL")
            .fetch_all(&db)
            .await
            .unwrap();
        names.extend(all);
        if names.len() == 2 {
            return;
        }
    }
    panic!("one worker did everything, or both have one name: {names:?}");
}

/// How far a job is, is told beside the work. Told in turns with it, a job waited for itself where both needed one row, until the
/// database's patience with locks (50 s) ended.
#[actix_web::test]
async fn a_job_goes_on_while_it_cannot_be_told_how_far_it_is() {
    let s = TestServer::start().await;
    let session = s.session("Held").await;
    let db = MySqlPool::connect(&s.database_url).await.unwrap();
    // The import waits before it adds its track, however fast it is.
    let mut room = db.begin().await.unwrap();
    let sql = "SELECT id FROM tracks WHERE session_id = ? FOR UPDATE";
    let none: Option<Uuid> =
        sqlx::query_scalar(sql).bind(session.parse::<Uuid>().unwrap()).fetch_optional(&mut *room).await.unwrap();
    assert!(none.is_none());
    s.upload(&session, "slow.wav", wav(&[hits(200_000, 3)], 48_000, None)).await;
    // Looked for without a lock: where nothing runs yet, it would lock the place that the job's row needs to say that it does.
    let mut job: Option<Uuid> = None;
    s.until("the import is at work", async |_| {
        job = sqlx::query_scalar("SELECT id FROM jobs WHERE state = 'running'").fetch_optional(&db).await.unwrap();
        job.is_some()
    })
    .await;
    let mut held = db.begin().await.unwrap();
    let own: Uuid = sqlx::query_scalar("SELECT id FROM jobs WHERE id = ? FOR UPDATE")
        .bind(job.unwrap())
        .fetch_one(&mut *held)
        .await
        .unwrap();
    assert_eq!(Some(own), job);
    assert!(s.tracks(&session).await.is_empty(), "it is not done yet");
    room.rollback().await.unwrap();
    let came = s.until("the track", async |s| s.tracks(&session).await.len() == 1);
    tokio::time::timeout(std::time::Duration::from_secs(40), came).await.expect("within less than that patience");
    held.rollback().await.unwrap();
    let jobs = s.settled(&session).await;
    assert!(jobs.iter().all(|j| j["state"] == "done"), "{jobs:?}");
}

/// Killed after its files were in place and before that was written down, a delivery is written again. By then the session may hold
/// more: what is told is what lies there.
#[actix_web::test]
async fn a_delivery_that_is_written_again_takes_the_place_of_the_first() {
    let (url, store, session) = prepared().await;
    let db = MySqlPool::connect(&url).await.unwrap();
    let job = put(&db, &session, "queued", deliver(), "").await;
    let folder = store.path().join("deliveries").join(&job);
    std::fs::create_dir_all(&folder).unwrap();
    std::fs::write(folder.join("values.csv"), "of before").unwrap();
    std::fs::write(folder.join("gone.wav"), "of before").unwrap();
    let p = Process::start(&url, store.path());
    ready(&p.base).await;
    let jobs = ended(&p.base, &session, "deliver").await;
    let mut told: Vec<(String, u64)> = jobs[0]["result"]["files"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| (f["name"].as_str().unwrap().to_string(), f["bytes"].as_u64().unwrap()))
        .collect();
    let mut there: Vec<(String, u64)> = std::fs::read_dir(&folder)
        .unwrap()
        .map(|f| f.unwrap())
        .map(|f| (f.file_name().to_string_lossy().into_owned(), f.metadata().unwrap().len()))
        .collect();
    told.sort();
    there.sort();
    assert_eq!((told.len(), told), (2, there));
}
