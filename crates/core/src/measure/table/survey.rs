//! One pass over a track: levels along time, onsets, and faults of the recording itself.

use crate::dsp::envelope::{Envelope, Onset};
use crate::dsp::sums::all;
use crate::measure::arrival::Facts;
use crate::progress::{MeasureError, Progress};
use crate::signal::{Placed, index};
use crate::units::{SampleRate, db_of_power};

/// Hops of the kept levels in milliseconds.
pub const KEPT_MS: usize = 4;
/// Hops read at a time: what fits the fast memory of a core.
const BLOCK: usize = 256;
/// The quietest of the quietest tenth: below it lie fades and edits.
const LOWEST: f64 = 0.01;
/// Samples in a row at the ceiling that count as one clipped place.
const CLIPPED_RUN: u32 = 3;
/// Samples within this factor count as equal. The top of a 20 Hz tone stays within it for less than three samples.
const ABOVE: f32 = 1.000_001;

/// Results of one pass over a track. Memory: 2 bytes a millisecond of sound.
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
#[derive(Debug, Clone, Copy, Default)]
pub struct Loud {
    /// 99th percentile of the bright power: strong attacks.
    pub bright: f32,
    /// 97th percentile of the full power: loud passages.
    pub full: f32,
    /// Tenth percentile of the full power.
    pub floor: f32,
}

impl Survey {
    /// Reads the track once, block by block.
    ///
    /// # Errors
    /// [`MeasureError`] when it cannot be read or `progress` says stop.
    pub fn measure(track: &Placed, rate: SampleRate, progress: Progress) -> Result<Self, MeasureError> {
        let hop = index(rate.frames(0.001).max(1));
        // The sample before the block comes first.
        let mut block = vec![0f32; hop * BLOCK + 1];
        let total = track.source.frames();
        let hops = index(total) / hop + 1;
        let (mut full, mut bright) = (Vec::with_capacity(hops), Vec::with_capacity(hops));
        let (mut peak, mut sum) = (0f32, 0f64);
        let mut ceilings = Ceilings::default();
        let mut at = 0;
        while at < total {
            if at % (hop * BLOCK * 8) as i64 == 0 && !progress(at as f64 / total as f64) {
                return Err(MeasureError::Stopped);
            }
            track.source.read(at, &mut block[1..])?;
            let have = (block.len() - 1).min(index(total - at));
            for from in (0..have).step_by(hop) {
                let part = &block[from..=(from + hop).min(have)];
                let sums = all(part);
                full.push(sums.energy / hop as f32);
                bright.push(sums.steps / hop as f32);
                sum += f64::from(sums.total);
                peak = peak.max(sums.largest);
                if sums.largest >= CLIPS_FROM {
                    ceilings.feed(&part[1..]);
                }
            }
            block[0] = block[have];
            at += have as i64;
        }
        let whole = |power| Envelope { power, first: track.start.0, hop };
        let bright = whole(bright);
        let onsets = bright.onsets();
        let (bright, full) = (bright.coarser(KEPT_MS), whole(full).coarser(KEPT_MS));
        let slow = full.coarser(SLOW);
        let part = |e: &Envelope, p: f64| e.percentile(p).unwrap_or(0.0);
        let loud = Loud { bright: part(&bright, 0.99), full: part(&full, 0.97), floor: part(&full, 0.1) };
        let level = |p: Option<f32>| p.map_or(-200.0, |p| db_of_power(f64::from(p * 2.0)).max(-200.0));
        let facts = Facts {
            frames: total,
            start: track.start,
            peak: f64::from(peak),
            loud_db: level(full.percentile(0.95)),
            floor_db: level(full.floor()),
            floor_spread_db: level(slow.floor()) - level(slow.percentile(LOWEST)),
            offset: if total > 0 { sum / total as f64 } else { 0.0 },
            clipped: ceilings.places(peak),
        };
        Ok(Self { bright, full, slow, onsets, loud, facts })
    }
}

/// Hops of the full power in one of the slow one.
const SLOW: usize = 8;
/// Under −6 dBFS a flat top is more likely the top of a slow wave.
const CLIPS_FROM: f32 = 0.5;

/// A side whose flat tops lie this much under the peak is not clipped: the rails of 8-bit files differ by less.
const OTHER_RAIL: f32 = 0.99;

/// Counts flat tops on either side of zero: the two rails of integer files are not equally far from it, and a stage may clip
/// only one side.
#[derive(Default)]
struct Ceilings {
    above: Ceiling,
    below: Ceiling,
}

impl Ceilings {
    fn feed(&mut self, chunk: &[f32]) {
        for &v in chunk {
            self.above.feed(v);
            self.below.feed(-v);
        }
    }

    fn places(&self, peak: f32) -> u32 {
        let of = |side: &Ceiling| if side.height < (peak * OTHER_RAIL).max(CLIPS_FROM) { 0 } else { side.places };
        of(&self.above).saturating_add(of(&self.below))
    }
}

/// Flat tops of one side. Clipping in an earlier stage may sit under full scale, so runs are kept by their height.
#[derive(Default)]
struct Ceiling {
    height: f32,
    places: u32,
    run: u32,
}

impl Ceiling {
    fn feed(&mut self, v: f32) {
        if v > self.height * ABOVE {
            // A new ceiling: what was flat below it was not the ceiling.
            (self.height, self.places, self.run) = (v, 0, 1);
        } else if v > 0.0 && v * ABOVE >= self.height {
            self.run += 1;
            if self.run == CLIPPED_RUN {
                self.places = self.places.saturating_add(1);
            }
        } else {
            self.run = 0;
        }
    }
}
