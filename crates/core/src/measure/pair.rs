//! Two tracks against each other: lag, sign, and how sure.
//!
//! Windows are chosen where the anchor's own source is heard alone; their cross-spectra are added up before whitening,
//! so bleed and noise average away (Knapp & Carter 1976); the largest absolute value of the whitened curve is the
//! arrival. The result is looked at again in parts of the recording: a high peak that is not the same everywhere is
//! not a delay.

use super::onset::Envelope;
use super::response::{self, BandGain, PhasePoint};
use super::spectrum::{CrossSpectrum, CurveRange, LagCurve, Transform, lag_curve};
use super::verdict::{Verdict, weigh};
use super::{MeasureError, Progress, windows};
use crate::correct::Correction;
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use realfft::num_complex::Complex32;
use serde::{Deserialize, Serialize};

/// What to look for.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PairOptions {
    /// Largest lag searched either way, in seconds, about the coarse position.
    pub max_lag_s: f64,
    /// Also look for a lag of seconds by the envelopes (prints, machines with their own clock).
    pub find_far: bool,
    /// Band used, in Hz.
    pub band_hz: (f64, f64),
}

impl Default for PairOptions {
    fn default() -> Self {
        Self { max_lag_s: 0.03, find_far: true, band_hz: (60.0, 14_000.0) }
    }
}

/// What kind of windows decided.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Material {
    /// Isolated hits.
    Struck,
    /// Quarter-second windows above the noise.
    Sustained,
}

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
    pub hit_frames: Vec<i64>,
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
    /// B sums better turned over, by the energy of the lows: the proposal.
    pub propose_invert: bool,
    /// Proposed offset of B in frames: takes the lag out; 0 when undecided.
    pub propose_offset_frames: f64,
}

/// A lag and what speaks for it; internal to the measurement.
#[derive(Debug, Clone)]
pub struct Estimate {
    /// Frames, session time.
    pub lag: f64,
    /// +1 or −1.
    pub sign: i8,
    /// Peak over RMS.
    pub height: f64,
    /// 0 … 1.
    pub coherence: f64,
    /// Second peak over first.
    pub rival: f64,
    /// Its lag in frames.
    pub rival_lag: f64,
    /// Its sign.
    pub rival_sign: i8,
    /// Windows.
    pub hits: usize,
    /// Parts looked at by themselves.
    pub parts: usize,
    /// Parts that found the same lag and sign.
    pub parts_agreeing: usize,
    /// Passages in which A is relatively loud and those in which B is give the same answer.
    pub same_for_all: bool,
    /// The peak is the last point searched.
    pub at_edge: bool,
}

struct Attempt {
    estimate: Estimate,
    curve: LagCurve,
    centre: i64,
    places: Vec<i64>,
    material: Material,
    verdict: Verdict,
    reason: String,
}

