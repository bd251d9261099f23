//! The first pass over a track and the comparison of whole tracks: values in closed form.

mod common;

use common::rate;
use marea_core::dsp::spectrum::quick_len;
use marea_core::dsp::sums::{all, energy};
use marea_core::measure::table::copies::copies;
use marea_core::measure::table::survey::{Survey, SurveyBuilder};
use marea_core::measure::table::{Heard, measure_session};
use marea_core::signal::{MemSource, Placed, ReadError, Source};
use marea_core::track::Role;
use marea_core::units::{SampleRate, SessionFrame};
use proptest::prelude::*;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::f64::consts::TAU;

fn survey(x: &[f32]) -> Survey {
    let source = MemSource(x.to_vec());
    Survey::measure(&Placed { source: &source, start: SessionFrame(0) }, rate(), &mut |_| true).unwrap()
}

fn tone(seconds: f64, hz: f64, amplitude: f64) -> Vec<f32> {
    (0..(seconds * 48_000.0) as usize).map(|i| (amplitude * (TAU * hz * i as f64 / 48_000.0).sin()) as f32).collect()
}

fn noise(seed: u64, frames: usize, amplitude: f32) -> Vec<f32> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    (0..frames).map(|_| rng.random_range(-amplitude..amplitude)).collect()
}

/// A full-scale sine reads 0 dBFS RMS (AES17); one of half the amplitude 6.02 dB less.
#[test]
fn levels_are_those_of_aes17() {
    for (amplitude, db) in [(1.0, 0.0), (0.5, -6.02), (0.01, -40.0)] {
        // 1 kHz: whole periods in every 4 ms.
        let f = survey(&tone(4.0, 1_000.0, amplitude)).facts;
        assert!((f.loud_db - db).abs() < 0.05, "{amplitude}: {}", f.loud_db);
        assert!((f.peak - amplitude).abs() < 1e-3 && f.clipped == 0 && f.offset.abs() < 1e-6);
    }
}

#[test]
fn silence_has_the_lowest_level_and_no_onsets() {
    let s = survey(&vec![0.0; 96_000]);
    assert_eq!((s.facts.loud_db, s.facts.floor_db, s.facts.peak, s.onsets.len()), (-200.0, -200.0, 0.0, 0));
    assert_eq!(s.facts.frames, 96_000);
}

/// Noise keeps its level: of 1,600 samples the energy has a deviation of 4.34·√(0.8/1600) dB, 0.1 dB (uniform noise, arithmetic).
/// A tone that swells and fades by 26 dB, evenly in dB, has 9 % of that between its first and its tenth percentile.
#[test]
fn noise_stands_still_and_music_does_not() {
    let mut hiss = noise(3, 480_000, 0.05);
    let steady = survey(&hiss).facts;
    assert!(steady.floor_spread_db < 0.5, "{}", steady.floor_spread_db);
    let swell = |i: usize| 10f32.powf((((i % 60_000) as f32 / 30_000.0 - 1.0).abs() * 26.0 - 40.0) / 20.0);
    let music: Vec<f32> = tone(10.0, 440.0, 1.0).iter().enumerate().map(|(i, v)| v * swell(i)).collect();
    let moving = survey(&music).facts;
    assert!((moving.floor_spread_db - 0.09 * 26.0).abs() < 0.4, "{}", moving.floor_spread_db);
    // Strikes over the noise leave its floor as it is.
    hiss.iter_mut()
        .enumerate()
        .for_each(|(i, v)| *v += 0.5 * (-((i % 24_000) as f32) / 2_000.0).exp() * (i as f32 * 0.3).sin());
    let struck = survey(&hiss).facts;
    assert!(struck.floor_spread_db < 0.5 && (struck.floor_db - steady.floor_db).abs() < 1.0, "{struck:?}");
}

/// A sound with a survey beside it.
struct Kept(MemSource, Option<Vec<u8>>);

impl Source for Kept {
    fn frames(&self) -> i64 {
        self.0.frames()
    }

