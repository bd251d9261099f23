//! One track with what it carries, block by block.

use super::sinc;
use crate::edit::Correction;
use crate::edit::stretch::Mend;
use crate::render::sinc::FractionalDelay;
use crate::signal::{Placed, ReadError};

/// Frames over which a mended stretch takes over from the rest, and gives back to it: 5 ms at 48 kHz.
pub const SEAM_FRAMES: i64 = 240;

/// One track with its correction, readable at any session frame.
///
/// Every output frame depends only on its position, never on the blocks before it, so that any cutting into blocks gives
/// the same samples. A whole offset copies samples bit for bit (times −1 when inverted, times the gain when there is one).
pub struct TrackRenderer<'a> {
    all: Carrier<'a>,
    mends: Vec<Mended<'a>>,
    scratch: Vec<f32>,
}

/// A stretch of the session in which the track carries something else.
struct Mended<'a> {
    from: i64,
    to: i64,
    there: Carrier<'a>,
}

impl<'a> TrackRenderer<'a> {
    /// Prepares a track; allocates the taps of a fractional delay when the offset has a fraction.
    pub fn new(track: Placed<'a>, correction: &Correction) -> Self {
        Self::mended(track, correction, &[])
    }

    /// The same with stretches that carry something besides. Inside each, over [`SEAM_FRAMES`] at either end, the two are
    /// faded into one another.
    pub fn mended(track: Placed<'a>, correction: &Correction, mends: &[Mend]) -> Self {
        let all = Carrier::new(track, correction);
        let begin = track.start + all.whole;
        let of = |m: &Mend| Mended {
            from: begin.saturating_add(m.from),
            to: begin.saturating_add(m.to),
            there: Carrier::new(track, &correction.and(&m.besides)),
        };
        Self { mends: mends.iter().map(of).collect(), all, scratch: Vec::new() }
    }

    /// First session frame that can hold sound.
    pub fn first(&self) -> i64 {
        self.all.first()
    }

    /// First session frame after the last that can hold sound.
    pub fn end(&self) -> i64 {
        self.all.end()
    }

    /// Fills `out` with the corrected track from a session frame on. Reuses its scratch memory.
    ///
    /// # Errors
    /// [`ReadError`] when the recording cannot be read; `out` is then unspecified.
    pub fn read(&mut self, frame: i64, out: &mut [f32]) -> Result<(), ReadError> {
        self.all.read(frame, out)?;
        for m in &mut self.mends {
            let (from, to) = (m.from.max(frame), m.to.min(frame.saturating_add(out.len() as i64)));
            if from >= to {
                continue;
            }
            let part = &mut out[crate::signal::index(from - frame)..crate::signal::index(to - frame)];
            self.scratch.resize(part.len(), 0.0);
            m.there.read(from, &mut self.scratch)?;
            for (at, (o, v)) in (from..).zip(part.iter_mut().zip(&self.scratch)) {
                let inside = (at - m.from + 1).min(m.to - at);
                if inside >= SEAM_FRAMES {
                    *o = *v;
                } else {
                    let weight = inside as f32 / SEAM_FRAMES as f32;
                    *o += weight * (v - *o);
                }
            }
        }
        Ok(())
    }
}

/// A recording with one correction.
struct Carrier<'a> {
    track: Placed<'a>,
    whole: i64,
    delay: Option<FractionalDelay>,
    factor: f32,
    scratch: Vec<f32>,
}

impl<'a> Carrier<'a> {
    fn new(track: Placed<'a>, correction: &Correction) -> Self {
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

    fn first(&self) -> i64 {
        self.track.start + self.whole - if self.delay.is_some() { sinc::HALF_TAPS as i64 } else { 0 }
    }

    fn end(&self) -> i64 {
        self.track.end() + self.whole + if self.delay.is_some() { sinc::HALF_TAPS as i64 } else { 0 }
    }

    fn read(&mut self, frame: i64, out: &mut [f32]) -> Result<(), ReadError> {
        match &self.delay {
            None => self.track.read(frame.saturating_sub(self.whole), out)?,
            Some(delay) => {
                self.scratch.resize(out.len() + delay.margin_before() + delay.margin_after(), 0.0);
                self.track.read(
                    frame.saturating_sub(self.whole).saturating_sub(delay.margin_before() as i64),
                    &mut self.scratch,
                )?;
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
    /// What a renderer gives.
    pub fn new(track: TrackRenderer<'a>) -> Self {
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
