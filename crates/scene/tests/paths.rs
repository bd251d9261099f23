//! Signal paths against independent answers: a linear programme solved by another method, every route walked one by one, every set of
//! stages tried.

use marea_core::paths::*;
use marea_scene::paths::random_map;
use microlp::{ComparisonOp, OptimizationDirection, Problem, SolveOutcome};
use serde_json::{Value, json};

fn map(value: Value) -> PathMap {
    serde_json::from_value(value).expect("a map")
}

fn stage(name: &str, ms: f64) -> Value {
    json!({ "name": name, "latency_ms": ms })
}

fn refused(value: Value) -> String {
    Graph::new(&map(value)).expect_err("refused").to_string()
}

/// Adding latencies: 10.0 + 15.0 + 786.9 ms = 811.9 ms (common practice, no source); 38,971.2 samples at 48 kHz.
#[test]
fn latencies_add_up() {
    let m = map(json!({ "sample_rate_hz": 48_000, "nodes": [
        { "id": "Voice", "kind": "track", "stages": [stage("Gate", 10.0)], "to": [{ "node": "Group" }] },
        { "id": "Group", "kind": "group", "stages": [stage("Equaliser", 15.0), stage("Restoration", 786.9)], "to": [{ "node": "Out" }] },
        { "id": "Dry", "kind": "track", "to": [{ "node": "Out" }] },
        { "id": "Out", "kind": "output" },
    ]}));
    let g = Graph::new(&m).unwrap();
    let all = routes(&g, 10);
    let told: Vec<(String, f64)> = all.iter().map(|r| (r.name(&g), r.latency.samples())).collect();
    assert_eq!(told, [("Voice > Group > Out".into(), 38_971.2), ("Dry > Out".into(), 0.0)]);
    let added: Vec<(String, f64)> =
        least_delays(&g).iter().enumerate().map(|(e, s)| (g.edge_name(e), s.samples())).collect();
    assert_eq!(added, [("Voice > Group".into(), 0.0), ("Group > Out".into(), 0.0), ("Dry > Out".into(), 38_971.2)]);
    let (node, k, late) = offender(&m, &g).unwrap();
    assert_eq!((m.nodes[node].stages[k].name.as_str(), late), ("Restoration", Span::of_samples(37_771.2)));
}

/// Samples at another rate, stages that are off, stages that are late when they are off, and taps.
#[test]
fn a_stage_counts_as_it_stands() {
    let m = map(json!({ "sample_rate_hz": 48_000, "nodes": [
        { "id": "A", "kind": "track", "stages": [
            { "name": "1", "latency_samples": 441, "at_rate_hz": 44_100 },
            { "name": "2", "latency_samples": 100, "on": false },
            { "name": "3", "latency_samples": 7, "on": false, "late_when_off": true } ],
          "to": [{ "node": "Out" }, { "node": "Out", "tap": "before" }, { "node": "R", "tap": "before" }] },
        { "id": "R", "kind": "return", "stages": [{ "name": "4", "latency_samples": 5.25 }], "to": [{ "node": "Out" }] },
        { "id": "Out", "kind": "output", "stages": [{ "name": "5", "latency_samples": 3 }] },
    ]}));
    let g = Graph::new(&m).unwrap();
    let told: Vec<(String, f64)> = routes(&g, 9).iter().map(|r| (r.name(&g), r.latency.samples())).collect();
    assert_eq!(told, [("A > Out".into(), 490.0), ("A > R > Out".into(), 8.25), ("A (before) > Out".into(), 3.0)]);
    let met = meetings(&g);
    assert_eq!(met.len(), 1);
    assert_eq!(
        (g.ids[met[0].node].as_str(), met[0].apart.samples(), met[0].tracks.as_slice()),
        ("Out", 487.0, &[0][..])
    );
    assert_eq!((g.edge_name(met[0].early), g.edge_name(met[0].late)), ("A (before) > Out".into(), "A > Out".into()));
}

