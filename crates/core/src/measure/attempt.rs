//! One look at a pair: windows of one kind, their spectra added up, the arrival in the curve, and whether every part of the
//! recording agrees on it.

use super::cut::{Anchor, Purpose, Shape, half_cosine};
use super::fine::{Fine, aligned_spectrum};
use super::onset::Envelope;
use super::pair::{Material, PairOptions};
use super::spectrum::{CrossSpectrum, CurveRange, LagCurve, Transform, lag_curve, quick_len};
use super::sums::energy;
use super::verdict::{MIN_HEIGHT, MIN_HITS, Verdict, weigh};
use super::{MeasureError, Progress};
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use realfft::num_complex::Complex32;

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
    /// The largest peak before the first, as part of it; 0 for none.
    pub earlier: f64,
    /// Its lag in frames.
    pub earlier_lag: f64,
    /// Its sign.
    pub earlier_sign: i8,
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

/// Points a frame of the curve: the phases find what lies between.
const OVERSAMPLING: usize = 2;

/// One way of looking: windows of one kind about one coarse lag.
pub struct Attempt {
    /// What was found.
    pub estimate: Estimate,
    /// Agreement against lag, about `centre`.
    pub curve: LagCurve,
    /// Coarse lag in frames.
    pub centre: i64,
    /// Session frames of the windows.
    pub places: Vec<i64>,
    /// Kind of windows.
    pub material: Material,
    /// How sure.
    pub verdict: Verdict,
    /// Why.
    pub reason: String,
}

/// Spectra of all windows, kept in four parts: early/late half of the session by which track is relatively louder. With
/// one source the level of A against B says nothing; with several it tells which of them sounds.
#[allow(clippy::too_many_arguments)]
pub fn attempt(
    a: &Anchor,
    b: &Placed,
    rate: SampleRate,
    options: PairOptions,
    centre: i64,
    places: Vec<i64>,
    leaning: &[bool],
    material: Material,
    progress: Progress,
) -> Result<Attempt, MeasureError> {
    let purpose = if material == Material::Struck { Purpose::Strike } else { Purpose::Passage };
    let shape = Shape::of(purpose, rate);
    let max_lag = index(rate.frames(options.max_lag_s));
    let edge = index(rate.frames(0.002));
    let len_b = shape.taper.len() + 2 * (max_lag + edge);
    let fft_len = quick_len(len_b);
    let mut transform = Transform::new(fft_len);
    let bin = |hz: f64| (hz / rate.hz_f64() * fft_len as f64).round() as usize;
    let (low_bin, high_bin) = (bin(options.band_hz.0), bin(options.band_hz.1.min(rate.hz_f64() * 0.45)));
    let mut sums = vec![CrossSpectrum::new(high_bin + 1); 4];
    let mut xb = vec![0f32; len_b];
    let mut fb = vec![Complex32::default(); transform.bins()];
    for (i, &place) in places.iter().enumerate() {
        if i % 8 == 0 && !progress(i as f64 / places.len() as f64) {
            return Err(MeasureError::Stopped);
        }
        let start = place - shape.before;
        b.read(start + centre - (max_lag + edge) as i64, &mut xb)?;
        soften_ends(&mut xb, edge);
        let at_a = a.window(place, &shape, &mut transform)?;
        let (ea, eb) = (at_a.energy, energy(&xb));
        if ea <= 0.0 || eb <= 0.0 {
            continue;
        }
        transform.forward(&xb, &mut fb);
        let part = usize::from(i >= places.len() / 2) * 2 + usize::from(leaning[i]);
        sums[part].add(&at_a.spectrum, &fb, ea.sqrt().recip(), eb.sqrt().recip());
    }
    let mut total = CrossSpectrum::new(high_bin + 1);
    sums.iter().for_each(|s| total.merge(s));
    let range = CurveRange { low_bin, high_bin, max_lag, oversampling: OVERSAMPLING, lead: max_lag + edge };
    let curve = lag_curve(&total, fft_len, range);
    let peak = curve.peak();
    let guard = rate.hz_f64() * 0.000_3;
    let rival = curve.rival(peak, guard);
    let sign_at = |c: &LagCurve, i: usize| if c.values[i] < 0.0 { -1 } else { 1 };
    let (sign, lag) = (sign_at(&curve, peak), curve.refined(peak));
    let height = if curve.rms > 0.0 { f64::from(curve.values[peak].abs()) / curve.rms } else { 0.0 };
    // Where nothing stands out there is nothing to look at more closely.
    let stands_out = total.count >= MIN_HITS && height >= MIN_HEIGHT;
    // Early, late, A-heavy, B-heavy: each half must find the same arrival by itself.
    let tolerance = rate.hz_f64() * 0.000_04;
    let halves = [(0, 1), (2, 3), (0, 2), (1, 3)];
    let mut agreeing = 0;
    let mut same_for_all = true;
    if stands_out {
        for (i, (x, y)) in halves.into_iter().enumerate() {
            let mut half = sums[x].clone();
            half.merge(&sums[y]);
            let c = lag_curve(&half, fft_len, CurveRange { oversampling: 1, ..range });
            let p = c.peak();
            if (c.refined(p) - lag).abs() <= tolerance && sign_at(&c, p) == sign {
                agreeing += 1;
            } else if i >= 2 {
                same_for_all = false;
            }
        }
    }
    let earlier = curve.before(peak, guard);
    let part_of_peak = |i: usize| f64::from(curve.values[i].abs() / curve.values[peak].abs().max(f32::MIN_POSITIVE));
    let mut estimate = Estimate {
        lag: lag + centre as f64,
        sign,
        height,
        coherence: 0.0,
        rival: part_of_peak(rival),
        rival_lag: curve.lag_of(rival) + centre as f64,
        rival_sign: sign_at(&curve, rival),
        earlier: earlier.map_or(0.0, part_of_peak),
        earlier_lag: earlier.map_or(0.0, |i| curve.refined(i) + centre as f64),
        earlier_sign: earlier.map_or(0, |i| sign_at(&curve, i)),
        hits: total.count,
        parts: halves.len(),
        parts_agreeing: agreeing,
        same_for_all,
        at_edge: peak < OVERSAMPLING || peak + OVERSAMPLING >= curve.values.len(),
    };
    if stands_out {
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
pub fn leaning(a: &Envelope, b: &Envelope, shift: i64, places: &[i64], rate: SampleRate) -> Vec<bool> {
    let span = rate.frames(0.03);
    let level = |e: &Envelope, at: i64| e.mean(at, span).max(1e-20).ln();
    let ratio: Vec<f32> = places.iter().map(|p| level(a, *p) - level(b, *p + shift)).collect();
    let mut order: Vec<usize> = (0..places.len()).collect();
    order.sort_by(|x, y| ratio[*x].total_cmp(&ratio[*y]));
    let mut leaning = vec![false; places.len()];
    // By rank, so that both halves are filled even when all ratios are the same.
    order.iter().skip(places.len() / 2).for_each(|i| leaning[*i] = true);
    leaning
}

fn soften_ends(x: &mut [f32], edge: usize) {
    let n = x.len();
    for i in 0..edge {
        let t = half_cosine(i, edge);
        x[i] *= t;
        x[n - 1 - i] *= t;
    }
}
