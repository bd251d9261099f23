//! The image of one recording of several channels: how its channels relate, over the whole range and along time.

pub mod fold;
pub mod layout;
mod votes;

use crate::dsp::bands::{LOWS_HZ, WINDOW_S};
use crate::dsp::spectrum::{Transform, quick_len};
use crate::measure::image::fold::BandPowers;
use crate::measure::pair::options::PairOptions;
use crate::measure::pair::{PairMeasurement, measure_pair};
use crate::progress::{MeasureError, Progress};
use crate::signal::{Placed, Source, index};
use crate::units::{SampleRate, SessionFrame, db_of_power};
use ebur128::{EbuR128, Mode};
use realfft::num_complex::Complex32;
use serde::{Deserialize, Serialize};
use std::ops::Range;

/// From one window to the next, in seconds.
pub const STEP_S: f64 = 0.2;
/// Mean square under which a window has no correlation: −60 dBFS RMS after AES17.
const GATE: f64 = crate::measure::readings::meter::GATE_RMS * crate::measure::readings::meter::GATE_RMS;
/// Largest number of points of a strip; in longer recordings each is the mean of several windows.
const STRIP_POINTS: usize = 1_200;
/// Steps from one channel to the other in which energy by direction is told.
pub const DIRECTIONS: usize = 21;
/// Two channels of one recording are not further apart than this, in seconds, unless something went wrong with their clocks.
const REACH_S: f64 = 0.03;

/// One channel.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ChannelLevel {
    /// Level in dBFS after AES17; none for silence.
    pub rms_db: Option<f64>,
    /// Largest absolute sample.
    pub peak: f64,
    /// Loudness of the channel by itself in LUFS (ITU-R BS.1770); none when it never rises over the gate.
    pub loudness_lufs: Option<f64>,
}

/// Two channels of the recording.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Between {
    /// First channel, from 0.
    pub a: usize,
    /// Second channel.
    pub b: usize,
    /// Correlation of the whole range, −1 … +1; none for silence.
    pub correlation: Option<f64>,
    /// The same below 200 Hz.
    pub low_correlation: Option<f64>,
    /// RMS level of the second minus that of the first, in dB.
    pub balance_db: Option<f64>,
    /// The same by loudness.
    pub loudness_balance_db: Option<f64>,
    /// Spread of the balance of single windows: half the distance of the quartiles, in dB.
    pub balance_spread_db: f64,
    /// Level of what the two do not share after one factor is taken out, against the second, in dB; very low for a copy.
    pub unshared_db: f64,
    /// Part of the windows that sound in which correlation is negative, 0 … 1.
    pub opposed_part: f64,
    /// The longest time it stays negative, in seconds.
    pub longest_opposed_s: f64,
    /// Moments that say clearly how the second arrives, and those of them at which it arrives opposed.
    pub votes: [usize; 2],
    /// Part of these moments that have the lag of the whole, 0 … 1.
    pub one_lag: f64,
    /// Spread of the balances of those moments, in dB: sources at different places differ in it.
    pub places_spread_db: f64,
    /// Energy by direction in steps from the first channel alone to the second alone: where both push the same way, and where
    /// they are opposed; together 1. Only for recordings of two channels.
    pub directions: [Vec<f32>; 2],
    /// Lag and sign of the second against the first.
    pub pair: PairMeasurement,
    /// Correlation along the range, full band; none where a channel is under −60 dBFS RMS.
    pub strip: Vec<Option<f32>>,
    /// The same below 200 Hz.
    pub low_strip: Vec<Option<f32>>,
    /// Seconds from one point of the strips to the next.
    pub strip_step_s: f64,
}

/// All channels.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Image {
    /// Rate in which frames are counted.
    pub rate_hz: u32,
    /// First frame looked at, in session time.
    pub first: i64,
    /// Frames looked at.
    pub frames: i64,
    /// A channel each.
    pub channels: Vec<ChannelLevel>,
    /// Every two of them: (0, 1), (0, 2) … (1, 2) ….
    pub pairs: Vec<Between>,
    /// Power of every channel and of every two together, by third-octave.
    pub bands: BandPowers,
}

