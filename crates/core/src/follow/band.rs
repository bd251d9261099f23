//! Sound at lowered rates.

use crate::progress::MeasureError;
use crate::render::sinc::{kaiser, sinc};
use crate::signal::{MemSource, Source, index};
use crate::units::SampleRate;
use rayon::prelude::*;

/// Taps either side of the centre of the filter that halves a rate. Its pass band goes to 0.19 of the rate, its stop band begins at 0.31
/// (70 dB; Kaiser window).
const HALF: usize = 23;
const BETA: f64 = 7.0;
/// The highest of the lowered rates is at least this, in Hz.
const TOP_HZ: u32 = 22_000;
/// Read at once, in frames.
const BLOCK: usize = 1 << 17;

/// Two recordings at one rate.
#[derive(Clone, Copy)]
pub(super) struct Pair<'a> {
    pub(super) hz: f64,
    pub(super) send: &'a dyn Source,
    pub(super) print: &'a dyn Source,
}

/// Two recordings at one lowered rate, in memory.
pub(super) struct Band {
    pub(super) hz: f64,
    pub(super) send: MemSource,
    pub(super) print: MemSource,
}

/// Three bands: the widest at 22 kHz or more, a half and an eighth of its rate.
pub(super) fn bands(
    send: &dyn Source,
    print: &dyn Source,
    rate: SampleRate,
) -> Result<(Band, Band, Band), MeasureError> {
    let top = top(send, print, rate)?;
    let middle = top.halved()?;
    let low = middle.halved()?.halved()?;
    Ok((top, middle, low))
}

/// The middle one alone.
pub(super) fn middle(send: &dyn Source, print: &dyn Source, rate: SampleRate) -> Result<Band, MeasureError> {
    top(send, print, rate)?.halved()
}

/// How often a rate is halved until the next time would leave less than the widest band needs.
pub(super) fn halvings(rate: SampleRate) -> u32 {
    let mut halvings = 0;
    while rate.hz() >> (halvings + 1) >= TOP_HZ {
        halvings += 1;
    }
    halvings
}

/// Two recordings at the rate of the widest band.
pub(super) fn top(send: &dyn Source, print: &dyn Source, rate: SampleRate) -> Result<Band, MeasureError> {
    let halvings = halvings(rate);
    let (send, print) = rayon::join(|| lowered(send, halvings), || lowered(print, halvings));
    Ok(Band { hz: rate.hz_f64() / f64::from(1u32 << halvings), send: MemSource(send?), print: MemSource(print?) })
}

impl Band {
    fn halved(&self) -> Result<Self, MeasureError> {
        let (send, print) = rayon::join(|| lowered(&self.send, 1), || lowered(&self.print, 1));
        Ok(Self { hz: self.hz / 2.0, send: MemSource(send?), print: MemSource(print?) })
    }

    pub(super) fn pair(&self) -> Pair<'_> {
        Pair { hz: self.hz, send: &self.send, print: &self.print }
    }

    /// Length of the print, in seconds.
    pub(super) fn seconds(&self) -> f64 {
        self.print.0.len() as f64 / self.hz
    }
}

/// All of a recording at its rate halved so many times.
fn lowered(source: &dyn Source, halvings: u32) -> Result<Vec<f32>, MeasureError> {
    let frames = index(source.frames());
    let blocks: Vec<usize> = (0..frames).step_by(BLOCK).collect();
    let one = |from: &usize| part(source, *from as i64, BLOCK.min(frames - from), halvings);
    let parts: Vec<Vec<f32>> = blocks.par_iter().map(one).collect::<Result<_, _>>()?;
    Ok(parts.concat())
}

/// Some frames of a recording at its rate halved so many times.
pub(super) fn part(source: &dyn Source, from: i64, len: usize, halvings: u32) -> Result<Vec<f32>, MeasureError> {
    if halvings == 0 {
        let mut x = vec![0f32; len];
        source.read(from, &mut x)?;
        return Ok(x);
    }
    // A whole number of frames of the lowered rate.
    let margin = HALF << halvings.max(1);
    let mut x = vec![0f32; len + 2 * margin];
    source.read(from - margin as i64, &mut x)?;
    (0..halvings).for_each(|_| x = halved(&x));
    let skip = margin >> halvings;
    let kept = len.div_ceil(1 << halvings);
    Ok(x[skip..(skip + kept).min(x.len())].to_vec())
}

/// Every other sample of what a half-band filter leaves; sample n stands where sample 2n stood.
fn halved(x: &[f32]) -> Vec<f32> {
    // Every other tap of a half-band filter is nothing, but for the centre.
    let taps: Vec<f32> = (0..=HALF / 2)
        .map(|k| {
            let n = (2 * k + 1) as f64;
            (0.5 * sinc(n / 2.0) * kaiser(n / (HALF as f64 + 1.0), BETA)) as f32
        })
        .collect();
    let pairs = x.chunks_exact(2);
    let last = pairs.remainder();
    let even: Vec<f32> = pairs.clone().map(|p| p[0]).chain(last.iter().copied()).collect();
    let odd: Vec<f32> = pairs.map(|p| p[1]).collect();
    let at = |n: isize| usize::try_from(n).ok().and_then(|n| odd.get(n)).copied().unwrap_or(0.0);
    let mut out: Vec<f32> = even.iter().map(|v| 0.5 * v).collect();
    let (reach, len) = (taps.len(), out.len());
    for (k, tap) in taps.iter().enumerate() {
        // Sample 2n ± (2k + 1) is odd sample n + k and n − k − 1.
        let inner = reach.min(len)..len.saturating_sub(reach);
        for n in (0..inner.start).chain(inner.end.max(inner.start)..len) {
            out[n] += tap * (at(n as isize + k as isize) + at(n as isize - k as isize - 1));
        }
        if inner.start < inner.end {
            let later = &odd[inner.start + k..inner.end + k];
            let earlier = &odd[inner.start - k - 1..inner.end - k - 1];
            let sums = out[inner].iter_mut().zip(later.iter().zip(earlier));
            sums.for_each(|(o, (a, b))| *o += tap * (a + b));
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::TAU;

    fn sine(hz: f64, len: usize) -> Vec<f32> {
        (0..len).map(|n| (TAU * hz / 48_000.0 * n as f64).sin() as f32).collect()
    }

    /// RMS of the difference from a sine at the lowered rate, away from the ends, in dB.
    fn error_db(hz: f64) -> f64 {
        let x = MemSource(sine(hz, 200_000));
        let y = lowered(&x, 1).unwrap();
        assert_eq!(y.len(), 100_000);
        let wanted = (0..y.len()).map(|n| (TAU * hz / 24_000.0 * n as f64).sin());
        let squares: f64 = y.iter().zip(wanted).skip(100).take(99_800).map(|(y, w)| (f64::from(*y) - w).powi(2)).sum();
        10.0 * (squares / 99_800.0).log10()
    }

    #[test]
    fn a_halved_rate_keeps_the_time_and_the_band() {
        // Closed form: a sine is the same sine at half the rate.
        for hz in [100.0, 1_000.0, 5_000.0, 9_000.0] {
            assert!(error_db(hz) < -65.0, "{hz} Hz: {} dB", error_db(hz));
        }
    }

    #[test]
    fn what_would_fold_back_into_the_band_is_taken_out() {
        let y = lowered(&MemSource(sine(15_500.0, 100_000)), 1).unwrap();
        let rms = (y[100..49_900].iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / 49_800.0).sqrt();
        assert!(20.0 * rms.log10() < -65.0, "{} dB", 20.0 * rms.log10());
    }
}
