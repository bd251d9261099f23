//! A session's signal paths as people write them (docs/paths.schema.json).

use super::span::Span;
use crate::units::SampleRate;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use thiserror::Error;

/// The longest latency of a stage, in seconds; more is taken for a mistake.
pub const MAX_STAGE_S: f64 = 60.0;

/// Why a map of paths was refused.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum PathError {
    #[error("the map has no nodes")]
    Empty,
    #[error("a sample rate of {0} Hz is outside {min} to {max} Hz", min = SampleRate::MIN_HZ, max = SampleRate::MAX_HZ)]
    Rate(f64),
    #[error("two nodes are called “{0}”")]
    Twice(String),
    #[error("a node has no name")]
    Nameless,
    #[error("“{from}” feeds “{to}”, which is not in the map")]
    Unknown { from: String, to: String },
    #[error("“{from}” feeds “{to}” twice from the same point")]
    FedTwice { from: String, to: String },
    #[error("“{0}” is an output and feeds something: a path ends at its output")]
    OutputFeeds(String),
    #[error("“{from}” feeds the track “{to}”: only groups, returns and outputs can be fed")]
    TrackFed { from: String, to: String },
    #[error("the paths form a loop: {}", .0.join(" > "))]
    Loop(Vec<String>),
    #[error("stage “{stage}” of “{node}”: {why}")]
    Stage { node: String, stage: String, why: String },
}

/// What a node is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema), schema(as = PathNodeKind))]
pub enum NodeKind {
    /// Where sound comes from.
    Track,
    /// Where tracks and groups are summed.
    Group,
    /// Where sends come back.
    Return,
    /// Where paths end.
    Output,
}

/// Where a node's signal is taken: behind its stages or before them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema), schema(as = PathTap))]
pub enum Tap {
    /// Behind all stages.
    #[default]
    After,
    /// Before the first stage.
    Before,
}

/// One stage of processing.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema), schema(as = PathStage))]
pub struct Stage {
    /// As the engineer calls it.
    #[serde(default)]
    pub name: String,
    /// Latency in milliseconds; either this or samples.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub latency_ms: Option<f64>,
    /// Latency in samples at `at_rate_hz`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub latency_samples: Option<f64>,
    /// Rate at which samples are counted; the session's when it is not said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_rate_hz: Option<f64>,
    /// Latency that a probe measured, in milliseconds: beside what is stated, which counts.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub measured_ms: Option<f64>,
    /// Is it switched on?
    #[serde(default = "yes")]
    pub on: bool,
    /// Is it late also when it is off?
    #[serde(default)]
    pub late_when_off: bool,
    /// What else was written; told, not used.
    #[serde(flatten)]
    #[cfg_attr(feature = "openapi", schema(ignore))]
    pub other: BTreeMap<String, serde_json::Value>,
}

/// Where a node's signal goes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema), schema(as = PathSend))]
pub struct Send {
    /// Id of the node that is fed.
    pub node: String,
    /// Where the signal is taken.
    #[serde(default)]
    pub tap: Tap,
    /// What else was written; told, not used.
    #[serde(flatten)]
    #[cfg_attr(feature = "openapi", schema(ignore))]
    pub other: BTreeMap<String, serde_json::Value>,
}

/// A track, a group, a return or an output.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema), schema(as = PathNode))]
pub struct Node {
    /// Its name, once in a map.
    pub id: String,
    /// What it is.
    pub kind: NodeKind,
    /// In the order in which sound passes them.
    #[serde(default)]
    pub stages: Vec<Stage>,
    /// What it feeds.
    #[serde(default)]
    pub to: Vec<Send>,
    /// What else was written; told, not used.
    #[serde(flatten)]
    #[cfg_attr(feature = "openapi", schema(ignore))]
    pub other: BTreeMap<String, serde_json::Value>,
}

/// All paths of a session.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema), schema(as = PathMap))]
pub struct PathMap {
    /// The session's rate.
    pub sample_rate_hz: f64,
    /// In any order.
    pub nodes: Vec<Node>,
    /// What else was written; told, not used.
    #[serde(flatten)]
    #[cfg_attr(feature = "openapi", schema(ignore))]
    pub other: BTreeMap<String, serde_json::Value>,
}

