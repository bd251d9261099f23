//! Timing: takes made anew beneath what they were, in time with a lead, at another pitch, wide.

use super::*;
use crate::timing::{delivered, two};
use marea_scene::doubles::{How, doubles};
use serde_json::{Value, json};

#[actix_web::test]
async fn a_double_is_brought_into_time_and_heard_against_its_original() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    let made = doubles(14.0, 751, &[How::Same]);
    let id = two(&b, &s, "doubles", [("Lead.wav", &made.lead), ("Double.wav", &made.takes[0].sound)]).await;
    b.until("a plot", "return !!document.querySelector('[data-plot=deviation]')").await;
    // One beginning is chosen and pinned 4 ms after the lead's.
    b.find("[data-plot=deviation] canvas").await.send_keys("\u{e014}\u{e014}").await.expect("keys");
    b.find("[data-test=moment-card]").await;
    let field = b.find("[data-test=lands]").await;
    field.clear().await.expect("emptied");
    field.send_keys("4\u{e007}").await.expect("typed");
    b.until("a pin", "return !!document.querySelector('[data-test=unpin]')").await;
    b.until("ready", "return document.querySelector('[data-test=bring-into-time]')?.disabled === false").await;
    b.click("[data-test=bring-into-time]").await;
    b.until("made", "return !!document.querySelector('[data-test=made]')").await;
    // The original is a key away, and so is the result.
    let lanes = async |s: &TestServer| s.get(&format!("/api/sessions/{id}")).await.1["desk"]["lanes"].clone();
    let tracks = s.tracks(&id).await;
    let of = |name: &str| tracks.iter().find(|t| t["name"] == name).expect("a track")["id"].clone();
    let [take, result] = ["Double", "Double with Lead"].map(|n| of(n).as_str().expect("an id").to_string());
    assert_eq!(lanes(&s).await[&take]["muted"], true);
    b.key("o").await;
    s.until("the original", async |s| lanes(s).await[&result]["muted"] == true).await;
    assert_ne!(lanes(&s).await[&take]["muted"], json!(true));
    b.key("o").await;
    s.until("the result", async |s| lanes(s).await[&take]["muted"] == true).await;
    // After a reload the same; what is delivered lies where the plan says.
    b.page.refresh().await.expect("reloaded");
    b.until("made", "return !!document.querySelector('[data-test=made]')").await;
    let plan = s.get(&format!("/api/sessions/{id}")).await.1["desk"]["plans"]["doubles"].clone();
    let pin = &plan["takes"][0]["pins"][0];
    let view = s.asked(&format!("/api/sessions/{id}/doubles"), &plan).await.1;
    let knot = |k: &&Value| (k["take"].as_f64().expect("a frame") - pin["take"].as_f64().expect("a frame")).abs() < 1.0;
    let knot = view["takes"][0]["knots"].as_array().expect("knots").iter().find(knot).expect("what was pinned");
    let later = pin["lead"].as_f64().expect("a frame") - knot["lead"].as_f64().expect("a frame");
    assert!((later - 192.0).abs() < 1.5, "{later}");
    let after = delivered(&b, &s, &id, "Double with Lead.wav").await;
    assert!(after.iter().any(|v| v.abs() > 0.01), "it sounds");
    b.no_errors().await;
    b.close().await;
}

#[actix_web::test]
async fn a_note_of_a_voice_is_retuned_and_the_voice_beneath_it_is_a_key_away() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    let made = doubles(12.0, 761, &[How::Same]);
    let id = two(&b, &s, "pitch", [("Voice.wav", &made.lead), ("Double.wav", &made.takes[0].sound)]).await;
    b.until("a staff", "return !!document.querySelector('[data-plot=staff]')").await;
    b.find("[data-plot=staff] canvas").await.send_keys("\u{e014}\u{e014}\u{e014}").await.expect("keys");
    b.find("[data-test=note-card]").await;
    let field = b.find("[data-test=cents]").await;
    field.clear().await.expect("emptied");
    field.send_keys("40\u{e007}").await.expect("typed");
    b.until(
        "it changes",
        "return /then/.test(document.querySelector('[data-plot=staff] [data-test=readout]').innerText)",
    )
    .await;
    // By keys: 5 cents more, and as it was, and to the nearest key.
    b.key("+").await;
    let kept = async |s: &TestServer| {
        s.get(&format!("/api/sessions/{id}")).await.1["desk"]["plans"]["retunes"][0]["notes"].clone()
    };
    s.until("five more", async |s| kept(s).await[0]["cents"] == 45.0).await;
    b.key("x").await;
    s.until("as it was", async |s| kept(s).await == json!([])).await;
    b.key("+").await;
    s.until("up again", async |s| kept(s).await[0]["cents"] == 5.0).await;
    b.until("ready", "return document.querySelector('[data-test=retune]')?.disabled === false").await;
    b.click("[data-test=retune]").await;
    b.until("made", "return !!document.querySelector('[data-test=made]')").await;
    let tracks = s.tracks(&id).await;
    let voice =
        tracks.iter().find(|t| t["name"] == "Voice").expect("the voice")["id"].as_str().expect("an id").to_string();
    let muted =
        async |s: &TestServer| s.get(&format!("/api/sessions/{id}")).await.1["desk"]["lanes"][&voice]["muted"].clone();
    assert_eq!(muted(&s).await, true);
    b.key("o").await;
    s.until("the original", async |s| muted(s).await != true).await;
    let [before, after] = [made.lead.clone(), delivered(&b, &s, &id, "Voice retuned.wav").await];
    let differs = before.iter().zip(&after).filter(|(a, b)| (**a - **b).abs() > 1e-3).count();
    assert!(differs > 1_000 && differs < before.len() / 2, "{differs} of {}", before.len());
    b.no_errors().await;
    b.close().await;
}

