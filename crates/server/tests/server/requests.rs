//! What requests may ask for, what every answer carries, and that all of it is as the description says.

use crate::common::*;
use serde_json::{Value, json};
use std::path::Path;
use std::process::Command;

async fn session(s: &TestServer) -> (String, Vec<Value>) {
    let session = s.session("Bounds").await;
    let files = [("a.wav", wav(&[hits(100_000, 1)], 48_000, None)), ("b.wav", wav(&[hits(100_000, 2)], 48_000, None))];
    let tracks = s.bring_in(&session, &files).await;
    (session, tracks)
}

#[actix_web::test]
async fn places_outside_the_session_are_refused() {
    let s = TestServer::start().await;
    let (session, tracks) = session(&s).await;
    let far = [i64::MAX, i64::MIN, i64::MAX - 1, 200_000_000];
    let id = tracks[0]["id"].as_str().unwrap();
    for at in far {
        let mend = json!([{ "from": at.min(at.saturating_sub(1_000)), "to": at.saturating_add(1_000).max(at.saturating_sub(999)),
            "besides": { "offset_frames": 1.0, "invert": false, "gain_db": 0.0 } }]);
        for after in [json!({ "stretches": mend }), json!({ "hits": { "added": [at], "removed": [] } })] {
            let body = json!({ "label": "x", "changes": [{ "track_id": id, "after": after }] });
            let (status, said) = s.post(&format!("/api/sessions/{session}/decisions"), body).await;
            assert_eq!((status, said["code"].as_str()), (422, Some("invalid")), "{at}: {said}");
        }
        for desk in [
            json!({ "range": { "from": at.saturating_sub(9_000), "to": at, "on": true, "pre_roll_s": 0.0 } }),
            json!({ "markers": [{ "frame": at, "name": "far" }] }),
        ] {
            let r = s.http.patch(format!("{}/api/sessions/{session}/desk", s.base)).json(&desk).send().await.unwrap();
            assert_eq!(r.status(), 422, "{desk}");
        }
        let bar = s.patch(&format!("/api/sessions/{session}"), json!({ "first_beat_frame": at })).await;
        assert_eq!(bar.0, 422, "{}", bar.1);
        let other = tracks[1]["id"].as_str().unwrap();
        let tile = at / 8_192;
        let (status, _) = s.get(&format!("/api/sessions/{session}/overlay/{id}/{other}/sum/samples/{tile}")).await;
        assert_eq!(status, 422);
        let image = json!({ "tracks": [id, other], "from": at, "to": at.saturating_add(96_000) });
        assert_eq!(s.post(&format!("/api/sessions/{session}/image"), image).await.0, 422);
    }
    // Within an hour around the session everything goes.
    let near =
        json!([{ "from": -1_000, "to": 50_000, "besides": { "offset_frames": 1.0, "invert": false, "gain_db": 0.0 } }]);
    let body = json!({ "label": "x", "changes": [{ "track_id": id, "after": { "stretches": near } }] });
    assert_eq!(s.post(&format!("/api/sessions/{session}/decisions"), body).await.0, 201);
}

/// What plays is asked for by a page, which may be wrong.
#[actix_web::test]
async fn playing_from_nowhere_breaks_nothing() {
    use futures_util::{SinkExt, StreamExt};
    use tokio_tungstenite::tungstenite::Message;
    let s = TestServer::start().await;
    let (session, tracks) = session(&s).await;
    let url = format!("{}/api/sessions/{session}/listen", s.base.replace("http", "ws"));
    for (from, range) in [
        (json!(1e300), json!(null)),
        (json!(-1e300), json!({ "from": i64::MIN, "to": i64::MAX, "repeat": true })),
        (json!(0), json!({ "from": i64::MAX - 10, "to": i64::MAX, "repeat": true })),
    ] {
        let (mut socket, _) = tokio_tungstenite::connect_async(&url).await.unwrap();
        let play = json!({ "type": "play", "from": from, "generation": 1, "range": range, "mix": { "tracks": [tracks[0]["id"]] } });
        socket.send(Message::text(play.to_string())).await.unwrap();
        socket.send(Message::text(json!({ "type": "credit", "blocks": 4 }).to_string())).await.unwrap();
        let got = socket.next().await.unwrap().unwrap();
        assert!(got.is_binary() || got.into_text().unwrap().contains("end"), "it plays, or says that it is at the end");
    }
}

