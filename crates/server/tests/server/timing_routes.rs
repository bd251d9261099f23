//! Plans of timing through the server: sets by hand, layers, takes; kept with the session, taken, taken back, refused.

use crate::common::*;
use marea_scene::layers::layers;
use marea_scene::sets::{Kind, scene};
use marea_scene::takes::{blemished, takes};
use serde_json::{Value, json};

/// What a plan comes to, once it is measured.
pub async fn measured(s: &TestServer, session: &str, kind: &str, of: &Value) -> Value {
    let path = format!("/api/sessions/{session}/{kind}");
    let (status, said) = s.post(&path, of.clone()).await;
    assert!(status == 202 || status == 204, "{status}: {said}");
    s.settled(session).await;
    let (status, view) = s.asked(&path, of).await;
    assert_eq!(status, 200, "{view}");
    view
}

pub async fn delivered(s: &TestServer, session: &str, name: &str) -> Vec<f32> {
    let (_, job) =
        s.post(&format!("/api/sessions/{session}/deliveries"), json!({ "depth": "float32", "start": "session" })).await;
    s.settled(session).await;
    let file = s.store.path().join("deliveries").join(job.as_str().unwrap()).join(name);
    read(&std::fs::read(file).unwrap()).1.swap_remove(0)
}

/// The largest difference between two stretches of so many samples.
pub fn apart(a: &[f32], b: &[f32]) -> f32 {
    a.iter().zip(b).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max)
}

fn number(v: &Value, key: &str) -> f64 {
    v[key].as_f64().unwrap_or_else(|| panic!("{key} of {v}"))
}

#[actix_web::test]
async fn a_layer_is_set_hit_by_hit_and_one_hit_stays() {
    let s = TestServer::start().await;
    let session = s.session("Layer").await;
    let made = layers(16.0, 204);
    s.bring_in(
        &session,
        &[
            ("Snare.wav", wav(std::slice::from_ref(&made.source), 48_000, None)),
            ("Sample.wav", wav(std::slice::from_ref(&made.layer), 48_000, None)),
        ],
    )
    .await;
    let tracks = s.tracks(&session).await;
    let [source, layer] = [0, 1].map(|n| tracks[n]["id"].as_str().unwrap().to_string());
    // The source plays 100 frames later: hits are set onto it where it plays.
    let nudge = json!({ "label": "Later", "changes": [{ "track_id": source, "after": { "offset_frames": 100.0 } }] });
    assert_eq!(s.post(&format!("/api/sessions/{session}/decisions"), nudge).await.0, 201);
    let plan = json!({ "source": source, "layer": layer });
    let view = measured(&s, &session, "layer", &plan).await;
    assert_eq!((&view["carried"], &view["invert"]), (&json!("recorded"), &json!(made.inverts)));
    let hits = view["hits"].as_array().unwrap();
    let mut off: Vec<f64> = Vec::new();
    for [from, to] in &made.matches {
        let near = hits.iter().find(|h| h["source"].as_f64().is_some_and(|at| (at - from).abs() < 48.0));
        off.extend(near.map(|h| (number(h, "late") - (to - from - 100.0)).abs()));
    }
    off.sort_by(f64::total_cmp);
    assert!(off.len() * 10 >= made.matches.len() * 9 && off[off.len() / 2] <= 2.0, "{off:?}");
    assert!(view["proof"]["lost"] == json!([]) && !view["sum"].as_array().unwrap().is_empty(), "{view}");
    // One hit stays as it was recorded; the rest is taken.
    let own = hits.iter().find(|h| h["rides"] == false && h["by"] != 0).expect("a hit that is moved");
    let at = number(own, "at").round() as i64;
    let plan = json!({ "source": source, "layer": layer, "own": [{ "at": at, "by": 0 }] });
    let view = measured(&s, &session, "layer", &plan).await;
    let (status, made_decision) = s.post(&format!("/api/sessions/{session}/layer/take"), plan.clone()).await;
    assert_eq!(status, 201, "{made_decision}");
    assert!(made_decision["label"].as_str().unwrap().contains("set onto Snare"), "{made_decision}");
    assert_eq!(s.asked(&format!("/api/sessions/{session}/layer"), &plan).await.1["carried"], "moved");
    let x = delivered(&s, &session, "Sample.wav").await;
    let sign = if made.inverts { -1.0 } else { 1.0 };
    let turned: Vec<f32> = made.layer.iter().map(|v| sign * v).collect();
    let mut free = 0;
    for h in view["hits"].as_array().unwrap().iter().filter(|h| h["rides"] == false) {
        let (from, by) = (number(h, "at").round() as usize, number(h, "by") as i64);
        let to = (from as i64 + by) as usize;
        assert!(apart(&turned[from..from + 200], &x[to..to + 200]) < 3e-7, "{h}");
        assert!(h["by_hand"] == json!(from as i64 == at), "{h}");
        free += 1;
    }
    assert!(free > 10, "{free}");
    // Nothing picked: as recorded; and the two that cannot be.
    let none = json!({ "source": source, "layer": layer, "picked_only": true });
    assert_eq!(s.post(&format!("/api/sessions/{session}/layer/take"), none).await.0, 201);
    let (x, whole) =
        (delivered(&s, &session, "Sample.wav").await, read(&wav(std::slice::from_ref(&made.layer), 48_000, None)).1);
    assert_eq!(apart(&x, &whole[0]), 0.0);
    let same = json!({ "source": layer, "layer": layer });
    assert_eq!(s.post(&format!("/api/sessions/{session}/layer"), same).await.0, 422);
    let far = json!({ "source": source, "layer": layer, "own": [{ "at": i64::MAX, "by": 0 }] });
    assert_eq!(s.post(&format!("/api/sessions/{session}/layer"), far).await.0, 422);
}

