//! Rendering: bit-exact whole offsets, fractional ones within their stated error, any cutting into blocks.

mod common;

use common::*;
use marea_core::dsp::overview::{BASE_FRAMES, LEVELS, OverviewBuilder, frames_a_point};
use marea_core::edit::stretch::{Stretch, with_stretch};
use marea_core::edit::{Correction, Edit};
use marea_core::render::resample::Resampler;
use marea_core::render::sinc::kaiser;
use marea_core::render::track::TrackRenderer;
use marea_core::render::{Mix, Voice};
use marea_core::signal::{MemSource, Placed, Source, overlap};
use marea_core::units::{Offset, RecordingFrame, SampleRate, SessionFrame};
use proptest::prelude::*;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

fn render(x: &[f32], start: i64, c: Correction, from: i64, blocks: &[usize]) -> Vec<f32> {
    let source = MemSource(x.to_vec());
    let mut r = TrackRenderer::new(Placed { source: &source, start: SessionFrame(start) }, &c.into(), rate());
    let (mut out, mut at) = (Vec::new(), from);
    for &n in blocks {
        // Dirty scratch: what was there before must not matter.
        let mut block = vec![f32::NAN; n];
        r.read(at, &mut block).unwrap();
        out.extend_from_slice(&block);
        at += n as i64;
    }
    out
}

/// 5 ms at 48 kHz.
const SEAM_FRAMES: i64 = 240;

fn offset(frames: f64) -> Correction {
    Correction { offset_frames: Offset(frames), ..Correction::default() }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    #[test]
    fn whole_offsets_are_bit_exact_in_any_blocks(shift in -300i64..300, start in -50i64..50, cuts in prop::collection::vec(1usize..200, 1..12), invert: bool) {
        let x = noise(500, 7);
        let c = Correction { offset_frames: Offset(shift as f64), invert, gain_db: 0.0 };
        let got = render(&x, start, c, -100, &cuts);
        for (i, v) in got.iter().enumerate() {
            let n = i as i64 - 100 - shift - start;
            let expected = usize::try_from(n).ok().and_then(|k| x.get(k)).copied().unwrap_or(0.0);
            let expected = if invert { -expected } else { expected };
            prop_assert!(v.to_bits() == expected.to_bits() || (*v == 0.0 && expected == 0.0), "{} at {}", v, i);
        }
    }

    #[test]
    fn fractional_offsets_do_not_depend_on_the_blocks(shift in -40.0f64..40.0, cuts in prop::collection::vec(1usize..150, 1..10)) {
        let x = noise(400, 8);
        let total: usize = cuts.iter().sum();
        let whole = render(&x, 0, offset(shift), -20, &[total]);
        let cut = render(&x, 0, offset(shift), -20, &cuts);
        prop_assert_eq!(whole.iter().map(|v| v.to_bits()).collect::<Vec<_>>(), cut.iter().map(|v| v.to_bits()).collect::<Vec<_>>());
    }
}

/// What a stretch carries besides is heard there and nowhere else, in any cutting into blocks; where it takes over the two fade
/// evenly, and moving the track moves it along.
#[test]
fn a_repaired_stretch_sounds_so_from_its_first_to_its_last_frame() {
    let x = noise(4_000, 9);
    let source = MemSource(x.clone());
    let besides = Correction { offset_frames: Offset(3.0), invert: true, gain_db: 0.0 };
    let stretches = vec![Stretch { from: RecordingFrame(1_000), to: RecordingFrame(3_000), besides }];
    let all = Edit { stretches, ..Edit::from(offset(-7.0)) };
    let mut r = TrackRenderer::new(Placed { source: &source, start: SessionFrame(50) }, &all, rate());
    let mut cut = |blocks: &[usize]| {
        let (mut out, mut at) = (Vec::new(), 0);
        for &n in blocks {
            let mut block = vec![f32::NAN; n];
            r.read(at, &mut block).unwrap();
            at += n as i64;
            out.extend(block);
        }
        out
    };
    let whole = cut(&[4_000]);
    assert_eq!(whole, cut(&[999, 1, 77, 1_000, 1_923]));
    let own = |n: i64| usize::try_from(n).ok().and_then(|n| x.get(n)).copied().unwrap_or(0.0);
    for (frame, v) in (0i64..).zip(&whole) {
        // The recording's frame that is heard here, with and without what the stretch adds.
        let n = frame - 50 + 7;
        let (plain, there) = (own(n), -own(n - 3));
        let inside = (n - 1_000 + 1).min(3_000 - n);
        let part = (inside.clamp(0, SEAM_FRAMES) as f32) / SEAM_FRAMES as f32;
        let weight = 0.5 - 0.5 * (std::f32::consts::PI * part).cos();
        assert!((v - (plain + weight * (there - plain))).abs() < 1e-6, "frame {frame}");
        if inside <= 0 {
            assert_eq!(v.to_bits(), plain.to_bits(), "untouched outside");
        }
        if inside >= SEAM_FRAMES {
            assert_eq!(*v, there, "bit for bit inside");
        }
    }
}

