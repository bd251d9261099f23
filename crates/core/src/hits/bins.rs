//! How loud microphones are by band, a quarter of a millisecond at a time: what strokes are seen by.

use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use biquad::{Coefficients, Q_BUTTERWORTH_F64, ToHertz, Type};
use rayon::prelude::*;
use wide::f32x8;

/// Lows, middle, highs.
pub const BANDS: usize = 3;
/// What lies between them, in Hz; under the first and between the last two nothing is seen.
const EDGES_HZ: [f64; 4] = [50.0, 500.0, 5_000.0, 6_000.0];
/// Length of a bin, in seconds.
const BIN_S: f64 = 0.000_25;
/// The filters have settled after this, in seconds.
const SETTLED_S: f64 = 0.03;
/// Part of the rate above which no filter is set.
const HIGHEST: f64 = 0.4;
/// Microphones filtered side by side.
const TOGETHER: usize = 8;
/// 300 dB under full scale: without it, filters that die away count in numbers that the machine is slow with.
const NEVER_ZERO: f32 = 1e-15;

/// Largest amplitudes along time.
#[derive(Debug, Clone)]
pub struct Bins {
    /// Session frame at which the first begins.
    pub first: i64,
    /// Frames in each.
    pub hop: i64,
    /// By microphone and band.
    pub peaks: Vec<[Vec<f32>; BANDS]>,
}

impl Bins {
    /// Frames in a bin at a rate.
    pub fn hop(rate: SampleRate) -> i64 {
        rate.frames(BIN_S).max(1)
    }

    /// So many bins of every sound from a session frame on.
    ///
    /// # Errors
    /// [`MeasureError::Read`] when a sound cannot be read.
    pub fn read(sounds: &[Placed], from: i64, count: usize, rate: SampleRate) -> Result<Self, MeasureError> {
        let read = |sounds: &[Placed]| lanes(sounds, from, count, rate);
        let peaks = sounds.par_chunks(TOGETHER).map(read).collect::<Result<Vec<_>, _>>()?;
        Ok(Self { first: from, hop: Self::hop(rate), peaks: peaks.into_iter().flatten().collect() })
    }

    /// The bin of a session frame, also where there is none.
    pub fn at(&self, frame: f64) -> i64 {
        ((frame - self.first as f64) / self.hop as f64).floor() as i64
    }

    /// The largest of some bins; 0 where there are none.
    pub fn most(&self, [microphone, band]: [usize; 2], from: i64, to: i64) -> f32 {
        let peaks = &self.peaks[microphone][band];
        let within = |n: i64| index(n.clamp(0, peaks.len() as i64));
        peaks[within(from)..within(to).max(within(from))].iter().copied().fold(0.0, f32::max)
    }
}

/// One filter of second order for all lanes (direct form II, transposed).
struct Filter {
    b: [f32x8; 3],
    a: [f32x8; 2],
    held: [f32x8; 2],
}

impl Filter {
    fn new(kind: Type<f64>, hz: f64, rate: SampleRate) -> Self {
        let (fs, hz) = (rate.hz_f64(), hz.min(HIGHEST * rate.hz_f64()));
        let c = Coefficients::<f64>::from_params(kind, fs.hz(), hz.hz(), Q_BUTTERWORTH_F64)
            .expect("an edge between 0 and half the rate");
        let lanes = |v: f64| f32x8::splat(v as f32);
        Self { b: [c.b0, c.b1, c.b2].map(lanes), a: [c.a1, c.a2].map(lanes), held: [f32x8::ZERO; 2] }
    }

    fn step(&mut self, x: f32x8) -> f32x8 {
        let y = self.b[0] * x + self.held[0];
        self.held = [self.b[1] * x - self.a[0] * y + self.held[1], self.b[2] * x - self.a[1] * y];
        y
    }
}

