//! One pass over a track: levels along time, onsets, and faults of the recording itself.

use crate::dsp::envelope::{Envelope, Onset};
use crate::dsp::sums::all;
use crate::measure::arrival::Facts;
use crate::measure::table::ceilings::{CLIPS_FROM, Ceilings};
use crate::progress::{MeasureError, Progress};
use crate::signal::{Placed, index, len_i64};
use crate::units::{SampleRate, SessionFrame, db_of_power};
use serde::{Deserialize, Serialize};

/// Hops of the kept levels in milliseconds.
pub const KEPT_MS: usize = 4;
/// Hops read at a time: what fits the fast memory of a core.
const BLOCK: usize = 256;
/// Hops of the full power in one of the slow one.
const SLOW: usize = 8;
/// Number of the method, kept with what it found. To be raised when a survey of the same sound would come out otherwise.
const METHOD: u32 = 1;
/// The quietest of the quietest tenth: below it lie fades and edits.
const LOWEST: f64 = 0.01;

/// Results of one pass over a track. Memory: 2 bytes a millisecond of sound.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Survey {
    /// Power of the whole band, 4 ms a hop.
    pub full: Envelope,
    /// Power of the first difference: attacks stand out of ringing lows. 4 ms a hop.
    pub bright: Envelope,
    /// The full power at a thirtieth of a second, for what lasts.
    pub slow: Envelope,
    /// Onsets in the bright power, to about a millisecond.
    pub onsets: Vec<Onset>,
    /// What is loud in this track and what is quiet.
    pub loud: Loud,
    /// Plain facts.
    pub facts: Facts,
}

/// Powers that levels of a track are compared with; 0 for silence.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
pub struct Loud {
    /// 99th percentile of the bright power: strong attacks.
    pub bright: f32,
    /// 97th percentile of the full power: loud passages.
    pub full: f32,
    /// Tenth percentile of the full power.
    pub floor: f32,
}

impl Survey {
    /// As kept beside the sound, else [`Self::measure`].
    ///
    /// # Errors
    /// [`MeasureError`] when the track cannot be read or `progress` says stop.
    pub fn of(track: &Placed, rate: SampleRate, progress: Progress) -> Result<Self, MeasureError> {
        Self::kept(track, rate).map_or_else(|| Self::measure(track, rate, progress), Ok)
    }

    /// Reads the track once, block by block.
    ///
    /// # Errors
    /// [`MeasureError`] when it cannot be read or `progress` says stop.
    pub fn measure(track: &Placed, rate: SampleRate, progress: Progress) -> Result<Self, MeasureError> {
        let mut builder = SurveyBuilder::new(rate);
        let mut block = vec![0f32; builder.hop * BLOCK];
        let total = track.source.frames();
        let mut at = 0;
        while at < total {
            if at % (len_i64(block.len()) * 8) == 0 && !progress(at as f64 / total as f64) {
                return Err(MeasureError::Stopped);
            }
            track.source.read(at, &mut block)?;
            let have = block.len().min(index(total - at));
            builder.push(&block[..have]);
            at += len_i64(have);
        }
        Ok(builder.finish().at(track.start))
    }

    /// As kept beside the sound since it was brought in; none where nothing is kept, or by another method, or of another sound.
    pub fn kept(track: &Placed, rate: SampleRate) -> Option<Self> {
        let (method, mut survey): (u32, Self) = postcard::from_bytes(&track.source.surveyed()?).ok()?;
        // What is read grows by doubling; hours of it stay in memory.
        for envelope in [&mut survey.full, &mut survey.bright, &mut survey.slow] {
            envelope.power.shrink_to_fit();
        }
        let fits = method == METHOD && survey.facts.frames == track.source.frames();
        (fits && survey.full.hop == hop_of(rate) * KEPT_MS).then(|| survey.at(track.start))
    }

    /// To be kept beside the sound.
    pub fn to_bytes(&self) -> Vec<u8> {
        postcard::to_allocvec(&(METHOD, self)).expect("plain numbers can be written to memory")
    }

    /// The same sound placed elsewhere.
    fn at(mut self, start: SessionFrame) -> Self {
        let further = start.0 - self.facts.start.0;
        for envelope in [&mut self.full, &mut self.bright, &mut self.slow] {
            envelope.first += further;
        }
        self.onsets.iter_mut().for_each(|o| o.frame += further);
        self.facts.start = start;
        self
    }
}

fn hop_of(rate: SampleRate) -> usize {
    index(rate.frames(0.001).max(1))
}

/// Makes a [`Survey`] of sound that comes block by block, however long the blocks are.
pub struct SurveyBuilder {
    hop: usize,
    /// The sample before, then what does not fill a hop yet.
    held: Vec<f32>,
    frames: i64,
    full: Vec<f32>,
    bright: Vec<f32>,
    peak: f32,
    sum: f64,
    ceilings: Ceilings,
}

impl SurveyBuilder {
    /// Nothing heard yet.
    pub fn new(rate: SampleRate) -> Self {
        let (full, bright, held) = (Vec::new(), Vec::new(), vec![0.0]);
        Self { hop: hop_of(rate), held, frames: 0, full, bright, peak: 0.0, sum: 0.0, ceilings: Ceilings::default() }
    }

    /// The sound goes on.
    pub fn push(&mut self, sound: &[f32]) {
        let mut held = std::mem::take(&mut self.held);
        held.extend_from_slice(sound);
        let whole = (held.len() - 1) / self.hop * self.hop;
        for from in (0..whole).step_by(self.hop) {
            self.add(&held[from..=from + self.hop]);
        }
        held.drain(..whole);
        self.held = held;
        self.frames += len_i64(sound.len());
    }

    /// One hop, after the sample before it; the last one may be shorter.
    fn add(&mut self, part: &[f32]) {
        let sums = all(part);
        self.full.push(sums.energy / self.hop as f32);
        self.bright.push(sums.steps / self.hop as f32);
        self.sum += f64::from(sums.total);
        self.peak = self.peak.max(sums.largest);
        if sums.largest >= CLIPS_FROM {
            self.ceilings.feed(&part[1..]);
        }
    }

    /// All that was heard, beginning with the session.
    pub fn finish(mut self) -> Survey {
        if self.held.len() > 1 {
            let rest = std::mem::take(&mut self.held);
            self.add(&rest);
        }
        let whole = |power| Envelope { power, first: 0, hop: self.hop };
        let bright = whole(self.bright);
        let onsets = bright.onsets();
        let (bright, full) = (bright.coarser(KEPT_MS), whole(self.full).coarser(KEPT_MS));
        let slow = full.coarser(SLOW);
        let part = |e: &Envelope, p: f64| e.percentile(p).unwrap_or(0.0);
        let loud = Loud { bright: part(&bright, 0.99), full: part(&full, 0.97), floor: part(&full, 0.1) };
        let level = |p: Option<f32>| p.map_or(-200.0, |p| db_of_power(f64::from(p * 2.0)).max(-200.0));
        let facts = Facts {
            frames: self.frames,
            start: SessionFrame(0),
            peak: f64::from(self.peak),
            loud_db: level(full.percentile(0.95)),
            floor_db: level(full.floor()),
            floor_spread_db: level(slow.floor()) - level(slow.percentile(LOWEST)),
            offset: if self.frames > 0 { self.sum / self.frames as f64 } else { 0.0 },
            clipped: self.ceilings.places(self.peak),
        };
        Survey { bright, full, slow, onsets, loud, facts }
    }
}
