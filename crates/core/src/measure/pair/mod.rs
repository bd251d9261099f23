//! Two tracks against each other: lag, sign, and how sure.
//!
//! Windows are chosen where the anchor's own source is heard alone; their cross-spectra are added up before whitening,
//! so bleed and noise average away (Knapp & Carter 1976); the largest absolute value of the whitened curve is the
//! arrival. The result is looked at again in parts of the recording: a high peak that is not the same everywhere is
//! not a delay.

pub mod each;
pub mod estimate;
mod fine;
pub mod look;
pub mod options;
pub mod response;
pub mod weigh;
pub mod windows;

use crate::dsp::envelope::{Envelope, Onset};
use crate::dsp::far_lag::far_lag;
use crate::dsp::lag_curve::LagCurve;
use crate::dsp::window::Anchor;
use crate::edit::Correction;
use crate::measure::pair::look::{Attempt, Look, leaning};
use crate::measure::pair::options::{Material, PairOptions};
use crate::measure::pair::response::{BandGain, PhasePoint};
use crate::measure::pair::weigh::{MIN_HEIGHT, MIN_HITS};
use crate::progress::{MeasureError, Progress};
use crate::signal::Placed;
use crate::units::{Offset, SampleRate, SessionFrame};
use crate::verdict::Verdict;
use serde::{Deserialize, Serialize};

/// One lag that could be.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Candidate {
    /// Lag in frames at the session's rate.
    pub lag_frames: f64,
    /// +1 upright, −1 inverted.
    pub sign: i8,
    /// Part of the highest peak, 0 … 1.
    pub relative: f64,
}

/// The curve of signed agreement against lag, thinned for drawing (the largest excursion of each step is kept).
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AgreementCurve {
    /// Lag of the first value in frames.
    pub first_lag_frames: f64,
    /// Frames between values.
    pub step_frames: f64,
    /// Agreement, −1 … +1 relative to the highest peak.
    pub values: Vec<f32>,
}

/// Everything known about B against A.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PairMeasurement {
    /// The session's rate, in which frames are counted.
    pub rate_hz: u32,
    /// How sure.
    pub verdict: Verdict,
    /// Why, in a sentence.
    pub reason: String,
    /// Lag of B against A in session time, frames; none when undecided.
    pub lag_frames: Option<f64>,
    /// Sign of arrival, +1 or −1; 0 when undecided.
    pub sign: i8,
    /// Peak over the RMS of the curve.
    pub height: f64,
    /// Magnitude-squared coherence over the band, 0 … 1.
    pub coherence: f64,
    /// Second highest peak as part of the highest.
    pub rival: f64,
    /// Windows used.
    pub hits: usize,
    /// What kind of windows.
    pub material: Material,
    /// Session frames (in A) at which the windows' sound begins.
    pub hit_frames: Vec<SessionFrame>,
    /// The loudest of them, by its place in the list.
    #[serde(default)]
    pub strongest_hit: usize,
    /// The lags that could be, best first.
    pub candidates: Vec<Candidate>,
    /// Agreement against lag.
    pub curve: AgreementCurve,
    /// Phase of B against A as recorded.
    pub phase: Vec<PhasePoint>,
    /// What the sum keeps, by third-octave.
    pub sum_gain: Vec<BandGain>,
    /// Energy left of A when B as proposed is subtracted, dB; none when undecided.
    pub null_depth_db: Option<f64>,
    /// The whitened sign and the sign of the energy at the lows disagree.
    pub phase_turns: bool,
    /// B sums better inverted, by the energy of the lows: the proposal.
    pub propose_invert: bool,
    /// Proposed offset of B in frames: takes the lag out; 0 when undecided.
    pub propose_offset_frames: f64,
    /// Lowest tone of weight in the hits of both tracks, in Hz; half its period is the room that a picture needs before the
    /// attack. None when nothing was measured.
    #[serde(default)]
    pub lowest_hz: Option<f64>,
}

