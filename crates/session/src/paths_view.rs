//! A map of signal paths as it is shown: totals, what meets unequally, and the ways to make up for it.

use marea_core::decide::finding::Finding;
use marea_core::paths::{
    Graph, NodeKind, PathError, PathMap, Plan, Route, Span, Tap, Way, count_routes, fewest_off, meetings, offender,
    plan, reach, routes, unequal,
};
use serde::{Deserialize, Serialize};

/// Routes that are shown, the slowest first.
const ROUTES: usize = 100;

/// How paths are made up for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum PathWay {
    /// Every track waits for the slowest.
    Wait,
    /// Every track plays earlier by its latency.
    Pull,
    /// Stages are switched off until every path stays under a limit.
    Off,
    /// Tracks play as aligned; nothing is made up for.
    None,
}

/// A stage, by node and number.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct StageAt {
    /// Node, by number.
    pub node: usize,
    /// Stage of it, from 0.
    pub stage: usize,
    /// “tape of Plate”.
    pub name: String,
    /// Latency in frames of the session.
    pub frames: f64,
}

/// A node with what its paths come to.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NodeView {
    /// Name.
    pub id: String,
    /// What it is.
    pub kind: NodeKind,
    /// Tracks of the session that it stands for, by number.
    pub tracks: Vec<usize>,
    /// Each stage in frames, on or off.
    pub stages_frames: Vec<f64>,
    /// Stages that delay, together.
    pub own_frames: f64,
    /// First arrival at its input; none where nothing comes.
    pub first_frames: Option<f64>,
    /// Last arrival there.
    pub last_frames: Option<f64>,
}

/// A connection.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct EdgeView {
    /// Node that feeds, by number.
    pub from: usize,
    /// Node that is fed.
    pub to: usize,
    /// Where the signal is taken.
    pub tap: Tap,
    /// “A > B”.
    pub name: String,
    /// From input to input, in frames.
    pub frames: f64,
}

/// A way from a beginning to an output.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RouteView {
    /// “A > B > Out”.
    pub name: String,
    /// Edges, by number.
    pub edges: Vec<usize>,
    /// All latencies on it.
    pub frames: f64,
}

/// A track of the map and by how much it plays later.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MovedNode {
    /// Node, by number.
    pub node: usize,
    /// Frames; negative is earlier.
    pub frames: f64,
}

/// A delay to add on a connection.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AddedDelay {
    /// Edge, by number.
    pub edge: usize,
    /// Frames.
    pub frames: f64,
}

/// A way to make up for it, before it is chosen.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct WayView {
    /// Which.
    pub way: PathWay,
    /// False when even all that can be switched off does not help.
    pub possible: bool,
    /// Is it shown that no fewer stages do?
    pub fewest: bool,
    /// What every track is moved by.
    pub tracks: Vec<MovedNode>,
    /// What stays to be added on connections: the tracks cannot do it.
    pub add: Vec<AddedDelay>,
    /// Stages to switch off.
    pub off: Vec<StageAt>,
    /// When the last arrival reaches an output, against the moment of recording.
    pub latency_frames: f64,
    /// The farthest that a track is pulled before its place.
    pub before_frames: f64,
    /// Meetings that stay unequal until the delays are added.
    pub unequal: usize,
}

/// Where copies meet unequally.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MeetingView {
    /// Node, by number.
    pub node: usize,
    /// The greatest difference of two copies of one track.
    pub apart_frames: f64,
    /// Edge by which the first of these two comes, by number.
    pub early: usize,
    /// Edge by which the last one comes.
    pub late: usize,
}

/// All of it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PathsView {
    /// Nodes in the order of the map.
    pub nodes: Vec<NodeView>,
    /// Connections in the order of the map.
    pub edges: Vec<EdgeView>,
    /// The slowest first.
    pub routes: Vec<RouteView>,
    /// How many there are.
    pub routes_in_all: f64,
    /// The stage that costs most; none where nothing is late.
    pub offender: Option<StageAt>,
    /// Copies that meet unequally; tracks by number.
    pub findings: Vec<Finding>,
    /// Where the findings lie, in their order.
    pub meetings: Vec<MeetingView>,
    /// Wait, pull, off.
    pub ways: Vec<WayView>,
    /// What was written and is not used, what leads nowhere.
    pub notes: Vec<String>,
}

/// The tracks of a session that a node stands for, by number: those of its name.
pub fn tracks_of(map: &PathMap, node: usize, names: &[String]) -> Vec<usize> {
    let n = &map.nodes[node];
    let same = |name: &String| n.kind == NodeKind::Track && name.trim() == n.id.trim();
    names.iter().enumerate().filter(|(_, name)| same(name)).map(|(i, _)| i).collect()
}

fn stage_at(map: &PathMap, (node, stage): (usize, usize)) -> StageAt {
    let (n, s) = (&map.nodes[node], &map.nodes[node].stages[stage]);
    let called = if s.name.trim().is_empty() { format!("stage {}", stage + 1) } else { s.name.clone() };
    StageAt {
        node,
        stage,
        name: format!("{called} of {}", n.id),
        frames: s.latency(map.sample_rate_hz).unwrap_or_default().samples(),
    }
}

/// The map with some stages switched off.
pub fn switched_off(map: &PathMap, off: &[StageAt]) -> PathMap {
    let mut to = map.clone();
    for s in off {
        to.nodes[s.node].stages[s.stage].on = false;
    }
    to
}

