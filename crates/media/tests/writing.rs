//! Writing: headers byte by byte, exact samples, dither, RF64; preparing working copies.

mod common;

use marea_core::dsp::overview::{LEVELS, frames_a_point};
use marea_core::measure::table::survey::Survey;
use marea_core::signal::{Placed, Source};
use marea_core::units::{SampleRate, SessionFrame};
use marea_media::Stop;
use marea_media::prepare::{PrepareError, channel_path, overview_path, prepare};
use marea_media::read_all;
use marea_media::work::{WorkFile, overview_range};
use marea_media::write::{Depth, WavWriter, WriteSpec};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

fn rate(hz: u64) -> SampleRate {
    SampleRate::new(hz).unwrap()
}

fn write(spec: WriteSpec, samples: &[f32]) -> (tempfile::TempDir, std::path::PathBuf, u64) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("x.wav");
    let mut out = WavWriter::create(&path, spec).unwrap();
    for block in samples.chunks(333 * 2) {
        out.push(block).unwrap();
    }
    let clipped = out.finish().unwrap();
    (folder, path, clipped)
}

/// EBU Tech 3285 (bext version 1, 602 bytes) and 3306 (JUNK in the place of ds64).
#[test]
fn header_byte_by_byte() {
    let mut spec = WriteSpec::new(rate(48_000), 2, Depth::Int24);
    spec.time_reference = 0x0102_0304_0506;
    spec.description = "Ceñido é".into();
    let (_keep, path, _) = write(spec, &[0.0; 6]);
    let b = std::fs::read(path).unwrap();
    assert_eq!((&b[..4], &b[8..16], b.len()), (&b"RIFF"[..], &b"WAVEJUNK"[..], 12 + 36 + 610 + 24 + 8 + 18));
    assert_eq!(u32::from_le_bytes(b[4..8].try_into().unwrap()) as usize, b.len() - 8);
    assert_eq!((&b[48..52], u32::from_le_bytes(b[52..56].try_into().unwrap())), (&b"bext"[..], 602));
    assert_eq!(&b[56..66], "Ceñido é".as_bytes());
    assert_eq!(b[56 + 338..56 + 346], [6, 5, 4, 3, 2, 1, 0, 0]);
    assert_eq!(b[56 + 346..56 + 348], [1, 0]);
    let f = 48 + 610;
    assert_eq!(
        &b[f..f + 24],
        [b'f', b'm', b't', b' ', 16, 0, 0, 0, 1, 0, 2, 0, 0x80, 0xBB, 0, 0, 0, 0x65, 4, 0, 6, 0, 24, 0]
    );
    assert_eq!((&b[f + 24..f + 28], b[f + 28]), (&b"data"[..], 18));
}

#[test]
fn what_lies_on_the_grid_passes_untouched() {
    let mut rng = ChaCha8Rng::seed_from_u64(1);
    let mut samples: Vec<f32> =
        (0..4_000).map(|_| rng.random_range(-8_388_608i32..8_388_607) as f32 / 8_388_608.0).collect();
    samples.extend([0.0, -1.0, 8_388_607.0 / 8_388_608.0]);
    samples.push(0.0);
    let (_keep, path, clipped) = write(WriteSpec::new(rate(48_000), 2, Depth::Int24), &samples);
    let (_, planes) = read_all(&path).unwrap();
    assert_eq!(clipped, 0);
    assert!(samples.iter().enumerate().all(|(n, v)| planes[n % 2][n / 2].to_bits() == (v + 0.0).to_bits()));
    let odd: Vec<f32> = (0..4_000).map(|_| rng.random_range(-3.0..3.0)).collect();
    let (_keep, path, _) = write(WriteSpec::new(rate(48_000), 2, Depth::Float32), &odd);
    let (info, planes) = read_all(&path).unwrap();
    assert_eq!(info.coding, "WAV, 32-bit float");
    assert!(odd.iter().enumerate().all(|(n, v)| planes[n % 2][n / 2].to_bits() == v.to_bits()));
}

/// Triangular dither of ±1 step: the error has no mean, its power is that of rounding (1/12) and dither (1/6) together, a
/// quarter of a step squared, whatever the signal (Lipshitz, Wannamaker & Vanderkooy, JAES 1992; from memory). 24 bits:
/// about −138 dBFS RMS after AES17.
#[test]
fn dither_between_the_steps() {
    let samples: Vec<f32> =
        (0..60_000).map(|n| (0.3 + f64::from(n % 7) / 7.0) as f32 / 8_388_608.0 * 0.9 + 1e-9).collect();
    let (_keep, path, _) = write(WriteSpec::new(rate(48_000), 2, Depth::Int24), &samples);
    let (_, planes) = read_all(&path).unwrap();
    let errors: Vec<f64> = samples
        .iter()
        .enumerate()
        .map(|(n, v)| (f64::from(planes[n % 2][n / 2]) - f64::from(*v)) * 8_388_608.0)
        .collect();
    let mean = errors.iter().sum::<f64>() / errors.len() as f64;
    let power = errors.iter().map(|e| e * e).sum::<f64>() / errors.len() as f64;
    assert!(mean.abs() < 0.01, "{mean}");
    assert!((power - 0.25).abs() < 0.01, "{power}");
    let dbfs = 10.0 * (power * 2.0).log10() - 20.0 * 8_388_608f64.log10();
    assert!((dbfs + 141.5).abs() < 0.5, "{dbfs}");
    let again = write(WriteSpec::new(rate(48_000), 2, Depth::Int24), &samples);
    assert_eq!(
        std::fs::read(&path).unwrap(),
        std::fs::read(&again.1).unwrap(),
        "the same delivery gives the same bytes"
    );
}

