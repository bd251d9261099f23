//! A sound as it is heard, in forty bands along time: what two takes of one part are held together by.

use crate::dsp::spectrum::Transform;
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use realfft::num_complex::Complex32;

/// Bands, evenly along the mel scale between two frequencies in Hz.
pub const BANDS: usize = 40;
const EDGES_HZ: [f64; 2] = [80.0, 8_000.0];
/// From one frame of bands to the next, and the window, in seconds.
pub const HOP_S: f64 = 0.005;
const WINDOW_S: f64 = 1_024.0 / 48_000.0;
/// What lies so far under the loudest of all, or of its own band, in ln of power, counts as silence: 60 and 45 dB.
const FLOOR: f32 = 13.8;
const FLOOR_OF_BAND: f32 = 10.4;
/// So far under a sine of full scale there is nothing, in ln of power: 100 dB.
const NOTHING: f32 = 23.0;
/// A frame is active when one of its bands lies so far over the floor, in ln of power: 15 dB.
const ACTIVE: f32 = 3.5;
/// A rise is measured between means over so many rows: slow ones are seen and noise is not.
const SIDE: usize = 3;
/// Told apart once in so many frames whether to go on.
const ASK: usize = 512;

/// Forty levels every five milliseconds, about their band's mean, in standard deviations of all.
#[derive(Clone)]
pub struct Bands {
    /// By time.
    pub rows: Vec<[f32; BANDS]>,
    /// By how much all bands together rise from one frame to the next.
    pub rise: Vec<f32>,
    /// The mean of all bands over the floor, in ln of power.
    pub level: Vec<f32>,
    /// Does anything sound there?
    pub active: Vec<bool>,
    /// Frames from one row to the next; a row is about `first + n · hop`.
    pub hop: f64,
}

impl Bands {
    /// The bands of a sound from one session frame to another.
    ///
    /// # Errors
    /// [`MeasureError`] when the sound cannot be read or `report` says stop.
    pub fn read(sound: &Placed, [from, to]: [i64; 2], rate: SampleRate, report: Report) -> Result<Self, MeasureError> {
        let len = 2 * index(rate.frames(WINDOW_S / 2.0));
        let hop = rate.hz_f64() * HOP_S;
        let count = ((to - from).max(0) as f64 / hop).ceil() as usize;
        let filters = filters(BANDS, EDGES_HZ, rate.hz_f64() / len as f64);
        let taper: Vec<f32> = (0..len).map(|i| hann(i, len)).collect();
        let mut t = Transform::new(len);
        let (mut x, mut spectrum) = (vec![0f32; len], vec![Complex32::default(); t.bins()]);
        let mut rows = Vec::with_capacity(count);
        for n in 0..count {
            if n % ASK == 0 && !report(n as f64 / count as f64) {
                return Err(MeasureError::Stopped);
            }
            sound.read(from + (n as f64 * hop).round() as i64 - len as i64 / 2, &mut x)?;
            x.iter_mut().zip(&taper).for_each(|(x, t)| *x *= t);
            t.forward(&x, &mut spectrum);
            let power: Vec<f32> = spectrum.iter().map(Complex32::norm_sqr).collect();
            rows.push(std::array::from_fn(|b| filters[b].power(&power).max(f32::MIN_POSITIVE).ln()));
        }
        let full_scale = 2.0 * (len as f32 / 4.0).ln();
        Ok(levelled(rows, hop, full_scale - NOTHING))
    }

    /// The same that begins so many rows later in itself, and goes on from its beginning.
    pub fn turned(&self, rows: usize) -> Self {
        let mut turned = self.clone();
        let by = rows % self.rows.len().max(1);
        turned.rows.rotate_left(by);
        turned.rise.rotate_left(by);
        turned.level.rotate_left(by);
        turned.active.rotate_left(by);
        turned
    }

    /// How unlike two frames of two sounds are: their levels, and how these change.
    pub fn unlike(&self, n: usize, other: &Self, m: usize) -> f32 {
        let around = |rows: &[[f32; BANDS]], n: usize| [n.saturating_sub(1), n, (n + 1).min(rows.len() - 1)];
        let [a, b] = [around(&self.rows, n).map(|k| &self.rows[k]), around(&other.rows, m).map(|k| &other.rows[k])];
        let one = |k: usize| {
            let level = a[1][k] - b[1][k];
            let change = (a[2][k] - a[0][k]) - (b[2][k] - b[0][k]);
            level * level + CHANGE * change * change
        };
        (0..BANDS).map(one).sum::<f32>().sqrt()
    }
}

/// Weight of the changes over three frames, squared.
const CHANGE: f32 = 0.7 * 0.7;

/// Takes away the floor, which is `nothing` at least, the means and the scale.
fn levelled(mut rows: Vec<[f32; BANDS]>, hop: f64, nothing: f32) -> Bands {
    let of_band =
        |rows: &[[f32; BANDS]]| rows.iter().fold([f32::MIN; BANDS], |m, r| std::array::from_fn(|b| m[b].max(r[b])));
    let most = of_band(&rows);
    let loudest = most.iter().copied().fold(f32::MIN, f32::max);
    let floor: [f32; BANDS] = std::array::from_fn(|b| (loudest - FLOOR).max(most[b] - FLOOR_OF_BAND).max(nothing));
    rows.iter_mut().for_each(|r| (0..BANDS).for_each(|b| r[b] = (r[b] - floor[b]).max(0.0)));
    let active: Vec<bool> = rows.iter().map(|r| r.iter().any(|v| *v > ACTIVE)).collect();
    let heard = || rows.iter().zip(&active).filter(|(_, a)| **a).map(|(r, _)| r);
    let count = heard().count().max(1) as f32;
    let mean = heard().fold([0f32; BANDS], |m, r| std::array::from_fn(|b| m[b] + r[b] / count));
    let square: f32 = heard().map(|r| (0..BANDS).map(|b| (r[b] - mean[b]).powi(2)).sum::<f32>() / BANDS as f32).sum();
    let scale = 1.0 / (square / count).sqrt().max(1e-6);
    let rise = rises(&rows);
    let level = rows.iter().map(|r| r.iter().sum::<f32>() / BANDS as f32).collect();
    rows.iter_mut().for_each(|r| (0..BANDS).for_each(|b| r[b] = scale * (r[b] - mean[b])));
    Bands { rows, rise, level, active, hop }
}

