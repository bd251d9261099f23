//! `marea shadow` from a lead and its doubles to the moments they share.

use crate::cli::marea;
use crate::common::wav;
use marea_scene::doubles::{Double, Doubles, How, doubles};
use serde_json::{Value, json};
use std::path::Path;

fn asked(folder: &Path, args: &[&str]) -> Value {
    let got = marea(folder, &[&["shadow", "--json"], args].concat());
    assert!(got.status.success(), "{}", String::from_utf8_lossy(&got.stderr));
    let report: Value = serde_json::from_slice(&got.stdout).unwrap();
    let schema: Value = serde_json::from_str(include_str!("../../../../docs/shadow.schema.json")).unwrap();
    jsonschema::validator_for(&schema).unwrap().validate(&report).unwrap();
    report
}

/// Where a moment of the lead is in the take, by the told map; seconds.
fn along(map: &Value, at: f64) -> f64 {
    let points: Vec<[f64; 2]> = serde_json::from_value(map.clone()).unwrap();
    assert!(points.is_sorted_by(|a, b| a[0] < b[0] && a[1] < b[1]), "rising");
    let n = points.partition_point(|p| p[0] <= at).clamp(1, points.len() - 1);
    let [p, q] = [points[n - 1], points[n]];
    p[1] + (at.clamp(points[0][0], points[points.len() - 1][0]) - p[0]) * (q[1] - p[1]) / (q[0] - p[0])
}

/// How far the vowels are from where they truly are, in ms, away from what is marked.
fn off(told: &Value, take: &Double) -> Vec<f64> {
    let marked: Vec<(f64, f64, String)> = serde_json::from_value(told["marked"].clone()).unwrap();
    let inside = |s: f64| marked.iter().any(|(from, to, _)| s > from - 0.05 && s < to + 0.05);
    let vowels = take.vowels().map(|m| m.map(|at| at / 48_000.0)).filter(|m| !inside(m[0]));
    let mut off: Vec<f64> = vowels.map(|[lead, own]| 1_000.0 * (along(&told["map"], lead) - own).abs()).collect();
    off.sort_by(f64::total_cmp);
    off
}

fn put(folder: &Path, made: &Doubles, names: &[&str]) {
    let write = |name: &str, sound: &[f32]| {
        std::fs::write(folder.join(name), wav(&[sound.to_vec()], 48_000, None)).unwrap();
    };
    write("Lead.wav", &made.lead);
    names.iter().zip(&made.takes).for_each(|(name, take)| write(name, &take.sound));
}

#[test]
fn doubles_are_held_to_their_lead_and_missing_words_are_marked() {
    let kinds = [How::Same, How::Other, How::Whispered];
    let made = doubles(40.0, 702, &kinds);
    let folder = tempfile::tempdir().unwrap();
    let names = ["Double.wav", "Octave.wav", "Whisper.wav"];
    put(folder.path(), &made, &names);
    let report = asked(folder.path(), &["Lead.wav", "Double.wav", "Octave.wav", "Whisper.wav"]);
    for (name, take) in names.iter().zip(&made.takes) {
        let told = &report["takes"][name];
        let off = off(told, take);
        assert!(off.len() > 20 && off[off.len() / 2] < 3.0, "{name}: {off:?}");
        assert_ne!(told["verdict"], "undecided", "{name}: {}", told["reason"]);
        let marked: Vec<(f64, f64, String)> = serde_json::from_value(told["marked"].clone()).unwrap();
        let long = take.missing.iter().filter(|m| m[1] - m[0] > 0.3 * 48_000.0);
        for [from, to] in long.map(|m| m.map(|at| at / 48_000.0)) {
            let near = |m: &&(f64, f64, String)| m.2 == "missing" && m.0 < to && m.1 > from;
            assert!(marked.iter().any(|m| near(&m)), "{name}: {from} to {to} of {marked:?}");
        }
    }
    // Every moment that is told goes to the lead's; a take that keeps its length from one to the next does not.
    let most = |told: &Value| told["stretch"].as_f64().unwrap();
    assert!(names.iter().all(|n| most(&report["takes"][n]) <= 2.0), "{report}");
    let stiff = asked(folder.path(), &["Lead.wav", "Double.wav", "--ratio", "1.05"]);
    assert!(most(&stiff["takes"]["Double.wav"]) <= 1.0501 && most(&report["takes"]["Double.wav"]) > 1.1);
    // Half of the way, and all that is within the slack stays.
    let half = asked(folder.path(), &["Lead.wav", "Double.wav", "--strength", "50", "--slack", "20"]);
    let told = &half["takes"]["Double.wav"];
    let goes: Vec<[f64; 2]> = serde_json::from_value(told["goes"].clone()).unwrap();
    let (mut halfway, mut all) = (0, 0);
    for knot in told["knots"].as_array().unwrap() {
        let [lead, take] = ["lead_s", "take_s"].map(|n| knot[n].as_f64().unwrap());
        let apart = take - lead;
        let wanted = take - 0.5 * (apart - apart.clamp(-0.02, 0.02));
        let [_, at] = goes.iter().find(|p| (p[0] - take).abs() < 1e-6).expect("every knot goes somewhere");
        all += 1;
        halfway += usize::from((at - wanted).abs() < 1e-5);
    }
    // Two that lie close together may not run apart faster than the farthest stretch.
    assert!(all > 20 && halfway * 20 >= all * 19, "{halfway} of {all}: {told}");
}

