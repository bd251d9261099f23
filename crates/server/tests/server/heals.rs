//! The store heals what it can and names what it cannot; what a killed server left is cleared away.

use super::api::{lose, walk};
use crate::common::*;
use serde_json::{Value, json};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::Command;

fn recording(s: &TestServer, track: &Value) -> PathBuf {
    let sha = track["recording"].as_str().unwrap();
    s.store.path().join("recordings").join(&sha[..2]).join(sha)
}

fn work(s: &TestServer, track: &Value) -> PathBuf {
    s.store.path().join("work").join(format!("{}-48000", track["recording"].as_str().unwrap()))
}

async fn delivered(s: &TestServer, session: &str) -> Value {
    let (status, job) =
        s.post(&format!("/api/sessions/{session}/deliveries"), json!({ "depth": "float32", "start": "session" })).await;
    assert_eq!(status, 202, "{job}");
    s.settled(session).await.into_iter().find(|j| j["id"] == job).unwrap()
}

fn sound(s: &TestServer, job: &Value, file: &str) -> Vec<f32> {
    let folder = s.store.path().join("deliveries").join(job["id"].as_str().unwrap());
    marea_media::read_all(&folder.join(file)).unwrap().1.remove(0)
}

#[actix_web::test]
async fn working_copies_are_made_anew_and_deliver_the_same() {
    let s = TestServer::start().await;
    let session = s.session("Copies").await;
    let x = hits(200_000, 1);
    let tracks = s.bring_in(&session, &[("x.wav", wav(std::slice::from_ref(&x), 48_000, None))]).await;
    let first = work(&s, &tracks[0]);
    // Gone, empty, cut short, without its overview: each time the delivery holds every sample.
    let spoil: [&dyn Fn(); 4] = [
        &|| lose(&s, &tracks[0], false),
        &|| std::fs::write(first.join("1.f32"), b"").unwrap(),
        &|| std::fs::File::options().write(true).open(first.join("1.f32")).unwrap().set_len(4_000).unwrap(),
        &|| std::fs::remove_file(first.join("1.overview")).unwrap(),
    ];
    for (n, spoil) in spoil.iter().enumerate() {
        spoil();
        let job = delivered(&s, &session).await;
        assert_eq!(job["state"], "done", "{n}: {job}");
        assert!(sound(&s, &job, "x.wav") == x, "{n}: another sound");
    }
    // Also for those who only look or listen.
    std::fs::write(first.join("1.f32"), b"").unwrap();
    let tile = format!("/api/sessions/{session}/tracks/{}/tiles/samples/0", tracks[0]["id"].as_str().unwrap());
    assert_eq!(s.get(&tile).await.0, 200);
    assert_eq!(std::fs::metadata(first.join("1.f32")).unwrap().len(), 800_000);
}

#[actix_web::test]
async fn a_recording_cut_short_in_the_store_is_named_and_healed_by_bringing_it_in_again() {
    let s = TestServer::start().await;
    let session = s.session("Cut in the store").await;
    let bytes = wav(&[hits(200_000, 2)], 48_000, None);
    let tracks = s.bring_in(&session, &[("Cello.wav", bytes.clone())]).await;
    let place = recording(&s, &tracks[0]);
    std::fs::File::options().write(true).open(&place).unwrap().set_len(100_000).unwrap();
    lose(&s, &tracks[0], false);
    let job = delivered(&s, &session).await;
    assert_eq!(job["state"], "failed", "no delivery without sound: {job}");
    let said = job["error"].as_str().unwrap();
    assert!(said.contains("“Cello”") && said.contains("damaged") && said.contains("in again"), "{said}");
    let (status, body) = s.upload(&session, "Cello.wav", bytes.clone()).await;
    assert_eq!((status, &body[0]["known"]), (202, &json!(false)), "what lies there is not what was brought: {body}");
    s.settled(&session).await;
    assert_eq!(std::fs::read(&place).unwrap(), bytes);
    assert_eq!(delivered(&s, &session).await["state"], "done");
    // Altered at the same length: the good bytes take its place all the same.
    std::fs::write(&place, vec![7; bytes.len()]).unwrap();
    s.upload(&session, "Cello.wav", bytes.clone()).await;
    s.settled(&session).await;
    assert_eq!(std::fs::read(&place).unwrap(), bytes);
}

