//! kill -9 at any moment, of the server and of its database, and polite stops: whatever was acknowledged is there afterwards.

use crate::Line;
use crate::common::*;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::path::Path;
use std::process::{Child, Command};
use std::time::{Duration, Instant};

/// A database of its own, which may be killed.
struct Database {
    folder: tempfile::TempDir,
    owner: Child,
    url: String,
}

impl Database {
    fn start() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let owner = Command::new("sleep").arg("7200").spawn().unwrap();
        let url = Self::up(folder.path(), &owner);
        Self { folder, owner, url }
    }

    fn up(folder: &Path, owner: &Child) -> String {
        let out = Command::new(project().join("scripts/database.sh"))
            .arg(folder)
            .arg(owner.id().to_string())
            .output()
            .unwrap();
        assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
        String::from_utf8(out.stdout).unwrap().trim().to_string()
    }

    fn kill_and_start(&self) {
        let pid = std::fs::read_to_string(self.folder.path().join("db.pid")).unwrap().trim().to_string();
        let _ = Command::new("kill").args(["-9", &pid]).status();
        while Path::new("/proc").join(&pid).exists() {
            std::thread::sleep(Duration::from_millis(20));
        }
        assert_eq!(Self::up(self.folder.path(), &self.owner), self.url, "the same address");
    }
}

impl Drop for Database {
    fn drop(&mut self) {
        let _ = self.owner.kill();
        let _ = self.owner.wait();
    }
}

/// What the server has said yes to.
#[derive(Default)]
struct Acknowledged {
    /// SHA-256 in hex, and the bytes.
    uploads: BTreeMap<String, Vec<u8>>,
    /// Labels, in order.
    decisions: Vec<String>,
    deliveries: Vec<String>,
}

async fn ask(request: reqwest::RequestBuilder) -> Option<(u16, Value)> {
    let r = request.timeout(Duration::from_secs(120)).send().await.ok()?;
    let status = r.status().as_u16();
    Some((status, serde_json::from_str(&r.text().await.ok()?).ok()?))
}

/// Works until the server is gone: brings in, decides, delivers.
async fn work(base: String, session: String, seed: u64) -> Acknowledged {
    let (http, mut rng) = (reqwest::Client::new(), ChaCha8Rng::seed_from_u64(seed));
    let mut yes = Acknowledged::default();
    for n in 0.. {
        let url = |what: &str| format!("{base}/api/sessions/{session}/{what}");
        let answer = match rng.random_range(0..5) {
            0 | 1 => {
                // Every other one has to be resampled, which takes a while.
                let rate_hz = if rng.random_bool(0.5) { 48_000 } else { 44_100 };
                let bytes = wav(&[hits(rng.random_range(20_000..120_000), rng.random())], rate_hz, None);
                let part = reqwest::multipart::Part::bytes(bytes.clone()).file_name(format!("{seed}-{n}.wav"));
                let form = reqwest::multipart::Form::new().part("file", part);
                let answer = ask(http.post(url("recordings")).multipart(form)).await;
                if let Some((202, told)) = &answer {
                    yes.uploads.insert(told[0]["sha256"].as_str().unwrap().to_string(), bytes);
                }
                answer
            }
            kind => {
                let detail = ask(http.get(format!("{base}/api/sessions/{session}"))).await;
                let tracks = detail.as_ref().map(|d| d.1["tracks"].clone()).unwrap_or_default();
                let Some(track) = tracks.as_array().and_then(|t| t.get(rng.random_range(0..t.len().max(1)))) else {
                    if detail.is_none() {
                        return yes;
                    }
                    continue;
                };
                if kind == 4 {
                    let body = json!({ "depth": "int24", "start": "session", "tracks": [track["id"]] });
                    let answer = ask(http.post(url("deliveries")).json(&body)).await;
                    if let Some((202, job)) = &answer {
                        yes.deliveries.push(job.as_str().unwrap().to_string());
                    }
                    answer
                } else {
                    let label = format!("{seed}-{n}");
                    let change = json!({ "track_id": track["id"], "by_frames": rng.random_range(1..50) });
                    let answer =
                        ask(http.post(url("decisions")).json(&json!({ "label": label, "changes": [change] }))).await;
                    if let Some((201, _)) = &answer {
                        yes.decisions.push(label);
                    }
                    answer
                }
            }
        };
        if answer.is_none() {
            return yes;
        }
        tokio::time::sleep(Duration::from_millis(rng.random_range(0..120))).await;
    }
    yes
}

