//! The arrival table: every source in every microphone.
//!
//! A row is a source, heard first of all by its home microphone; a cell says when and which way up that source reaches one
//! microphone, measured over moments at which the source sounds alone.

use super::attempt::{Attempt, Estimate, attempt, leaning};
use super::copies::Copied;
use super::cut::{Anchor, Purpose, Shape};
use super::event::{Group, MOST_PASSAGES, MOST_STRIKES, thin};
use super::geometry::Late;
use super::pair::{Material, PairOptions};
use super::spectrum::{CrossSpectrum, Transform, quick_len};
use super::sums::energy;
use super::survey::{Facts, Survey};
use super::verdict::{MIN_HEIGHT, MIN_HITS, RIVAL_SOLID, SOLID_HEIGHT, Verdict};
use super::{MeasureError, Progress};
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use realfft::num_complex::Complex32;
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
/// A peak before the strongest from which the strongest may be a reflection, as part of it.
const EARLIER_MAY_BE: f64 = 0.4;
/// A peak before the strongest from which it is taken for the direct sound.
const EARLIER_IS: f64 = 0.7;
/// Strikes and passages looked at first; the rest only where these leave a doubt.
const STRIKES_AT_FIRST: usize = 16;
const PASSAGES_AT_FIRST: usize = 12;
/// A microphone whose level at the strikes stays this far under its loud passages does not hear the source.
const HEARD_DB: f64 = -38.0;

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

/// Measures one source in one microphone.
///
/// # Errors
/// [`MeasureError`] when a track cannot be read or `progress` says stop.
#[allow(clippy::too_many_arguments)]
pub fn measure_cell(
    home: (&Anchor, &Survey),
    mic: (&Placed, &Survey),
    (group, track): (&Group, usize),
    centre: i64,
    max_lag_s: f64,
    wave_s: f64,
    rate: SampleRate,
    progress: Progress,
) -> Result<Cell, MeasureError> {
    let options = PairOptions { max_lag_s, find_far: false, ..PairOptions::default() };
    let mut best: Option<Attempt> = None;
    let mut note = None;
    let heard = heard(mic.1, group, centre, max_lag_s, rate);
    let fit = |moments, most| Group::fit(moments, track, most);
    let moments = [fit(&group.hits, MOST_STRIKES), fit(&group.passages, MOST_PASSAGES)];
    for (material, places) in [Material::Struck, Material::Sustained].into_iter().zip(&moments) {
        if best.as_ref().is_some_and(|b| b.verdict == Verdict::Solid) || (places.len() < MIN_HITS && best.is_some()) {
            continue;
        }
        let mut look = |places: Vec<i64>| {
            let lean = leaning(&home.1.full, &mic.1.full, centre, &places, rate);
            attempt(home.0, mic.0, rate, options, centre, places, &lean, material, progress)
        };
        let at_first = if material == Material::Struck { STRIKES_AT_FIRST } else { PASSAGES_AT_FIRST };
        let mut found = look(thin(places, at_first))?;
        // Noise falls with the root of the moments: what stands too low for that will not stand out.
        let more = (places.len() as f64 / at_first as f64).sqrt();
        if more > 1.0 && !beyond_doubt(&found) && found.estimate.height * more > MIN_HEIGHT {
            found = look(places.clone())?;
        }
        let Some(before) = &best else {
            best = Some(found);
            continue;
        };
        let apart = (before.estimate.lag - found.estimate.lag).abs() > rate.hz_f64() * 0.000_04;
        let both = before.verdict > Verdict::Undecided && found.verdict > Verdict::Undecided;
        if both && apart {
            note = Some(format!(
                "strikes point to {:.2} ms, longer passages to {:.2} ms",
                rate.ms(before.estimate.lag),
                rate.ms(found.estimate.lag)
            ));
        } else if (found.verdict, found.estimate.height) > (before.verdict, before.estimate.height) {
            best = Some(found);
        }
    }
    let Some(mut best) = best else { return Ok(empty("nothing to measure", heard)) };
    if let Some(note) = note {
        best.verdict = Verdict::Undecided;
        best.reason = note;
    }
    // A clear arrival is heard, however quiet.
    let heard = heard || best.verdict == Verdict::Solid;
    if !heard {
        best.verdict = Verdict::Undecided;
        best.reason = "this microphone does not hear the source".into();
    } else {
        first_counts(&mut best, rate);
    }
    let e = &best.estimate;
    let decided = best.verdict > Verdict::Undecided;
    let places = if best.places.is_empty() { &moments[0] } else { &best.places };
    let (bands, low_sign) = if decided {
        let (bands, low_sign, _) = transfer(home.0, mic.0, places, e.lag.round() as i64, rate)?;
        (bands, low_sign)
    } else {
        Default::default()
    };
    Ok(Cell {
        lag_frames: decided.then_some(e.lag),
        sign: if decided { e.sign } else { 0 },
        low_sign,
        height: e.height,
        coherence: e.coherence,
        alternatives: alternatives(e, decided),
        hits: e.hits,
        material: best.material,
        verdict: best.verdict,
        reason: best.reason,
        heard,
        wave: wave(home.0.track, mic.0, places, centre, wave_s, rate)?,
        bands,
    })
}

