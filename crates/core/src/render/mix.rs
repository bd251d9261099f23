//! Several corrected tracks summed to stereo, block by block.

use super::TrackRenderer;
use crate::signal::ReadError;

/// A track in a mix.
pub struct Voice<'a> {
    /// The corrected track.
    pub track: TrackRenderer<'a>,
    /// Factors on the left and the right side.
    pub sides: [f32; 2],
}

/// A stereo sum with scratch memory for one block.
#[derive(Default)]
pub struct Mix<'a> {
    /// What sounds.
    pub voices: Vec<Voice<'a>>,
    scratch: Vec<f32>,
}

impl<'a> Mix<'a> {
    /// A mix of the given voices.
    pub fn new(voices: Vec<Voice<'a>>) -> Self {
        Self { voices, scratch: Vec::new() }
    }

    /// Fills both sides with the sum from a session frame on.
    ///
    /// # Errors
    /// [`ReadError`] of the first track that fails.
    pub fn read(&mut self, frame: i64, left: &mut [f32], right: &mut [f32]) -> Result<(), ReadError> {
        left.fill(0.0);
        right.fill(0.0);
        self.scratch.resize(left.len(), 0.0);
        for voice in &mut self.voices {
            voice.track.read(frame, &mut self.scratch)?;
            for (side, out) in voice.sides.iter().zip([&mut *left, &mut *right]) {
                if *side != 0.0 {
                    out.iter_mut().zip(&self.scratch).for_each(|(o, v)| *o += side * v);
                }
            }
        }
        Ok(())
    }
}
