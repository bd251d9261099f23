//! What server and browser tests share: a database each, a server each, made-up recordings.
#![allow(dead_code, missing_docs)]

use marea_core::units::SampleRate;
use marea_media::write::{Depth, WavWriter, WriteSpec};
use marea_scene::{harbour_hall, write_files};
use marea_server::settings::Settings;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde_json::Value;
use sqlx::Connection;
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::OnceLock;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};
use tokio::sync::{OnceCell, watch};

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
            let (_, list) = s.get(&format!("/api/sessions/{session}/jobs")).await;
            jobs = list.as_array().cloned().unwrap_or_default();
            jobs.iter().all(|j| !["queued", "running"].contains(&j["state"].as_str().unwrap_or("")))
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

pub fn rate(hz: u64) -> SampleRate {
    SampleRate::new(hz).expect("a rate")
}

/// Noise bursts that decay: struck sounds at known frames.
pub fn hits(frames: usize, seed: u64) -> Vec<f32> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut out = vec![0f32; frames];
    let mut at = 4_800;
    while at + 9_600 < frames {
        let force: f32 = rng.random_range(0.3..0.8);
        for k in 0..4_800 {
            let noise: f32 = rng.random_range(-1.0..1.0);
            out[at + k] += force * noise * (-(k as f32) / 700.0).exp();
        }
        at += rng.random_range(9_000..16_000);
    }
    // On the grid of 24 bits, so that a whole offset can be checked bit by bit.
    out.iter().map(|v| (v * 8_388_608.0).round() / 8_388_608.0).collect()
}

/// `x` later by `frames` (negative: earlier), times `factor`, same length.
pub fn moved(x: &[f32], frames: i64, factor: f32) -> Vec<f32> {
    (0..x.len() as i64)
        .map(|n| usize::try_from(n - frames).ok().and_then(|i| x.get(i)).map_or(0.0, |v| v * factor))
        .collect()
}

/// The bytes of a 24-bit file.
pub fn wav(planes: &[Vec<f32>], rate_hz: u64, stamp: Option<u64>) -> Vec<u8> {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("x.wav");
    let mut spec = WriteSpec::new(rate(rate_hz), u16::try_from(planes.len()).expect("few channels"), Depth::Int24);
    spec.time_reference = stamp.unwrap_or(0);
    let mut out = WavWriter::create(&path, spec).expect("a file");
    let block: Vec<f32> = (0..planes[0].len()).flat_map(|t| planes.iter().map(move |p| p[t])).collect();
    out.push(&block).expect("written");
    out.finish().expect("finished");
    std::fs::read(path).expect("read")
}

/// The bytes of a 32-bit float file of one channel.
pub fn float_wav(x: &[f32]) -> Vec<u8> {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("x.wav");
    let mut out = WavWriter::create(&path, WriteSpec::new(rate(48_000), 1, Depth::Float32)).expect("a file");
    out.push(x).expect("written");
    out.finish().expect("finished");
    std::fs::read(path).expect("read")
}

/// Channels of a file in memory.
pub fn read(bytes: &[u8]) -> (marea_media::AudioInfo, Vec<Vec<f32>>) {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("x.wav");
    std::fs::write(&path, bytes).expect("written");
    marea_media::read_all(&path).expect("a recording")
}

/// Times at which this machine gave nobody any time: a thread that only sleeps wakes up late. And how much of the time somebody
/// waited for a processor, as the kernel counts it (pressure stall information of Linux).
pub struct Stalls {
    kept: std::sync::Arc<std::sync::Mutex<(usize, f64)>>,
    began: Instant,
    waited_us: Option<u64>,
}

/// Microseconds in which somebody waited for a processor, since the machine was started.
fn waited_us() -> Option<u64> {
    let text = std::fs::read_to_string("/proc/pressure/cpu").ok()?;
    text.lines().find(|l| l.starts_with("some"))?.rsplit_once("total=")?.1.trim().parse().ok()
}

impl Stalls {
    pub fn watch() -> Self {
        let kept = std::sync::Arc::new(std::sync::Mutex::new((0, 0.0)));
        let weak = std::sync::Arc::downgrade(&kept);
        std::thread::spawn(move || {
            while let Some(kept) = weak.upgrade() {
                let began = Instant::now();
                std::thread::sleep(Duration::from_millis(10));
                let late = began.elapsed().as_secs_f64() - 0.01;
                if late > 0.1 {
                    let mut sum = kept.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
                    *sum = (sum.0 + 1, sum.1 + late);
                }
            }
        });
        Self { kept, began: Instant::now(), waited_us: waited_us() }
    }

    pub fn told(&self) -> String {
        let (times, seconds) = self.sum();
        let busy = self.pressure() * 100.0;
        format!(
            "the machine itself stood still {times} times, {seconds:.1} s in all; somebody waited for a processor {busy:.0} % of the time"
        )
    }

