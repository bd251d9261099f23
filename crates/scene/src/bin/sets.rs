//! The check on simulated sets, seed by seed: `sets FROM TO [SECONDS]`. What went wrong is printed below each.

use marea_core::units::SampleRate;
use marea_scene::score::check;
use marea_scene::sets::score::{Score, score};
use marea_scene::sets::{Kind, RATE_HZ, scene};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let numbers: Vec<u64> = std::env::args().skip(1).filter_map(|a| a.parse().ok()).collect();
    let (from, to) = (numbers.first().copied().unwrap_or(1), numbers.get(1).copied().unwrap_or(8));
    let seconds = numbers.get(2).map_or(45.0, |s| *s as f64);
    let rate = SampleRate::new(u64::from(RATE_HZ))?;
    let mut all = Score::default();
    for seed in from..=to {
        let kind = if seed % 8 == 0 { Kind::Clean } else { Kind::Any };
        let scene = scene(seconds, seed, kind);
        let played = scene.render();
        let s = score(&scene, &played, &check(&played, rate), kind == Kind::Clean);
        println!(
            "{seed}: {} files, {} sources, solid {:?} of {:?}",
            scene.takes.len(),
            scene.sources.len(),
            s.solid,
            s.cells
        );
        s.notes.iter().for_each(|n| println!("    {n}"));
        all += &s;
    }
    println!("cells {:?} solid {:?} likely {:?}", all.cells, all.solid, all.likely);
    println!(
        "polarity {:?} turning {:?} opposed {:?} inverted {:?}",
        all.polarity, all.turning, all.opposed, all.inverted
    );
    println!(
        "swapped {:?} joined {} late {:?} halves {:?} rooms {} clean {:?}",
        all.swapped, all.joined, all.late, all.halves, all.rooms, all.clean
    );
    Ok(())
}
