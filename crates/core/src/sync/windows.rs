//! Lags of single windows of two recordings, and the straight line through them.

use crate::dsp::lag_curve::{CurveRange, LagCurve, lag_curve};
use crate::dsp::spectrum::{CrossSpectrum, Transform, quick_len};
use crate::dsp::stats::{line, median};
use crate::progress::MeasureError;
use crate::render::varispeed::{between, point};
use crate::signal::{Source, index};
use crate::units::SampleRate;
use realfft::num_complex::Complex32;

/// Length of a window, of the frames it is made of, and the most that it may be off, in seconds.
pub const WINDOW_S: f64 = 1.5;
const FRAME_S: f64 = 0.375;
pub const OFF_S: f64 = 0.06;
/// Band, in Hz.
const BAND_HZ: [f64; 2] = [150.0, 6_000.0];
/// A window counts when both recordings have so much in it: −80 dBFS.
const SOUNDS: f32 = 1e-4;
/// On the line within so many seconds at first: ten samples at 48 kHz.
const ON_LINE_S: f64 = 10.0 / 48_000.0;
/// Never closer than this, for reflections move single windows: two samples at 48 kHz.
const CLOSEST_S: f64 = 2.0 / 48_000.0;
/// A window agrees where its curve has so much of its largest value.
const AGREES: f32 = 0.4;
/// And so many times its RMS: by chance fewer than one in a hundred reach it.
const OVER_NOISE: f32 = 4.0;
/// Windows that overlap, and reflections that change slowly, err together: the error of their line is larger by so much.
const SHARED: f64 = 2.0;
/// Points of a curve a frame.
const OVERSAMPLING: usize = 2;
/// Largest difference in speed.
pub const MOST_PPM: f64 = 300.0;

/// Two recordings at one rate.
#[derive(Clone, Copy)]
pub struct Both<'a> {
    /// What others are placed against.
    pub reference: &'a dyn Source,
    /// What is placed.
    pub other: &'a dyn Source,
    /// Of both.
    pub rate: SampleRate,
}

/// Where the other recording is at a frame of the reference: b = at + (1 + ε)·s.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Line {
    /// Its frame at the reference's beginning.
    pub at: f64,
    /// How much faster it counts, in parts of a million.
    pub ppm: f64,
}

impl Line {
    /// Its frame at a frame of the reference.
    pub fn of(&self, s: f64) -> f64 {
        self.at + s * (1.0 + 1e-6 * self.ppm)
    }

    /// The frame of the reference at which it begins.
    pub fn begins(&self) -> f64 {
        -self.at / (1.0 + 1e-6 * self.ppm)
    }

    /// Where a third recording is, given where it is in the other: one line after another.
    #[must_use]
    pub fn then(&self, next: &Self) -> Self {
        let [own, others] = [self, next].map(|l| 1.0 + 1e-6 * l.ppm);
        Self { at: next.of(self.at), ppm: (own * others - 1.0) * 1e6 }
    }

    /// The same at one frame of the reference, at another speed.
    #[must_use]
    pub fn turned(&self, ppm: f64, about: f64) -> Self {
        Self { at: self.of(about) - about * (1.0 + 1e-6 * ppm), ppm }
    }

    /// Frames of the reference that it covers.
    pub fn covers(&self, both: &Both) -> [f64; 2] {
        let end = (both.other.frames() as f64 - self.at) / (1.0 + 1e-6 * self.ppm);
        [self.begins().max(0.0), end.min(both.reference.frames() as f64)]
    }
}

/// What one window tells: the frame of the reference at its middle, and the other's frame there.
pub type Point = (f64, f64);

