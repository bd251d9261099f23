//! scripts/database.sh: private, on loopback, and gone with its owner.

use crate::common::*;
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::process::{Child, Command};
use std::time::{Duration, Instant};

fn start(folder: &Path, owner: &Child) -> String {
    let out =
        Command::new(project().join("scripts/database.sh")).arg(folder).arg(owner.id().to_string()).output().unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8(out.stdout).unwrap().trim().to_string()
}

fn owner() -> Child {
    Command::new("sleep").arg("300").spawn().unwrap()
}

fn end(mut owner: Child) {
    owner.kill().unwrap();
    owner.wait().unwrap();
}

fn until(what: &str, check: impl Fn() -> bool) {
    let began = Instant::now();
    while !check() {
        assert!(began.elapsed() < Duration::from_secs(120), "waited in vain: {what}");
        std::thread::sleep(Duration::from_millis(100));
    }
}

#[actix_web::test]
async fn it_is_private_and_ends_with_its_last_owner() {
    let folder = tempfile::tempdir().unwrap();
    // A folder as deep as projects can lie: the socket's path would be too long for the system.
    let deep =
        folder.path().join("a-rather-long-name-of-a-folder/and-another-one-in-it/that-goes-on-for-quite-a-while/data");
    let (first, second) = (owner(), owner());
    let url = start(&deep, &first);
    assert!(url.starts_with("mysql://marea:") && url.contains("@127.0.0.1:"), "on loopback, with a user of its own");
    let password = std::fs::metadata(deep.join("password")).unwrap();
    assert_eq!(password.permissions().mode() & 0o777, 0o600);
    assert!(password.len() >= 24);
    assert_ne!(std::fs::read_to_string(deep.join("port")).unwrap().trim(), "3306");
    assert_eq!(start(&deep, &second), url, "a second start finds it running");
    let pid = std::fs::read_to_string(deep.join("db.pid")).unwrap().trim().to_string();
    let alive = || Path::new("/proc").join(&pid).exists();
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    let (address,): (String,) = sqlx::query_as("SELECT @@bind_address").fetch_one(&pool).await.unwrap();
    assert_eq!(address, "127.0.0.1");
    let (temporary,): (String,) = sqlx::query_as("SELECT @@tmpdir").fetch_one(&pool).await.unwrap();
    assert_eq!(Path::new(&temporary), deep.join("tmp"), "no other MariaDB clears it away");
    sqlx::query("CREATE TABLE kept (n INT)").execute(&pool).await.unwrap();
    let wrong = url.replacen("marea:", "marea:x", 1);
    assert!(sqlx::MySqlPool::connect(&wrong).await.is_err());
    assert!(sqlx::MySqlPool::connect(&url.replacen("marea:", "root:", 1)).await.is_err());
    pool.close().await;
    end(first);
    std::thread::sleep(Duration::from_secs(1));
    assert!(alive(), "somebody else still uses it");
    end(second);
    until("it ends with its last owner", || !alive());
    // kill -9 and a new start: what was written is there, at the same address.
    let third = owner();
    assert_eq!(start(&deep, &third), url);
    let pid = std::fs::read_to_string(deep.join("db.pid")).unwrap().trim().to_string();
    assert!(Command::new("kill").args(["-9", &pid]).status().unwrap().success());
    until("it is gone", || !Path::new("/proc").join(&pid).exists());
    assert_eq!(start(&deep, &third), url);
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    sqlx::query("INSERT INTO kept VALUES (1)").execute(&pool).await.unwrap();
    pool.close().await;
    let pid = std::fs::read_to_string(deep.join("db.pid")).unwrap().trim().to_string();
    end(third);
    until("it ends", || !Path::new("/proc").join(&pid).exists());
}

fn is_root() -> bool {
    rustix::process::geteuid().is_root()
}

/// As another user of the machine: whether a command succeeds, and what it said.
fn as_another(command: &[&str]) -> (bool, String) {
    let out = Command::new("setpriv")
        .args(["--reuid=65534", "--regid=65534", "--clear-groups"])
        .args(command)
        .current_dir("/")
        .output()
        .unwrap();
    (out.status.success(), String::from_utf8_lossy(&[out.stdout, out.stderr].concat()).into_owned())
}