#[test]
fn what_cannot_be_is_refused_by_name() {
    let two = |a: Value, b: Value| json!({ "sample_rate_hz": 48_000, "nodes": [a, b] });
    let node = |id: &str, kind: &str, to: &[&str]| {
        let to: Vec<Value> = to.iter().map(|n| json!({ "node": n })).collect();
        json!({ "id": id, "kind": kind, "to": to })
    };
    assert_eq!(refused(json!({ "sample_rate_hz": 48_000, "nodes": [] })), "the map has no nodes");
    assert!(refused(json!({ "sample_rate_hz": 1, "nodes": [] })).contains("a sample rate of 1 Hz"));
    assert_eq!(refused(two(node("A", "track", &["B"]), node("A", "output", &[]))), "two nodes are called “A”");
    assert_eq!(
        refused(two(node("A", "track", &["C"]), node("B", "output", &[]))),
        "“A” feeds “C”, which is not in the map"
    );
    assert!(refused(two(node("A", "track", &[]), node("B", "output", &["A"]))).contains("“B” is an output and feeds"));
    assert!(refused(two(node("A", "track", &[]), node("B", "group", &["A"]))).contains("“B” feeds the track “A”"));
    assert!(refused(two(node("A", "track", &["B", "B"]), node("B", "group", &[]))).contains("“A” feeds “B” twice"));
    assert_eq!(refused(two(node("B", "group", &["B"]), node("A", "track", &["B"]))), "the paths form a loop: B > B");
    let three = json!({ "sample_rate_hz": 48_000, "nodes": [
        node("In", "track", &["X"]), node("X", "group", &["Y"]), node("Y", "return", &["Z", "Out"]), node("Z", "group", &["X"]), node("Out", "output", &[]) ]});
    let told = refused(three);
    let loops = ["X > Y > Z > X", "Y > Z > X > Y", "Z > X > Y > Z"];
    assert!(loops.iter().any(|l| told == format!("the paths form a loop: {l}")), "{told}");
    for (bad, words) in [
        (json!({ "name": "S", "latency_ms": -1.0 }), "a latency of -1 ms cannot be"),
        (json!({ "name": "S", "latency_ms": 61_000.0 }), "a latency of 61.0 s is more than 60 s"),
        (json!({ "name": "S", "latency_samples": 5, "at_rate_hz": 0.0 }), "0 Hz is no rate"),
        (json!({ "name": "S" }), "its latency is missing"),
        (json!({ "name": "S", "latency_ms": 1.0, "latency_samples": 1.0 }), "given twice"),
    ] {
        let told = refused(two(
            json!({ "id": "A", "kind": "track", "stages": [bad], "to": [{ "node": "B" }] }),
            node("B", "output", &[]),
        ));
        assert!(told.starts_with("stage “S” of “A”: ") && told.contains(words), "{told}");
    }
}

/// Sum of delays by the dual simplex of another library, from the same inequalities.
fn least_total_by_linear_programme(g: &Graph) -> f64 {
    let mut problem = Problem::new(OptimizationDirection::Minimize);
    // Σ (t(to) − t(from)) over all edges; constants are subtracted at the end.
    let weight = |n: usize| g.into[n].len() as f64 - g.out[n].len() as f64;
    let time: Vec<_> = (0..g.ids.len())
        .map(|n| {
            let most = if g.is_root(n) { 0.0 } else { f64::INFINITY };
            problem.add_var(weight(n), (0.0, most))
        })
        .collect();
    for e in &g.edges {
        problem.add_constraint([(time[e.to], 1.0), (time[e.from], -1.0)], ComparisonOp::Ge, e.span.samples());
    }
    let SolveOutcome::Solution(best) = problem.solve().expect("an answer") else { panic!("no best answer") };
    best.objective() - g.edges.iter().map(|e| e.span.samples()).sum::<f64>()
}

/// Walks every route one by one.
fn naive_routes(g: &Graph, node: usize, name: String, late: Span, found: &mut Vec<(Span, String)>) {
    if g.kinds[node] == NodeKind::Output {
        found.push((late + g.own[node], name + &g.ids[node]));
        return;
    }
    for &e in &g.out[node] {
        let edge = g.edge_name(e);
        let so_far = name.clone() + edge.strip_suffix(&g.ids[g.edges[e].to]).unwrap();
        naive_routes(g, g.edges[e].to, so_far, late + g.edges[e].span, found);
    }
}

