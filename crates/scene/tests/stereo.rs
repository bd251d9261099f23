//! Two-channel recordings of simulated ensembles: what went wrong between the channels, over many seeds.

use marea_core::decide::image::judged::Names;
use marea_core::decide::image::repair;
use marea_core::decide::kind::Kind;
use marea_core::measure::image::layout::{Order, usual};
use marea_core::measure::image::measure_image;
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use marea_scene::Rendered;
use marea_scene::evening::{ACCORDION_LATE_FRAMES, BELLS_LOUDER_DB, evening};
use marea_scene::harbour_hall::scene;
use marea_scene::stereo::{Technique, recording};
use rayon::prelude::*;

/// Twenty-four recordings: every inversion found and none said where there is none; time between the channels within a tenth
/// of a sample where it is told, and never told of microphones apart.
#[test]
fn inversion_is_right_in_every_recording_and_wide_ones_are_left_alone() {
    let rate = SampleRate::new(48_000).unwrap();
    let told: Vec<[usize; 2]> = (1_000..1_024u64)
        .into_par_iter()
        .map(|seed| {
            let r = recording(30.0, seed);
            let sources = r.render().map(MemSource);
            let placed: Vec<Placed> = sources.iter().map(|source| Placed { source, start: SessionFrame(0) }).collect();
            let frames = sources[0].0.len() as i64;
            let image = measure_image(&placed, 0..frames, rate, &mut |_| true).unwrap();
            let found = repair(&image, &Names { places: None });
            let pair = &found.pairs[0];
            let what = format!("seed {seed}, {:?}: {pair:?}, truth: {} {}", r.technique, r.delay_frames, r.inverted);
            assert_eq!(pair.invert, r.inverted, "{what}");
            if r.technique == Technique::Apart {
                assert_eq!(pair.delay_frames, 0.0, "{what}");
                assert!(
                    found.channels.iter().all(|c| c.correction.offset_frames.0 == 0.0 && c.correction.gain_db == 0.0),
                    "{what}"
                );
            }
            if pair.delay_frames != 0.0 {
                assert!((pair.delay_frames - r.delay_frames).abs() < 0.1, "{what}");
            }
            if r.louder_db != 0.0 {
                let f = found.findings.iter().find(|f| f.kind == Kind::LevelDifference);
                assert_eq!(f.map(|f| f.verdict), Some(Verdict::Solid), "{what}");
            }
            [usize::from(r.delay_frames != 0.0), usize::from(pair.delay_frames != 0.0)]
        })
        .collect();
    let [there, found] = [0, 1].map(|i| told.iter().map(|t| t[i]).sum::<usize>());
    assert!(found * 10 >= there * 7, "most of the {there} delays are found: {found}");
}

/// The demo's recordings of several channels, of two evenings: what went wrong between their channels is found.
#[test]
fn the_evening_has_its_faults() {
    let rate = SampleRate::new(48_000).unwrap();
    [1, 7].into_par_iter().for_each(|seed| {
        let evening = evening(75.0, seed);
        let told = |file: &str| {
            let (_, planes) = evening.rendered.files.iter().find(|f| f.0 == file).unwrap();
            let sources: Vec<MemSource> = planes.iter().map(|p| MemSource(p.clone())).collect();
            let placed: Vec<Placed> = sources.iter().map(|source| Placed { source, start: SessionFrame(0) }).collect();
            let image = measure_image(&placed, 0..planes[0].len() as i64, rate, &mut |_| true).unwrap();
            repair(&image, &Names { places: usual(planes.len(), Order::Wav).as_deref() })
        };
        let accordion = told("Accordion.wav");
        let pair = &accordion.pairs[0];
        assert!((pair.delay_frames - ACCORDION_LATE_FRAMES).abs() < 0.1 && !pair.invert, "seed {seed}: {pair:?}");
        let choir = told("Choir stall pair.wav");
        assert!(choir.pairs[0].invert && choir.pairs[0].delay_frames == 0.0, "seed {seed}: {:?}", choir.pairs[0]);
        let bells = told("Bells rendered.wav").channels[1].correction;
        assert!((bells.gain_db + BELLS_LOUDER_DB).abs() < 0.02 && !bells.invert, "seed {seed}: {bells:?}");
        // A surround among five microphones: found or left undecided, and no other ever called inverted.
        let hall = told("Hall 5.1.wav");
        let turned: Vec<usize> = (0..6).filter(|c| hall.channels[*c].correction.invert).collect();
        assert!(turned.is_empty() || turned == [4], "seed {seed}: {turned:?}");
    });
}

/// What is recorded apart from the ensemble changes nothing of what the ensemble's pickups hear.
#[test]
fn the_evening_leaves_the_ensemble_alone() {
    let (alone, whole) = rayon::join(|| scene(20.0, 3).render(), || evening(20.0, 3).rendered);
    let of = |r: &Rendered, file: &str| r.channel(file, 1).unwrap().to_vec();
    let pickup = "Cello pickup.wav";
    let [a, b] = [of(&alone, pickup), of(&whole, pickup)];
    let off = a.iter().zip(&b).map(|(x, y)| (x - y).abs()).fold(0f32, f32::max);
    assert!(off < 0.02, "the pickup hears next to nothing of the accordion: {off}");
}