fn yes() -> bool {
    true
}

impl Stage {
    /// Latency at a rate in Hz, on or off.
    ///
    /// # Errors
    /// What is wrong with it, in words that follow the stage's name: no latency or two, negative, longer than [`MAX_STAGE_S`].
    pub fn latency(&self, rate_hz: f64) -> Result<Span, String> {
        let seconds = match (self.latency_ms, self.latency_samples) {
            (Some(ms), None) => ms / 1_000.0,
            (None, Some(samples)) => {
                let at = self.at_rate_hz.unwrap_or(rate_hz);
                if !(at.is_finite() && at > 0.0) {
                    return Err(format!("{at} Hz is no rate to count samples at"));
                }
                samples / at
            }
            (None, None) => return Err("its latency is missing (latency_ms or latency_samples)".into()),
            (Some(_), Some(_)) => return Err("its latency is given twice, in ms and in samples".into()),
        };
        if !seconds.is_finite() || seconds < 0.0 {
            return Err(format!("a latency of {} ms cannot be", seconds * 1_000.0));
        }
        if seconds > MAX_STAGE_S {
            return Err(format!("a latency of {seconds:.1} s is more than {MAX_STAGE_S} s"));
        }
        // Samples at the session's own rate are taken as they are: no way there and back through seconds.
        let own = self.latency_samples.filter(|_| self.at_rate_hz.is_none_or(|at| at == rate_hz));
        Ok(Span::of_samples(own.unwrap_or(seconds * rate_hz)))
    }

    /// Does it delay what passes?
    pub fn delays(&self) -> bool {
        self.on || self.late_when_off
    }
}

impl PathMap {
    /// The session's rate, checked.
    ///
    /// # Errors
    /// When no recording has such a rate.
    pub fn rate_hz(&self) -> Result<f64, PathError> {
        let hz = self.sample_rate_hz;
        let known = (SampleRate::MIN_HZ as f64..=SampleRate::MAX_HZ as f64).contains(&hz);
        if known { Ok(hz) } else { Err(PathError::Rate(hz)) }
    }

    /// The same paths at another rate of the session, in Hz: samples that were counted at the old one say so.
    pub fn at_rate(mut self, rate_hz: f64) -> Self {
        let was = std::mem::replace(&mut self.sample_rate_hz, rate_hz);
        let stages = self.nodes.iter_mut().flat_map(|n| &mut n.stages);
        for stage in stages.filter(|s| was != rate_hz && s.latency_samples.is_some()) {
            stage.at_rate_hz.get_or_insert(was);
        }
        self
    }

    /// The same paths with a track under another name; none where there is no such track, or something has that name already.
    pub fn renamed(&self, was: &str, now: &str) -> Option<Self> {
        if self.nodes.iter().any(|n| n.id == now) {
            return None;
        }
        let mut map = self.clone();
        let node = map.nodes.iter_mut().find(|n| n.id == was && n.kind == NodeKind::Track)?;
        now.clone_into(&mut node.id);
        let sends = map.nodes.iter_mut().flat_map(|n| &mut n.to);
        sends.filter(|s| s.node == was).for_each(|s| now.clone_into(&mut s.node));
        Some(map)
    }

    /// What was written and is not used, each as a sentence.
    pub fn not_understood(&self) -> Vec<String> {
        let map = self.other.keys().map(|k| format!("“{k}” of the map is not used"));
        let of_node = |n: &Node| {
            let own = n.other.keys().map(|k| format!("“{k}” of “{}” is not used", n.id));
            let stages = n
                .stages
                .iter()
                .flat_map(|s| s.other.keys().map(|k| format!("“{k}” of stage “{}” of “{}” is not used", s.name, n.id)));
            let sends =
                n.to.iter()
                    .flat_map(|s| s.other.keys().map(|k| format!("“{k}” of “{} > {}” is not used", n.id, s.node)));
            own.chain(stages).chain(sends).collect::<Vec<_>>()
        };
        map.chain(self.nodes.iter().flat_map(of_node)).collect()
    }
}