impl Both<'_> {
    /// Sums of the spectra of a window that begins at a frame of the reference, the other read along a line; none where either is silent.
    pub fn spectra(&self, s: f64, line: Line) -> Result<Option<CrossSpectrum>, MeasureError> {
        let len = index(self.rate.frames(WINDOW_S));
        let mut a = vec![0f32; len];
        self.reference.read(s as i64, &mut a)?;
        let place = |n: usize| line.of(s.floor() + n as f64);
        let (first, count) = between(place(0), place(len - 1));
        let mut read = vec![0f32; count];
        self.other.read(first, &mut read)?;
        let b: Vec<f32> = (0..len).map(|n| point(&read, first, place(n))).collect();
        let loud = |x: &[f32]| (x.iter().map(|v| v * v).sum::<f32>() / len as f32).sqrt() > SOUNDS;
        if !loud(&a) || !loud(&b) {
            return Ok(None);
        }
        let frame = index(self.rate.frames(FRAME_S));
        let mut t = Transform::new(self.transform());
        let [mut x, mut y] = [(); 2].map(|()| vec![Complex32::default(); t.bins()]);
        let mut sum = CrossSpectrum::new(t.bins());
        let taper: Vec<f32> =
            (0..frame).map(|i| (std::f32::consts::PI * (i as f32 + 0.5) / frame as f32).sin().powi(2)).collect();
        let cut = |z: &[f32]| z.iter().zip(&taper).map(|(z, t)| z * t).collect::<Vec<f32>>();
        for from in (0..=len - frame).step_by(frame / 2) {
            t.forward_two([&cut(&a[from..from + frame]), &cut(&b[from..from + frame])], [&mut x, &mut y]);
            sum.add(&x, &y, 1.0, 1.0);
        }
        Ok(Some(sum))
    }

    fn transform(&self) -> usize {
        quick_len(index(self.rate.frames(FRAME_S + OFF_S)))
    }

    /// Agreement of summed spectra within so many seconds.
    pub fn curve(&self, sum: &CrossSpectrum, within_s: f64, oversampling: usize) -> LagCurve {
        let len = self.transform();
        let bin = |hz: f64| (hz * len as f64 / self.rate.hz_f64()) as usize;
        let max_lag = index(self.rate.frames(within_s.min(OFF_S)));
        let range = CurveRange { low_bin: bin(BAND_HZ[0]), high_bin: bin(BAND_HZ[1]), max_lag, oversampling, lead: 0 };
        lag_curve(sum, len, range)
    }

    /// Agreement of windows that begin at frames of the reference, the other read along a line that may be off by so many seconds.
    pub fn seen(&self, starts: &[f64], line: Line, within_s: f64) -> Result<Vec<Seen>, MeasureError> {
        use rayon::prelude::*;
        let one = |s: &f64| -> Result<Option<Seen>, MeasureError> {
            let middle = s.floor() + self.rate.hz_f64() * WINDOW_S / 2.0;
            Ok(self.spectra(*s, line)?.map(|sum| {
                // The wider one tells what is there by chance.
                let noise = self.curve(&sum, OFF_S, OVERSAMPLING).rms;
                Seen { middle, noise: noise as f32, curve: self.curve(&sum, within_s, OVERSAMPLING) }
            }))
        };
        let all: Vec<Option<Seen>> = starts.par_iter().map(one).collect::<Result<_, _>>()?;
        Ok(all.into_iter().flatten().collect())
    }
}

/// One window: the frame of the reference at its middle, and the agreement about the line it was read along.
pub struct Seen {
    middle: f64,
    /// RMS of the curve over all that was looked at, its largest value being 1.
    noise: f32,
    curve: LagCurve,
}

/// The line on which all windows together agree most, and which way up; `read` is the line they were read along, from which it differs by
/// `most_ppm` at most. A reflection that single windows take for the sound agrees with few others.
pub fn vote(seen: &[Seen], read: Line, most_ppm: f64) -> Option<(Line, i8)> {
    use rayon::prelude::*;
    let (first, last) = (seen.first()?.middle, seen.last()?.middle);
    let mean = 0.5 * (first + last);
    // Neighbouring slopes differ by one point at the ends.
    let step = 1e6 / OVERSAMPLING as f64 / (0.5 * (last - first)).max(1.0);
    let most = (most_ppm / step).ceil() as i64;
    let widened: Vec<[Vec<f32>; 2]> =
        seen.iter().map(|s| [1.0, -1.0].map(|sign| wide(&s.curve.values, sign))).collect();
    let len = seen[0].curve.values.len();
    let along = |k: i64| {
        let ppm = k as f64 * step;
        let mut sums = [vec![0f32; len], vec![0f32; len]];
        for (s, ways) in seen.iter().zip(&widened) {
            let shift = (1e-6 * ppm * (s.middle - mean) * OVERSAMPLING as f64).round() as i64;
            for (sum, way) in sums.iter_mut().zip(ways) {
                let (to, from) = (index((-shift).max(0)).min(len), index(shift.max(0)).min(len));
                sum[to..].iter_mut().zip(&way[from..]).for_each(|(s, w)| *s += w);
            }
        }
        let best =
            |sum: &Vec<f32>| (0..len).max_by(|a, b| sum[*a].total_cmp(&sum[*b])).map_or((0, 0.0), |n| (n, sum[n]));
        let [upright, inverted] = [best(&sums[0]), best(&sums[1])];
        let ((at, height), sign) = if upright.1 >= inverted.1 { (upright, 1) } else { (inverted, -1) };
        (height, ppm, at, sign)
    };
    let (_, ppm, at, sign) = (-most..=most).into_par_iter().map(along).max_by(|a, b| a.0.total_cmp(&b.0))?;
    let lag = seen[0].curve.lag_of(at);
    Some((Line { at: read.at + lag - 1e-6 * ppm * mean, ppm: read.ppm + ppm }, sign))
}

