//! The arrival table: every source in every microphone.
//!
//! A row is a source, heard first of all by its home microphone; a cell says when and which way up that source reaches one
//! microphone, measured over moments at which the source sounds alone.

use crate::dsp::bands::BANDS_HZ;
use crate::measure::pair::options::Material;
use crate::measure::stage::Places;
use crate::units::{Air, SampleRate, SessionFrame};
use crate::verdict::Verdict;
use serde::{Deserialize, Serialize};

/// Points of a cell's mean waveform.
pub const WAVE_POINTS: usize = 120;
/// The waveform begins this long before the strike at the home microphone, in seconds.
pub const WAVE_BEFORE_S: f64 = 0.002;
/// Below it rooms answer as a whole.
const DIRECT_FROM_HZ: f64 = 400.0;

/// One source in one microphone.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Cell {
    /// Lag against the home microphone as recorded, in frames; none when undecided.
    pub lag_frames: Option<f64>,
    /// Sign of arrival against the home microphone; 0 when undecided.
    pub sign: i8,
    /// Sign of the energy at the lows once the lag is taken out; 0 when it is a toss-up.
    pub low_sign: i8,
    /// Peak over RMS of the agreement curve.
    pub height: f64,
    /// Magnitude-squared coherence over the band.
    pub coherence: f64,
    /// Other peaks that might have been meant.
    pub alternatives: Vec<Alternative>,
    /// Moments used.
    pub hits: usize,
    /// Strikes or passages.
    pub material: Material,
    /// How sure.
    pub verdict: Verdict,
    /// Why.
    pub reason: String,
    /// The source is heard here at all.
    pub heard: bool,
    /// Mean waveform over the moments, from [`WAVE_BEFORE_S`] before the strike at home; relative to its largest.
    pub wave: Vec<f32>,
    /// Transfer from the home microphone with the lag taken out, a third-octave each of [`BANDS_HZ`].
    pub bands: Vec<Transfer>,
    /// The lag of every moment used by itself; empty when undecided.
    #[serde(default)]
    pub each: Vec<MomentLag>,
}

/// The lag of one moment.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MomentLag {
    /// Session frame as the home microphone hears it.
    pub at: SessionFrame,
    /// Lag against the home microphone as recorded, in frames; none where this moment alone does not tell.
    pub lag_frames: Option<f64>,
}

/// Another peak of the curve.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Alternative {
    /// Lag in frames.
    pub lag_frames: f64,
    /// Sign.
    pub sign: i8,
    /// Height as part of the chosen one.
    pub part: f64,
}

impl Cell {
    /// Takes another peak instead and says why. Never more than likely.
    pub fn take(&mut self, peak: Alternative, reason: &str) {
        self.lag_frames = Some(peak.lag_frames);
        (self.sign, self.low_sign) = (peak.sign, 0);
        self.bands.clear();
        self.each.clear();
        self.verdict = Verdict::Likely;
        self.reason = reason.into();
    }

    /// Takes the lag back and says why; it stays among the candidates.
    pub fn undecide(&mut self, reason: &str) {
        if let Some(lag_frames) = self.lag_frames.take() {
            self.alternatives.insert(0, Alternative { lag_frames, sign: self.sign, part: 1.0 });
        }
        (self.sign, self.low_sign) = (0, 0);
        self.bands.clear();
        self.each.clear();
        self.verdict = Verdict::Undecided;
        self.reason = reason.into();
    }
}

/// Complex transfer of a band.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Transfer {
    /// Real part.
    pub re: f32,
    /// Imaginary part.
    pub im: f32,
}

/// One source in all microphones.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Row {
    /// Track, by index, whose hearing is the reference.
    pub home: usize,
    /// Tracks that stand at this source, the home among them.
    pub members: Vec<usize>,
    /// The home microphone is the source's own; otherwise it merely hears it best.
    pub own_mic: bool,
    /// Session frames of the strikes used, as the home hears them.
    pub hits: Vec<SessionFrame>,
    /// The loudest of the strikes, by its place among them.
    pub strongest: usize,
    /// Session frames at which the passages used begin.
    pub passages: Vec<SessionFrame>,
    /// Power of the source in the home microphone by third-octave of [`BANDS_HZ`].
    pub power: Vec<f32>,
    /// A cell a track.
    pub cells: Vec<Cell>,
}

impl Row {
    /// Where to look at it: its strongest hit, else its first passage.
    pub fn example(&self) -> Option<SessionFrame> {
        self.hits.get(self.strongest).or(self.hits.first()).or(self.passages.first()).copied()
    }

    /// Level of the source in a track, as power over all bands; 0 where its transfer is not known.
    pub fn level(&self, track: usize) -> f64 {
        let bands = self.cells[track].bands.iter().zip(&self.power);
        bands.map(|(h, p)| f64::from((h.re * h.re + h.im * h.im) * p)).sum()
    }

    /// Amplitude of the direct sound in a track against the home: transfers with the lag taken out add up over frequency, while
    /// those of reflections turn and cancel. Third-octaves from 400 Hz on; none where the transfer is not known.
    pub fn direct(&self, track: usize) -> Option<f64> {
        let bands = self.cells[track].bands.iter().zip(&self.power).zip(BANDS_HZ).filter(|b| b.1 >= DIRECT_FROM_HZ);
        let (mut sum, mut all) = (0.0, 0.0);
        for ((h, p), _) in bands {
            // Next to white, so that many bands count; the loud ones a little more, for their noise is less.
            let weight = f64::from(*p).max(0.0).sqrt().sqrt();
            sum += weight * f64::from(h.re);
            all += weight;
        }
        (all > 0.0 && sum != 0.0).then(|| (sum / all).abs())
    }
}