    fn read(&self, start: i64, out: &mut [f32]) -> Result<(), ReadError> {
        self.0.read(start, out)
    }

    fn surveyed(&self) -> Option<Vec<u8>> {
        self.1.clone()
    }
}

#[test]
fn a_survey_is_the_same_however_the_sound_comes() {
    let (mut x, strike) = (noise(11, 100_007, 0.01), noise(13, 400, 0.9));
    for at in (20_000..100_000).step_by(12_000) {
        x[at..at + 400].copy_from_slice(&strike);
        x[at + 100..at + 110].fill(0.97);
    }
    let whole = survey(&x);
    assert!(whole.onsets.len() > 3 && whole.facts.clipped > 3, "{:?}", whole.facts);
    for block in [1, 47, 48, 1_000, 65_536, 200_000] {
        let mut builder = SurveyBuilder::new(rate());
        x.chunks(block).for_each(|part| builder.push(part));
        assert!(builder.finish() == whole, "blocks of {block}");
    }
}

#[test]
fn a_survey_kept_beside_the_sound_is_taken_only_if_it_is_of_this_sound() {
    let x = noise(12, 96_000, 0.3);
    let bytes = survey(&x).to_bytes();
    let kept = |frames: usize, bytes: Option<&[u8]>, hz: u64, start: i64| {
        let source = Kept(MemSource(x[..frames].to_vec()), bytes.map(<[u8]>::to_vec));
        Survey::kept(&Placed { source: &source, start: SessionFrame(start) }, SampleRate::new(hz).unwrap())
    };
    let there = |start| {
        let source = MemSource(x.clone());
        Survey::measure(&Placed { source: &source, start: SessionFrame(start) }, rate(), &mut |_| true).unwrap()
    };
    for start in [0, 4_321, -99_999] {
        assert_eq!(kept(96_000, Some(&bytes), 48_000, start), Some(there(start)));
    }
    let other_method = [&[99], &bytes[1..]].concat();
    for (frames, bytes, hz) in [
        (96_000, None, 48_000),
        (95_999, Some(&bytes[..]), 48_000),
        (96_000, Some(&bytes[..]), 96_000),
        (96_000, Some(&other_method[..]), 48_000),
        (96_000, Some(&bytes[..bytes.len() / 2]), 48_000),
        (96_000, Some(&[][..]), 48_000),
    ] {
        assert_eq!(kept(frames, bytes, hz, 0), None, "{frames} frames, {hz} Hz, {:?} bytes", bytes.map(<[u8]>::len));
    }
}

/// With the first pass kept the work begins with the cells, and so does what is told of it.
#[test]
fn progress_counts_the_first_pass_only_where_it_is_made() {
    let strike = noise(13, 400, 0.9);
    let x = |late: usize| {
        let mut x = noise(late as u64, 192_000, 0.003);
        (20_000..180_000).step_by(12_000).for_each(|at| x[at + late..at + late + 400].copy_from_slice(&strike));
        x
    };
    let sounds = [x(0), x(90)];
    for keep in [false, true] {
        let kept = sounds.each_ref().map(|x| Kept(MemSource(x.clone()), keep.then(|| survey(x).to_bytes())));
        let heard = kept.each_ref().map(|source| Heard {
            sound: Placed { source, start: SessionFrame(0) },
            role: Role::Near,
            said: Some(0),
            added: Vec::new(),
            removed: Vec::new(),
        });
        let told = std::sync::Mutex::new(Vec::new());
        let report = |p: f64| {
            told.lock().unwrap().push(p);
            true
        };
        let table = measure_session(&heard, rate(), &report).unwrap();
        assert_eq!(table.rows.len(), 1);
        let told = told.into_inner().unwrap();
        assert!(told.iter().all(|p| (0.0..=1.0).contains(p)), "{told:?}");
        // The first cell begins where the first pass has ended.
        assert_eq!((told[0], *told.last().unwrap()), (0.0, if keep { 0.0 } else { 0.5 }), "{told:?}");
    }
}

