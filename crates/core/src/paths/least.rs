//! The least delay that makes all inputs of every sum meet.
//!
//! Unknown are the times `t` at which nodes are reached: 0 where sound begins, and for every edge u > v of span s at least
//! `t(v) ≥ t(u) + s`. What an edge waits is `t(v) − t(u) − s`; the sum over all edges is least. Its dual is a flow of greatest cost through
//! the graph, solved by the network simplex method with strongly feasible trees (Cunningham 1976; the walk round the cycle as in
//! Ahuja, Magnanti, Orlin, *Network Flows*, 1993, ch. 11; from memory). Among all best answers, outputs are reached as early as possible.

use super::graph::Graph;
use super::span::Span;

/// Delay to add on every edge, in the order of [`Graph::edges`].
pub fn least_delays(graph: &Graph) -> Vec<Span> {
    let times = Simplex::new(graph).solved();
    graph.edges.iter().map(|e| Span(times[e.to] - times[e.from] - e.span.0)).collect()
}

/// An arc of the flow; `cost` is minus the span.
#[derive(Clone, Copy)]
struct Arc {
    from: usize,
    to: usize,
    cost: i128,
}

/// A spanning tree of the nodes and one ground, where all sound begins. Node `ground` is the last one.
struct Simplex {
    arcs: Vec<Arc>,
    flow: Vec<i64>,
    /// Arc to the parent.
    up: Vec<usize>,
    parent: Vec<usize>,
    depth: Vec<u32>,
    children: Vec<Vec<usize>>,
    /// Where a node stands among the children of its parent.
    slot: Vec<usize>,
    /// Price of a node: minus the time at which it is reached.
    price: Vec<i128>,
    /// Number in the flow of each node of the graph.
    number: Vec<usize>,
    /// Arcs of the graph; those behind are made up for the start.
    real: usize,
    next: usize,
}

impl Simplex {
    fn new(graph: &Graph) -> Self {
        let nodes = graph.ids.len();
        let ground = nodes;
        let number: Vec<usize> = (0..nodes).map(|n| if graph.is_root(n) { ground } else { n }).collect();
        // An edge counts as much as all outputs together and one more: outputs only choose among equals.
        let weight = 1 + nodes as i64;
        let mut wants = vec![0i64; nodes + 1];
        let mut arcs = Vec::with_capacity(graph.edges.len() + nodes);
        for e in &graph.edges {
            let (from, to) = (number[e.from], number[e.to]);
            arcs.push(Arc { from, to, cost: -i128::from(e.span.0) });
            wants[to] += weight;
            wants[from] -= weight;
        }
        for n in (0..nodes).filter(|&n| graph.out[n].is_empty() && !graph.is_root(n)) {
            wants[n] += 1;
        }
        let real = arcs.len();
        let dear = 1 + graph.edges.iter().map(|e| i128::from(e.span.0)).sum::<i128>();
        let mut made = Self {
            flow: vec![0; real],
            arcs,
            up: vec![usize::MAX; nodes + 1],
            parent: vec![usize::MAX; nodes + 1],
            depth: vec![0; nodes + 1],
            children: vec![Vec::new(); nodes + 1],
            slot: vec![0; nodes + 1],
            price: vec![0; nodes + 1],
            number,
            real,
            next: 0,
        };
        for n in (0..nodes).filter(|&n| !graph.is_root(n)) {
            let (from, to) = if wants[n] > 0 { (ground, n) } else { (n, ground) };
            made.depth[n] = 1;
            made.attach(n, ground, made.arcs.len());
            made.price[n] = if from == ground { dear } else { -dear };
            made.arcs.push(Arc { from, to, cost: dear });
            made.flow.push(wants[n].abs());
        }
        made
    }

    /// Times of the graph's nodes.
    fn solved(mut self) -> Vec<i64> {
        while let Some(arc) = self.enters() {
            self.pivot(arc);
        }
        self.number.iter().map(|&n| i64::try_from(-self.price[n]).unwrap_or(i64::MAX)).collect()
    }

    fn reduced(&self, arc: Arc) -> i128 {
        arc.cost + self.price[arc.from] - self.price[arc.to]
    }

