//! What is heard is what is delivered.

use super::api::lose;
use crate::common::*;
use futures_util::{SinkExt, StreamExt};
use marea_core::edit::tempo::TempoMap;
use marea_core::measure::readings::meter::correlation;
use serde_json::json;
use tokio_tungstenite::tungstenite::Message;

struct Heard {
    generation: u32,
    start: f64,
    speed: f32,
    matched_db: [f32; 2],
    /// For corrected, then recorded: peaks, RMS, correlation, that of the lows, null depth.
    readings: Vec<f32>,
    /// RMS of every track, corrected, then recorded.
    levels: Vec<f32>,
    planes: Vec<Vec<f32>>,
}

fn parse(bytes: &[u8]) -> Heard {
    let frames = u32::from_le_bytes(bytes[4..8].try_into().unwrap()) as usize;
    let floats: Vec<f32> = bytes[16..].chunks_exact(4).map(|b| f32::from_le_bytes(b.try_into().unwrap())).collect();
    let voices = u32::from_le_bytes(bytes[28..32].try_into().unwrap()) as usize;
    let planes = 18 + 2 * voices;
    assert_eq!(floats.len(), planes + 4 * frames);
    Heard {
        generation: u32::from_le_bytes(bytes[..4].try_into().unwrap()),
        start: f64::from_le_bytes(bytes[8..16].try_into().unwrap()),
        speed: floats[0],
        matched_db: [floats[1], floats[2]],
        readings: floats[4..18].to_vec(),
        levels: floats[18..planes].to_vec(),
        planes: floats[planes..].chunks_exact(frames).map(<[f32]>::to_vec).collect(),
    }
}

/// A page that listens.
struct Listener {
    socket: tokio_tungstenite::WebSocketStream<tokio_tungstenite::MaybeTlsStream<tokio::net::TcpStream>>,
    generation: u32,
}

impl Listener {
    async fn of(s: &TestServer, session: &str) -> Self {
        let url = format!("{}/api/sessions/{session}/listen", s.base.replace("http", "ws"));
        Self { socket: tokio_tungstenite::connect_async(url).await.unwrap().0, generation: 0 }
    }

    async fn say(&mut self, request: serde_json::Value) {
        self.socket.send(Message::text(request.to_string())).await.unwrap();
    }

    async fn next(&mut self) -> Message {
        let message = tokio::time::timeout(std::time::Duration::from_secs(120), self.socket.next()).await;
        message.expect("a message").unwrap().unwrap()
    }

    /// So many blocks of a mix from a frame on; fewer when the server says that the end was reached.
    async fn play(&mut self, from: i64, mix: serde_json::Value, range: serde_json::Value, count: usize) -> Vec<Heard> {
        self.generation += 1;
        let generation = self.generation;
        self.say(json!({ "type": "play", "from": from, "generation": generation, "mix": mix, "range": range })).await;
        self.more(count).await
    }

    async fn more(&mut self, count: usize) -> Vec<Heard> {
        self.say(json!({ "type": "credit", "blocks": count })).await;
        let mut got = Vec::new();
        while got.len() < count {
            match self.next().await {
                Message::Binary(bytes) => got.push(parse(&bytes)),
                Message::Text(text) if text.contains("\"end\"") => {
                    assert!(text.contains(&format!("\"generation\":{}", self.generation)), "{text}");
                    return got;
                }
                Message::Text(text) => panic!("{text}"),
                _ => {}
            }
            got.retain(|h: &Heard| h.generation == self.generation);
        }
        got
    }
}

/// One plane of blocks that follow one another.
fn joined(blocks: &[Heard], plane: usize) -> Vec<f32> {
    blocks.iter().flat_map(|b| b.planes[plane].clone()).collect()
}

