//! A phase vocoder: windows of the recording laid at other distances from one another, turned so that every partial goes on where the
//! window before it left it (Laroche and Dolson, "Improved phase vocoder time-scale modification of audio", IEEE Trans. Speech and Audio
//! Processing 7, 1999: the bins about a peak keep their phases against it).

use super::plan::Gap;
use crate::dsp::spectrum::{Transform, planned};
use crate::signal::{ReadError, Source, index, len_i64};
use crate::units::SampleRate;
use realfft::ComplexToReal;
use realfft::num_complex::Complex32;
use std::f64::consts::{PI, TAU};
use std::sync::Arc;

/// Lengths of windows in seconds, at least: short ones follow a voice that glides, long ones keep the tones of a chord in the bass apart.
const WINDOWS_S: [f64; 4] = [0.04, 0.08, 0.16, 0.32];
/// Which is best is judged by so many seconds in the middle of what is scaled.
const JUDGED_S: f64 = 3.0;
/// Windows begin this part of a window apart.
const OVERLAP: usize = 4;
/// The sum of squared Hann windows a quarter apart, and the least part of it that is evened out.
const WHOLE: f32 = 1.5;
const LEAST: f32 = 0.5;
/// A peak is the largest within so many bins on either side.
const BESIDE: usize = 2;
/// What is not to be heard fades over so much, in seconds.
const EDGE_S: f64 = 0.002;

/// Scales one gap, from its beginning to its end.
pub struct Vocoder<'a> {
    sources: &'a [&'a dyn Source],
    gap: Gap,
    edge: f64,
    hop: usize,
    window: Vec<f32>,
    forward: Transform,
    inverse: Arc<dyn ComplexToReal<f32>>,
    /// Frame of the result in the middle of the next window.
    middle: i64,
    /// A source each: the spectrum that was laid last.
    laid: Vec<Vec<Complex32>>,
    /// A source each, from frame `from` of the result on: windows laid one over the other; and the sum of their weights.
    sums: Vec<Vec<f32>>,
    weights: Vec<f32>,
    from: i64,
    agrees: Option<f64>,
}