#[actix_web::test]
async fn takes_are_brought_together_and_what_is_meant_stays_meant() {
    let s = TestServer::start().await;
    let session = s.session("Takes").await;
    let made = takes(40.0, 203);
    let files =
        [("Morning.wav", 0), ("Evening.wav", 1)].map(|(name, n)| (name, wav(&[made.sounds[n].clone()], 48_000, None)));
    s.bring_in(&session, &files).await;
    let tracks = s.tracks(&session).await;
    let [first, second] = [0, 1].map(|n| tracks[n]["id"].as_str().unwrap().to_string());
    let bpm = made.beats.changes()[0].bpm;
    s.patch(&format!("/api/sessions/{session}"), json!({ "bpm": bpm, "first_beat_frame": 24_000 })).await;
    let plan = json!({ "first": first, "second": second, "slack_ms": 25.0 });
    let view = measured(&s, &session, "takes", &plan).await;
    let flagged = view["flagged"].as_array().unwrap();
    assert!(flagged.len() >= 2 && view["meant"].as_array().unwrap().iter().all(|m| m == false), "{view}");
    assert!(view["alike"].as_f64().unwrap() > 0.62, "{}", view["alike"]);
    // They were asked about with the tempo that they were played to; with another one nobody is blamed.
    assert!(flagged.iter().any(|f| !f["take"].is_null()), "{view}");
    s.patch(&format!("/api/sessions/{session}"), json!({ "bpm": 1.283 * bpm })).await;
    let elsewhere = measured(&s, &session, "takes", &plan).await;
    assert!(elsewhere["flagged"].as_array().unwrap().iter().all(|f| f["take"].is_null()), "{elsewhere}");
    s.patch(&format!("/api/sessions/{session}"), json!({ "bpm": bpm })).await;
    measured(&s, &session, "takes", &plan).await;
    // One is meant: it is told as meant, undone it is not, and the same with the takes the other way round.
    let desk = format!("/api/sessions/{session}/desk");
    let meant = json!({ "takes": [first, second], "range": flagged[0]["range"] });
    assert_eq!(s.patch(&desk, json!({ "meant": [meant], "label": "Meant" })).await.0, 200);
    let path = format!("/api/sessions/{session}/takes");
    let told = async |of: &Value| s.asked(&path, of).await.1["meant"].clone();
    assert_eq!(told(&plan).await[0], true);
    assert_eq!(s.post(&format!("/api/sessions/{session}/undo"), json!({})).await.0, 200);
    assert_eq!(told(&plan).await[0], false);
    // The longest passage whose take is known is moved onto the other.
    let known = flagged.iter().filter(|f| !f["take"].is_null()).max_by_key(|f| f["count"].as_u64()).expect("a passage");
    let n = usize::from(known["take"] == json!(second));
    let by = known["meets"][n].as_i64().unwrap();
    let range = &known["range"];
    let moves = json!([{ "track": known["take"], "from": range[0], "to": range[1], "by": by }]);
    let moved = json!({ "first": first, "second": second, "slack_ms": 25.0, "moves": moves });
    let view = measured(&s, &session, "takes", &moved).await;
    let cut = &view["cut"][n];
    assert!(cut["joins"].as_array().unwrap().len() >= 2 && cut["proof"]["lost"] == json!([]), "{cut}");
    assert_eq!(view["cut"][1 - n]["joins"], json!([]));
    let (status, said) = s.post(&format!("{path}/take"), moved.clone()).await;
    assert!(status == 201 && said["label"].as_str().unwrap().contains("a passage brought together"), "{said}");
    let mut wanted = [json!("recorded"), json!("recorded")];
    wanted[n] = json!("moved");
    assert_eq!(s.asked(&path, &moved).await.1["carried"], json!(wanted));
    let x = delivered(&s, &session, ["Morning.wav", "Evening.wav"][n]).await;
    let mut seen = 0;
    for c in view["chords"].as_array().unwrap().iter().filter(|c| c["by"][n].as_i64() == Some(by)) {
        let from = c["at"][n].as_f64().unwrap().round() as usize;
        let to = (from as i64 + by) as usize;
        assert!(apart(&made.sounds[n][from..from + 400], &x[to..to + 400]) < 3e-7, "{c}");
        seen += 1;
    }
    assert!(seen as u64 >= known["count"].as_u64().unwrap(), "{seen} of {known}");
    // Without moves both are as recorded.
    assert_eq!(s.post(&format!("{path}/take"), plan.clone()).await.0, 201);
    assert_eq!(s.asked(&path, &plan).await.1["carried"], json!(["recorded", "recorded"]));
    // What another version wrote in another form is measured anew.
    let pool = sqlx::MySqlPool::connect(&s.database_url).await.unwrap();
    let old = "UPDATE derived SET result = '{\"chords\": 5}', basis = 'long ago' WHERE kind = 'takes'";
    sqlx::query(old).execute(&pool).await.unwrap();
    assert_eq!(s.asked(&path, &plan).await.0, 204);
    assert_eq!(measured(&s, &session, "takes", &plan).await["flagged"], json!(flagged));
    let stranger = json!({ "first": first, "second": second, "slack_ms": 25.0, "moves": [{ "track": "00000000-0000-0000-0000-000000000000", "from": 0, "to": 5, "by": 1 }] });
    assert_eq!(s.post(&path, stranger).await.0, 422);
    assert_eq!(s.post(&path, json!({ "first": first, "second": first, "slack_ms": 25.0 })).await.0, 422);
}