/// Measures B against A over their whole length, in blocks.
///
/// Allocates its transforms and sums; memory grows by 4 bytes a millisecond of each track (the envelopes).
///
/// # Errors
/// [`MeasureError`] when a track cannot be read or `progress` says stop. Uncertainty is not an error.
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
        && let Some(far) = far_lag(&env_a, &env_b)
        && far.abs() > rate.frames(options.max_lag_s * 0.8)
    {
        centres.push(far);
    }
    let onsets = env_a.onsets();
    let mut best: Option<Attempt> = None;
    let mut disagree = None;
    for (i, &centre) in centres.iter().enumerate() {
        for material in [Material::Struck, Material::Sustained] {
            if best.as_ref().is_some_and(|b| b.verdict == Verdict::Solid) {
                continue;
            }
            let places = match material {
                Material::Struck => windows::isolated_hits(&onsets, &env_b, centre, rate),
                Material::Sustained => windows::sustained(&env_a, &env_b, centre, rate),
            };
            let mut inner = |p: f64| progress(0.6 + 0.3 * (i as f64 + p) / centres.len() as f64);
            let leaning = leaning(&env_a, &env_b, centre, &places);
            let attempt = attempt(a, b, rate, options, centre, places, &leaning, material, &mut inner)?;
            // Clear hits of the anchor that say one thing, and everything that sounds another: several sources.
            if material == Material::Sustained
                && let Some(struck) = best.as_ref().filter(|b| b.material == Material::Struck && b.centre == centre)
                && struck.estimate.hits >= super::verdict::MIN_HITS
                && struck.estimate.height >= super::verdict::MIN_HEIGHT
                && attempt.verdict > Verdict::Undecided
                && (struck.estimate.lag - attempt.estimate.lag).abs() > rate.hz_f64() * 0.000_04
            {
                disagree = Some((struck.estimate.lag, attempt.estimate.lag));
                continue;
            }
            let mut attempt = attempt;
            let struck_hits = best.as_ref().filter(|b| b.material == Material::Struck).map_or(0, |b| b.estimate.hits);
            if material == Material::Sustained && attempt.verdict == Verdict::Solid && struck_hits >= 2 * super::verdict::MIN_HITS
            {
                attempt.verdict = Verdict::Likely;
                attempt.reason = format!(
                    "found in what sounds through both, not in the anchor's own {struck_hits} hits: it may be another source's lag"
                );
            }
            let better = best.as_ref().is_none_or(|b| {
                (attempt.verdict, attempt.estimate.height) > (b.verdict, b.estimate.height)
            });
            if better {
                best = Some(attempt);
            }
        }
    }
    if let (Some((hits, all)), Some(b)) = (disagree, best.as_mut())
        && b.verdict == Verdict::Undecided
    {
        b.reason = format!(
            "the anchor's hits point to {:.2} ms, all that sounds to {:.2} ms: several sources with a lag each; {}",
            rate.ms(hits),
            rate.ms(all),
            b.reason
        );
    }
    let Some(best) = best else { return Ok(nothing(rate, "nothing to measure".into())) };
    if !progress(0.92) {
        return Err(MeasureError::Stopped);
    }
    finish(a, b, rate, options, best)
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
        candidates: Vec::new(),
        curve: AgreementCurve::default(),
        phase: Vec::new(),
        sum_gain: Vec::new(),
        null_depth_db: None,
        phase_turns: false,
        propose_invert: false,
        propose_offset_frames: 0.0,
    }
}

