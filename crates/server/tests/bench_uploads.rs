//! Speed of bringing in for `make bench`: printed, never asserted.

#[path = "common/browser.rs"]
mod browser;
mod common;

use browser::Browser;
use bytes::Bytes;
use common::*;
use marea_media::AudioReader;
use marea_scene::varied;
use marea_server::hash::Sum;
use rayon::prelude::*;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// Pieces of a megabyte.
const PIECES: usize = 600;

/// Writing the pieces to a file of its own until they are on the disk, in seconds: what no way in can be faster than.
fn disk_alone(pieces: &[Bytes]) -> f64 {
    let mut file = tempfile::tempfile().unwrap();
    let began = Instant::now();
    for n in 0..PIECES {
        file.write_all(&pieces[n % pieces.len()]).unwrap();
    }
    file.sync_all().unwrap();
    began.elapsed().as_secs_f64()
}

/// A file of 600 MB through the tus protocol on loopback, against what its bytes cost in any case, one after the other: SHA-256 in
/// plain code, which the bar was set by; by `ring`, which the server uses and which takes the processor's own instructions for it
/// where there are some; and the disk.
#[actix_web::test]
#[ignore = "prints times; make bench runs it"]
async fn uploads() {
    let s = TestServer::start().await;
    let session = s.session("Upload").await;
    // Unlike pieces, so that nothing on the way can take one for another; no recording, so that no import works beside.
    let piece =
        |n: usize| -> Bytes { (0..1usize << 20).map(|k| ((k * 31 + n * 7) >> 3) as u8).collect::<Vec<u8>>().into() };
    let pieces: Vec<Bytes> = (0..16).map(piece).collect();
    let mut speeds = Vec::new();
    for _ in 0..3 {
        let began = Instant::now();
        let mut plain = hmac_sha256::Hash::new();
        for n in 0..PIECES {
            plain.update(&pieces[n % 16]);
        }
        let hashing = began.elapsed().as_secs_f64();
        let began = Instant::now();
        let mut fast = Sum::default();
        for n in 0..PIECES {
            fast.update(&pieces[n % 16]);
        }
        let kept = began.elapsed().as_secs_f64();
        assert_eq!(plain.finalize().to_vec(), fast.finish());
        let disk = disk_alone(&pieces);
        let announced = s
            .http
            .post(format!("{}/api/sessions/{session}/uploads", s.base))
            .header("Upload-Length", PIECES << 20)
            .header("Upload-Metadata", "filename YmlnLmJpbg==")
            .send()
            .await
            .unwrap();
        let place = announced.headers()["location"].to_str().unwrap().to_string();
        let mine = pieces.clone();
        let body = futures_util::stream::iter((0..PIECES).map(move |n| Ok::<_, std::io::Error>(mine[n % 16].clone())));
        let began = Instant::now();
        let r = s
            .http
            .patch(format!("{}{place}", s.base))
            .header("Upload-Offset", 0)
            .body(reqwest::Body::wrap_stream(body))
            .send()
            .await
            .unwrap();
        assert_eq!(r.status(), 204);
        speeds.push([hashing, kept, disk, began.elapsed().as_secs_f64()]);
    }
    speeds.sort_by(|a, b| (a[0] / a[3]).total_cmp(&(b[0] / b[3])));
    let [hashing, kept, disk, sending] = speeds[1];
    let mb = |s: f64| PIECES as f64 * 1.048_576 / s;
    println!(
        "\n| bringing in {PIECES} MiB by the page's protocol, kept on the disk | {:.2} × the speed of SHA-256 in plain code; {:.0} MB/s, that hash alone {:.0} MB/s, the one used {:.0} MB/s, the disk alone {:.0} MB/s | ≥ 0.8 × |",
        hashing / sending,
        mb(sending),
        mb(hashing),
        mb(kept),
        mb(disk)
    );
}

/// Reads a file to its end.
fn decode(path: &Path) -> u64 {
    let mut reader = AudioReader::open(path).unwrap();
    let mut block = Vec::new();
    loop {
        reader.next_block(&mut block).unwrap();
        if block.is_empty() {
            return reader.finish().1;
        }
    }
}

/// Tracks and minutes of a session that comes in as a whole.
const TRACKS: usize = 24;
const MINUTES: usize = 5;

