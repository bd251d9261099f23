//! What server and browser tests share: a database each, a server each, made-up recordings.
// Each program of tests uses a part of it.
#![allow(dead_code, missing_docs, unused_imports)]

mod sessions;
mod sound;
mod stalls;

pub use sessions::*;
pub use sound::*;
pub use stalls::*;

use marea_server::settings::Settings;
use serde_json::Value;
use sqlx::Connection;
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::OnceLock;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};
use tokio::sync::watch;

pub fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().expect("the project's folder")
}

/// Address of the test MariaDB, without a database name. Started here when `make test` did not; a watcher ends it with
/// this process.
fn server_url() -> &'static str {
    static URL: OnceLock<String> = OnceLock::new();
    URL.get_or_init(|| {
        let url = std::env::var("MAREA_TEST_DATABASE_URL").unwrap_or_else(|_| {
            let folder = project().join(format!("target/test-database-{}", std::process::id()));
            forget_old_ones(&project().join("target"));
            let out = Command::new(project().join("scripts/database.sh"))
                .arg(folder)
                .arg(std::process::id().to_string())
                .arg("tests")
                .stderr(Stdio::inherit())
                .output()
                .expect("scripts/database.sh runs");
            assert!(out.status.success(), "the test database did not start");
            String::from_utf8(out.stdout).expect("an address").trim().to_string()
        });
        url.rsplit_once('/').expect("an address with a name").0.to_string()
    })
}

/// Removes what test processes left that are gone by now.
fn forget_old_ones(target: &Path) {
    for entry in std::fs::read_dir(target).into_iter().flatten().flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        let gone = name.strip_prefix("test-database-").is_some_and(|pid| !Path::new("/proc").join(pid).exists());
        if gone {
            let _ = std::fs::remove_dir_all(entry.path());
        }
    }
}

/// A new empty database; its address.
pub async fn database() -> String {
    static NEXT: AtomicU32 = AtomicU32::new(0);
    let name = format!("test_{}_{}", std::process::id(), NEXT.fetch_add(1, Ordering::Relaxed));
    let pool = sqlx::MySqlPool::connect(&format!("{}/marea", server_url())).await.expect("the test database answers");
    for sql in [format!("DROP DATABASE IF EXISTS {name}"), format!("CREATE DATABASE {name}")] {
        sqlx::query(sqlx::AssertSqlSafe(sql)).execute(&pool).await.expect("a database of its own");
    }
    pool.close().await;
    format!("{}/{name}", server_url())
}

pub fn settings(database_url: String, store: &Path) -> Settings {
    Settings {
        database_url,
        store: store.to_path_buf(),
        port: 0,
        keep_free_bytes: 1 << 20,
        max_upload_bytes: 1 << 30,
        demo: false,
        demo_files: None,
        program: Some(env!("CARGO_BIN_EXE_marea").into()),
        log_json: false,
    }
}

/// How long a test waits for what must come. On a machine that is busy with something else it comes late.
pub const MOST_S: u64 = 240;

/// A server in this process.
pub struct TestServer {
    pub base: String,
    pub store: tempfile::TempDir,
    pub database_url: String,
    pub http: reqwest::Client,
    end: watch::Sender<bool>,
    thread: Option<std::thread::JoinHandle<()>>,
}

impl TestServer {
    pub async fn start() -> Self {
        Self::with(|_| {}).await
    }

    pub async fn with(change: impl FnOnce(&mut Settings)) -> Self {
        Self::on(database().await, tempfile::tempdir().expect("a folder"), change).await
    }

    /// On a database and a store that may hold something.
    async fn on(database_url: String, store: tempfile::TempDir, change: impl FnOnce(&mut Settings)) -> Self {
        let mut s = settings(database_url.clone(), store.path());
        change(&mut s);
        let listener = TcpListener::bind("127.0.0.1:0").expect("a free port");
        let base = format!("http://{}", listener.local_addr().expect("an address"));
        let (end, ended) = watch::channel(false);
        let thread = std::thread::spawn(move || {
            actix_web::rt::System::new().block_on(async move {
                if let Err(e) = marea_server::run::run(listener, s, ended, || {}).await {
                    eprintln!("the test server ended: {e}");
                }
            });
        });
        // A connection of its own for every request: one kept open while a test computes for some seconds may have been closed by
        // the server the moment it is used again.
        let http = reqwest::Client::builder().pool_max_idle_per_host(0).build().expect("a client");
        let made = Self { base, store, database_url, http, end, thread: Some(thread) };
        made.until("the server answers", async |s: &Self| {
            s.http.get(format!("{}/api/health", s.base)).send().await.is_ok()
        })
        .await;
        made
    }

