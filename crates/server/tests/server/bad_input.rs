//! Whatever is thrown at it: a clear sentence, and nothing lost.

use super::api::{lose, walk};
use crate::common::*;
use serde_json::{Value, json};
use std::process::Command;
use std::time::Duration;

/// Uploads and gives the sentence of the failed job.
async fn refusal(s: &TestServer, session: &str, name: &str, bytes: Vec<u8>) -> String {
    let (status, body) = s.upload(session, name, bytes).await;
    assert_eq!(status, 202, "{body}");
    let job = body[0]["job"].clone();
    let jobs = s.settled(session).await;
    let ended = jobs.into_iter().find(|j| j["id"] == job).expect("the job");
    assert_eq!(ended["state"], "failed", "{ended}");
    ended["error"].as_str().expect("a sentence").to_string()
}

fn header(channels: u16, frames: u32) -> Vec<u8> {
    let mut b = wav(&[vec![0.25; 100]], 48_000, None);
    let f = 12 + 36 + 610 + 8;
    b[f + 2..f + 4].copy_from_slice(&channels.to_le_bytes());
    let d = f + 16 + 4;
    b[d..d + 4].copy_from_slice(&frames.wrapping_mul(3).to_le_bytes());
    b
}

#[actix_web::test]
async fn files_that_are_no_recordings() {
    let s = TestServer::start().await;
    let session = s.session("Bad files").await;
    let (status, body) = s.upload(&session, "empty.wav", vec![]).await;
    assert_eq!((status, body["message"].as_str()), (422, Some("“empty.wav” is empty")));
    let said = refusal(&s, &session, "letter.wav", b"Dear engineer, this is text.".to_vec()).await;
    assert!(said.contains("letter.wav") && said.contains("not a recording"), "{said}");
    let said = refusal(&s, &session, "none.wav", header(0, 100)).await;
    assert!(said.contains("none.wav") && said.contains("0 channels"), "{said}");
    assert!(s.tracks(&session).await.is_empty());
    // What can be saved is saved, and said.
    let mut cut = wav(&[hits(60_000, 1)], 48_000, None);
    cut.truncate(cut.len() / 2);
    let float = {
        let mut planes = vec![0.25f32; 48_000];
        planes[7] = f32::NAN;
        planes[8] = f32::NEG_INFINITY;
        float_wav(&planes)
    };
    let tracks = s
        .bring_in(
            &session,
            &[
                ("cut.wav", cut),
                ("claims.wav", header(1, u32::MAX / 3)),
                ("nan.wav", float),
                ("silence.wav", wav(&[vec![0.0; 96_000]], 48_000, None)),
            ],
        )
        .await;
    let note = |n: usize| tracks[n]["notes"][0].as_str().unwrap_or_default().to_string();
    assert!(note(0).contains("of 60000 frames") && note(0).contains("kept"), "{}", note(0));
    assert!(tracks[1]["frames"] == 100 && !note(1).is_empty(), "{}", tracks[1]);
    assert!(note(2).contains("2 samples are no finite numbers"), "{}", note(2));
    assert_eq!(tracks.len(), 4);
}

#[actix_web::test]
async fn pairs_that_say_nothing() {
    let s = TestServer::start().await;
    let session = s.session("Nothing in common").await;
    let long = hits(4_800_000, 3);
    let tracks = s
        .bring_in(
            &session,
            &[
                ("a.wav", wav(&[hits(480_000, 1)], 48_000, None)),
                ("b.wav", wav(&[hits(480_000, 2)], 48_000, None)),
                ("silent.wav", wav(&[vec![0.0; 480_000]], 48_000, None)),
                ("long.wav", wav(std::slice::from_ref(&long), 48_000, None)),
                ("part.wav", wav(&[moved(&long[..480_000], 50, 1.0)], 48_000, None)),
            ],
        )
        .await;
    let id = |n: usize| tracks[n]["id"].as_str().unwrap().to_string();
    let measure = async |a: usize, b: usize| {
        s.post(&format!("/api/sessions/{session}/pairs"), json!({ "a": id(a), "b": id(b) })).await;
        s.settled(&session).await;
        s.get(&format!("/api/sessions/{session}/pairs?a={}&b={}", id(a), id(b))).await.1
    };
    let unrelated = measure(0, 1).await;
    assert_eq!(
        (&unrelated["measurement"]["verdict"], &unrelated["lag"], &unrelated["measurement"]["lag_frames"]),
        (&json!("undecided"), &Value::Null, &Value::Null)
    );
    let silent = measure(0, 2).await;
    assert_eq!(silent["measurement"]["reason"], "the other track is silent");
    // One ten times longer than the other.
    let part = measure(3, 4).await;
    assert!((part["lag"]["samples"].as_f64().expect("decided") - 50.0).abs() < 0.05);
    let (status, body) = s.post(&format!("/api/sessions/{session}/pairs"), json!({ "a": id(0), "b": id(0) })).await;
    assert_eq!((status, body["code"].as_str()), (422, Some("invalid")));
}

