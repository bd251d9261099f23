//! Two recordings frame by frame along a lag that is known so far: correlations whose spectra are smoothed along time, and the path of
//! least cost through them.

use super::band::Band;
use super::curve::{Curve, smoothed, time};
use super::read::read_along;
use super::refine::quantile;
use super::track::{Frame, extreme, path, top as between};
use crate::dsp::spectrum::{Transform, planned, quick_len};
use crate::signal::{ReadError, Source};
use rayon::prelude::*;
use realfft::num_complex::Complex32;
use std::f64::consts::TAU;

/// Spectra are smoothed along time by these weights, to either side.
const ALONG: [f32; 5] = [1.0, 0.88, 0.61, 0.32, 0.14];
/// Part of the frames that are quieter than what is called the floor.
const QUIET: f64 = 0.1;
/// Frames from which the floor is made.
const SPREAD: usize = 600;
/// A frame sounds from this power over the floor on (12 dB), and the floor lies this far below the loud frames at least (20 dB).
const SOUNDS: f64 = 16.0;
const FLOOR_BELOW: f64 = 0.01;
/// A frame is decided when its peak is so many times the RMS of its curve, and so many times the highest that is further away than this,
/// in seconds.
const CLEAR: f32 = 5.0;
const ABOVE: f32 = 1.3;
const APART_S: f64 = 0.000_4;
/// Of the frames that sound within this of a decided one, in seconds, so many are decided too: single ones have found a reflection.
const NEAR_S: f64 = 0.5;
const OF_THEM: f64 = 0.5;

/// How frames are cut and followed.
#[derive(Debug, Clone, Copy)]
pub(super) struct Shape {
    /// Window and hop, in seconds.
    pub(super) window_s: f64,
    pub(super) hop_s: f64,
    /// Correlations are judged so far to either side, in seconds.
    pub(super) widest_s: f64,
    /// Band, in Hz.
    pub(super) band_hz: [f64; 2],
    /// Largest change of the lag, as a part of time.
    pub(super) speed: f64,
}

/// The lag at every hop in seconds, where it is decided, and the sign.
pub(super) struct Found {
    pub(super) lags: Vec<f64>,
    pub(super) decided: Vec<bool>,
    pub(super) sign: f32,
}

/// One frame: its correlation within the search, and what stands against its peak.
pub(super) struct Heard {
    frame: Frame,
    /// Where the peak of all lies, in seconds from where the first was read, and its height.
    peak: (f64, f32),
    /// The highest value further away.
    rival: f32,
}

/// Two microphones frame by frame.
pub(super) struct Frames<'a> {
    band: &'a Band,
    shape: Shape,
    count: usize,
    len: usize,
    taper: Vec<f32>,
    /// Noise in every bin of both.
    floor: [Vec<f32>; 2],
    /// Frames that sound in both.
    pub(super) sounds: Vec<bool>,
}

/// Spectra of a frame, powers and product.
type Powers = (Vec<Complex32>, Vec<f32>, Vec<f32>);

/// Values at the hops as a curve of so many steps.
pub(super) fn spread_out(lags: &[f64], hop_s: f64, steps: usize) -> Curve {
    let of = |j: usize| {
        let x = (time(j) / hop_s - 0.5).clamp(0.0, (lags.len() - 1) as f64);
        let n = (x as usize).min(lags.len().saturating_sub(2));
        let next = lags[(n + 1).min(lags.len() - 1)];
        lags[n] + (next - lags[n]) * (x - n as f64)
    };
    Curve((0..steps).map(of).collect())
}

impl<'a> Frames<'a> {
    pub(super) fn of(band: &'a Band, shape: Shape) -> Result<Self, ReadError> {
        let window = (shape.window_s * band.hz) as usize;
        let len = quick_len(window + (shape.widest_s * band.hz) as usize + 1);
        let taper = (0..window).map(|i| (0.5 - 0.5 * (TAU * (i as f64 + 0.5) / window as f64).cos()) as f32).collect();
        let count = (band.seconds() / shape.hop_s) as usize;
        let floor = [Vec::new(), Vec::new()];
        let mut frames = Self { band, shape, count, len, taper, floor, sounds: Vec::new() };
        let straight = Curve::line(2, 0.0, 0.0);
        let some: Vec<usize> = (0..count).step_by(count.div_ceil(SPREAD)).collect();
        let tools = || (Transform::new(len), frames.empty());
        let powers: Vec<[Vec<f32>; 2]> = some
            .par_iter()
            .map_init(tools, |(t, out), n| {
                frames.powers(*n, &straight, t, out)?;
                Ok([out.1.clone(), out.2.clone()])
            })
            .collect::<Result<_, ReadError>>()?;
        let quiet = |side: usize, k: usize| quantile(powers.iter().map(|p| f64::from(p[side][k])), QUIET) as f32;
        frames.floor = [0, 1].map(|side| (0..frames.bins()).map(|k| quiet(side, k)).collect());
        frames.sounds = frames.sounding();
        Ok(frames)
    }