fn by_tracks(way: PathWay, plan: &Plan) -> WayView {
    let added = |(edge, add): (usize, &Span)| (add.0 != 0).then(|| AddedDelay { edge, frames: add.samples() });
    let before = plan.offsets.iter().map(|t| -t.1.samples()).fold(0.0, f64::max);
    let moved = |&(node, by): &(usize, Span)| MovedNode { node, frames: by.samples() };
    WayView {
        way,
        possible: true,
        fewest: true,
        tracks: plan.offsets.iter().map(moved).collect(),
        add: plan.add.iter().enumerate().filter_map(added).collect(),
        off: Vec::new(),
        latency_frames: plan.latency.samples(),
        before_frames: before,
        unequal: 0,
    }
}

fn by_switching(map: &PathMap, graph: &Graph, under_frames: f64) -> Result<WayView, PathError> {
    let found = fewest_off(map, Span::of_samples(under_frames.max(0.0)))?;
    let slowest = routes(graph, 1).first().map_or(0.0, |r| r.latency.samples());
    let off: Vec<StageAt> = found.iter().flat_map(|o| o.stages.iter().map(|s| stage_at(map, *s))).collect();
    let unequal =
        if off.is_empty() { meetings(graph).len() } else { meetings(&Graph::new(&switched_off(map, &off))?).len() };
    Ok(WayView {
        way: PathWay::Off,
        possible: found.is_some(),
        fewest: found.as_ref().is_some_and(|o| o.fewest),
        tracks: Vec::new(),
        add: Vec::new(),
        off,
        latency_frames: found.map_or(slowest, |o| o.slowest.samples()),
        before_frames: 0.0,
        unequal,
    })
}

/// What was written and is not used, and what leads nowhere, in sentences.
pub fn loose_ends(map: &PathMap, graph: &Graph) -> Vec<String> {
    let mut notes = map.not_understood();
    for n in 0..graph.ids.len() {
        let (id, kind) = (&graph.ids[n], graph.kinds[n]);
        if graph.out[n].is_empty() && kind != NodeKind::Output {
            notes.push(format!("“{id}” feeds nothing: its sound reaches no output."));
        }
        if graph.is_root(n) && kind != NodeKind::Track {
            notes.push(format!("Nothing feeds “{id}”."));
        }
        if id.contains(" > ") {
            notes.push(format!("“{id}” holds the sign between the names of a path: its paths read ambiguously."));
        }
    }
    notes
}

fn notes(map: &PathMap, graph: &Graph, names: &[String]) -> Vec<String> {
    let nobody = |n: &usize| graph.kinds[*n] == NodeKind::Track && tracks_of(map, *n, names).is_empty();
    let missing = (0..graph.ids.len())
        .filter(nobody)
        .map(|n| format!("No track of this session is called “{}”: what is chosen moves nothing there.", graph.ids[n]));
    loose_ends(map, graph).into_iter().chain(missing).collect()
}

/// Where copies of one of the session's tracks meet unequally: the node's name, and what is found there. `names` are those of the
/// session's tracks.
///
/// # Errors
/// What is wrong with the map, with names.
pub fn unequal_meetings(map: &PathMap, names: &[String]) -> Result<Vec<(String, Finding)>, PathError> {
    let graph = Graph::new(map)?;
    let of = |n: usize| tracks_of(map, n, names);
    let found = meetings(&graph).into_iter().map(|m| {
        let name = graph.ids[m.node].clone();
        (name, unequal(&graph, &m, map.sample_rate_hz, &of))
    });
    Ok(found.filter(|(_, f)| !f.about.tracks.is_empty()).collect())
}

/// Computes a map. `names` are those of the session's tracks; `under_frames` is the limit for switching off.
///
/// # Errors
/// What is wrong with the map, with names.
pub fn paths_view(map: &PathMap, names: &[String], under_frames: f64) -> Result<PathsView, PathError> {
    let graph = Graph::new(map)?;
    let roots: Vec<usize> = (0..graph.ids.len()).filter(|&n| graph.is_root(n)).collect();
    let at = reach(&graph, &roots);
    let node = |n: usize| {
        let stages = map.nodes[n].stages.iter();
        NodeView {
            id: graph.ids[n].clone(),
            kind: graph.kinds[n],
            tracks: tracks_of(map, n, names),
            stages_frames: stages.map(|s| s.latency(map.sample_rate_hz).unwrap_or_default().samples()).collect(),
            own_frames: graph.own[n].samples(),
            first_frames: at[n].map(|a| a.first.samples()),
            last_frames: at[n].map(|a| a.last.samples()),
        }
    };
    let edge = |(i, e): (usize, &marea_core::paths::Edge)| EdgeView {
        from: e.from,
        to: e.to,
        tap: e.tap,
        name: graph.edge_name(i),
        frames: e.span.samples(),
    };
    let route = |r: &Route| RouteView { name: r.name(&graph), edges: r.edges.clone(), frames: r.latency.samples() };
    let met = meetings(&graph);
    let of = |n: usize| tracks_of(map, n, names);
    let [wait, pull] = [(PathWay::Wait, Way::Wait), (PathWay::Pull, Way::Pull)]
        .map(|(told, way)| WayView { unequal: met.len(), ..by_tracks(told, &plan(&graph, way)) });
    Ok(PathsView {
        nodes: (0..graph.ids.len()).map(node).collect(),
        edges: graph.edges.iter().enumerate().map(edge).collect(),
        routes: routes(&graph, ROUTES).iter().map(route).collect(),
        routes_in_all: count_routes(&graph),
        offender: offender(map, &graph).map(|(n, k, _)| stage_at(map, (n, k))),
        findings: met.iter().map(|m| unequal(&graph, m, map.sample_rate_hz, &of)).collect(),
        meetings: met
            .iter()
            .map(|m| MeetingView { node: m.node, apart_frames: m.apart.samples(), early: m.early, late: m.late })
            .collect(),
        ways: vec![wait, pull, by_switching(map, &graph, under_frames)?],
        notes: notes(map, &graph, names),
    })
}