/// Recordings of such a session of so many players, in a folder.
fn recordings(folder: &Path, players: usize) -> Vec<(String, PathBuf)> {
    let played = varied::ensemble(75.0, 3, varied::Kind::Faulty, Some(players)).render();
    let named = played.files.iter().flat_map(|(name, planes)| {
        let stem = name.trim_end_matches(".wav");
        let one = move |c: usize| match planes.len() {
            1 => format!("{stem}.wav"),
            _ => format!("{stem} {}.wav", ["left", "right"][c]),
        };
        planes.iter().enumerate().map(move |(c, plane)| (one(c), plane))
    });
    let written = |(name, plane): (String, &Vec<f32>)| {
        let long: Vec<f32> = plane.iter().copied().cycle().take(48_000 * 60 * MINUTES).collect();
        let path = folder.join(&name);
        std::fs::write(&path, wav(&[long], 48_000, None)).unwrap();
        (name, path)
    };
    named.take(TRACKS).map(written).collect()
}

/// Seconds of decoding them all.
fn decoding(files: &[(String, PathBuf)]) -> f64 {
    let began = Instant::now();
    files.par_iter().for_each(|(_, path)| assert!(decode(path) > 0));
    began.elapsed().as_secs_f64()
}

/// Waits until there are findings of them all; how many.
async fn found(s: &TestServer, session: &str, tracks: usize) -> usize {
    let began = Instant::now();
    // The page is told when a job ends; asking for the check again and again would take the time that the check needs.
    loop {
        let (_, jobs) = s.get(&format!("/api/sessions/{session}/jobs")).await;
        let open = |j: &serde_json::Value| ["queued", "running"].contains(&j["state"].as_str().unwrap_or(""));
        if !jobs.as_array().is_some_and(|jobs| jobs.iter().any(open)) {
            let (status, check) = s.get(&format!("/api/sessions/{session}/check")).await;
            let all = check["tracks"].as_array().is_some_and(|t| t.len() == tracks);
            if status == 200 && all && check["stale"] == false {
                return check["findings"].as_array().map_or(0, Vec::len);
            }
        }
        assert!(began.elapsed() < Duration::from_secs(300), "no findings: {jobs}");
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
}

/// 24 tracks of five minutes chosen in the page: from the last byte until there are findings of them all, against decoding them.
#[actix_web::test]
#[ignore = "prints times; make bench runs it"]
async fn findings_after_the_last_byte() {
    let s = TestServer::start().await;
    for players in [9, 15] {
        let folder = tempfile::tempdir().unwrap();
        let files = recordings(folder.path(), players);
        decoding(&files);
        let before = decoding(&files);
        let session = s.session(&format!("{players} players")).await;
        let b = Browser::open(1280, 800).await;
        b.page.goto(&format!("{}/sessions/{session}/recordings", s.base)).await.expect("the page");
        let paths: Vec<String> = files.iter().map(|(_, path)| path.display().to_string()).collect();
        let chosen = Instant::now();
        b.find("[data-test=files]").await.send_keys(&paths.join("\n")).await.expect("files are chosen");
        loop {
            let (_, detail) = s.get(&format!("/api/sessions/{session}")).await;
            let waited_for = detail["uploads"].as_array().map_or(usize::MAX, Vec::len);
            let (_, jobs) = s.get(&format!("/api/sessions/{session}/jobs")).await;
            if waited_for == 0 && jobs.as_array().is_some_and(|j| j.len() >= files.len()) {
                break;
            }
            assert!(chosen.elapsed() < Duration::from_secs(300), "still on the way: {detail}");
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
        let (sending, began) = (chosen.elapsed().as_secs_f64(), Instant::now());
        let count = found(&s, &session, files.len()).await;
        let took = began.elapsed().as_secs_f64();
        let decoding = f64::midpoint(before, decoding(&files));
        // A line of its own: the runner writes a dot before it.
        println!(
            "\n| {} tracks × {MINUTES} min of {players} sources brought in through the page ({sending:.1} s of sending): from the last byte to their {count} findings | {:.2} × decoding them; {took:.2} s | ≤ 1 × |",
            files.len(),
            took / decoding
        );
        b.close().await;
    }
}
