//! `marea pitch` from a sung line to its notes.

use crate::cli::marea;
use crate::common::wav;
use marea_scene::doubles::{How, doubles};
use marea_scene::voice::PITCH_EVERY;
use serde_json::Value;

#[test]
fn a_sung_line_has_its_pitch_and_no_octave_is_wrong() {
    let folder = tempfile::tempdir().unwrap();
    let asked = |sound: Vec<f32>| -> Value {
        std::fs::write(folder.path().join("Voice.wav"), wav(&[sound], 48_000, None)).unwrap();
        let got = marea(folder.path(), &["pitch", "Voice.wav", "--json"]);
        assert!(got.status.success(), "{}", String::from_utf8_lossy(&got.stderr));
        let report: Value = serde_json::from_slice(&got.stdout).unwrap();
        let schema: Value = serde_json::from_str(include_str!("../../../../docs/pitch.schema.json")).unwrap();
        jsonschema::validator_for(&schema).unwrap().validate(&report).unwrap();
        report
    };
    assert_eq!(PITCH_EVERY, 240, "the truth's step is that of the answer");
    let (mut off, mut wrong, mut solid_wrong) = (Vec::new(), Vec::new(), 0);
    for seed in [721, 722] {
        let made = doubles(20.0, seed, &[How::Same]);
        let report = asked(made.lead);
        let f0 = &report["f0"];
        for (n, truth) in made.pitch_hz.iter().enumerate() {
            let (Some(truth), Some(told)) = (truth, f0["hz"][n].as_f64()) else { continue };
            let cents = 1_200.0 * (told / truth).log2();
            off.push(cents.abs());
            if cents.abs() > 600.0 {
                wrong.push((seed, n, *truth, told));
            }
            solid_wrong += usize::from(cents.abs() > 600.0 && f0["verdict"][n] == "solid");
        }
        let notes = report["notes"].as_array().unwrap();
        assert!(notes.len() > 10, "{seed}: {} notes", notes.len());
    }
    off.sort_by(f64::total_cmp);
    assert!(off.len() > 2_000 && off[off.len() / 2] < 3.0, "{} values, median {} cents", off.len(), off[off.len() / 2]);
    assert!(wrong.len() * 200 <= off.len() && solid_wrong == 0, "of {}, solid {solid_wrong}: {wrong:?}", off.len());
    // Silence has none.
    let silent = asked(vec![0.0; 48_000]);
    assert!(silent["notes"].as_array().unwrap().is_empty());
    assert!(silent["f0"]["hz"].as_array().unwrap().iter().all(Value::is_null));
    assert_eq!(marea(folder.path(), &["pitch", "Nothing.wav"]).status.code(), Some(2));
}