/// Nothing that more moments could change.
fn beyond_doubt(a: &Attempt) -> bool {
    a.verdict == Verdict::Solid && a.estimate.height >= 1.5 * SOLID_HEIGHT && a.estimate.earlier < EARLIER_MAY_BE
}

/// Peaks beside the chosen one; where none is chosen, the highest too, if it stands out.
fn alternatives(e: &Estimate, decided: bool) -> Vec<Alternative> {
    let stands_out = !decided && e.height >= MIN_HEIGHT && e.hits >= MIN_HITS && !e.at_edge;
    let highest = stands_out.then_some((e.lag, e.sign, 1.0));
    let others = [(e.rival_lag, e.rival_sign, e.rival), (e.earlier_lag, e.earlier_sign, e.earlier)];
    highest
        .into_iter()
        .chain(others)
        .filter(|(_, sign, part)| *sign != 0 && *part > 0.0)
        .map(|(lag_frames, sign, part)| Alternative { lag_frames, sign, part })
        .collect()
}

/// Nothing travels faster than the direct sound: a strong peak before the strongest is it, unless something else sounded.
fn first_counts(best: &mut Attempt, rate: SampleRate) {
    let e = &mut best.estimate;
    let decidable = e.hits >= MIN_HITS && e.height >= MIN_HEIGHT && !e.at_edge;
    if !decidable || e.earlier < EARLIER_MAY_BE {
        // Two alike of which the first is the higher: what follows is a reflection.
        if decidable && best.verdict == Verdict::Undecided && e.rival >= RIVAL_SOLID && e.rival_lag > e.lag {
            best.verdict = Verdict::Likely;
            best.reason = format!(
                "a reflection {:.2} ms later comes to {:.0} % of the first arrival",
                rate.ms(e.rival_lag - e.lag),
                e.rival * 100.0
            );
        }
        return;
    }
    let (lag, part) = (e.lag, e.earlier);
    if part >= EARLIER_IS {
        (e.lag, e.earlier_lag) = (e.earlier_lag, e.lag);
        (e.sign, e.earlier_sign) = (e.earlier_sign, e.sign);
        (e.rival_lag, e.rival, e.rival_sign) = (lag, 1.0 / part, e.earlier_sign);
        best.verdict = Verdict::Likely;
        best.reason = format!("the first arrival; a later one at {:.2} ms is stronger", rate.ms(lag));
    } else if best.verdict > Verdict::Undecided {
        best.verdict = Verdict::Likely;
        best.reason = format!(
            "a weaker arrival may come first: {:.2} ms at {:.0} % of the peak",
            rate.ms(e.earlier_lag),
            part * 100.0
        );
    }
}

