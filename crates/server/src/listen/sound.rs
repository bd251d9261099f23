//! What sounds: the chosen tracks in both ways, read block by block, with the readings of these very blocks.

use super::wire::MixRequest;
use crate::db::tracks::TrackRow;
use marea_core::edit::Edit;
use marea_core::edit::tempo::TempoMap;
use marea_core::measure::readings::meter::{CorrelationMeter, NullMeter, StereoReading, read_stereo};
use marea_core::render::click::Click;
use marea_core::render::track::TrackRenderer;
use marea_core::render::varispeed::{SPEEDS, Varispeed};
use marea_core::render::{Mix, Voice, pan_sides};
use marea_core::signal::{Placed, ReadError};
use marea_core::units::{SampleRate, amplitude_of_db};
use marea_media::work::WorkFile;

/// What dimming does (common practice, no source).
const DIM: f32 = 0.1;

/// As corrected and as recorded.
pub struct Sound<'a> {
    request: &'a MixRequest,
    ways: [Way<'a>; 2],
    click: Click,
    /// Session frames from one sample to the next.
    pub speed: f64,
}

struct Way<'a> {
    mix: Mix<'a>,
    slow: Varispeed,
    null: NullMeter,
    correlation: CorrelationMeter,
    /// Factor that matches loudness: its value now, and the value it moves to.
    factor: f32,
    wanted: f32,
    planes: [Vec<f32>; 2],
    pair: [Vec<f32>; 2],
}

impl<'a> Sound<'a> {
    /// The mix that was asked for, of recordings that are open.
    pub fn new(request: &'a MixRequest, files: &'a [(TrackRow, WorkFile)], rate: SampleRate, tempo: &TempoMap) -> Self {
        let way = |corrected: bool| Way {
            mix: Mix::new(voices(request, files, corrected, rate)),
            slow: Varispeed::default(),
            null: NullMeter::default(),
            correlation: CorrelationMeter::new(rate),
            factor: 1.0,
            wanted: 1.0,
            planes: [Vec::new(), Vec::new()],
            pair: [Vec::new(), Vec::new()],
        };
        let speed = request.speed.filter(|s| SPEEDS.contains(s)).unwrap_or(1.0);
        Self {
            request,
            ways: [way(true), way(false)],
            click: Click { rate_hz: rate.hz_f64(), beats: tempo.beats(rate.hz_f64()) },
            speed,
        }
    }

    /// Levels in dB at which as corrected and as recorded are heard; at once or within a block.
    pub fn level(&mut self, db: [f64; 2], at_once: bool) {
        for (way, db) in self.ways.iter_mut().zip(db) {
            way.wanted = amplitude_of_db(db) as f32;
            if at_once {
                way.factor = way.wanted;
            }
        }
    }

    /// Reads so many samples from a place on and gives the readings of both ways. The samples lie in [`Self::planes`].
    ///
    /// # Errors
    /// [`ReadError`] of a recording.
    pub fn read(&mut self, at: f64, count: usize) -> Result<[StereoReading; 2], ReadError> {
        let mut told = [StereoReading::default(); 2];
        for (way, reading) in self.ways.iter_mut().zip(&mut told) {
            *reading = way.read(self.request, at, self.speed, count)?;
            let [l, r] = &mut way.planes;
            if self.request.mono {
                for (x, y) in l.iter_mut().zip(r.iter_mut()) {
                    let sum = 0.5 * (*x + *y);
                    (*x, *y) = (sum, sum);
                }
            }
            if self.request.click {
                self.click.add(at, self.speed, l, r);
            }
            if self.request.dim {
                l.iter_mut().chain(r).for_each(|v| *v *= DIM);
            }
        }
        Ok(told)
    }

    /// Multiplies what was read last by a factor of the sample's number.
    pub fn shape(&mut self, factor: impl Fn(usize) -> f32) {
        for plane in self.ways.iter_mut().flat_map(|w| &mut w.planes) {
            plane.iter_mut().enumerate().for_each(|(n, v)| *v *= factor(n));
        }
    }