/// Below a folder that everybody may enter, with a space in its name, open before.
#[actix_web::test]
async fn nobody_else_gets_in() {
    let outer = tempfile::tempdir().unwrap();
    std::fs::set_permissions(outer.path(), std::fs::Permissions::from_mode(0o755)).unwrap();
    let folder = outer.path().join("my data");
    std::fs::create_dir(&folder).unwrap();
    std::fs::set_permissions(&folder, std::fs::Permissions::from_mode(0o755)).unwrap();
    let owner = owner();
    let url = start(&folder, &owner);
    let mode = |p: &Path| std::fs::metadata(p).unwrap().permissions().mode() & 0o777;
    // As root the database's own account may pass through the outer folder; nobody else may do anything in either.
    assert_eq!(mode(&folder) & 0o067, 0, "{:o}", mode(&folder));
    assert_eq!((mode(&folder.join("mariadb")), mode(&folder.join("password"))), (0o700, 0o600));
    assert!(folder.join("mariadb/db.sock").exists(), "the socket lies in the private folder");
    assert!(!folder.join("mariadb/accounts.sql").exists(), "the accounts' file is gone once it was read");
    // The application's account: its own database and nothing else.
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    let grants: Vec<(String,)> = sqlx::query_as("SHOW GRANTS").fetch_all(&pool).await.unwrap();
    let on: Vec<&str> = grants.iter().filter_map(|g| g.0.split(" ON ").nth(1)).collect();
    assert!(on.iter().all(|o| o.starts_with("*.* TO") || o.starts_with("`marea`.*")), "{grants:?}");
    assert!(grants.iter().filter(|g| g.0.contains("*.*")).all(|g| g.0.starts_with("GRANT USAGE")), "{grants:?}");
    let fails = async |sql: &'static str| sqlx::query(sql).fetch_all(&pool).await.is_err();
    assert!(fails("SELECT * FROM mysql.global_priv").await);
    assert!(fails("SELECT 'x' INTO OUTFILE '/tmp/marea-must-not-be-written'").await);
    assert!(fails("CREATE DATABASE other").await);
    let (files,): (String,) = sqlx::query_as("SELECT @@secure_file_priv").fetch_one(&pool).await.unwrap();
    assert!(files.trim_end_matches('/').ends_with("no-files"), "{files}");
    let port = std::fs::read_to_string(folder.join("port")).unwrap().trim().to_string();
    for user in ["root", "mysql", "marea", ""] {
        let nobody = format!("mysql://{user}@127.0.0.1:{port}/mysql");
        assert!(sqlx::MySqlPool::connect(&nobody).await.is_err(), "{user} without a password");
    }
    pool.close().await;
    if is_root() {
        let pid = std::fs::read_to_string(folder.join("db.pid")).unwrap().trim().to_string();
        let status = std::fs::read_to_string(format!("/proc/{pid}/status")).unwrap();
        let uid = status.lines().find(|l| l.starts_with("Uid:")).unwrap().split_whitespace().nth(1).unwrap();
        assert_ne!(uid, "0", "the database does not run as root");
        let socket = folder.join("mariadb/db.sock").display().to_string();
        let inside = folder.display().to_string();
        for command in [
            vec!["ls", &inside],
            vec!["cat", &format!("{inside}/password")],
            vec!["mariadb", "--no-defaults", "--user=root", &format!("--socket={socket}"), "--execute=SELECT 1"],
            vec![
                "mariadb",
                "--no-defaults",
                "--user=root",
                "--host=127.0.0.1",
                &format!("--port={port}"),
                "--execute=SELECT 1",
            ],
        ] {
            let (done, said) = as_another(&command);
            assert!(!done, "{command:?}: {said}");
        }
    } else {
        println!("not run as root: no second user was made for the attempts from outside");
    }
    end(owner);
}

