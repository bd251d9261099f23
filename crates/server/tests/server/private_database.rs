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
        assert!(began.elapsed() < Duration::from_secs(30), "waited in vain: {what}");
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
