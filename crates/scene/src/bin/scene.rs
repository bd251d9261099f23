//! Writes a simulated session as WAV files with its truth beside them: `scene DIR evening|rehearsal|hall|clean|faulty|set [SEED] [SECONDS]`.

use marea_scene::varied::{self, Kind};
use marea_scene::{evening::evening, harbour_hall, rehearsal, sets, write_files};
use std::path::Path;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [folder, which, rest @ ..] = args.as_slice() else {
        return Err("scene DIR evening|rehearsal|hall|clean|faulty|set [SEED] [SECONDS]".into());
    };
    let seed = rest.first().map_or(Ok(1), |s| s.parse())?;
    let seconds = rest.get(1).map_or(Ok(harbour_hall::SECONDS), |s| s.parse())?;
    if which == "evening" {
        let evening = evening(seconds, seed);
        write_files(&evening.rendered, Path::new(folder), harbour_hall::TIME_REFERENCE, &evening.faults)?;
        return Ok(());
    }
    if which == "rehearsal" {
        write_files(&rehearsal::rehearsal(seed).rendered, Path::new(folder), rehearsal::TIME_REFERENCE, &[])?;
        return Ok(());
    }
    let scene = match which.as_str() {
        "hall" => harbour_hall::scene(seconds, seed),
        "clean" => varied::scene(seconds, seed, Kind::Clean),
        "set" => sets::scene(seconds, seed, sets::Kind::Any),
        "faulty" => varied::scene(seconds, seed, Kind::Faulty),
        other => return Err(format!("there is no kind of scene called {other}").into()),
    };
    write_files(&scene.render(), Path::new(folder), 0, &scene.faults)?;
    Ok(())
}