#[test]
fn random_graphs_agree_with_a_naive_search_and_a_linear_programme() {
    for seed in 0..60 {
        let m = random_map(seed, [12, 40, 90, 200][seed as usize % 4], 3);
        let g = Graph::new(&m).unwrap();
        let added = least_delays(&g);
        assert!(added.iter().all(|a| *a >= Span(0)), "seed {seed}");
        // All inputs of every sum meet: with the delays in, the first and the last arrival are one.
        let mut met = g.clone();
        for (edge, add) in met.edges.iter_mut().zip(&added) {
            edge.span = edge.span + *add;
        }
        let roots: Vec<usize> = (0..g.ids.len()).filter(|&n| g.is_root(n)).collect();
        assert!(reach(&met, &roots).iter().flatten().all(|a| a.first == a.last), "seed {seed}");
        let total = added.iter().copied().sum::<Span>().samples();
        let best = least_total_by_linear_programme(&g);
        assert!((total - best).abs() < 1e-3 * best.max(1.0), "seed {seed}: {total} instead of {best}");
        if g.ids.len() > 40 {
            continue;
        }
        let mut naive = Vec::new();
        for &root in &roots {
            naive_routes(&g, root, String::new(), Span(0), &mut naive);
        }
        let mut mine: Vec<(Span, String)> = routes(&g, usize::MAX).iter().map(|r| (r.latency, r.name(&g))).collect();
        assert!(mine.is_sorted_by(|a, b| a.0 >= b.0), "the slowest first, seed {seed}");
        assert_eq!(mine.len() as f64, count_routes(&g));
        mine.sort();
        naive.sort();
        assert_eq!(mine, naive, "seed {seed}");
    }
}

/// The fewest stages by trying every set of them, the smallest first.
fn fewest_by_trying(m: &PathMap, limit: Span) -> Option<usize> {
    let all: Vec<(usize, usize)> =
        m.nodes.iter().enumerate().flat_map(|(n, node)| (0..node.stages.len()).map(move |k| (n, k))).collect();
    let under = |set: u32| {
        let mut m = m.clone();
        for (i, &(n, k)) in all.iter().enumerate() {
            m.nodes[n].stages[k].on &= set & (1 << i) == 0;
        }
        let g = Graph::new(&m).unwrap();
        routes(&g, 1).first().is_none_or(|r| r.latency <= limit)
    };
    (0..1u32 << all.len()).filter(|&set| under(set)).map(u32::count_ones).min().map(|n| n as usize)
}

#[test]
fn the_fewest_stages_are_switched_off() {
    let (mut tried, mut none) = (0, 0);
    for seed in 100..160 {
        let m = random_map(seed, 9, 2);
        let stages: usize = m.nodes.iter().map(|n| n.stages.len()).sum();
        if stages > 11 {
            continue;
        }
        let slowest = routes(&Graph::new(&m).unwrap(), 1)[0].latency;
        for part in [0.2, 0.5, 0.8] {
            let limit = Span::of_samples((slowest.samples() * part).round());
            let off = fewest_off(&m, limit).unwrap();
            assert_eq!(off.as_ref().map(|o| o.stages.len()), fewest_by_trying(&m, limit), "seed {seed}");
            match off {
                Some(off) => assert!(off.fewest && off.slowest <= limit && off.stages.is_empty() == (slowest <= limit)),
                None => none += 1,
            }
            tried += 1;
        }
    }
    assert!(tried > 60 && none > 3, "{tried} tried, {none} without an answer");
}

#[test]
fn what_is_written_beside_is_told() {
    let m = map(json!({ "sample_rate_hz": 48_000, "by": "hand", "nodes": [
        { "id": "A", "kind": "track", "stages": [{ "name": "S", "latency_ms": 1, "late_if_off": true }], "to": [{ "node": "B", "gain": 1 }] },
        { "id": "B", "kind": "output" }] }));
    let told = m.not_understood();
    assert_eq!(
        told,
        [
            "“by” of the map is not used",
            "“late_if_off” of stage “S” of “A” is not used",
            "“gain” of “A > B” is not used"
        ]
    );
}

/// Ten thousand nodes, with more paths than can be counted: only what is asked for is followed.
#[test]
fn a_large_map_is_computed() {
    let m = random_map(1, 10_000, 3);
    let g = Graph::new(&m).unwrap();
    assert!(count_routes(&g) > 1e15 && least_delays(&g).iter().all(|d| *d >= Span(0)));
    let some = routes(&g, 10_000);
    assert!(some.len() > 50 && some.is_sorted_by(|a, b| a.latency >= b.latency));
    assert!(meetings(&g).iter().all(|m| m.apart > Span(0) && !m.tracks.is_empty()));
}

