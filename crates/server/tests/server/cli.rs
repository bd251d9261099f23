//! `marea check` and `marea align`, as a shell sees them.

use crate::common::*;
use serde_json::Value;
use std::path::Path;
use std::process::{Command, Output};

pub fn marea(folder: &Path, args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_marea"))
        .current_dir(folder)
        .args(args)
        .env_remove("MAREA_DATABASE_URL")
        .output()
        .expect("it runs")
}

fn folder() -> (tempfile::TempDir, Vec<f32>) {
    let folder = tempfile::tempdir().unwrap();
    let x = hits(480_000, 7);
    let put = |name: &str, planes: &[Vec<f32>], rate| {
        std::fs::write(folder.path().join(name), wav(planes, rate, None)).unwrap()
    };
    put("anchor.wav", std::slice::from_ref(&x), 48_000);
    put("late é.wav", &[moved(&x, 331, -0.5)], 48_000);
    put("pair.wav", &[moved(&x, 60, 1.0), moved(&x, 72, 1.0)], 48_000);
    put("other.wav", &[hits(480_000, 8)], 48_000);
    std::fs::write(folder.path().join("text.wav"), "no sound").unwrap();
    (folder, x)
}

#[test]
fn check_prints_what_the_schema_says() {
    let (folder, _) = folder();
    let out = marea(folder.path(), &["check", "anchor.wav", "late é.wav", "pair.wav", "other.wav", "--json"]);
    assert_eq!(out.status.code(), Some(1), "one is late and inverted: {}", String::from_utf8_lossy(&out.stderr));
    let alone = marea(folder.path(), &["check", "anchor.wav", "other.wav"]);
    assert_eq!(alone.status.code(), Some(0), "nothing is decided, so nothing is wrong");
    let report: Value = serde_json::from_slice(&out.stdout).unwrap();
    let schema: Value =
        serde_json::from_str(&std::fs::read_to_string(project().join("docs/check.schema.json")).unwrap()).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let faults: Vec<String> = validator.iter_errors(&report).map(|e| e.to_string()).collect();
    assert!(faults.is_empty(), "{faults:?}");
    let mut wrong = report.clone();
    wrong["tracks"][0]["verdict"] = Value::from("maybe");
    assert!(!validator.is_valid(&wrong), "the schema checks something");
    assert_eq!(
        (&report["sample_rate_hz"], &report["anchor"], report["tracks"].as_array().unwrap().len()),
        (&Value::from(48_000), &Value::from("anchor.wav"), 5)
    );
    let t = |n: usize| &report["tracks"][n];
    assert_eq!(
        (&t(1)["file"], &t(1)["channel"], &t(1)["verdict"], &t(1)["invert"]),
        (&"late é.wav".into(), &1.into(), &"solid".into(), &true.into())
    );
    assert!((t(1)["lag_samples"].as_f64().unwrap() - 331.0).abs() < 0.05 && t(1)["offset_samples"] == -331.0);
    // The pair moves together, by what its earlier channel needs.
    assert!((t(3)["lag_samples"].as_f64().unwrap() - 72.0).abs() < 0.05);
    assert_eq!((&t(2)["offset_samples"], &t(3)["offset_samples"]), (&(-60.0).into(), &(-60.0).into()));
    assert_eq!(
        (&t(4)["verdict"], &t(4)["lag_samples"], &t(4)["offset_samples"]),
        (&"undecided".into(), &Value::Null, &0.0.into())
    );
    let out = marea(folder.path(), &["check", "late é.wav", "--anchor", "anchor.wav"]);
    let text = String::from_utf8(out.stdout).unwrap();
    assert!(
        text.contains("anchor: anchor.wav") && text.contains("331.00 samples") && text.contains("inverted - solid"),
        "{text}"
    );
}

