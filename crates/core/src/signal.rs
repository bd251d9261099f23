//! Where samples come from: anything that can be read at any place, a block at a time.

use crate::units::SessionFrame;
use thiserror::Error;

/// A recording that could not be read.
#[derive(Debug, Error)]
#[error("{what}: {cause}")]
pub struct ReadError {
    /// Which recording or track.
    pub what: String,
    /// What the machine said.
    #[source]
    pub cause: std::io::Error,
}

/// One channel of sound, readable anywhere. Positions are frames from the recording's own beginning.
pub trait Source: Send + Sync {
    /// Length in frames.
    fn frames(&self) -> i64;

    /// Fills `out` with the frames from `start` on. Frames before the beginning and after the end are zero.
    ///
    /// # Errors
    /// [`ReadError`] when the medium fails; `out` is then unspecified.
    fn read(&self, start: i64, out: &mut [f32]) -> Result<(), ReadError>;

    /// What a first pass over the sound found when it was brought in, as kept beside it; none where nothing is kept.
    fn surveyed(&self) -> Option<Vec<u8>> {
        None
    }

    /// A name that only this sound bears for as long as the program runs, by which what was measured of it is found again; none where
    /// there is no such name.
    fn identity(&self) -> Option<Vec<u8>> {
        None
    }
}

/// A channel held in memory.
#[derive(Debug, Clone, Default)]
pub struct MemSource(pub Vec<f32>);

impl Source for MemSource {
    fn frames(&self) -> i64 {
        len_i64(self.0.len())
    }

    fn read(&self, start: i64, out: &mut [f32]) -> Result<(), ReadError> {
        out.fill(0.0);
        if let Some((from, to, count)) = overlap(start, out.len(), self.frames()) {
            out[to..to + count].copy_from_slice(&self.0[from..from + count]);
        }
        Ok(())
    }
}

/// A source heard `start` frames after the session's beginning: where the recording was placed.
#[derive(Clone, Copy)]
pub struct Placed<'a> {
    /// The recording's channel.
    pub source: &'a dyn Source,
    /// Frame of the session at which its first frame sounds.
    pub start: SessionFrame,
}

impl Placed<'_> {
    /// Reads in session time.
    ///
    /// # Errors
    /// As [`Source::read`].
    pub fn read(&self, session_frame: i64, out: &mut [f32]) -> Result<(), ReadError> {
        self.source.read(session_frame.saturating_sub(self.start.0), out)
    }

    /// First session frame after the end.
    pub fn end(&self) -> SessionFrame {
        self.start.plus(self.source.frames())
    }
}

/// A placed recording as another one's clock counts it: frame 0 is a frame of the session.
#[derive(Clone, Copy)]
pub struct Since<'a> {
    /// What is read.
    pub placed: Placed<'a>,
    /// Frame of the session that is frame 0 here; what lies before has negative numbers.
    pub from: SessionFrame,
}

impl Source for Since<'_> {
    fn frames(&self) -> i64 {
        self.placed.end().0.saturating_sub(self.from.0).max(0)
    }

    fn read(&self, start: i64, out: &mut [f32]) -> Result<(), ReadError> {
        self.placed.read(start.saturating_add(self.from.0), out)
    }
}

/// Which part of a block of `want` frames at `start` lies inside a recording of `have` frames:
/// `(first frame of the recording, first index of the block, count)`.
pub fn overlap(start: i64, want: usize, have: i64) -> Option<(usize, usize, usize)> {
    let end = start.saturating_add(len_i64(want)).min(have);
    let from = start.max(0);
    if end <= from {
        return None;
    }
    Some((index(from), index(from - start), index(end - from)))
}

/// A slice length as a frame count.
pub fn len_i64(len: usize) -> i64 {
    len as i64
}

/// A frame known to be non-negative as an index.
///
/// # Panics
/// When it is negative.
pub fn index(frame: i64) -> usize {
    usize::try_from(frame).expect("a frame inside the buffer")
}
