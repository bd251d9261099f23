//! One part made wide: copies of it that drift slowly in time, and with it in pitch, half of them left and half of them right.
//!
//! [`drift`] says by how much a copy is later at every moment, [`Widened`] reads both sides, [`mono`] tells beforehand what their sum
//! loses. A copy is the part read at a speed that changes by a few thousandths: attacks stay as sharp and formants where they are to
//! within those thousandths.

pub mod drift;
pub mod mono;

use crate::render::varispeed::{between, point};
use crate::signal::{ReadError, Source, index, len_i64};
use drift::Drift;

/// Read at a time, in frames.
const BLOCK: i64 = 4_096;

/// Both sides of a part, read from their beginning to their end.
pub struct Widened<'a> {
    source: &'a dyn Source,
    drifts: Vec<Drift>,
    reach: i64,
    at: i64,
}

impl<'a> Widened<'a> {
    /// Copies of a part, none of them further off than so many frames.
    pub fn new(source: &'a dyn Source, drifts: Vec<Drift>, apart: f64) -> Self {
        let reach = apart.ceil() as i64;
        Self { source, drifts, reach, at: -reach }
    }

    /// The frame of the part at which the result begins, 0 or less: a copy may be early.
    pub fn first(&self) -> i64 {
        -self.reach
    }

    /// Length of the result, in frames.
    pub fn frames(&self) -> i64 {
        self.source.frames() + 2 * self.reach
    }

    /// The next block: left and right, at the level of the part each; empty behind the end.
    ///
    /// # Errors
    /// [`ReadError`] when the part cannot be read.
    pub fn next_block(&mut self) -> Result<Vec<Vec<f32>>, ReadError> {
        let end = self.source.frames() + self.reach;
        let frames = index((end - self.at).clamp(0, BLOCK));
        let mut sides = vec![vec![0f32; frames]; 2];
        if frames == 0 {
            return Ok(sides);
        }
        let reach = self.reach as f64;
        let (first, count) = between(self.at as f64 - reach, (self.at + len_i64(frames) - 1) as f64 + reach);
        let mut input = vec![0f32; count];
        self.source.read(first, &mut input)?;
        // Copies are unrelated but in the lows: their powers add.
        let gain = (2.0 / self.drifts.len().max(1) as f64).sqrt() as f32;
        for (n, drift) in self.drifts.iter().enumerate() {
            for (t, out) in sides[n % 2].iter_mut().enumerate() {
                let at = (self.at + len_i64(t)) as f64;
                *out += gain * point(&input, first, at - drift.later(at));
            }
        }
        self.at += len_i64(frames);
        Ok(sides)
    }
}

#[cfg(test)]
mod tests {
    use super::drift::{Asked, drifts};
    use super::*;
    use crate::signal::MemSource;
    use crate::units::SampleRate;

    const APART: f64 = 480.0;

    fn sides(sound: &MemSource, copies: usize) -> (i64, Vec<Vec<f32>>) {
        let asked = Asked { copies, apart_ms: 10.0, cents: 6.0, drift: 3 };
        let mut reader = Widened::new(sound, drifts(&asked, SampleRate::new(48_000).unwrap()), APART);
        let (first, frames) = (reader.first(), reader.frames());
        let mut all = vec![Vec::new(); 2];
        loop {
            let block = reader.next_block().unwrap();
            if block[0].is_empty() {
                break;
            }
            all.iter_mut().zip(block).for_each(|(a, b)| a.extend(b));
        }
        assert!(all.iter().all(|side| side.len() as i64 == frames));
        (first, all)
    }

    /// A click comes as much later on either side as the drift of its copy says.
    #[test]
    fn every_copy_is_as_late_as_its_drift() {
        let mut x = vec![0f32; 60_000];
        x[30_000] = 1.0;
        let (first, all) = sides(&MemSource(x), 2);
        let asked = Asked { copies: 2, apart_ms: 10.0, cents: 6.0, drift: 3 };
        for (side, drift) in all.iter().zip(drifts(&asked, SampleRate::new(48_000).unwrap())) {
            let top = (0..side.len()).max_by(|a, b| side[*a].abs().total_cmp(&side[*b].abs())).unwrap();
            let at = (first + top as i64) as f64;
            assert!((at - drift.later(at) - 30_000.0).abs() <= 0.51, "{at} {}", drift.later(at));
        }
    }

    #[test]
    fn either_side_is_as_loud_as_the_part() {
        let noise = (0..480_000).map(|n| (crate::dsp::drawn::drawn(n) - 0.5) as f32).collect();
        let sound = MemSource(noise);
        let power = |x: &[f32]| x.iter().map(|v| f64::from(v * v)).sum::<f64>();
        for copies in [2, 4, 6] {
            let (_, all) = sides(&sound, copies);
            for side in all {
                let db = 10.0 * (power(&side) / power(&sound.0)).log10();
                assert!(db.abs() < 0.5, "{copies}: {db}");
            }
        }
    }
}