impl<'a> Vocoder<'a> {
    pub fn new(sources: &'a [&'a dyn Source], gap: Gap, rate: SampleRate) -> Result<Self, ReadError> {
        let len = best_length(sources, &gap, rate)?;
        let hop = len / OVERLAP;
        let window = hann(len);
        let forward = Transform::new(len);
        let inverse = planned(len, |p| p.plan_fft_inverse(len));
        // The first window that is heard at the first frame.
        let first = gap.out[0] - gap.fades[0] - len_i64(len / 2) + len_i64(hop);
        Ok(Self {
            sources,
            edge: rate.frames(EDGE_S) as f64,
            hop,
            window,
            forward,
            inverse,
            middle: first,
            laid: Vec::new(),
            sums: vec![vec![0.0; len]; sources.len()],
            weights: vec![0.0; len],
            from: first - len_i64(len / 2),
            agrees: None,
            gap,
        })
    }

    /// How far the end agrees with what follows it, from not at all (0) to wholly (1): known once the end was read.
    pub fn agrees(&self) -> f64 {
        self.agrees.unwrap_or(1.0)
    }

    /// So many frames of every source from a frame of the result on; never from one before those that were read.
    pub fn read(&mut self, at: i64, count: usize) -> Result<Vec<Vec<f32>>, ReadError> {
        let mut made: Vec<Vec<f32>> = vec![Vec::with_capacity(count); self.sources.len()];
        let end = at + len_i64(count);
        let mut next = at;
        while next < end {
            // What no later window reaches is done.
            let done = self.middle - len_i64(self.window.len() / 2);
            if next >= done {
                self.lay()?;
                continue;
            }
            let until = done.min(end);
            for (made, sum) in made.iter_mut().zip(&self.sums) {
                let part = index(next - self.from)..index(until - self.from);
                let evened = |(y, w): (&f32, &f32)| y / w.max(LEAST * WHOLE);
                made.extend(sum[part.clone()].iter().zip(&self.weights[part]).map(evened));
            }
            next = until;
        }
        Ok(made)
    }

    /// Lays the next window.
    fn lay(&mut self) -> Result<(), ReadError> {
        let len = self.window.len();
        let first = self.middle - len_i64(len / 2);
        let drop = index(first - self.from);
        for sum in self.sums.iter_mut().chain([&mut self.weights]) {
            sum.drain(..drop);
            sum.resize(len, 0.0);
        }
        self.from = first;
        let own = self.gap.own_of(self.middle as f64).round() as i64 - len_i64(len / 2);
        let gate: Vec<f32> = (0..len).map(|n| self.gate(own + len_i64(n))).collect();
        let before: Vec<f32> = (0..len).map(|n| self.gate(own - len_i64(self.hop) + len_i64(n))).collect();
        let bins = self.forward.bins();
        let (mut now, mut past) = (Vec::new(), Vec::new());
        let mut read = vec![0f32; len + self.hop];
        for source in self.sources {
            source.read(own - len_i64(self.hop), &mut read)?;
            let heard = |from: usize, gate: &[f32]| {
                let x = read[from..from + len].iter().zip(&self.window).zip(gate);
                x.map(|((x, w), g)| x * w * g).collect::<Vec<f32>>()
            };
            let windows = [heard(self.hop, &gate), heard(0, &before)];
            let (mut a, mut b) = (vec![Complex32::default(); bins], vec![Complex32::default(); bins]);
            self.forward.forward_two([&windows[0], &windows[1]], [&mut a, &mut b]);
            now.push(a);
            past.push(b);
        }
        // Up to its first frame it goes on from what is copied.
        let turned = if self.laid.is_empty() || self.middle <= self.gap.out[0] {
            now.clone()
        } else {
            turned(&now, &past, &self.laid)
        };
        if self.agrees.is_none() && self.middle >= self.gap.out[1] {
            self.agrees = Some(agreement(&turned, &now));
        }
        let mut back = vec![0f32; len];
        let mut spectrum = vec![Complex32::default(); bins];
        for (sum, y) in self.sums.iter_mut().zip(&turned) {
            spectrum.copy_from_slice(y);
            (spectrum[0].im, spectrum[bins - 1].im) = (0.0, 0.0);
            self.inverse.process(&mut spectrum, &mut back).expect("lengths fit by construction");
            for ((to, x), w) in sum.iter_mut().zip(&back).zip(&self.window) {
                *to += x * w / len as f32;
            }
        }
        for ((to, w), g) in self.weights.iter_mut().zip(&self.window).zip(&gate) {
            *to += w * w * g;
        }
        self.laid = turned;
        self.middle += len_i64(self.hop);
        Ok(())
    }

    /// How much of a frame of the recording is heard.
    fn gate(&self, own: i64) -> f32 {
        let [from, to] = self.gap.clear;
        let inside = (own - from).min(to - own) as f64;
        match inside {
            i if i <= 0.0 => 0.0,
            i if i >= self.edge => 1.0,
            i => (0.5 - 0.5 * (PI * i / self.edge).cos()) as f32,
        }
    }
}

fn hann(len: usize) -> Vec<f32> {
    (0..len).map(|n| (0.5 - 0.5 * (TAU * n as f64 / len as f64).cos()) as f32).collect()
}

/// The length of window by which the sound is most concentrated in time and frequency, by the ratio of its fourth powers to the square of
/// its second ones (Jones and Parks, "A high resolution data-adaptive time-frequency representation", IEEE Trans. Acoustics, Speech and
/// Signal Processing 38, 1990).
fn best_length(sources: &[&dyn Source], gap: &Gap, rate: SampleRate) -> Result<usize, ReadError> {
    let middle = (gap.clear[0] + gap.clear[1]) / 2;
    let half = (rate.frames(JUDGED_S) / 2).min((gap.clear[1] - gap.clear[0]) / 2);
    let mut best = (0, f64::NEG_INFINITY);
    for len in WINDOWS_S.map(|s| index(rate.frames(s)).next_power_of_two()) {
        let (window, mut transform) = (hann(len), Transform::new(len));
        let mut spectrum = vec![Complex32::default(); transform.bins()];
        let mut heard = vec![0f32; index(2 * half)];
        // Of unit energy whatever their length, and as far apart against it: all have as many numbers for as much sound.
        let (mut second, mut fourth) = (0f64, 0f64);
        for source in sources {
            source.read(middle - half, &mut heard)?;
            let padded: Vec<f32> = [&vec![0.0; len / 2][..], &heard, &vec![0.0; len / 2]].concat();
            for x in padded.windows(len).step_by(len / OVERLAP) {
                let x: Vec<f32> = x.iter().zip(&window).map(|(x, w)| x * w).collect();
                transform.forward(&x, &mut spectrum);
                for power in spectrum.iter().map(|x| f64::from(x.norm_sqr()) / len as f64) {
                    second += power;
                    fourth += power * power;
                }
            }
        }
        let concentrated = if second > 0.0 { fourth / (second * second) } else { 0.0 };
        if concentrated > best.1 {
            best = (len, concentrated);
        }
    }
    Ok(best.0)
}

