//! Applying corrections, block by block. What is heard and what is delivered both come from here.

pub mod click;
mod mix;
pub mod resample;
pub mod sinc;
pub mod varispeed;

pub use mix::{Mix, Voice, pan_sides};

use crate::correct::Correction;
use crate::signal::{Placed, ReadError};
use sinc::FractionalDelay;

/// One track with its correction, readable at any session frame.
///
/// Every output frame depends only on its position, never on the blocks before it, so that any cutting into blocks gives
/// the same samples. A whole offset copies samples bit for bit (times −1 when inverted, times the gain when there is one).
pub struct TrackRenderer<'a> {
    track: Placed<'a>,
    whole: i64,
    delay: Option<FractionalDelay>,
    factor: f32,
    scratch: Vec<f32>,
}

impl<'a> TrackRenderer<'a> {
    /// Prepares a track; allocates the taps of a fractional delay when the offset has a fraction.
    pub fn new(track: Placed<'a>, correction: &Correction) -> Self {
        let whole = correction.offset_frames.floor();
        let fraction = correction.offset_frames - whole;
        Self {
            track,
            whole: whole as i64,
            delay: (fraction > 1e-9).then(|| FractionalDelay::new(fraction)),
            factor: correction.factor(),
            scratch: Vec::new(),
        }
    }

    /// First session frame that can hold sound.
    pub fn first(&self) -> i64 {
        self.track.start + self.whole - if self.delay.is_some() { sinc::HALF_TAPS as i64 } else { 0 }
    }

    /// First session frame after the last that can hold sound.
    pub fn end(&self) -> i64 {
        self.track.end() + self.whole + if self.delay.is_some() { sinc::HALF_TAPS as i64 } else { 0 }
    }

    /// Fills `out` with the corrected track from a session frame on. Reuses its scratch memory.
    ///
    /// # Errors
    /// [`ReadError`] when the recording cannot be read; `out` is then unspecified.
    pub fn read(&mut self, frame: i64, out: &mut [f32]) -> Result<(), ReadError> {
        match &self.delay {
            None => self.track.read(frame - self.whole, out)?,
            Some(delay) => {
                self.scratch.resize(out.len() + delay.margin_before() + delay.margin_after(), 0.0);
                self.track.read(frame - self.whole - delay.margin_before() as i64, &mut self.scratch)?;
                delay.apply(&self.scratch, out);
            }
        }
        if self.factor != 1.0 {
            out.iter_mut().for_each(|v| *v *= self.factor);
        }
        Ok(())
    }
}

/// A track with its correction as a source of its own, in session frames: what is measured is then what is heard.
pub struct Carried<'a> {
    track: std::sync::Mutex<TrackRenderer<'a>>,
    first: i64,
    end: i64,
}

impl<'a> Carried<'a> {
    /// Prepares a track.
    pub fn new(track: Placed<'a>, correction: &Correction) -> Self {
        let track = TrackRenderer::new(track, correction);
        Self { first: track.first(), end: track.end(), track: std::sync::Mutex::new(track) }
    }

    /// First session frame that can hold sound.
    pub fn first(&self) -> i64 {
        self.first
    }
}

impl crate::signal::Source for Carried<'_> {
    fn frames(&self) -> i64 {
        self.end
    }

    fn read(&self, start: i64, out: &mut [f32]) -> Result<(), ReadError> {
        self.track.lock().unwrap_or_else(std::sync::PoisonError::into_inner).read(start, out)
    }
}