#[actix_web::test]
async fn strokes_are_moved_drawn_and_left_out_by_hand_and_the_plan_is_the_sessions() {
    let s = TestServer::start().await;
    let session = s.session("By hand").await;
    let made = scene(12.0, 9_657, Kind::Clean);
    let played = made.render();
    let files: Vec<(&str, Vec<u8>)> =
        played.files.iter().map(|(name, x)| (name.as_str(), wav(x, 48_000, None))).collect();
    s.bring_in(&session, &files).await;
    let ids: Vec<Value> = s.tracks(&session).await.iter().map(|t| t["id"].clone()).collect();
    let plan = |more: Value| {
        let mut plan = json!({ "set": ids, "within_ms": 12.0, "sections": [] });
        plan.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        plan
    };
    let found = measured(&s, &session, "timing", &plan(json!({}))).await;
    let events = found["events"].as_array().unwrap();
    assert!(events.len() > 8 && events.iter().all(|e| e["by"] == 0), "{events:?}");
    // One stroke alone is moved; a stroke that was found is none; one that was not is drawn, on the track of another.
    let mid = events.len() / 2;
    let at = |n: usize| number(&events[n], "at").round() as i64;
    let track = |n: usize| events[n]["tracks"][0].clone();
    let drawn = (at(mid + 2) + at(mid + 3)) / 2;
    let removed =
        events[mid + 1]["tracks"].as_array().unwrap().iter().map(|t| json!({ "track": t, "at": at(mid + 1) }));
    let by_hand = plan(json!({
        "own": [{ "at": at(mid), "by": 300, "pin": false }, { "at": drawn, "by": -40, "pin": false }],
        "removed": removed.collect::<Vec<_>>(),
        "added": [{ "track": track(mid), "at": drawn }],
    }));
    let view = measured(&s, &session, "timing", &by_hand).await;
    let near = |frame: i64| {
        let events = view["events"].as_array().unwrap();
        events.iter().find(|e| (number(e, "at") - frame as f64).abs() < 48.0).cloned()
    };
    let (one, new) = (near(at(mid)).expect("the stroke"), near(drawn).expect("the drawn one"));
    assert!(one["by_hand"] == true && (one["by"] == 300 || one["rides"] == true), "{one}");
    assert!(new["by_hand"] == true && new["tracks"] == json!([track(mid)]), "{new}");
    assert!(near(at(mid + 1)).is_none_or(|e| e["tracks"] != events[mid + 1]["tracks"]), "it is left out");
    assert_eq!((&view["proof"]["lost"], &view["proof"]["doubled"]), (&json!([]), &json!([])));
    let (status, said) = s.post(&format!("/api/sessions/{session}/timing/take"), by_hand.clone()).await;
    assert!(status == 201 && said["label"].as_str().unwrap().contains("by hand"), "{said}");
    // Softer ones than a usual stroke are not moved by themselves.
    let loud = measured(&s, &session, "timing", &plan(json!({ "softest_db": 0.0 }))).await;
    let fewer = loud["events"].as_array().unwrap();
    assert!(fewer.len() < events.len() && fewer.iter().all(|e| number(e, "level_db") >= 0.0), "{fewer:?}");
    // As many by hand as there may be still fit into an address.
    let most = marea_server::plans::MOST_BY_HAND;
    let drawn: Vec<Value> = (0..most).map(|n| json!({ "track": ids[0], "at": 100_000 + 1_000 * (n % 400) })).collect();
    measured(&s, &session, "timing", &plan(json!({ "added": drawn }))).await;
    // The plan is kept with the session; what makes no sense is not.
    let desk = format!("/api/sessions/{session}/desk");
    assert_eq!(s.patch(&desk, json!({ "timing": by_hand })).await.0, 200);
    let kept = s.get(&format!("/api/sessions/{session}")).await.1["desk"]["plans"]["timing"].clone();
    assert_eq!((&kept["own"], &kept["added"]), (&by_hand["own"], &by_hand["added"]));
    for wrong in [
        json!({ "softest_db": -99.0 }),
        json!({ "own": [{ "at": i64::MAX, "by": 0 }] }),
        json!({ "own": [{ "at": 0, "by": i64::MIN }] }),
        json!({ "added": [{ "track": ids[0], "at": i64::MIN }] }),
    ] {
        let wrong = plan(wrong);
        assert_eq!(s.post(&format!("/api/sessions/{session}/timing"), wrong.clone()).await.0, 422, "{wrong}");
        assert_eq!(s.patch(&desk, json!({ "timing": wrong })).await.0, 422, "{wrong}");
    }
    let stranger = plan(json!({ "added": [{ "track": "00000000-0000-0000-0000-000000000000", "at": 5 }] }));
    assert_eq!(s.post(&format!("/api/sessions/{session}/timing"), stranger).await.0, 404);
}

