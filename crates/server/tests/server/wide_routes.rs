//! One part as a wide pair through the server: tried, made beneath the part, in mono as it was told, taken back, refused.

use crate::api::lose;
use crate::common::*;
use crate::timing_routes::measured;
use marea_core::dsp::bands::THIRDS_HZ;
use marea_core::signal::MemSource;
use marea_core::units::SampleRate;
use marea_core::widen::drift::{Asked, drifts};
use marea_core::widen::mono::mono_sum;
use marea_scene::doubles::{How, doubles};
use serde_json::{Value, json};

/// Energy by third-octaves, of what stands still.
fn energies(sound: &[f32]) -> Vec<(f64, f64)> {
    let rate = SampleRate::new(48_000).unwrap();
    let still = drifts(&Asked { copies: 1, apart_ms: 0.0, cents: 0.0, drift: 0 }, rate);
    let all = mono_sum(&MemSource(sound.to_vec()), &still, rate, &|_| true).unwrap();
    let total: f64 = sound.iter().map(|v| f64::from(v * v)).sum();
    all.bands.iter().map(|b| (b.hz, total * 10f64.powf(b.level_db / 10.0))).collect()
}

#[actix_web::test]
async fn a_part_stands_wide_and_sums_in_mono_as_it_was_told() {
    let s = TestServer::start().await;
    let session = s.session("Wide").await;
    let part = doubles(20.0, 764, &[How::Same]).lead;
    s.bring_in(&session, &[("Voice.wav", wav(std::slice::from_ref(&part), 48_000, None))]).await;
    let voice = s.tracks(&session).await[0]["id"].as_str().unwrap().to_string();
    let path = format!("/api/sessions/{session}/wide");
    let plan = json!({ "track": voice, "copies": 2, "apart_ms": 15.0, "cents": 12.0, "drift": 4 });
    assert_eq!(s.asked(&path, &plan).await.0, 204, "nobody has tried yet");
    let told = measured(&s, &session, "wide", &plan).await;
    let copies = told["copies"].as_array().unwrap();
    assert_eq!((copies.len(), &told["fits"], &told["made"]), (2, &json!(false), &json!([])));
    let most = |key: &str| {
        let all = copies.iter().flat_map(|c| c[key].as_array().unwrap());
        all.map(|v| v.as_f64().unwrap().abs()).fold(0.0, f64::max)
    };
    assert!(most("later_ms") <= 15.0 && most("cents") <= 12.3, "{} {}", most("later_ms"), most("cents"));
    let bands = told["bands"].as_array().unwrap();
    let lost = bands.iter().any(|b| b["gain_db"].as_f64().unwrap() < -3.0);
    assert_eq!(told["fine"], !lost, "{bands:?}");

    let (status, said) = s.post(&format!("{path}/make"), plan.clone()).await;
    assert_eq!(status, 202, "{said}");
    s.settled(&session).await;
    let now = s.tracks(&session).await;
    let pair: Vec<&Value> = now.iter().filter(|t| !t["made_of"].is_null()).collect();
    assert_eq!(
        pair.iter().map(|t| (&t["name"], &t["side"])).collect::<Vec<_>>(),
        [(&json!("Voice wide L"), &json!("left")), (&json!("Voice wide R"), &json!("right"))]
    );
    assert!(pair[0]["link_id"] == pair[1]["link_id"] && !pair[0]["link_id"].is_null());
    let lanes = s.get(&format!("/api/sessions/{session}")).await.1["desk"]["lanes"].clone();
    assert!(lanes[&voice]["muted"] == true && lanes[&voice]["hidden"] == true, "{lanes}");
    let again = s.asked(&path, &plan).await.1;
    assert_eq!((&again["fits"], again["made"].as_array().unwrap().len()), (&json!(true), 2));

    // What is delivered is a file of two sides, and their sum is what was told.
    let (_, job) =
        s.post(&format!("/api/sessions/{session}/deliveries"), json!({ "depth": "float32", "start": "session" })).await;
    s.settled(&session).await;
    let folder = s.store.path().join("deliveries").join(job.as_str().unwrap());
    let sides = read(&std::fs::read(folder.join("Voice wide.wav")).unwrap()).1;
    assert_eq!(sides.len(), 2);
    let sum: Vec<f32> = sides[0].iter().zip(&sides[1]).map(|(l, r)| l + r).collect();
    let own = energies(&part);
    for (hz, energy) in energies(&sum) {
        let Some(alone) = own.iter().find(|o| o.0 == hz).map(|o| o.1) else { continue };
        let Some(band) = bands.iter().find(|b| b["hz"] == hz && b["level_db"].as_f64().unwrap() > -30.0) else {
            continue;
        };
        let is = 10.0 * (energy / (2.0 * alone)).log10();
        assert!((is - band["gain_db"].as_f64().unwrap()).abs() < 1.0, "{band}: {is}");
    }
    assert!(bands.len() > THIRDS_HZ.len() / 2, "a voice has sound in most of them");

    // Another drift takes the place of the first; undo brings that back, then the part alone.
    let other = json!({ "track": voice, "copies": 4, "apart_ms": 15.0, "cents": 12.0, "drift": 5 });
    assert_eq!(s.post(&format!("{path}/make"), other).await.0, 202);
    s.settled(&session).await;
    let ids = async |s: &TestServer| -> Vec<Value> {
        s.tracks(&session).await.iter().filter(|t| !t["made_of"].is_null()).map(|t| t["id"].clone()).collect()
    };
    let first: Vec<Value> = pair.iter().map(|t| t["id"].clone()).collect();
    let second = ids(&s).await;
    assert!(second.len() == 2 && second.iter().all(|id| !first.contains(id)));
    let undo = format!("/api/sessions/{session}/undo");
    assert_eq!(s.post(&undo, json!({})).await.0, 200);
    assert_eq!(ids(&s).await, first);
    assert_eq!(s.post(&undo, json!({})).await.0, 200);
    assert!(ids(&s).await.is_empty());
    let lanes = s.get(&format!("/api/sessions/{session}")).await.1["desk"]["lanes"].clone();
    assert_eq!(lanes, json!({}), "the part is heard and seen");
}

