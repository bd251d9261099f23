//! How loud microphones are by band, a quarter of a millisecond at a time: what strokes are seen by.

use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use biquad::{Coefficients, Q_BUTTERWORTH_F64, ToHertz, Type};
use rayon::prelude::*;
use wide::f32x4;

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
const TOGETHER: usize = 4;
/// The lows are filtered at a lower rate, on the mean of at most so many samples: what that aliases lies far above them.
const MOST_AS_ONE: usize = 4;
/// Added to every sample, 300 dB under full scale: filters that die away would end in denormal numbers, which are slow.
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
    /// The largest of a stroke's first milliseconds from each bin on.
    ahead: Vec<[Vec<f32>; BANDS]>,
    /// The largest of the next `past` bins from each on, from which [`Self::before`] reads.
    behind: Vec<[Vec<f32>; BANDS]>,
    /// Length of [`BEFORE_S`] in bins.
    past: i64,
}

/// A stroke's peak is looked for so long after it begins, in seconds.
pub const PEAK_S: f64 = 0.003;
/// What sounded before is the largest of so long before, which ends two bins before the stroke; in seconds.
pub const BEFORE_S: f64 = 0.005;
/// Bins left out between: a stroke may begin anywhere in its bin.
pub const GAP: i64 = 2;

/// A length in bins.
pub fn bins_of(seconds: f64, rate: SampleRate) -> i64 {
    (rate.frames(seconds) as f64 / Bins::hop(rate) as f64).round() as i64
}

/// The largest of so many values from each on; fewer at the end.
pub fn largest_ahead(x: &[f32], count: usize) -> Vec<f32> {
    let mut most = x.to_vec();
    let larger = |most: &[f32], reach: usize| {
        let reach = reach.min(most.len());
        let (near, last) = most.split_at(most.len() - reach);
        let both = near.iter().zip(&most[reach..]).map(|(a, b)| if a > b { *a } else { *b });
        both.chain(last.iter().copied()).collect::<Vec<f32>>()
    };
    let mut have = 1;
    while 2 * have <= count {
        most = larger(&most, have);
        have *= 2;
    }
    if have < count {
        most = larger(&most, count - have);
    }
    most
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
        let peaks: Vec<[Vec<f32>; BANDS]> = peaks.into_iter().flatten().collect();
        let (next, past) = (bins_of(PEAK_S, rate).max(1), bins_of(BEFORE_S, rate).max(1));
        let largest = |count: i64| {
            let of = |bands: &[Vec<f32>; BANDS]| bands.each_ref().map(|x| largest_ahead(x, index(count)));
            peaks.iter().map(of).collect()
        };
        let (ahead, behind) = (largest(next), largest(past));
        Ok(Self { first: from, hop: Self::hop(rate), peaks, ahead, behind, past })
    }

    /// The peak of a stroke that begins at a bin.
    pub fn peak(&self, [microphone, band]: [usize; 2], at: i64) -> f32 {
        usize::try_from(at).ok().and_then(|n| self.ahead[microphone][band].get(n)).copied().unwrap_or(0.0)
    }

    /// What sounded before a bin.
    pub fn before(&self, [microphone, band]: [usize; 2], at: i64) -> f32 {
        let from = at - GAP - self.past;
        usize::try_from(from).ok().and_then(|n| self.behind[microphone][band].get(n)).copied().unwrap_or(0.0)
    }

    /// By how much a microphone rises at one of some bins over what sounded before, at most: amplitudes of what is not alike add up as
    /// squares.
    pub fn rise(&self, of: [usize; 2], at: std::ops::RangeInclusive<i64>) -> f32 {
        let square = |n: i64| self.peak(of, n).powi(2) - self.before(of, n).powi(2);
        at.map(square).fold(0f32, f32::max).sqrt()
    }

    /// Session frame at which a bin begins.
    pub fn frame(&self, bin: i64) -> i64 {
        self.first + bin * self.hop
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
    b: [f32x4; 3],
    a: [f32x4; 2],
    held: [f32x4; 2],
}

impl Filter {
    fn new(kind: Type<f64>, hz: f64, fs: f64) -> Self {
        let hz = hz.min(HIGHEST * fs);
        let c = Coefficients::<f64>::from_params(kind, fs.hz(), hz.hz(), Q_BUTTERWORTH_F64)
            .expect("an edge between 0 and half the rate");
        let lanes = |v: f64| f32x4::splat(v as f32);
        Self { b: [c.b0, c.b1, c.b2].map(lanes), a: [c.a1, c.a2].map(lanes), held: [f32x4::ZERO; 2] }
    }