/// Spectra of all windows, kept in four parts: early/late half of the session by which track is relatively louder. With
/// one source the level of A against B says nothing; with several it tells which of them sounds.
#[allow(clippy::too_many_arguments)]
fn attempt(
    a: &Placed,
    b: &Placed,
    rate: SampleRate,
    options: PairOptions,
    centre: i64,
    places: Vec<i64>,
    leaning: &[bool],
    material: Material,
    progress: Progress,
) -> Result<Attempt, MeasureError> {
    let shape = Shape::of(material, rate);
    let max_lag = index(rate.frames(options.max_lag_s));
    let edge = index(rate.frames(0.002));
    let len_b = shape.taper.len() + 2 * (max_lag + edge);
    let fft_len = len_b.next_power_of_two();
    let mut transform = Transform::new(fft_len);
    let mut sums = vec![CrossSpectrum::new(transform.bins()); 4];
    let (mut xa, mut xb) = (vec![0f32; shape.taper.len()], vec![0f32; len_b]);
    let mut fa = vec![Complex32::default(); transform.bins()];
    let mut fb = fa.clone();
    for (i, &place) in places.iter().enumerate() {
        if i % 8 == 0 && !progress(i as f64 / places.len() as f64) {
            return Err(MeasureError::Stopped);
        }
        let start = place - shape.before;
        a.read(start, &mut xa)?;
        b.read(start + centre - (max_lag + edge) as i64, &mut xb)?;
        xa.iter_mut().zip(&shape.taper).for_each(|(x, t)| *x *= t);
        soften_ends(&mut xb, edge);
        let (ea, eb) = (energy(&xa), energy(&xb));
        if ea <= 0.0 || eb <= 0.0 {
            continue;
        }
        transform.forward(&xa, &mut fa);
        transform.forward(&xb, &mut fb);
        let part = usize::from(i >= places.len() / 2) * 2 + usize::from(leaning[i]);
        sums[part].add(&fa, &fb, ea.sqrt().recip(), eb.sqrt().recip());
    }
    let mut total = CrossSpectrum::new(transform.bins());
    sums.iter().for_each(|s| total.merge(s));
    let bin = |hz: f64| (hz / rate.hz_f64() * fft_len as f64).round() as usize;
    let range = CurveRange {
        low_bin: bin(options.band_hz.0),
        high_bin: bin(options.band_hz.1.min(rate.hz_f64() * 0.45)),
        max_lag,
        oversampling: 8,
        lead: max_lag + edge,
    };
    let curve = lag_curve(&total, fft_len, range);
    let peak = curve.peak();
    let guard = rate.hz_f64() * 0.000_3;
    let rival = curve.rival(peak, guard);
    let sign_at = |c: &LagCurve, i: usize| if c.values[i] < 0.0 { -1 } else { 1 };
    let (sign, lag) = (sign_at(&curve, peak), curve.refined(peak));
    // Early, late, A-heavy, B-heavy: each half must find the same arrival by itself.
    let tolerance = rate.hz_f64() * 0.000_04;
    let halves = [(0, 1), (2, 3), (0, 2), (1, 3)];
    let mut agreeing = 0;
    let mut same_for_all = true;
    if total.count >= super::verdict::MIN_HITS {
        for (i, (x, y)) in halves.into_iter().enumerate() {
            let mut half = sums[x].clone();
            half.merge(&sums[y]);
            let c = lag_curve(&half, fft_len, CurveRange { oversampling: 2, ..range });
            let p = c.peak();
            if (c.refined(p) - lag).abs() <= tolerance && sign_at(&c, p) == sign {
                agreeing += 1;
            } else if i >= 2 {
                same_for_all = false;
            }
        }
    }
    let mut estimate = Estimate {
        lag: lag + centre as f64,
        sign,
        height: if curve.rms > 0.0 { f64::from(curve.values[peak].abs()) / curve.rms } else { 0.0 },
        coherence: 0.0,
        rival: f64::from(curve.values[rival].abs() / curve.values[peak].abs().max(f32::MIN_POSITIVE)),
        rival_lag: curve.lag_of(rival) + centre as f64,
        rival_sign: sign_at(&curve, rival),
        hits: total.count,
        parts: halves.len(),
        parts_agreeing: agreeing,
        same_for_all,
        at_edge: peak < 8 || peak + 8 >= curve.values.len(),
    };
    if total.count > 0 {
        let aligned = aligned_spectrum(a, b, &places, &shape, estimate.lag.round() as i64)?;
        let fine = Fine::of(&aligned, rate, options.band_hz);
        estimate.coherence = fine.coherence;
        let residual = fine.residual(sign);
        // The fine estimate uses only windows cut at the arrival; it may move the peak by a fraction, never choose another.
        let refined = estimate.lag.round() + residual;
        if (refined - estimate.lag).abs() < rate.hz_f64() * 0.000_03 {
            estimate.lag = refined;
        }
    }
    let (verdict, reason) = weigh(&estimate, material, rate);
    Ok(Attempt { estimate, curve, centre, places, material, verdict, reason })
}

/// Which half of the windows has A louder against B.
fn leaning(a: &Envelope, b: &Envelope, shift: i64, places: &[i64]) -> Vec<bool> {
    let ratio: Vec<f32> =
        places.iter().map(|p| a.mean(*p, 30).max(1e-20).ln() - b.mean(*p + shift, 30).max(1e-20).ln()).collect();
    let mut order: Vec<usize> = (0..places.len()).collect();
    order.sort_by(|x, y| ratio[*x].total_cmp(&ratio[*y]));
    let mut leaning = vec![false; places.len()];
    // By rank, so that both halves are filled even when all ratios are the same.
    order.iter().skip(places.len() / 2).for_each(|i| leaning[*i] = true);
    leaning
}

/// Window of the anchor: how long, how far before the place, which taper.
struct Shape {
    taper: Vec<f32>,
    before: i64,
}

