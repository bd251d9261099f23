//! Readings of a block of two channels, taken from the same samples that are heard.

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
        (whole > 0.0).then(|| (10.0 * (left / whole).max(1e-15).log10()) as f32)
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

/// Reads one block.
pub fn read_stereo(left: &[f32], right: &[f32]) -> StereoReading {
    let side = |x: &[f32]| {
        let peak = x.iter().fold(0f32, |m, v| m.max(v.abs()));
        let rms = (x.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / x.len().max(1) as f64).sqrt();
        (peak, rms as f32)
    };
    let (l, r) = (side(left), side(right));
    StereoReading {
        peak: [l.0, r.0],
        rms: [l.1, r.1],
        correlation: correlation(left, right).map(|c| c as f32),
        null_depth_db: None,
    }
}

/// Level in dBFS after AES17: RMS relative to that of a full-scale sine.
pub fn dbfs(rms: f64) -> f64 {
    20.0 * (rms * std::f64::consts::SQRT_2).log10()
}