/// The bins of up to eight sounds.
fn lanes(sounds: &[Placed], from: i64, count: usize, rate: SampleRate) -> Result<Vec<[Vec<f32>; BANDS]>, MeasureError> {
    let hop = index(Bins::hop(rate));
    let settling = index(rate.frames(SETTLED_S)).div_ceil(hop);
    let [lowest, low, high, bright] = EDGES_HZ;
    let mut lows = [Filter::new(Type::HighPass, lowest, rate), Filter::new(Type::LowPass, low, rate)];
    let mut middle = [Filter::new(Type::HighPass, low, rate), Filter::new(Type::LowPass, high, rate)];
    let mut highs = Filter::new(Type::HighPass, bright, rate);
    let mut found = vec![[const { Vec::new() }; BANDS]; sounds.len()];
    found.iter_mut().flatten().for_each(|bins: &mut Vec<f32>| bins.reserve_exact(count));
    // Some hundred bins at a time: what fits the fast memory of a core.
    const BLOCK: usize = 256;
    let mut blocks = vec![vec![0f32; BLOCK * hop]; sounds.len()];
    let mut all = vec![f32x8::ZERO; BLOCK * hop];
    let mut at = from - (settling * hop) as i64;
    for begins in (0..settling + count).step_by(BLOCK) {
        let bins = BLOCK.min(settling + count - begins);
        for (sound, block) in sounds.iter().zip(&mut blocks) {
            sound.read(at, &mut block[..bins * hop])?;
        }
        interleave(&blocks, &mut all[..bins * hop]);
        for (n, bin) in all[..bins * hop].chunks_exact(hop).enumerate() {
            let mut most = [f32x8::ZERO; BANDS];
            for x in bin {
                let x = *x + f32x8::splat(NEVER_ZERO);
                let bands = [lows[0].step(x), middle[0].step(x), highs.step(x)];
                let bands = [lows[1].step(bands[0]), middle[1].step(bands[1]), bands[2]];
                most = std::array::from_fn(|b| most[b].fast_max(bands[b].abs()));
            }
            if begins + n >= settling {
                let most = most.map(f32x8::to_array);
                for (lane, found) in found.iter_mut().enumerate() {
                    (0..BANDS).for_each(|b| found[b].push(most[b][lane]));
                }
            }
        }
        at += (bins * hop) as i64;
    }
    Ok(found)
}

/// Frame by frame, all sounds side by side; lanes without a sound stay silent.
fn interleave(blocks: &[Vec<f32>], all: &mut [f32x8]) {
    for (n, out) in all.iter_mut().enumerate() {
        let mut lanes = [0f32; TOGETHER];
        blocks.iter().zip(&mut lanes).for_each(|(block, lane)| *lane = block[n]);
        *out = f32x8::from(lanes);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::MemSource;
    use crate::units::SessionFrame;

    fn rate() -> SampleRate {
        SampleRate::new(48_000).unwrap()
    }

    #[test]
    fn a_tone_is_in_the_band_it_belongs_to() {
        for (hz, own) in [(150.0, 0), (1_600.0, 1), (13_100.0, 2)] {
            let x = |n: i64| (std::f64::consts::TAU * hz * n as f64 / 48_000.0).sin() as f32;
            let tone = MemSource((0..48_000).map(x).collect());
            let bins = Bins::read(&[Placed { source: &tone, start: SessionFrame(0) }], 12_000, 800, rate()).unwrap();
            let level = |band: usize| bins.most([0, band], 0, 800);
            assert!((level(own) - 1.0).abs() < 0.1, "{hz} Hz: {}", level(own));
            (0..BANDS).filter(|b| *b != own).for_each(|b| assert!(level(b) < 0.25, "{hz} Hz in {b}: {}", level(b)));
        }
    }

    #[test]
    fn an_edge_stands_in_its_bin_in_every_lane_and_bins_go_on_where_others_end() {
        // Eleven microphones: one and a half sets of lanes.
        let sounds: Vec<MemSource> = (0..11)
            .map(|m| {
                let mut x = vec![0f32; 20_000];
                x[9_000 + 120 * m] = 0.5;
                MemSource(x)
            })
            .collect();
        let placed: Vec<Placed> = sounds.iter().map(|source| Placed { source, start: SessionFrame(100) }).collect();
        let whole = Bins::read(&placed, 0, 1_600, rate()).unwrap();
        for m in 0..11 {
            let at = whole.at((9_100 + 120 * m) as f64);
            assert!(whole.most([m, 2], 0, at) < 1e-9 && whole.most([m, 2], at, at + 1) > 0.1, "{m}");
        }
        let part = Bins::read(&placed, 6_000, 600, rate()).unwrap();
        for m in 0..11 {
            for band in 0..BANDS {
                for n in 0..600 {
                    let (a, b) = (part.peaks[m][band][n], whole.peaks[m][band][n + 500]);
                    assert!((a - b).abs() < 1e-4, "{m}, band {band}, bin {n}: {a} {b}");
                }
            }
        }
    }
}