impl Image {
    /// Two channels; none when one is not there.
    pub fn between(&self, a: usize, b: usize) -> Option<&Between> {
        self.pairs.iter().find(|p| (p.a, p.b) == (a, b))
    }
}

/// A part of a recording, as a recording.
struct Part<'a> {
    of: &'a Placed<'a>,
    from: i64,
    frames: i64,
}

impl Source for Part<'_> {
    fn frames(&self) -> i64 {
        self.frames
    }

    fn read(&self, start: i64, out: &mut [f32]) -> Result<(), crate::signal::ReadError> {
        self.of.read(self.from + start, out)?;
        // What lies outside the range is not there.
        let outside = |i: usize| !(0..self.frames).contains(&(start + i as i64));
        let n = out.len();
        (0..n).filter(|i| outside(*i)).for_each(|i| out[i] = 0.0);
        Ok(())
    }
}

/// Measures the image of channels over a range of session frames, in one pass and a look at every two.
///
/// Memory grows by some bytes a window of 0.4 s for every two channels.
///
/// # Errors
/// [`MeasureError`] when a channel cannot be read or `progress` says stop.
pub fn measure_image(
    channels: &[Placed],
    range: Range<i64>,
    rate: SampleRate,
    progress: Progress,
) -> Result<Image, MeasureError> {
    let frames = (range.end - range.start).max(0);
    let parts: Vec<Part> = channels.iter().map(|of| Part { of, from: range.start, frames }).collect();
    let n = parts.len();
    let mut along = Along::new(n, rate);
    along.pass(&parts, frames, rate, &mut |p| progress(p * 0.4))?;
    let levels: Vec<ChannelLevel> = (0..n).map(|c| along.level(c, frames)).collect();
    let placed: Vec<Placed> = parts.iter().map(|p| Placed { source: p, start: SessionFrame(0) }).collect();
    let options = PairOptions { max_lag_s: REACH_S, find_far: false, ..PairOptions::default() };
    let mut pairs = Vec::new();
    let all = (n * n.saturating_sub(1) / 2).max(1) as f64;
    for a in 0..n {
        for b in a + 1..n {
            let done = pairs.len() as f64;
            let mut inner = |p: f64| progress(0.4 + 0.6 * (done + p) / all);
            let pair = measure_pair(&placed[a], &placed[b], rate, options, &mut inner)?;
            let votes = votes::count(&placed[a], &placed[b], rate)?;
            pairs.push(along.between([a, b], &levels, votes, pair));
        }
    }
    let bands = along.bands.finish(rate);
    Ok(Image { rate_hz: rate.hz(), first: range.start, frames, channels: levels, pairs, bands })
}

/// Sums of one window: full band by samples, lows by spectrum.
#[derive(Debug, Clone, Copy, Default)]
struct Together {
    full: [f64; 3],
    low: [f64; 3],
}

impl Together {
    fn correlation([aa, bb, ab]: [f64; 3], gate: f64) -> Option<f64> {
        (aa > gate && bb > gate).then(|| (ab / (aa * bb).sqrt()).clamp(-1.0, 1.0))
    }
}

/// What one pass gathers.
struct Along {
    n: usize,
    window: usize,
    step: usize,
    /// A list a pair of channels.
    windows: Vec<Vec<Together>>,
    /// Σx² and the largest |x| a channel, Σab a pair, over the range without overlap.
    squares: Vec<f64>,
    peaks: Vec<f32>,
    products: Vec<f64>,
    directions: [[f64; DIRECTIONS]; 2],
    meters: Vec<Option<EbuR128>>,
    bands: fold::Gathering,
}

impl Along {
    fn new(n: usize, rate: SampleRate) -> Self {
        let (window, step) = (index(rate.frames(WINDOW_S)), index(rate.frames(STEP_S)));
        let pairs = n * n.saturating_sub(1) / 2;
        Self {
            n,
            window,
            step,
            windows: vec![Vec::new(); pairs],
            squares: vec![0.0; n],
            peaks: vec![0.0; n],
            products: vec![0.0; pairs],
            directions: [[0.0; DIRECTIONS]; 2],
            meters: (0..n).map(|_| EbuR128::new(1, rate.hz(), Mode::I).ok()).collect(),
            bands: fold::Gathering::new(n),
        }
    }

