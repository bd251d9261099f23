//! “What must be off to stay under 6 ms?”: the fewest stages whose switching off keeps every route within a limit.

use super::file::{PathError, PathMap};
use super::graph::Graph;
use super::routes::{routes, stages_on};
use super::span::Span;

/// Nodes looked at before the search says that it does not know whether fewer would do: some seconds.
const MOST_NODES: usize = 4_000_000;

/// Stages to switch off.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Off {
    /// (node, number of the stage), in the order of the map.
    pub stages: Vec<(usize, usize)>,
    /// Is it shown that no fewer do?
    pub fewest: bool,
    /// The slowest route with these off.
    pub slowest: Span,
}

/// The fewest stages to switch off so that no route takes longer than `limit`; none when even all do not help, because what is left is
/// late when it is off.
///
/// The slowest route must lose one of its stages, so each of these is tried, with one stage allowed, then two, and so on. The exact
/// search is given up after some seconds; then the latest stage of the slowest route goes, again and again.
///
/// # Errors
/// As [`Graph::new`].
pub fn fewest_off(map: &PathMap, limit: Span) -> Result<Option<Off>, PathError> {
    let mut search = Search { map: map.clone(), limit, seen: 0 };
    let Some(greedy) = search.greedy()? else { return Ok(None) };
    for allowed in 0..greedy.len() {
        match search.within(allowed, &mut Vec::new())? {
            Found::Yes(stages) => return search.told(map, stages, true).map(Some),
            Found::No => {}
            Found::Unknown => return search.told(map, greedy, false).map(Some),
        }
    }
    search.told(map, greedy, true).map(Some)
}

enum Found {
    Yes(Vec<(usize, usize)>),
    No,
    Unknown,
}

struct Search {
    map: PathMap,
    limit: Span,
    seen: usize,
}

impl Search {
    /// The slowest route's latency, and its stages that switching off would help, the latest first.
    fn slowest(&self) -> Result<(Span, Vec<(usize, usize)>), PathError> {
        let graph = Graph::new(&self.map)?;
        let Some(route) = routes(&graph, 1).into_iter().next() else { return Ok((Span(0), Vec::new())) };
        let mut stages = stages_on(&self.map, &graph, &route);
        stages.retain(|&(n, k)| !self.map.nodes[n].stages[k].late_when_off && self.late(n, k) > Span(0));
        stages.sort_by_key(|&(n, k)| std::cmp::Reverse(self.late(n, k)));
        Ok((route.latency, stages))
    }

    fn late(&self, node: usize, stage: usize) -> Span {
        self.map.nodes[node].stages[stage].latency(self.map.sample_rate_hz).unwrap_or_default()
    }

    fn switch(&mut self, stage: (usize, usize), on: bool) {
        self.map.nodes[stage.0].stages[stage.1].on = on;
    }

    fn greedy(&mut self) -> Result<Option<Vec<(usize, usize)>>, PathError> {
        let mut off = Vec::new();
        let helps = loop {
            let (latency, stages) = self.slowest()?;
            if latency <= self.limit {
                break true;
            }
            let Some(&stage) = stages.first() else { break false };
            self.switch(stage, false);
            off.push(stage);
        };
        for &stage in &off {
            self.switch(stage, true);
        }
        Ok(helps.then_some(off))
    }

    fn within(&mut self, allowed: usize, off: &mut Vec<(usize, usize)>) -> Result<Found, PathError> {
        self.seen += self.map.nodes.len();
        if self.seen > MOST_NODES {
            return Ok(Found::Unknown);
        }
        let (latency, stages) = self.slowest()?;
        if latency <= self.limit {
            return Ok(Found::Yes(off.clone()));
        }
        // As many of its latest stages as are allowed must be able to bring the slowest route under the limit.
        let at_most: Span = stages.iter().take(allowed).map(|&(n, k)| self.late(n, k)).sum();
        if latency - at_most > self.limit {
            return Ok(Found::No);
        }
        for stage in stages {
            self.switch(stage, false);
            off.push(stage);
            let found = self.within(allowed - 1, off);
            off.pop();
            self.switch(stage, true);
            match found? {
                Found::No => {}
                other => return Ok(other),
            }
        }
        Ok(Found::No)
    }

    fn told(&mut self, map: &PathMap, mut stages: Vec<(usize, usize)>, fewest: bool) -> Result<Off, PathError> {
        stages.sort_unstable();
        for &stage in &stages {
            self.switch(stage, false);
        }
        let (slowest, _) = self.slowest()?;
        self.map = map.clone();
        Ok(Off { stages, fewest, slowest })
    }
}