/// Every frame carries the sum of all stretches that hold it, whatever order they came in.
#[test]
fn stretches_over_one_another_add_up() {
    let mut rng = ChaCha8Rng::seed_from_u64(4);
    for _ in 0..200 {
        let mut given: Vec<Stretch> = Vec::new();
        let mut made: Vec<Stretch> = Vec::new();
        for _ in 0..rng.random_range(1..6) {
            let (a, b) = (rng.random_range(0..30), rng.random_range(0..30));
            let besides = Correction {
                offset_frames: Offset(f64::from(rng.random_range(-2..=2))),
                invert: rng.random_bool(0.5),
                gain_db: 0.0,
            };
            given.push(Stretch { from: RecordingFrame(a), to: RecordingFrame(b), besides });
            made = with_stretch(&made, Stretch { from: RecordingFrame(a), to: RecordingFrame(b), besides });
        }
        let at = |list: &[Stretch], n: i64| {
            let here = list.iter().filter(|m| m.from.0 <= n && n < m.to.0);
            here.fold(Correction::default(), |sum, m| sum.and(&m.besides))
        };
        for n in -1..31 {
            assert_eq!(at(&made, n), at(&given, n), "{given:?} {made:?}");
        }
        assert!(made.windows(2).all(|m| m[0].to <= m[1].from), "in order, none over another: {made:?}");
        assert!(made.iter().all(|m| !m.besides.is_neutral() && m.from < m.to));
        assert!(made.windows(2).all(|m| m[0].to < m[1].from || m[0].besides != m[1].besides), "{made:?}");
    }
}

/// Sound limited to 20 kHz at 48 kHz: only such can be moved by a part of a frame without loss.
fn band_limited(frames: usize) -> Vec<f32> {
    let mut out = vec![0f64; frames];
    for (k, hz) in (0..120).map(|k| (k, 40.0 + 166.0 * f64::from(k))) {
        for (n, v) in out.iter_mut().enumerate() {
            *v += 0.008 * (std::f64::consts::TAU * hz * n as f64 / 48_000.0 + f64::from(k * k)).sin();
        }
    }
    out.iter().map(|v| *v as f32).collect()
}

/// Laakso et al., IEEE SP Magazine 1996, and the project's bar: 2.37 frames there and back leave less than −100 dB.
#[test]
fn there_and_back_again() {
    let x = band_limited(12_000);
    let there = render(&x, 0, offset(2.37), 0, &[12_000]);
    let back = render(&there, 0, offset(-2.37), 0, &[12_000]);
    let inner = 400..11_600;
    let energy = |v: &[f32]| v.iter().map(|x| f64::from(*x).powi(2)).sum::<f64>();
    let rest: Vec<f32> = x[inner.clone()].iter().zip(&back[inner.clone()]).map(|(a, b)| a - b).collect();
    let db = 10.0 * (energy(&rest) / energy(&x[inner])).log10();
    assert!(db < -100.0, "{db:.1} dB left");
}

/// NumPy moved a periodic noise in the frequency domain (tests/vectors/make.py).
#[test]
fn fractional_delay_against_numpy() {
    let v = vector("fractional");
    let (period, moved) = (floats(&v["period"]), floats(&v["moved"]));
    let x: Vec<f32> = period.iter().cycle().take(period.len() * 3).copied().collect();
    let got = render(&x, 0, offset(v["shift"].as_f64().unwrap()), 0, &[x.len()]);
    let worst = got[period.len()..2 * period.len()].iter().zip(&moved).map(|(a, b)| (a - b).abs()).fold(0f32, f32::max);
    assert!(worst < 1e-5, "{worst}");
}

/// numpy.kaiser on the committed vector.
#[test]
fn kaiser_against_numpy() {
    let v = vector("kaiser");
    for (x, w) in floats(&v["x"]).iter().zip(floats(&v["w"])) {
        assert!((kaiser(f64::from(*x), 11.0) - f64::from(w)).abs() < 1e-6);
    }
}

#[test]
fn gain_and_polarity_and_reach() {
    let x = noise(64, 3);
    let c = Correction { offset_frames: Offset(0.0), invert: true, gain_db: -6.020_599_9 };
    let got = render(&x, 0, c, 0, &[64]);
    assert!(got.iter().zip(&x).all(|(g, v)| (g + 0.5 * v).abs() < 1e-6));
    let source = MemSource(x);
    let r = TrackRenderer::new(Placed { source: &source, start: SessionFrame(10) }, &offset(-3.0).into(), rate());
    assert_eq!((r.first(), r.end()), (7, 71));
    assert!(Correction::default().is_neutral() && !offset(1.0).is_neutral());
}