/// The whole table. Tracks are named by their index in the list that was measured.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Table {
    /// Rate in which frames are counted.
    #[serde(rename = "rate_hz")]
    #[cfg_attr(feature = "openapi", schema(value_type = u32))]
    pub rate: SampleRate,
    /// The air it was measured for.
    #[serde(rename = "temperature_c", default)]
    #[cfg_attr(feature = "openapi", schema(value_type = f64))]
    pub air: Air,
    /// Length of the drawn waveforms in seconds.
    pub wave_s: f64,
    /// A row a source.
    pub rows: Vec<Row>,
    /// Plain facts a track.
    pub facts: Vec<Facts>,
    /// Whole-frame lag of each track against the common time before anything else (recorders without a common start).
    pub shift: Vec<i64>,
    /// Tracks that are one recording.
    pub copies: Vec<Copied>,
    /// What each track's path adds to the way of the sound; none where nothing determines it.
    #[serde(default)]
    pub late: Vec<Option<Late>>,
    /// Where everything stands; none where arrivals do not tell.
    #[serde(default)]
    pub places: Option<Places>,
    /// Factor by which a track plays too fast (over 1) for the others, where a usual one explains it.
    pub speeds: Vec<Option<f64>>,
}

/// A cell without a measurement.
pub fn empty(reason: &str, heard: bool) -> Cell {
    Cell {
        lag_frames: None,
        sign: 0,
        low_sign: 0,
        height: 0.0,
        coherence: 0.0,
        alternatives: Vec::new(),
        hits: 0,
        material: Material::Struck,
        verdict: Verdict::Undecided,
        reason: reason.into(),
        heard,
        wave: Vec::new(),
        bands: Vec::new(),
        each: Vec::new(),
    }
}

/// Under this a track is silent, in dBFS (common practice: 16-bit dither lies there).
const SILENT_DB: f64 = -90.0;

impl Facts {
    /// Nothing was recorded, or next to nothing.
    pub fn is_silent(&self) -> bool {
        self.loud_db <= SILENT_DB
    }

    /// Session frame after the last one.
    pub fn end(&self) -> SessionFrame {
        self.start.plus(self.frames)
    }
}

/// With this coherence a microphone at a source hears nothing but that source.
pub const OWN_COHERENCE: f64 = 0.9;

/// What a likely lag counts against a solid one, when latencies are told.
const LIKELY_LAG_COUNTS: f64 = 0.2;

/// What the lag of a decided cell counts.
pub fn weight(cell: &Cell) -> f64 {
    if cell.verdict == Verdict::Solid { 1.0 } else { LIKELY_LAG_COUNTS }
}

/// What the bleed both ways between the homes of rows i and k says k is later than i by, in frames, and how much that counts:
/// the one lag is d + (Lk − Li), the other d + (Li − Lk), so that half the difference leaves the distance out.
pub fn later(rows: &[Row], i: usize, k: usize) -> Option<(f64, f64)> {
    let (there, back) = (&rows[i].cells[rows[k].home], &rows[k].cells[rows[i].home]);
    Some(((there.lag_frames? - back.lag_frames?) / 2.0, weight(there) * weight(back)))
}

/// What one microphone's path adds to the way of the sound.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Late {
    /// Frames later than the sound; 0 for a microphone that is on time.
    pub frames: f64,
    /// Its standard deviation in frames.
    pub sigma_frames: f64,
    /// How much worse the arrivals are explained without it, as twice the logarithm of a likelihood; 0 when on time.
    pub worth: f64,
    /// Sources whose arrivals the answer rests on.
    pub sources: usize,
    /// Frames by which all sources reach it later than another microphone at its own source, on top of what that one is late:
    /// two microphones at one source stand no metre apart. None without such a one.
    #[serde(default)]
    pub beside_frames: Option<f64>,
    /// Sources other than its own that reach it clearly. Where none does, the room may have held all of them back alike.
    pub clear: usize,
}

/// Two tracks that are one recording.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Copied {
    /// First track, by index.
    pub a: usize,
    /// The other.
    pub b: usize,
    /// Frames by which b is later in the session.
    pub lag_frames: i64,
    /// Level of b against a in dB.
    pub gain_db: f64,
    /// One is inverted against the other.
    pub inverted: bool,
}

/// Plain facts of one track. Levels in dBFS after AES17.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Facts {
    /// Length in frames.
    pub frames: i64,
    /// Session frame of the first one.
    pub start: SessionFrame,
    /// Largest absolute sample.
    pub peak: f64,
    /// Level of the loud passages: the 95th percentile of the levels of 4 ms; −200 for silence.
    pub loud_db: f64,
    /// The level below which the quietest tenth of what is not digital silence lies; −200 for silence.
    pub floor_db: f64,
    /// How far apart the levels of the quietest tenth are, over a thirtieth of a second each, in dB. Noise stands still; music
    /// without pauses does not.
    #[serde(default)]
    pub floor_spread_db: f64,
    /// Mean of all samples.
    pub offset: f64,
    /// Places with at least three samples in a row at the ceiling.
    pub clipped: u32,
}
