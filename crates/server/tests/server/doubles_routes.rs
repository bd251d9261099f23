//! Takes that follow a lead through the server: held, made anew beneath their originals, changed, taken back, refused.

use crate::common::*;
use crate::timing_routes::{delivered, measured};
use marea_core::lead::doubled;
use marea_core::pitch::pitch;
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use marea_scene::doubles::{How, doubles};
use serde_json::{Value, json};

/// How far beginnings of a take lie from those of its lead in the median, in ms, as the core hears it.
fn off(lead: &[f32], take: &[f32]) -> f64 {
    let [lead, take] = [lead, take].map(|x| MemSource(x.to_vec()));
    let at = |source| Placed { source, start: SessionFrame(0) };
    let rate = SampleRate::new(48_000).unwrap();
    let found = doubled(&at(&lead), &at(&take), rate, &|_| true).unwrap();
    let mut off: Vec<f64> =
        found.knots.iter().filter(|k| k.alike > 0.0).map(|k| (k.take - k.lead).abs() / 48.0).collect();
    off.sort_by(f64::total_cmp);
    assert!(off.len() > 10, "{}", off.len());
    off[off.len() / 2]
}

fn plan(lead: &str, takes: &[&str], strength: f64) -> Value {
    let takes: Vec<Value> = takes.iter().map(|t| json!({ "take": t })).collect();
    json!({ "lead": lead, "takes": takes, "strength": strength, "slack_ms": 0.0, "ratio": 2.0 })
}

/// Makes a plan and waits for it; the last of the session's decisions.
async fn made(s: &TestServer, session: &str, plan: &Value) -> Value {
    let (status, said) = s.post(&format!("/api/sessions/{session}/doubles/make"), plan.clone()).await;
    assert_eq!(status, 202, "{said}");
    s.settled(session).await;
    s.get(&format!("/api/sessions/{session}/decisions")).await.1[0].clone()
}