    fn pass(&mut self, parts: &[Part], frames: i64, rate: SampleRate, progress: Progress) -> Result<(), MeasureError> {
        let mut transform = Transform::new(quick_len(self.window));
        let hann: Vec<f32> = (0..self.window)
            .map(|i| 0.5 - 0.5 * (std::f32::consts::TAU * (i as f32 + 0.5) / self.window as f32).cos())
            .collect();
        let lows = (LOWS_HZ / rate.hz_f64() * transform.len() as f64).round() as usize;
        let mut planes = vec![vec![0f32; self.window]; self.n];
        let mut spectra = vec![vec![Complex32::default(); transform.bins()]; self.n];
        let mut tapered = vec![0f32; self.window];
        let mut at = 0;
        while at < frames {
            if !progress(at as f64 / frames as f64) {
                return Err(MeasureError::Stopped);
            }
            let fresh = self.step.min(index(frames - at));
            for (c, part) in parts.iter().enumerate() {
                part.read(at, &mut planes[c])?;
                let new = &planes[c][..fresh];
                self.squares[c] += new.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>();
                self.peaks[c] = new.iter().fold(self.peaks[c], |m, v| m.max(v.abs()));
                if let Some(meter) = &mut self.meters[c]
                    && meter.add_frames_f32(new).is_err()
                {
                    self.meters[c] = None;
                }
                tapered.iter_mut().zip(&planes[c]).zip(&hann).for_each(|((t, x), w)| *t = x * w);
                transform.forward(&tapered, &mut spectra[c]);
            }
            let mut pair = 0;
            for a in 0..self.n {
                for b in a + 1..self.n {
                    let (x, y) = (&planes[a], &planes[b]);
                    self.products[pair] += product(&x[..fresh], &y[..fresh]);
                    // A window cut short by the end repeats the value of the one before.
                    if at as usize + self.window <= index(frames) || at == 0 {
                        let gate = |v: f64| if v < GATE * self.window as f64 { 0.0 } else { v };
                        let full = [gate(product(x, x)), gate(product(y, y)), product(x, y)];
                        let low = low_sums(&spectra[a][1..lows], &spectra[b][1..lows]);
                        self.windows[pair].push(Together { full, low });
                    }
                    pair += 1;
                }
            }
            if let [a, b] = &planes[..] {
                turned(&a[..fresh], &b[..fresh], &mut self.directions);
            }
            self.bands.add(&spectra, transform.len());
            at += self.step as i64;
        }
        Ok(())
    }

    fn level(&self, c: usize, frames: i64) -> ChannelLevel {
        let mean = self.squares[c] / frames.max(1) as f64;
        let loudness = self.meters[c].as_ref().and_then(|m| m.loudness_global().ok()).filter(|l| l.is_finite());
        ChannelLevel {
            rms_db: (mean > 0.0).then(|| crate::units::dbfs(mean.sqrt())),
            peak: f64::from(self.peaks[c]),
            loudness_lufs: loudness,
        }
    }

    /// Energy by direction, together 1; nothing for silence and for more than two channels.
    fn shares(&self) -> [Vec<f32>; 2] {
        let all: f64 = self.directions.iter().flatten().sum();
        if all <= 0.0 {
            return [Vec::new(), Vec::new()];
        }
        self.directions.map(|d| d.iter().map(|e| (e / all) as f32).collect())
    }

