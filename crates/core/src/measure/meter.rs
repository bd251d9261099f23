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
    StereoReading { peak: [l.0, r.0], rms: [l.1, r.1], correlation: correlation(left, right).map(|c| c as f32) }
}

/// Level in dBFS after AES17: RMS relative to that of a full-scale sine.
pub fn dbfs(rms: f64) -> f64 {
    20.0 * (rms * std::f64::consts::SQRT_2).log10()
}