fn verify(s: &TestServer) -> (Option<i32>, String) {
    let out = Command::new(env!("CARGO_BIN_EXE_marea"))
        .arg("verify")
        .env("MAREA_DATABASE_URL", &s.database_url)
        .env("MAREA_STORE", s.store.path())
        .output()
        .unwrap();
    (out.status.code(), String::from_utf8(out.stdout).unwrap())
}

#[actix_web::test]
async fn verify_reads_everything() {
    let s = TestServer::start().await;
    let session = s.session("Verified").await;
    let files = [("a.wav", wav(&[hits(90_000, 3)], 48_000, None)), ("b.wav", wav(&[hits(90_000, 4)], 48_000, None))];
    let tracks = s.bring_in(&session, &files).await;
    let job = delivered(&s, &session).await;
    assert_eq!(verify(&s).0, Some(0));
    lose(&s, &tracks[0], false);
    let (status, said) = verify(&s);
    assert!(status == Some(0) && said.contains("1 of them made anew"), "{said}");
    assert!(work(&s, &tracks[0]).join("1.f32").exists());
    // One byte of another value, at the same length.
    let place = recording(&s, &tracks[1]);
    let mut bytes = std::fs::read(&place).unwrap();
    let last = bytes.len() - 1;
    bytes[last] ^= 1;
    std::fs::write(&place, bytes).unwrap();
    let folder = s.store.path().join("deliveries").join(job["id"].as_str().unwrap());
    std::fs::File::options().write(true).open(folder.join("a.wav")).unwrap().set_len(10).unwrap();
    let (status, said) = verify(&s);
    assert_eq!(status, Some(1));
    assert!(said.contains("not those that were brought in") && said.contains("“b.wav”"), "{said}");
    assert!(said.contains("a.wav is missing or cut short"), "{said}");
}

#[test]
fn parts_of_dead_servers_go_and_those_of_living_ones_stay() {
    use marea_server::store::Store;
    let root = tempfile::tempdir().unwrap();
    let living = Store::open(root.path(), 0).unwrap();
    std::fs::write(living.part(), b"on its way").unwrap();
    // A killed server leaves its folder and a lock that nobody holds.
    let dead = root.path().join("parts/0190-dead");
    std::fs::create_dir(&dead).unwrap();
    std::fs::write(dead.join("half"), vec![0; 1_000]).unwrap();
    std::fs::write(root.path().join("parts/0190-dead.lock"), b"").unwrap();
    let second = Store::open(root.path(), 0).unwrap();
    assert!(!dead.exists() && !root.path().join("parts/0190-dead.lock").exists());
    assert_eq!(walk(&root.path().join("parts")).len(), 1, "the living one keeps its part");
    drop((living, second));
    assert!(walk(&root.path().join("parts")).is_empty(), "who ends in order leaves nothing");
}

#[test]
fn the_store_is_for_its_owner_only() {
    use marea_server::store::Store;
    let mode = |p: &Path| std::fs::metadata(p).unwrap().permissions().mode() & 0o777;
    let root = tempfile::tempdir().unwrap();
    // Made open, by an older version.
    let old = root.path().join("recordings/ab");
    std::fs::create_dir_all(&old).unwrap();
    std::fs::write(old.join("x"), b"sound").unwrap();
    for open in [root.path().to_path_buf(), root.path().join("recordings"), old.clone()] {
        std::fs::set_permissions(open, std::fs::Permissions::from_mode(0o755)).unwrap();
    }
    std::fs::set_permissions(old.join("x"), std::fs::Permissions::from_mode(0o644)).unwrap();
    let _store = Store::open(root.path(), 0).unwrap();
    for folder in ["", "recordings", "recordings/ab", "work", "deliveries", "parts", "uploads"] {
        assert_eq!(mode(&root.path().join(folder)), 0o700, "{folder}");
    }
    assert_eq!(mode(&old.join("x")), 0o600);
}