#[actix_web::test]
async fn hostile_names() {
    let s = TestServer::start().await;
    let session = s.session("Names").await;
    let long = format!("{}.wav", "é".repeat(300));
    let names = [
        "../../etc/passwd.wav",
        "nul\u{0}l.wav",
        &long,
        "🥁 cajón.wav",
        "\u{202e}vaw.nimda.wav",
        "..",
        "a/b\\c.wav",
        "=1+1.wav",
        "con\tfusing.wav",
        "CON.wav",
        "com1.take 2.wav",
        // The same to a file system that composes letters, or does not tell cases apart.
        "Zo\u{eb}.wav",
        "zoe\u{308}.wav",
    ];
    for (n, name) in names.iter().enumerate() {
        // By hand: clients would clean the name themselves.
        let escaped = name.replace('"', "%22").replace(['\r', '\n'], "");
        let mut body = format!("--x\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{escaped}\"\r\nContent-Type: audio/wav\r\n\r\n").into_bytes();
        body.extend(wav(&[hits(50_000, 30 + n as u64)], 48_000, None));
        body.extend(b"\r\n--x--\r\n");
        let url = format!("{}/api/sessions/{session}/recordings", s.base);
        let r =
            s.http.post(url).header("content-type", "multipart/form-data; boundary=x").body(body).send().await.unwrap();
        // A NUL in a header is refused by the protocol itself; everything else is taken.
        assert!(r.status() == 202 || name.contains('\u{0}') || name.contains('\t'), "{name:?}: {}", r.status());
    }
    s.settled(&session).await;
    let tracks = s.tracks(&session).await;
    assert!(tracks.len() >= 7, "{}", tracks.len());
    for t in &tracks {
        let file = t["file_name"].as_str().unwrap();
        assert!(
            !file.contains(['/', '\\', '\u{0}', '\u{202e}']) && file.chars().count() <= 200 && !file.is_empty(),
            "{file:?}"
        );
    }
    let (_, job) =
        s.post(&format!("/api/sessions/{session}/deliveries"), json!({ "depth": "int24", "start": "session" })).await;
    s.settled(&session).await;
    let folder = s.store.path().join("deliveries").join(job.as_str().unwrap());
    let written: Vec<String> =
        std::fs::read_dir(&folder).unwrap().flatten().map(|e| e.file_name().to_string_lossy().into_owned()).collect();
    assert_eq!(written.len(), tracks.len() + 1, "{written:?}");
    assert!(written.iter().any(|n| n.contains('🥁')), "{written:?}");
    // No devices, and no two that a file system may take for one (Microsoft, Naming Files; Unicode Standard Annex 15).
    let stem = |n: &str| n.split('.').next().unwrap().to_uppercase();
    assert!(written.iter().all(|n| !["CON", "COM1"].contains(&stem(n).as_str())), "{written:?}");
    let plain = |n: &str| n.to_lowercase().replace("e\u{308}", "\u{eb}");
    let unlike: std::collections::HashSet<String> = written.iter().map(|n| plain(n)).collect();
    assert_eq!(unlike.len(), written.len(), "{written:?}");
    let sheet = std::fs::read_to_string(folder.join("values.csv")).unwrap();
    assert!(sheet.contains("\"'=1+1"), "a name is no formula: {sheet}");
    // Nothing outside the store.
    assert!(walk(s.store.path()).iter().all(|p| p.starts_with(s.store.path())));
}