/// Whoever finds a folder of the version before, whose root had no password and whose application had every right, closes it.
#[actix_web::test]
async fn an_open_database_of_before_is_closed() {
    let folder = tempfile::tempdir().unwrap();
    let first = owner();
    let url = start(folder.path(), &first);
    // As it was: everything allowed from everywhere on this machine.
    let data = folder.path().join("mariadb");
    if !is_root() {
        println!("not run as root: the accounts of before cannot be made here");
        return end(first);
    }
    let sql = "CREATE USER 'root'@'127.0.0.1' IDENTIFIED BY ''; GRANT ALL ON *.* TO 'root'@'127.0.0.1'; GRANT ALL ON *.* TO 'marea'@'127.0.0.1'";
    let opened = Command::new("mariadb")
        .args(["--no-defaults", "--socket=db.sock", "--execute", sql])
        .current_dir(&data)
        .output()
        .unwrap();
    assert!(opened.status.success(), "{}", String::from_utf8_lossy(&opened.stderr));
    let open = url.replace(url.split(['/', '@']).nth(2).unwrap(), "root").replace("/marea", "/mysql");
    assert!(sqlx::MySqlPool::connect(&open).await.is_ok(), "{open}");
    let pid = std::fs::read_to_string(folder.path().join("db.pid")).unwrap().trim().to_string();
    end(first);
    until("it ends", || !Path::new("/proc").join(&pid).exists());
    let second = owner();
    assert_eq!(start(folder.path(), &second), url);
    assert!(sqlx::MySqlPool::connect(&open).await.is_err(), "closed");
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    assert!(sqlx::query("CREATE DATABASE other").execute(&pool).await.is_err(), "limited");
    pool.close().await;
    end(second);
}

/// Whoever removes the folder before the end leaves no database behind all the same.
#[test]
fn without_its_folder_it_ends_with_its_owner() {
    let folder = tempfile::tempdir().unwrap();
    let owner = owner();
    start(folder.path(), &owner);
    let pid = std::fs::read_to_string(folder.path().join("db.pid")).unwrap().trim().to_string();
    // The watcher has had the time to see it.
    std::thread::sleep(Duration::from_secs(1));
    // The database may write into it in the meantime.
    until("it is removed", || std::fs::remove_dir_all(folder.path()).is_ok() || !folder.path().exists());
    end(owner);
    until("it ends", || !Path::new("/proc").join(&pid).exists());
}

#[test]
fn a_setup_that_fails_says_why() {
    let folder = tempfile::tempdir().unwrap();
    // Something lies where the data should be made.
    std::fs::write(folder.path().join("mariadb.new"), "").unwrap();
    let nowhere =
        Command::new(project().join("scripts/database.sh")).arg(folder.path().join("mariadb.new/x")).output().unwrap();
    assert!(!nowhere.status.success() && !nowhere.stderr.is_empty());
    std::fs::create_dir_all(folder.path().join("mariadb/mysql")).unwrap();
    let out = Command::new(project().join("scripts/database.sh")).arg(folder.path()).output().unwrap();
    let said = String::from_utf8_lossy(&out.stderr);
    assert!(!out.status.success() && said.contains("MariaDB did not start") && said.contains("The end of"), "{said}");
    assert!(said.contains("ERROR"), "the log's own words: {said}");
}

/// A database that falls is started again by its watcher; one that was ended in order stays away until somebody starts it.
#[actix_web::test]
async fn a_fallen_database_comes_back_by_itself() {
    let folder = tempfile::tempdir().unwrap();
    let owner = owner();
    let url = start(folder.path(), &owner);
    // While another one takes over there is none for a moment.
    let pid = || std::fs::read_to_string(folder.path().join("db.pid")).unwrap_or_default().trim().to_string();
    let first = pid();
    assert!(Command::new("kill").args(["-9", &first]).status().unwrap().success());
    until("another one runs", || {
        let now = pid();
        !now.is_empty() && now != first && Path::new("/proc").join(now).exists()
    });
    let mut pool = sqlx::MySqlPool::connect(&url).await;
    for _ in 0..100 {
        if pool.is_ok() {
            break;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
        pool = sqlx::MySqlPool::connect(&url).await;
    }
    pool.expect("at the same address, with the same password").close().await;
    let second = pid();
    assert!(Command::new("kill").arg(&second).status().unwrap().success());
    until("it ends", || !Path::new("/proc").join(&second).exists());
    std::thread::sleep(Duration::from_secs(2));
    assert_eq!(pid(), second, "nobody started it");
    end(owner);
}