#[actix_web::test]
async fn streamed_blocks_are_the_exported_file() {
    let s = TestServer::start().await;
    let session = s.session("Listen").await;
    let x = hits(100_000, 1);
    let tracks = s
        .bring_in(
            &session,
            &[
                ("x.wav", wav(std::slice::from_ref(&x), 48_000, None)),
                ("y.wav", wav(&[moved(&x, 40, -1.0)], 48_000, None)),
            ],
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

    let mut page = Listener::of(&s, &session).await;
    let none = serde_json::Value::Null;
    let got = page.play(0, json!({ "tracks": [tracks[1]["id"]] }), none.clone(), 40).await;
    let mut at = 0;
    for block in &got {
        assert_eq!((block.start, block.speed), (at as f64, 1.0));
        assert!(block.matched_db.iter().all(|v| v.is_nan()), "nobody asked for it");
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
    let apart = json!({ "tracks": [tracks[1]["id"], tracks[0]["id"]], "apart": true });
    for block in page.play(0, apart, none.clone(), 3).await {
        let at = block.start as usize;
        let recorded = moved(&x, 40, -1.0);
        assert_eq!(block.planes[2], recorded[at..at + block.planes[2].len()], "left");
        assert_eq!(block.planes[3], x[at..at + block.planes[3].len()], "right");
    }
    // The difference: the first minus the second, and how deep the null is. As recorded the second is turned over and late.
    let difference = json!({ "tracks": [tracks[0]["id"], tracks[1]["id"]], "difference": true });
    let mut energies = [0f64; 2];
    for block in page.play(0, difference, none.clone(), 9).await {
        let at = block.start as usize;
        let recorded = moved(&x, 40, -1.0);
        for (n, v) in block.planes[2].iter().enumerate() {
            assert_eq!(*v, x[at + n] - recorded[at + n], "frame {}", at + n);
            energies[0] += f64::from(*v).powi(2);
            energies[1] += f64::from(x[at + n]).powi(2);
        }
        if energies[1] == 0.0 {
            assert!(block.readings[13].is_nan(), "nothing to compare with");
            continue;
        }
        let expected = 10.0 * (energies[0] / energies[1]).log10();
        assert!((f64::from(block.readings[13]) - expected).abs() < 1e-3, "{} for {expected}", block.readings[13]);
    }
    // A later generation replaces the first; mono is the mean of both sides; no credit, no blocks.
    let both = json!([tracks[0]["id"], tracks[1]["id"]]);
    let pair = page.play(4_800, json!({ "tracks": both, "centred": true, "mono": true }), none, 3).await;
    assert_eq!(pair[0].start, 4_800.0);
    assert_eq!(pair[0].planes[0], pair[0].planes[1]);
    // The readings are those of the two tracks as they stand, in these very frames.
    let stretch = |x: &[f32]| x[4_800..4_800 + pair[0].planes[0].len()].to_vec();
    let expected =
        [stretch(&delivered[0]), stretch(&moved(&x, 40, -1.0))].map(|y| correlation(&stretch(&x), &y).unwrap() as f32);
    assert!((pair[0].readings[4] - expected[0]).abs() < 1e-5, "{} {expected:?}", pair[0].readings[4]);
    assert!((pair[0].readings[11] - expected[1]).abs() < 1e-5, "{} {expected:?}", pair[0].readings[11]);
}

#[actix_web::test]
async fn nonsense_and_gone_recordings_are_said() {
    let s = TestServer::start().await;
    let session = s.session("Trouble").await;
    let tracks = s.bring_in(&session, &[("Gone.wav", wav(&[hits(50_000, 1)], 48_000, None))]).await;
    lose(&s, &tracks[0], true);
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

/// Two tracks of noise, the second 6 dB down by its correction.
async fn two(s: &TestServer) -> (String, Vec<serde_json::Value>, [Vec<f32>; 2]) {
    let session = s.session("Two").await;
    let noise = |seed: u32| -> Vec<f32> {
        let mut state = seed;
        (0..200_000)
            .map(|_| {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                (f64::from(state >> 8) / 33_554_432.0 - 0.25) as f32
            })
            .collect()
    };
    let sounds = [noise(5), noise(77)];
    let files =
        [("a.wav", wav(&[sounds[0].clone()], 48_000, None)), ("b.wav", wav(&[sounds[1].clone()], 48_000, None))];
    let tracks = s.bring_in(&session, &files).await;
    // As the files hold them: on the grid of 24 bits.
    let held = files.map(|(_, bytes)| read(&bytes).1.remove(0));
    (session, tracks, held)
}

#[actix_web::test]
async fn places_levels_and_switches_do_what_they_say() {
    let s = TestServer::start().await;
    let (session, tracks, [a, b]) = two(&s).await;
    let mut page = Listener::of(&s, &session).await;
    let (ia, ib) = (tracks[0]["id"].as_str().unwrap(), tracks[1]["id"].as_str().unwrap());
    let base = json!({ "tracks": [ia, ib], "places": {
        ia: { "pan": -1.0, "level_db": 0.0 }, ib: { "pan": 1.0, "level_db": -6.0206 } } });
    let level = 1.4f32 / 2f32.sqrt();
    // Every track's own level, whatever place and level it is given: in the order they were asked for.
    let rms = |x: &[f32]| (x.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / x.len() as f64).sqrt() as f32;
    let got = page.play(4_096, base.clone(), serde_json::Value::Null, 1).await;
    let own = [rms(&a[4_096..6_144]), rms(&b[4_096..6_144])];
    assert_eq!(got[0].levels.len(), 4);
    assert!((0..4).all(|i| (got[0].levels[i] - own[i % 2]).abs() < 1e-6), "{:?} {own:?}", got[0].levels);
    let mut heard = async |change: serde_json::Value| {
        let mut mix = base.clone();
        change.as_object().unwrap().iter().for_each(|(k, v)| mix[k] = v.clone());
        let got = page.play(4_096, mix, serde_json::Value::Null, 2).await;
        [joined(&got, 0), joined(&got, 1)]
    };
    let near = |got: &[f32], wanted: &dyn Fn(usize) -> f32| {
        got.iter().enumerate().all(|(n, v)| (v - wanted(4_096 + n)).abs() < 2e-6)
    };
    let (left, right) = (|n: usize| level * a[n], |n: usize| level * 0.5 * b[n]);
    let [l, r] = heard(json!({})).await;
    assert!(near(&l, &left) && near(&r, &right), "a is left, b is right and half as loud");
    let turned = json!({ "places": { ia: { "pan": -1.0, "level_db": 0.0, "invert": true }, ib: { "pan": 1.0, "level_db": -6.0206 } } });
    let [l, r] = heard(turned).await;
    assert!(near(&l, &|n| -left(n)) && near(&r, &right), "a is heard inverted, b as before");
    let [l, r] = heard(json!({ "swap": true })).await;
    assert!(near(&l, &right) && near(&r, &left), "exchanged");
    let [l, r] = heard(json!({ "mono": true })).await;
    assert!(l == r && near(&l, &|n| 0.5 * (left(n) + right(n))), "summed");
    let [l, _] = heard(json!({ "dim": true })).await;
    assert!(near(&l, &|n| 0.1 * left(n)), "20 dB down");
    let measured = json!({ "bpm": 90.0, "first_beat_frame": 5_000, "beats_a_bar": 3 });
    s.patch(&format!("/api/sessions/{session}"), measured).await;
    let beats = TempoMap::single(90.0, 3, 5_000.0).beats(48_000.0);
    let click = marea_core::render::click::Click { rate_hz: 48_000.0, beats };
    let [l, _] = heard(json!({ "click": true })).await;
    assert!(near(&l, &|n| left(n) + click.at(n as f64)), "with the click of the session's tempo");
    // A level that is none, or a place beyond the ends, does no harm.
    let [l, _] = heard(json!({ "places": { ia: { "pan": -7.0, "level_db": 400.0 } } })).await;
    assert!(l.iter().all(|v| v.is_finite() && v.abs() < 10.0));
}

#[actix_web::test]
async fn a_loop_turns_back_and_a_part_ends() {
    let s = TestServer::start().await;
    let (session, tracks, [a, _]) = two(&s).await;
    let mut page = Listener::of(&s, &session).await;
    let mix = json!({ "tracks": [tracks[0]["id"]] });
    // Begun before it: straight in, then round. Each pass is 5000 frames: blocks of 2048, 2048 and 904.
    let range = json!({ "from": 10_000, "to": 15_000, "repeat": true });
    let got = page.play(8_000, mix.clone(), range, 10).await;
    let starts: Vec<(f64, usize)> = got.iter().map(|h| (h.start, h.planes[0].len())).collect();
    assert_eq!(starts[..4], [(8_000.0, 2_048), (10_048.0, 2_048), (12_096.0, 2_048), (14_144.0, 856)]);
    assert_eq!(starts[4..7], [(10_000.0, 2_048), (12_048.0, 2_048), (14_096.0, 904)]);
    assert_eq!(starts[7].0, 10_000.0);
    // What sounds is the recording, but for five milliseconds at the seam, which reach nothing.
    assert_eq!(got[1].planes[0][..], a[10_048..12_096], "untouched inside");
    assert_eq!(got[4].planes[0][240..], a[10_240..12_048]);
    assert!(got[3].planes[0][855].abs() < 0.01 && got[4].planes[0][0] == 0.0);
    // Once: to the end and no further, and that is said.
    let range = json!({ "from": 10_000, "to": 15_000, "repeat": false });
    let got = page.play(10_000, mix.clone(), range, 10).await;
    assert_eq!(got.iter().map(|h| h.planes[0].len()).sum::<usize>(), 5_000);
    // Behind a loop it goes straight on; a loop that is none is none; nonsense is no harm.
    for range in
        [json!({ "from": 100, "to": 5_000, "repeat": true }), json!({ "from": 9_000, "to": 9_000, "repeat": true })]
    {
        let got = page.play(20_000, mix.clone(), range, 4).await;
        assert_eq!(got[3].start, 20_000.0 + 3.0 * 2_048.0);
    }
}

#[actix_web::test]
async fn half_the_speed_lies_between_the_samples_and_loudness_is_matched() {
    let s = TestServer::start().await;
    let (session, tracks, [a, _]) = two(&s).await;
    let mut page = Listener::of(&s, &session).await;
    let none = serde_json::Value::Null;
    let slow = json!({ "tracks": [tracks[0]["id"]], "speed": 0.5 });
    let got = page.play(4_000, slow, none.clone(), 4).await;
    assert_eq!((got[0].speed, got[1].start - got[0].start), (0.5, 1_024.0));
    let heard = joined(&got, 2);
    // Every second sample is one of the recording, across the seams of blocks too.
    for n in 0..4_000 {
        assert!((heard[2 * n] - a[4_000 + n]).abs() < 1e-4, "{n}: {} {}", heard[2 * n], a[4_000 + n]);
    }
    // A speed that is none is the whole one.
    let got = page.play(0, json!({ "tracks": [tracks[0]["id"]], "speed": 0.0 }), none.clone(), 1).await;
    assert_eq!(got[0].speed, 1.0);

    let after = json!({ "gain_db": -6.0 });
    let change = json!({ "label": "softer", "changes": [{ "track_id": tracks[0]["id"], "after": after }] });
    assert_eq!(s.post(&format!("/api/sessions/{session}/decisions"), change).await.0, 201);
    let mix = json!({ "tracks": [tracks[0]["id"]], "matched": true });
    page.play(0, mix.clone(), none.clone(), 1).await;
    // Measured beside the playing: after a while the blocks carry it.
    let mut last = None;
    for _ in 0..200 {
        let block = page.more(1).await.remove(0);
        if !block.matched_db[0].is_nan() {
            last = Some(block);
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
    }
    let block = last.expect("the match is told");
    // One track alone 6 dB softer as corrected: as recorded comes down by 6.0 dB (ITU-R BS.1770 is linear in level).
    assert!(block.matched_db[0] == 0.0 && (block.matched_db[1] + 6.0).abs() < 0.01, "{:?}", block.matched_db);
    let block = page.more(1).await.remove(0);
    let rms = |p: &[f32]| (p.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / p.len() as f64).sqrt();
    assert!((20.0 * (rms(&block.planes[2]) / rms(&block.planes[0])).log10()).abs() < 0.02, "both are as loud");
    // Asked again it is known at once.
    let got = page.play(0, mix, none, 1).await;
    assert!((got[0].matched_db[1] + 6.0).abs() < 0.01);
}
