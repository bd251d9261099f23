//! Power of each channel and cross-power of every two, by third-octave, and what a fold-down keeps of it.

use crate::measure::image::layout::Place;
use crate::units::{SampleRate, db_of_power};
use realfft::num_complex::Complex32;
use serde::{Deserialize, Serialize};

/// Nominal centres in Hz (ISO 266).
pub const BANDS_HZ: [f64; 28] = [
    31.5, 40.0, 50.0, 63.0, 80.0, 100.0, 125.0, 160.0, 200.0, 250.0, 315.0, 400.0, 500.0, 630.0, 800.0, 1_000.0,
    1_250.0, 1_600.0, 2_000.0, 2_500.0, 3_150.0, 4_000.0, 5_000.0, 6_300.0, 8_000.0, 10_000.0, 12_500.0, 16_000.0,
];

/// For every band the real parts of all cross-powers, upper half row by row, relative to the whole power of the recording.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct BandPowers {
    /// Channels.
    pub channels: usize,
    /// A list a band of [`BANDS_HZ`]; empty for bands over half the rate.
    pub powers: Vec<Vec<f64>>,
}

/// One band of a fold-down.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FoldBand {
    /// Nominal centre in Hz.
    pub hz: f64,
    /// Power of the sum over that of its parts, in dB: 0 for unrelated channels, +3 for two alike, very low for opposed ones.
    pub gain_db: f64,
    /// The band's part of the whole, in dB.
    pub level_db: f64,
}

impl BandPowers {
    fn at(&self, band: usize, a: usize, b: usize) -> f64 {
        let (a, b) = (a.min(b), a.max(b));
        self.powers[band].get(a * self.channels - a * (a + 1) / 2 + b).copied().unwrap_or(0.0)
    }

    /// What a fold-down with these channel levels keeps of every band. Bands without power are left out.
    pub fn fold(&self, sums: &[Vec<f64>]) -> Vec<FoldBand> {
        let n = self.channels;
        let whole: f64 =
            (0..self.powers.len()).flat_map(|k| (0..n).map(move |c| (k, c))).map(|(k, c)| self.at(k, c, c)).sum();
        let band = |k: usize| {
            let (mut sum, mut parts) = (0.0, 0.0);
            for weights in sums {
                for a in 0..n {
                    parts += weights[a] * weights[a] * self.at(k, a, a);
                    sum += (0..n).map(|b| weights[a] * weights[b] * self.at(k, a, b)).sum::<f64>();
                }
            }
            (parts > whole * 1e-9).then(|| FoldBand {
                hz: BANDS_HZ[k],
                gain_db: db_of_power((sum / parts).max(1e-12)),
                level_db: db_of_power(parts / whole),
            })
        };
        (0..self.powers.len()).filter(|k| !self.powers[*k].is_empty()).filter_map(band).collect()
    }

    /// The fold-down to stereo, both sides counted together.
    pub fn to_stereo(&self, places: &[Place]) -> Vec<FoldBand> {
        self.fold(&[0, 1].map(|side| places.iter().map(|p| p.to_stereo()[side]).collect()))
    }

    /// The fold-down to mono.
    pub fn to_mono(&self, places: &[Place]) -> Vec<FoldBand> {
        self.fold(&[places.iter().map(|p| p.to_mono()).collect()])
    }
}

/// Gathers cross-powers window by window.
pub struct Gathering {
    n: usize,
    bins: usize,
    /// Sums a bin, upper half row by row.
    sums: Vec<Vec<f64>>,
    len: usize,
}

impl Gathering {
    /// Nothing yet.
    pub fn new(n: usize) -> Self {
        Self { n, bins: 0, sums: vec![Vec::new(); n * (n + 1) / 2], len: 0 }
    }

    /// One window of all channels.
    pub fn add(&mut self, spectra: &[Vec<Complex32>], len: usize) {
        if self.len == 0 {
            (self.len, self.bins) = (len, len / 2 + 1);
            self.sums.iter_mut().for_each(|s| s.resize(self.bins, 0.0));
        }
        let mut k = 0;
        for a in 0..self.n {
            for b in a..self.n {
                let pairs = spectra[a].iter().zip(&spectra[b]);
                self.sums[k].iter_mut().zip(pairs).for_each(|(s, (x, y))| *s += f64::from(x.re * y.re + x.im * y.im));
                k += 1;
            }
        }
    }

    /// By band.
    pub fn finish(self, rate: SampleRate) -> BandPowers {
        let hz = rate.hz_f64() / self.len.max(1) as f64;
        let bin = |f: f64| ((f / hz).round() as usize).clamp(1, self.bins.max(1));
        let edge = 10f64.powf(0.05);
        let powers = BANDS_HZ
            .iter()
            .map(|centre| {
                if self.len == 0 || centre * edge > rate.hz_f64() / 2.0 {
                    return Vec::new();
                }
                let range = bin(centre / edge)..bin(centre * edge).max(bin(centre / edge) + 1);
                self.sums.iter().map(|s| s[range.start..range.end.min(s.len())].iter().sum()).collect()
            })
            .collect();
        BandPowers { channels: self.n, powers }
    }
}
