//! Another pitch for a single voice, with its formants, its length and all that is not voiced as they were.
//!
//! [`wanted`] says by how much the pitch goes up or down at every moment, [`marks`] where each period of the voice is, [`grains`] sets its
//! periods closer together or further apart (pitch-synchronous overlap-add: E. Moulines and F. Charpentier, Speech Communication 9, 1990),
//! [`Retuned`] reads the result from its beginning to its end.

mod grains;
mod marks;
pub mod wanted;

use crate::pitch::Pitch;
use crate::pitch::track::STEP_S;
use crate::signal::{ReadError, Source, index, len_i64};
use crate::units::SampleRate;
use grains::Grains;
use marks::marks;
use std::collections::VecDeque;

/// A pitch that changes by less than this stays, in semitones.
const NOTHING: f64 = 0.005;
/// What is voiced for less than this stays, in seconds: it holds hardly three periods.
const SHORTEST_S: f64 = 0.03;
/// Read beside a stretch that is voiced, in seconds: room for the longest period and for reading between frames.
const BESIDE_S: f64 = 0.03;
/// Read at a time, in frames.
const BLOCK: usize = 4_096;

/// A voiced stretch whose pitch changes: its steps, from one to another.
type Run = [usize; 2];

/// The result, read from its beginning on: as long as what it is made of. Memory grows with the longest stretch that is voiced without a
/// break, and with nothing else.
pub struct Retuned<'a> {
    sources: &'a [&'a dyn Source],
    pitch: &'a [Pitch],
    shifts: &'a [f64],
    rate: SampleRate,
    runs: VecDeque<Run>,
    /// The stretch that is read, and the frame it begins at.
    made: Option<(i64, Vec<Vec<f32>>)>,
    at: i64,
}

impl<'a> Retuned<'a> {
    /// Channels of one voice, all changed alike. `pitch` was told of the first one, in frames of the sources; `shifts` says by how many
    /// semitones the pitch goes up at each of its steps.
    pub fn new(sources: &'a [&'a dyn Source], pitch: &'a [Pitch], shifts: &'a [f64], rate: SampleRate) -> Self {
        let runs = runs(pitch, shifts);
        Self { sources, pitch, shifts, rate, runs, made: None, at: 0 }
    }

    /// The next block, a list of samples a source; empty behind the end.
    ///
    /// # Errors
    /// [`ReadError`] when a source cannot be read.
    pub fn next_block(&mut self) -> Result<Vec<Vec<f32>>, ReadError> {
        let end = self.sources.iter().map(|s| s.frames()).max().unwrap_or(0);
        if self.made.is_none()
            && let Some(run) = self.runs.front().copied()
        {
            self.made = Some(self.make(run)?);
        }
        // As recorded up to the stretch, then the stretch.
        let (to, own) = match &self.made {
            Some((begins, sound)) if self.at >= *begins => (begins + len_i64(sound[0].len()), true),
            Some((begins, _)) => (*begins, false),
            None => (end, false),
        };
        let to = to.min(self.at + len_i64(BLOCK)).min(end);
        if self.at >= to {
            return Ok(Vec::new());
        }
        let frames = index(to - self.at);
        let block = match self.made.as_ref().filter(|_| own) {
            Some((begins, sound)) => {
                let from = index(self.at - begins);
                sound.iter().map(|x| x[from..from + frames].to_vec()).collect()
            }
            None => self.read(self.at, frames)?,
        };
        self.at = to;
        if self.made.as_ref().is_some_and(|(begins, sound)| self.at >= begins + len_i64(sound[0].len())) {
            self.made = None;
            self.runs.pop_front();
        }
        Ok(block)
    }

    fn read(&self, from: i64, frames: usize) -> Result<Vec<Vec<f32>>, ReadError> {
        let one = |source: &&dyn Source| {
            let mut x = vec![0f32; frames];
            source.read(from, &mut x).map(|()| x)
        };
        self.sources.iter().map(one).collect()
    }

    /// A voiced stretch with its new pitch, and the frame it begins at.
    fn make(&self, [from, to]: Run) -> Result<(i64, Vec<Vec<f32>>), ReadError> {
        let beside = self.rate.frames(BESIDE_S);
        let frame = |n: usize| self.pitch[n].at.round() as i64;
        let begins = (frame(from) - beside).max(self.at);
        let end = self.sources.iter().map(|s| s.frames()).max().unwrap_or(0);
        // Two stretches share what lies between them.
        let next = self.runs.get(1).map_or(end, |[next, _]| (frame(to - 1) + frame(*next)) / 2);
        let frames = index(((frame(to - 1) + beside).min(next).min(end) - begins).max(0));
        let sounds = self.read(begins, frames)?;
        let of = |at: f64| at - begins as f64;
        let periods: Vec<[f64; 2]> =
            self.pitch[from..to].iter().filter_map(|p| Some([of(p.at), self.rate.hz_f64() / p.hz?])).collect();
        let all = marks(&sounds[0], &periods);
        let shifts = &self.shifts[from..to];
        let step = self.rate.hz_f64() * STEP_S;
        let first = of(self.pitch[from].at);
        let ratio = |at: f64| {
            // Straight between two steps.
            let place = ((at - first) / step).clamp(0.0, (shifts.len() - 1) as f64);
            let (n, share) = (place.floor() as usize, place.fract());
            let next = shifts[(n + 1).min(shifts.len() - 1)];
            2f64.powf((shifts[n] + share * (next - shifts[n])) / 12.0)
        };
        let grains = Grains::new(&all, frames, ratio);
        Ok((begins, sounds.iter().map(|x| grains.sound(x, self.rate)).collect()))
    }
}

/// Stretches that are voiced without a break, long enough, and change somewhere.
fn runs(pitch: &[Pitch], shifts: &[f64]) -> VecDeque<Run> {
    let shortest = (SHORTEST_S / STEP_S).round() as usize;
    let mut found = VecDeque::new();
    let mut from = None;
    for n in 0..=pitch.len() {
        match (from, pitch.get(n).is_some_and(|p| p.hz.is_some())) {
            (None, true) => from = Some(n),
            (Some(begin), false) => {
                let changes = shifts[begin..n.min(shifts.len())].iter().any(|s| s.abs() > NOTHING);
                if n - begin >= shortest && changes {
                    found.push_back([begin, n]);
                }
                from = None;
            }
            _ => {}
        }
    }
    found
}

#[cfg(test)]
mod tests;