#[actix_web::test]
async fn takes_are_made_anew_beneath_their_originals_and_come_back_by_undo() {
    let s = TestServer::start().await;
    let session = s.session("Doubles").await;
    let scene = doubles(16.0, 731, &[How::Same]);
    let take = &scene.takes[0].sound;
    let half: Vec<f32> = take.iter().map(|v| 0.5 * v).collect();
    let files = [
        ("Lead.wav", wav(std::slice::from_ref(&scene.lead), 48_000, None)),
        ("Double.wav", wav(&[take.clone(), half], 48_000, None)),
    ];
    s.bring_in(&session, &files).await;
    let tracks = s.tracks(&session).await;
    let [lead, left, right] = [0, 1, 2].map(|n| tracks[n]["id"].as_str().unwrap().to_string());
    let whole = plan(&lead, &[&left], 100.0);
    assert_eq!(s.asked(&format!("/api/sessions/{session}/doubles"), &whole).await.0, 204, "nobody has listened yet");
    let view = measured(&s, &session, "doubles", &whole).await;
    let told = &view["takes"][0];
    assert!(told["verdict"] != "undecided" && told["made"] == json!([]) && told["fits"] == false, "{told}");
    let label = made(&s, &session, &whole).await["label"].clone();
    assert!(label.as_str().unwrap().contains("follows Lead: 100 %"), "{label}");

    // Both channels, each beneath its own, and heard in its place.
    let now = s.tracks(&session).await;
    let results: Vec<&Value> = now.iter().filter(|t| !t["made_of"].is_null()).collect();
    assert_eq!((now.len(), results.len()), (5, 2));
    assert_eq!([&results[0]["made_of"]["take"], &results[1]["made_of"]["take"]], [&json!(left), &json!(right)]);
    assert!(results[0]["link_id"] == results[1]["link_id"] && !results[0]["link_id"].is_null());
    assert!(results[0]["made_of"]["louder_db"].as_f64().unwrap().abs() < 0.5, "{}", results[0]);
    let lanes = async |s: &TestServer| s.get(&format!("/api/sessions/{session}")).await.1["desk"]["lanes"].clone();
    let muted = lanes(&s).await;
    assert!(
        muted[&left]["muted"] == true && muted[&left]["hidden"] == true && muted[&right]["muted"] == true,
        "{muted}"
    );
    let again = measured(&s, &session, "doubles", &whole).await;
    assert_eq!((&again["takes"][0]["fits"], again["takes"][0]["made"].as_array().unwrap().len()), (&json!(true), 2));

    // What is delivered follows the lead, and the channels stay what they were to one another.
    let name = results[0]["file_name"].as_str().unwrap();
    let sound = delivered(&s, &session, name).await;
    let (was, is) = (off(&scene.lead, take), off(&scene.lead, &sound));
    assert!(was > 8.0 && is < 3.0, "{was} and {is} ms");
    let both = s.store.path().join("deliveries");
    let folder = std::fs::read_dir(both).unwrap().flatten().next().unwrap().path();
    let planes = read(&std::fs::read(folder.join(name)).unwrap()).1;
    let apart = planes[0].iter().zip(&planes[1]).map(|(l, r)| (0.5 * l - r).abs()).fold(0f32, f32::max);
    assert!(apart < 1e-5, "channels that are locked: {apart}");

    // What was made arrived nowhere: the check does not know it.
    let check = s.get(&format!("/api/sessions/{session}/check")).await.1;
    assert_eq!(check["tracks"], json!([lead, left, right]));

    // Half of the way takes its place; undo brings back the first, then the originals; redo the first again, which is not made twice.
    made(&s, &session, &plan(&lead, &[&left], 50.0)).await;
    let ids = async |s: &TestServer| -> Vec<Value> {
        s.tracks(&session).await.iter().filter(|t| !t["made_of"].is_null()).map(|t| t["id"].clone()).collect()
    };
    let first: Vec<Value> = results.iter().map(|t| t["id"].clone()).collect();
    let second = ids(&s).await;
    assert!(second.len() == 2 && second != first);
    let undo = format!("/api/sessions/{session}/undo");
    assert_eq!(s.post(&undo, json!({})).await.0, 200);
    assert_eq!(ids(&s).await, first);
    assert_eq!(s.post(&undo, json!({})).await.0, 200);
    assert!(ids(&s).await.is_empty());
    assert_eq!(lanes(&s).await, json!({}), "the originals are heard and seen");
    made(&s, &session, &whole).await;
    assert_eq!(ids(&s).await, first, "the same ones");
}

/// Cents that two sounds are apart in the median, where both are voiced and within a semitone of one another, octaves apart.
fn cents(lead: &[f32], take: &[f32]) -> f64 {
    let rate = SampleRate::new(48_000).unwrap();
    let [lead, take] = [lead, take].map(|x| {
        let source = MemSource(x.to_vec());
        pitch(&Placed { source: &source, start: SessionFrame(0) }, rate, &|_| true).unwrap()
    });
    let both = lead.iter().zip(&take).filter_map(|(a, b)| Some(12.0 * (b.hz? / a.hz?).log2()));
    let apart = both.map(|s| (s - 12.0 * (s / 12.0).round()).abs()).filter(|s| *s < 0.7);
    let mut apart: Vec<f64> = apart.map(|s| 100.0 * s).collect();
    apart.sort_by(f64::total_cmp);
    assert!(apart.len() > 300, "{}", apart.len());
    apart[apart.len() / 2]
}

#[actix_web::test]
async fn a_take_is_drawn_towards_the_pitch_of_its_lead() {
    let s = TestServer::start().await;
    let session = s.session("Drawn").await;
    let scene = doubles(12.0, 733, &[How::Same]);
    let files = [
        ("Lead.wav", wav(std::slice::from_ref(&scene.lead), 48_000, None)),
        ("Double.wav", wav(std::slice::from_ref(&scene.takes[0].sound), 48_000, None)),
    ];
    s.bring_in(&session, &files).await;
    let tracks = s.tracks(&session).await;
    let [lead, take] = [0, 1].map(|n| tracks[n]["id"].as_str().unwrap().to_string());
    let mut of = plan(&lead, &[&take], 100.0);
    made(&s, &session, &of).await;
    let followed = delivered(&s, &session, "Double with Lead.wav").await;
    of["pitch"] = json!(100.0);
    let path = format!("/api/sessions/{session}/doubles");
    assert_eq!(s.asked(&path, &of).await.1["takes"][0]["fits"], false);
    let label = made(&s, &session, &of).await["label"].clone();
    assert!(label.as_str().unwrap().contains("pitch 100 %"), "{label}");
    assert_eq!(s.asked(&path, &of).await.1["takes"][0]["fits"], true);
    let drawn = delivered(&s, &session, "Double with Lead.wav").await;
    let (before, after) = (cents(&scene.lead, &followed), cents(&scene.lead, &drawn));
    assert!(after < 0.4 * before && after < 6.0, "{before} and {after} cents");
}