async fn until(what: &str, most_s: u64, mut check: impl AsyncFnMut() -> bool) -> bool {
    let began = Instant::now();
    while !check().await {
        if began.elapsed() > Duration::from_secs(most_s) {
            println!("waited in vain: {what}");
            return false;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    true
}

async fn up(base: &str) -> bool {
    until("the server answers", 60, async || {
        reqwest::get(format!("{base}/api/health")).await.is_ok_and(|r| r.status() == 200)
    })
    .await
}

async fn get(base: &str, path: &str) -> Value {
    reqwest::get(format!("{base}{path}")).await.unwrap().json().await.unwrap_or_default()
}

pub async fn servers_and_databases(kills: usize) -> Vec<Line> {
    let (db, store) = (Database::start(), tempfile::tempdir().unwrap());
    let mut rng = ChaCha8Rng::seed_from_u64(20_261_127);
    let mut p = Process::start(&db.url, store.path());
    assert!(up(&p.base).await);
    let made =
        ask(reqwest::Client::new().post(format!("{}/api/sessions", p.base)).json(&json!({ "name": "Killed" }))).await;
    let session = made.unwrap().1["id"].as_str().unwrap().to_string();
    let mut yes = Acknowledged::default();
    let mut databases = 0;
    for k in 0..kills {
        let worker = actix_web::rt::spawn(work(p.base.clone(), session.clone(), k as u64));
        tokio::time::sleep(Duration::from_millis(rng.random_range(30..1_600))).await;
        if k % 12 == 11 {
            databases += 1;
            db.kill_and_start();
            tokio::time::sleep(Duration::from_millis(rng.random_range(0..700))).await;
        }
        p.kill();
        let more = worker.await.unwrap();
        yes.uploads.extend(more.uploads);
        yes.decisions.extend(more.decisions);
        yes.deliveries.extend(more.deliveries);
        p = Process::start(&db.url, store.path());
        assert!(up(&p.base).await, "it comes up after {k} kills");
    }
    let base = p.base.clone();
    let settled = until("all jobs end", 600, async || {
        let jobs = get(&base, &format!("/api/sessions/{session}/jobs")).await;
        jobs.as_array()
            .is_some_and(|l| l.iter().all(|j| !["queued", "running"].contains(&j["state"].as_str().unwrap_or(""))))
    })
    .await;
    let detail = get(&base, &format!("/api/sessions/{session}")).await;
    let tracks: Vec<&str> =
        detail["tracks"].as_array().unwrap().iter().map(|t| t["recording"].as_str().unwrap()).collect();
    let lost = |broken: bool, what: String| broken.then_some(what);
    let uploads: Vec<String> = yes
        .uploads
        .iter()
        .filter_map(|(sha, bytes)| {
            let kept =
                std::fs::read(store.path().join("recordings").join(&sha[..2]).join(sha)).is_ok_and(|b| b == *bytes);
            lost(!kept || !tracks.contains(&sha.as_str()), format!("recording {sha} is not whole in the session"))
        })
        .collect();
    let mut history: Vec<serde_json::Value> = Vec::new();
    loop {
        let before = history.last().map_or(String::new(), |d| format!("?before={}", d["id"]));
        let page = get(&base, &format!("/api/sessions/{session}/decisions{before}")).await;
        match page.as_array() {
            Some(page) if !page.is_empty() => history.extend(page.iter().cloned()),
            _ => break,
        }
    }
    let labels: Vec<&str> = history.iter().map(|d| d["label"].as_str().unwrap()).collect();
    let decisions: Vec<String> = yes
        .decisions
        .iter()
        .filter_map(|l| lost(!labels.contains(&l.as_str()), format!("decision {l} is lost")))
        .collect();
    let listed = get(&base, &format!("/api/sessions/{session}/deliveries")).await;
    let deliveries: Vec<String> = yes
        .deliveries
        .iter()
        .filter_map(|id| {
            let done = listed.as_array().unwrap().iter().find(|j| j["id"] == json!(id));
            let whole = done.is_some_and(|j| {
                j["result"]["files"].as_array().unwrap().iter().all(|f| {
                    let path = store.path().join("deliveries").join(id).join(f["name"].as_str().unwrap());
                    std::fs::metadata(path).is_ok_and(|m| json!(m.len()) == f["bytes"])
                })
            });
            lost(!whole, format!("delivery {id} is not whole"))
        })
        .collect();
    let mut left = Vec::new();
    left.extend(lost(!settled, "jobs do not end".into()));
    let parts: Vec<_> = std::fs::read_dir(store.path().join("parts")).unwrap().flatten().collect();
    left.extend(lost(parts.len() > 2, format!("{} parts of dead servers are left", parts.len())));
    let verified = Command::new(env!("CARGO_BIN_EXE_marea"))
        .arg("verify")
        .env("MAREA_DATABASE_URL", &db.url)
        .env("MAREA_STORE", store.path())
        .output()
        .unwrap();
    left.extend(lost(!verified.status.success(), String::from_utf8_lossy(&verified.stdout).replace('\n', "; ")));
    p.kill();
    vec![
        Line::new(
            "kill -9 of the server while it works, of the database every twelfth time",
            kills + databases,
            &left,
            &format!(
                "{kills} and {databases}; it came up each time, no part was left, `marea verify` found nothing wrong"
            ),
        ),
        Line::new(
            "uploads acknowledged before the kills",
            yes.uploads.len(),
            &uploads,
            "each whole in the store and in the session",
        ),
        Line::new("decisions acknowledged", yes.decisions.len(), &decisions, "each in the history"),
        Line::new("deliveries asked for", yes.deliveries.len(), &deliveries, "each written whole, none given up"),
    ]
}

/// SIGTERM while a long file is being read.
pub async fn polite_stops(stops: usize) -> Line {
    let (url, store) = (database().await, tempfile::tempdir().unwrap());
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    let mut p = Process::start(&url, store.path());
    assert!(up(&p.base).await);
    // A connection for each: one that is kept while the next recording is made may be closed just then.
    let http = reqwest::Client::builder().pool_max_idle_per_host(0).build().unwrap();
    let made = ask(http.post(format!("{}/api/sessions", p.base)).json(&json!({ "name": "Stopped" }))).await;
    let session = made.unwrap().1["id"].as_str().unwrap().to_string();
    // The first sets the session's rate; the second, of another one, takes long.
    for (name, bytes) in [
        ("first.wav", wav(&[hits(50_000, 1)], 48_000, None)),
        ("long.wav", wav(&vec![hits(4_000_000, 2); 8], 44_100, None)),
    ] {
        let form = reqwest::multipart::Form::new().part("file", reqwest::multipart::Part::bytes(bytes).file_name(name));
        let to = format!("{}/api/sessions/{session}/recordings", p.base);
        let told = http.post(to).multipart(form).timeout(Duration::from_secs(120)).send().await;
        assert_eq!(told.unwrap_or_else(|e| panic!("{name}: {e:?}")).status(), 202, "{name}");
    }
    let (mut broken, mut longest) = (Vec::new(), 0f64);
    for n in 0..stops {
        let base = p.base.clone();
        let at_work = async || {
            get(&base, &format!("/api/sessions/{session}/jobs")).await.to_string().contains("reading long.wav")
        };
        if !until("it reads", 60, at_work).await {
            broken.push(format!("stop {n}: the file is not read"));
            break;
        }
        let began = Instant::now();
        let _ = Command::new("kill").arg(p.child.id().to_string()).status();
        let status = p.child.wait().unwrap();
        longest = longest.max(began.elapsed().as_secs_f64());
        let (state, attempts): (String, i32) =
            sqlx::query_as("SELECT state, attempts FROM jobs WHERE kind = 'import' ORDER BY created_at DESC LIMIT 1")
                .fetch_one(&pool)
                .await
                .unwrap();
        if !status.success() || state != "queued" || attempts != 0 {
            broken.push(format!("stop {n}: {status}, {state}, {attempts} attempts"));
        }
        p = Process::start(&url, store.path());
        assert!(up(&p.base).await);
    }
    let base = p.base.clone();
    let arrived = until("it is in", 300, async || {
        get(&base, &format!("/api/sessions/{session}")).await["tracks"].as_array().is_some_and(|t| t.len() == 9)
    })
    .await;
    if !arrived {
        broken.push("the file never came in".into());
    }
    let seen = format!("the longest took {longest:.2} s; each time the work was given back, and came in at the end");
    Line::new("SIGTERM while 64 MB are being resampled", stops, &broken, &seen)
}
