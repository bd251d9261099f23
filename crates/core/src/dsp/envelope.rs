//! Where something is struck: energy envelope and onsets (after Bello et al. 2005), streamed.

use crate::progress::{MeasureError, Progress};
use crate::signal::{Placed, index};
use crate::units::{SampleRate, db_of_power};
use serde::{Deserialize, Serialize};

/// Energy of a track a millisecond, in session time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Envelope {
    /// Mean square of each hop, as recorded. Index 0 is session frame `first`.
    pub power: Vec<f32>,
    /// Session frame of the first hop.
    pub first: i64,
    /// Frames a hop.
    pub hop: usize,
}

/// One onset.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Onset {
    /// Session frame at which the attack starts, to about a millisecond.
    pub frame: i64,
    /// Mean-square level of the 10 ms after it, in dB.
    pub level_db: f64,
}

/// Hops from which a percentile is certain enough.
const ENOUGH_HOPS: usize = 20_000;

impl Envelope {
    /// Measures the envelope of a whole track in blocks of one second.
    ///
    /// # Errors
    /// [`MeasureError`] when the track cannot be read or `progress` says stop.
    pub fn measure(track: &Placed, rate: SampleRate, progress: Progress) -> Result<Self, MeasureError> {
        let hop = index(rate.frames(0.001).max(1));
        let hops_a_block = 1_000;
        let mut block = vec![0f32; hop * hops_a_block];
        let total = track.source.frames();
        let mut power = Vec::with_capacity(index(total) / hop + 1);
        let mut at = 0;
        while at < total {
            if !progress(at as f64 / total as f64) {
                return Err(MeasureError::Stopped);
            }
            track.source.read(at, &mut block)?;
            for chunk in block.chunks_exact(hop) {
                power.push(chunk.iter().map(|v| v * v).sum::<f32>() / hop as f32);
            }
            at += (hop * hops_a_block) as i64;
        }
        power.truncate(index((total + hop as i64 - 1) / hop as i64));
        Ok(Self { power, first: track.start.0, hop })
    }

    /// The power below which the quietest tenth lies (digital silence left out); `None` when all is silent.
    pub fn floor(&self) -> Option<f32> {
        self.percentile(0.10)
    }

    /// A percentile of the hops that hold anything at all.
    pub fn percentile(&self, part: f64) -> Option<f32> {
        // Of long tracks every so many: the distribution is the same.
        let step = (self.power.len() / ENOUGH_HOPS).max(1);
        let mut live: Vec<f32> = self.power.iter().copied().step_by(step).filter(|p| *p > 1e-14).collect();
        if live.is_empty() {
            return None;
        }
        let at = ((live.len() - 1) as f64 * part) as usize;
        let (_, value, _) = live.select_nth_unstable_by(at, f32::total_cmp);
        Some(*value)
    }

    /// Mean power from a session frame over about `frames` frames, at least one hop.
    pub fn mean(&self, frame: i64, frames: i64) -> f32 {
        let at = (frame - self.first).div_euclid(self.hop as i64);
        let hops = (frames / self.hop as i64).max(1);
        let mut sum = 0.0;
        for i in at..at + hops {
            if i >= 0 && i < self.power.len() as i64 {
                sum += self.power[index(i)];
            }
        }
        sum / hops as f32
    }

    /// Largest power of two neighbouring hops between two session frames.
    pub fn largest(&self, from: i64, to: i64) -> f32 {
        let hop = |frame: i64| (frame - self.first).div_euclid(self.hop as i64).clamp(0, self.power.len() as i64);
        let part = &self.power[index(hop(from))..index(hop(to).max(hop(from)))];
        part.windows(2).map(|w| 0.5 * (w[0] + w[1])).fold(0.0, f32::max)
    }

    /// The same at hops `factor` times as long.
    pub fn coarser(&self, factor: usize) -> Self {
        let power = self.power.chunks(factor).map(|c| c.iter().sum::<f32>() / c.len() as f32).collect();
        Self { power, first: self.first, hop: self.hop * factor }
    }

    /// Onsets: places where the energy of 3 ms rises by at least 9 dB over the mean of the 30 ms before, at least 12 dB
    /// above the floor and within 40 dB of the loud strikes, refined back to the start of the attack. In order of time.
    pub fn onsets(&self) -> Vec<Onset> {
        let n = self.power.len();
        let (Some(floor), Some(loud)) = (self.floor(), self.percentile(0.99)) else { return Vec::new() };
        // A recording of nothing but strikes on silence has no floor to speak of.
        let threshold = (floor * 16.0).min(loud * 0.25).max(loud * 1e-4);
        let mut before = vec![0f64; n + 1];
        for i in 0..n {
            before[i + 1] = before[i] + f64::from(self.power[i]);
        }
        let mean = |from: usize, to: usize| (before[to] - before[from]) / (to - from).max(1) as f64;
        let short = |i: usize| mean(i, (i + 3).min(n));
        let rise = |i: usize| {
            let past = mean(i.saturating_sub(30), i.max(1));
            short(i) / (past + f64::from(loud) * 1e-7)
        };
        let mut found = Vec::new();
        let mut i = 1;
        while i + 3 < n {
            if short(i) > f64::from(threshold) && rise(i) > 8.0 {
                // The steepest place of the next 8 ms holds the attack in the 3 ms that follow; it begins with the first
                // hop that has a twentieth of their largest.
                let top = (i..(i + 8).min(n - 3)).max_by(|a, b| rise(*a).total_cmp(&rise(*b))).unwrap_or(i);
                let most = self.power[top..top + 3].iter().copied().fold(0f32, f32::max);
                let start = (top..top + 3).find(|k| self.power[*k] >= most * 0.05).unwrap_or(top);
                found.push(Onset {
                    frame: self.first + (start * self.hop) as i64,
                    level_db: db_of_power(mean(top, (top + 10).min(n)).max(1e-20)),
                });
                i = top + 30;
            } else {
                i += 1;
            }
        }
        found
    }
}