#[actix_web::test]
async fn what_cannot_follow_is_refused_with_its_name() {
    let s = TestServer::start().await;
    let session = s.session("Strangers").await;
    let (scene, other) = (doubles(12.0, 741, &[How::Same]), doubles(12.0, 742, &[]));
    let files = [
        ("Lead.wav", wav(std::slice::from_ref(&scene.lead), 48_000, None)),
        ("Double.wav", wav(std::slice::from_ref(&scene.takes[0].sound), 48_000, None)),
        ("Other.wav", wav(std::slice::from_ref(&other.lead), 48_000, None)),
        ("Both.wav", wav(&[scene.lead.clone(), scene.lead.clone()], 48_000, None)),
        ("Silence.wav", wav(&[vec![0.0; 480_000]], 48_000, None)),
    ];
    s.bring_in(&session, &files).await;
    let tracks = s.tracks(&session).await;
    let id = |n: usize| tracks[n]["id"].as_str().unwrap().to_string();
    let path = format!("/api/sessions/{session}/doubles");
    assert_eq!(s.post(&path, plan(&id(0), &[&id(0)], 100.0)).await.0, 422);
    assert_eq!(s.post(&path, plan(&id(0), &[], 100.0)).await.0, 422);
    let (status, said) = s.post(&path, plan(&id(3), &[&id(4)], 100.0)).await;
    assert!(status == 409 && said["message"].as_str().unwrap().contains("are linked"), "{said}");
    // A take of another song, and one without a sound, are told and change nothing.
    for (n, why) in [(2, "something else"), (5, "the take is silent")] {
        let view = measured(&s, &session, "doubles", &plan(&id(0), &[&id(n)], 100.0)).await;
        assert_eq!((&view["takes"][0]["verdict"], &view["takes"][0]["goes"]), (&json!("undecided"), &json!([])));
        assert!(view["takes"][0]["reason"].as_str().unwrap().contains(why), "{view}");
        s.post(&format!("{path}/make"), plan(&id(0), &[&id(n)], 100.0)).await;
        s.settled(&session).await;
        let jobs = s.get(&format!("/api/sessions/{session}/jobs")).await.1;
        let failed = jobs.as_array().unwrap().iter().rev().find(|j| j["kind"] == "follow").unwrap();
        let told = failed["error"].as_str().unwrap();
        assert!(failed["state"] == "failed" && told.contains("does not follow “Lead”"), "{failed}");
    }
    // Pins that cross are named with the view, and nothing is made of them.
    let pins = json!([{ "lead": 96_000, "take": 100_000 }, { "lead": 90_000, "take": 150_000 }]);
    let mut crossing = plan(&id(0), &[&id(1)], 100.0);
    crossing["takes"][0]["pins"] = pins;
    let view = measured(&s, &session, "doubles", &crossing).await;
    assert!(view["takes"][0]["refused"].as_str().unwrap().contains("two pins cross"), "{view}");
    // What was made of a take is none that follows.
    made(&s, &session, &plan(&id(0), &[&id(1)], 100.0)).await;
    let now = s.tracks(&session).await;
    let result = now.iter().find(|t| !t["made_of"].is_null()).unwrap()["id"].as_str().unwrap().to_string();
    let (status, said) = s.post(&path, plan(&id(0), &[&result], 100.0)).await;
    assert!(status == 409 && said["message"].as_str().unwrap().contains("was made of another take"), "{said}");
}
