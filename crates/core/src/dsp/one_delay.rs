//! The one delay and sign that a response has, apart from its colour.

use realfft::RealFftPlanner;
use realfft::num_complex::Complex;
use std::f64::consts::TAU;
use std::ops::Range;

/// Searched to either side of the beginning, in samples.
const SEARCH: f64 = 48.0;

/// A delay, whether it comes inverted, and how well the two explain the phase (0 … 1).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OneDelay {
    /// In samples.
    pub delay: f64,
    /// Inverted?
    pub invert: bool,
    /// Mean of the cosine of what is left of the phase.
    pub quality: f64,
}

/// The delay within 48 samples of a response whose bins are those of a transform of `len`.
///
/// The part of the phase that follows from the magnitude is divided out, or nothing: a filter of minimum phase or one of linear phase;
/// what leaves one delay is believed. `held`: bins outside which the magnitude is held, for nothing was sent there. `judged`: bins whose
/// phase counts. None when nothing is left of the response.
pub fn one_delay(bins: &[Complex<f64>], held: [usize; 2], judged: Range<usize>, len: usize) -> Option<OneDelay> {
    let power = bins[judged.clone()].iter().map(Complex::norm_sqr).sum::<f64>() / judged.len() as f64;
    let full = Some(0.5 * power.sqrt()).filter(|f| *f > 0.0)?;
    let lowest = minimum_phase(bins, held, len);
    let nothing = vec![0.0; bins.len()];
    [&lowest, &nothing]
        .map(|turned| {
            let left = left(bins, turned, judged.clone(), (full, len));
            let (delay, sum) = best_delay(&left);
            let quality = sum.abs() / left.iter().map(|l| l.1.norm()).sum::<f64>();
            OneDelay { delay, invert: sum < 0.0, quality }
        })
        .into_iter()
        .max_by(|a, b| a.quality.total_cmp(&b.quality))
}

/// What is left of a response without a phase: angular frequency and direction. Bins count in full from a magnitude on.
fn left(
    bins: &[Complex<f64>],
    phase: &[f64],
    band: Range<usize>,
    (full, len): (f64, usize),
) -> Vec<(f64, Complex<f64>)> {
    band.map(|k| {
        let weight = (bins[k].norm() / full).min(1.0);
        let turned = bins[k] * Complex::from_polar(1.0, -phase[k]);
        (TAU * k as f64 / len as f64, turned / turned.norm().max(f64::MIN_POSITIVE) * weight)
    })
    .collect()
}

/// The bins of a real signal, which is used up.
pub fn spectrum(x: &mut [f64]) -> Vec<Complex<f64>> {
    let forward = RealFftPlanner::<f64>::new().plan_fft_forward(x.len());
    let mut bins = forward.make_output_vec();
    forward.process(x, &mut bins).expect("lengths fit by construction");
    bins
}

/// The phase that belongs to a magnitude in a minimum-phase system, by the cepstrum (Oppenheim & Schafer, *Discrete-Time Signal
/// Processing*, ch. on cepstrum analysis; from memory).
fn minimum_phase(bins: &[Complex<f64>], held: [usize; 2], len: usize) -> Vec<f64> {
    let strongest = bins[held[0]..held[1]].iter().map(|b| b.norm()).fold(0.0, f64::max).max(f64::MIN_POSITIVE);
    let log = |k: usize| (bins[k.clamp(held[0], held[1])].norm() / strongest).max(1e-5).ln();
    let mut logs: Vec<Complex<f64>> = (0..bins.len()).map(|k| Complex::new(log(k), 0.0)).collect();
    let mut planner = RealFftPlanner::<f64>::new();
    let mut cepstrum = vec![0f64; len];
    planner.plan_fft_inverse(len).process(&mut logs, &mut cepstrum).expect("lengths fit by construction");
    for (n, c) in cepstrum.iter_mut().enumerate() {
        let folded = if n == 0 || n == len / 2 {
            1.0
        } else if n < len / 2 {
            2.0
        } else {
            0.0
        };
        *c *= folded / len as f64;
    }
    spectrum(&mut cepstrum).iter().map(|c| c.im).collect()
}

/// The delay in samples that leaves the largest Σ cos of either sign, and that sum.
fn best_delay(left: &[(f64, Complex<f64>)]) -> (f64, f64) {
    let sum = |delay: f64| left.iter().map(|(w, z)| (z * Complex::from_polar(1.0, w * delay)).re).sum::<f64>();
    let steps = (SEARCH * 16.0) as i64;
    let (mut best, mut at) = (0.0f64, 0.0);
    // From step to step every bin turns by the same angle.
    let turn: Vec<Complex<f64>> = left.iter().map(|(w, _)| Complex::from_polar(1.0, w / 16.0)).collect();
    let mut turned: Vec<Complex<f64>> = left.iter().map(|(w, z)| z * Complex::from_polar(1.0, -w * SEARCH)).collect();
    for k in -steps..=steps {
        let value = turned.iter().map(|z| z.re).sum::<f64>();
        if value.abs() > best.abs() {
            (best, at) = (value, k as f64 / 16.0);
        }
        turned.iter_mut().zip(&turn).for_each(|(z, by)| *z *= by);
    }
    let sign = best.signum();
    let mut step = 1.0 / 32.0;
    while step > 1e-5 {
        for next in [at - step, at + step] {
            let value = sum(next);
            if value * sign > best * sign {
                (best, at) = (value, next);
            }
        }
        step /= 2.0;
    }
    (at, best)
}