    fn bins(&self) -> usize {
        self.len / 2 + 1
    }

    fn empty(&self) -> Powers {
        (vec![Complex32::default(); self.bins()], vec![0.0; self.bins()], vec![0.0; self.bins()])
    }

    /// First sample of a frame: its middle is half a hop after it begins.
    fn from(&self, n: usize) -> i64 {
        (((n as f64 + 0.5) * self.shape.hop_s - self.shape.window_s / 2.0) * self.band.hz).round() as i64
    }

    /// Spectra of a frame, the first microphone read along a lag.
    fn powers(&self, n: usize, along: &Curve, t: &mut Transform, out: &mut Powers) -> Result<(), ReadError> {
        let mut windows = [vec![0f32; self.taper.len()], vec![0f32; self.taper.len()]];
        read_along(self.band.pair(), along, self.from(n), &mut windows[0])?;
        self.band.print.read(self.from(n), &mut windows[1])?;
        windows.iter_mut().for_each(|w| w.iter_mut().zip(&self.taper).for_each(|(v, t)| *v *= t));
        let (mut a, mut b) = (vec![Complex32::default(); self.bins()], vec![Complex32::default(); self.bins()]);
        t.forward_two([&windows[0], &windows[1]], [&mut a, &mut b]);
        for (k, (a, b)) in a.iter().zip(&b).enumerate() {
            (out.0[k], out.1[k], out.2[k]) = (a.conj() * b, a.norm_sqr(), b.norm_sqr());
        }
        Ok(())
    }

    /// Frames that sound in both.
    fn sounding(&self) -> Vec<bool> {
        let of = |x: &[f32]| {
            let (hop, half) = (self.shape.hop_s * self.band.hz, self.shape.window_s * self.band.hz / 2.0);
            let part = |n: usize| {
                let at = (n as f64 + 0.5) * hop;
                let (from, to) = ((at - half).max(0.0) as usize, ((at + half) as usize).min(x.len()));
                let x = &x[from.min(to)..to];
                x.iter().map(|v| f64::from(v * v)).sum::<f64>() / x.len().max(1) as f64
            };
            let power: Vec<f64> = (0..self.count).map(part).collect();
            let loud = quantile(power.iter().copied(), 0.95);
            let floor = quantile(power.iter().copied(), QUIET).clamp(1e-12, (FLOOR_BELOW * loud).max(1e-12));
            power.into_iter().map(|p| p > SOUNDS * floor).collect::<Vec<bool>>()
        };
        of(&self.band.send.0).into_iter().zip(of(&self.band.print.0)).map(|(a, b)| a && b).collect()
    }

    /// Correlations of all frames along a lag.
    pub(super) fn heard(&self, along: &Curve, search_s: f64) -> Result<Vec<Heard>, ReadError> {
        const AT_ONCE: usize = 64;
        let chunks: Vec<usize> = (0..self.count).step_by(AT_ONCE).collect();
        let reach = ALONG.len() - 1;
        let parts: Vec<Vec<Heard>> = chunks
            .par_iter()
            .map(|from| {
                let to = (from + AT_ONCE).min(self.count);
                let (first, last) = (from.saturating_sub(reach), (to + reach).min(self.count));
                let mut t = Transform::new(self.len);
                let mut all: Vec<Powers> = Vec::with_capacity(last - first);
                for n in first..last {
                    let mut out = self.empty();
                    self.powers(n, along, &mut t, &mut out)?;
                    all.push(out);
                }
                let about = |n: usize| {
                    let near = n.saturating_sub(reach).max(first)..(n + reach + 1).min(last);
                    near.map(|m| (ALONG[m.abs_diff(n)], &all[m - first])).collect::<Vec<_>>()
                };
                Ok((*from..to).map(|n| self.correlated(&about(n), search_s)).collect())
            })
            .collect::<Result<_, ReadError>>()?;
        Ok(parts.into_iter().flatten().collect())
    }