impl Shape {
    fn of(material: Material, rate: SampleRate) -> Self {
        match material {
            Material::Struck => {
                let before = rate.frames(0.003);
                let len = index(before + rate.frames(0.030));
                let (rise, fall) = (index(rate.frames(0.001)), index(rate.frames(0.008)));
                let mut taper = vec![1f32; len];
                for i in 0..rise {
                    taper[i] = half_cosine(i, rise);
                }
                for i in 0..fall {
                    taper[len - 1 - i] = half_cosine(i, fall);
                }
                Self { taper, before }
            }
            Material::Sustained => {
                let len = index(rate.frames(0.25));
                let half = len / 2;
                let taper = (0..len).map(|i| half_cosine(i.min(len - 1 - i), half)).collect();
                Self { taper, before: 0 }
            }
        }
    }
}

fn half_cosine(i: usize, len: usize) -> f32 {
    let x = (i as f32 + 0.5) / len as f32;
    0.5 - 0.5 * (std::f32::consts::PI * x.min(1.0)).cos()
}

fn soften_ends(x: &mut [f32], edge: usize) {
    let n = x.len();
    for i in 0..edge {
        let t = half_cosine(i, edge);
        x[i] *= t;
        x[n - 1 - i] *= t;
    }
}

fn energy(x: &[f32]) -> f32 {
    x.iter().map(|v| v * v).sum()
}

/// Cross-spectrum of windows cut alike from A and, `lag` frames later, from B.
fn aligned_spectrum(
    a: &Placed,
    b: &Placed,
    places: &[i64],
    shape: &Shape,
    lag: i64,
) -> Result<(CrossSpectrum, usize), MeasureError> {
    let len = shape.taper.len();
    let mut transform = Transform::new((len * 2).next_power_of_two());
    let mut sum = CrossSpectrum::new(transform.bins());
    let mut x = vec![0f32; len];
    let mut fa = vec![Complex32::default(); transform.bins()];
    let mut fb = fa.clone();
    for &place in places {
        let mut e = [0f32; 2];
        for (side, track, shift, out) in [(0, a, 0, &mut fa), (1, b, lag, &mut fb)] {
            track.read(place - shape.before + shift, &mut x)?;
            x.iter_mut().zip(&shape.taper).for_each(|(v, t)| *v *= t);
            e[side] = energy(&x);
            transform.forward(&x, out);
        }
        if e[0] > 0.0 && e[1] > 0.0 {
            sum.add(&fa, &fb, e[0].sqrt().recip(), e[1].sqrt().recip());
        }
    }
    Ok((sum, transform.len()))
}

/// Bins of an aligned cross-spectrum that carry the fine estimate.
struct Fine {
    /// (angular frequency in radians a frame, unit phasor's real and imaginary part, weight)
    bins: Vec<(f64, f64, f64, f64)>,
    coherence: f64,
}

impl Fine {
    fn of((sum, fft_len): &(CrossSpectrum, usize), rate: SampleRate, band: (f64, f64)) -> Self {
        let hz = |k: usize| k as f64 * rate.hz_f64() / *fft_len as f64;
        let (mut bins, mut top, mut bottom) = (Vec::new(), 0.0, 0.0);
        for k in 1..sum.ab.len() {
            if hz(k) < band.0 || hz(k) > band.1.min(rate.hz_f64() * 0.45) {
                continue;
            }
            let c = sum.coherence(k);
            // Square roots of the energies: strong bins count more, weak ones are not drowned.
            let weight = f64::from(sum.aa[k] * sum.bb[k]).sqrt().sqrt();
            top += c * weight;
            bottom += weight;
            let m = f64::from(sum.ab[k].norm());
            if c > 0.1 && m > 0.0 {
                let w = c / (1.0 - c + 0.05);
                let omega = std::f64::consts::TAU * k as f64 / *fft_len as f64;
                bins.push((omega, f64::from(sum.ab[k].re) / m, f64::from(sum.ab[k].im) / m, w));
            }
        }
        Self { bins, coherence: if bottom > 0.0 { top / bottom } else { 0.0 } }
    }