#[test]
fn an_offset_is_the_mean_of_all_samples() {
    let x: Vec<f32> = tone(2.0, 500.0, 0.25).iter().map(|v| v + 0.031_25).collect();
    assert!((survey(&x).facts.offset - 0.031_25).abs() < 1e-5);
}

/// Three samples at the ceiling are a clipped place; the top of a tone that just reaches it is none.
#[test]
fn clipping_is_told_from_a_full_scale_tone() {
    assert_eq!(survey(&tone(2.0, 60.0, 1.0)).facts.clipped, 0);
    let clipped: Vec<f32> = tone(2.0, 60.0, 1.4).iter().map(|v| v.clamp(-1.0, 1.0)).collect();
    let places = survey(&clipped).facts.clipped;
    // Two a period, 60 periods a second, two seconds; the very first and last may be cut.
    assert!((238..=240).contains(&places), "{places}");
}

#[test]
fn onsets_stand_where_bursts_begin() {
    let mut x = noise(1, 48_000 * 4, 1e-4);
    let at = [24_000usize, 60_000, 110_400, 150_007];
    for (k, begin) in at.iter().enumerate() {
        for (i, v) in noise(k as u64 + 2, 4_800, 0.5).iter().enumerate() {
            x[begin + i] += v * (-(i as f32) / 900.0).exp();
        }
    }
    let found: Vec<i64> = survey(&x).onsets.iter().map(|o| o.frame).collect();
    assert_eq!(found.len(), at.len(), "{found:?}");
    for (f, a) in found.iter().zip(at) {
        assert!((f - a as i64).abs() <= 96, "{f} is not within 2 ms of {a}");
    }
}

#[test]
fn one_recording_twice_is_known_at_any_gain_and_either_way_up() {
    let x = noise(5, 48_000 * 6, 0.4);
    // Loud and quiet in turn, so that levels have something to follow.
    let x: Vec<f32> = x.iter().enumerate().map(|(i, v)| v * (0.3 + 0.7 * (i as f32 / 9_000.0).sin().abs())).collect();
    for (gain, db) in [(1.0f32, 0.0), (-0.5, -6.02), (0.1, -20.0), (-2.0, 6.02)] {
        let y: Vec<f32> = x.iter().map(|v| v * gain).collect();
        let sources = [MemSource(x.clone()), MemSource(y), MemSource(noise(6, x.len(), 0.4))];
        let placed: Vec<Placed> = sources.iter().map(|source| Placed { source, start: SessionFrame(0) }).collect();
        let surveys: Vec<Survey> = placed.iter().map(|p| Survey::measure(p, rate(), &mut |_| true).unwrap()).collect();
        let found = copies(&placed.iter().collect::<Vec<_>>(), &surveys, rate()).unwrap();
        assert_eq!(found.len(), 1, "{gain}: {found:?}");
        assert_eq!((found[0].a, found[0].b, found[0].lag_frames), (0, 1, 0));
        assert_eq!(found[0].inverted, gain < 0.0);
        assert!((found[0].gain_db - db).abs() < 0.01, "{}", found[0].gain_db);
    }
}

/// A track and the same with a little of something else in it are two recordings.
#[test]
fn bleed_is_no_copy() {
    let x = noise(8, 48_000 * 6, 0.4);
    let y: Vec<f32> = x.iter().zip(noise(9, x.len(), 0.02)).map(|(a, b)| a + b).collect();
    let sources = [MemSource(x), MemSource(y)];
    let placed: Vec<Placed> = sources.iter().map(|source| Placed { source, start: SessionFrame(0) }).collect();
    let surveys: Vec<Survey> = placed.iter().map(|p| Survey::measure(p, rate(), &mut |_| true).unwrap()).collect();
    assert!(copies(&placed.iter().collect::<Vec<_>>(), &surveys, rate()).unwrap().is_empty());
}

