//! Test signals that came back, as they are told.

use marea_core::probe::{self, Reading, Signal};
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use serde::Serialize;

/// The longest recording that is looked through, in seconds.
pub const LONGEST_S: u64 = 3_600;

/// One probe of a recording.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ProbeReport {
    /// Channel, from 1.
    pub channel: usize,
    /// What was sent.
    #[cfg_attr(feature = "openapi", schema(value_type = String))]
    pub signal: Signal,
    /// Where the signal begins, in samples of the recording.
    pub at_samples: f64,
    /// How late it is, in samples, when the recording was begun together with the playing.
    pub latency_samples: f64,
    /// The same in ms.
    pub latency_ms: f64,
    /// Comes back inverted.
    pub invert: bool,
    /// How sure.
    pub verdict: Verdict,
    /// How well one delay explains it, 0 to 1.
    pub quality: f64,
    /// The highest frequency that comes through, in Hz.
    pub reaches_hz: f64,
    /// Level by third-octave.
    pub response: Vec<ProbeBand>,
    /// In a sentence.
    pub reason: String,
}

/// Level of a band against what was sent.
#[derive(Debug, Clone, Copy, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ProbeBand {
    /// Centre, in Hz.
    pub hz: f64,
    /// Level, in dB.
    pub db: f64,
}

/// All probes in the channels of a recording.
pub fn probes(channels: &[Vec<f32>], rate: SampleRate) -> Vec<ProbeReport> {
    let of = |(channel, plane): (usize, &Vec<f32>)| {
        probe::read(plane, rate).into_iter().map(|r| told(channel, &r, rate.hz_f64())).collect::<Vec<_>>()
    };
    (1..).zip(channels).flat_map(of).collect()
}

fn told(channel: usize, r: &Reading, hz: f64) -> ProbeReport {
    // No minus before a zero.
    let to = |v: f64, per: f64| (v * per).round() / per + 0.0;
    ProbeReport {
        channel,
        signal: r.signal,
        at_samples: to(r.at, 1e3),
        latency_samples: to(r.latency, 1e3),
        latency_ms: to(r.latency * 1_000.0 / hz, 1e6),
        invert: r.invert,
        verdict: r.verdict,
        quality: to(r.quality, 1e4),
        reaches_hz: to(r.reaches_hz, 1.0),
        response: r.response.iter().map(|&(hz, db)| ProbeBand { hz: to(hz, 1.0), db: to(db, 1e2) }).collect(),
        reason: r.reason.clone(),
    }
}