/// The home microphone's own cell, and the source's power in it.
///
/// # Errors
/// [`MeasureError`] when the track cannot be read.
pub fn home_cell(
    home: &Anchor,
    group: &Group,
    wave_s: f64,
    rate: SampleRate,
) -> Result<(Cell, Vec<f32>), MeasureError> {
    let struck = group.hits.len() >= MIN_HITS;
    let moments = if struck { &group.hits } else { &group.passages };
    let places: Vec<i64> = moments.iter().map(|m| m.at).collect();
    let (bands, _, power) = transfer(home, home.track, &places, 0, rate)?;
    let cell = Cell {
        lag_frames: Some(0.0),
        sign: 1,
        low_sign: 1,
        height: 0.0,
        coherence: 1.0,
        alternatives: Vec::new(),
        hits: places.len(),
        material: if struck { Material::Struck } else { Material::Sustained },
        verdict: Verdict::Solid,
        reason: "home".into(),
        heard: true,
        wave: wave(home.track, home.track, &places, 0, wave_s, rate)?,
        bands,
    };
    Ok((cell, power))
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

/// Does the microphone's level rise at the moments above what it is without them?
fn heard(mic: &Survey, group: &Group, centre: i64, reach_s: f64, rate: SampleRate) -> bool {
    let loud = f64::from(mic.loud.bright);
    if loud <= 0.0 {
        return false;
    }
    let reach = rate.frames(reach_s);
    let mut levels: Vec<f64> = group
        .hits
        .iter()
        .chain(&group.passages)
        .map(|m| m.at + centre)
        .map(|t| f64::from(mic.bright.largest(t - rate.frames(0.005), t + reach)))
        .collect();
    levels.sort_by(f64::total_cmp);
    levels.get(levels.len() / 2).is_some_and(|l| 10.0 * (l / loud).max(1e-12).log10() > HEARD_DB)
}

/// Band transfer, sign of the lows and power at home, over windows of about 85 ms cut at the arrival.
fn transfer(
    home: &Anchor,
    mic: &Placed,
    places: &[i64],
    lag: i64,
    rate: SampleRate,
) -> Result<(Vec<Transfer>, i8, Vec<f32>), MeasureError> {
    let shape = Shape::of(Purpose::Arrival, rate);
    let mut t = Transform::new(quick_len(shape.taper.len()));
    let mut sum = CrossSpectrum::new(t.bins());
    let (mut x, mut fb) = (Vec::new(), vec![Complex32::default(); t.bins()]);
    let step = places.len().div_ceil(24).max(1);
    for place in places.iter().step_by(step) {
        let at_home = home.window(*place, &shape, &mut t)?;
        shape.cut(mic, *place + lag, &mut x)?;
        t.forward(&x, &mut fb);
        sum.add(&at_home.spectrum, &fb, 1.0, 1.0);
    }
    let hz = rate.hz_f64() / t.len() as f64;
    let (mut bands, mut power) = (Vec::new(), Vec::new());
    for centre in BANDS_HZ {
        let half = 10f64.powf(0.05);
        let low = (centre / half / hz).floor().max(1.0) as usize;
        let high = ((centre * half / hz).ceil() as usize).max(low + 1).min(t.bins());
        let (mut ab, mut aa) = (Complex32::default(), 0f32);
        for k in low..high {
            ab += sum.ab[k];
            aa += sum.aa[k];
        }
        let h = if aa > 0.0 { ab / aa } else { Complex32::default() };
        bands.push(Transfer { re: h.re, im: h.im });
        power.push(aa / (sum.count.max(1) as f32));
    }
    Ok((bands.clone(), low_sign(&bands, &power), power))
}

/// Sign of the shared energy up to 200 Hz, or where most of it lies when the lows hold less than a tenth; 0 for a toss-up.
fn low_sign(bands: &[Transfer], power: &[f32]) -> i8 {
    let size = |i: usize| f64::from(bands[i].re.hypot(bands[i].im) * power[i]);
    let lows = BANDS_HZ.iter().position(|hz| *hz > 200.0).unwrap_or(0);
    let all: f64 = (0..bands.len()).map(size).sum();
    let low: f64 = (0..lows).map(size).sum();
    let range = if low >= all * 0.1 {
        0..lows
    } else {
        let start = (lows..bands.len() - 2)
            .max_by(|a, b| {
                let octave = |i: usize| (i..i + 3).map(size).sum::<f64>();
                octave(*a).total_cmp(&octave(*b))
            })
            .unwrap_or(lows);
        start..start + 3
    };
    let re: f64 = range.clone().map(|i| f64::from(bands[i].re * power[i])).sum();
    let most: f64 = range.map(size).sum();
    if most <= 0.0 || re.abs() < most * 0.35 {
        0
    } else if re < 0.0 {
        -1
    } else {
        1
    }
}

/// Mean of a microphone's sound over the moments, on the time of the home microphone: bleed fades, the source stays.
fn wave(
    home: &Placed,
    mic: &Placed,
    places: &[i64],
    centre: i64,
    wave_s: f64,
    rate: SampleRate,
) -> Result<Vec<f32>, MeasureError> {
    let len = index(rate.frames(wave_s));
    let before = rate.frames(WAVE_BEFORE_S);
    let mut mean = vec![0f32; len];
    let mut x = vec![0f32; len];
    let mut own = vec![0f32; index(rate.frames(0.02))];
    let step = places.len().div_ceil(32).max(1);
    for place in places.iter().step_by(step) {
        home.read(*place, &mut own)?;
        let scale = energy(&own).sqrt();
        if scale <= 0.0 {
            continue;
        }
        mic.read(place - before + centre, &mut x)?;
        mean.iter_mut().zip(&x).for_each(|(m, v)| *m += v / scale);
    }
    // The largest excursion of each step is kept, so that an attack is not lost between points.
    let points: Vec<f32> = (0..WAVE_POINTS)
        .map(|i| {
            let part =
                &mean[i * len / WAVE_POINTS..((i + 1) * len / WAVE_POINTS).max(i * len / WAVE_POINTS + 1).min(len)];
            part.iter().copied().max_by(|a, b| a.abs().total_cmp(&b.abs())).unwrap_or(0.0)
        })
        .collect();
    let most = points.iter().fold(0f32, |m, v| m.max(v.abs()));
    if most <= 0.0 {
        return Ok(Vec::new());
    }
    Ok(points.iter().map(|v| (v / most * 1_000.0).round() / 1_000.0).collect())
}