#[actix_web::test]
async fn what_cannot_be_made_wide_is_refused_with_its_name() {
    let s = TestServer::start().await;
    let session = s.session("Not wide").await;
    let noise: Vec<f32> = hits(96_000, 5);
    let files = [
        ("Piano.wav", wav(&[noise.clone(), noise], 48_000, None)),
        ("Silence.wav", wav(&[vec![0.0; 96_000]], 48_000, None)),
    ];
    s.bring_in(&session, &files).await;
    let all = s.tracks(&session).await;
    let path = format!("/api/sessions/{session}/wide");
    let plan = |track: &Value, copies: u8| json!({ "track": track, "copies": copies, "apart_ms": 10.0, "cents": 6.0 });
    let linked = all.iter().find(|t| t["file_name"] == "Piano.wav").unwrap();
    let (status, said) = s.post(&path, plan(&linked["id"], 2)).await;
    assert!(status == 409 && said.to_string().contains("is linked with another track"), "{status} {said}");
    let silent = all.iter().find(|t| t["file_name"] == "Silence.wav").unwrap();
    let told = measured(&s, &session, "wide", &plan(&silent["id"], 2)).await;
    assert_eq!((&told["bands"], &told["thinnest"]), (&json!([]), &json!(null)));
    assert_eq!(s.post(&path, plan(&silent["id"], 3)).await.0, 422);
    let nobody = json!("00000000-0000-0000-0000-000000000000");
    assert_eq!(s.post(&format!("{path}/make"), plan(&nobody, 2)).await.0, 404);
}

/// A result that could not be made stays in sight, whenever somebody looks, until it is tried again.
#[actix_web::test]
async fn what_was_not_made_is_tried_again() {
    let s = TestServer::start().await;
    let session = s.session("Not made").await;
    s.bring_in(&session, &[("Voice.wav", wav(&[hits(96_000, 5)], 48_000, None))]).await;
    let voice = s.tracks(&session).await[0].clone();
    let sha = voice["recording"].as_str().unwrap();
    let file = s.store.path().join("recordings").join(&sha[..2]).join(sha);
    let aside = s.store.path().join("aside");
    std::fs::rename(&file, &aside).unwrap();
    lose(&s, &voice, false);
    let plan = json!({ "track": voice["id"], "copies": 2, "apart_ms": 10.0, "cents": 6.0 });
    assert_eq!(s.post(&format!("/api/sessions/{session}/wide/make"), plan).await.0, 202);
    s.settled(&session).await;
    let pool = sqlx::MySqlPool::connect(&s.database_url).await.unwrap();
    sqlx::query("UPDATE jobs SET updated_at = updated_at - INTERVAL 1 HOUR").execute(&pool).await.unwrap();
    let jobs =
        async |s: &TestServer| s.get(&format!("/api/sessions/{session}/jobs")).await.1.as_array().unwrap().clone();
    let all = jobs(&s).await;
    assert_eq!((all.len(), &all[0]["kind"], &all[0]["state"]), (1, &json!("widen"), &json!("failed")), "{all:?}");
    assert!(all[0]["error"].as_str().unwrap().contains("Voice"), "{all:?}");
    std::fs::rename(&aside, &file).unwrap();
    assert_eq!(s.post(&format!("/api/jobs/{}/retry", all[0]["id"].as_str().unwrap()), json!({})).await.0, 200);
    s.settled(&session).await;
    assert_eq!(s.tracks(&session).await.len(), 3, "{:?}", jobs(&s).await);
}
