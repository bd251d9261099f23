//! From outside: another user of the machine, foreign pages, and hands that are faster than a server.

use crate::Line;
use crate::browser::Browser;
use crate::common::*;
use serde_json::json;
use std::os::unix::fs::PermissionsExt;
use std::process::Command;
use std::time::Duration;

/// A data folder as `make start` makes it, below one that everybody may enter.
pub async fn another_user() -> Vec<Line> {
    let what = "another user of the machine: files, folders, socket and port of database and store";
    if !rustix::process::geteuid().is_root() {
        return vec![Line::new(what, 0, &[], "not tried: only root can be another user here")];
    }
    let outer = tempfile::tempdir().unwrap();
    std::fs::set_permissions(outer.path(), std::fs::Permissions::from_mode(0o755)).unwrap();
    let data = outer.path().join("data");
    let mut owner = Command::new("sleep").arg("600").spawn().unwrap();
    let out =
        Command::new(project().join("scripts/database.sh")).arg(&data).arg(owner.id().to_string()).output().unwrap();
    let url = String::from_utf8(out.stdout).unwrap().trim().to_string();
    let p = Process::start(&url, &data.join("store"));
    let form = reqwest::multipart::Form::new()
        .part("file", reqwest::multipart::Part::bytes(wav(&[hits(50_000, 1)], 48_000, None)).file_name("x.wav"));
    let http = reqwest::Client::new();
    let made: serde_json::Value = http
        .post(format!("{}/api/sessions", p.base))
        .json(&json!({ "name": "Private" }))
        .send()
        .await
        .unwrap()
        .json()
        .await
        .unwrap();
    let session = made["id"].as_str().unwrap();
    http.post(format!("{}/api/sessions/{session}/recordings", p.base)).multipart(form).send().await.unwrap();
    let d = data.display().to_string();
    let port = std::fs::read_to_string(data.join("port")).unwrap().trim().to_string();
    let mut attempts: Vec<Vec<String>> = Vec::new();
    for place in ["", "/mariadb", "/store", "/store/recordings", "/store/parts", "/store/uploads"] {
        attempts.push(vec!["ls".into(), format!("{d}{place}")]);
        attempts.push(vec!["touch".into(), format!("{d}{place}/mine")]);
    }
    for file in ["password", "port", "db.log", "install.log", "mariadb/ibdata1"] {
        attempts.push(vec!["cat".into(), format!("{d}/{file}")]);
    }
    for user in ["root", "mysql", "marea", "nobody", ""] {
        let user = format!("--user={user}");
        let query = "--execute=SELECT 1".to_string();
        attempts.push(vec![
            "mariadb".into(),
            "--no-defaults".into(),
            user.clone(),
            format!("--socket={d}/mariadb/db.sock"),
            query.clone(),
        ]);
        attempts.push(vec![
            "mariadb".into(),
            "--no-defaults".into(),
            user,
            "--host=127.0.0.1".into(),
            format!("--port={port}"),
            query,
        ]);
    }
    let mut broken = Vec::new();
    for a in &attempts {
        let out = Command::new("setpriv")
            .args(["--reuid=65534", "--regid=65534", "--clear-groups"])
            .args(a)
            .current_dir("/")
            .output()
            .unwrap();
        if out.status.success() {
            broken.push(a.join(" "));
        }
    }
    p.kill();
    let _ = owner.kill();
    let _ = owner.wait();
    vec![Line::new(what, attempts.len(), &broken, "all refused")]
}

pub async fn foreign_pages() -> Line {
    let s = TestServer::start().await;
    let session = s.session("Foreign").await;
    let mut broken = Vec::new();
    let mut tried = 0;
    let address = s.base.trim_start_matches("http://");
    let (_, described) = s.get("/openapi.json").await;
    for (path, ways) in described["paths"].as_object().unwrap() {
        let path = path.replace("{session}", &session);
        for way in ways.as_object().unwrap().keys().filter(|w| ["get", "post", "patch", "delete"].contains(&w.as_str()))
        {
            for (host, origin) in
                [("evil.example", None), (address, Some("http://evil.example")), (address, Some("null"))]
            {
                let way: reqwest::Method = way.to_uppercase().parse().unwrap();
                let mut r = s.http.request(way.clone(), format!("{}{path}", s.base)).header("host", host);
                if let Some(origin) = origin {
                    r = r.header("origin", origin);
                }
                tried += 1;
                let status = r.send().await.unwrap().status();
                if status != 403 {
                    broken.push(format!("{way} {path} from {host}, {origin:?}: {status}"));
                }
            }
        }
    }
    Line::new("every route asked for by a foreign host or page", tried, &broken, "all refused")
}

/// Ten presses of a key within a third of a second, again and again.
pub async fn held_keys(series: usize) -> Line {
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    let session = s.session("Held").await;
    let x = hits(240_000, 1);
    s.bring_in(
        &session,
        &[
            ("Near.wav", wav(std::slice::from_ref(&x), 48_000, None)),
            ("Far.wav", wav(&[moved(&x, 99, 0.6)], 48_000, None)),
        ],
    )
    .await;
    b.page.goto(&format!("{}/sessions/{session}/align", s.base)).await.unwrap();
    b.until("measured", "return document.querySelector('[data-test=sentence]')?.dataset.verdict === 'solid'").await;
    let mut broken = Vec::new();
    let held = "const done = arguments[arguments.length - 1]; let n = 0; const go = () => { window.dispatchEvent(new KeyboardEvent('keydown', { key: ']', bubbles: true })); if (++n < 10) setTimeout(go, 33); else done(n) }; go()";
    for n in 1..=series {
        b.page.execute_async(held, vec![]).await.unwrap();
        tokio::time::sleep(Duration::from_millis(1_200)).await;
        let detail = s.get(&format!("/api/sessions/{session}")).await.1;
        let offset = detail["tracks"][1]["correction"]["offset_frames"].as_f64().unwrap();
        let decisions = s.history(&session).await.len();
        if offset != 10.0 * n as f64 || decisions != n {
            broken.push(format!("series {n}: {offset} samples in {decisions} decisions"));
        }
    }
    if b.js("return document.querySelectorAll('.el-message--error').length").await != 0 {
        broken.push("trouble was told".into());
    }
    b.close().await;
    Line::new("ten presses of a key within 330 ms", series, &broken, "each moved by ten samples and made one decision")
}
