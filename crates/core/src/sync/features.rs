//! What is compared to find a place in hours of sound: how eight bands rise and fall.

use crate::dsp::spectrum::Transform;
use crate::progress::MeasureError;
use crate::signal::{Source, index};
use crate::units::SampleRate;
use rayon::prelude::*;
use realfft::num_complex::Complex32;

/// Hops a second.
pub const HOPS_A_SECOND: f64 = 100.0;
/// Bands, evenly spaced on a logarithmic scale between two edges in Hz.
pub const BANDS: usize = 8;
const EDGES_HZ: [f64; 2] = [150.0, 7_000.0];
/// A change over two hops counts up to so many dB.
const MOST_DB: f32 = 12.0;
/// Hops read at once.
const BLOCK: usize = 4_096;
/// Power of a band below which nothing changes: −90 dBFS.
const SILENT: f32 = 1e-9;

/// Changes of the level of every band, about nothing and of one size; 32 bytes a hop.
pub struct Features {
    /// Of each band.
    pub bands: Vec<Vec<f32>>,
}

impl Features {
    /// Measures a whole recording, a block at a time, on all threads.
    ///
    /// # Errors
    /// [`MeasureError`] when the recording cannot be read or `go_on` says stop.
    pub fn measure(
        source: &dyn Source,
        rate: SampleRate,
        go_on: &(dyn Fn() -> bool + Sync),
    ) -> Result<Self, MeasureError> {
        let hop = rate.hz_f64() / HOPS_A_SECOND;
        let hops = (source.frames() as f64 / hop) as usize;
        let len = (hop.ceil() as usize).next_power_of_two();
        let blocks: Vec<usize> = (0..hops).step_by(BLOCK).collect();
        let measured: Vec<[Vec<f32>; BANDS]> = blocks
            .par_iter()
            .map(|from| {
                if go_on() {
                    levels(source, rate, len, *from..hops.min(from + BLOCK))
                } else {
                    Err(MeasureError::Stopped)
                }
            })
            .collect::<Result<_, _>>()?;
        let band = |b: usize| {
            let level: Vec<f32> = measured.iter().flat_map(|m| &m[b]).copied().collect();
            changes(&level)
        };
        Ok(Self { bands: (0..BANDS).map(band).collect() })
    }

    /// Number of hops.
    pub fn hops(&self) -> usize {
        self.bands[0].len()
    }
}

/// Levels of all bands in dB.
fn levels(
    source: &dyn Source,
    rate: SampleRate,
    len: usize,
    hops: std::ops::Range<usize>,
) -> Result<[Vec<f32>; BANDS], MeasureError> {
    let hop = rate.hz_f64() / HOPS_A_SECOND;
    let edge = |b: usize| {
        let hz = EDGES_HZ[0] * (EDGES_HZ[1] / EDGES_HZ[0]).powf(b as f64 / BANDS as f64);
        (hz * len as f64 / rate.hz_f64()).round() as usize
    };
    let edges: Vec<usize> = (0..=BANDS).map(edge).collect();
    let first = (hops.start as f64 * hop) as i64;
    let last = (hops.end as f64 * hop) as i64;
    let mut x = vec![0f32; index(last - first) + len];
    source.read(first, &mut x)?;
    let mut t = Transform::new(len);
    let taper: Vec<f32> = (0..len).map(|i| (std::f32::consts::PI * (i as f32 + 0.5) / len as f32).sin()).collect();
    let (mut windowed, mut spectrum) = (vec![0f32; len], vec![Complex32::default(); t.bins()]);
    let mut out: [Vec<f32>; BANDS] = Default::default();
    let whole = 1.0 / (len as f32 * len as f32);
    for n in hops {
        let at = index((n as f64 * hop) as i64 - first);
        windowed.iter_mut().zip(&x[at..]).zip(&taper).for_each(|((w, x), t)| *w = x * t);
        t.forward(&windowed, &mut spectrum);
        for (b, level) in out.iter_mut().enumerate() {
            let bins = &spectrum[edges[b]..edges[b + 1].max(edges[b] + 1)];
            let power = bins.iter().map(Complex32::norm_sqr).sum::<f32>() * whole;
            level.push(10.0 * (power + SILENT).log10());
        }
    }
    Ok(out)
}

/// Changes over two hops, clipped, of RMS 1.
fn changes(level: &[f32]) -> Vec<f32> {
    let change = |n: usize| {
        let before = level[n.saturating_sub(1)];
        let after = level[(n + 1).min(level.len() - 1)];
        (after - before).clamp(-MOST_DB, MOST_DB)
    };
    let mut out: Vec<f32> = (0..level.len()).map(change).collect();
    let rms = (out.iter().map(|v| v * v).sum::<f32>() / out.len().max(1) as f32).sqrt();
    out.iter_mut().for_each(|v| *v /= rms.max(f32::MIN_POSITIVE));
    out
}
