//! Disks that are full: of the store and of the database, on small file systems in memory. Only root can make them.

use crate::Line;
use crate::common::*;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::Command;

/// A file system of so many megabytes, gone with the value.
struct Disk(PathBuf);

impl Disk {
    fn of(megabytes: u32) -> Option<Self> {
        if !rustix::process::geteuid().is_root() {
            return None;
        }
        let folder = tempfile::tempdir().unwrap().keep();
        let size = format!("size={megabytes}m,mode=755");
        let made = Command::new("mount").args(["-t", "tmpfs", "-o", &size, "tmpfs"]).arg(&folder).output().unwrap();
        made.status.success().then_some(Self(folder))
    }

    /// Takes up what is free but for so many bytes; gives the file that does.
    fn fill_but(&self, bytes: u64) -> PathBuf {
        let path = self.fill();
        let file = std::fs::File::options().write(true).open(&path).unwrap();
        file.set_len(std::fs::metadata(&path).unwrap().len() - bytes).unwrap();
        path
    }

    fn fill(&self) -> PathBuf {
        use std::io::Write;
        let path = self.0.join("filling");
        let mut file = std::fs::File::create(&path).unwrap();
        let mut piece = vec![1u8; 1 << 16];
        while !piece.is_empty() {
            if file.write_all(&piece).is_err() {
                piece.truncate(piece.len() / 2);
            }
        }
        path
    }
}

impl Drop for Disk {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("--lazy").arg(&self.0).status();
        let _ = std::fs::remove_dir(&self.0);
    }
}

pub async fn full() -> Vec<Line> {
    let nothing = |what: &str| vec![Line::new(what, 0, &[], "not tried: only root can make small disks here")];
    let mut lines = match Disk::of(24) {
        Some(disk) => vec![store(&disk).await],
        None => nothing("a full disk of the store"),
    };
    lines.extend(match Disk::of(200) {
        Some(disk) => vec![database_disk(&disk).await],
        None => nothing("a full disk of the database"),
    });
    lines
}

fn expect(broken: &mut Vec<String>, what: &str, got: &(u16, Value), status: u16, code: &str) {
    if got.0 != status || (!code.is_empty() && got.1["code"] != code) {
        broken.push(format!("{what}: {} {}", got.0, got.1));
    }
}

async fn store(disk: &Disk) -> Line {
    let root = disk.0.join("store");
    let s = TestServer::with(|x| {
        x.store = root.clone();
        x.keep_free_bytes = 0;
    })
    .await;
    let session = s.session("Full").await;
    let (mut broken, mut tried) = (Vec::new(), 0);
    let small = wav(&[hits(200_000, 1)], 48_000, None);
    s.bring_in(&session, &[("first.wav", small.clone())]).await;
    let deliver = json!({ "depth": "int24", "start": "session" });
    let (_, job) = s.post(&format!("/api/sessions/{session}/deliveries"), deliver.clone()).await;
    s.settled(&session).await;
    let filling = disk.fill();
    tried += 1;
    expect(&mut broken, "an upload", &s.upload(&session, "more.wav", small.clone()).await, 507, "disk_full");
    tried += 1;
    let archive = s.get(&format!("/api/deliveries/{}/archive.zip", job.as_str().unwrap())).await;
    expect(&mut broken, "an archive", &archive, 507, "disk_full");
    tried += 1;
    s.post(&format!("/api/sessions/{session}/deliveries"), deliver.clone()).await;
    let jobs = s.settled(&session).await;
    if !jobs.iter().any(|j| j["state"] == "failed" && j["error"].as_str().unwrap_or("").contains("disk is full")) {
        broken.push(format!("a delivery: {jobs:?}"));
    }
    // A little is free: the recording fits, its working copies do not. It is kept, said, and can be tried again.
    tried += 1;
    std::fs::File::options()
        .write(true)
        .open(&filling)
        .unwrap()
        .set_len(std::fs::metadata(&filling).unwrap().len() - 700_000)
        .unwrap();
    let (status, told) = s.upload(&session, "kept.wav", wav(&[hits(200_000, 2)], 48_000, None)).await;
    let jobs = s.settled(&session).await;
    let kept = jobs.iter().find(|j| j["id"] == told[0]["job"]).cloned().unwrap_or_default();
    if status != 202 || kept["state"] != "failed" || !kept["error"].as_str().unwrap_or("").contains("is kept") {
        broken.push(format!("working copies: {status} {told} {kept}"));
    }
    std::fs::remove_file(filling).unwrap();
    tried += 1;
    s.post(&format!("/api/jobs/{}/retry", kept["id"].as_str().unwrap_or("")), json!({})).await;
    s.settled(&session).await;
    if s.tracks(&session).await.len() != 2 {
        broken.push("with room again it does not come in".into());
    }
    let parts = walk(&root.join("parts"));
    if !parts.is_empty() {
        broken.push(format!("parts are left: {parts:?}"));
    }
    Line::new(
        "a full disk of the store: upload, archive, delivery, working copies, and room again",
        tried,
        &broken,
        "507 or a sentence each time; nothing half was left, nothing was lost",
    )
}