/// Spectra of all sources, turned about every peak so that it goes on from what was laid a hop before, as the recording itself goes on
/// from `past`, a hop before, to `now`. All sources by the same angle.
fn turned(now: &[Vec<Complex32>], past: &[Vec<Complex32>], laid: &[Vec<Complex32>]) -> Vec<Vec<Complex32>> {
    let bins = now[0].len();
    let power: Vec<f32> = (0..bins).map(|b| now.iter().map(|x| x[b].norm_sqr()).sum()).collect();
    let mut out = now.to_vec();
    let regions = regions(&power);
    for region in regions.windows(2) {
        let region = region[0]..region[1];
        let across = |b: usize| laid.iter().zip(past).map(|(y, x)| y[b] * x[b].conj()).sum::<Complex32>();
        let sum: Complex32 = region.clone().map(across).sum();
        let size = sum.norm();
        if size > 0.0 {
            let turn = sum / size;
            out.iter_mut().for_each(|y| y[region.clone()].iter_mut().for_each(|y| *y *= turn));
        }
    }
    out
}

/// First bins of the regions about the peaks, and the number of bins: the weakest bin between two peaks begins the second's.
fn regions(power: &[f32]) -> Vec<usize> {
    let is_peak = |b: &usize| {
        let near = &power[b.saturating_sub(BESIDE)..(b + BESIDE + 1).min(power.len())];
        power[*b] > 0.0 && near.iter().all(|p| *p <= power[*b])
    };
    let peaks: Vec<usize> = (0..power.len()).filter(is_peak).collect();
    let weakest = |p: &[usize]| (p[0] + 1..=p[1]).min_by(|a, b| power[*a].total_cmp(&power[*b])).unwrap_or(p[1]);
    let mut first = vec![0];
    first.extend(peaks.windows(2).map(weakest));
    first.push(power.len());
    first.dedup();
    first
}

/// How far two spectra of the same sizes agree: 1 wholly, 0 not at all or less.
fn agreement(a: &[Vec<Complex32>], b: &[Vec<Complex32>]) -> f64 {
    let (mut both, mut each) = (0f64, [0f64; 2]);
    for (a, b) in a.iter().flatten().zip(b.iter().flatten()) {
        both += f64::from((a * b.conj()).re);
        each[0] += f64::from(a.norm_sqr());
        each[1] += f64::from(b.norm_sqr());
    }
    let size = (each[0] * each[1]).sqrt();
    if size > 0.0 { (both / size).clamp(0.0, 1.0) } else { 1.0 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::MemSource;

    #[test]
    fn a_glide_is_heard_by_short_windows_and_a_chord_in_the_bass_by_long_ones() {
        let rate = SampleRate::new(48_000).unwrap();
        let second = |n: usize| n as f64 / 48_000.0;
        // Twelve partials that rise by a fifth twice a second, as a voice does; a triad from 65 Hz on.
        let glide = |t: f64| 180.0 * t + 90.0 / (4.0 * PI) * (1.0 - (4.0 * PI * t).cos());
        let voice =
            |n: usize| (1..13).map(|k| (TAU * f64::from(k) * glide(second(n))).sin() / f64::from(k)).sum::<f64>();
        let chord = |n: usize| [65.41, 82.41, 98.0].iter().map(|hz| (TAU * hz * second(n)).sin()).sum::<f64>();
        let best = |x: &dyn Fn(usize) -> f64| {
            let source = MemSource((0..144_000).map(|n| 0.2 * x(n) as f32).collect());
            let points = vec![[0.0, 0.0], [144_000.0, 150_000.0]];
            let gap = Gap { out: [0, 150_000], fades: [0, 0], points, clear: [0, 144_000] };
            best_length(&[&source], &gap, rate).unwrap()
        };
        let [voice, chord] = [best(&voice), best(&chord)];
        assert!(voice <= 4_096 && chord == 16_384, "{voice} {chord}");
    }
}
