//! Files whose bytes were altered: read as far as they go, or refused with a sentence; never a panic, never for long.

use crate::Line;
use crate::common::*;
use marea_media::Stop;
use marea_media::prepare::{PrepareError, prepare};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::time::Instant;

/// Whole files of every format that is read, small, with what headers can hold.
fn seeds() -> Vec<(&'static str, Vec<u8>)> {
    let x = hits(24_000, 1);
    let short = &x[4_000..8_000];
    let stereo = [short.to_vec(), short.iter().map(|v| -v).collect()];
    let mut made = vec![
        ("wav", wav(&[short.to_vec()], 48_000, None)),
        ("stereo.wav", wav(&stereo, 44_100, Some(1_234))),
        ("many.wav", wav(&vec![short[..600].to_vec(); 16], 96_000, None)),
    ];
    let float: Vec<u8> = short.iter().flat_map(|v| v.to_le_bytes()).collect();
    made.push(("float.wav", riff(b"RIFF", 3, 32, &float)));
    made.push(("rf64", riff(b"RF64", 1, 16, &float[..4_000])));
    let ints: Vec<i32> = short.iter().map(|v| (v * 30_000.0) as i32).collect();
    made.push(("flac", flac(&ints)));
    let big: Vec<u8> = ints.iter().flat_map(|v| (*v as i16).to_be_bytes()).collect();
    made.push(("aiff", aiff(&big)));
    made
}

fn riff(id: &[u8; 4], tag: u16, bits: u16, data: &[u8]) -> Vec<u8> {
    let chunk = |id: &[u8; 4], body: &[u8]| [id.as_slice(), &(body.len() as u32).to_le_bytes(), body].concat();
    let fmt = [
        &tag.to_le_bytes()[..],
        &1u16.to_le_bytes(),
        &48_000u32.to_le_bytes(),
        &(48_000 * u32::from(bits) / 8).to_le_bytes(),
        &(bits / 8).to_le_bytes(),
        &bits.to_le_bytes(),
    ]
    .concat();
    let wide = id == b"RF64";
    let mut ds64 = vec![0u8; 28];
    ds64[8..16].copy_from_slice(&(data.len() as u64).to_le_bytes());
    let mut samples = chunk(b"data", data);
    if wide {
        samples[4..8].copy_from_slice(&u32::MAX.to_le_bytes());
    }
    let body =
        [b"WAVE".to_vec(), if wide { chunk(b"ds64", &ds64) } else { vec![] }, chunk(b"fmt ", &fmt), samples].concat();
    let size = if wide { u32::MAX } else { body.len() as u32 };
    [id.to_vec(), size.to_le_bytes().to_vec(), body].concat()
}

fn aiff(data: &[u8]) -> Vec<u8> {
    let chunk = |id: &[u8; 4], body: &[u8]| [id.as_slice(), &(body.len() as u32).to_be_bytes(), body].concat();
    let comm = [
        &1u16.to_be_bytes()[..],
        &(data.len() as u32 / 2).to_be_bytes(),
        &16u16.to_be_bytes(),
        &[0x40, 0x0e, 0xbb, 0x80, 0, 0, 0, 0, 0, 0],
    ]
    .concat();
    let body = [b"AIFF".to_vec(), chunk(b"COMM", &comm), chunk(b"SSND", &[&[0; 8], data].concat())].concat();
    chunk(b"FORM", &body)
}

fn flac(samples: &[i32]) -> Vec<u8> {
    use flacenc::component::BitRepr;
    use flacenc::error::Verify;
    let config = flacenc::config::Encoder::default().into_verified().expect("a configuration");
    let source = flacenc::source::MemSource::from_samples(samples, 1, 16, 48_000);
    let mut stream = flacenc::encode_with_fixed_block_size(&config, source, 4_096).expect("encoded");
    stream.stream_info_mut().set_block_sizes(4_096, 4_096).expect("block sizes");
    let mut sink = flacenc::bitsink::ByteSink::new();
    stream.write(&mut sink).expect("written");
    sink.into_inner()
}