#[test]
fn a_mix_is_the_sum_of_its_voices() {
    let (x, y) = (MemSource(noise(300, 1)), MemSource(noise(300, 2)));
    let track = |s| TrackRenderer::new(Placed { source: s, start: SessionFrame(0) }, &Edit::default(), rate());
    let mut mix =
        Mix::new(vec![Voice { track: track(&x), sides: [1.0, 0.0] }, Voice { track: track(&y), sides: [0.5, 1.0] }]);
    let (mut l, mut r) = (vec![9.0; 300], vec![9.0; 300]);
    mix.read(0, &mut l, &mut r).unwrap();
    for n in 0..300 {
        assert!((l[n] - (x.0[n] + 0.5 * y.0[n])).abs() < 1e-7 && r[n] == y.0[n], "sides are told apart");
    }
}

/// A sine stays a sine at its exact place: the formula is the reference (tests/vectors/make.py wrote it down).
#[test]
fn resampling_keeps_time() {
    let v = vector("sine_48k");
    let reference = floats(&v["samples"]);
    let (from, to) = (SampleRate::new(44_100).unwrap(), rate());
    let at = |n: f64, hz: f64| (0.5 * (std::f64::consts::TAU * 997.0 * n / hz).sin()) as f32;
    let input = MemSource((0..44_100).map(|n| at(f64::from(n), 44_100.0)).collect());
    let mut r = Resampler::new(from, to);
    assert_eq!(r.output_frames(44_100), 48_000);
    assert_eq!(r.output_frames(441_000), 480_000);
    assert_eq!(r.output_frames(1), 2, "frames 0 and 0.92 lie inside");
    let mut out = vec![0f32; 480];
    r.read(&input, 0, &mut out).unwrap();
    assert!(out[100..].iter().zip(&reference[100..]).all(|(a, b)| (a - b).abs() < 2e-6));
    let mut late = vec![0f32; 777];
    r.read(&input, 24_001, &mut late).unwrap();
    for (i, v) in late.iter().enumerate() {
        assert!((v - at(24_001.0 + i as f64, 48_000.0)).abs() < 2e-6, "{i}");
    }
}

#[test]
fn resampling_down_removes_what_would_fold_back() {
    let (from, to) = (SampleRate::new(96_000).unwrap(), SampleRate::new(44_100).unwrap());
    let tone = |hz: f64| {
        MemSource((0..96_000).map(|n| (std::f64::consts::TAU * hz * f64::from(n) / 96_000.0).sin() as f32).collect())
    };
    let level = |hz| {
        let mut out = vec![0f32; 8_192];
        Resampler::new(from, to).read(&tone(hz), 10_000, &mut out).unwrap();
        (out.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / 8_192.0).sqrt()
    };
    assert!((level(1_000.0) - std::f64::consts::FRAC_1_SQRT_2).abs() < 1e-3);
    assert!(level(30_000.0) < 1e-5, "{}", level(30_000.0));
}

/// Every level against a naive scan of the samples, pushed in odd blocks.
#[test]
fn overview_against_a_naive_scan() {
    let x = noise(70_001, 5);
    let mut builder = OverviewBuilder::default();
    for block in x.chunks(977) {
        builder.push(block);
    }
    let o = builder.finish();
    assert_eq!(o.levels.len(), LEVELS);
    for (level, points) in o.levels.iter().enumerate() {
        let size = frames_a_point(level);
        assert_eq!(points.len(), x.len().div_ceil(BASE_FRAMES).div_ceil(size / BASE_FRAMES));
        for (p, frames) in points.iter().zip(x.chunks(size)) {
            assert_eq!(p.min, frames.iter().copied().fold(f32::INFINITY, f32::min));
            assert_eq!(p.max, frames.iter().copied().fold(f32::NEG_INFINITY, f32::max));
            let rms = (frames.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / frames.len() as f64).sqrt();
            assert!((f64::from(p.rms) - rms).abs() < 0.02, "level {level}");
        }
    }
}

#[test]
fn reading_outside_gives_silence() {
    let s = MemSource(vec![1.0, 2.0, 3.0]);
    let mut out = [9.0; 6];
    s.read(-2, &mut out).unwrap();
    assert_eq!(out, [0.0, 0.0, 1.0, 2.0, 3.0, 0.0]);
    s.read(i64::MAX - 2, &mut out).unwrap();
    s.read(i64::MIN + 10, &mut out).unwrap();
    assert_eq!(out, [0.0; 6]);
    assert_eq!(overlap(3, 4, 3), None);
}
