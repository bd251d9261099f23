//! How much of the speed swings how often: the spectrum of a lag along time.

use crate::follow::followed::Followed;
use realfft::RealFftPlanner;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// A stretch of the lag that is looked at, in seconds; half of it is shared with the next.
const STRETCH_S: f64 = 20.0;
/// Range shown, in Hz, and bands an octave.
const RANGE_HZ: [f64; 2] = [0.1, 20.0];
const BANDS: f64 = 6.0;

/// A band of the spectrum of the speed.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Swung {
    /// Centre of the band, in Hz.
    pub hz: f64,
    /// RMS of the speed's change in it, as a part of the speed.
    pub speed: f64,
}

/// Power by frequency: Hann windows, power density (Welch 1967, from memory). Empty for a curve too short for one period of the lowest
/// band. `hz`: frames a second.
fn density(f: &Followed, hz: f64) -> Vec<(f64, f64)> {
    let step_s = f.step_frames / hz;
    let len = ((STRETCH_S / step_s) as usize).min(f.lag_frames.len());
    if len < 16 {
        return Vec::new();
    }
    let slope = |j: usize| (f.lag_frames[j + 1] - f.lag_frames[j]) / f.step_frames - f.drift_ppm * 1e-6;
    let speed: Vec<f64> = (0..f.lag_frames.len() - 1).map(slope).collect();
    let window: Vec<f64> =
        (0..len - 1).map(|n| 0.5 - 0.5 * (TAU * (n as f64 + 0.5) / (len - 1) as f64).cos()).collect();
    let energy: f64 = window.iter().map(|w| w * w).sum();
    let forward = RealFftPlanner::<f64>::new().plan_fft_forward(len - 1);
    let mut bins = forward.make_output_vec();
    let mut power = vec![0f64; bins.len()];
    let starts: Vec<usize> = (0..=speed.len() - (len - 1)).step_by((len / 2).max(1)).collect();
    for from in &starts {
        let mut x: Vec<f64> = speed[*from..].iter().zip(&window).map(|(s, w)| s * w).collect();
        forward.process(&mut x, &mut bins).expect("lengths fit by construction");
        power.iter_mut().zip(&bins).for_each(|(p, b)| *p += 2.0 * b.norm_sqr() / energy / (len - 1) as f64);
    }
    let of = |k: usize| (k as f64 / ((len - 1) as f64 * step_s), power[k] / starts.len() as f64);
    (1..power.len()).map(of).collect()
}

/// The spectrum of the speed of a print, its drift taken out: RMS by sixths of an octave from 0.1 to 20 Hz, as far as the curve tells.
/// `hz`: frames a second.
pub fn wow_spectrum(f: &Followed, hz: f64) -> Vec<Swung> {
    let bins = density(f, hz);
    let Some(apart) = bins.first().map(|b| b.0) else { return Vec::new() };
    let most = bins.last().map_or(0.0, |b| b.0).min(RANGE_HZ[1]);
    let half = 2f64.powf(0.5 / BANDS);
    let count = ((RANGE_HZ[1] / RANGE_HZ[0]).log2() * BANDS) as usize;
    let of = |k: usize| {
        let hz = RANGE_HZ[0] * 2f64.powf(k as f64 / BANDS);
        // A bin belongs to a band by the part of it that lies there.
        let part = |b: f64| ((hz * half).min(b + apart / 2.0) - (hz / half).max(b - apart / 2.0)).max(0.0) / apart;
        let power: f64 = bins.iter().map(|(b, p)| p * part(*b)).sum();
        Swung { hz, speed: power.sqrt() }
    };
    (0..=count).map(of).filter(|b| b.hz * half >= apart && b.hz <= most).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::follow::followed::nothing;

    fn swinging(hz: f64, frames: f64) -> Followed {
        let lag = |j: usize| 100.0 + 1e-5 * j as f64 * 960.0 + frames * (TAU * hz * (j as f64 + 0.5) * 0.02).sin();
        let lag_frames = (0..3_000).map(lag).collect();
        Followed { step_frames: 960.0, lag_frames, drift_ppm: 10.0, ..nothing("") }
    }

    #[test]
    fn a_swing_stands_in_its_band_with_its_rms() {
        // Closed form: a lag of a·sin(2πft) has a speed of 2πfa/rate at most, and its RMS is that by √2.
        for (hz, frames) in [(0.5, 10.0), (2.0, 4.0), (6.0, 1.0)] {
            let bands = wow_spectrum(&swinging(hz, frames), 48_000.0);
            let whole = bands.iter().map(|b| b.speed.powi(2)).sum::<f64>().sqrt();
            let wanted = TAU * hz * frames / 48_000.0 / 2f64.sqrt();
            assert!((whole / wanted - 1.0).abs() < 0.05, "{hz} Hz: {whole} {wanted}");
            let most = bands.iter().max_by(|a, b| a.speed.total_cmp(&b.speed)).unwrap();
            assert!((most.hz / hz).log2().abs() < 1.0 / BANDS, "{} Hz for {hz}", most.hz);
        }
    }

    #[test]
    fn too_short_a_curve_has_no_spectrum() {
        let short = Followed { lag_frames: vec![1.0; 10], step_frames: 960.0, ..nothing("") };
        assert!(wow_spectrum(&short, 48_000.0).is_empty());
    }
}