/// Both ways bring every track to the output at one moment; with what is left to add, all inputs of every sum meet.
#[test]
fn tracks_make_up_for_their_paths() {
    for seed in 0..40 {
        let m = random_map(seed, 30, 3);
        let g = Graph::new(&m).unwrap();
        let [wait, pull] = [Way::Wait, Way::Pull].map(|way| plan(&g, way));
        assert_eq!(wait.add, pull.add, "seed {seed}");
        let slowest = wait.latency;
        for (w, p) in wait.offsets.iter().zip(&pull.offsets) {
            assert_eq!((w.0, w.1 - p.1), (p.0, slowest), "seed {seed}: the ways differ by one constant");
            assert!(w.1 >= Span(0) && p.1 <= Span(0));
        }
        // The last arrival of each track by every route of its own, walked one by one.
        let all = routes(&g, 200_000);
        for &(track, by) in &wait.offsets {
            let last = all.iter().filter(|r| r.from == track).map(|r| r.latency).max().unwrap();
            assert_eq!(last + by, slowest, "seed {seed}");
        }
        let mut met = g.clone();
        for (i, e) in met.edges.iter_mut().enumerate() {
            let placed = wait.offsets.iter().find(|t| t.0 == e.from).map_or(Span(0), |t| t.1);
            e.span = e.span + placed + wait.add[i];
        }
        let roots: Vec<usize> = (0..met.ids.len()).filter(|&n| met.is_root(n)).collect();
        for at in reach(&met, &roots).into_iter().flatten() {
            assert_eq!(at.first, at.last, "seed {seed}");
        }
    }
}

/// 1 + cos(2πfT) over a third-octave, against a sum over many frequencies of it. In step two copies gain 3.01 dB over two unrelated sounds;
/// half a period apart nothing is left (sum of two sines).
#[test]
fn copies_apart_lose_as_the_comb_says() {
    for apart_s in [0.0, 1.0 / 48_000.0, 0.000_5, 0.007, 0.34] {
        for hz in [25.0, 100.0, 1_000.0, 10_000.0] {
            let [low, high] = [hz * 2f64.powf(-1.0 / 6.0), hz * 2f64.powf(1.0 / 6.0)];
            let many = 200_000;
            let each = (0..many).map(|i| low + (high - low) * (f64::from(i) + 0.5) / f64::from(many));
            let mean = each.map(|f| 1.0 + (std::f64::consts::TAU * f * apart_s).cos()).sum::<f64>() / f64::from(many);
            assert!((sum_of_copies(apart_s, hz) - mean).abs() < 1e-3, "{apart_s} s at {hz} Hz");
        }
    }
    assert_eq!(sum_of_copies(0.0, 1_000.0), 2.0);
    assert!(sum_of_copies(0.005, 100.0) < 0.1, "5 ms are half a period of 100 Hz");
}

/// The finding names node, track, ways and time, and which bands two copies lose.
#[test]
fn copies_that_meet_are_a_finding() {
    let m = map(json!({ "sample_rate_hz": 48_000, "nodes": [
        { "id": "Drum", "kind": "track", "to": [{ "node": "Dry" }, { "node": "Wet" }] },
        { "id": "Dry", "kind": "group", "to": [{ "node": "Out" }] },
        { "id": "Wet", "kind": "return", "stages": [stage("Plate", 5.0)], "to": [{ "node": "Out" }] },
        { "id": "Out", "kind": "output" } ]}));
    let g = Graph::new(&m).unwrap();
    let met = meetings(&g);
    let f = unequal(&g, &met[0], 48_000.0, &|n| vec![n + 7]);
    assert_eq!(f.about.tracks, [7]);
    for told in [
        "Out gets Drum by two ways",
        "5.00 ms (240.0 samples)",
        "first by Dry > Out",
        "last by Wet > Out",
        "around 100 Hz",
    ] {
        assert!(f.text.contains(told), "{told}: {}", f.text);
    }
    let at = |hz: f64| f.cost_bands.iter().find(|b| b.hz == hz).unwrap();
    assert!(at(100.0).then_db - at(100.0).now_db > 12.0, "half a period apart at 100 Hz");
    assert!(at(200.0).then_db - at(200.0).now_db < 1.5, "a whole period apart at 200 Hz");
    // Over many combs two copies are as loud as two unrelated sounds: 3.01 dB less than in step.
    assert!((at(10_000.0).now_db).abs() < 0.2);
}