    /// Rest of the lag in frames (−1 … 1) at which the phases agree best.
    fn residual(&self, sign: i8) -> f64 {
        let s = f64::from(sign);
        let score = |d: f64| {
            self.bins.iter().map(|(o, re, im, w)| w * s * (re * (o * d).cos() - im * (o * d).sin())).sum::<f64>()
        };
        let mut best = (-100..=100).map(|i| f64::from(i) / 100.0).max_by(|x, y| score(*x).total_cmp(&score(*y))).unwrap_or(0.0);
        let mut step = 0.005;
        while step > 0.000_5 {
            for d in [best - step, best + step] {
                if score(d) > score(best) {
                    best = d;
                }
            }
            step *= 0.5;
        }
        best
    }
}

fn finish(
    a: &Placed,
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
        offset_frames: if decided { crate::correct::offset_for_lag(e.lag) } else { 0.0 },
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
        hit_frames: best.places,
        candidates: [(e.lag, e.sign, 1.0), (e.rival_lag, e.rival_sign, e.rival)]
            .map(|(lag_frames, sign, relative)| Candidate { lag_frames, sign, relative })
            .to_vec(),
        curve: thin(&best.curve, best.centre),
        phase: response.phase(lag),
        sum_gain: response.sum_gain(proposal.offset_frames, propose_invert),
        null_depth_db: decided.then(|| response.null_depth_db(proposal.offset_frames, propose_invert)),
        phase_turns: decided && lows != 0 && lows != e.sign,
        propose_invert,
        propose_offset_frames: proposal.offset_frames,
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

/// A lag of any size found by the rises of the two envelopes; none when nothing stands out or two places fit alike.
fn far_lag(a: &Envelope, b: &Envelope) -> Option<i64> {
    let rises = |e: &Envelope, factor: usize| -> Vec<f32> {
        let coarse: Vec<f32> =
            e.power.chunks(factor).map(|c| (c.iter().sum::<f32>() / c.len() as f32 + 1e-9).ln()).collect();
        let raw: Vec<f32> = coarse.windows(2).map(|w| (w[1] - w[0]).max(0.0)).collect();
        let mean = raw.iter().sum::<f32>() / raw.len().max(1) as f32;
        raw.iter().map(|v| v - mean).collect()
    };
    // Up to 35 minutes at 4 ms; longer recordings are looked at more coarsely, so memory stays bounded.
    let longest = a.power.len().max(b.power.len());
    let factor = 4 * longest.div_ceil(1 << 21).max(1);
    let (ra, rb) = (rises(a, factor), rises(b, factor));
    if ra.len() < 16 || rb.len() < 16 {
        return None;
    }
    let n = (ra.len() + rb.len()).next_power_of_two();
    let mut t = Transform::new(n);
    let mut fa = vec![Complex32::default(); t.bins()];
    let mut fb = fa.clone();
    t.forward(&ra, &mut fa);
    t.forward(&rb, &mut fb);
    let inverse = realfft::RealFftPlanner::<f32>::new().plan_fft_inverse(n);
    let mut cross: Vec<Complex32> = fa.iter().zip(&fb).map(|(x, y)| x.conj() * y).collect();
    cross[0].im = 0.0;
    let last = cross.len() - 1;
    cross[last].im = 0.0;
    let mut time = inverse.make_output_vec();
    inverse.process(&mut cross, &mut time).ok()?;
    let peak = (0..n).max_by(|x, y| time[*x].total_cmp(&time[*y]))?;
    let rms = (time.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>() / n as f64).sqrt();
    let distance = |i: usize| (i as i64 - peak as i64).rem_euclid(n as i64).min((peak as i64 - i as i64).rem_euclid(n as i64));
    let rival = (0..n).filter(|i| distance(*i) > 10).map(|i| time[i]).fold(0f32, f32::max);
    if f64::from(time[peak]) < 8.0 * rms || rival > 0.7 * time[peak] {
        return None;
    }
    let steps = if peak > n / 2 { peak as i64 - n as i64 } else { peak as i64 };
    Some(steps * (factor * a.hop) as i64 + b.first - a.first)
}
