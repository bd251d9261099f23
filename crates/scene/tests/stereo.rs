//! Two-channel recordings of simulated ensembles: what went wrong between the channels, over many seeds.

use marea_core::decide::repair::{ImageKind, Names, repair};
use marea_core::measure::Verdict;
use marea_core::measure::image::measure_image;
use marea_core::signal::{MemSource, Placed};
use marea_core::units::SampleRate;
use marea_scene::stereo::{Technique, recording};
use rayon::prelude::*;

/// Forty-eight recordings: every inversion found and none said where there is none; time between the channels within a tenth
/// of a sample where it is told, and never told of microphones apart.
#[test]
fn inversion_is_right_in_every_recording_and_wide_ones_are_left_alone() {
    let rate = SampleRate::new(48_000).unwrap();
    let told: Vec<[usize; 2]> = (1_000..1_048u64)
        .into_par_iter()
        .map(|seed| {
            let r = recording(30.0, seed);
            let sources = r.render().map(MemSource);
            let placed: Vec<Placed> = sources.iter().map(|source| Placed { source, start: 0 }).collect();
            let frames = sources[0].0.len() as i64;
            let image = measure_image(&placed, 0..frames, rate, &mut |_| true).unwrap();
            let found = repair(&image, &Names { places: None });
            let pair = &found.pairs[0];
            let what = format!("seed {seed}, {:?}: {pair:?}, truth: {} {}", r.technique, r.delay_frames, r.inverted);
            assert_eq!(pair.invert, r.inverted, "{what}");
            if r.technique == Technique::Apart {
                assert_eq!(pair.delay_frames, 0.0, "{what}");
                assert!(
                    found.channels.iter().all(|c| c.correction.offset_frames == 0.0 && c.correction.gain_db == 0.0),
                    "{what}"
                );
            }
            if pair.delay_frames != 0.0 {
                assert!((pair.delay_frames - r.delay_frames).abs() < 0.1, "{what}");
            }
            if r.louder_db != 0.0 {
                let f = found.findings.iter().find(|f| f.kind == ImageKind::LevelDifference);
                assert_eq!(f.map(|f| f.verdict), Some(Verdict::Solid), "{what}");
            }
            [usize::from(r.delay_frames != 0.0), usize::from(pair.delay_frames != 0.0)]
        })
        .collect();
    let [there, found] = [0, 1].map(|i| told.iter().map(|t| t[i]).sum::<usize>());
    assert!(found * 10 >= there * 7, "most of the {there} delays are found: {found}");
}
