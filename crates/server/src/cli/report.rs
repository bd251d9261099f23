//! What `marea check DIR --json` prints.

use super::files::FileReport;
use marea_core::decide::case::Polarity;
use marea_core::decide::kind::{Kind, Severity};
use marea_core::decide::stage::{SettledBy, Stand};
use marea_core::track::{Policy, Role, Side};
use marea_core::verdict::Verdict;
use serde::Serialize;

/// To the nearest part of so many per unit.
pub(super) fn round(value: f64, per: f64) -> f64 {
    (value * per).round() / per
}

/// What `check DIR --json` prints; docs/check.schema.json describes it.
#[derive(Debug, Serialize)]
pub(super) struct Report {
    pub(super) sample_rate_hz: u32,
    pub(super) sources: Vec<SourceReport>,
    pub(super) tracks: Vec<TrackReport>,
    pub(super) arrivals: Vec<Arrival>,
    pub(super) events: Vec<Event>,
    pub(super) findings: Vec<FindingReport>,
    pub(super) swapped_pairs: Vec<[serde_json::Value; 2]>,
    pub(super) pairs: Vec<PairReport>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) places: Option<PlacesReport>,
    pub(super) unreadable: Vec<String>,
    pub(super) files: Vec<FileReport>,
}

#[derive(Debug, Serialize)]
pub(super) struct SourceReport {
    pub(super) name: String,
    pub(super) file: String,
    pub(super) channel: u16,
    pub(super) side: Side,
}

#[derive(Debug, Serialize)]
pub(super) struct TrackReport {
    pub(super) file: String,
    pub(super) channel: u16,
    pub(super) role: Role,
    pub(super) source: String,
    pub(super) side: Side,
    pub(super) policy: Policy,
    pub(super) offset_samples: f64,
    pub(super) invert: bool,
    pub(super) latency_samples: f64,
    /// Twice the standard deviation.
    pub(super) latency_within_samples: f64,
    pub(super) polarity: PolarityReport,
    pub(super) verdict: Verdict,
    pub(super) reason: String,
}

/// upright or inverted.
#[derive(Debug, Serialize)]
pub(super) struct PolarityReport {
    pub(super) wired: &'static str,
    pub(super) wiring: Option<Verdict>,
    pub(super) sums_better: &'static str,
    pub(super) phase_turns_hz: Option<f64>,
}

impl From<Polarity> for PolarityReport {
    fn from(p: Polarity) -> Self {
        let way = |inverted: bool| if inverted { "inverted" } else { "upright" };
        Self {
            wired: way(p.wired_inverted),
            wiring: p.wiring,
            sums_better: way(p.sums_better_inverted),
            phase_turns_hz: p.phase_turns_hz.map(|hz| round(hz, 1.0)),
        }
    }
}

/// Two tracks that are one pair, as they are named.
#[derive(Debug, Serialize)]
pub(super) struct PairReport {
    pub(super) left: ChannelOf,
    pub(super) right: ChannelOf,
    pub(super) exchanged: bool,
}

/// Where everything stands, in metres: right and front as the audience sees it.
#[derive(Debug, Serialize)]
pub(super) struct PlacesReport {
    pub(super) sides_by: SettledBy,
    pub(super) front_by: SettledBy,
    pub(super) sources: Vec<SourcePlace>,
    pub(super) tracks: Vec<TrackPlace>,
}

#[derive(Debug, Serialize)]
pub(super) struct SourcePlace {
    pub(super) source: String,
    #[serde(flatten)]
    pub(super) at: PlaceReport,
}

#[derive(Debug, Serialize)]
pub(super) struct TrackPlace {
    #[serde(flatten)]
    pub(super) of: ChannelOf,
    #[serde(flatten)]
    pub(super) at: PlaceReport,
}

#[derive(Debug, Serialize)]
pub(super) struct PlaceReport {
    pub(super) right_m: f64,
    pub(super) front_m: f64,
    pub(super) up_m: f64,
    /// Standard deviation along the longer axis of its ellipse.
    pub(super) deviation_m: f64,
}

impl From<&Stand> for PlaceReport {
    fn from(s: &Stand) -> Self {
        let cm = |v: f64| round(v, 1e2);
        Self { right_m: cm(s.right_m), front_m: cm(s.front_m), up_m: cm(s.up_m), deviation_m: cm(s.ellipse_m[0]) }
    }
}

#[derive(Debug, Serialize)]
pub(super) struct Arrival {
    pub(super) source: String,
    pub(super) file: String,
    pub(super) channel: u16,
    pub(super) lag_samples: Option<f64>,
    pub(super) sign: i8,
    pub(super) height: f64,
    pub(super) coherence: f64,
    pub(super) hits: usize,
    pub(super) verdict: Verdict,
}

#[derive(Debug, Serialize)]
pub(super) struct Event {
    pub(super) sample: i64,
    pub(super) source: String,
    pub(super) strength: f64,
}

#[derive(Debug, Serialize)]
pub(super) struct FindingReport {
    pub(super) kind: Kind,
    pub(super) tracks: Vec<ChannelOf>,
    pub(super) severity: Severity,
    pub(super) verdict: Verdict,
    pub(super) cost_db: Option<f64>,
    pub(super) text: String,
    pub(super) advice: String,
    /// What would settle it, where only somebody who was there knows.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) question: Option<QuestionReport>,
}

#[derive(Debug, Clone, Serialize)]
pub(super) struct QuestionReport {
    pub(super) text: String,
    /// Answers, and what follows from each.
    pub(super) answers: Vec<[String; 2]>,
}

#[derive(Debug, Clone, Serialize)]
pub(super) struct ChannelOf {
    pub(super) file: String,
    pub(super) channel: u16,
}
