//! Other lengths of a sound: time-scaling along a map, with its attacks as they were and its pitch untouched.
//!
//! [`plan`] says what is copied and what is scaled, [`vocoder`] scales, [`Scaled`] reads the result from its beginning to its end. All
//! channels of a recording, and all tracks that are linked, are scaled together: they keep their phases against one another.

pub mod plan;
mod vocoder;

use crate::edit::map::TimeMap;
use crate::signal::{ReadError, Source, index, len_i64};
use crate::units::SampleRate;
use plan::{Part, Plan, plan};
use std::f64::consts::PI;
use vocoder::Vocoder;

/// An attack is as strong as so long after it is louder than so long before it, in seconds.
const WEIGHED_S: f64 = 0.005;
/// Read at a time, in frames.
const BLOCK: usize = 4_096;

/// The result, read from its beginning on. Memory does not grow with its length.
pub struct Scaled<'a> {
    sources: &'a [&'a dyn Source],
    rate: SampleRate,
    plan: Plan,
    /// The frame that is read next.
    at: i64,
    /// Of the scaled parts that were begun: which, and what scales it.
    begun: Vec<(usize, Vocoder<'a>)>,
}

impl<'a> Scaled<'a> {
    /// Sounds of one recording or of linked tracks, all of one length, along a map; `attacks` are frames of theirs, in order.
    ///
    /// # Errors
    /// [`ReadError`] when a source cannot be read.
    pub fn new(
        sources: &'a [&'a dyn Source],
        map: &TimeMap,
        attacks: &[i64],
        rate: SampleRate,
    ) -> Result<Self, ReadError> {
        let frames = sources.iter().map(|s| s.frames()).max().unwrap_or(0);
        let attacks = weighed(sources, attacks, rate)?;
        let plan = plan(map, frames, &attacks, rate);
        Ok(Self { sources, rate, at: plan.first(), plan, begun: Vec::new() })
    }

    /// What is copied and what is scaled.
    pub fn plan(&self) -> &Plan {
        &self.plan
    }

    /// The next block, a list of samples a source; empty behind the end.
    ///
    /// # Errors
    /// [`ReadError`] when a source cannot be read.
    pub fn next_block(&mut self) -> Result<Vec<Vec<f32>>, ReadError> {
        let [from, to] = [self.at, self.plan.end().min(self.at + len_i64(BLOCK))];
        if from >= to {
            return Ok(Vec::new());
        }
        let mut sum = vec![vec![0f32; index(to - from)]; self.sources.len()];
        self.begun.retain(|(n, _)| self.plan.parts[*n].reach()[1] > from);
        for n in 0..self.plan.parts.len() {
            let [begins, ends] = self.plan.parts[n].reach();
            if begins >= to || ends <= from || matches!(self.plan.parts[n], Part::Copied { .. }) {
                continue;
            }
            let within = [begins.max(from), ends.min(to)];
            self.scale(n, within, from, &mut sum)?;
        }
        // What is copied comes last: how it joins follows what was scaled before it.
        for n in 0..self.plan.parts.len() {
            let [begins, ends] = self.plan.parts[n].out();
            if begins < to && ends > from {
                self.copy(n, [begins.max(from), ends.min(to)], from, &mut sum)?;
            }
        }
        self.at = to;
        Ok(sum)
    }

    fn scale(&mut self, n: usize, [begins, ends]: [i64; 2], from: i64, sum: &mut [Vec<f32>]) -> Result<(), ReadError> {
        let Part::Scaled(gap) = &self.plan.parts[n] else { return Ok(()) };
        if !self.begun.iter().any(|(of, _)| *of == n) {
            self.begun.push((n, Vocoder::new(self.sources, gap.clone(), self.rate)?));
        }
        let Some((_, vocoder)) = self.begun.iter_mut().find(|(of, _)| *of == n) else { return Ok(()) };
        let made = vocoder.read(begins, index(ends - begins))?;
        for (sum, made) in sum.iter_mut().zip(made) {
            for (at, y) in (begins..ends).zip(made) {
                let w = match at {
                    at if at < gap.out[0] => risen(at - gap.out[0] + gap.fades[0], gap.fades[0]),
                    at if at >= gap.out[1] => joined(at - gap.out[1], gap.fades[1], vocoder.agrees())[0],
                    _ => 1.0,
                };
                sum[index(at - from)] += y * w as f32;
            }
        }
        Ok(())
    }

    fn copy(&self, n: usize, [begins, ends]: [i64; 2], from: i64, sum: &mut [Vec<f32>]) -> Result<(), ReadError> {
        let Part::Copied { later, .. } = self.plan.parts[n] else { return Ok(()) };
        let gap = |n: Option<usize>| match n.and_then(|n| self.plan.parts.get(n)) {
            Some(Part::Scaled(gap)) => Some(gap),
            _ => None,
        };
        let (before, after) = (gap(n.checked_sub(1)), gap(Some(n + 1)));
        let agrees = n.checked_sub(1).and_then(|n| self.begun.iter().find(|(of, _)| *of == n));
        let agrees = agrees.map_or(1.0, |(_, v)| v.agrees());
        let mut own = vec![0f32; index(ends - begins)];
        for (source, sum) in self.sources.iter().zip(sum) {
            source.read(begins - later, &mut own)?;
            for (at, x) in (begins..ends).zip(&own) {
                let comes = before.filter(|g| at < g.out[1] + g.fades[1]);
                let goes = after.filter(|g| at >= g.out[0] - g.fades[0]);
                let w = comes.map_or(1.0, |g| joined(at - g.out[1], g.fades[1], agrees)[1])
                    * goes.map_or(1.0, |g| 1.0 - risen(at - g.out[0] + g.fades[0], g.fades[0]));
                let to = &mut sum[index(at - from)];
                // Untouched where nothing else sounds: bit by bit what the recording is.
                *to = if w == 1.0 && *to == 0.0 { *x } else { *to + x * w as f32 };
            }
        }
        Ok(())
    }
}

/// Attacks with how strong they are: by how much the power of all sources rises over one.
fn weighed(sources: &[&dyn Source], attacks: &[i64], rate: SampleRate) -> Result<Vec<(i64, f32)>, ReadError> {
    let about = rate.frames(WEIGHED_S);
    let mut heard = vec![0f32; index(2 * about)];
    let mut one = |at: i64| {
        let mut rise = 0.0;
        for source in sources {
            source.read(at - about, &mut heard)?;
            let (before, after) = heard.split_at(index(about));
            let power = |x: &[f32]| x.iter().map(|v| v * v).sum::<f32>();
            rise += power(after) - power(before);
        }
        Ok((at, rise))
    };
    attacks.iter().map(|at| one(*at)).collect()
}

/// How far a fade of so many frames has risen.
fn risen(at: i64, frames: i64) -> f64 {
    0.5 - 0.5 * (PI * (at as f64 + 0.5) / frames as f64).cos()
}

/// Weights of what ends and of what begins at a frame of a fade, so that the level stays: of two sounds that agree so far, from not at
/// all (0) to wholly (1).
fn joined(at: i64, frames: i64, agree: f64) -> [f64; 2] {
    let g = risen(at, frames);
    let h = 1.0 - g;
    let level = (g * g + h * h + 2.0 * agree * g * h).sqrt();
    [h / level, g / level]
}

#[cfg(test)]
mod tests;