    /// Root mean square of every track as read last, as corrected and as recorded, in the order they were asked for.
    pub fn levels(&self) -> [&[f32]; 2] {
        let [c, r] = &self.ways;
        [&c.mix.levels, &r.mix.levels]
    }

    /// Corrected left and right, recorded left and right, as read last.
    pub fn planes(&self) -> [&[f32]; 4] {
        let [c, r] = &self.ways;
        [&c.planes[0], &c.planes[1], &r.planes[0], &r.planes[1]]
    }
}

impl Way<'_> {
    fn read(&mut self, request: &MixRequest, at: f64, speed: f64, count: usize) -> Result<StereoReading, ReadError> {
        let [l, r] = &mut self.planes;
        l.resize(count, 0.0);
        r.resize(count, 0.0);
        let mix = &mut self.mix;
        if speed == 1.0 {
            mix.read(at.floor() as i64, l, r)?;
        } else {
            self.slow.through(at, speed, [l, r], |frame, l, r| mix.read(frame, l, r))?;
        }
        if self.factor != 1.0 || self.wanted != 1.0 {
            let step = (self.wanted - self.factor) / count.max(1) as f32;
            for plane in [&mut *l, &mut *r] {
                plane.iter_mut().enumerate().for_each(|(n, v)| *v *= self.factor + step * (n + 1) as f32);
            }
            self.factor = self.wanted;
        }
        if request.swap {
            std::mem::swap(l, r);
        }
        let mut reading = read_stereo(l, r);
        let two = (request.centred || request.difference) && self.mix.voices.len() == 2;
        let [a, b] = &mut self.pair;
        if two {
            // Two tracks in the middle: what matters is how they stand to each other, at their own speed.
            let (frame, frames) = (at.floor() as i64, ((count as f64 * speed) as usize).max(1));
            for (voice, x) in self.mix.voices.iter_mut().zip([&mut *a, &mut *b]) {
                x.resize(frames, 0.0);
                voice.track.read(frame, x)?;
            }
        }
        let (x, y) = if two { (&*a, &*b) } else { (&*l, &*r) };
        [reading.correlation, reading.low_correlation] = self.correlation.push(x, y);
        if request.difference && two {
            reading.null_depth_db = self.null.push(a, b);
        }
        Ok(reading)
    }
}

/// Sides and level of every voice. One voice alone passes as it is, so that it is bit for bit what is delivered; more are
/// brought down alike, as recorded and as corrected by the same factor.
fn voices<'a>(
    mix: &MixRequest,
    files: &'a [(TrackRow, WorkFile)],
    corrected: bool,
    rate: SampleRate,
) -> Vec<Voice<'a>> {
    let n = files.len() as f32;
    let (apart, difference) = (mix.apart && files.len() == 2, mix.difference && files.len() == 2);
    let level = if files.len() <= 1 || apart || difference { 1.0 } else { (1.4 / n.sqrt()).min(1.0) };
    files
        .iter()
        .enumerate()
        .map(|(nth, (t, file))| {
            let place = mix.places.get(&t.id).filter(|p| p.level_db.is_finite());
            let own = place.map_or(0.0, |p| p.level_db.clamp(-60.0, 12.0));
            let level = if own == 0.0 || difference { level } else { level * amplitude_of_db(own) as f32 };
            let level = if place.is_some_and(|p| p.invert) { -level } else { level };
            let sides = match (t.side.as_str(), place.and_then(|p| p.pan)) {
                _ if difference && nth == 0 => [1.0; 2],
                _ if difference => [-1.0; 2],
                _ if apart && nth == 0 => [1.0, 0.0],
                _ if apart => [0.0, 1.0],
                (_, None) if files.len() == 1 => [1.0; 2],
                _ if mix.centred => [1.0; 2],
                (_, Some(pan)) => pan_sides(pan),
                ("left", None) => pan_sides(-1.0),
                ("right", None) => pan_sides(1.0),
                _ => pan_sides(0.0),
            };
            let recorded = || TrackRenderer::new(Placed { source: file, start: t.start() }, &Edit::default(), rate);
            let track = if corrected { t.played(file, rate) } else { recorded() };
            Voice { track, sides: sides.map(|s| s * level) }
        })
        .collect()
}
