//! The map as a graph: stages added up, names as numbers, loops refused.

use super::file::{NodeKind, PathError, PathMap, Tap};
use super::span::Span;
use std::collections::{HashMap, HashSet};

/// One connection.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Edge {
    /// Node that feeds.
    pub from: usize,
    /// Node that is fed.
    pub to: usize,
    /// From the input of `from` to the input of `to`.
    pub span: Span,
    /// Where the signal is taken.
    pub tap: Tap,
}

/// Paths to compute with. Nodes are numbered as in the map.
#[derive(Debug, Clone)]
pub struct Graph {
    /// Names.
    pub ids: Vec<String>,
    /// Kinds.
    pub kinds: Vec<NodeKind>,
    /// All stages of each node together.
    pub own: Vec<Span>,
    /// Connections, in the order of the map.
    pub edges: Vec<Edge>,
    /// Edges that leave each node.
    pub out: Vec<Vec<usize>>,
    /// Edges that reach each node.
    pub into: Vec<Vec<usize>>,
    /// Nodes, each behind all that feed it.
    pub order: Vec<usize>,
}

impl Graph {
    /// Builds it.
    ///
    /// # Errors
    /// What is wrong with the map, with names.
    pub fn new(map: &PathMap) -> Result<Self, PathError> {
        let rate = map.rate_hz()?;
        if map.nodes.is_empty() {
            return Err(PathError::Empty);
        }
        let mut number = HashMap::new();
        for (i, node) in map.nodes.iter().enumerate() {
            if node.id.trim().is_empty() {
                return Err(PathError::Nameless);
            }
            if number.insert(node.id.as_str(), i).is_some() {
                return Err(PathError::Twice(node.id.clone()));
            }
        }
        let own = map.nodes.iter().map(|n| own_latency(n, rate)).collect::<Result<Vec<Span>, _>>()?;
        let edges = edges(map, &number, &own)?;
        let (mut out, mut into) = (vec![Vec::new(); own.len()], vec![Vec::new(); own.len()]);
        for (e, edge) in edges.iter().enumerate() {
            out[edge.from].push(e);
            into[edge.to].push(e);
        }
        let mut graph = Self {
            ids: map.nodes.iter().map(|n| n.id.clone()).collect(),
            kinds: map.nodes.iter().map(|n| n.kind).collect(),
            own,
            edges,
            out,
            into,
            order: Vec::new(),
        };
        graph.order = graph.sorted()?;
        Ok(graph)
    }

    /// Kahn's order (Kahn 1962); nodes that are left lie on loops or behind one.
    fn sorted(&self) -> Result<Vec<usize>, PathError> {
        let mut waits: Vec<usize> = self.into.iter().map(Vec::len).collect();
        let mut order: Vec<usize> = (0..waits.len()).filter(|&n| waits[n] == 0).collect();
        let mut next = 0;
        while let Some(&node) = order.get(next) {
            next += 1;
            for &e in &self.out[node] {
                let to = self.edges[e].to;
                waits[to] -= 1;
                if waits[to] == 0 {
                    order.push(to);
                }
            }
        }
        if order.len() == waits.len() { Ok(order) } else { Err(PathError::Loop(self.one_loop(&waits))) }
    }

    /// Walks back from a node that waits, always to one that waits too, until one comes again.
    fn one_loop(&self, waits: &[usize]) -> Vec<String> {
        let mut walk: Vec<usize> = vec![waits.iter().position(|&w| w > 0).unwrap_or(0)];
        loop {
            let here = walk[walk.len() - 1];
            let before = self.into[here].iter().map(|&e| self.edges[e].from).find(|&n| waits[n] > 0);
            let Some(before) = before else { return vec![self.ids[here].clone()] };
            if let Some(first) = walk.iter().position(|&n| n == before) {
                let mut names: Vec<String> = walk[first..].iter().rev().map(|&n| self.ids[n].clone()).collect();
                names.push(names[0].clone());
                return names;
            }
            walk.push(before);
        }
    }

    /// Nodes that nothing feeds: there sound begins, at time 0.
    pub fn is_root(&self, node: usize) -> bool {
        self.into[node].is_empty()
    }

    /// “A > B”; where both points of A feed B, the earlier one says so.
    pub fn edge_name(&self, edge: usize) -> String {
        let e = self.edges[edge];
        let twice = self.out[e.from].iter().filter(|&&o| self.edges[o].to == e.to).count() > 1;
        let from = if twice && e.tap == Tap::Before { " (before)" } else { "" };
        format!("{}{from} > {}", self.ids[e.from], self.ids[e.to])
    }
}

fn own_latency(node: &super::file::Node, rate: f64) -> Result<Span, PathError> {
    let of = |stage: &super::file::Stage| {
        let told = |why| PathError::Stage { node: node.id.clone(), stage: stage.name.clone(), why };
        let span = stage.latency(rate).map_err(told)?;
        Ok(if stage.delays() { span } else { Span(0) })
    };
    node.stages.iter().map(of).sum()
}

fn edges(map: &PathMap, number: &HashMap<&str, usize>, own: &[Span]) -> Result<Vec<Edge>, PathError> {
    let mut edges = Vec::new();
    for (from, node) in map.nodes.iter().enumerate() {
        if node.kind == NodeKind::Output && !node.to.is_empty() {
            return Err(PathError::OutputFeeds(node.id.clone()));
        }
        let mut fed = HashSet::new();
        for send in &node.to {
            let names = || (node.id.clone(), send.node.clone());
            let Some(&to) = number.get(send.node.as_str()) else {
                let (from, to) = names();
                return Err(PathError::Unknown { from, to });
            };
            if map.nodes[to].kind == NodeKind::Track {
                let (from, to) = names();
                return Err(PathError::TrackFed { from, to });
            }
            if !fed.insert((to, send.tap == Tap::Before)) {
                let (from, to) = names();
                return Err(PathError::FedTwice { from, to });
            }
            let span = if send.tap == Tap::After { own[from] } else { Span(0) };
            edges.push(Edge { from, to, span, tap: send.tap });
        }
    }
    Ok(edges)
}