#[actix_web::test]
async fn of_several_takes_one_is_heard_at_a_time_and_noises_are_lowered() {
    let s = TestServer::start().await;
    let session = s.session("Parts").await;
    let made = blemished(20.0, 607);
    let other = takes(20.0, 607).sounds[1].clone();
    let files = [("First.wav", &made.sound), ("Second.wav", &other)]
        .map(|(name, x)| (name, wav(std::slice::from_ref(x), 48_000, None)));
    s.bring_in(&session, &files).await;
    let tracks = s.tracks(&session).await;
    let [first, second] = [0, 1].map(|n| tracks[n]["id"].as_str().unwrap().to_string());
    // Noises are found, and lowered by 10 dB with nothing else changed.
    let path = format!("/api/sessions/{session}/noises");
    assert_eq!(s.get(&format!("{path}?track={first}")).await.0, 204);
    assert_eq!(s.post(&path, json!({ "track": first })).await.0, 202);
    s.settled(&session).await;
    let (status, found) = s.get(&format!("{path}?track={first}")).await;
    let noises = found["noises"].as_array().unwrap();
    assert!(status == 200 && noises.len() >= 3, "{found}");
    let meets = |n: &Value| {
        let [from, to] = [0, 1].map(|k| n["range"][k].as_f64().unwrap());
        made.noises.iter().any(|[a, b]| from < *b && *a < to)
    };
    // How many of all are found, and how many are none, is told in docs/accuracy-blemishes.md.
    let true_ones: Vec<&Value> = noises.iter().filter(|n| meets(n)).collect();
    assert!(true_ones.len() >= 3, "{found} of {:?}", made.noises);
    let noise = true_ones[0];
    let lower = json!({ "track": first, "ranges": [noise["range"]], "by_db": 10.0 });
    let (status, said) = s.post(&format!("{path}/lower"), lower).await;
    assert!(status == 201 && said["label"] == json!("First: a noise lowered by 10 dB"), "{said}");
    let x = delivered(&s, &session, "First.wav").await;
    let whole = read(&wav(std::slice::from_ref(&made.sound), 48_000, None)).1.swap_remove(0);
    let [from, to] = [0, 1].map(|k| noise["range"][k].as_u64().unwrap() as usize);
    let middle = usize::midpoint(from, to);
    assert!((x[middle] - 10f32.powf(-0.5) * whole[middle]).abs() < 1e-6, "lowered");
    assert_eq!(apart(&x[..from - 300], &whole[..from - 300]), 0.0, "and nothing before it");
    for (body, status) in [
        (json!({ "track": first, "ranges": [[5, 5]], "by_db": 10.0 }), 422),
        (json!({ "track": first, "ranges": [[0, 50]], "by_db": 0.0 }), 422),
        (json!({ "track": first, "ranges": [[0, i64::MAX]], "by_db": 10.0 }), 422),
        (json!({ "track": "00000000-0000-0000-0000-000000000000", "ranges": [[0, 50]], "by_db": 10.0 }), 404),
    ] {
        assert_eq!(s.post(&format!("{path}/lower"), body.clone()).await.0, status, "{body}");
    }
    // One take at a time: outside of its parts a take is silent, and the two fade over where they meet.
    let comp = json!({ "takes": [first, second], "parts": [{ "range": [240_000, 480_000], "take": second }] });
    let (status, said) = s.post(&format!("/api/sessions/{session}/comp"), comp).await;
    assert_eq!((status, &said["label"]), (201, &json!("First, Second: a part of each heard")), "{said}");
    let [a, b] = [delivered(&s, &session, "First.wav").await, delivered(&s, &session, "Second.wav").await];
    let loudest = |x: &[f32]| x.iter().fold(0f32, |m, v| m.max(v.abs()));
    let quiet = [loudest(&a[241_000..479_000]), loudest(&b[..239_000]), loudest(&b[481_000..])];
    assert!(quiet.iter().all(|v| *v < 1e-6), "{quiet:?}");
    assert_eq!(
        apart(&b[241_000..479_000], &read(&wav(std::slice::from_ref(&other), 48_000, None)).1[0][241_000..479_000]),
        0.0
    );
    assert!(
        (a[middle] - 10f32.powf(-0.5) * whole[middle]).abs() < 1e-6 || (240_000..480_000).contains(&middle),
        "still lowered"
    );
    // Without parts both are heard everywhere, and what was lowered stays so.
    assert_eq!(s.post(&format!("/api/sessions/{session}/comp"), json!({ "takes": [first, second] })).await.0, 201);
    assert_eq!(delivered(&s, &session, "First.wav").await, x);
    for wrong in [
        json!({ "takes": [first, first] }),
        json!({ "takes": [first], "parts": [{ "range": [0, 10], "take": second }] }),
        json!({ "takes": [first, second], "parts": [{ "range": [10, 10], "take": second }] }),
        json!({ "takes": [first, second], "parts": [{ "range": [0, i64::MAX], "take": second }] }),
    ] {
        assert_eq!(s.post(&format!("/api/sessions/{session}/comp"), wrong.clone()).await.0, 422, "{wrong}");
    }
}
