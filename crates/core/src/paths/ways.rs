//! Making up for paths of unequal latency on the tracks that feed them.

use super::file::NodeKind;
use super::graph::Graph;
use super::least::least_delays;
use super::meet::ahead;
use super::span::Span;

/// How unequal paths are brought together on the tracks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Way {
    /// Every track waits until the slowest one is there.
    Wait,
    /// Every track plays earlier by the latency of its slowest path.
    Pull,
}

/// What a way comes to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Plan {
    /// Tracks that reach an output, by node, and by how much each plays later; negative is earlier.
    pub offsets: Vec<(usize, Span)>,
    /// What stays to be added on every edge, in the order of [`Graph::edges`]: copies of one track that part and meet again cannot be
    /// brought together on the track.
    pub add: Vec<Span>,
    /// When the last arrival reaches an output, against the moment at which it was recorded.
    pub latency: Span,
}

/// Offsets of all tracks, and what they cannot do.
pub fn plan(graph: &Graph, way: Way) -> Plan {
    let ahead = ahead(graph);
    let tracks = (0..graph.ids.len()).filter(|&n| graph.kinds[n] == NodeKind::Track);
    let last: Vec<(usize, Span)> = tracks.filter_map(|n| Some((n, ahead[n]?.last))).collect();
    let slowest = last.iter().map(|t| t.1).max().unwrap_or_default();
    // Both ways differ by one constant: what is left to add is the same.
    let mut placed = graph.clone();
    for &(track, late) in &last {
        for &e in &graph.out[track] {
            placed.edges[e].span = placed.edges[e].span + (slowest - late);
        }
    }
    let (latency, to) = match way {
        Way::Wait => (slowest, slowest),
        Way::Pull => (Span(0), Span(0)),
    };
    let offsets = last.into_iter().map(|(track, late)| (track, to - late)).collect();
    Plan { offsets, add: least_delays(&placed), latency }
}