    /// How often, and seconds in all.
    pub fn sum(&self) -> (usize, f64) {
        *self.kept.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// Part of the time, 0 … 1, in which somebody waited for a processor; 0 where the kernel does not count it.
    pub fn pressure(&self) -> f64 {
        match (self.waited_us, waited_us()) {
            (Some(then), Some(now)) => (now - then) as f64 / 1e6 / self.began.elapsed().as_secs_f64(),
            _ => 0.0,
        }
    }
}

/// Three short recordings: a check of them takes a fraction of a second, so that many races are run.
pub async fn trio(s: &TestServer) -> (String, Vec<Value>) {
    let session = s.session("Races").await;
    let (a, b) = (hits(96_000, 1), hits(96_000, 2));
    let both: Vec<f32> = moved(&a, 130, 0.3).iter().zip(moved(&b, 210, 0.3)).map(|(x, y)| x + y).collect();
    let files = [("One.wav", a), ("Two.wav", b), ("Both.wav", both)].map(|(n, x)| (n, wav(&[x], 48_000, None)));
    let tracks = s.bring_in(&session, &files).await;
    (session, tracks)
}

/// A server with the demo session as it is recorded and brought in anew. The evening is played once for all tests of a process.
pub async fn with_demo() -> TestServer {
    static FILES: OnceLock<Vec<PathBuf>> = OnceLock::new();
    let folder = recordings("demo");
    let files = FILES.get_or_init(|| marea_server::demo::record(&folder).expect("the evening is recorded"));
    TestServer::with(|s| (s.demo, s.demo_files) = (true, Some(files.clone()))).await
}

/// A server with the demo session, once all of it is in and checked; brought in once for all tests of a process.
pub async fn with_demo_checked() -> TestServer {
    static MADE: OnceCell<Snapshot> = OnceCell::const_new();
    let made = async {
        let s = with_demo().await;
        let session = s.get("/api/sessions").await.1[0]["id"].as_str().expect("a session").to_string();
        Snapshot::of(s, &session, "demo-checked").await
    };
    MADE.get_or_init(|| made).await.server().await
}

/// All that a server had, to begin others with.
struct Snapshot {
    database_url: String,
    store: PathBuf,
}

impl Snapshot {
    /// Once a session is checked.
    async fn of(s: TestServer, session: &str, name: &str) -> Self {
        s.until("a check", async |s| {
            let (status, check) = s.get(&format!("/api/sessions/{session}/check")).await;
            status == 200 && check["stale"] == false
        })
        .await;
        s.settled(session).await;
        let store = recordings(name);
        let _ = std::fs::remove_dir_all(&store);
        linked(s.store.path(), &store);
        Self { database_url: s.database_url.clone(), store }
    }

    async fn server(&self) -> TestServer {
        let (url, folder) = (database().await, tempfile::tempdir().expect("a folder"));
        linked(&self.store, folder.path());
        copied(&self.database_url, &url).await;
        TestServer::on(url, folder, |_| {}).await
    }
}

/// The same files in another folder. Links do: a store never writes into a file that is there.
fn linked(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).expect("a folder");
    for entry in std::fs::read_dir(from).expect("a folder").flatten() {
        let there = to.join(entry.file_name());
        match entry.file_type() {
            Ok(kind) if kind.is_dir() => linked(&entry.path(), &there),
            _ => {
                if std::fs::hard_link(entry.path(), &there).is_err() {
                    std::fs::copy(entry.path(), &there).expect("a copy");
                }
            }
        }
    }
}

/// All tables of a database, with all that is in them, in an empty one on the same server.
async fn copied(from: &str, to: &str) {
    let name = |url: &str| url.rsplit_once('/').expect("a name").1.to_string();
    let mut db = sqlx::MySqlConnection::connect(to).await.expect("the test database answers");
    let run = async |db: &mut sqlx::MySqlConnection, sql: String| {
        sqlx::raw_sql(sqlx::AssertSqlSafe(sql)).execute(db).await.expect("a copy");
    };
    let tables: Vec<String> =
        sqlx::query_scalar("SELECT CAST(table_name AS CHAR) FROM information_schema.tables WHERE table_schema = ?")
            .bind(name(from))
            .fetch_all(&mut db)
            .await
            .expect("its tables");
    run(&mut db, "SET foreign_key_checks = 0".into()).await;
    for table in tables {
        let show = format!("SHOW CREATE TABLE {}.{table}", name(from));
        let row = sqlx::query(sqlx::AssertSqlSafe(show)).fetch_one(&mut db).await.expect("a table");
        run(&mut db, sqlx::Row::get::<String, _>(&row, 1)).await;
        run(&mut db, format!("INSERT INTO {table} SELECT * FROM {}.{table}", name(from))).await;
    }
}

/// An empty folder for recordings that all tests of this process share. It lies in the folder of the build, so that it does not
/// stay behind in the temporary one.
fn recordings(name: &str) -> PathBuf {
    let all = Path::new(env!("CARGO_TARGET_TMPDIR"));
    all.join(format!("{}-{name}", env!("CARGO_CRATE_NAME")))
}

/// A server with a session of one ensemble, checked; brought in once for all tests of a process.
pub async fn ensemble() -> (TestServer, String) {
    static MADE: OnceCell<Snapshot> = OnceCell::const_new();
    let s = MADE.get_or_init(ensemble_brought_in).await.server().await;
    let session = s.get("/api/sessions").await.1[0]["id"].as_str().expect("a session").to_string();
    (s, session)
}

/// The ensemble without what the demo has besides: as quick as it can be, and every fault of a session in it.
async fn ensemble_brought_in() -> Snapshot {
    let s = TestServer::start().await;
    let scene = harbour_hall::scene(harbour_hall::SECONDS, 1);
    let start = harbour_hall::TIME_REFERENCE;
    let paths = write_files(&scene.render(), &recordings("ensemble"), start, &scene.faults);
    let paths = paths.expect("the ensemble is recorded");
    let name = |p: &std::path::PathBuf| p.file_name().unwrap().to_string_lossy().into_owned();
    let files: Vec<(String, Vec<u8>)> = paths.iter().map(|p| (name(p), std::fs::read(p).unwrap())).collect();
    let session = s.session("Ensemble").await;
    let files: Vec<(&str, Vec<u8>)> = files.iter().map(|(n, b)| (n.as_str(), b.clone())).collect();
    s.bring_in(&session, &files).await;
    Snapshot::of(s, &session, "ensemble-checked").await
}
