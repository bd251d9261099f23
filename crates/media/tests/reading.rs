//! Reading: byte-literal files of every coding, round trips with other writers, damaged files, and a fuzz corpus.

mod common;

use common::*;
use marea_media::{AudioReader, MediaError, read_all};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::path::PathBuf;

fn file(bytes: &[u8]) -> (tempfile::TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("x");
    std::fs::write(&path, bytes).unwrap();
    (folder, path)
}

fn planes(bytes: &[u8]) -> Vec<Vec<f32>> {
    read_all(&file(bytes).1).unwrap_or_else(|e| panic!("{e}")).1
}

fn error(bytes: &[u8]) -> MediaError {
    let (_keep, path) = file(bytes);
    match AudioReader::open(&path) {
        Err(e) => e,
        Ok(r) => panic!("read as {:?}", r.info()),
    }
}

/// WAVEFORMATEX (Multimedia Programming Interface 1.0): 8 bits are unsigned, more are signed little-endian.
#[test]
fn integers_byte_by_byte() {
    assert_eq!(planes(&simple(1, 1, 48_000, 8, &[0, 128, 192])), [[-1.0, 0.0, 0.5]]);
    assert_eq!(planes(&simple(1, 1, 48_000, 16, &[0, 0x80, 0, 0, 0, 0x40])), [[-1.0, 0.0, 0.5]]);
    assert_eq!(planes(&simple(1, 1, 48_000, 24, &[0, 0, 0x80, 1, 0, 0, 0, 0, 0x40])), [[-1.0, 1.0 / 8_388_608.0, 0.5]]);
    assert_eq!(planes(&simple(1, 1, 48_000, 32, &[0, 0, 0, 0x80, 0, 0, 0, 0x40])), [[-1.0, 0.5]]);
}

#[test]
fn floats_and_channels_byte_by_byte() {
    let mut data = Vec::new();
    for v in [0.25f32, -1.5, 1e-20, 3.0] {
        data.extend_from_slice(&v.to_le_bytes());
    }
    assert_eq!(planes(&simple(3, 2, 96_000, 32, &data)), [[0.25, 1e-20], [-1.5, 3.0]]);
    let wide: Vec<u8> = [0.125f64, -0.75].iter().flat_map(|v| v.to_le_bytes()).collect();
    assert_eq!(planes(&simple(3, 1, 8_000, 64, &wide)), [[0.125, -0.75]]);
}

/// WAVE_FORMAT_EXTENSIBLE: the sub-format's first two bytes are the plain tag; 20 valid bits lie in three bytes.
#[test]
fn extensible() {
    let mut f = fmt(0xFFFE, 1, 48_000, 24);
    f.extend_from_slice(&[22, 0, 20, 0, 4, 0, 0, 0]);
    f.extend_from_slice(&[1, 0, 0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xAA, 0, 0x38, 0x9B, 0x71]);
    let bytes = riff(&[chunk(b"fmt ", &f), chunk(b"data", &[0, 0, 0x40])]);
    assert_eq!(planes(&bytes), [[0.5]]);
    let mut other = f.clone();
    other[30] = 0x99;
    assert!(matches!(error(&riff(&[chunk(b"fmt ", &other), chunk(b"data", &[0, 0, 0])])), MediaError::Coding(_)));
}

/// EBU Tech 3285: TimeReference stands at byte 338 of `bext`, low word first. The chunk may also come after the data.
#[test]
fn time_stamp() {
    let mut bext = vec![0u8; 602];
    bext[338..346].copy_from_slice(&0x1_0000_0007u64.to_le_bytes());
    let parts = [chunk(b"fmt ", &fmt(1, 1, 48_000, 16)), chunk(b"data", &[1, 0]), chunk(b"bext", &bext)];
    let (_keep, path) = file(&riff(&parts));
    assert_eq!(AudioReader::open(&path).unwrap().info().time_reference, Some(0x1_0000_0007));
}

/// EBU Tech 3306 and ITU-R BS.2088: sizes of 0xFFFFFFFF are in `ds64`.
#[test]
fn rf64_and_bw64() {
    for id in [b"RF64", b"BW64"] {
        let mut ds64 = Vec::new();
        for n in [100u64, 4, 2] {
            ds64.extend_from_slice(&n.to_le_bytes());
        }
        ds64.extend_from_slice(&[0; 4]);
        let mut bytes =
            riff(&[chunk(b"ds64", &ds64), chunk(b"fmt ", &fmt(1, 1, 48_000, 16)), chunk(b"data", &[0, 0x40, 0, 0xC0])]);
        bytes[..4].copy_from_slice(id);
        let at = bytes.len() - 8;
        bytes[at..at + 4].copy_from_slice(&[0xFF; 4]);
        assert_eq!(planes(&bytes), [[0.5, -0.5]]);
    }
    let mut lost = riff(&[chunk(b"fmt ", &fmt(1, 1, 48_000, 16)), chunk(b"data", &[0, 0])]);
    lost[..4].copy_from_slice(b"RF64");
    let at = lost.len() - 6;
    lost[at..at + 4].copy_from_slice(&[0xFF; 4]);
    assert!(error(&lost).to_string().contains("ds64"));
}