#[actix_web::test]
async fn a_form_answers_file_by_file() {
    let s = TestServer::start().await;
    let session = s.session("Form").await;
    let mut form = reqwest::multipart::Form::new();
    for n in 0..3u64 {
        let part = reqwest::multipart::Part::bytes(wav(&[hits(60_000, n)], 48_000, None)).file_name(format!("{n}.wav"));
        form = form.part("file", part);
    }
    form = form.part("file", reqwest::multipart::Part::bytes(vec![]).file_name("empty.wav"));
    let r = s.http.post(format!("{}/api/sessions/{session}/recordings", s.base)).multipart(form).send().await.unwrap();
    assert_eq!(r.status(), 202);
    let told: Value = r.json().await.unwrap();
    assert!((0..3).all(|n| told[n]["job"].is_string() && told[n]["error"].is_null()), "{told}");
    assert_eq!((&told[3]["job"], &told[3]["error"]["message"]), (&Value::Null, &json!("“empty.wav” is empty")));
    s.settled(&session).await;
    assert_eq!(s.tracks(&session).await.len(), 3);
}

#[actix_web::test]
async fn every_answer_is_guarded_and_unknown_addresses_are_not_found() {
    let s = TestServer::start().await;
    let session = s.session("Headers").await;
    for (path, status) in [
        ("/".to_string(), 200),
        ("/reading/".into(), 200),
        ("/openapi.json".into(), 200),
        ("/api/health".into(), 200),
        (format!("/sessions/{session}/align"), 200),
        ("/health".into(), 404),
        ("/metrics".into(), 404),
        ("/sessions/7/align".into(), 404),
        (format!("/sessions/{session}/nothing"), 404),
        ("/assets/none.js".into(), 404),
        ("/api/nothing".into(), 404),
    ] {
        let r = s.http.get(format!("{}{path}", s.base)).send().await.unwrap();
        assert_eq!(r.status().as_u16(), status, "{path}");
        let head = |name: &str| r.headers().get(name).and_then(|v| v.to_str().ok()).unwrap_or("").to_string();
        assert!(head("content-security-policy").contains("frame-ancestors 'none'"), "{path}");
        assert_eq!(
            (head("x-content-type-options"), head("x-frame-options")),
            ("nosniff".into(), "DENY".into()),
            "{path}"
        );
    }
    // A person who mistypes gets the page, with the right status.
    let r = s.http.get(format!("{}/metrics", s.base)).header("accept", "text/html").send().await.unwrap();
    assert_eq!((r.status().as_u16(), r.text().await.unwrap().contains("<html")), (404, true));
    let foreign = s.http.get(format!("{}/", s.base)).header("host", "evil.example").send().await.unwrap();
    assert!(foreign.status() == 403 && foreign.headers().contains_key("x-frame-options"));
}

#[actix_web::test]
async fn deliveries_are_of_tracks_that_are_there() {
    let s = TestServer::start().await;
    let (session, tracks) = session(&s).await;
    let ask = json!({ "depth": "int24", "start": "session", "tracks": [uuid::Uuid::now_v7()] });
    let (status, said) = s.post(&format!("/api/sessions/{session}/deliveries"), ask).await;
    assert_eq!((status, said["code"].as_str()), (422, Some("invalid")), "{said}");
    let one = json!({ "depth": "int24", "start": "session", "tracks": [tracks[1]["id"]] });
    let (status, job) = s.post(&format!("/api/sessions/{session}/deliveries"), one).await;
    assert_eq!(status, 202);
    let jobs = s.settled(&session).await;
    let files = jobs.iter().find(|j| j["id"] == job).unwrap()["result"]["files"].clone();
    assert_eq!((&files[0]["name"], files.as_array().unwrap().len()), (&json!("b.wav"), 2));
    // A second server on the same database and store, to which the disk is full: the archive is refused with the reason.
    let url = s.database_url.clone();
    let full = TestServer::with(|x| {
        x.database_url = url;
        x.store = s.store.path().to_path_buf();
        x.keep_free_bytes = u64::MAX / 2;
    })
    .await;
    let (status, said) = full.get(&format!("/api/deliveries/{}/archive.zip", job.as_str().unwrap())).await;
    assert_eq!((status, said["code"].as_str()), (507, Some("disk_full")), "{said}");
    assert_eq!(s.get(&format!("/api/deliveries/{}/archive.zip", job.as_str().unwrap())).await.0, 200);
}