#[actix_web::test]
async fn a_full_disk_is_said_and_nothing_is_left() {
    let s = TestServer::with(|x| x.keep_free_bytes = u64::MAX / 2).await;
    let session = s.session("Full").await;
    let (status, body) = s.upload(&session, "big.wav", wav(&[hits(50_000, 1)], 48_000, None)).await;
    assert_eq!((status, body["code"].as_str()), (507, Some("disk_full")));
    assert!(body["message"].as_str().unwrap().contains("“big.wav” was not kept"), "{body}");
    assert!(walk(s.store.path()).is_empty());
}

#[actix_web::test]
async fn an_upload_that_is_too_large_or_cut_off_leaves_nothing() {
    let s = TestServer::with(|x| x.max_upload_bytes = 1_000_000).await;
    let session = s.session("Cut off").await;
    let (status, body) = s.upload(&session, "big.wav", wav(&[hits(700_000, 1)], 48_000, None)).await;
    assert_eq!(status, 422);
    assert!(body["message"].as_str().unwrap().contains("larger than"), "{body}");
    // The line goes dead half way: promised 500 000 bytes, sent 100 000.
    use std::io::Write;
    let address = s.base.trim_start_matches("http://");
    let mut line = std::net::TcpStream::connect(address).unwrap();
    let head = "--x\r\nContent-Disposition: form-data; name=\"file\"; filename=\"half.wav\"\r\n\r\n";
    write!(line, "POST /api/sessions/{session}/recordings HTTP/1.1\r\nHost: {address}\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: 500000\r\n\r\n{head}").unwrap();
    line.write_all(&vec![7; 100_000]).unwrap();
    line.flush().unwrap();
    s.until("the part arrives", async |s: &TestServer| !walk(&s.store.path().join("parts")).is_empty()).await;
    drop(line);
    s.until("the part is gone", async |s: &TestServer| walk(s.store.path()).is_empty()).await;
    assert!(s.tracks(&session).await.is_empty());
}

#[actix_web::test]
async fn wrong_ids_and_bodies() {
    let s = TestServer::start().await;
    let session = s.session("Ids").await;
    let nobody = uuid::Uuid::now_v7();
    for path in [
        "/api/sessions/7".to_string(),
        format!("/api/sessions/{nobody}"),
        format!("/api/sessions/{nobody}/events"),
        format!("/api/sessions/{nobody}/listen"),
        format!("/api/sessions/{session}/tracks/{nobody}/tiles/0/0"),
        format!("/api/sessions/{session}/pairs?a={nobody}&b={nobody}"),
        format!("/api/deliveries/{nobody}/archive.zip"),
        format!("/api/deliveries/{nobody}/files/..%2F..%2Fetc%2Fpasswd"),
        "/api/nothing".into(),
    ] {
        let (status, _) = s.get(&path).await;
        assert_eq!(status, 404, "{path}");
    }
    for (body, status) in [
        (json!({ "label": "x", "changes": [{ "track_id": nobody, "after": { "invert": true } }] }), 404),
        (json!({ "label": "x", "changes": [] }), 422),
        (json!({ "changes": 7 }), 422),
    ] {
        assert_eq!(s.post(&format!("/api/sessions/{session}/decisions"), body.clone()).await.0, status, "{body}");
    }
    let tracks = s.bring_in(&session, &[("x.wav", wav(&[hits(50_000, 1)], 48_000, None))]).await;
    for after in [
        json!({ "offset_frames": 1e12 }),
        json!({ "gain_db": 200.0 }),
        json!({ "role": "king" }),
        json!({ "side": "up" }),
        json!({ "name": "" }),
    ] {
        let body = json!({ "label": "x", "changes": [{ "track_id": tracks[0]["id"], "after": after }] });
        let (status, said) = s.post(&format!("/api/sessions/{session}/decisions"), body).await;
        assert_eq!(status, 422, "{said}");
        assert!(said["message"].as_str().unwrap().len() > 10);
    }
    let (status, said) = s.post(&format!("/api/sessions/{session}/recordings"), json!({})).await;
    assert!((400..500).contains(&status), "{said}");
}