#[test]
fn files_of_another_writer() {
    let folder = tempfile::tempdir().unwrap();
    for (bits, format) in [
        (8, hound::SampleFormat::Int),
        (16, hound::SampleFormat::Int),
        (24, hound::SampleFormat::Int),
        (32, hound::SampleFormat::Float),
    ] {
        let path = folder.path().join(format!("{bits}.wav"));
        let spec = hound::WavSpec { channels: 2, sample_rate: 44_100, bits_per_sample: bits, sample_format: format };
        let mut out = hound::WavWriter::create(&path, spec).unwrap();
        for n in 0..1_000i32 {
            if bits == 32 {
                out.write_sample(n as f32 / 1_000.0).unwrap();
            } else {
                out.write_sample((n - 500) % (1 << (bits - 1))).unwrap();
            }
        }
        out.finalize().unwrap();
        let (info, planes) = read_all(&path).unwrap();
        assert_eq!((info.rate.hz(), info.channels, planes[0].len(), info.notes.len()), (44_100, 2, 500, 0));
        let scale = if bits == 32 { 1_000.0 } else { f64::from(1u32 << (bits - 1)) };
        let expected = |n: i32| if bits == 32 { f64::from(n) } else { f64::from((n - 500) % (1 << (bits - 1))) };
        for n in 0..1_000 {
            let got = f64::from(planes[n as usize % 2][n as usize / 2]) * scale;
            assert!((got - expected(n)).abs() < 1e-3, "{bits} bits, sample {n}: {got}");
        }
    }
}

#[test]
fn flac_is_lossless() {
    use flacenc::component::BitRepr;
    use flacenc::error::Verify;
    let mut rng = ChaCha8Rng::seed_from_u64(5);
    let samples: Vec<i32> = (0..20_000).map(|_| rng.random_range(-8_388_608..8_388_607)).collect();
    let config = flacenc::config::Encoder::default().into_verified().unwrap();
    let source = flacenc::source::MemSource::from_samples(&samples, 2, 24, 96_000);
    let mut stream = flacenc::encode_with_fixed_block_size(&config, source, 4_096).unwrap();
    stream.stream_info_mut().set_block_sizes(4_096, 4_096).unwrap();
    let mut sink = flacenc::bitsink::ByteSink::new();
    stream.write(&mut sink).unwrap();
    let (_keep, path) = file(sink.as_slice());
    let (info, planes) = read_all(&path).unwrap();
    assert_eq!((info.rate.hz(), info.channels, planes[1].len()), (96_000, 2, 10_000));
    assert!(info.coding.starts_with("FLAC"));
    for (n, v) in samples.iter().enumerate() {
        assert_eq!(planes[n % 2][n / 2], *v as f32 / 8_388_608.0);
    }
    // Cut off in the middle: what came before is kept, and said.
    let (_keep, path) = file(&sink.as_slice()[..sink.as_slice().len() / 2]);
    let (info, planes) = read_all(&path).unwrap();
    assert!(planes[0].len() > 2_000 && planes[0].len() < 8_000, "{}", planes[0].len());
    assert!(info.notes.iter().any(|n| n.contains("ends early")), "{:?}", info.notes);
}

/// AIFF 1.3 and AIFF-C: big-endian; `sowt` little-endian; `fl32` float.
#[test]
fn aiff_and_aiff_c() {
    assert_eq!(
        planes(&aiff(2, 2, 16, None, &[0x40, 0, 0xC0, 0, 0, 1, 0x80, 0])),
        [[0.5, 1.0 / 32_768.0], [-0.5, -1.0]]
    );
    assert_eq!(planes(&aiff(1, 1, 24, None, &[0xC0, 0, 0, 0])), [[-0.5]]);
    assert_eq!(planes(&aiff(1, 2, 16, Some(b"sowt"), &[0, 0x40, 0, 0xC0])), [[0.5, -0.5]]);
    let float: Vec<u8> = [0.25f32, -2.0].iter().flat_map(|v| v.to_be_bytes()).collect();
    assert_eq!(planes(&aiff(1, 2, 32, Some(b"fl32"), &float)), [[0.25, -2.0]]);
}

