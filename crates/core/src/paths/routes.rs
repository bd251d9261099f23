//! Every way from where sound begins to an output, the slowest first; and the stage that costs most.

use super::file::{NodeKind, PathMap, Tap};
use super::graph::Graph;
use super::meet::ahead;
use super::span::Span;
use std::collections::BinaryHeap;

/// A way from a beginning to an output.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Route {
    /// Its edges in order; empty for an output that nothing feeds.
    pub edges: Vec<usize>,
    /// Node at which it begins.
    pub from: usize,
    /// All latencies on it, the output's own stages among them.
    pub latency: Span,
}

impl Route {
    /// “A > B > Out”.
    pub fn name(&self, graph: &Graph) -> String {
        let mut name = String::new();
        for &e in &self.edges {
            let edge = graph.edge_name(e);
            name.push_str(edge.strip_suffix(graph.ids[graph.edges[e].to].as_str()).unwrap_or(&edge));
        }
        let end = self.edges.last().map_or(self.from, |&e| graph.edges[e].to);
        name + &graph.ids[end]
    }

    /// The output at which it ends.
    pub fn end(&self, graph: &Graph) -> usize {
        self.edges.last().map_or(self.from, |&e| graph.edges[e].to)
    }
}

/// A way that is not at its end yet. Ways share their beginnings: each holds the number of the one before.
struct Begun {
    /// The last edge, and the way before it.
    last: Option<(usize, usize)>,
    spent: Span,
}

/// All routes together pass at most so many edges: a map of ten thousand nodes has routes of hundreds.
const MOST_EDGES: usize = 200_000;

/// At most `most` routes, the slowest first; of equals those that come first in the map. Fewer where they are very long. What is still
/// ahead is known exactly, so that no way is followed that is not asked for.
pub fn routes(graph: &Graph, most: usize) -> Vec<Route> {
    let ahead: Vec<Option<Span>> = ahead(graph).into_iter().map(|a| a.map(|a| a.last)).collect();
    let mut begun: Vec<Begun> = Vec::new();
    // Slowest whole first. Of equals the newest one: followed side by side, ways that are equally slow would fill the memory.
    let mut open: BinaryHeap<(Span, usize, usize)> = BinaryHeap::new();
    for root in (0..graph.ids.len()).rev().filter(|&n| graph.is_root(n)) {
        if let Some(rest) = ahead[root] {
            open.push((rest, begun.len(), root));
            begun.push(Begun { last: None, spent: Span(0) });
        }
    }
    let (mut found, mut passed): (Vec<Route>, usize) = (Vec::new(), 0);
    while let Some((whole, way, node)) = open.pop() {
        if found.len() == most || passed > MOST_EDGES {
            break;
        }
        if graph.kinds[node] == NodeKind::Output {
            let route = route(graph, &begun, way, node, whole);
            passed += route.edges.len();
            found.push(route);
            continue;
        }
        for &e in graph.out[node].iter().rev() {
            let edge = graph.edges[e];
            let Some(rest) = ahead[edge.to] else { continue };
            let spent = begun[way].spent + edge.span;
            open.push((spent + rest, begun.len(), edge.to));
            begun.push(Begun { last: Some((e, way)), spent });
        }
    }
    found
}

fn route(graph: &Graph, begun: &[Begun], way: usize, node: usize, latency: Span) -> Route {
    let last = begun[way].last;
    let mut edges: Vec<usize> =
        std::iter::successors(last, |&(_, before)| begun[before].last).map(|(edge, _)| edge).collect();
    edges.reverse();
    let from = edges.first().map_or(node, |&e| graph.edges[e].from);
    Route { edges, from, latency }
}

/// How many routes there are; as a float, for there may be more than any integer holds.
pub fn count_routes(graph: &Graph) -> f64 {
    let mut ways = vec![0f64; graph.ids.len()];
    for &node in graph.order.iter().rev() {
        ways[node] = if graph.kinds[node] == NodeKind::Output {
            1.0
        } else {
            graph.out[node].iter().map(|&e| ways[graph.edges[e].to]).sum()
        };
    }
    (0..ways.len()).filter(|&n| graph.is_root(n)).map(|n| ways[n]).sum()
}

/// Stages on a route that delay it, as (node, number of the stage), in the order in which sound passes them.
pub(super) fn stages_on(map: &PathMap, graph: &Graph, route: &Route) -> Vec<(usize, usize)> {
    let passed = route.edges.iter().filter(|&&e| graph.edges[e].tap == Tap::After).map(|&e| graph.edges[e].from);
    let delays = |node: usize| {
        let stages = map.nodes[node].stages.iter().enumerate();
        stages.filter(|(_, s)| s.delays()).map(move |(k, _)| (node, k))
    };
    passed.chain([route.end(graph)]).flat_map(delays).collect()
}

/// The stage that costs most: the latest one on the slowest route. None where nothing is late.
pub fn offender(map: &PathMap, graph: &Graph) -> Option<(usize, usize, Span)> {
    let slowest = routes(graph, 1).into_iter().next()?;
    let rate = map.sample_rate_hz;
    let late = |(node, k): (usize, usize)| (node, k, map.nodes[node].stages[k].latency(rate).unwrap_or_default());
    let all: Vec<_> = stages_on(map, graph, &slowest).into_iter().map(late).collect();
    // Of equals the first one that sound passes.
    all.into_iter().rev().max_by_key(|s| s.2).filter(|s| s.2 > Span(0))
}
