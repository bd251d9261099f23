//! The command line with single files, odd files, pipes and folders that hold something already.

use super::cli::marea;
use crate::common::*;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde_json::Value;
use std::io::Read;
use std::process::{Command, Stdio};

fn schema() -> jsonschema::Validator {
    let text = std::fs::read_to_string(project().join("docs/check.schema.json")).unwrap();
    jsonschema::validator_for(&serde_json::from_str(&text).unwrap()).unwrap()
}

/// A single file is looked at by itself, whatever it holds.
#[test]
fn a_mono_file_is_looked_at_by_itself() {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, x: &[f32]| std::fs::write(folder.path().join(name), float_wav(x)).unwrap();
    let x = hits(480_000, 3);
    put("fine.wav", &x);
    put("clipped.wav", &x.iter().map(|v| (v * 8.0).clamp(-1.0, 1.0)).collect::<Vec<_>>());
    put("offset.wav", &x.iter().map(|v| v * 0.5 + 0.03).collect::<Vec<_>>());
    put("silent.wav", &vec![0.0; 480_000]);
    let mut state = 1u32;
    let hiss = |v: &f32| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        v * 0.1 + ((state >> 8) as f32 / 8_388_608.0 - 1.0) * 0.03
    };
    put("noisy.wav", &x.iter().map(hiss).collect::<Vec<_>>());
    for (name, kind, code) in [
        ("fine.wav", None, 0),
        ("clipped.wav", Some("clipped"), 1),
        ("offset.wav", Some("dc-offset"), 1),
        ("silent.wav", Some("dead"), 1),
        ("noisy.wav", Some("noisy"), 1),
    ] {
        let out = marea(folder.path(), &["check", name, "--json"]);
        let report: Value = serde_json::from_slice(&out.stdout).unwrap();
        let faults: Vec<String> = schema().iter_errors(&report).map(|e| e.to_string()).collect();
        assert!(faults.is_empty(), "{name}: {faults:?}");
        let found = report["findings"].as_array().unwrap();
        assert_eq!(out.status.code(), Some(code), "{report}");
        assert!(found.iter().any(|f| Some(f["kind"].as_str().unwrap()) == kind) == kind.is_some(), "{name}: {report}");
        let words = String::from_utf8(marea(folder.path(), &["check", name]).stdout).unwrap();
        assert!(words.contains(if kind.is_some() { name } else { "nothing found" }), "{words}");
    }
}

/// What is wrong with a file as a file is part of the answer and of the status, one file or many.
#[test]
fn notes_are_part_of_the_answer() {
    let folder = tempfile::tempdir().unwrap();
    let x = hits(480_000, 4);
    let mut odd = x.clone();
    odd[100] = f32::NAN;
    odd[200] = 1e25;
    std::fs::create_dir(folder.path().join("set")).unwrap();
    for place in ["", "set/"] {
        std::fs::write(folder.path().join(format!("{place}odd.wav")), float_wav(&odd)).unwrap();
        std::fs::write(folder.path().join(format!("{place}fine.wav")), float_wav(&moved(&x, 7, 1.0))).unwrap();
    }
    for args in [
        vec!["check", "odd.wav", "--json"],
        vec!["check", "fine.wav", "odd.wav", "--json"],
        vec!["check", "set", "--json"],
    ] {
        let out = marea(folder.path(), &args);
        let report: Value = serde_json::from_slice(&out.stdout).unwrap();
        assert!(schema().is_valid(&report), "{args:?}");
        let files = report["files"].as_array().unwrap();
        let notes = &files.iter().find(|f| f["file"] == "odd.wav").unwrap()["notes"];
        assert_eq!((notes.as_array().unwrap().len(), out.status.code()), (2, Some(1)), "{args:?}: {report}");
        assert!(files.iter().all(|f| f["file"] == "odd.wav" || f["notes"] == serde_json::json!([])));
    }
    // Another rate is no fault.
    std::fs::write(folder.path().join("slow.wav"), wav(&[hits(441_000, 5)], 44_100, None)).unwrap();
    assert_eq!(marea(folder.path(), &["check", "slow.wav"]).status.code(), Some(0));
}

/// A pair of inverted channels with a sample no sound reaches stays what it is.
#[test]
fn one_impossible_sample_hides_no_inversion() {
    let folder = tempfile::tempdir().unwrap();
    let x = hits(480_000, 6);
    let mut planes = [x.clone(), moved(&x, 0, -1.0)];
    (planes[0][1_000], planes[1][1_000]) = (3e19, 3e19);
    let block: Vec<f32> = planes[0].iter().zip(&planes[1]).flat_map(|(l, r)| [*l, *r]).collect();
    let mut spec = hound::WavWriter::create(
        folder.path().join("pair.wav"),
        hound::WavSpec {
            channels: 2,
            sample_rate: 48_000,
            bits_per_sample: 32,
            sample_format: hound::SampleFormat::Float,
        },
    )
    .unwrap();
    block.iter().for_each(|v| spec.write_sample(*v).unwrap());
    spec.finalize().unwrap();
    let out = marea(folder.path(), &["check", "pair.wav", "--json"]);
    let report: Value = serde_json::from_slice(&out.stdout).unwrap();
    assert_eq!(report["image"]["pairs"][0]["invert"], true, "{report}");
}