/// The largest of either sign within a frame.
fn wide(values: &[f32], sign: f32) -> Vec<f32> {
    let about = |n: usize| &values[n.saturating_sub(OVERSAMPLING)..(n + OVERSAMPLING + 1).min(values.len())];
    (0..values.len()).map(|n| about(n).iter().fold(f32::MIN, |m, v| m.max(v * sign))).collect()
}

/// Where the windows have the sound about a line, within ten samples of it: of those that agree there by enough.
pub fn points(seen: &[Seen], (line, sign): (Line, i8), read: Line, rate: SampleRate) -> Vec<Point> {
    let on = (ON_LINE_S * rate.hz_f64() * OVERSAMPLING as f64) as usize;
    let told = |s: &Seen| {
        let values = &s.curve.values;
        let lag = line.of(s.middle) - read.of(s.middle);
        let about = (lag - s.curve.first_lag) * OVERSAMPLING as f64;
        let about = (about >= 0.0).then_some(about.round() as usize).filter(|n| *n < values.len())?;
        let value = |n: &usize| values[*n] * f32::from(sign);
        let range = about.saturating_sub(on)..(about + on + 1).min(values.len());
        let best = range.max_by(|a, b| value(a).total_cmp(&value(b)))?;
        // Curves have a largest value of 1.
        (value(&best) >= AGREES.max(OVER_NOISE * s.noise))
            .then(|| (s.middle, read.of(s.middle) + s.curve.refined(best)))
    };
    seen.iter().filter_map(told).collect()
}

/// A line, the share of windows that agree on it, and the standard error of its slope.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fit {
    /// The line.
    pub line: Line,
    /// Share of all windows.
    pub share: f64,
    /// Windows it was fitted to.
    pub points: usize,
    /// In parts of a million.
    pub ppm_error: f64,
}

/// The line that windows lie on, at most `most_ppm` from the one they were read along; fitted again and again as they close in. None of
/// fewer than four.
pub fn fit(seen: &[Seen], read: Line, most_ppm: f64, rate: SampleRate) -> Option<Fit> {
    let (mut found, sign) = vote(seen, read, most_ppm)?;
    let all = points(seen, (found, sign), read, rate);
    let share = all.len() as f64 / seen.len() as f64;
    let (mut kept, mut within) = (all.clone(), ON_LINE_S * rate.hz_f64());
    for _ in 0..6 {
        if kept.len() < 4 {
            return None;
        }
        found = least_squares(&kept)?;
        let mut off: Vec<f64> = kept.iter().map(|p| (p.1 - found.of(p.0)).abs()).collect();
        within = (4.0 * 1.48 * median(&mut off)?).clamp(CLOSEST_S * rate.hz_f64(), within);
        kept = all.iter().filter(|p| (p.1 - found.of(p.0)).abs() <= within).copied().collect();
    }
    let mean = kept.iter().map(|p| p.0).sum::<f64>() / kept.len() as f64;
    let spread: f64 = kept.iter().map(|p| (p.0 - mean).powi(2)).sum();
    let left: f64 = kept.iter().map(|p| (p.1 - found.of(p.0)).powi(2)).sum::<f64>() / (kept.len() as f64 - 2.0);
    (kept.len() >= 4).then(|| Fit {
        line: found,
        share,
        points: kept.len(),
        ppm_error: SHARED * 1e6 * (left / spread).sqrt(),
    })
}

/// Fitted to differences: frames of hours have too many digits for their squares.
fn least_squares(points: &[Point]) -> Option<Line> {
    let apart: Vec<(f64, f64)> = points.iter().map(|p| (p.0, p.1 - p.0)).collect();
    line(&apart).map(|(at, slope)| Line { at, ppm: 1e6 * slope })
}
