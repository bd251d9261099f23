//! Speed of bringing in for `make bench`: printed, never asserted.

mod common;

use bytes::Bytes;
use common::*;
use marea_server::hash::Sum;
use std::io::Write;
use std::time::Instant;

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
        "| bringing in {PIECES} MiB by the page's protocol, kept on the disk | {:.2} × the speed of SHA-256 in plain code; {:.0} MB/s, that hash alone {:.0} MB/s, the one used {:.0} MB/s, the disk alone {:.0} MB/s | ≥ 0.8 × |",
        hashing / sending,
        mb(sending),
        mb(hashing),
        mb(kept),
        mb(disk)
    );
}
