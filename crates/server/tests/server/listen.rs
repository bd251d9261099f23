//! What is heard is what is delivered.

use crate::common::*;
use futures_util::{SinkExt, StreamExt};
use marea_core::measure::meter::correlation;
use serde_json::json;
use tokio_tungstenite::tungstenite::Message;

struct Heard {
    generation: u32,
    start: i64,
    /// For corrected, then recorded: peaks, RMS, correlation, null depth.
    readings: Vec<f32>,
    planes: Vec<Vec<f32>>,
}

fn parse(bytes: &[u8]) -> Heard {
    let frames = u32::from_le_bytes(bytes[4..8].try_into().unwrap()) as usize;
    let floats: Vec<f32> = bytes[16..].chunks_exact(4).map(|b| f32::from_le_bytes(b.try_into().unwrap())).collect();
    assert_eq!(floats.len(), 12 + 4 * frames);
    Heard {
        generation: u32::from_le_bytes(bytes[..4].try_into().unwrap()),
        start: i64::from_le_bytes(bytes[8..16].try_into().unwrap()),
        readings: floats[..12].to_vec(),
        planes: floats[12..].chunks_exact(frames).map(<[f32]>::to_vec).collect(),
    }
}

#[actix_web::test]
async fn streamed_blocks_are_the_exported_file() {
    let s = TestServer::start().await;
    let session = s.session("Listen").await;
    let x = hits(100_000, 1);
    let tracks = s
        .bring_in(
            &session,
            &[("x.wav", wav(&[x.clone()], 48_000, None)), ("y.wav", wav(&[moved(&x, 40, -1.0)], 48_000, None))],
        )
        .await;
    let after = json!({ "offset_frames": -37.37, "invert": true, "gain_db": -3.0 });
    let change = json!({ "label": "moved", "changes": [{ "track_id": tracks[1]["id"], "after": after }] });
    assert_eq!(s.post(&format!("/api/sessions/{session}/decisions"), change).await.0, 201);
    let (_, job) =
        s.post(&format!("/api/sessions/{session}/deliveries"), json!({ "depth": "float32", "start": "session" })).await;
    s.settled(&session).await;
    let file = s.store.path().join("deliveries").join(job.as_str().unwrap()).join("y.wav");
    let (_, delivered) = marea_media::read_all(&file).unwrap();

    let url = format!("{}/api/sessions/{session}/listen", s.base.replace("http", "ws"));
    let (mut socket, _) = tokio_tungstenite::connect_async(url).await.unwrap();
    let mut blocks = async |request: serde_json::Value, generation: u32, count: usize| {
        socket.send(Message::text(request.to_string())).await.unwrap();
        socket.send(Message::text(json!({ "type": "credit", "blocks": count }).to_string())).await.unwrap();
        let mut got = Vec::new();
        while got.len() < count {
            let message = tokio::time::timeout(std::time::Duration::from_secs(20), socket.next())
                .await
                .expect("a block")
                .unwrap()
                .unwrap();
            if let Message::Binary(bytes) = message {
                let heard = parse(&bytes);
                if heard.generation == generation {
                    got.push(heard);
                }
            }
        }
        got
    };
    let play = |generation: u32, from: i64, tracks: serde_json::Value| json!({ "type": "play", "from": from, "generation": generation, "mix": { "tracks": tracks } });
    let got = blocks(play(1, 0, json!([tracks[1]["id"]])), 1, 40).await;
    let mut at = 0;
    for block in &got {
        assert_eq!(block.start, at);
        for (n, v) in block.planes[0].iter().enumerate() {
            let file = delivered[0].get(at as usize + n).copied().unwrap_or(0.0);
            assert_eq!(v.to_bits(), file.to_bits(), "as corrected, frame {}", at as usize + n);
        }
        let recorded = moved(&x, 40, -1.0);
        assert!(
            block.planes[2]
                .iter()
                .enumerate()
                .all(|(n, v)| *v == recorded.get(at as usize + n).copied().unwrap_or(0.0)),
            "as recorded"
        );
        assert_eq!(block.planes[0], block.planes[1]);
        at += block.planes[0].len() as i64;
    }
    // Hard left and right: the first that is asked for left, at full level, whatever the order of the tracks.
    let mut apart = play(20, 0, json!([tracks[1]["id"], tracks[0]["id"]]));
    apart["mix"]["apart"] = json!(true);
    for block in blocks(apart, 20, 3).await {
        let at = block.start as usize;
        let recorded = moved(&x, 40, -1.0);
        assert_eq!(block.planes[2], recorded[at..at + block.planes[2].len()], "left");
        assert_eq!(block.planes[3], x[at..at + block.planes[3].len()], "right");
    }
    // The difference: the first minus the second, and how deep the null is. As recorded the second is turned over and late.
    let mut difference = play(21, 0, json!([tracks[0]["id"], tracks[1]["id"]]));
    difference["mix"]["difference"] = json!(true);
    let mut energies = [0f64; 2];
    for block in blocks(difference, 21, 9).await {
        let at = block.start as usize;
        let recorded = moved(&x, 40, -1.0);
        for (n, v) in block.planes[2].iter().enumerate() {
            assert_eq!(*v, x[at + n] - recorded[at + n], "frame {}", at + n);
            energies[0] += f64::from(*v).powi(2);
            energies[1] += f64::from(x[at + n]).powi(2);
        }
        if energies[1] == 0.0 {
            assert!(block.readings[11].is_nan(), "nothing to compare with");
            continue;
        }
        let expected = 10.0 * (energies[0] / energies[1]).log10();
        assert!((f64::from(block.readings[11]) - expected).abs() < 1e-3, "{} for {expected}", block.readings[11]);
    }
    // A later generation replaces the first; mono is the mean of both sides; no credit, no blocks.
    let both = json!([tracks[0]["id"], tracks[1]["id"]]);
    let mut request = play(2, 4_800, both);
    request["mix"]["centred"] = json!(true);
    request["mix"]["mono"] = json!(true);
    let pair = blocks(request, 2, 3).await;
    assert_eq!(pair[0].start, 4_800);
    assert_eq!(pair[0].planes[0], pair[0].planes[1]);
    // The readings are those of the two tracks as they stand, in these very frames.
    let stretch = |x: &[f32]| x[4_800..4_800 + pair[0].planes[0].len()].to_vec();
    let expected =
        [stretch(&delivered[0]), stretch(&moved(&x, 40, -1.0))].map(|y| correlation(&stretch(&x), &y).unwrap() as f32);
    assert!((pair[0].readings[4] - expected[0]).abs() < 1e-5, "{} {expected:?}", pair[0].readings[4]);
    assert!((pair[0].readings[10] - expected[1]).abs() < 1e-5, "{} {expected:?}", pair[0].readings[10]);
}

#[actix_web::test]
async fn nonsense_and_gone_recordings_are_said() {
    let s = TestServer::start().await;
    let session = s.session("Trouble").await;
    let tracks = s.bring_in(&session, &[("Gone.wav", wav(&[hits(50_000, 1)], 48_000, None))]).await;
    let sha = tracks[0]["recording"].as_str().unwrap();
    std::fs::remove_dir_all(s.store.path().join("work").join(format!("{sha}-48000"))).unwrap();
    let (mut socket, _) =
        tokio_tungstenite::connect_async(format!("{}/api/sessions/{session}/listen", s.base.replace("http", "ws")))
            .await
            .unwrap();
    for request in [
        json!("nonsense"),
        json!({ "type": "play", "from": 0, "generation": 1, "mix": { "tracks": [tracks[0]["id"]] } }),
    ] {
        socket.send(Message::text(request.to_string())).await.unwrap();
        let said = socket.next().await.unwrap().unwrap().into_text().unwrap();
        assert!(said.contains("trouble") && (said.contains("understood") || said.contains("Gone")), "{said}");
    }
}
