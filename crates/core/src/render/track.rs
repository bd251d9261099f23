//! One track with what it carries, block by block.

use super::sinc::{FractionalDelay, HALF_TAPS};
use super::varispeed;
use crate::edit::Edit;
use crate::edit::piece::{Piece, Reading};
use crate::signal::{Placed, ReadError, Source, index};
use crate::units::SampleRate;

/// One track as it is carried, readable at any session frame.
///
/// Every output frame depends only on its position, never on the blocks before it, so that any cutting into blocks gives
/// the same samples. A whole offset copies samples bit for bit (times −1 when inverted, times the gain when there is one).
pub struct TrackRenderer<'a> {
    source: &'a dyn Source,
    /// The recording in one piece, where it was not taken apart.
    whole: Option<Part>,
    /// Everything else, each over those before it.
    parts: Vec<Part>,
    /// No frame is left out.
    covers: bool,
    first: i64,
    end: i64,
    mixed: Vec<f32>,
    input: Vec<f32>,
}

/// A piece with what reading it needs.
struct Part {
    piece: Piece,
    delay: Option<FractionalDelay>,
    /// Latest end of this piece and all before it, and earliest beginning of it and all after it: both rise along the list, so
    /// that it can be searched.
    reach: i64,
    soonest: i64,
}

impl Part {
    fn new(piece: Piece) -> Self {
        let delay = piece.reading.fraction().map(FractionalDelay::new);
        Self { piece, delay, reach: piece.to, soonest: piece.from }
    }
}

fn parts(pieces: &[Piece]) -> Vec<Part> {
    let mut parts: Vec<Part> = pieces.iter().map(|p| Part::new(*p)).collect();
    let mut reach = i64::MIN;
    for part in &mut parts {
        reach = reach.max(part.piece.to);
        part.reach = reach;
    }
    let mut soonest = i64::MAX;
    for part in parts.iter_mut().rev() {
        soonest = soonest.min(part.piece.from);
        part.soonest = soonest;
    }
    parts
}

/// Frames beside its own that a piece sounds into.
fn spread(piece: &Piece) -> i64 {
    let whole = matches!(piece.reading, Reading::Rigid { .. }) && piece.reading.fraction().is_none();
    if whole { 0 } else { HALF_TAPS as i64 }
}

impl<'a> TrackRenderer<'a> {
    /// Prepares a track; allocates the taps of a fractional delay for every piece that needs one.
    ///
    /// ```
    /// use marea_core::edit::{Correction, Edit};
    /// use marea_core::render::track::TrackRenderer;
    /// use marea_core::signal::{MemSource, Placed};
    /// use marea_core::units::{Offset, SampleRate, SessionFrame};
    /// let recording = MemSource(vec![0.5, 0.25]);
    /// let edit = Edit::from(Correction { offset_frames: Offset(2.0), invert: true, gain_db: 0.0 });
    /// let track = Placed { source: &recording, start: SessionFrame(0) };
    /// let mut heard = [9.0; 5];
    /// TrackRenderer::new(track, &edit, SampleRate::new(48_000).unwrap()).read(0, &mut heard).unwrap();
    /// assert_eq!(heard, [0.0, 0.0, -0.5, -0.25, 0.0]);
    /// ```
    pub fn new(track: Placed<'a>, edit: &Edit, rate: SampleRate) -> Self {
        let pieces = edit.pieces(track.start, rate);
        let at = |p: &Piece, own: i64| p.session_frame(own).floor() as i64;
        let (whole, others) = match pieces.whole() {
            // Stretches move what sounds in them, not where the track begins and ends.
            Some((whole, stretches)) => (Some(Part::new(*whole)), stretches),
            None => (None, &pieces.0[..]),
        };
        let own = whole.as_ref().map_or(others, |w| std::slice::from_ref(&w.piece));
        let begins = own.iter().map(|p| (at(p, 0) - spread(p)).max(p.from)).min();
        let ends = own.iter().map(|p| (at(p, track.source.frames()) + spread(p)).min(p.to)).max();
        Self {
            source: track.source,
            covers: !edit.is_taken_apart(),
            first: begins.unwrap_or(track.start.0),
            end: ends.unwrap_or(track.start.0),
            parts: parts(others),
            whole,
            mixed: Vec::new(),
            input: Vec::new(),
        }
    }

    /// First session frame that can hold sound.
    pub fn first(&self) -> i64 {
        self.first
    }

    /// First session frame after the last that can hold sound.
    pub fn end(&self) -> i64 {
        self.end
    }

    /// Fills `out` with the track from a session frame on. Reuses its scratch memory.
    ///
    /// # Errors
    /// [`ReadError`] when the recording cannot be read; `out` is then unspecified.
    pub fn read(&mut self, frame: i64, out: &mut [f32]) -> Result<(), ReadError> {
        let end = frame.saturating_add(out.len() as i64);
        if !self.covers {
            out.fill(0.0);
        }
        if let Some(whole) = &self.whole {
            whole.read(self.source, frame, out, &mut self.input)?;
        }
        let begin = self.parts.partition_point(|p| p.reach <= frame);
        for part in self.parts[begin..].iter().take_while(|p| p.soonest < end) {
            let (from, to) = (part.piece.from.max(frame), part.piece.to.min(end));
            if from >= to {
                continue;
            }
            let here = &mut out[index(from - frame)..index(to - frame)];
            if part.piece.is_full(from, to) {
                part.read(self.source, from, here, &mut self.input)?;
                continue;
            }
            self.mixed.resize(here.len(), 0.0);
            part.read(self.source, from, &mut self.mixed, &mut self.input)?;
            for (at, (o, v)) in (from..).zip(here.iter_mut().zip(&self.mixed)) {
                let weight = part.piece.weight(at);
                if weight >= 1.0 {
                    *o = *v;
                } else {
                    *o += weight * (v - *o);
                }
            }
        }
        Ok(())
    }
}

impl Part {
    /// Fills `out` with the piece from a session frame on, without its fades.
    fn read(&self, source: &dyn Source, frame: i64, out: &mut [f32], input: &mut Vec<f32>) -> Result<(), ReadError> {
        match (self.piece.reading, &self.delay) {
            (Reading::Rigid { shift, .. }, None) => source.read(frame.saturating_sub(shift), out)?,
            (Reading::Rigid { shift, .. }, Some(delay)) => {
                input.resize(out.len() + delay.margin_before() + delay.margin_after(), 0.0);
                let first = frame.saturating_sub(shift).saturating_sub(delay.margin_before() as i64);
                source.read(first, input)?;
                delay.apply(input, out);
            }
            (Reading::Varying { .. }, _) => {
                // Places are told from the piece's own beginning, so that no block depends on where another one ended.
                let place = |n: usize| self.piece.own_frame(frame.saturating_add(n as i64));
                let (first, count) = varispeed::between(place(0), place(out.len().saturating_sub(1)));
                input.resize(count, 0.0);
                source.read(first, input)?;
                for (n, o) in out.iter_mut().enumerate() {
                    *o = varispeed::point(input, first, place(n));
                }
            }
        }
        if self.piece.factor != 1.0 {
            out.iter_mut().for_each(|v| *v *= self.piece.factor);
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

impl Source for Carried<'_> {
    fn frames(&self) -> i64 {
        self.end
    }

    fn read(&self, start: i64, out: &mut [f32]) -> Result<(), ReadError> {
        self.track.lock().unwrap_or_else(std::sync::PoisonError::into_inner).read(start, out)
    }
}