#[actix_web::test]
async fn names_are_stored_as_they_are_shown() {
    let s = TestServer::start().await;
    let (session, tracks) = session(&s).await;
    for (n, name) in ["Cel\u{0}lo\u{7f}", "\tTabbed", "\r=1+1", " +plus\n"].iter().enumerate() {
        let after = json!({ "name": name, "source": format!("{name}{n}") });
        let body = json!({ "label": "x", "changes": [{ "track_id": tracks[n % 2]["id"], "after": after }] });
        let (status, said) = s.post(&format!("/api/sessions/{session}/decisions"), body).await;
        assert_eq!(status, 201, "{name:?}: {said}");
        let now = s.tracks(&session).await[n % 2].clone();
        for text in [now["name"].as_str().unwrap(), now["source"].as_str().unwrap()] {
            assert!(!text.contains(char::is_control) && text.trim() == text && !text.is_empty(), "{text:?}");
        }
    }
    let (_, job) =
        s.post(&format!("/api/sessions/{session}/deliveries"), json!({ "depth": "int24", "start": "session" })).await;
    s.settled(&session).await;
    let sheet = s.store.path().join("deliveries").join(job.as_str().unwrap()).join("values.csv");
    let sheet = std::fs::read_to_string(sheet).unwrap();
    assert!(sheet.contains("\"'=1+1") && sheet.contains("\"'+plus"), "no formulas: {sheet}");
}

#[actix_web::test]
async fn removing_hiding_and_grouping_are_taken_back_like_all_else() {
    let s = TestServer::start().await;
    let (session, tracks) = session(&s).await;
    let at = |what: &str| format!("/api/sessions/{session}/{what}");
    let desk = async |body: Value| {
        let r = s.http.patch(format!("{}{}", s.base, at("desk"))).json(&body).send().await.unwrap();
        assert_eq!(r.status(), 200);
    };
    let detail = async || s.get(&format!("/api/sessions/{session}")).await.1;
    let id = tracks[0]["id"].as_str().unwrap();
    s.post(
        &at("decisions"),
        json!({ "label": "moved", "changes": [{ "track_id": id, "after": { "offset_frames": 5.0 } }] }),
    )
    .await;
    let lane = |hidden: bool, muted: bool| json!({ "lanes": { id: { "hidden": hidden, "muted": muted } } });
    let mut hide = lane(true, false);
    hide["label"] = json!("a hidden");
    desk(hide).await;
    // Muting is listening: it is no decision, and undo leaves it.
    desk(lane(true, true)).await;
    let group = json!({ "groups": [{ "id": uuid::Uuid::now_v7(), "name": "Both", "tracks": [id], "together": true }], "label": "Group Both made" });
    desk(group).await;
    let r = s.http.delete(format!("{}{}", s.base, at(&format!("tracks/{id}")))).send().await.unwrap();
    assert_eq!((r.status().as_u16(), s.tracks(&session).await.len()), (204, 1));
    assert_eq!(s.get(&at(&format!("tracks/{id}/tiles/0/0"))).await.0, 404);
    let history = s.history(&session).await;
    let done = history.iter().filter(|d| d["state"] == "done");
    let labels: Vec<&str> = done.map(|d| d["label"].as_str().unwrap()).collect();
    assert_eq!(labels, ["moved", "a hidden", "Group Both made", "a taken out"]);
    for (label, check) in [
        (
            "a taken out",
            Box::new(|d: &Value| d["tracks"].as_array().unwrap().len() == 2) as Box<dyn Fn(&Value) -> bool>,
        ),
        ("Group Both made", Box::new(|d| d["desk"]["groups"] == json!([]))),
        (
            "a hidden",
            Box::new(|d| d["desk"]["lanes"][id]["hidden"] == false && d["desk"]["lanes"][id]["muted"] == true),
        ),
        ("moved", Box::new(|d| d["tracks"][0]["correction"]["offset_frames"] == 0.0)),
    ] {
        let (_, undone) = s.post(&at("undo"), json!({})).await;
        assert_eq!(undone["label"], label);
        let now = detail().await;
        assert!(check(&now), "{label}: {now}");
    }
    for label in ["moved", "a hidden", "Group Both made", "a taken out"] {
        assert_eq!(s.post(&at("redo"), json!({})).await.1["label"], label);
    }
    // Brought in again, the track that was taken out comes back with all it carried.
    s.bring_in(&session, &[("a.wav", wav(&[hits(100_000, 1)], 48_000, None))]).await;
    let back = s.tracks(&session).await;
    assert_eq!((back.len(), &back[0]["id"], &back[0]["correction"]["offset_frames"]), (2, &json!(id), &json!(5.0)));
}

