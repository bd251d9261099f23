//! Sessions that many tests begin with, made once a process.

use super::sound::{hits, moved, wav};
use super::*;
use marea_scene::{harbour_hall, write_files};
use std::sync::OnceLock;
use tokio::sync::OnceCell;

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
    let files =
        FILES.get_or_init(|| marea_server::demo::Demo::Evening.record(&folder).expect("the evening is recorded"));
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