    /// The arc that gains most among a block of them; blocks are looked at in turn.
    fn enters(&mut self) -> Option<usize> {
        let block = (self.real as f64).sqrt() as usize + 10;
        let mut best: Option<(i128, usize)> = None;
        for k in 0..self.real {
            let a = (self.next + k) % self.real;
            let r = self.reduced(self.arcs[a]);
            if r < best.map_or(0, |b| b.0) {
                best = Some((r, a));
            }
            if (k + 1) % block == 0 && best.is_some() {
                self.next = (a + 1) % self.real;
                break;
            }
        }
        best.map(|b| b.1)
    }

    /// Sends as much as possible round the cycle that an arc closes; the arc that runs empty leaves the tree.
    fn pivot(&mut self, enters: usize) {
        let Arc { from, to, .. } = self.arcs[enters];
        let apex = self.apex(from, to);
        // Strictly less on the way down, less or equal on the way up: the last empty arc round the cycle leaves, and the tree
        // stays strongly feasible, so that the method ends.
        let mut least: Option<(i64, usize, bool)> = None;
        for n in self.walk(from, apex) {
            let f = self.flow[self.up[n]];
            if self.arcs[self.up[n]].from == n && least.is_none_or(|l| f < l.0) {
                least = Some((f, n, true));
            }
        }
        for n in self.walk(to, apex) {
            let f = self.flow[self.up[n]];
            if self.arcs[self.up[n]].to == n && least.is_none_or(|l| f <= l.0) {
                least = Some((f, n, false));
            }
        }
        // Spans are not negative and the graph has no loop, so that some arc always runs empty.
        let Some((sent, leaves, below_from)) = least else { return };
        self.flow[enters] += sent;
        for n in self.walk(from, apex) {
            let arc = self.up[n];
            self.flow[arc] += if self.arcs[arc].from == n { -sent } else { sent };
        }
        for n in self.walk(to, apex) {
            let arc = self.up[n];
            self.flow[arc] += if self.arcs[arc].to == n { -sent } else { sent };
        }
        let (foot, holds) = if below_from { (from, to) } else { (to, from) };
        let gain = self.reduced(self.arcs[enters]);
        self.hang(foot, holds, enters, leaves);
        self.shift(foot, if below_from { -gain } else { gain });
    }

    fn apex(&self, mut a: usize, mut b: usize) -> usize {
        while a != b {
            if self.depth[a] >= self.depth[b] {
                a = self.parent[a];
            } else {
                b = self.parent[b];
            }
        }
        a
    }

    /// Nodes from one up to below another.
    fn walk(&self, from: usize, until: usize) -> Vec<usize> {
        std::iter::successors(Some(from), |&n| Some(self.parent[n])).take_while(|&n| n != until).collect()
    }

    /// Turns the way from `foot` up to `leaves` round and hangs `foot` on `holds`.
    fn hang(&mut self, foot: usize, holds: usize, arc: usize, leaves: usize) {
        let (mut node, mut parent, mut up) = (foot, holds, arc);
        loop {
            let (old_parent, old_up) = (self.parent[node], self.up[node]);
            let (siblings, at) = (&mut self.children[old_parent], self.slot[node]);
            siblings.swap_remove(at);
            if let Some(&last) = siblings.get(at) {
                self.slot[last] = at;
            }
            self.attach(node, parent, up);
            if node == leaves {
                return;
            }
            (node, parent, up) = (old_parent, node, old_up);
        }
    }

    fn attach(&mut self, node: usize, parent: usize, arc: usize) {
        (self.parent[node], self.up[node]) = (parent, arc);
        self.slot[node] = self.children[parent].len();
        self.children[parent].push(node);
    }

    /// Moves the prices of all below a node, and counts their depths anew.
    fn shift(&mut self, top: usize, by: i128) {
        let mut open = vec![top];
        while let Some(n) = open.pop() {
            self.price[n] += by;
            self.depth[n] = self.depth[self.parent[n]] + 1;
            open.extend_from_slice(&self.children[n]);
        }
    }
}