#[test]
fn aligned_files_take_nobodys_place() {
    let folder = tempfile::tempdir().unwrap();
    let x = hits(240_000, 7);
    std::fs::write(folder.path().join("a.wav"), wav(std::slice::from_ref(&x), 48_000, None)).unwrap();
    std::fs::write(folder.path().join("b.wav"), wav(&[moved(&x, 9, 1.0)], 48_000, None)).unwrap();
    let align =
        |more: &[&str]| marea(folder.path(), &[&["align", "a.wav", "b.wav", "--out", "done"][..], more].concat());
    assert!(align(&[]).status.success());
    let kept = std::fs::read(folder.path().join("done/a.wav")).unwrap();
    std::fs::remove_file(folder.path().join("done/b.wav")).unwrap();
    let again = align(&["--float"]);
    let said = String::from_utf8_lossy(&again.stderr).into_owned();
    assert!(
        !again.status.success() && said.contains("done/a.wav exists already") && said.contains("--overwrite"),
        "{said}"
    );
    assert_eq!(std::fs::read(folder.path().join("done/a.wav")).unwrap(), kept);
    assert!(!folder.path().join("done/b.wav").exists(), "nothing was written");
    assert!(align(&["--float", "--overwrite"]).status.success());
    assert_ne!(std::fs::read(folder.path().join("done/a.wav")).unwrap(), kept);
    let own = marea(folder.path(), &["align", "a.wav", "b.wav", "--out", ".", "--overwrite"]);
    assert!(
        !own.status.success() && String::from_utf8_lossy(&own.stderr).contains("written over"),
        "never a recording"
    );
    let left: Vec<_> =
        std::fs::read_dir(folder.path().join("done")).unwrap().flatten().map(|e| e.file_name()).collect();
    assert_eq!(left.len(), 2, "{left:?}");
}

/// Sentences about files name them as they were given.
#[test]
fn files_are_named_as_they_were_given() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir(folder.path().join("sub")).unwrap();
    std::fs::write(folder.path().join("sub/text.wav"), "no sound").unwrap();
    for args in [vec!["check", "sub/text.wav"], vec!["check", "sub/none.wav", "sub/text.wav"]] {
        let said = String::from_utf8_lossy(&marea(folder.path(), &args).stderr).into_owned();
        assert!(said.contains(args[1]), "{said}");
    }
}

/// Whoever reads only the beginning gets it, and no complaint.
#[test]
fn a_reader_that_goes_away_is_no_error() {
    let folder = tempfile::tempdir().unwrap();
    let scene = marea_scene::harbour_hall::scene(20.0, 5);
    marea_scene::write_files(&scene.render(), &folder.path().join("session"), 0, &scene.faults).unwrap();
    for args in [vec!["openapi"], vec!["check", "session", "--json"]] {
        let mut child = Command::new(env!("CARGO_BIN_EXE_marea"))
            .current_dir(folder.path())
            .args(&args)
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let mut first = [0u8; 10];
        child.stdout.take().unwrap().read_exact(&mut first).unwrap();
        let out = child.wait_with_output().unwrap();
        let said = String::from_utf8_lossy(&out.stderr);
        assert!(
            out.status.code().is_some_and(|c| c < 2) && !said.contains("panicked"),
            "{args:?}: {} {said}",
            out.status
        );
    }
}

/// A log that goes into a file holds no colours.
#[actix_web::test]
async fn a_log_in_a_file_is_plain() {
    let (url, store) = (database().await, tempfile::tempdir().unwrap());
    let log = store.path().join("log");
    let mut child = Command::new(env!("CARGO_BIN_EXE_marea"))
        .args(["serve", "--port", "0"])
        .env("MAREA_DATABASE_URL", &url)
        .env("MAREA_STORE", store.path().join("store"))
        .env("RUST_LOG", "info")
        .stdout(Stdio::piped())
        .stderr(std::fs::File::create(&log).unwrap())
        .spawn()
        .unwrap();
    let mut line = String::new();
    std::io::BufRead::read_line(&mut std::io::BufReader::new(child.stdout.take().unwrap()), &mut line).unwrap();
    let base = line.trim().trim_start_matches("Marea is at ").trim_end_matches('/').to_string();
    super::crash::ready(&base).await;
    super::crash::post(&base, "/api/sessions", serde_json::json!({ "name": "Log" })).await;
    assert!(Command::new("kill").arg(child.id().to_string()).status().unwrap().success());
    assert!(child.wait().unwrap().success());
    let text = std::fs::read_to_string(&log).unwrap();
    assert!(!text.is_empty() && !text.contains('\u{1b}'), "{text:?}");
}

/// A room microphone may stand 20 m away and hear little over its own noise: the command line looks as far as the page does,
/// where the envelopes alone tell nothing.
#[test]
fn a_distant_room_microphone_is_found() {
    let folder = tempfile::tempdir().unwrap();
    let x = hits(480_000, 31);
    let mut rng = ChaCha8Rng::seed_from_u64(32);
    let room: Vec<f32> = moved(&x, 2_100, 0.01).iter().map(|v| v + rng.random_range(-0.02..0.02)).collect();
    for (name, sound) in [("Snare.wav", x), ("Room.wav", room)] {
        std::fs::write(folder.path().join(name), wav(&[sound], 48_000, None)).unwrap();
    }
    let out = marea(folder.path(), &["check", "Snare.wav", "Room.wav", "--json"]);
    let report: Value = serde_json::from_slice(&out.stdout).unwrap();
    let lag = report["tracks"][1]["lag_samples"].as_f64().unwrap_or_else(|| panic!("{}", report["tracks"][1]));
    assert!((lag - 2_100.0).abs() < 1.0, "{lag}");
}
