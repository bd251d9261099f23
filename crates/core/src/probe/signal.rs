//! The signals that are sent.

use crate::dsp::drawn::drawn;
use crate::dsp::window::half_cosine;
use crate::units::SampleRate;
use realfft::RealFftPlanner;
use realfft::num_complex::Complex;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// Silence before the signal in a written probe, in seconds.
pub const LEAD_S: f64 = 0.5;
/// Length of a written probe, in seconds; several in a row repeat at this distance.
pub const PERIOD_S: f64 = 4.0;
/// Length of the signal itself, in seconds.
const LENGTH_S: f64 = 2.0;
/// Where the sweep begins and ends, in Hz.
const SWEEP_HZ: [f64; 2] = [20.0, 22_000.0];
/// The sweep's peak: −6 dBFS.
const SWEEP_PEAK: f64 = 0.5;
/// Band of the noise, in Hz.
const NOISE_HZ: [f64; 2] = [40.0, 20_000.0];
/// The noise's RMS: −18 dBFS, its peaks some 12 dB higher.
const NOISE_RMS: f64 = 0.125;
/// No signal goes above this part of the rate.
pub(super) const HIGHEST: f64 = 0.46;

/// What is sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Signal {
    /// An exponential sweep: the most exact, also through saturation.
    Sweep,
    /// A burst of noise, where a sweep is not allowed.
    Noise,
}

/// The signal without silence around it. At every rate the same signal in time, as far as the rate goes up.
pub fn signal(kind: Signal, rate: SampleRate) -> Vec<f32> {
    match kind {
        Signal::Sweep => sweep(f64::from(rate.hz())),
        Signal::Noise => noise(f64::from(rate.hz())),
    }
}

/// A whole probe as written into a file: silence, the signal, silence.
pub fn written(kind: Signal, rate: SampleRate) -> Vec<f32> {
    let hz = f64::from(rate.hz());
    let mut out = vec![0f32; (LEAD_S * hz).round() as usize];
    out.extend(signal(kind, rate));
    out.resize((PERIOD_S * hz).round() as usize, 0.0);
    out
}

fn faded(mut x: Vec<f32>, rise: usize, fall: usize) -> Vec<f32> {
    let n = x.len();
    (0..rise).for_each(|i| x[i] *= half_cosine(i, rise));
    (0..fall).for_each(|i| x[n - 1 - i] *= half_cosine(i, fall));
    x
}

/// Frequency grows by equal ratios in equal times (Farina 2000).
fn sweep(hz: f64) -> Vec<f32> {
    let [first, last] = SWEEP_HZ;
    let growth = (last / first).ln();
    let top = (hz * HIGHEST).min(last);
    let until = LENGTH_S * (top / first).ln() / growth;
    let at = |n: usize| {
        let t = n as f64 / hz;
        (SWEEP_PEAK * (TAU * first * LENGTH_S / growth * ((growth * t / LENGTH_S).exp() - 1.0)).sin()) as f32
    };
    faded((0..(until * hz) as usize).map(at).collect(), (0.03 * hz) as usize, (0.003 * hz) as usize)
}

/// Tones half a hertz apart, all equally strong, each with a phase drawn once for all.
fn noise(hz: f64) -> Vec<f32> {
    let len = 2 * (LENGTH_S * hz / 2.0).round() as usize;
    let inverse = RealFftPlanner::<f64>::new().plan_fft_inverse(len);
    let mut bins = inverse.make_input_vec();
    let of = |f: f64| (f * LENGTH_S).round() as usize;
    let band = of(NOISE_HZ[0])..of(NOISE_HZ[1].min(hz * HIGHEST));
    // N tones of amplitude a have RMS a·√(N/2), whatever their phases.
    let all = of(NOISE_HZ[1]) - of(NOISE_HZ[0]);
    let each = NOISE_RMS / (all as f64 / 2.0).sqrt() / 2.0;
    for k in band {
        bins[k] = Complex::from_polar(each, TAU * drawn(k as u64));
    }
    let mut out = inverse.make_output_vec();
    inverse.process(&mut bins, &mut out).expect("lengths fit by construction");
    let edge = (0.02 * hz) as usize;
    faded(out.into_iter().map(|v| v as f32).collect(), edge, edge)
}
