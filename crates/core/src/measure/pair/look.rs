//! One look at a pair: windows of one kind, their spectra added up, the arrival in the curve, and whether every part of the
//! recording agrees on it.

use crate::dsp::envelope::Envelope;
use crate::dsp::lag_curve::{CurveRange, LagCurve, lag_curve};
use crate::dsp::spectrum::{CrossSpectrum, Transform, quick_len};
use crate::dsp::stats::thin;
use crate::dsp::sums::energy;
use crate::dsp::window::{Anchor, Purpose, Shape, half_cosine};
use crate::measure::pair::estimate::Estimate;
use crate::measure::pair::fine::{Fine, aligned_spectrum};
use crate::measure::pair::options::{Material, PairOptions};
use crate::measure::pair::weigh::{MIN_HEIGHT, weigh};
use crate::progress::{MeasureError, Progress};
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use crate::verdict::Verdict;
use realfft::num_complex::Complex32;
use std::rc::Rc;

/// Points a frame of a lag curve; phases or a parabola find what lies between.
pub(super) const OVERSAMPLING: usize = 2;

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

/// Windows of two tracks added up, kept in four parts: early/late half of the session by which track is relatively louder. With
/// one source the level of A against B says nothing; with several it tells which of them sounds.
pub struct Look<'a> {
    a: &'a Anchor<'a>,
    b: &'a Placed<'a>,
    rate: SampleRate,
    options: PairOptions,
    material: Material,
    shape: Rc<Shape>,
    centre: i64,
    max_lag: usize,
    edge: usize,
    transform: Transform,
    sums: Vec<CrossSpectrum>,
    places: Vec<i64>,
}

impl<'a> Look<'a> {
    /// Nothing added yet.
    pub fn new(
        (a, b): (&'a Anchor<'a>, &'a Placed<'a>),
        rate: SampleRate,
        options: PairOptions,
        centre: i64,
        material: Material,
    ) -> Self {
        let purpose = if material == Material::Struck { Purpose::Strike } else { Purpose::Passage };
        let shape = Shape::of(purpose, rate);
        let max_lag = index(rate.frames(options.max_lag_s));
        let edge = index(rate.frames(0.002));
        let transform = Transform::new(quick_len(shape.taper.len() + 2 * (max_lag + edge)));
        let high_bin = bin(options.band_hz.1.min(rate.hz_f64() * 0.45), transform.len(), rate);
        let sums = vec![CrossSpectrum::new(high_bin + 1); 4];
        Self { a, b, rate, options, material, shape, centre, max_lag, edge, transform, sums, places: Vec::new() }
    }

    /// Adds the windows at these places, in order of time, each with whether A is the louder one there.
    ///
    /// # Errors
    /// [`MeasureError`] when a track cannot be read or `progress` says stop.
    pub fn add(&mut self, places: &[i64], leaning: &[bool], progress: Progress) -> Result<(), MeasureError> {
        let wide = self.max_lag + self.edge;
        let ends = rising(self.edge);
        let bins = self.sums[0].ab.len();
        let mut windows = [0, 1].map(|_| vec![0f32; self.shape.taper.len() + 2 * wide]);
        let mut spectra = [0, 1].map(|_| vec![Complex32::default(); bins]);
        for (n, two) in places.chunks(2).enumerate() {
            if n % 4 == 0 && !progress(2.0 * n as f64 / places.len() as f64) {
                return Err(MeasureError::Stopped);
            }
            for (place, window) in two.iter().zip(&mut windows) {
                self.b.read(place - self.shape.before + self.centre - wide as i64, window)?;
                soften_ends(window, &ends);
            }
            // An odd one is paired with the one before it.
            let ([a, b], [fa, fb]) = (&windows, &mut spectra);
            self.transform.forward_two([a, b], [fa, fb]);
            for (k, place) in two.iter().enumerate() {
                let i = 2 * n + k;
                let at_a = self.a.window(*place, &self.shape, &mut self.transform)?;
                let (ea, eb) = (at_a.energy, energy(&windows[k]));
                if ea > 0.0 && eb > 0.0 {
                    let part = usize::from(i >= places.len() / 2) * 2 + usize::from(leaning[i]);
                    self.sums[part].add(&at_a.spectrum, &spectra[k], ea.sqrt().recip(), eb.sqrt().recip());
                }
            }
        }
        self.places.extend_from_slice(places);
        self.places.sort_unstable();
        Ok(())
    }

    /// The arrival in what was added so far.
    ///
    /// # Errors
    /// [`MeasureError`] when a track cannot be read.
    pub fn judge(&self) -> Result<Attempt, MeasureError> {
        let (rate, fft_len, sums) = (self.rate, self.transform.len(), &self.sums);
        let mut total = CrossSpectrum::new(sums[0].ab.len());
        sums.iter().for_each(|s| total.merge(s));
        let range = CurveRange {
            low_bin: bin(self.options.band_hz.0, fft_len, rate),
            high_bin: sums[0].ab.len() - 1,
            max_lag: self.max_lag,
            oversampling: OVERSAMPLING,
            lead: self.max_lag + self.edge,
        };
        let curve = lag_curve(&total, fft_len, range);
        let mut estimate = read(&curve, self.centre, rate);
        estimate.hits = total.count;
        // Without a clear peak there is nothing to refine.
        let open = estimate.height >= MIN_HEIGHT && weigh(&estimate, self.material, rate).0 > Verdict::Undecided;
        if open {
            let lag = estimate.lag - self.centre as f64;
            (estimate.parts_agreeing, estimate.same_for_all) = self.parts(&range, lag, estimate.sign);
        }
        let (mut verdict, mut reason) = weigh(&estimate, self.material, rate);
        if open && verdict > Verdict::Undecided {
            self.refine(&mut estimate)?;
            (verdict, reason) = weigh(&estimate, self.material, rate);
        } else {
            let stands_out = estimate.height >= MIN_HEIGHT;
            let wide = || Fine::of(&(total, fft_len), rate, self.options.band_hz).coherence;
            estimate.coherence = if stands_out { wide() } else { 0.0 };
        }
        let (centre, places, material) = (self.centre, self.places.clone(), self.material);
        Ok(Attempt { estimate, curve, centre, places, material, verdict, reason })
    }

