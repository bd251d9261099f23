//! Sung lines and their doubles written down for another program: `voices FROM TO SECONDS FOLDER` writes each lead and its doubles as WAV
//! files, and in `voices.json` the true pitch and the true moments with what was found. `scripts/voices.py` reads them.

use marea_core::lead::{Between, doubled};
use marea_core::pitch::pitch;
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use marea_media::write::{Depth, WavWriter, WriteSpec};
use marea_scene::doubles::{How, doubles};
use serde_json::{Value, json};
use std::path::Path;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [from, to, seconds, folder] = args.as_slice() else { return Err("voices FROM TO SECONDS FOLDER".into()) };
    let (from, to, seconds): (u64, u64, f64) = (from.parse()?, to.parse()?, seconds.parse()?);
    let folder = Path::new(folder);
    std::fs::create_dir_all(folder)?;
    let rate = SampleRate::new(48_000)?;
    let write = |file: &str, x: &[f32]| -> Result<(), Box<dyn std::error::Error>> {
        let mut out = WavWriter::create(&folder.join(file), WriteSpec::new(rate, 1, Depth::Float32))?;
        out.push(x)?;
        out.finish()?;
        Ok(())
    };
    let mut all: Vec<Value> = Vec::new();
    for seed in from..=to {
        let made = doubles(seconds, seed, &How::ALL[..3]);
        let lead_file = format!("{seed}-lead.wav");
        write(&lead_file, &made.lead)?;
        let lead = MemSource(made.lead);
        let lead = Placed { source: &lead, start: SessionFrame(0) };
        let told: Vec<Option<f64>> = pitch(&lead, rate, &|_| true)?.iter().map(|p| p.hz).collect();
        let mut takes: Vec<Value> = Vec::new();
        for take in made.takes {
            let file = format!("{seed}-{:?}.wav", take.how);
            write(&file, &take.sound)?;
            let vowels: Vec<[f64; 2]> = take.vowels().map(|v| v.map(|at| at / rate.hz_f64())).collect();
            let sound = MemSource(take.sound);
            let found = doubled(&lead, &Placed { source: &sound, start: SessionFrame(0) }, rate, &|_| true)?;
            let map = Between(&found.knots);
            let ours: Vec<f64> = vowels.iter().map(|v| map.take_of(v[0] * rate.hz_f64()) / rate.hz_f64()).collect();
            takes.push(json!({ "file": file, "how": format!("{:?}", take.how), "vowels": vowels, "found": ours }));
        }
        all.push(json!({ "seed": seed, "file": lead_file, "step_s": 0.005, "pitch_hz": made.pitch_hz, "found_hz": told, "takes": takes }));
        println!("{seed}");
    }
    std::fs::write(folder.join("voices.json"), serde_json::to_string(&all)?)?;
    Ok(())
}
