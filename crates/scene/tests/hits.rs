//! Hits of simulated sets: seeds beside those of docs/accuracy-hits.md.

use marea_core::hits::hits;
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use marea_scene::score::check;
use marea_scene::sets::{Kind, scene};
use marea_scene::struck::{How, Score, f_score, score};

fn scored(seed: u64, how: How) -> Score {
    let rate = SampleRate::new(48_000).unwrap();
    let mut set = scene(30.0, seed, Kind::Any);
    how.of(&mut set);
    let played = set.render();
    let checked = check(&played, rate);
    let sounds: Vec<MemSource> =
        played.files.iter().flat_map(|(_, planes)| planes.iter().cloned().map(MemSource)).collect();
    let placed: Vec<Placed> = sounds.iter().map(|source| Placed { source, start: SessionFrame(0) }).collect();
    score(&set, &played, &checked, &hits(&placed, &checked.table, rate, &|_| true).unwrap())
}

#[test]
fn the_strokes_of_a_set_are_found_and_bleed_is_none() {
    let mut all = Score::default();
    for seed in [9_651, 9_653, 9_655, 9_657] {
        all += &scored(seed, How::Played);
    }
    assert!(all.solid[0] > 200 && all.solid[1] * 200 <= all.solid[0], "{:?}: {:?}", all.solid, all.notes);
    assert!(f_score(all.drums) >= 0.95 && f_score(all.all) >= 0.95, "{:?} {:?}", all.drums, all.all);
    let mut off: Vec<f64> = all.off_ms.iter().map(|o| o.abs()).collect();
    off.sort_by(f64::total_cmp);
    assert!(off[off.len() / 2] <= 0.1, "median {} ms", off[off.len() / 2]);
}

#[test]
fn beside_a_dead_microphone_hits_are_undecided_rather_than_wrong() {
    let mut all = Score::default();
    for seed in [9_661, 9_663] {
        all += &scored(seed, How::Dead);
    }
    assert!(all.solid[1] * 200 <= all.solid[0], "{:?}: {:?}", all.solid, all.notes);
}