    /// The correlation of a frame and those about it, each bin whitened and weighted by how far it stands over the noise.
    fn correlated(&self, about: &[(f32, &Powers)], search_s: f64) -> Heard {
        let hz = self.band.hz;
        let bin = |f: f64| (f / hz * self.len as f64) as usize;
        let used = bin(self.shape.band_hz[0])..bin(self.shape.band_hz[1].min(0.42 * hz));
        let inverse = planned(self.len, |p| p.plan_fft_inverse(self.len));
        let mut white = inverse.make_input_vec();
        for k in used {
            let (mut ab, mut aa, mut bb, mut weight) = (Complex32::default(), 0f32, 0f32, 0f32);
            for (w, p) in about {
                (ab, aa, bb, weight) = (ab + p.0[k] * w, aa + p.1[k] * w, bb + p.2[k] * w, weight + w);
            }
            let over = |power: f32, floor: f32| (1.0 - weight * floor / power.max(f32::MIN_POSITIVE)).max(0.0);
            let both = (aa * bb).sqrt();
            if both > 0.0 {
                white[k] = ab / both * over(aa, self.floor[0][k]) * over(bb, self.floor[1][k]);
            }
        }
        let mut out = inverse.make_output_vec();
        inverse.process(&mut white, &mut out).expect("lengths fit by construction");
        let around = |side: usize| [&out[self.len - side..], &out[..=side]].concat();
        let (wide, side) = ((self.shape.widest_s * hz) as usize, (search_s * hz) as usize);
        let mut all: Vec<f32> = around(wide);
        let rms = (all.iter().map(|v| v * v).sum::<f32>() / all.len() as f32).sqrt();
        if rms > 0.0 {
            all.iter_mut().for_each(|v| *v /= rms);
        }
        let largest = (0..all.len()).max_by(|a, b| all[*a].abs().total_cmp(&all[*b].abs())).unwrap_or(wide);
        let apart = (APART_S * hz) as usize;
        let far = |at: &usize| at.abs_diff(largest) > apart;
        let rival = (0..all.len()).filter(far).map(|at| all[at].abs()).fold(0f32, f32::max);
        let curve = all[wide - side..=wide + side].to_vec();
        let peak = ((largest as f64 - wide as f64) / hz, all[largest].abs());
        Heard { frame: Frame { height: extreme(&curve).abs(), curve, rounded: 0.0 }, peak, rival }
    }

    /// The lag at every hop, no quicker than a corner.
    pub(super) fn followed(&self, heard: &[Heard], along: &Curve, search_s: f64, corner_hz: f64) -> Found {
        let hz = self.band.hz;
        let side = (search_s * hz) as usize;
        let clear = heard.iter().zip(&self.sounds).filter(|(h, s)| **s && h.frame.height > CLEAR);
        let sum: f32 = clear.map(|(h, _)| extreme(&h.frame.curve)).sum();
        let sign = if sum < 0.0 { -1.0 } else { 1.0 };
        let frames: Vec<&Frame> = heard.iter().map(|h| &h.frame).collect();
        let path = path(&frames, sign, (self.shape.speed * self.shape.hop_s * hz).ceil() as usize);
        let at_middle = |n: usize| along.at((n as f64 + 0.5) * self.shape.hop_s);
        let off: Vec<f64> = (path.iter().zip(&frames))
            .map(|(at, f)| (*at as f64 + between(&f.curve, *at, sign) - side as f64) / hz)
            .collect();
        let decided: Vec<bool> = (0..heard.len())
            .map(|n| {
                let (h, own) = (&heard[n], sign * heard[n].frame.curve[path[n]]);
                let rival = if (h.peak.0 - off[n]).abs() <= APART_S { h.rival } else { h.peak.1 };
                self.sounds[n] && own > CLEAR && own > ABOVE * rival
            })
            .collect();
        let near = (NEAR_S / self.shape.hop_s) as usize;
        let kept: Vec<bool> = (0..decided.len())
            .map(|n| {
                let about = n.saturating_sub(near)..(n + near + 1).min(decided.len());
                let count = |of: &[bool]| about.clone().filter(|m| of[*m]).count() as f64;
                decided[n] && count(&decided) > 1.0_f64.max(OF_THEM * count(&self.sounds))
            })
            .collect();
        let weights: Vec<f64> = (0..heard.len())
            .map(|n| if kept[n] { f64::from(heard[n].frame.curve[path[n]]).powi(2) } else { 0.0 })
            .collect();
        let whole: Vec<f64> = off.iter().enumerate().map(|(n, o)| at_middle(n) + o).collect();
        // Nothing decided: the path as it is, so that the next round can look about it.
        let any = kept.iter().any(|k| *k);
        let lags = if any { smoothed(&whole, &weights, corner_hz, self.shape.hop_s) } else { whole };
        Found { lags, decided: kept, sign }
    }
}