#[actix_web::test]
async fn moves_add_up_and_a_series_is_one_decision() {
    let s = TestServer::start().await;
    let (session, tracks) = session(&s).await;
    let at = |what: &str| format!("/api/sessions/{session}/{what}");
    let nudge = |by: f64, series: &str| {
        json!({ "label": format!("nudged {series}"), "series": series, "with_groups": true,
        "changes": [{ "track_id": tracks[0]["id"], "by_frames": by }] })
    };
    // All at once: none is lost.
    let one = async || s.post(&at("decisions"), nudge(1.0, "held")).await;
    for (status, said) in futures_util::future::join_all((0..10).map(|_| one())).await {
        assert_eq!(status, 201, "{said}");
    }
    s.post(&at("decisions"), nudge(-2.5, "another")).await;
    let detail = s.get(&format!("/api/sessions/{session}")).await.1;
    assert_eq!(detail["tracks"][0]["correction"]["offset_frames"], 7.5);
    assert_eq!(s.history(&session).await.len(), 2);
    for offset in [10.0, 0.0] {
        s.post(&at("undo"), json!({})).await;
        assert_eq!(s.tracks(&session).await[0]["correction"]["offset_frames"], offset);
    }
    // After an undo a series does not go on with what was taken back.
    s.post(&at("decisions"), nudge(1.0, "held")).await;
    assert_eq!(s.tracks(&session).await[0]["correction"]["offset_frames"], 1.0);
}

/// Generated requests, by schemathesis from PyPI where Python is there: every answer is one that the description allows. Events and
/// listening stay open by nature and are tested by themselves.
#[actix_web::test]
async fn generated_requests_get_described_answers() {
    let Some(program) = schemathesis() else {
        println!("Python is not here: no requests were generated");
        return;
    };
    let s = TestServer::start().await;
    // Something to ask about: the program finds the ids by the answers it gets.
    session(&s).await;
    let out = tokio::process::Command::new(program)
        .arg("run")
        .args([
            "--checks",
            "not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance",
        ])
        .args([
            "--exclude-path-regex",
            "(events|listen)$",
            "--exclude-operation-id",
            "send",
            "--exclude-operation-id",
            "load_demo",
            "--phases",
            "fuzzing,coverage",
        ])
        .args([
            "--max-examples",
            "12",
            "--seed",
            "20261127",
            "--workers",
            "2",
            "--request-timeout",
            "20",
            "--max-time",
            "45",
        ])
        .arg(format!("{}/openapi.json", s.base))
        .current_dir(s.store.path())
        .output()
        .await
        .unwrap();
    let said = String::from_utf8_lossy(&[out.stdout, out.stderr].concat()).into_owned();
    assert!(out.status.success(), "{said}");
    assert!(said.contains("generated"), "it ran: {said}");
    assert_eq!(s.get("/api/health").await.0, 200);
}

/// Installed once below target/, by the version that is written here.
fn schemathesis() -> Option<std::path::PathBuf> {
    const VERSION: &str = "4.32.5";
    Command::new("python3").arg("--version").output().ok().filter(|o| o.status.success())?;
    let place = project().join("target").join(format!("schemathesis-{VERSION}"));
    let program = place.join("bin/schemathesis");
    if !program.exists() {
        let run =
            |program: &Path, args: &[&str]| Command::new(program).args(args).output().is_ok_and(|o| o.status.success());
        let text = place.display().to_string();
        let made = run(Path::new("python3"), &["-m", "venv", &text])
            && run(
                &place.join("bin/pip"),
                &["install", "--quiet", "--disable-pip-version-check", &format!("schemathesis=={VERSION}")],
            );
        assert!(made, "schemathesis {VERSION} could not be installed below {text}");
    }
    Some(program)
}

/// What the database refuses is our mistake and will be refused again; only a database that is away is asked again.
#[actix_web::test]
async fn what_the_database_refuses_is_not_told_as_a_database_that_is_away() {
    use marea_server::error::ServerError;
    let pool = sqlx::MySqlPool::connect(&database().await).await.unwrap();
    let of = |e: sqlx::Error| ServerError::from(e).code();
    let unknown = "INSERT INTO jobs (id, session_id, kind, title, payload) VALUES ('a', 'b', 'c', 'd', '{}')";
    let refused = sqlx::query(unknown).execute(&pool).await.unwrap_err();
    assert_eq!(of(refused), "internal", "a constraint");
    let (text,) = ("SELECT 'no number'",);
    let row = sqlx::query_as::<_, (i64,)>(text).fetch_one(&pool).await.unwrap_err();
    assert_eq!(of(row), "internal", "a row of another type");
    pool.close().await;
    let away = sqlx::query("SELECT 1").execute(&pool).await.unwrap_err();
    assert_eq!(of(away), "database_unreachable");
    let nobody = sqlx::MySqlPool::connect("mysql://a:b@127.0.0.1:1/none").await.unwrap_err();
    assert_eq!(of(nobody), "database_unreachable");
}