fn walk(folder: &Path) -> Vec<PathBuf> {
    let all = std::fs::read_dir(folder).into_iter().flatten().flatten();
    all.flat_map(|e| if e.path().is_dir() { walk(&e.path()) } else { vec![e.path()] })
        .filter(|p| p.extension().is_none_or(|e| e != "lock"))
        .collect()
}

async fn database_disk(disk: &Disk) -> Line {
    let folder = disk.0.join("data");
    let owner = Command::new("sleep").arg("3600").spawn().unwrap();
    let out =
        Command::new(project().join("scripts/database.sh")).arg(&folder).arg(owner.id().to_string()).output().unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let url = String::from_utf8(out.stdout).unwrap().trim().to_string();
    // A process of its own: where its database lies is asked once.
    let store = tempfile::tempdir().unwrap();
    let p = Process::start(&url, store.path());
    let http = reqwest::Client::new();
    let ask = async |r: reqwest::RequestBuilder| -> (u16, Value) {
        let answer = r.send().await.unwrap();
        (answer.status().as_u16(), answer.json().await.unwrap_or_default())
    };
    let post = async |path: &str, body: Value| ask(http.post(format!("{}{path}", p.base)).json(&body)).await;
    let get = async |path: &str| ask(http.get(format!("{}{path}", p.base))).await;
    let session = post("/api/sessions", json!({ "name": "Full database" })).await.1["id"].as_str().unwrap().to_string();
    let form = reqwest::multipart::Part::bytes(wav(&[hits(60_000, 1)], 48_000, None)).file_name("x.wav");
    let form = reqwest::multipart::Form::new().part("file", form);
    ask(http.post(format!("{}/api/sessions/{session}/recordings", p.base)).multipart(form)).await;
    let track = loop {
        let detail = get(&format!("/api/sessions/{session}")).await.1;
        if let Some(id) = detail["tracks"][0]["id"].as_str() {
            break id.to_string();
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    };
    let (mut broken, mut decided) = (Vec::new(), 0);
    // A little over what must stay free, so that some decisions fit.
    let filling = disk.fill_but((32 << 20) + (3 << 20));
    // Long reasons need new pages soon.
    let mut refused = None;
    for n in 0..4_000 {
        let many: std::collections::BTreeMap<String, String> =
            (0..90).map(|k| (format!("{n}-{k}"), "because ".repeat(36))).collect();
        let body =
            json!({ "label": format!("{n}"), "changes": [{ "track_id": track, "after": { "dismissed": many } }] });
        match post(&format!("/api/sessions/{session}/decisions"), body).await {
            (201, _) => decided += 1,
            other => {
                refused = Some(other);
                break;
            }
        }
    }
    match &refused {
        Some(got) => expect(&mut broken, "a decision", got, 507, "database_full"),
        None => broken.push("the disk never became full".into()),
    }
    let health = get("/api/health").await;
    if health.0 != 503 || health.1["database"] != "full" {
        broken.push(format!("health: {} {}", health.0, health.1));
    }
    let count = get(&format!("/api/sessions/{session}")).await.1["steps"]["count"].as_u64().unwrap_or(0);
    if count != decided {
        broken.push(format!("{decided} decisions were acknowledged, {count} are there"));
    }
    std::fs::remove_file(filling).unwrap();
    let again = json!({ "label": "room", "changes": [{ "track_id": track, "after": { "gain_db": 1.0 } }] });
    expect(&mut broken, "with room again", &post(&format!("/api/sessions/{session}/decisions"), again).await, 201, "");
    if get("/api/health").await.1["database"] != "up" {
        broken.push("health does not recover".into());
    }
    p.kill();
    end(owner);
    Line::new(
        "a full disk of the database: decisions, health, and room again",
        5,
        &broken,
        &format!(
            "after {decided} decisions 507 *database_full*; every acknowledged one was there; with room it went on"
        ),
    )
}

fn end(mut owner: std::process::Child) {
    let _ = owner.kill();
    let _ = owner.wait();
    // The watcher ends the database, which still lies on the disk that goes next.
    std::thread::sleep(std::time::Duration::from_secs(2));
}