#[test]
fn align_writes_files_that_agree() {
    let (folder, x) = folder();
    let before = std::fs::read(folder.path().join("late é.wav")).unwrap();
    let out = marea(folder.path(), &["align", "anchor.wav", "late é.wav", "pair.wav", "other.wav", "--out", "done"]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let get = |name: &str| marea_media::read_all(&folder.path().join("done").join(name)).unwrap().1;
    assert_eq!(get("anchor.wav")[0][..480_000], x);
    let late = get("late é.wav");
    assert!((0..479_000).all(|n| (late[0][n] - 0.5 * x[n]).abs() < 2.0 / 8_388_608.0));
    let pair = get("pair.wav");
    assert!(
        (0..479_000).all(|n| pair[0][n] == x[n]) && (12..479_000).all(|n| pair[1][n] == x[n - 12]),
        "the pair keeps its inner distance"
    );
    assert_eq!(get("other.wav")[0][..480_000], read(&std::fs::read(folder.path().join("other.wav")).unwrap()).1[0]);
    assert_eq!(std::fs::read(folder.path().join("late é.wav")).unwrap(), before, "recordings stay");
    let out = marea(folder.path(), &["align", "anchor.wav", "late é.wav", "--out", "."]);
    assert!(!out.status.success() && String::from_utf8_lossy(&out.stderr).contains("written over"));
}

#[test]
fn refusals_name_the_file() {
    let (folder, _) = folder();
    for (args, word) in [
        (vec!["check", "anchor.wav", "text.wav"], "text.wav is not a recording"),
        (vec!["check", "nowhere.wav"], "nowhere.wav could not be read"),
    ] {
        let out = marea(folder.path(), &args);
        let said = String::from_utf8_lossy(&out.stderr).to_string();
        assert!(out.status.code() == Some(2) && said.contains(word), "{said}");
    }
    assert!(!marea(folder.path(), &["check"]).status.success());
}

/// A folder is a session: two players, their microphones, a pair; one cable turned over, one stage late.
#[test]
fn a_folder_is_checked_and_aligned_as_a_session() {
    let folder = tempfile::tempdir().unwrap();
    let session = folder.path().join("session");
    let scene = marea_scene::harbour_hall::scene(60.0, 5);
    marea_scene::write_files(&scene.render(), &session, 0, &scene.faults).unwrap();
    std::fs::write(session.join("broken.wav"), "no sound").unwrap();
    // Two pairs contradict each other; the side on which one source stands settles which of them is swapped.
    let answer = ["--side", "Cello near.wav", "right"];
    let out = marea(folder.path(), &["check", "session", "--json"]);
    let report: Value = serde_json::from_slice(&out.stdout).unwrap();
    let asked = report["findings"].as_array().unwrap().iter().find(|f| f["kind"] == "pairs-contradict").unwrap();
    assert_eq!((asked["tracks"].as_array().unwrap().len(), report["swapped_pairs"].as_array().unwrap().len()), (4, 0));
    assert!(asked["question"]["text"].as_str().unwrap().contains("seen from the audience?"), "{asked}");
    let out = marea(folder.path(), &[&["check", "session", "--json"], &answer[..]].concat());
    assert_eq!(out.status.code(), Some(1), "{}", String::from_utf8_lossy(&out.stderr));
    assert!(String::from_utf8_lossy(&out.stderr).contains("broken.wav"), "it says which");
    let report: Value = serde_json::from_slice(&out.stdout).unwrap();
    let schema: Value =
        serde_json::from_str(&std::fs::read_to_string(project().join("docs/check.schema.json")).unwrap()).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let faults: Vec<String> = validator.iter_errors(&report).map(|e| e.to_string()).collect();
    assert!(faults.is_empty(), "{faults:?}");
    let track = |file: &str| report["tracks"].as_array().unwrap().iter().find(|t| t["file"] == file).unwrap();
    assert_eq!((&track("Frame drum.wav")["invert"], &track("Cajón back.wav")["invert"]), (&true.into(), &true.into()));
    assert_eq!(
        (&track("Main pair.wav")["policy"], &track("Main pair.wav")["offset_samples"]),
        (&"keep-distance".into(), &0.0.into())
    );
    assert_eq!(report["arrivals"].as_array().unwrap().len(), 5 * 11);
    assert_eq!(report["swapped_pairs"][0][0]["file"], "Hall pair.wav");
    assert_eq!(report["unreadable"].as_array().unwrap().len(), 1);
    // Aligned, the same check finds no wiring, no placement and no swap any more.
    let out = marea(folder.path(), &[&["align", "session", "--out", "aligned", "--json"], &answer[..]].concat());
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let out = marea(folder.path(), &[&["check", "aligned", "--json"], &answer[..]].concat());
    let after: Value = serde_json::from_slice(&out.stdout).unwrap();
    assert_eq!(after["swapped_pairs"], Value::Array(Vec::new()));
    let kinds: Vec<&str> = after["findings"].as_array().unwrap().iter().map(|f| f["kind"].as_str().unwrap()).collect();
    let about = |t: &Value, kind: &str| {
        t["findings"]
            .as_array()
            .unwrap()
            .iter()
            .any(|f| f["kind"] == kind && f["tracks"][0]["file"] == "Frame drum.wav")
    };
    assert!(about(&report, "wired-inverted") && !about(&after, "wired-inverted"), "{kinds:?}");
    assert!(!kinds.contains(&"pair-swapped") && !kinds.contains(&"opposed-by-placement"), "{kinds:?}");
    // Nothing found is status 0; nothing to check is status 2.
    let lone = folder.path().join("lone");
    std::fs::create_dir(&lone).unwrap();
    assert_eq!(marea(folder.path(), &["check", "lone"]).status.code(), Some(2));
    std::fs::write(lone.join("one.wav"), wav(&[hits(480_000, 3)], 48_000, None)).unwrap();
    assert_eq!(marea(folder.path(), &["check", "lone"]).status.code(), Some(0));
}

/// What was measured in the room is known to the check of a folder, and refused by name where it cannot be.
#[test]
fn distances_told_place_the_microphones() {
    let folder = tempfile::tempdir().unwrap();
    let scene = marea_scene::harbour_hall::scene(40.0, 6);
    marea_scene::write_files(&scene.render(), &folder.path().join("session"), 0, &scene.faults).unwrap();
    let channel = |n: usize| format!("Main pair.wav, channel {n}");
    let [first, second] = [1, 2].map(channel);
    for (told, word) in [
        (vec!["--apart", &first, &second, "900"], "a distance lies between 0.5 cm and 100 m"),
        (vec!["--apart", &first, &first, "1"], "a distance is to another track"),
        (vec!["--from-source", "Main pair.wav", "1"], "say which, as in “Main pair.wav, channel 1”"),
        (vec!["--from-source", "Nobody.wav", "1"], "there is no Nobody.wav"),
        (vec!["--stands", "Cello near.wav", "-2", "far"], "“far” is no length"),
        (vec!["--side", "Cello near.wav", "above"], "there is no side “above”"),
    ] {
        let out = marea(folder.path(), &[vec!["check", "session"], told].concat());
        let said = String::from_utf8_lossy(&out.stderr).to_string();
        assert!(out.status.code() == Some(2) && said.contains(word), "{said}");
    }
    let one = ["check", "session/Cello near.wav", "session/Frame drum.wav", "--side", "Cello near.wav", "left"];
    let out = marea(folder.path(), &one);
    assert!(out.status.code() == Some(2) && String::from_utf8_lossy(&out.stderr).contains("of a folder only"));
    // The pair stands 30 cm apart; told wrongly as 1.5 m, that is what the places show.
    let apart = |told: &str| -> f64 {
        let out = marea(folder.path(), &["check", "session", "--json", "--apart", &first, &second, told]);
        let report: Value = serde_json::from_slice(&out.stdout).unwrap();
        let pair = report["places"]["tracks"].as_array().unwrap().iter().filter(|t| t["file"] == "Main pair.wav");
        let at: Vec<[f64; 2]> = pair.map(|t| [&t["right_m"], &t["front_m"]].map(|m| m.as_f64().unwrap())).collect();
        (at[0][0] - at[1][0]).hypot(at[0][1] - at[1][1])
    };
    let [near, far] = [apart("0.30"), apart("1.50")];
    assert!((near - 0.3).abs() < 0.05, "{near}");
    assert!(far > near + 0.3, "{far} beside {near}");
}

/// One file of two channels: its image, what is wrong between them, and the repaired copy.
#[test]
fn a_stereo_file_is_checked_by_itself_and_repaired() {
    let folder = tempfile::tempdir().unwrap();
    let x = hits(480_000, 11);
    let put =
        |name: &str, planes: &[Vec<f32>]| std::fs::write(folder.path().join(name), wav(planes, 48_000, None)).unwrap();
    put("bad.wav", &[moved(&x, 5, -1.0), x.clone()]);
    put("fine.wav", &[x.clone(), hits(480_000, 12)]);
    put("surround.wav", &[x.clone(), x.clone(), x.clone(), vec![0.0; x.len()], x.clone(), moved(&x, 0, -1.0)]);
    let report = |name: &str| -> (Value, Option<i32>) {
        let out = marea(folder.path(), &["check", name, "--json"]);
        (serde_json::from_slice(&out.stdout).unwrap(), out.status.code())
    };
    let schema: Value =
        serde_json::from_str(&std::fs::read_to_string(project().join("docs/check.schema.json")).unwrap()).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    for name in ["bad.wav", "fine.wav", "surround.wav"] {
        let faults: Vec<String> = validator.iter_errors(&report(name).0).map(|e| e.to_string()).collect();
        assert!(faults.is_empty(), "{name}: {faults:?}");
    }
    let (bad, code) = report("bad.wav");
    let pair = &bad["image"]["pairs"][0];
    assert_eq!((code, &pair["invert"], &pair["verdict"]), (Some(1), &true.into(), &"solid".into()), "{bad}");
    assert!((pair["delay_samples"].as_f64().unwrap() + 5.0).abs() < 0.02, "the second comes first: {pair}");
    assert_eq!((&bad["tracks"][0]["offset_samples"], &bad["tracks"][1]["invert"]), (&(-5.0).into(), &true.into()));
    let (fine, code) = report("fine.wav");
    assert_eq!((code, fine["findings"].as_array().unwrap().len()), (Some(0), 0), "{fine}");
    let (surround, _) = report("surround.wav");
    assert_eq!(surround["tracks"][5]["place"], "Rs");
    let inverted: Vec<bool> = surround["tracks"].as_array().unwrap().iter().map(|t| t["invert"] == true).collect();
    assert_eq!(inverted, [false, false, false, false, false, true], "{surround}");
    // Left: L + 0.7071·C + 0.7071·Ls, all alike; right: R + 0.7071·C − 0.7071·Rs = R (ITU-R BS.775).
    let stereo = surround["image"]["fold_down"]["stereo"].as_array().unwrap();
    let h = std::f64::consts::FRAC_1_SQRT_2;
    let expected = 10.0 * (((1.0 + h + h).powi(2) + 1.0f64.powi(2)) / (2.0 * (1.0 + 0.5 + 0.5))).log10();
    assert!(!stereo.is_empty() && stereo.iter().all(|b| (b["gain_db"].as_f64().unwrap() - expected).abs() < 0.05));
    let out = marea(folder.path(), &["align", "bad.wav", "--out", "repaired", "--float"]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let (_, planes) = read(&std::fs::read(folder.path().join("repaired/bad.wav")).unwrap());
    let differ = planes[0].iter().zip(&planes[1]).take(479_000).filter(|(a, b)| a != b).count();
    assert_eq!(differ, 0, "both channels agree to the last sample");
}