    /// Early, late, A-heavy, B-heavy: each half must find the same arrival by itself. How many do, and whether both of the latter.
    fn parts(&self, range: &CurveRange, lag: f64, sign: i8) -> (usize, bool) {
        let tolerance = self.rate.hz_f64() * 0.000_04;
        let (mut agreeing, mut same_for_all) = (0, true);
        for (i, (x, y)) in HALVES.into_iter().enumerate() {
            let mut half = self.sums[x].clone();
            half.merge(&self.sums[y]);
            let c = lag_curve(&half, self.transform.len(), CurveRange { oversampling: 1, ..*range });
            let p = c.peak();
            if (c.refined(p) - lag).abs() <= tolerance && c.sign_at(p) == sign {
                agreeing += 1;
            } else if i >= 2 {
                same_for_all = false;
            }
        }
        (agreeing, same_for_all)
    }

    /// The last fraction of the lag, and the coherence of what arrives.
    fn refine(&self, estimate: &mut Estimate) -> Result<(), MeasureError> {
        let places = thin(&self.places, self.options.most_fine);
        let aligned = aligned_spectrum(self.a, self.b, &places, &self.shape, estimate.lag.round() as i64)?;
        let fine = Fine::of(&aligned, self.rate, self.options.band_hz);
        estimate.coherence = fine.coherence;
        // The fine estimate uses only windows cut at the arrival; it may move the peak by a fraction, never choose another.
        let refined = estimate.lag.round() + fine.residual(estimate.sign);
        if (refined - estimate.lag).abs() < self.rate.hz_f64() * 0.000_03 {
            estimate.lag = refined;
        }
        Ok(())
    }
}

/// The parts of [`Look`] that make up each half.
const HALVES: [(usize, usize); 4] = [(0, 1), (2, 3), (0, 2), (1, 3)];

fn bin(hz: f64, fft_len: usize, rate: SampleRate) -> usize {
    (hz / rate.hz_f64() * fft_len as f64).round() as usize
}

/// What a curve shows by itself; agreement of the parts and coherence are assumed.
fn read(curve: &LagCurve, centre: i64, rate: SampleRate) -> Estimate {
    let peak = curve.peak();
    let guard = rate.hz_f64() * 0.000_3;
    let (rival, earlier) = (curve.rival(peak, guard), curve.before(peak, guard));
    let part_of_peak = |i: usize| f64::from(curve.values[i].abs() / curve.values[peak].abs().max(f32::MIN_POSITIVE));
    Estimate {
        lag: curve.refined(peak) + centre as f64,
        sign: curve.sign_at(peak),
        height: if curve.rms > 0.0 { f64::from(curve.values[peak].abs()) / curve.rms } else { 0.0 },
        coherence: 1.0,
        rival: part_of_peak(rival),
        rival_lag: curve.lag_of(rival) + centre as f64,
        rival_sign: curve.sign_at(rival),
        earlier: earlier.map_or(0.0, part_of_peak),
        earlier_lag: earlier.map_or(0.0, |i| curve.refined(i) + centre as f64),
        earlier_sign: earlier.map_or(0, |i| curve.sign_at(i)),
        hits: 0,
        parts: HALVES.len(),
        parts_agreeing: HALVES.len(),
        same_for_all: true,
        at_edge: peak < OVERSAMPLING || peak + OVERSAMPLING >= curve.values.len(),
    }
}

/// Which half of the windows has A louder against B.
pub fn leaning(a: &Envelope, b: &Envelope, shift: i64, places: &[i64], rate: SampleRate) -> Vec<bool> {
    let span = rate.frames(0.03);
    let level = |e: &Envelope, at: i64| e.mean(at, span).max(1e-20).ln();
    let ratio: Vec<f32> = places.iter().map(|p| level(a, *p) - level(b, *p + shift)).collect();
    let mut order: Vec<usize> = (0..places.len()).collect();
    order.sort_by(|x, y| ratio[*x].total_cmp(&ratio[*y]));
    let mut leaning = vec![false; places.len()];
    // By rank, so that both halves are filled even when all ratios are equal.
    order.iter().skip(places.len() / 2).for_each(|i| leaning[*i] = true);
    leaning
}

/// Factors from 0 to 1 over `n` samples.
fn rising(n: usize) -> Vec<f32> {
    (0..n).map(|i| half_cosine(i, n)).collect()
}

fn soften_ends(x: &mut [f32], rising: &[f32]) {
    x.iter_mut().zip(rising).for_each(|(x, t)| *x *= t);
    x.iter_mut().rev().zip(rising).for_each(|(x, t)| *x *= t);
}