proptest! {
    /// Sums side by side are the sums.
    #[test]
    fn sums_are_what_adding_one_by_one_gives(x in proptest::collection::vec(-1.0f32..1.0, 1..200)) {
        let wide = |f: fn(f64) -> f64| x[1..].iter().map(|v| f(f64::from(*v))).sum::<f64>();
        let sums = all(&x);
        prop_assert!((f64::from(energy(&x[1..])) - wide(|v| v * v)).abs() < 1e-4);
        prop_assert!((f64::from(sums.energy) - wide(|v| v * v)).abs() < 1e-4);
        prop_assert!((f64::from(sums.total) - wide(|v| v)).abs() < 1e-4);
        let steps: f64 = x.windows(2).map(|p| (f64::from(p[1]) - f64::from(p[0])).powi(2)).sum();
        prop_assert!((f64::from(sums.steps) - steps).abs() < 1e-3);
        prop_assert_eq!(sums.largest, x[1..].iter().fold(0f32, |m, v| m.max(v.abs())));
    }

    /// Quick lengths are even, long enough, never more than a quarter too long, and made of 2, 3, 5 and 7.
    #[test]
    fn quick_lengths_are_quick(least in 1usize..400_000) {
        let len = quick_len(least);
        prop_assert!(len >= least && len.is_multiple_of(2));
        prop_assert!(least < 64 || len as f64 <= 1.25 * least as f64, "{} for {}", len, least);
        let mut rest = len;
        for p in [2, 3, 5, 7] {
            while rest.is_multiple_of(p) {
                rest /= p;
            }
        }
        prop_assert_eq!(rest, 1);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Sound driven into the rails of any integer format, or into one of a stage before, is clipped whichever rail comes first;
    /// the two rails of n bits lie at 1 − 2^(1−n) and −1 (two's complement).
    #[test]
    fn clipping_is_found_on_either_rail(
        bits in prop::sample::select(vec![8u32, 16, 24, 32]),
        level in 0.55f64..1.0,
        over_db in 3.0f64..20.0,
        hz in 60.0f64..900.0,
        start in 0.0f64..TAU,
        rails in 0usize..3,
    ) {
        let steps = f64::from(2u32.pow(bits.min(24) - 1));
        let (top, bottom) = (level.min((steps - 1.0) / steps), -level);
        let gain = level * 10f64.powf(over_db / 20.0);
        let x: Vec<f32> = (0..48_000)
            .map(|i| {
                let v = gain * (TAU * hz * f64::from(i) / 48_000.0 + start).sin();
                // One side alone may clip, in a stage that is not symmetrical: the other is half as loud.
                let v = match rails {
                    1 if v < 0.0 => 0.5 * level * v / gain,
                    2 if v > 0.0 => 0.5 * level * v / gain,
                    _ => v.clamp(bottom, top),
                };
                ((v * steps).round() / steps) as f32
            })
            .collect();
        prop_assert!(survey(&x).facts.clipped > 0, "{bits} bits, {level}, {over_db} dB, rails {rails}");
    }

    /// The same sound that only just reaches full scale is not.
    #[test]
    fn what_touches_the_rails_once_is_not_clipped(hz in 300.0f64..2_000.0, start in 0.0f64..TAU, level in 0.3f64..1.0) {
        let x: Vec<f32> = (0..48_000)
            .map(|i| {
                let at = f64::from(i) / 48_000.0;
                // Decaying: every top is lower than the one before.
                (level * (-at).exp() * (TAU * hz * at + start).sin()) as f32
            })
            .collect();
        prop_assert_eq!(survey(&x).facts.clipped, 0);
    }
}

/// A third of the samples at full scale with the positive rail first: the rail of 24 bits is not quite 1.
#[test]
fn the_positive_rail_first_hides_nothing() {
    let rail = (8_388_607.0 / 8_388_608.0) as f32;
    let x: Vec<f32> = (0..48_000).map(|i| [rail, rail, rail, 0.1, -1.0, -1.0, -1.0, -0.1, 0.0, 0.05][i % 10]).collect();
    assert!(survey(&x).facts.clipped > 9_000);
}