/// Measures B against A over their whole length, in blocks.
///
/// Allocates its transforms and sums; memory grows by 4 bytes a millisecond of each track (the envelopes).
///
/// # Errors
/// [`MeasureError`] when a track cannot be read or `progress` says stop. Uncertainty is not an error.
///
/// ```
/// use marea_core::measure::pair::{measure_pair, options::PairOptions};
/// use marea_core::signal::{MemSource, Placed};
/// use marea_core::units::{SampleRate, SessionFrame};
/// // Six noise bursts, and the same 37 frames later at half the level, inverted.
/// let mut seed = 1u32;
/// let mut noise = || {
///     seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
///     f64::from(seed) / f64::from(u32::MAX) - 0.5
/// };
/// let a: Vec<f32> = (0..120_000).map(|n| (noise() * (-f64::from(n % 20_000) / 900.0).exp()) as f32).collect();
/// let b: Vec<f32> = (0..120_000).map(|n| if n < 37 { 0.0 } else { -0.5 * a[n - 37] }).collect();
/// let (a, b) = (MemSource(a), MemSource(b));
/// let placed = |source| Placed { source, start: SessionFrame(0) };
/// let rate = SampleRate::new(48_000).unwrap();
/// let m = measure_pair(&placed(&a), &placed(&b), rate, PairOptions::default(), &mut |_| true).unwrap();
/// assert!((m.lag_frames.unwrap() - 37.0).abs() < 0.05 && m.sign == -1);
/// ```
pub fn measure_pair(
    a: &Placed,
    b: &Placed,
    rate: SampleRate,
    options: PairOptions,
    progress: Progress,
) -> Result<PairMeasurement, MeasureError> {
    let env_a = Envelope::measure(a, rate, &mut |p| progress(p * 0.3))?;
    let env_b = Envelope::measure(b, rate, &mut |p| progress(0.3 + p * 0.3))?;
    for (env, which) in [(&env_a, "the anchor"), (&env_b, "the other track")] {
        // -90 dBFS at the loudest: nothing that a 16-bit recording could hold.
        if env.percentile(0.99).is_none_or(|p| p < 1e-9) {
            return Ok(nothing(rate, format!("{which} is silent")));
        }
    }
    let mut centres = vec![0];
    if options.find_far
        && let Some(far) = far_lag(&env_a, &env_b, 1)
        && far.abs() > rate.frames(options.max_lag_s * 0.8)
    {
        centres.push(far);
    }
    let search = Search { tracks: (a, b), envelopes: (&env_a, &env_b), onsets: env_a.onsets(), rate, options };
    let best = search.best(&centres, &mut |p| progress(0.6 + 0.3 * p))?;
    let Some(best) = best else { return Ok(nothing(rate, "nothing to measure".into())) };
    if !progress(0.92) {
        return Err(MeasureError::Stopped);
    }
    finish((a, &env_a), b, rate, options, best)
}

/// Looks at two tracks in several ways and keeps the best.
struct Search<'a> {
    tracks: (&'a Placed<'a>, &'a Placed<'a>),
    envelopes: (&'a Envelope, &'a Envelope),
    /// Of the anchor.
    onsets: Vec<Onset>,
    rate: SampleRate,
    options: PairOptions,
}

impl Search<'_> {
    /// The best about any of the coarse lags; none when there is nothing to look at.
    fn best(&self, centres: &[i64], progress: Progress) -> Result<Option<Attempt>, MeasureError> {
        let mut best: Option<Attempt> = None;
        let mut disagree = None;
        for (i, &centre) in centres.iter().enumerate() {
            for material in [Material::Struck, Material::Sustained] {
                if best.as_ref().is_some_and(|b| b.verdict == Verdict::Solid) {
                    continue;
                }
                let mut inner = |p: f64| progress((i as f64 + p) / centres.len() as f64);
                let mut attempt = self.look(centre, material, &mut inner)?;
                let struck =
                    best.as_ref().filter(|b| b.material == Material::Struck && material == Material::Sustained);
                if let Some(struck) = struck {
                    if struck.centre == centre && several_sources(struck, &attempt, self.rate) {
                        disagree = Some((struck.estimate.lag, attempt.estimate.lag));
                        continue;
                    }
                    doubt(&mut attempt, struck.estimate.hits);
                }
                let rank = |a: &Attempt| (a.verdict, a.estimate.height);
                if best.as_ref().is_none_or(|b| rank(&attempt) > rank(b)) {
                    best = Some(attempt);
                }
            }
        }
        if let (Some((hits, all)), Some(b)) = (disagree, best.as_mut())
            && b.verdict == Verdict::Undecided
        {
            b.reason = format!(
                "the anchor's hits point to {:.2} ms, all that sounds to {:.2} ms: several sources with a lag each; {}",
                self.rate.ms(hits),
                self.rate.ms(all),
                b.reason
            );
        }
        Ok(best)
    }

    /// Windows of one kind about one coarse lag.
    fn look(&self, centre: i64, material: Material, progress: Progress) -> Result<Attempt, MeasureError> {
        let (env_a, env_b) = self.envelopes;
        let places = match material {
            Material::Struck => windows::isolated_hits(&self.onsets, env_b, centre, self.rate),
            Material::Sustained => windows::sustained(env_a, env_b, centre, self.rate),
        };
        let leaning = leaning(env_a, env_b, centre, &places, self.rate);
        let anchor = Anchor::once(self.tracks.0);
        let mut look = Look::new((&anchor, self.tracks.1), self.rate, self.options, centre, material);
        look.add(&places, &leaning, progress)?;
        look.judge()
    }
}

/// Lags further apart than this, in seconds, are two.
const TWO_LAGS_S: f64 = 0.000_04;

