//! Several corrected tracks summed to stereo, block by block.

use crate::render::track::TrackRenderer;
use crate::signal::ReadError;

/// A track in a mix.
pub struct Voice<'a> {
    /// The corrected track.
    pub track: TrackRenderer<'a>,
    /// Factors on the left and the right side.
    pub sides: [f32; 2],
}

/// Factors on left and right for a place between −1 (left) and +1 (right): equal power all the way, −3 dB each in the middle
/// (common practice).
pub fn pan_sides(place: f64) -> [f32; 2] {
    let turn = (place.clamp(-1.0, 1.0) + 1.0) * std::f64::consts::FRAC_PI_4;
    // The ends are exact: a track that is all left adds nothing, not even rounding, to the right.
    match place {
        p if p <= -1.0 => [1.0, 0.0],
        p if p >= 1.0 => [0.0, 1.0],
        _ => [turn.cos() as f32, turn.sin() as f32],
    }
}

/// A stereo sum with scratch memory for one block.
#[derive(Default)]
pub struct Mix<'a> {
    /// What sounds.
    pub voices: Vec<Voice<'a>>,
    /// Root mean square of each voice in the block that was read last, before it was given its sides.
    pub levels: Vec<f32>,
    scratch: Vec<f32>,
}

impl<'a> Mix<'a> {
    /// A mix of the given voices.
    pub fn new(voices: Vec<Voice<'a>>) -> Self {
        Self { levels: vec![0.0; voices.len()], voices, scratch: Vec::new() }
    }

    /// Fills both sides with the sum from a session frame on.
    ///
    /// # Errors
    /// [`ReadError`] of the first track that fails.
    pub fn read(&mut self, frame: i64, left: &mut [f32], right: &mut [f32]) -> Result<(), ReadError> {
        self.scratch.resize(left.len(), 0.0);
        let mut empty = [true; 2];
        for (voice, level) in self.voices.iter_mut().zip(&mut self.levels) {
            voice.track.read(frame, &mut self.scratch)?;
            let square: f64 = self.scratch.iter().map(|v| f64::from(*v).powi(2)).sum();
            *level = (square / self.scratch.len().max(1) as f64).sqrt() as f32;
            for (i, out) in [&mut *left, &mut *right].into_iter().enumerate() {
                let side = voice.sides[i];
                if side == 0.0 {
                    continue;
                }
                // The first voice is written, not added: adding would lose the sign of its zeros.
                let samples = out.iter_mut().zip(&self.scratch);
                if std::mem::take(&mut empty[i]) {
                    samples.for_each(|(o, v)| *o = side * v);
                } else {
                    samples.for_each(|(o, v)| *o += side * v);
                }
            }
        }
        for (out, empty) in [left, right].into_iter().zip(empty) {
            if empty {
                out.fill(0.0);
            }
        }
        Ok(())
    }
}