#[test]
fn refusals_name_what_is_wrong() {
    assert!(matches!(error(b""), MediaError::Empty));
    let text = error(b"Dear engineer, this is a letter.").to_string();
    assert!(text.contains("Dear engin") && text.contains("not a recording"), "{text}");
    assert!(error(&[0, 1, 2, 3]).to_string().contains("00 01 02 03"));
    assert!(matches!(error(&simple(1, 0, 48_000, 16, &[0; 4])), MediaError::Channels(0)));
    assert!(matches!(error(&simple(1, 17, 48_000, 16, &[0; 34])), MediaError::Channels(17)));
    assert!(matches!(error(&simple(1, 1, 4_000, 16, &[0; 4])), MediaError::Rate(_)));
    assert!(matches!(error(&simple(1, 1, 800_000, 16, &[0; 4])), MediaError::Rate(_)));
    assert!(matches!(error(&simple(0x55, 1, 48_000, 16, &[0; 4])), MediaError::Coding(_)));
    assert!(error(&riff(&[chunk(b"data", &[0; 4])])).to_string().contains("fmt"));
    assert!(error(&riff(&[chunk(b"fmt ", &fmt(1, 1, 48_000, 16))])).to_string().contains("data"));
    assert!(matches!(AudioReader::open(std::path::Path::new("/nowhere/at/all.wav")), Err(MediaError::Io(_))));
}

#[test]
fn truncated_and_overstated_data_is_kept_and_said() {
    let whole = simple(1, 1, 48_000, 16, &[1; 200]);
    let (info, planes) = read_all(&file(&whole[..whole.len() - 101]).1).unwrap();
    assert_eq!(planes[0].len(), 49);
    assert!(info.notes.iter().any(|n| n.contains("49 of 100 frames")), "{:?}", info.notes);
    // A header that claims 2³² − 2 bytes, as a recorder leaves it that lost its power.
    let mut claims = simple(1, 1, 48_000, 16, &[1; 200]);
    let at = claims.len() - 204;
    claims[at..at + 4].copy_from_slice(&0xFFFF_FFFEu32.to_le_bytes());
    let (info, planes) = read_all(&file(&claims).1).unwrap();
    assert_eq!(planes[0].len(), 100);
    assert!(info.notes[0].contains("never completed"), "{:?}", info.notes);
    // 2³² frames in ds64, 100 in the file: nothing is reserved for what is not there.
    let mut ds64 = Vec::new();
    for n in [1u64 << 40, 1 << 33, 1 << 32] {
        ds64.extend_from_slice(&n.to_le_bytes());
    }
    ds64.extend_from_slice(&[0; 4]);
    let mut huge = riff(&[chunk(b"ds64", &ds64), chunk(b"fmt ", &fmt(1, 1, 48_000, 16)), chunk(b"data", &[1; 200])]);
    huge[..4].copy_from_slice(b"RF64");
    let at = huge.len() - 204;
    huge[at..at + 4].copy_from_slice(&[0xFF; 4]);
    let (info, planes) = read_all(&file(&huge).1).unwrap();
    assert_eq!((planes[0].len(), info.frames), (100, Some(100)));
    assert!(info.notes.iter().any(|n| n.contains("of 4294967296 frames")), "{:?}", info.notes);
}

#[test]
fn samples_that_are_no_numbers_become_silence() {
    let data: Vec<u8> = [0.5f32, f32::NAN, f32::INFINITY, -0.5].iter().flat_map(|v| v.to_le_bytes()).collect();
    let (info, planes) = read_all(&file(&simple(3, 1, 48_000, 32, &data)).1).unwrap();
    assert_eq!(planes, [[0.5, 0.0, 0.0, -0.5]]);
    assert!(info.notes[0].starts_with("2 samples"), "{:?}", info.notes);
}

/// Thousands of damaged files: whatever comes out, it comes out quickly, without a panic, finite, and no more of it than the
/// file can hold.
#[test]
fn damaged_files_never_break_the_reader() {
    let mut rng = ChaCha8Rng::seed_from_u64(99);
    let seeds = [
        simple(1, 2, 48_000, 24, &[7; 600]),
        simple(3, 1, 44_100, 32, &[60; 400]),
        aiff(2, 50, 16, None, &[9; 200]),
        aiff(1, 50, 16, Some(b"sowt"), &[9; 100]),
        {
            let mut b = simple(1, 1, 48_000, 16, &[1; 100]);
            b[..4].copy_from_slice(b"RF64");
            b
        },
        [b"fLaC".to_vec(), vec![0x80, 0, 0, 34], vec![0x10; 34], vec![0xFF, 0xF8, 0x69, 0x18, 0, 0, 0xBF]].concat(),
    ];
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("x");
    let mut read = 0;
    for round in 0..3_000 {
        let mut bytes = seeds[round % seeds.len()].clone();
        for _ in 0..rng.random_range(1..6) {
            let at = rng.random_range(0..bytes.len());
            match rng.random_range(0..4) {
                0 => bytes[at] = rng.random(),
                1 => bytes.truncate(at.max(1)),
                2 => bytes[at] = if rng.random() { 0xFF } else { 0 },
                _ => bytes.insert(at, rng.random()),
            }
        }
        std::fs::write(&path, &bytes).unwrap();
        if let Ok((_, planes)) = read_all(&path) {
            read += 1;
            assert!(planes.iter().flatten().all(|v| v.is_finite()));
            let samples: usize = planes.iter().map(Vec::len).sum();
            assert!(samples <= bytes.len() * 70_000, "{samples} samples from {} bytes", bytes.len());
        }
    }
    assert!(read > 300, "only {read} were read: the corpus tests nothing");
}

