//! Random maps of signal paths.

use marea_core::paths::{Node, NodeKind, PathMap, Send, Stage, Tap};
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::BTreeMap;

/// A map without loops: a third tracks, then groups and returns, some outputs last, up to `stages` stages each; listed and named in no
/// order.
pub fn random_map(seed: u64, nodes: usize, stages: usize) -> PathMap {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let tracks = (nodes / 3).max(1);
    let outputs = (nodes / 40).max(1);
    let mut names: Vec<usize> = (0..nodes).collect();
    names.shuffle(&mut rng);
    let id = |n: usize| format!("N{}", names[n]);
    let mut list: Vec<Node> = Vec::new();
    for n in 0..nodes {
        let kind = match n {
            n if n < tracks => NodeKind::Track,
            n if n >= nodes - outputs => NodeKind::Output,
            _ => [NodeKind::Group, NodeKind::Return][rng.random_range(0..2)],
        };
        let stages = (0..rng.random_range(0..=stages)).map(|k| stage(k, &mut rng)).collect();
        let mut to: Vec<Send> = Vec::new();
        if kind != NodeKind::Output {
            let first = tracks.max(n + 1);
            for _ in 0..rng.random_range(1..=3) {
                let node = id(rng.random_range(first..(first + 12).min(nodes)));
                let tap = if rng.random_bool(0.2) { Tap::Before } else { Tap::After };
                let send = Send { node, tap, other: BTreeMap::new() };
                if !to.contains(&send) {
                    to.push(send);
                }
            }
        }
        list.push(Node { id: id(n), kind, stages, to, other: BTreeMap::new() });
    }
    list.shuffle(&mut rng);
    PathMap { sample_rate_hz: 48_000.0, nodes: list, other: BTreeMap::new() }
}

fn stage(k: usize, rng: &mut ChaCha8Rng) -> Stage {
    Stage {
        name: format!("S{k}"),
        latency_ms: None,
        latency_samples: Some(f64::from(rng.random_range(0..2_000))),
        at_rate_hz: None,
        measured_ms: None,
        on: rng.random_bool(0.8),
        late_when_off: rng.random_bool(0.2),
        other: BTreeMap::new(),
    }
}
