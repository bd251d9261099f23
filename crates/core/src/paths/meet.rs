//! When sound reaches each node, and where copies of one track meet that did not take equally long.

use super::file::NodeKind;
use super::graph::Graph;
use super::span::Span;
use rayon::prelude::*;

/// The first and the last arrival at a node's input.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Arrivals {
    /// By the quickest way.
    pub first: Span,
    /// By the slowest way.
    pub last: Span,
}

/// Copies of one track that reach a node by several inputs, unequally late.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Meeting {
    /// Where they meet.
    pub node: usize,
    /// Tracks that arrive more than once, by number.
    pub tracks: Vec<usize>,
    /// Edge by which the first copy comes.
    pub early: usize,
    /// Edge by which the last copy comes.
    pub late: usize,
    /// The greatest difference of two copies of one track.
    pub apart: Span,
}

/// Arrivals at every node of what begins at `roots`; none where nothing comes.
pub fn reach(graph: &Graph, roots: &[usize]) -> Vec<Option<Arrivals>> {
    let mut at: Vec<Option<Arrivals>> = vec![None; graph.ids.len()];
    for &root in roots {
        at[root] = Some(Arrivals { first: Span(0), last: Span(0) });
    }
    for &node in &graph.order {
        let Some(here) = at[node] else { continue };
        for &e in &graph.out[node] {
            let edge = graph.edges[e];
            let (first, last) = (here.first + edge.span, here.last + edge.span);
            at[edge.to] = Some(at[edge.to].map_or(Arrivals { first, last }, |there| Arrivals {
                first: there.first.min(first),
                last: there.last.max(last),
            }));
        }
    }
    at
}

/// The other way round: from each node's input on to the outputs, their own stages included; none where no output is reached.
pub fn ahead(graph: &Graph) -> Vec<Option<Arrivals>> {
    let mut rest: Vec<Option<Arrivals>> = vec![None; graph.ids.len()];
    for &node in graph.order.iter().rev() {
        if graph.kinds[node] == NodeKind::Output {
            rest[node] = Some(Arrivals { first: graph.own[node], last: graph.own[node] });
            continue;
        }
        let on = graph.out[node].iter().filter_map(|&e| {
            let (edge, there) = (graph.edges[e], rest[graph.edges[e].to]?);
            Some(Arrivals { first: there.first + edge.span, last: there.last + edge.span })
        });
        rest[node] = on.reduce(|a, b| Arrivals { first: a.first.min(b.first), last: a.last.max(b.last) });
    }
    rest
}

/// Tracks that are followed side by side.
const LANES: usize = 64;

/// Arrivals of [`LANES`] tracks at one node.
#[derive(Clone)]
struct Row {
    first: [i64; LANES],
    last: [i64; LANES],
}

/// Far from every time that can be, so that a row may be added to.
const NEVER: i64 = i64::MAX / 2;

impl Row {
    const NONE: Self = Self { first: [NEVER; LANES], last: [-NEVER; LANES] };

    fn holds(&self, lane: usize) -> bool {
        self.first[lane] < NEVER / 2
    }

    fn join(&mut self, other: &Self, span: Span) {
        for lane in 0..LANES {
            self.first[lane] = self.first[lane].min(other.first[lane] + span.0);
            self.last[lane] = self.last[lane].max(other.last[lane] + span.0);
        }
    }
}

/// Every node at which a track arrives by more than one input and not at one time, in the order of the flow.
pub fn meetings(graph: &Graph) -> Vec<Meeting> {
    let tracks: Vec<usize> = (0..graph.ids.len()).filter(|&n| graph.kinds[n] == NodeKind::Track).collect();
    let found: Vec<Meeting> = tracks.par_chunks(LANES).flat_map_iter(|some| meetings_of(graph, some)).collect();
    let mut at: Vec<Option<Meeting>> = vec![None; graph.ids.len()];
    for m in found {
        match &mut at[m.node] {
            Some(known) => {
                known.tracks.extend(&m.tracks);
                if m.apart > known.apart {
                    (known.early, known.late, known.apart) = (m.early, m.late, m.apart);
                }
            }
            none => *none = Some(m),
        }
    }
    graph.order.iter().filter_map(|&n| at[n].take()).collect()
}

fn meetings_of(graph: &Graph, tracks: &[usize]) -> Vec<Meeting> {
    let mut at = vec![Row::NONE; graph.ids.len()];
    for (lane, &track) in tracks.iter().enumerate() {
        (at[track].first[lane], at[track].last[lane]) = (0, 0);
    }
    let mut found = Vec::new();
    for &node in &graph.order {
        let inputs = &graph.into[node];
        let mut row = at[node].clone();
        for &e in inputs {
            row.join(&at[graph.edges[e].from], graph.edges[e].span);
        }
        if inputs.len() > 1 {
            found.extend(meeting(graph, node, &row, &at, tracks));
        }
        at[node] = row;
    }
    found
}

fn meeting(graph: &Graph, node: usize, row: &Row, at: &[Row], tracks: &[usize]) -> Option<Meeting> {
    let carries = |lane: usize| {
        let by = graph.into[node].iter().filter(|&&e| at[graph.edges[e].from].holds(lane));
        by.count() > 1
    };
    let apart = |lane: usize| row.last[lane] - row.first[lane];
    let lanes: Vec<usize> =
        (0..tracks.len()).filter(|&l| row.holds(l) && apart(l) > 0).filter(|&l| carries(l)).collect();
    // Of equals the first track.
    let most = lanes.iter().copied().rev().max_by_key(|&l| apart(l))?;
    let comes = |when: &dyn Fn(&Row) -> i64, at_time: i64| {
        graph.into[node].iter().copied().find(|&e| when(&at[graph.edges[e].from]) + graph.edges[e].span.0 == at_time)
    };
    Some(Meeting {
        node,
        tracks: lanes.iter().map(|&l| tracks[l]).collect(),
        early: comes(&|r| r.first[most], row.first[most])?,
        late: comes(&|r| r.last[most], row.last[most])?,
        apart: Span(apart(most)),
    })
}