/// By how much the bands rise from the mean of some rows to that of the next, those that fall left out, in ln of power a band.
fn rises(rows: &[[f32; BANDS]]) -> Vec<f32> {
    let mut sums = vec![[0f32; BANDS]; rows.len() + 1];
    (0..rows.len()).for_each(|n| sums[n + 1] = std::array::from_fn(|b| sums[n][b] + rows[n][b]));
    let mean = |from: usize, to: usize, b: usize| (sums[to][b] - sums[from][b]) / (to - from).max(1) as f32;
    let up = |n: usize| {
        let (past, next) = (n.saturating_sub(SIDE), (n + SIDE).min(rows.len()));
        (0..BANDS).map(|b| (mean(n, next, b) - mean(past, n, b)).max(0.0)).sum::<f32>() / BANDS as f32
    };
    (0..rows.len()).map(up).collect()
}

/// A raised cosine over a window.
pub(crate) fn hann(i: usize, len: usize) -> f32 {
    0.5 - 0.5 * (std::f32::consts::TAU * (i as f32 + 0.5) / len as f32).cos()
}

/// A triangle over bins.
pub(crate) struct Filter {
    first: usize,
    weights: Vec<f32>,
}

impl Filter {
    /// What lies under it of the powers of all bins.
    pub(crate) fn power(&self, power: &[f32]) -> f32 {
        self.weights.iter().zip(power.get(self.first..).unwrap_or_default()).map(|(w, p)| w * p).sum()
    }
}

/// So many triangles that overlap by half, evenly along mel = 2,595·log₁₀(1 + f/700) (O'Shaughnessy 1987; from memory) between two
/// frequencies, over bins so many Hz apart.
pub(crate) fn filters(count: usize, edges_hz: [f64; 2], bin_hz: f64) -> Vec<Filter> {
    let mel = |hz: f64| 2_595.0 * (1.0 + hz / 700.0).log10();
    let hz = |mel: f64| 700.0 * (10f64.powf(mel / 2_595.0) - 1.0);
    let [low, high] = edges_hz.map(mel);
    let edge = |n: usize| hz(low + (high - low) * n as f64 / (count + 1) as f64) / bin_hz;
    let one = |b: usize| {
        // The lowest bands are narrower than a bin: each has one at least.
        let centre = edge(b + 1);
        let [from, to] = [edge(b).min(centre - 1.0), edge(b + 2).max(centre + 1.0)];
        let first = from.floor().max(0.0) as usize;
        let weight = |n: usize| {
            let at = n as f64;
            let up = (at - from) / (centre - from);
            up.min((to - at) / (to - centre)).max(0.0) as f32
        };
        Filter { first, weights: (first..=to.ceil() as usize).map(weight).collect() }
    };
    (0..count).map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::MemSource;
    use crate::units::SessionFrame;

    fn bands(x: Vec<f32>) -> Bands {
        let (rate, frames) = (SampleRate::new(48_000).unwrap(), x.len() as i64);
        let sound = MemSource(x);
        Bands::read(&Placed { source: &sound, start: SessionFrame(0) }, [0, frames], rate, &|_| true).unwrap()
    }

    /// mel(1,000 Hz) = 1,000 (the scale's own anchor).
    #[test]
    fn a_tone_is_loudest_in_its_own_band() {
        let tone = |hz: f32| (0..24_000).map(|n| (std::f32::consts::TAU * hz * n as f32 / 48_000.0).sin()).collect();
        let filters = filters(BANDS, EDGES_HZ, 46.875);
        for hz in [150.0f32, 1_000.0, 5_000.0] {
            let x: Vec<f32> = tone(hz);
            let mut spectrum = vec![Complex32::default(); 513];
            Transform::new(1_024).forward(&x[..1_024], &mut spectrum);
            let power: Vec<f32> = spectrum.iter().map(Complex32::norm_sqr).collect();
            let loudest =
                (0..BANDS).max_by(|a, b| filters[*a].power(&power).total_cmp(&filters[*b].power(&power))).unwrap();
            let mel = |hz: f64| 2_595.0 * (1.0 + hz / 700.0).log10();
            let expected = (mel(f64::from(hz)) - mel(80.0)) / (mel(8_000.0) - mel(80.0)) * (BANDS + 1) as f64 - 1.0;
            assert!((loudest as f64 - expected).abs() <= 1.0, "{hz}: {loudest} {expected}");
        }
    }

    #[test]
    fn silence_is_not_active_and_a_level_changes_nothing() {
        assert!(bands(vec![0.0; 9_600]).active.iter().all(|a| !a));
        let x: Vec<f32> = (0..48_000).map(|n| if n % 12_000 < 6_000 { (0.1 * n as f32).sin() } else { 0.0 }).collect();
        let quieter = bands(x.iter().map(|v| 0.1 * v).collect());
        let louder = bands(x);
        let most = (0..200).map(|n| louder.unlike(n, &quieter, n)).fold(0f32, f32::max);
        assert!(most < 0.05, "{most}");
        assert!(louder.unlike(10, &quieter, 35) > 1.0);
    }
}