#[test]
fn beyond_full_scale_is_held_and_counted() {
    let (_keep, path, clipped) = write(WriteSpec::new(rate(48_000), 2, Depth::Int24), &[1.5, -2.0, 0.25, 0.5]);
    let (_, planes) = read_all(&path).unwrap();
    assert_eq!((clipped, planes[0][0], planes[1][0]), (2, 8_388_607.0 / 8_388_608.0, -1.0));
}

#[test]
fn beyond_the_limit_it_becomes_rf64_in_place() {
    for depth in [Depth::Int24, Depth::Float32] {
        let mut spec = WriteSpec::new(rate(96_000), 2, depth);
        spec.rf64_from_bytes = 2_000;
        spec.time_reference = 77;
        let samples: Vec<f32> = (0..1_000).map(|n| n as f32 / 1_024.0).collect();
        let (_keep, path, _) = write(spec, &samples);
        let b = std::fs::read(&path).unwrap();
        assert_eq!((&b[..8], &b[12..16]), (&b"RF64\xFF\xFF\xFF\xFF"[..], &b"ds64"[..]));
        assert_eq!(u64::from_le_bytes(b[20..28].try_into().unwrap()) as usize, b.len() - 8);
        assert_eq!(u64::from_le_bytes(b[36..44].try_into().unwrap()), 500, "frames");
        let (info, planes) = read_all(&path).unwrap();
        assert_eq!((info.time_reference, planes[0].len(), info.notes.len()), (Some(77), 500, 0));
        assert!(info.coding.starts_with("RF64"));
        assert_eq!(planes[1][10], samples[21]);
    }
}

#[test]
fn working_copies_at_the_same_and_at_another_rate() {
    let sine = |hz: f64, at: f64, n: usize| {
        (0..n).map(|k| (0.5 * (std::f64::consts::TAU * hz * k as f64 / at).sin()) as f32).collect::<Vec<_>>()
    };
    let (left, right) = (sine(500.0, 44_100.0, 44_100), sine(900.0, 44_100.0, 44_100));
    let both: Vec<f32> = left.iter().zip(&right).flat_map(|(l, r)| [*l, *r]).collect();
    let (_keep, path, _) = write(WriteSpec::new(rate(44_100), 2, Depth::Float32), &both);
    for (to, frames) in [(44_100u64, 44_100i64), (48_000, 48_000)] {
        let folder = tempfile::tempdir().unwrap();
        let made =
            prepare(&path, folder.path(), rate(to), &Stop::default(), &mut |p| (0.0..=1.0).contains(&p)).unwrap();
        assert_eq!(made.frames, frames);
        assert_eq!(made.notes().iter().any(|n| n.contains("resampled")), to == 48_000);
        let file = WorkFile::open(&channel_path(folder.path(), 2)).unwrap();
        assert_eq!(file.frames(), frames);
        let mut got = vec![0f32; 1_000];
        file.read(20_000, &mut got).unwrap();
        let expected = sine(900.0, to as f64, 21_000);
        let worst = got.iter().zip(&expected[20_000..]).map(|(a, b)| (a - b).abs()).fold(0f32, f32::max);
        assert!(worst < 1e-5, "{worst}");
        file.read(frames - 3, &mut got).unwrap();
        assert!(got[3..].iter().all(|v| *v == 0.0));
        // The overview holds every level, in the place the range says.
        let bytes = std::fs::metadata(overview_path(folder.path(), 1)).unwrap().len();
        let last = overview_range(frames, LEVELS - 1, 0, usize::MAX >> 8);
        assert_eq!(last.1, (frames as usize).div_ceil(frames_a_point(LEVELS - 1)));
        assert_eq!(bytes, last.0 + last.1 as u64 * 12);
        assert_eq!(overview_range(frames, 0, 5, 10), (60, 10));
        assert_eq!(overview_range(frames, 0, 1 << 40, 10).1, 0);
        assert!(!folder.path().join("1.raw").exists());
        // The survey made while it came in is that of the working copy; one that is damaged counts as none.
        let (source, survey) = (&file, folder.path().join("2.survey"));
        let placed = Placed { source, start: SessionFrame(-700) };
        let anew = Survey::measure(&placed, rate(to), &mut |_| true).unwrap();
        assert_eq!(Survey::kept(&placed, rate(to)), Some(anew));
        std::fs::write(&survey, &std::fs::read(&survey).unwrap()[..300]).unwrap();
        assert_eq!(Survey::kept(&placed, rate(to)), None);
    }
}

#[test]
fn preparing_stops_when_asked_and_refuses_nothing() {
    let (_keep, path, _) = write(WriteSpec::new(rate(48_000), 2, Depth::Int24), &[0.0; 100_000]);
    let folder = tempfile::tempdir().unwrap();
    assert!(matches!(
        prepare(&path, folder.path(), rate(48_000), &Stop::default(), &mut |_| false),
        Err(PrepareError::Stopped)
    ));
    let (_keep, path, _) = write(WriteSpec::new(rate(48_000), 2, Depth::Int24), &[]);
    let said = prepare(&path, folder.path(), rate(48_000), &Stop::default(), &mut |_| true).unwrap_err().to_string();
    assert!(said.contains("no sound"), "{said}");
}
