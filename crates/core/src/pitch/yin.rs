//! The period of a moment of sound (YIN: A. de Cheveigné and H. Kawahara, YIN, a fundamental frequency estimator for speech and music,
//! JASA 111, 2002): the lag at which a sound differs least from itself, against what it differs at all shorter lags.

use crate::dsp::spectrum::{planned, quick_len};
use crate::signal::index;
use crate::units::SampleRate;
use realfft::num_complex::Complex32;
use realfft::{ComplexToReal, RealToComplex};
use std::f64::consts::TAU;
use std::sync::Arc;

/// Compared over so much, in seconds.
pub const WINDOW_S: f64 = 0.025;
/// Pitches that are looked for, in Hz.
pub const HZ: [f64; 2] = [55.0, 1_500.0];
/// A dip is told when it goes under this part of the mean difference; so many are kept.
const DIP: f64 = 0.6;
const DIPS: usize = 6;
/// Of dips that are alike the shorter are kept: an octave counts for so much.
const LONGER: f64 = 0.05;
/// Less of full scale, in power, is silence: −80 dB.
const SILENCE: f64 = 1e-8;

/// A period that the sound may have.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Dip {
    /// In frames.
    pub period: f64,
    /// What differs after a period, against the mean of all shorter lags: 0 for a sound that repeats exactly, 1 for noise.
    pub differs: f64,
    /// The sample that it is told about: the centroid of the power of all that was compared. Where a voice swells, that is late in it.
    pub about: f64,
    /// Part of the power that lies at the pitch itself, 0 to 1. Voices in a fifth or a triad share a period at which none of them sounds.
    pub fundamental: f64,
}

/// Finds periods at one rate.
pub struct Yin {
    window: usize,
    shortest: usize,
    longest: usize,
    forward: Arc<dyn RealToComplex<f32>>,
    inverse: Arc<dyn ComplexToReal<f32>>,
}

impl Yin {
    /// For sounds of a rate.
    pub fn new(rate: SampleRate) -> Self {
        let [low, high] = HZ;
        let window = index(rate.frames(WINDOW_S)).max(8);
        let longest = (rate.hz_f64() / low).ceil() as usize;
        let len = quick_len(2 * window + longest);
        let (forward, inverse) = planned(len, |p| (p.plan_fft_forward(len), p.plan_fft_inverse(len)));
        Self { window, shortest: (rate.hz_f64() / high).floor().max(2.0) as usize, longest, forward, inverse }
    }

    /// Samples that a moment takes.
    pub fn needs(&self) -> usize {
        self.window + self.longest + 1
    }

    /// From the first sample to the middle of what a period was told from: half of the window and of the period later.
    pub fn middle(&self, period: f64) -> f64 {
        0.5 * (self.window as f64 + period)
    }

    /// Part of the power that lies at one over a period, of whole periods under a raised cosine: two at least, since all other partials of
    /// the period then lie on zeros of its spectrum, however few periods a window holds.
    fn fundamental(&self, x: &[f32], period: f64) -> f64 {
        let periods = (self.window as f64 / period).floor().max(2.0);
        let len = periods * period;
        let (mut sum, mut power, mut weights) = ([0.0; 2], 0.0, [0.0; 2]);
        for (n, v) in x.iter().enumerate().take(len.round() as usize) {
            let at = n as f64 + 0.5;
            let w = 0.5 - 0.5 * (TAU * at / len).cos();
            let (sin, cos) = (TAU * at / period).sin_cos();
            let v = w * f64::from(*v);
            sum = [sum[0] + v * cos, sum[1] + v * sin];
            power += v * v;
            weights = [weights[0] + w, weights[1] + w * w];
        }
        let norm = weights[0] * weights[0] * power / (2.0 * weights[1]);
        if norm > 0.0 { (sum[0] * sum[0] + sum[1] * sum[1]) / norm } else { 0.0 }
    }

    /// The centroid of the power of two windows a lag apart.
    fn about(&self, x: &[f32], lag: usize) -> f64 {
        let (mut power, mut moment) = (0.0, 0.0);
        for from in [0, lag] {
            for (n, v) in (from..).zip(&x[from..from + self.window]) {
                let own = f64::from(*v) * f64::from(*v);
                power += own;
                moment += n as f64 * own;
            }
        }
        if power > 0.0 { moment / power } else { self.middle(lag as f64) }
    }

    /// The dips of the difference, shortest period first; none where it is silent. `x` is [`Self::needs`] samples long.
    pub fn dips(&self, x: &[f32]) -> Vec<Dip> {
        let differences = self.differences(x);
        if differences[0] < SILENCE {
            return Vec::new();
        }
        // Each against the mean of all before it; the first value of the list is the power.
        let mut sum = 0.0;
        let mut part = vec![1.0; differences.len()];
        for lag in 1..differences.len() {
            sum += differences[lag];
            part[lag] = differences[lag] * lag as f64 / f64::max(sum, f64::MIN_POSITIVE);
        }
        let is_dip = |lag: &usize| part[*lag] < DIP && part[lag - 1] > part[*lag] && part[lag + 1] >= part[*lag];
        let dip = |lag: usize| {
            // The parabola goes through the difference itself: its mean so far would pull it to one side.
            let [l, m, r] = [differences[lag - 1], differences[lag], differences[lag + 1]];
            let between = 0.5 * (l - r) / (l - 2.0 * m + r);
            let period = lag as f64 + if between.abs() <= 1.0 { between } else { 0.0 };
            Dip { period, differs: part[lag], about: self.about(x, lag), fundamental: self.fundamental(x, period) }
        };
        let mut lags: Vec<usize> = (self.shortest.max(1)..self.longest).filter(is_dip).collect();
        // A multiple of a period fits as well as the period itself.
        let rank = |lag: &usize| part[*lag] + LONGER * (*lag as f64 / self.shortest as f64).log2();
        lags.sort_by(|a, b| rank(a).total_cmp(&rank(b)));
        lags.truncate(DIPS);
        lags.sort_unstable();
        lags.into_iter().map(dip).collect()
    }

