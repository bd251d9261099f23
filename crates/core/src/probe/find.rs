//! Probes found in a recording.

use super::response::{Division, Response};
use super::signal::{LEAD_S, PERIOD_S, Signal, signal};
use crate::dsp::stats::median;
use crate::units::SampleRate;
use crate::verdict::Verdict;

/// A peak of the response this many times over its deviation elsewhere is a probe.
const STANDS_OUT: f64 = 25.0;
/// Two probes begin at least so far apart, in seconds.
const APART_S: f64 = 2.5;
/// The mean cosine of what is left of the phase from which latency and sign are solid.
const SOLID_QUALITY: f64 = 0.95;
/// Below this nothing is said.
const LEAST_QUALITY: f64 = 0.6;
/// A path that passes this is no band-limited one, in Hz.
const REACHES_HZ: f64 = 15_000.0;

/// One probe that came back.
#[derive(Debug, Clone)]
pub struct Reading {
    /// What was sent.
    pub signal: Signal,
    /// Where the signal begins in the recording, in samples.
    pub at: f64,
    /// After its place in what was played, in samples, when the recording was begun together with the playing. Several probes follow one
    /// another at the distance of their period.
    pub latency: f64,
    /// Comes back inverted.
    pub invert: bool,
    /// Mean cosine of what is left of the phase, 0 … 1.
    pub quality: f64,
    /// Peak of the response over its deviation elsewhere.
    pub height: f64,
    /// How sure.
    pub verdict: Verdict,
    /// Level of each third-octave against what was sent, in dB: (centre in Hz, dB).
    pub response: Vec<(f64, f64)>,
    /// The highest frequency that is passed, in Hz.
    pub reaches_hz: f64,
    /// In a sentence.
    pub reason: String,
}

/// Every probe in a recording of one channel, in order of time; sweeps and bursts of noise.
pub fn read(recording: &[f32], rate: SampleRate) -> Vec<Reading> {
    let mut all: Vec<Reading> = [Signal::Sweep, Signal::Noise]
        .into_iter()
        .flat_map(|kind| {
            let division = Division::new(signal(kind, rate), rate);
            let places = places(recording, &division, rate);
            places.into_iter().filter_map(|p| reading(recording, kind, &division, p, rate)).collect::<Vec<_>>()
        })
        .collect();
    all.sort_by(|a, b| a.at.total_cmp(&b.at));
    // One stretch holds one probe: the one that a delay fits better.
    let apart = APART_S * f64::from(rate.hz());
    let mut kept: Vec<Reading> = Vec::new();
    for r in all {
        match kept.last_mut() {
            Some(last) if r.at - last.at < apart => {
                if r.quality > last.quality {
                    *last = r;
                }
            }
            _ => kept.push(r),
        }
    }
    // The first one may be late by any time; those that follow are late after the place that they have behind it.
    let period = PERIOD_S * f64::from(rate.hz());
    if let Some(first) = kept.first().map(|r| r.at) {
        kept.iter_mut().for_each(|r| r.latency -= period * ((r.at - first) / period).round());
    }
    kept
}

/// Where the response of each stretch has a peak that stands out, and its height.
fn places(recording: &[f32], division: &Division, rate: SampleRate) -> Vec<(usize, f64)> {
    let apart = (APART_S * f64::from(rate.hz())) as usize;
    let mut found: Vec<(usize, f64)> = Vec::new();
    let hop = division.searched();
    // At least half of the signal must be there.
    let least = (division.len() - hop) / 2;
    let mut start = 0;
    while start + least < recording.len() {
        let stretch = &recording[start..recording.len().min(start + division.len())];
        let response = division.divide(stretch);
        let response = &response[..hop.min(stretch.len() - least)];
        let scale = scale(response);
        let mut order: Vec<usize> = (0..response.len()).filter(|&i| response[i].abs() > STANDS_OUT * scale).collect();
        order.sort_by(|&a, &b| response[b].abs().total_cmp(&response[a].abs()));
        for i in order {
            let (at, height) = (start + i, response[i].abs() / scale);
            match found.iter_mut().find(|f| f.0.abs_diff(at) < apart) {
                None => found.push((at, height)),
                // A peak at the edge of one stretch is seen better in the next one.
                Some(known) if known.0 < start && known.1 < height => *known = (at, height),
                Some(_) => {}
            }
        }
        start += hop;
    }
    found
}

/// The deviation that a normal distribution with this median of absolute values has; a peak does not change it.
fn scale(response: &[f64]) -> f64 {
    let mut sizes: Vec<f64> = response.iter().map(|v| v.abs()).collect();
    1.4826 * median(&mut sizes).unwrap_or(0.0)
}

fn reading(
    recording: &[f32],
    kind: Signal,
    division: &Division,
    (at, height): (usize, f64),
    rate: SampleRate,
) -> Option<Reading> {
    let response = Response::measure(recording, division, at, rate)?;
    let hz = f64::from(rate.hz());
    let (at, quality) = (response.at, response.quality);
    let wide = response.reaches_hz >= REACHES_HZ.min(0.4 * hz);
    let (verdict, reason) = match quality {
        q if q > SOLID_QUALITY && wide => {
            (Verdict::Solid, "latency and polarity are clear over the whole band".to_string())
        }
        q if q > SOLID_QUALITY => {
            let top = response.reaches_hz / 1_000.0;
            (Verdict::Likely, format!("nothing comes back above {top:.1} kHz: the latency is within a sample or so"))
        }
        q if q > LEAST_QUALITY => {
            (Verdict::Likely, "the path turns the phase: no one delay fits all frequencies".to_string())
        }
        _ => (Verdict::Undecided, "no one delay fits what came back".to_string()),
    };
    Some(Reading {
        signal: kind,
        at,
        latency: at - LEAD_S * hz,
        invert: response.invert,
        quality,
        height,
        verdict,
        response: response.thirds,
        reaches_hz: response.reaches_hz,
        reason,
    })
}