/// One to eight changes: a bit, a byte, a number of the edge, a piece left out, doubled or moved, the end cut off.
fn mutated_bytes(seed: &[u8], rng: &mut ChaCha8Rng) -> Vec<u8> {
    const EDGES: [u32; 10] = [0, 1, 2, 7, 255, 65_535, 0x7FFF_FFFF, 0x8000_0000, 0xFFFF_FFFE, 0xFFFF_FFFF];
    let mut b = seed.to_vec();
    for _ in 0..rng.random_range(1..=8) {
        if b.len() < 16 {
            break;
        }
        // Headers are where it hurts.
        let far = if rng.random_bool(0.7) { b.len().min(120) } else { b.len() };
        let at = rng.random_range(0..far - 4);
        match rng.random_range(0..7) {
            0 => b[at] ^= 1 << rng.random_range(0..8),
            1 => b[at] = rng.random(),
            2 => b[at..at + 4].copy_from_slice(&EDGES[rng.random_range(0..EDGES.len())].to_le_bytes()),
            3 => b[at..at + 4].copy_from_slice(&EDGES[rng.random_range(0..EDGES.len())].to_be_bytes()),
            4 => {
                let to = (at + rng.random_range(1..40)).min(b.len());
                b.drain(at..to);
            }
            5 => {
                let piece = b[at..(at + rng.random_range(1..60)).min(b.len())].to_vec();
                let to = rng.random_range(0..b.len());
                b.splice(to..to, piece);
            }
            _ => b.truncate(rng.random_range(12..b.len())),
        }
    }
    b
}

pub async fn mutated(count: usize) -> Vec<Line> {
    let line = tokio::task::spawn_blocking(move || by_the_reader(count)).await.unwrap();
    vec![line, through_the_server((count / 100).max(10)).await]
}

fn by_the_reader(count: usize) -> Line {
    let (seeds, mut rng) = (seeds(), ChaCha8Rng::seed_from_u64(7));
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("x");
    let (mut broken, mut read, mut longest) = (Vec::new(), 0, 0f64);
    std::panic::set_hook(Box::new(|_| {}));
    for n in 0..count {
        let (kind, seed) = &seeds[n % seeds.len()];
        std::fs::write(&path, mutated_bytes(seed, &mut rng)).unwrap();
        let work = folder.path().join("work");
        let _ = std::fs::remove_dir_all(&work);
        std::fs::create_dir(&work).unwrap();
        let began = Instant::now();
        let made = catch_unwind(AssertUnwindSafe(|| {
            prepare(&path, &work, rate(48_000), &Stop::default(), &mut |_| began.elapsed().as_secs() < 20)
        }));
        longest = longest.max(began.elapsed().as_secs_f64());
        match made {
            Ok(Ok(_)) => read += 1,
            Ok(Err(PrepareError::Stopped)) => broken.push(format!("{kind} {n} takes over 20 s")),
            Ok(Err(e)) if e.to_string().len() > 10 => {}
            Ok(Err(e)) => broken.push(format!("{kind} {n} is refused without a sentence: {e}")),
            Err(_) => {
                let kept = project().join("target/attack");
                let _ = std::fs::create_dir_all(&kept);
                let _ = std::fs::copy(&path, kept.join(format!("{n}-{kind}")));
                broken.push(format!("{kind} {n} panics"));
            }
        }
    }
    let _ = std::panic::take_hook();
    let seen = format!(
        "{read} were read as far as they go, the others refused with a sentence; the longest took {longest:.2} s"
    );
    Line::new("mutated WAV, RF64, FLAC and AIFF files, read to working copies", count, &broken, &seen)
}

async fn through_the_server(count: usize) -> Line {
    let (s, seeds, mut rng) = (TestServer::start().await, seeds(), ChaCha8Rng::seed_from_u64(8));
    let session = s.session("Mutated").await;
    let mut broken = Vec::new();
    let mut jobs = Vec::new();
    for n in 0..count {
        let (kind, seed) = &seeds[n % seeds.len()];
        let (status, told) = s.upload(&session, &format!("{n}.{kind}"), mutated_bytes(seed, &mut rng)).await;
        match status {
            202 => jobs.push((format!("{n}.{kind}"), told[0]["job"].clone())),
            _ => broken.push(format!("{n}.{kind}: {status} {told}")),
        }
    }
    let ended = s.settled(&session).await;
    for (name, job) in jobs {
        let Some(j) = ended.iter().find(|j| j["id"] == job) else {
            broken.push(format!("{name}: its job is gone"));
            continue;
        };
        let said = j["error"].as_str().unwrap_or("");
        let named = said.contains(&name) && !said.contains("panicked") && !said.contains("wrong inside");
        if !(j["state"] == "done" || j["state"] == "failed" && named) {
            broken.push(format!("{name}: {said}"));
        }
    }
    // The session is checked and delivered with whatever was read of them.
    let (_, job) = s
        .post(
            &format!("/api/sessions/{session}/deliveries"),
            serde_json::json!({ "depth": "int24", "start": "session" }),
        )
        .await;
    let last = s.settled(&session).await;
    if let Some(j) = last.iter().find(|j| j["id"] == job).filter(|j| j["state"] != "done") {
        broken.push(format!("the delivery afterwards: {j}"));
    }
    if s.get("/api/health").await.0 != 200 {
        broken.push("the server is not well afterwards".into());
    }
    Line::new(
        "mutated files brought in through the server, checked and delivered",
        count,
        &broken,
        "each in the session or refused by name",
    )
}
