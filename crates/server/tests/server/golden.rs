//! What the command line says and writes for sessions that are made anew every time, against answers that are kept beside the
//! tests: a change that should change nothing shows here. Written anew with `MAREA_GOLDEN=write`.

use super::cli::marea;
use crate::common::project;
use marea_scene::varied::{self, Kind};
use marea_scene::{evening, harbour_hall, stereo, write_files};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

/// Numbers are printed to a hundredth or better. Fourier transforms differ between processors in their last bits.
const TOLERANCE: f64 = 0.011;

/// Where two answers part.
fn differences(at: &str, kept: &Value, now: &Value, found: &mut Vec<String>) {
    match (kept, now) {
        (Value::Object(a), Value::Object(b)) if a.keys().eq(b.keys()) => {
            a.iter().for_each(|(key, v)| differences(&format!("{at}.{key}"), v, &b[key], found));
        }
        (Value::Array(a), Value::Array(b)) if a.len() == b.len() => {
            a.iter().zip(b).enumerate().for_each(|(n, (a, b))| differences(&format!("{at}[{n}]"), a, b, found));
        }
        (Value::Number(a), Value::Number(b)) => {
            let (a, b) = (a.as_f64().unwrap(), b.as_f64().unwrap());
            if (a - b).abs() > TOLERANCE + 1e-6 * a.abs() {
                found.push(format!("{at}: {a} was kept, {b} is said"));
            }
        }
        (a, b) if a == b => {}
        (a, b) => found.push(format!("{at}: {a} was kept, {b} is said")),
    }
}

/// Each file of a folder by its sound.
fn written(folder: &Path) -> Value {
    let mut paths: Vec<PathBuf> = std::fs::read_dir(folder).unwrap().map(|f| f.unwrap().path()).collect();
    paths.sort();
    let of = |path: &PathBuf| {
        let (info, planes) = marea_media::read_all(path).unwrap();
        let rms = |x: &Vec<f32>| (x.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / x.len() as f64).sqrt();
        // In steps of the tolerance, a millionth of full scale.
        let level = |v: f64| (v * 1e6).round() * TOLERANCE;
        let first = |x: &Vec<f32>| x.iter().position(|v| v.abs() > 1e-3);
        json!({
            "file": path.file_name().unwrap().to_str(),
            "frames": planes[0].len(),
            "time_reference": info.time_reference,
            "rms": planes.iter().map(|x| level(rms(x))).collect::<Vec<_>>(),
            "first": planes.iter().map(first).collect::<Vec<_>>(),
            "sum": planes.iter().map(|x| level(x.iter().map(|v| f64::from(*v)).sum::<f64>() / 100.0)).collect::<Vec<_>>(),
        })
    };
    paths.iter().map(of).collect()
}

/// Checks and aligns, and compares with what was kept.
fn compare(name: &str, folder: &Path, what: &[&str]) {
    let check = marea(folder, &[&["check"], what, &["--json"]].concat());
    let said: Value = serde_json::from_slice(&check.stdout).expect("JSON");
    let aligned = marea(folder, &[&["align"], what, &["--out", "aligned"]].concat());
    assert!(aligned.status.success(), "{}", String::from_utf8_lossy(&aligned.stderr));
    let now = json!({ "said": said, "status": check.status.code(), "written": written(&folder.join("aligned")) });
    let place = project().join(format!("crates/server/tests/golden/{name}.json"));
    if std::env::var("MAREA_GOLDEN").is_ok_and(|v| v == "write") {
        std::fs::create_dir_all(place.parent().unwrap()).unwrap();
        std::fs::write(&place, format!("{now}\n")).unwrap();
    }
    let kept: Value = serde_json::from_slice(&std::fs::read(&place).expect("an answer is kept")).unwrap();
    let mut found = Vec::new();
    differences(name, &kept, &now, &mut found);
    assert!(found.is_empty(), "{} differences: {:#?}", found.len(), &found[..found.len().min(20)]);
}

#[test]
fn the_demo_is_judged_as_before() {
    let folder = tempfile::tempdir().unwrap();
    let evening = evening::evening(20.0, 1);
    write_files(&evening.rendered, folder.path(), harbour_hall::TIME_REFERENCE, &evening.faults).unwrap();
    compare("demo", folder.path(), &["."]);
}

#[test]
fn sessions_are_judged_as_before() {
    for (seed, kind) in [(3, Kind::Faulty), (11, Kind::Faulty), (5, Kind::Clean)] {
        let folder = tempfile::tempdir().unwrap();
        let scene = varied::scene(24.0, seed, kind);
        write_files(&scene.render(), folder.path(), 0, &scene.faults).unwrap();
        compare(&format!("session-{seed}"), folder.path(), &["."]);
    }
}

#[test]
fn an_image_and_a_pair_are_judged_as_before() {
    let folder = tempfile::tempdir().unwrap();
    for seed in [2, 7] {
        let planes = stereo::recording(12.0, seed).render();
        std::fs::write(folder.path().join("pair.wav"), crate::common::wav(&planes, 48_000, None)).unwrap();
        compare(&format!("image-{seed}"), folder.path(), &["pair.wav"]);
        std::fs::remove_dir_all(folder.path().join("aligned")).unwrap();
        for (name, x) in ["left.wav", "right.wav"].iter().zip(&planes) {
            std::fs::write(folder.path().join(name), crate::common::wav(std::slice::from_ref(x), 48_000, None))
                .unwrap();
        }
        compare(&format!("two-files-{seed}"), folder.path(), &["left.wav", "right.wav"]);
        std::fs::remove_dir_all(folder.path().join("aligned")).unwrap();
    }
}
