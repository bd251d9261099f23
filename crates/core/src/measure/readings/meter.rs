//! Readings of a block of two channels, taken from the same samples that are heard.

use crate::dsp::bands::{LOWS_HZ, WINDOW_S};
use crate::units::{SampleRate, db_of_power};
use biquad::{Biquad, Coefficients, DirectForm2Transposed, Q_BUTTERWORTH_F64, ToHertz, Type};
use serde::{Deserialize, Serialize};

/// Levels and correlation of one stereo block.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct StereoReading {
    /// Largest absolute sample, left and right.
    pub peak: [f32; 2],
    /// Root mean square, left and right.
    pub rms: [f32; 2],
    /// Normalised correlation −1 … +1; none when a side is under −60 dBFS RMS.
    pub correlation: Option<f32>,
    /// The same of what lies below 200 Hz.
    pub low_correlation: Option<f32>,
    /// Energy of the difference of two tracks over that of the first, in dB; none unless their difference is heard.
    pub null_depth_db: Option<f32>,
}

/// Null depth over the last blocks: 10·lg(Σ|A−B|²/Σ|A|²).
#[derive(Debug, Clone, Default)]
pub struct NullMeter {
    blocks: std::collections::VecDeque<[f64; 2]>,
}

impl NullMeter {
    /// Blocks that the reading covers.
    const BLOCKS: usize = 10;

    /// Takes one block of both tracks; the depth in dB over the last ones. None while the first track is silent.
    pub fn push(&mut self, a: &[f32], b: &[f32]) -> Option<f32> {
        let mut sums = [0f64; 2];
        for (x, y) in a.iter().zip(b) {
            sums[0] += f64::from(x - y).powi(2);
            sums[1] += f64::from(*x).powi(2);
        }
        self.blocks.push_back(sums);
        if self.blocks.len() > Self::BLOCKS {
            self.blocks.pop_front();
        }
        let [left, whole] = [0, 1].map(|i| self.blocks.iter().map(|s| s[i]).sum::<f64>());
        (whole > 0.0).then(|| db_of_power((left / whole).max(1e-15)) as f32)
    }
}

/// Correlation of two channels over the last 0.4 s, of everything and of what lies below 200 Hz.
pub struct CorrelationMeter {
    low: [[DirectForm2Transposed<f64>; 2]; 2],
    window_frames: usize,
    /// Frames, then Σab, Σa², Σb² of everything and of the lows.
    blocks: std::collections::VecDeque<(usize, [[f64; 3]; 2])>,
}

impl CorrelationMeter {
    /// A meter for a rate.
    pub fn new(rate: SampleRate) -> Self {
        let hz = f64::from(rate.hz());
        // Two Butterworth sections; both channels pass the same filter, so its phase does not matter.
        let section = || {
            let made = Coefficients::from_params(Type::LowPass, hz.hz(), LOWS_HZ.hz(), Q_BUTTERWORTH_F64);
            DirectForm2Transposed::new(made.expect("200 Hz lies below half of every rate"))
        };
        let low = [(); 2].map(|()| [section(), section()]);
        Self { low, window_frames: (WINDOW_S * hz) as usize, blocks: std::collections::VecDeque::new() }
    }

    /// Takes one block and tells the correlations over the last ones, everything first.
    pub fn push(&mut self, a: &[f32], b: &[f32]) -> [Option<f32>; 2] {
        let mut sums = [[0f64; 3]; 2];
        for (&x, &y) in a.iter().zip(b) {
            let all = [f64::from(x), f64::from(y)];
            let mut low = all;
            for (v, filter) in low.iter_mut().zip(&mut self.low) {
                *v = filter.iter_mut().fold(*v, |v, section| section.run(v));
            }
            for (sum, [x, y]) in sums.iter_mut().zip([all, low]) {
                *sum = [sum[0] + x * y, sum[1] + x * x, sum[2] + y * y];
            }
        }
        self.blocks.push_back((a.len(), sums));
        let mut frames: usize = self.blocks.iter().map(|b| b.0).sum();
        while let Some(first) = self.blocks.front().filter(|b| frames - b.0 >= self.window_frames) {
            frames -= first.0;
            self.blocks.pop_front();
        }
        [0, 1].map(|which| {
            let [ab, aa, bb] = [0, 1, 2].map(|i| self.blocks.iter().map(|b| b.1[which][i]).sum::<f64>());
            let gate = GATE_RMS * GATE_RMS * frames as f64;
            (aa >= gate && bb >= gate).then(|| (ab / (aa * bb).sqrt()).clamp(-1.0, 1.0) as f32)
        })
    }
}

/// RMS under which correlation has no meaning (−60 dBFS after AES17, a full-scale sine being 0 dBFS).
pub const GATE_RMS: f64 = 0.000_707_106_78;

/// Normalised correlation Σab/√(Σa²·Σb²), no mean removal; none when either is under the gate.
pub fn correlation(a: &[f32], b: &[f32]) -> Option<f64> {
    let n = a.len().min(b.len());
    if n == 0 {
        return None;
    }
    let (mut ab, mut aa, mut bb) = (0f64, 0f64, 0f64);
    for (&x, &y) in a.iter().zip(b) {
        let (x, y) = (f64::from(x), f64::from(y));
        ab += x * y;
        aa += x * x;
        bb += y * y;
    }
    let gate = GATE_RMS * GATE_RMS * n as f64;
    if aa < gate || bb < gate { None } else { Some((ab / (aa * bb).sqrt()).clamp(-1.0, 1.0)) }
}

/// Reads one block's levels; correlation is a matter of more than one block: see [`CorrelationMeter`].
pub fn read_stereo(left: &[f32], right: &[f32]) -> StereoReading {
    let side = |x: &[f32]| {
        let peak = x.iter().fold(0f32, |m, v| m.max(v.abs()));
        let rms = (x.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / x.len().max(1) as f64).sqrt();
        (peak, rms as f32)
    };
    let (l, r) = (side(left), side(right));
    StereoReading { peak: [l.0, r.0], rms: [l.1, r.1], correlation: None, low_correlation: None, null_depth_db: None }
}