    /// Mean squares of what a window differs from itself by lag, in one transform and back; at lag 0 its power instead.
    fn differences(&self, x: &[f32]) -> Vec<f64> {
        let len = self.forward.len();
        let mut whole = self.forward.make_input_vec();
        whole[..x.len().min(len)].copy_from_slice(&x[..x.len().min(len)]);
        let mut own = self.forward.make_input_vec();
        own[..self.window].copy_from_slice(&x[..self.window]);
        let [mut a, mut b] = [self.forward.make_output_vec(), self.forward.make_output_vec()];
        self.forward.process(&mut own, &mut a).expect("lengths fit by construction");
        self.forward.process(&mut whole, &mut b).expect("lengths fit by construction");
        a.iter_mut().zip(&b).for_each(|(a, b): (&mut Complex32, &Complex32)| *a = a.conj() * b);
        let mut both = self.inverse.make_output_vec();
        // Rounding leaves a rest where the transform of real sound is real.
        (a[0].im, a[len / 2].im) = (0.0, 0.0);
        self.inverse.process(&mut a, &mut both).expect("lengths fit by construction");
        let square = |v: f32| f64::from(v) * f64::from(v);
        let power: f64 = x[..self.window].iter().map(|v| square(*v)).sum();
        let (mut later, scale) = (power, 1.0 / self.window as f64);
        let mut out = vec![power * scale];
        for lag in 1..=self.longest {
            later += square(x[lag + self.window - 1]) - square(x[lag - 1]);
            out.push(scale * (power + later - 2.0 * f64::from(both[lag]) / len as f64).max(0.0));
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_difference_is_that_of_the_definition() {
        let yin = Yin::new(SampleRate::new(8_000).unwrap());
        let x: Vec<f32> = (0..yin.needs()).map(|n| ((n * n * 37 + 11 * n) % 101) as f32 / 50.0 - 1.0).collect();
        let got = yin.differences(&x);
        for lag in [1, 7, 60, yin.longest] {
            let one = |j: usize| f64::from(x[j] - x[j + lag]).powi(2);
            let slow = (0..yin.window).map(one).sum::<f64>() / yin.window as f64;
            assert!((got[lag] - slow).abs() < 1e-4 * slow.max(1.0), "{lag}: {} {slow}", got[lag]);
        }
    }

    /// Where a sound swells, what is compared lies late in the window: as the mean over all of it, weighed by its power, has it.
    #[test]
    fn a_period_is_told_about_where_the_power_is() {
        let yin = Yin::new(SampleRate::new(48_000).unwrap());
        let wave = |n: usize| (TAU * 200.0 * n as f64 / 48_000.0).sin();
        let about = |swells: f64| {
            let x: Vec<f32> = (0..yin.needs()).map(|n| (0.01 * (swells * n as f64).exp() * wave(n)) as f32).collect();
            let dips = yin.dips(&x);
            dips.iter().find(|d| (d.period - 240.0).abs() < 2.0).unwrap_or_else(|| panic!("{dips:?}")).about
        };
        let middle = yin.middle(240.0);
        assert!((about(0.0) - middle).abs() < 5.0, "{} and {middle}", about(0.0));
        // Power that grows by e^(2·0.001) a sample: its centroid over a window of w samples is w/(1 − e^(−2aw)) − 1/(2a) later than its first.
        let (a, w) = (0.001, yin.window as f64);
        let own = w / (1.0 - (-2.0 * a * w).exp()) - 1.0 / (2.0 * a);
        // The later window has e^(2a·240) times the power of the first.
        let later = (2.0 * a * 240.0_f64).exp();
        let wanted = own + 240.0 * later / (1.0 + later);
        assert!((about(a) - wanted).abs() < 12.0, "{} instead of {wanted}", about(a));
    }

    /// Closed form: sums of harmonics, also without their fundamental.
    #[test]
    fn the_period_of_harmonics_is_told_to_a_cent() {
        let yin = Yin::new(SampleRate::new(48_000).unwrap());
        for hz in [82.4, 110.0, 233.1, 440.0, 987.8] {
            for first in [1, 2] {
                let wave = |n: usize| {
                    (first..6)
                        .map(|k| (TAU * hz * k as f64 * n as f64 / 48_000.0 + k as f64).sin() / k as f64)
                        .sum::<f64>()
                };
                let x: Vec<f32> = (0..yin.needs()).map(|n| 0.2 * wave(n) as f32).collect();
                let dips = yin.dips(&x);
                let best = dips.iter().find(|d| d.differs < 0.1).unwrap_or_else(|| panic!("{hz} {first}: {dips:?}"));
                let cents = 1_200.0 * (48_000.0 / best.period / hz).log2();
                assert!(cents.abs() < 1.0, "{hz} Hz from harmonic {first}: {cents} cents");
            }
        }
        assert!(yin.dips(&vec![0.0; yin.needs()]).is_empty());
    }
}