#[actix_web::test]
async fn foreign_pages_are_refused() {
    let s = TestServer::start().await;
    let address = s.base.trim_start_matches("http://").to_string();
    let ask = async |host: &str, origin: Option<&str>| {
        let mut r = s.http.get(format!("{}/api/sessions", s.base)).header("host", host);
        if let Some(o) = origin {
            r = r.header("origin", o);
        }
        r.send().await.unwrap().status().as_u16()
    };
    assert_eq!(ask(&address, None).await, 200);
    assert_eq!(ask(&address, Some(&s.base)).await, 200);
    assert_eq!(ask("evil.example", None).await, 403);
    assert_eq!(ask(&address, Some("http://evil.example")).await, 403);
    assert_eq!(ask(&address, Some("null")).await, 403);
    assert_eq!(ask("127.0.0.1.evil.example", None).await, 403);
}

#[actix_web::test]
async fn a_recording_deleted_from_the_store_is_named() {
    let s = TestServer::start().await;
    let session = s.session("Deleted").await;
    let x = hits(300_000, 1);
    let tracks = s
        .bring_in(
            &session,
            &[
                ("Here.wav", wav(std::slice::from_ref(&x), 48_000, None)),
                ("Gone.wav", wav(&[moved(&x, 9, 1.0)], 48_000, None)),
            ],
        )
        .await;
    lose(&s, &tracks[1], true);
    s.post(&format!("/api/sessions/{session}/pairs"), json!({ "a": tracks[0]["id"], "b": tracks[1]["id"] })).await;
    let jobs = s.settled(&session).await;
    let said = jobs.iter().find(|j| j["kind"] == "pair").unwrap()["error"].as_str().unwrap().to_string();
    assert!(said.contains("“Gone”"), "{said}");
    let (status, body) =
        s.get(&format!("/api/sessions/{session}/tracks/{}/tiles/0/0", tracks[1]["id"].as_str().unwrap())).await;
    assert!(status == 409 && body["message"].as_str().unwrap().contains("“Gone”"), "{body}");
}

/// A MariaDB of its own is stopped and started again while the server runs.
#[actix_web::test]
async fn the_database_goes_away_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let start = || {
        let out = Command::new(project().join("scripts/database.sh"))
            .arg(folder.path())
            .arg(std::process::id().to_string())
            .output()
            .unwrap();
        assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
        String::from_utf8(out.stdout).unwrap().trim().to_string()
    };
    let url = start();
    let s = TestServer::with(|x| x.database_url.clone_from(&url)).await;
    let session = s.session("Away").await;
    let tracks = s.bring_in(&session, &[("x.wav", wav(&[hits(50_000, 1)], 48_000, None))]).await;
    let pid = std::fs::read_to_string(folder.path().join("db.pid")).unwrap().trim().to_string();
    assert!(Command::new("kill").arg(&pid).status().unwrap().success());
    s.until("the database is away", async |s: &TestServer| s.get("/api/health").await.0 == 503).await;
    let (status, body) = s.get(&format!("/api/sessions/{session}")).await;
    assert_eq!((status, body["code"].as_str()), (503, Some("database_unreachable")));
    assert!(!body["message"].as_str().unwrap().contains("mysql://"), "no secrets in sentences");
    while Command::new("kill").args(["-0", &pid]).stderr(std::process::Stdio::null()).status().unwrap().success() {
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    assert_eq!(start(), url, "the same address");
    s.until("the database is back", async |s: &TestServer| s.get("/api/health").await.0 == 200).await;
    assert_eq!(s.tracks(&session).await, tracks);
    s.bring_in(&session, &[("y.wav", wav(&[hits(50_000, 2)], 48_000, None))]).await;
    assert_eq!(s.tracks(&session).await.len(), 2);
    drop(s);
    let pid = std::fs::read_to_string(folder.path().join("db.pid")).unwrap();
    let _ = Command::new("kill").arg(pid.trim()).status();
    tokio::time::sleep(Duration::from_millis(700)).await;
}