#[actix_web::test]
async fn a_part_is_made_wide_once_its_sum_in_mono_was_seen() {
    let _turn = beside().await;
    let (s, b) = (TestServer::start().await, Browser::open(1280, 800).await);
    let made = doubles(12.0, 763, &[How::Same]);
    let id = two(&b, &s, "wide", [("Voice.wav", &made.lead), ("Double.wav", &made.takes[0].sound)]).await;
    let told = b.find("[data-test=wide-sentence]").await.text().await.expect("a sentence");
    assert!(told.contains("old") && told.contains("in mono"), "{told}");
    // Two copies that hardly move cancel bands: that is not called fine.
    let field = b.find("[data-test=cents]").await;
    field.clear().await.expect("emptied");
    field.send_keys("0.5\u{e007}").await.expect("typed");
    let field = b.find("[data-test=apart]").await;
    field.clear().await.expect("emptied");
    field.send_keys("2\u{e007}").await.expect("typed");
    let plan = async |s: &TestServer| s.get(&format!("/api/sessions/{id}")).await.1["desk"]["plans"]["wide"][0].clone();
    s.until("kept", async |s| plan(s).await["apart_ms"] == 2.0 && plan(s).await["cents"] == 0.5).await;
    b.until(
        "refused",
        "return /^Does not hold in mono/.test(document.querySelector('[data-test=wide-sentence]').innerText)",
    )
    .await;
    b.until("said", "return /all the same/.test(document.querySelector('[data-test=make-wide]').innerText)").await;
    // Four copies, further apart, another drift.
    b.click("[data-test=copies-4]").await;
    let field = b.find("[data-test=apart]").await;
    field.clear().await.expect("emptied");
    field.send_keys("20\u{e007}").await.expect("typed");
    let field = b.find("[data-test=cents]").await;
    field.clear().await.expect("emptied");
    field.send_keys("15\u{e007}").await.expect("typed");
    s.until("all of it", async |s| plan(s).await["copies"] == 4 && plan(s).await["cents"] == 15.0).await;
    // Another drift until one holds.
    let ready = "return document.querySelector('[data-test=make-wide]')?.disabled === false";
    let holds = "return /^Holds in mono/.test(document.querySelector('[data-test=wide-sentence]').innerText)";
    for drift in 2..40 {
        b.key("j").await;
        s.until("the next one", async |s| plan(s).await["drift"] == drift).await;
        let told = format!("/api/sessions/{id}/wide");
        s.until("told", async |s| s.asked(&told, &plan(s).await).await.0 == 200).await;
        b.until("tried", ready).await;
        if s.asked(&told, &plan(&s).await).await.1["fine"] == true {
            break;
        }
    }
    b.until("it holds", holds).await;
    b.click("[data-test=make-wide]").await;
    b.until("made", "return !!document.querySelector('[data-test=made]')").await;
    let lanes = async |s: &TestServer| s.get(&format!("/api/sessions/{id}")).await.1["desk"]["lanes"].clone();
    let tracks = s.tracks(&id).await;
    let of =
        |name: &str| tracks.iter().find(|t| t["name"] == name).expect(name)["id"].as_str().expect("an id").to_string();
    let [voice, left, right] = ["Voice", "Voice wide L", "Voice wide R"].map(of);
    assert_eq!(lanes(&s).await[&voice]["muted"], true);
    // The part again, by one key; both sides are still then.
    b.key("o").await;
    s.until("the part", async |s| {
        let lanes = lanes(s).await;
        lanes[&voice]["muted"] != true && lanes[&left]["muted"] == true && lanes[&right]["muted"] == true
    })
    .await;
    let sound = delivered(&b, &s, &id, "Voice wide.wav").await;
    assert!(sound.len() > made.lead.len() && sound.iter().any(|v| v.abs() > 0.01), "it sounds");
    b.no_errors().await;
    b.close().await;
}
