//! Made-up recordings, and their files.

use marea_core::units::SampleRate;
use marea_media::write::{Depth, WavWriter, WriteSpec};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

pub fn rate(hz: u64) -> SampleRate {
    SampleRate::new(hz).expect("a rate")
}

/// Noise bursts that decay: struck sounds at known frames.
pub fn hits(frames: usize, seed: u64) -> Vec<f32> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut out = vec![0f32; frames];
    let mut at = 4_800;
    while at + 9_600 < frames {
        let force: f32 = rng.random_range(0.3..0.8);
        for k in 0..4_800 {
            let noise: f32 = rng.random_range(-1.0..1.0);
            out[at + k] += force * noise * (-(k as f32) / 700.0).exp();
        }
        at += rng.random_range(9_000..16_000);
    }
    // On the grid of 24 bits, so that a whole offset can be checked bit by bit.
    out.iter().map(|v| (v * 8_388_608.0).round() / 8_388_608.0).collect()
}

/// `x` later by `frames` (negative: earlier), times `factor`, same length.
pub fn moved(x: &[f32], frames: i64, factor: f32) -> Vec<f32> {
    (0..x.len() as i64)
        .map(|n| usize::try_from(n - frames).ok().and_then(|i| x.get(i)).map_or(0.0, |v| v * factor))
        .collect()
}

/// Burst and rest, so that correlation and loudness have something to follow.
pub fn noise(frames: usize, seed: u32) -> Vec<f32> {
    let mut state = seed;
    let mut low = 0f32;
    (0..frames)
        .map(|i| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            low += 0.4 * ((state >> 9) as f32 / 8_388_608.0 - 0.5 - low);
            // On the grid of 24 bits, so that files hold it as it is.
            let level = if i / 16_000 % 3 == 2 { 0.1 } else { 0.8 };
            (low * level * 8_388_608.0).round() / 8_388_608.0
        })
        .collect()
}

/// The bytes of a 24-bit file.
pub fn wav(planes: &[Vec<f32>], rate_hz: u64, stamp: Option<u64>) -> Vec<u8> {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("x.wav");
    let mut spec = WriteSpec::new(rate(rate_hz), u16::try_from(planes.len()).expect("few channels"), Depth::Int24);
    spec.time_reference = stamp.unwrap_or(0);
    let mut out = WavWriter::create(&path, spec).expect("a file");
    let block: Vec<f32> = (0..planes[0].len()).flat_map(|t| planes.iter().map(move |p| p[t])).collect();
    out.push(&block).expect("written");
    out.finish().expect("finished");
    std::fs::read(path).expect("read")
}

/// The bytes of a 32-bit float file of one channel.
pub fn float_wav(x: &[f32]) -> Vec<u8> {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("x.wav");
    let mut out = WavWriter::create(&path, WriteSpec::new(rate(48_000), 1, Depth::Float32)).expect("a file");
    out.push(x).expect("written");
    out.finish().expect("finished");
    std::fs::read(path).expect("read")
}

/// Channels of a file in memory.
pub fn read(bytes: &[u8]) -> (marea_media::AudioInfo, Vec<Vec<f32>>) {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("x.wav");
    std::fs::write(&path, bytes).expect("written");
    marea_media::read_all(&path).expect("a recording")
}