/// The whole way: a double and its lead, and the file that is written is where the lead is, with its attacks as they were.
#[test]
fn a_take_is_written_as_it_follows_the_lead() {
    let made = doubles(30.0, 705, &[How::Same]);
    let folder = tempfile::tempdir().unwrap();
    put(folder.path(), &made, &["Double.wav"]);
    let takes = ["Lead.wav", "Double.wav"];
    let before = asked(folder.path(), &takes);
    let report = asked(folder.path(), &[&takes[..], &["--out", "out", "--float"]].concat());
    assert_eq!(before, report, "what is told does not hang on what is written");
    let far = |told: &Value| {
        let knots = told["knots"].as_array().unwrap();
        let solid = knots.iter().filter(|k| k["verdict"] == "solid");
        let s = |k: &Value, name: &str| k[name].as_f64().unwrap();
        let mut off: Vec<f64> = solid.map(|k| 1_000.0 * (s(k, "take_s") - s(k, "lead_s")).abs()).collect();
        off.sort_by(f64::total_cmp);
        (off.len(), off[off.len() / 2], off[off.len() * 95 / 100])
    };
    let result = asked(folder.path(), &["Lead.wav", "out/Double.wav"]);
    let (was, is) = (far(&before["takes"]["Double.wav"]), far(&result["takes"]["Double.wav"]));
    assert!(was.1 > 10.0 && is.1 < 3.0 && is.2 < 12.0 && is.0 * 10 >= was.0 * 9, "{was:?} became {is:?}");
    // Written once; never over what is there, and never over a recording.
    let again = marea(folder.path(), &[&["shadow"], &takes[..], &["--out", "out"]].concat());
    assert!(String::from_utf8_lossy(&again.stderr).contains("exists already"), "{again:?}");
    let over = marea(folder.path(), &[&["shadow"], &takes[..], &["--out", ".", "--overwrite"]].concat());
    assert!(String::from_utf8_lossy(&over.stderr).contains("would be written over"), "{over:?}");
    // A pin is met, what is protected keeps its length, and pins that cross are refused.
    let [lead, take] = ["lead_s", "take_s"].map(|n| before["takes"]["Double.wav"]["knots"][8][n].as_f64().unwrap());
    let pin = format!("{:.3}:{:.3}", lead + 0.05, take);
    let protect = format!("{:.3}:{:.3}", take + 1.0, take + 3.0);
    let set = asked(folder.path(), &[&takes[..], &["--pin", &pin, "--protect", &protect]].concat());
    let goes: Vec<[f64; 2]> = serde_json::from_value(set["takes"]["Double.wav"]["goes"].clone()).unwrap();
    let at = |s: f64| goes.iter().find(|p| (p[0] - s).abs() < 0.002).unwrap_or_else(|| panic!("{s} in {goes:?}"))[1];
    assert!((at(take) - lead - 0.05).abs() < 0.002, "{goes:?}");
    assert!((at(take + 3.0) - at(take + 1.0) - 2.0).abs() < 1e-4, "{goes:?}");
    for (wrong, why) in [
        (["--pin", "5:4", "--pin", "4:5"].as_slice(), "two pins cross: those at 4.000 and 5.000 s"),
        (&["--pin", "4:4", "--pin", "9:5"], "farthest stretch allows"),
        (&["--protect", "5:4"], "ends before it begins"),
        (&["--pin", "4"], "is not two seconds"),
        (&["--ratio", "3"], "not between 1 and 2"),
    ] {
        let got = marea(folder.path(), &[&["shadow"], &takes[..], wrong].concat());
        let told = String::from_utf8_lossy(&got.stderr).into_owned();
        assert!(got.status.code() == Some(2) && told.contains(why), "{wrong:?}: {told}");
    }
}

#[test]
fn what_is_no_double_is_left_where_it_is() {
    let [made, other] = [703, 704].map(|seed| doubles(30.0, seed, &[How::Same]));
    let folder = tempfile::tempdir().unwrap();
    put(folder.path(), &made, &["Double.wav"]);
    let write = |name: &str, x: Vec<f32>| std::fs::write(folder.path().join(name), wav(&[x], 48_000, None)).unwrap();
    write("Song.wav", other.lead);
    write("Silence.wav", vec![0.0; 480_000]);
    write("Word.wav", made.lead[24_000..48_000].to_vec());
    let report = asked(folder.path(), &["Lead.wav", "Song.wav", "Silence.wav", "Word.wav"]);
    for (name, why) in [("Song.wav", "something else"), ("Silence.wav", "silent"), ("Word.wav", "something else")] {
        let told = &report["takes"][name];
        assert_eq!((&told["verdict"], &told["worst_ratio"]), (&json!("undecided"), &json!(1.0)), "{name}");
        assert!(told["reason"].as_str().unwrap().contains(why), "{name}: {}", told["reason"]);
        assert_eq!(told["map"][0][0], told["map"][0][1], "{name}");
    }
    // A lead is its own best double.
    let own = asked(folder.path(), &["Lead.wav", "Lead.wav"]);
    let told = &own["takes"]["Lead.wav"];
    assert_eq!((&told["verdict"], &told["marked"]), (&json!("solid"), &json!([])), "{told}");
    for k in told["knots"].as_array().unwrap() {
        assert!((k["lead_s"].as_f64().unwrap() - k["take_s"].as_f64().unwrap()).abs() < 1e-3, "{k}");
    }
    for args in [vec!["shadow", "Lead.wav"], vec!["shadow", "Lead.wav", "Double.wav", "--strength", "120"]] {
        assert_eq!(marea(folder.path(), &args).status.code(), Some(2), "{args:?}");
    }
}