    fn step(&mut self, x: f32x4) -> f32x4 {
        let y = self.b[0] * x + self.held[0];
        self.held = [self.b[1] * x - self.a[0] * y + self.held[1], self.b[2] * x - self.a[1] * y];
        y
    }
}

/// The bins of up to four sounds: with eight, what the filters hold does not fit the registers.
fn lanes(sounds: &[Placed], from: i64, count: usize, rate: SampleRate) -> Result<Vec<[Vec<f32>; BANDS]>, MeasureError> {
    let hop = index(Bins::hop(rate));
    let settling = index(rate.frames(SETTLED_S)).div_ceil(hop);
    let mut bank = Bank::new(hop, rate);
    let mut found = vec![[const { Vec::new() }; BANDS]; sounds.len()];
    found.iter_mut().flatten().for_each(|bins: &mut Vec<f32>| bins.reserve_exact(count));
    // What is read at a time fits the fast memory of a core. Lanes without a sound stay silent.
    const BLOCK: usize = 1_024;
    let mut blocks: [Vec<f32>; TOGETHER] = std::array::from_fn(|_| vec![0f32; BLOCK * hop]);
    let mut at = from - (settling * hop) as i64;
    for begins in (0..settling + count).step_by(BLOCK) {
        let bins = BLOCK.min(settling + count - begins);
        for (sound, block) in sounds.iter().zip(&mut blocks) {
            sound.read(at, &mut block[..bins * hop])?;
        }
        for n in 0..bins {
            let most = bank.bin(blocks.each_ref().map(|block| &block[n * hop..(n + 1) * hop]));
            if begins + n >= settling {
                let most = most.map(f32x4::to_array);
                for (lane, found) in found.iter_mut().enumerate() {
                    (0..BANDS).for_each(|b| found[b].push(most[b][lane]));
                }
            }
        }
        at += (bins * hop) as i64;
    }
    Ok(found)
}

/// The filters of all bands.
struct Bank {
    lows: [Filter; 2],
    middle: [Filter; 2],
    highs: Filter,
    /// Samples that the lows take as one, by their mean: a divisor of a bin.
    step: usize,
}

impl Bank {
    fn new(hop: usize, rate: SampleRate) -> Self {
        let [lowest, low, high, bright] = EDGES_HZ;
        let fs = rate.hz_f64();
        let step = (1..=MOST_AS_ONE).rev().find(|n| hop.is_multiple_of(*n)).unwrap_or(1);
        let slow = fs / step as f64;
        Self {
            lows: [Filter::new(Type::HighPass, lowest, slow), Filter::new(Type::LowPass, low, slow)],
            middle: [Filter::new(Type::HighPass, low, fs), Filter::new(Type::LowPass, high, fs)],
            highs: Filter::new(Type::HighPass, bright, fs),
            step,
        }
    }

    /// The largest amplitudes of one bin.
    fn bin(&mut self, sounds: [&[f32]; TOGETHER]) -> [f32x4; BANDS] {
        let [mut lows, mut middle, mut highs] = [f32x4::ZERO; BANDS];
        let part = f32x4::splat(1.0 / self.step as f32);
        let [a, b, c, d] = sounds.map(|s| s.chunks_exact(self.step));
        for (((a, b), c), d) in a.zip(b).zip(c).zip(d) {
            let mut sum = f32x4::ZERO;
            for (((a, b), c), d) in a.iter().zip(b).zip(c).zip(d) {
                let x = f32x4::from([*a, *b, *c, *d]) + f32x4::splat(NEVER_ZERO);
                sum += x;
                let body = self.middle[0].step(x);
                middle = middle.fast_max(self.middle[1].step(body).abs());
                highs = highs.fast_max(self.highs.step(x).abs());
            }
            let body = self.lows[0].step(sum * part);
            lows = lows.fast_max(self.lows[1].step(body).abs());
        }
        [lows, middle, highs]
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
    fn the_largest_ahead_is_that_of_so_many() {
        let x: Vec<f32> = (0..60).map(|n| ((n * 37 + 11) % 23) as f32).collect();
        for count in [1, 2, 8, 12, 20, 60, 90] {
            let most = largest_ahead(&x, count);
            for n in 0..x.len() {
                let slow = x[n..(n + count).min(x.len())].iter().copied().fold(0.0, f32::max);
                assert_eq!(most[n], slow, "{count} from {n}");
            }
        }
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
        // Eleven microphones: the last set of lanes is not full.
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
            let at = (9_100 + 120 * m as i64) / whole.hop;
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
