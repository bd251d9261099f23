//! The arrival table: every source in every microphone.
//!
//! A row is a source, heard first of all by its home microphone; a cell says when and which way up that source reaches one
//! microphone, measured over moments at which the source sounds alone.

use super::Verdict;
use super::copies::Copied;
use super::geometry::Late;
use super::pair::Material;
use super::survey::Facts;
use serde::{Deserialize, Serialize};

/// Points of a cell's mean waveform.
pub const WAVE_POINTS: usize = 120;
/// The waveform begins this long before the strike at the home microphone, in seconds.
pub const WAVE_BEFORE_S: f64 = 0.002;
/// Nominal centres of the third-octaves a transfer is given for, in Hz (ISO 266).
pub const BANDS_HZ: [f64; 24] = [
    50.0, 63.0, 80.0, 100.0, 125.0, 160.0, 200.0, 250.0, 315.0, 400.0, 500.0, 630.0, 800.0, 1_000.0, 1_250.0, 1_600.0,
    2_000.0, 2_500.0, 3_150.0, 4_000.0, 5_000.0, 6_300.0, 8_000.0, 10_000.0,
];
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
    pub hits: Vec<i64>,
    /// The loudest of the strikes, by its place among them.
    pub strongest: usize,
    /// Session frames at which the passages used begin.
    pub passages: Vec<i64>,
    /// Power of the source in the home microphone by third-octave of [`BANDS_HZ`].
    pub power: Vec<f32>,
    /// A cell a track.
    pub cells: Vec<Cell>,
}

impl Row {
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
    pub rate_hz: u32,
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
    }
}
