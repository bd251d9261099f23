//! Strokes of simulated sets written down for another program: `onsets FROM TO SECONDS FOLDER` writes the microphone of every source that was
//! learnt as a WAV file, and in `strokes.json` when it was struck and what was found. `scripts/onsets.py` reads them.

use marea_core::hits::hits;
use marea_core::units::SampleRate;
use marea_media::write::{Depth, WavWriter, WriteSpec};
use marea_scene::sets::RATE_HZ;
use marea_scene::struck::{How, Set, strokes};
use serde_json::{Value, json};
use std::path::Path;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [from, to, seconds, folder] = args.as_slice() else { return Err("onsets FROM TO SECONDS FOLDER".into()) };
    let (from, to, seconds): (u64, u64, f64) = (from.parse()?, to.parse()?, seconds.parse()?);
    let folder = Path::new(folder);
    std::fs::create_dir_all(folder)?;
    let rate = SampleRate::new(u64::from(RATE_HZ))?;
    let mut all: Vec<Value> = Vec::new();
    for seed in from..=to {
        let set = Set::of(seed, seconds, How::Played)?;
        let placed = set.placed();
        for played in hits(&placed, &set.checked.table, rate, &|_| true)? {
            let home = played.source.home;
            let file = format!("{seed}-{home}.wav");
            let mut x = vec![0f32; placed[home].source.frames() as usize];
            placed[home].source.read(0, &mut x)?;
            let mut out = WavWriter::create(&folder.join(&file), WriteSpec::new(rate, 1, Depth::Float32))?;
            out.push(&x)?;
            out.finish()?;
            let struck: Vec<f64> = strokes(&set.scene, &set.played, &set.checked, home);
            let found: Vec<f64> = played.hits.iter().map(|h| h.at).collect();
            all.push(json!({ "seed": seed, "file": file, "rate_hz": RATE_HZ, "struck": struck, "found": found }));
        }
        println!("{seed}: {} microphones", all.len());
    }
    std::fs::write(folder.join("strokes.json"), serde_json::to_string(&all)?)?;
    Ok(())
}