    pub async fn until(&self, what: &str, mut check: impl AsyncFnMut(&Self) -> bool) {
        let began = Instant::now();
        while !check(self).await {
            assert!(began.elapsed() < Duration::from_secs(MOST_S), "waited in vain: {what}");
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    }

    pub async fn get(&self, path: &str) -> (u16, Value) {
        answer(self.http.get(format!("{}{path}", self.base)).send().await.expect("an answer")).await
    }

    /// What is known of a plan: it stands in the address.
    pub async fn asked(&self, path: &str, of: &Value) -> (u16, Value) {
        let kept = |b: u8| b.is_ascii_alphanumeric();
        let one = |b: u8| if kept(b) { (b as char).to_string() } else { format!("%{b:02X}") };
        self.get(&format!("{path}?of={}", of.to_string().bytes().map(one).collect::<String>())).await
    }

    pub async fn post(&self, path: &str, body: Value) -> (u16, Value) {
        answer(self.http.post(format!("{}{path}", self.base)).json(&body).send().await.expect("an answer")).await
    }

    pub async fn put(&self, path: &str, body: Value) -> (u16, Value) {
        answer(self.http.put(format!("{}{path}", self.base)).json(&body).send().await.expect("an answer")).await
    }

    pub async fn patch(&self, path: &str, body: Value) -> (u16, Value) {
        answer(self.http.patch(format!("{}{path}", self.base)).json(&body).send().await.expect("an answer")).await
    }

    /// All of a session's history, oldest first.
    pub async fn history(&self, session: &str) -> Vec<Value> {
        let mut all: Vec<Value> = Vec::new();
        loop {
            let before = all.last().map_or(String::new(), |d| format!("?before={}", d["id"]));
            let (_, page) = self.get(&format!("/api/sessions/{session}/decisions{before}")).await;
            match page.as_array() {
                Some(page) if !page.is_empty() => all.extend(page.iter().cloned()),
                _ => break,
            }
        }
        all.reverse();
        all
    }

    pub async fn session(&self, name: &str) -> String {
        let (status, body) = self.post("/api/sessions", serde_json::json!({ "name": name })).await;
        assert_eq!(status, 201, "{body}");
        body["id"].as_str().expect("an id").to_string()
    }

    pub async fn upload(&self, session: &str, name: &str, bytes: Vec<u8>) -> (u16, Value) {
        let part = reqwest::multipart::Part::bytes(bytes).file_name(name.to_string());
        let form = reqwest::multipart::Form::new().part("file", part);
        let url = format!("{}/api/sessions/{session}/recordings", self.base);
        answer(self.http.post(url).multipart(form).send().await.expect("an answer")).await
    }

    /// The jobs of a session once none is at work any more.
    pub async fn settled(&self, session: &str) -> Vec<Value> {
        let mut jobs = Vec::new();
        self.until("jobs end", async |s: &Self| {
            let (status, list) = s.get(&format!("/api/sessions/{session}/jobs")).await;
            jobs = list.as_array().cloned().unwrap_or_default();
            // While the database is away nobody knows.
            status == 200 && jobs.iter().all(|j| !["queued", "running"].contains(&j["state"].as_str().unwrap_or("")))
        })
        .await;
        jobs
    }

    /// Brings files in and gives the tracks.
    pub async fn bring_in(&self, session: &str, files: &[(&str, Vec<u8>)]) -> Vec<Value> {
        let mut mine = Vec::new();
        for (name, bytes) in files {
            let (status, body) = self.upload(session, name, bytes.clone()).await;
            assert_eq!(status, 202, "{body}");
            mine.push(body[0]["job"].clone());
        }
        let jobs = self.settled(session).await;
        assert!(jobs.iter().filter(|j| mine.contains(&j["id"])).all(|j| j["state"] == "done"), "{jobs:?}");
        self.tracks(session).await
    }

    pub async fn tracks(&self, session: &str) -> Vec<Value> {
        self.get(&format!("/api/sessions/{session}")).await.1["tracks"].as_array().cloned().unwrap_or_default()
    }
}

impl Drop for TestServer {
    fn drop(&mut self) {
        let _ = self.end.send(true);
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

async fn answer(response: reqwest::Response) -> (u16, Value) {
    let status = response.status().as_u16();
    let text = response.text().await.unwrap_or_default();
    let value = serde_json::from_str(&text).unwrap_or(Value::String(text));
    (status, value)
}

/// The server as a process of its own, to be killed.
pub struct Process {
    pub child: Child,
    pub base: String,
}

impl Process {
    pub fn start(database_url: &str, store: &Path) -> Self {
        Self::at(database_url, store, "0")
    }

    pub fn at(database_url: &str, store: &Path, port: &str) -> Self {
        use std::io::BufRead;
        let mut child = Command::new(env!("CARGO_BIN_EXE_marea"))
            .args(["serve", "--port", port])
            .env("MAREA_DATABASE_URL", database_url)
            .env("MAREA_STORE", store)
            .env("MAREA_KEEP_FREE_BYTES", "1000000")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("the server starts");
        let mut line = String::new();
        std::io::BufReader::new(child.stdout.take().expect("its output")).read_line(&mut line).expect("a line");
        let base = line.trim().trim_start_matches("Marea is at ").trim_end_matches('/').to_string();
        Self { child, base }
    }

    pub fn kill(mut self) {
        self.child.kill().expect("killed");
        self.child.wait().expect("gone");
    }
}

impl Drop for Process {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