/// Do clear hits of the anchor say one thing, and everything that sounds another?
fn several_sources(struck: &Attempt, sustained: &Attempt, rate: SampleRate) -> bool {
    let clear = struck.estimate.hits >= MIN_HITS && struck.estimate.height >= MIN_HEIGHT;
    let apart = (struck.estimate.lag - sustained.estimate.lag).abs() > rate.hz_f64() * TWO_LAGS_S;
    clear && apart && sustained.verdict > Verdict::Undecided
}

/// What is found only in all that sounds, though the anchor has hits enough of its own, is never solid.
fn doubt(sustained: &mut Attempt, struck_hits: usize) {
    if sustained.verdict == Verdict::Solid && struck_hits >= 2 * MIN_HITS {
        sustained.verdict = Verdict::Likely;
        sustained.reason = format!(
            "found in what sounds through both, not in the anchor's own {struck_hits} hits: it may be another source's lag"
        );
    }
}

fn nothing(rate: SampleRate, reason: String) -> PairMeasurement {
    PairMeasurement {
        rate_hz: rate.hz(),
        verdict: Verdict::Undecided,
        reason,
        lag_frames: None,
        sign: 0,
        height: 0.0,
        coherence: 0.0,
        rival: 0.0,
        hits: 0,
        material: Material::Struck,
        hit_frames: Vec::new(),
        strongest_hit: 0,
        candidates: Vec::new(),
        curve: AgreementCurve::default(),
        phase: Vec::new(),
        sum_gain: Vec::new(),
        null_depth_db: None,
        phase_turns: false,
        propose_invert: false,
        propose_offset_frames: 0.0,
        lowest_hz: None,
    }
}

/// How long after its beginning a hit is at its loudest, in seconds.
const ATTACK_S: f64 = 0.012;

/// Place of the hit with the loudest millisecond.
fn loudest(envelope: &Envelope, hits: &[i64], rate: SampleRate) -> usize {
    let level = |at: i64| envelope.largest(at, at + rate.frames(ATTACK_S));
    (0..hits.len()).rev().max_by(|a, b| level(hits[*a]).total_cmp(&level(hits[*b]))).unwrap_or(0)
}

fn finish(
    (a, env_a): (&Placed, &Envelope),
    b: &Placed,
    rate: SampleRate,
    options: PairOptions,
    best: Attempt,
) -> Result<PairMeasurement, MeasureError> {
    let e = &best.estimate;
    let decided = best.verdict > Verdict::Undecided;
    let lag = if decided { e.lag } else { 0.0 };
    let response = response::Response::measure(a, b, &best.places, lag, rate)?;
    let lows = response.low_sign(lag, options.band_hz.0);
    let propose_invert = decided && if lows == 0 { e.sign < 0 } else { lows < 0 };
    let proposal = Correction {
        offset_frames: if decided { crate::edit::offset_for_lag(e.lag) } else { Offset::default() },
        invert: propose_invert,
        gain_db: 0.0,
    };
    Ok(PairMeasurement {
        rate_hz: rate.hz(),
        verdict: best.verdict,
        reason: best.reason,
        lag_frames: decided.then_some(e.lag),
        sign: if decided { e.sign } else { 0 },
        height: e.height,
        coherence: e.coherence,
        rival: e.rival,
        hits: e.hits,
        material: best.material,
        strongest_hit: loudest(env_a, &best.places, rate),
        hit_frames: best.places.into_iter().map(SessionFrame).collect(),
        candidates: [(e.lag, e.sign, 1.0), (e.rival_lag, e.rival_sign, e.rival)]
            .map(|(lag_frames, sign, relative)| Candidate { lag_frames, sign, relative })
            .to_vec(),
        curve: thin(&best.curve, best.centre),
        phase: response.phase(lag),
        sum_gain: response.sum_gain(proposal.offset_frames.0, propose_invert),
        null_depth_db: decided.then(|| response.null_depth_db(proposal.offset_frames.0, propose_invert)),
        phase_turns: decided && lows != 0 && lows != e.sign,
        propose_invert,
        propose_offset_frames: proposal.offset_frames.0,
        lowest_hz: response.lowest_hz(),
    })
}

/// At most about 6 000 points, each the largest excursion of its step.
fn thin(curve: &LagCurve, centre: i64) -> AgreementCurve {
    let step = curve.values.len().div_ceil(6_000).max(1);
    let values = curve
        .values
        .chunks(step)
        .map(|c| *c.iter().max_by(|x, y| x.abs().total_cmp(&y.abs())).unwrap_or(&0.0))
        .map(|v| (v * 10_000.0).round() / 10_000.0)
        .collect();
    let step_frames = step as f64 / curve.oversampling as f64;
    AgreementCurve { first_lag_frames: curve.first_lag + centre as f64 + step_frames / 2.0, step_frames, values }
}