/// Half a million empty chunks in four megabytes, before the sound and after it: given up, or read, at once.
#[test]
fn endless_rows_of_chunks_are_given_up() {
    let empty: Vec<u8> = b"junk\0\0\0\0".repeat(500_000);
    let before = riff(&[empty.clone(), chunk(b"fmt ", &fmt(1, 1, 48_000, 16)), chunk(b"data", &[0, 0x40])]);
    let said = error(&before).to_string();
    assert!(said.contains("chunks") && said.contains("no sound"), "{said}");
    let after = riff(&[chunk(b"fmt ", &fmt(1, 1, 48_000, 16)), chunk(b"data", &[0, 0x40]), empty.clone()]);
    let (info, sound) = read_all(&file(&after).1).unwrap();
    assert_eq!(sound, [[0.5]]);
    assert!(info.notes[0].contains("chunks"), "{:?}", info.notes);
    let mut rows = b"FORM\0\0\0\0AIFF".to_vec();
    rows.extend(empty);
    assert!(error(&rows).to_string().contains("COMM"));
}

/// Whoever asks to stop is heard before the next chunk and the next block.
#[test]
fn reading_stops_when_it_is_asked_to() {
    use marea_media::Stop;
    let bytes = simple(1, 1, 48_000, 16, &[0; 400_000]);
    let (_keep, path) = file(&bytes);
    let stop = Stop::default();
    let mut reader = AudioReader::open_until(&path, stop.clone()).unwrap();
    let mut block = Vec::new();
    reader.next_block(&mut block).unwrap();
    assert!(!block.is_empty());
    stop.ask();
    assert!(matches!(reader.next_block(&mut block), Err(MediaError::Stopped)));
    assert!(matches!(AudioReader::open_until(&path, stop.clone()), Err(MediaError::Stopped)));
    // Also inside the library that reads AIFF.
    let (_keep, path) = file(&aiff(1, 2, 16, None, &[0x40, 0, 0xC0, 0]));
    assert!(matches!(AudioReader::open_until(&path, stop), Err(MediaError::Stopped)));
    assert_eq!(AudioReader::open(&path).unwrap().info().channels, 1);
}

/// The library reserves memory for all channels a header claims, and fails at 65 535: it never sees such a file.
#[test]
fn more_channels_than_are_read_never_reach_the_library() {
    assert_eq!(read_all(&file(&aiff(1, 2, 16, None, &[0x40, 0, 0xC0, 0])).1).unwrap().1, [[0.5, -0.5]]);
    for channels in [0, 17, 65_535] {
        assert!(
            matches!(error(&aiff(channels, 2, 16, None, &[0x40, 0, 0xC0, 0])), MediaError::Channels(n) if n == channels)
        );
    }
}

/// The first description of the format holds; a second one, after the samples, is told and left aside.
#[test]
fn a_second_format_changes_nothing() {
    let bytes = riff(&[
        chunk(b"fmt ", &fmt(1, 1, 48_000, 16)),
        chunk(b"data", &[0, 0x40, 0, 0xC0]),
        chunk(b"fmt ", &fmt(1, 2, 8_000, 8)),
    ]);
    let (info, sound) = read_all(&file(&bytes).1).unwrap();
    assert_eq!((sound, info.rate.hz()), (vec![vec![0.5, -0.5]], 48_000));
    assert!(info.notes.iter().any(|n| n.contains("second")), "{:?}", info.notes);
}

/// Numbers that no sound reaches are silence, and counted; whole numbers of 32 bits kept as floats are sound.
#[test]
fn samples_beyond_all_sound_are_silence() {
    let data: Vec<u8> = [1e19f32, -3.0e38, 2_147_483_648.0, f32::NAN].iter().flat_map(|v| v.to_le_bytes()).collect();
    let (info, sound) = read_all(&file(&simple(3, 1, 48_000, 32, &data)).1).unwrap();
    assert_eq!(sound, [[0.0, 0.0, 2_147_483_648.0, 0.0]]);
    assert!(info.notes.iter().any(|n| n.starts_with("2 samples are larger")), "{:?}", info.notes);
    assert!(info.notes.iter().any(|n| n.starts_with("1 samples are no finite")), "{:?}", info.notes);
}