    fn between(
        &self,
        [a, b]: [usize; 2],
        levels: &[ChannelLevel],
        votes: votes::Votes,
        pair: PairMeasurement,
    ) -> Between {
        let which = (0..a).map(|i| self.n - 1 - i).sum::<usize>() + b - a - 1;
        let windows = &self.windows[which];
        let (aa, bb, ab) = (self.squares[a], self.squares[b], self.products[which]);
        let both = |f: fn(&ChannelLevel) -> Option<f64>| Some(f(&levels[b])? - f(&levels[a])?);
        let sounding: Vec<&Together> = windows.iter().filter(|w| w.full[0] > 0.0 && w.full[1] > 0.0).collect();
        let mut balances: Vec<f64> = sounding.iter().map(|w| db_of_power(w.full[1] / w.full[0])).collect();
        balances.sort_by(f64::total_cmp);
        let quartile = |p: f64| balances.get(((balances.len() as f64) * p) as usize).copied().unwrap_or(0.0);
        let full: Vec<Option<f64>> = windows.iter().map(|w| Together::correlation(w.full, 0.0)).collect();
        let low: Vec<Option<f64>> = windows
            .iter()
            .map(|w| Together::correlation(w.low, 0.0).filter(|_| w.full[0] > 0.0 && w.full[1] > 0.0))
            .collect();
        let mut lows = [0f64; 3];
        sounding.iter().for_each(|w| (0..3).for_each(|i| lows[i] += w.low[i]));
        let opposed = full.iter().filter(|c| c.is_some_and(|c| c < 0.0)).count();
        let per_point = windows.len().div_ceil(STRIP_POINTS).max(1);
        let (one_lag, places_spread_db) = pair.lag_frames.map_or((0.0, 0.0), |l| votes.at(l));
        // After the best factor g = Σab/Σaa is taken out, Σ(b − g·a)² = Σbb·(1 − ρ²).
        let rho2 = if aa > 0.0 && bb > 0.0 { (ab * ab / (aa * bb)).min(1.0) } else { 0.0 };
        Between {
            a,
            b,
            correlation: if sounding.is_empty() { None } else { Together::correlation([aa, bb, ab], 0.0) },
            low_correlation: Together::correlation(lows, 0.0),
            balance_db: both(|l| l.rms_db),
            loudness_balance_db: both(|l| l.loudness_lufs),
            balance_spread_db: 0.5 * (quartile(0.75) - quartile(0.25)),
            unshared_db: db_of_power((1.0 - rho2).max(1e-20)),
            opposed_part: opposed as f64 / sounding.len().max(1) as f64,
            longest_opposed_s: longest(&full) as f64 * STEP_S,
            votes: votes.counted(),
            one_lag,
            places_spread_db,
            directions: self.shares(),
            pair,
            strip: strip(&full, per_point),
            low_strip: strip(&low, per_point),
            strip_step_s: STEP_S * per_point as f64,
        }
    }
}

/// Adds energy by direction: the angle whose tangent is the second over the first.
fn turned(a: &[f32], b: &[f32], directions: &mut [[f64; DIRECTIONS]; 2]) {
    for (x, y) in a.iter().zip(b) {
        let energy = x * x + y * y;
        if energy > 0.0 {
            let part = y.abs().atan2(x.abs()) / std::f32::consts::FRAC_PI_2;
            let step = ((part * DIRECTIONS as f32) as usize).min(DIRECTIONS - 1);
            directions[usize::from(x * y < 0.0)][step] += f64::from(energy);
        }
    }
}

/// Σab, in strands short enough for single precision.
fn product(a: &[f32], b: &[f32]) -> f64 {
    let of = |(a, b): (&[f32], &[f32])| f64::from(a.iter().zip(b).map(|(x, y)| x * y).sum::<f32>());
    a.chunks(64).zip(b.chunks(64)).map(of).sum()
}

fn low_sums(a: &[Complex32], b: &[Complex32]) -> [f64; 3] {
    let mut sums = [0f64; 3];
    for (x, y) in a.iter().zip(b) {
        sums[0] += f64::from(x.norm_sqr());
        sums[1] += f64::from(y.norm_sqr());
        sums[2] += f64::from(x.re * y.re + x.im * y.im);
    }
    sums
}

/// Windows in a row with negative correlation, those without a signal left out.
fn longest(full: &[Option<f64>]) -> usize {
    let (mut most, mut run) = (0, 0);
    for c in full.iter().flatten() {
        run = if *c < 0.0 { run + 1 } else { 0 };
        most = most.max(run);
    }
    most
}

fn strip(values: &[Option<f64>], per_point: usize) -> Vec<Option<f32>> {
    let mean = |part: &[Option<f64>]| {
        let there: Vec<f64> = part.iter().flatten().copied().collect();
        (!there.is_empty()).then(|| (there.iter().sum::<f64>() / there.len() as f64 * 1_000.0).round() as f32 / 1_000.0)
    };
    values.chunks(per_point).map(mean).collect()
}
