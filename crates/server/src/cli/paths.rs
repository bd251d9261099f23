//! `marea paths`: latencies of a map of signal paths, and what brings them together.

use clap::Args;
use marea_core::paths::{
    Arrivals, Graph, NodeKind, PathMap, Route, Span, ahead, count_routes, fewest_off, least_delays, meetings, offender,
    reach, routes,
};
use marea_session::paths_sheet::{from_sheet, to_sheet};
use marea_session::paths_view::loose_ends;
use serde::ser::SerializeMap;
use serde::{Serialize, Serializer};
use std::path::{Path, PathBuf};

/// Routes that are listed when it is not said how many.
const ROUTES: usize = 10_000;

/// Tracks that are named at a meeting.
const TRACKS: usize = 50;

/// A map of paths to compute.
#[derive(Debug, Args)]
pub struct PathsArgs {
    /// The map, as JSON (docs/paths.schema.json) or as a sheet (CSV).
    pub file: PathBuf,
    /// Also write the map into another file: JSON, or a sheet when its name ends in .csv.
    #[arg(long, value_name = "FILE")]
    pub write: Option<PathBuf>,
    /// Replace a file that is there.
    #[arg(long, requires = "write")]
    pub overwrite: bool,
    /// Print JSON (docs/paths-report.schema.json) instead of a table.
    #[arg(long)]
    pub json: bool,
    /// Also say which stages must be off to stay under so many milliseconds.
    #[arg(long, value_name = "MS", allow_negative_numbers = true)]
    pub under: Option<f64>,
    /// List at most so many paths, the slowest first.
    #[arg(long, default_value_t = ROUTES)]
    pub most: usize,
}

/// Keys with values, in an order of their own.
#[derive(Debug)]
struct Listed<T>(Vec<(String, T)>);

impl<T: Serialize> Serialize for Listed<T> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let mut map = to.serialize_map(Some(self.0.len()))?;
        for (key, value) in &self.0 {
            map.serialize_entry(key, value)?;
        }
        map.end()
    }
}

#[derive(Debug, Serialize)]
struct Report {
    sample_rate_hz: f64,
    paths: Listed<PathReport>,
    /// More than are listed, when a map has very many.
    paths_in_all: f64,
    compensation: Listed<AddReport>,
    compensation_total_samples: f64,
    tracks: Listed<TrackReport>,
    outputs: Listed<OutputReport>,
    meetings: Vec<MeetingReport>,
    offender: Option<StageReport>,
    #[serde(skip_serializing_if = "Option::is_none")]
    under: Option<UnderReport>,
    notes: Vec<String>,
}

#[derive(Debug, Serialize)]
struct PathReport {
    latency_samples: f64,
    /// What the added delays come to on this path.
    compensation_samples: f64,
}

#[derive(Debug, Serialize)]
struct AddReport {
    add_samples: f64,
}

/// From a track to the outputs that it reaches.
#[derive(Debug, Serialize)]
struct TrackReport {
    first_samples: f64,
    last_samples: f64,
    /// The offset that brings its last arrival to where it was recorded.
    pull_samples: f64,
}

#[derive(Debug, Serialize)]
struct OutputReport {
    first_samples: f64,
    last_samples: f64,
    /// With all delays added.
    compensated_samples: f64,
}

#[derive(Debug, Serialize)]
struct MeetingReport {
    node: String,
    early: String,
    late: String,
    apart_samples: f64,
    /// The first of them.
    tracks: Vec<String>,
    tracks_in_all: usize,
}

#[derive(Debug, Serialize)]
struct StageReport {
    node: String,
    stage: String,
    latency_samples: f64,
    latency_ms: f64,
}

#[derive(Debug, Serialize)]
struct UnderReport {
    limit_ms: f64,
    /// False when even all that can be switched off does not help.
    possible: bool,
    /// Is it shown that no fewer stages do?
    fewest: bool,
    off: Vec<StageReport>,
    /// The slowest path with these off.
    slowest_ms: Option<f64>,
}

/// `marea paths`.
///
/// # Errors
/// A sentence that names the file and what is wrong in it.
pub fn run_paths(args: &PathsArgs) -> Result<(), String> {
    let name = args.file.display();
    let map = read(&args.file)?;
    let report = report(&map, args).map_err(|e| format!("{name}: {e}"))?;
    if let Some(file) = &args.write {
        write(&map, file, args.overwrite)?;
    }
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        print(&report);
    }
    Ok(())
}

fn is_sheet(file: &Path) -> bool {
    file.extension().is_some_and(|e| e.eq_ignore_ascii_case("csv"))
}

fn read(file: &Path) -> Result<PathMap, String> {
    let name = file.display();
    let text = std::fs::read_to_string(file).map_err(|e| format!("{name} cannot be read: {e}"))?;
    if is_sheet(file) {
        return from_sheet(&text).map_err(|e| format!("{name}: {e}"));
    }
    serde_json::from_str(&text).map_err(|e| format!("{name} is no map of paths: {e}"))
}

fn write(map: &PathMap, file: &Path, overwrite: bool) -> Result<(), String> {
    let name = file.display();
    if file.exists() && !overwrite {
        return Err(format!("{name} is there already; --overwrite replaces it"));
    }
    let json = || serde_json::to_string_pretty(map).map(|t| t + "\n").map_err(|e| e.to_string());
    let text = if is_sheet(file) { to_sheet(map) } else { json()? };
    std::fs::write(file, text).map_err(|e| format!("{name} cannot be written: {e}"))
}

fn report(map: &PathMap, args: &PathsArgs) -> Result<Report, String> {
    let graph = Graph::new(map).map_err(|e| e.to_string())?;
    let added = least_delays(&graph);
    let whole = |edges: &[usize]| edges.iter().map(|&e| added[e]).sum::<Span>().samples();
    let path = |r: &Route| {
        let told = PathReport { latency_samples: r.latency.samples(), compensation_samples: whole(&r.edges) };
        (r.name(&graph), told)
    };
    let edges = added.iter().enumerate();
    let rate = map.sample_rate_hz;
    let stage = |node: usize, k: usize| {
        let stage = &map.nodes[node].stages[k];
        let samples = stage.latency(rate).unwrap_or_default().samples();
        StageReport {
            node: graph.ids[node].clone(),
            stage: stage.name.clone(),
            latency_samples: samples,
            latency_ms: samples * 1_000.0 / rate,
        }
    };
    Ok(Report {
        sample_rate_hz: rate,
        paths: Listed(routes(&graph, args.most).iter().map(path).collect()),
        paths_in_all: count_routes(&graph),
        compensation: Listed(
            edges.map(|(e, a)| (graph.edge_name(e), AddReport { add_samples: a.samples() })).collect(),
        ),
        compensation_total_samples: added.iter().copied().sum::<Span>().samples(),
        tracks: Listed(tracks(&graph)),
        outputs: Listed(outputs(&graph, &added)),
        meetings: meeting_reports(&graph),
        offender: offender(map, &graph).map(|(node, k, _)| stage(node, k)),
        under: args.under.map(|ms| under(map, ms, stage)).transpose()?,
        notes: loose_ends(map, &graph),
    })
}

fn tracks(graph: &Graph) -> Vec<(String, TrackReport)> {
    let ahead = ahead(graph);
    let of = |track: usize| {
        let Arrivals { first, last } = ahead[track]?;
        let told = TrackReport {
            first_samples: first.samples(),
            last_samples: last.samples(),
            pull_samples: (Span(0) - last).samples(),
        };
        Some((graph.ids[track].clone(), told))
    };
    (0..graph.ids.len()).filter(|&n| graph.kinds[n] == NodeKind::Track).filter_map(of).collect()
}

fn outputs(graph: &Graph, added: &[Span]) -> Vec<(String, OutputReport)> {
    let roots: Vec<usize> = (0..graph.ids.len()).filter(|&n| graph.is_root(n)).collect();
    let mut met = graph.clone();
    for (edge, add) in met.edges.iter_mut().zip(added) {
        edge.span = edge.span + *add;
    }
    let (now, then) = (reach(graph, &roots), reach(&met, &roots));
    let of = |n: usize| {
        let own = graph.own[n];
        let (now, then) = (now[n]?, then[n]?);
        let told = OutputReport {
            first_samples: (now.first + own).samples(),
            last_samples: (now.last + own).samples(),
            compensated_samples: (then.last + own).samples(),
        };
        Some((graph.ids[n].clone(), told))
    };
    (0..graph.ids.len()).filter(|&n| graph.kinds[n] == NodeKind::Output).filter_map(of).collect()
}

fn meeting_reports(graph: &Graph) -> Vec<MeetingReport> {
    let told = meetings(graph).into_iter().map(|m| MeetingReport {
        node: graph.ids[m.node].clone(),
        early: graph.edge_name(m.early),
        late: graph.edge_name(m.late),
        apart_samples: m.apart.samples(),
        tracks: m.tracks.iter().take(TRACKS).map(|&t| graph.ids[t].clone()).collect(),
        tracks_in_all: m.tracks.len(),
    });
    told.collect()
}

fn under(map: &PathMap, limit_ms: f64, stage: impl Fn(usize, usize) -> StageReport) -> Result<UnderReport, String> {
    if !(limit_ms.is_finite() && limit_ms >= 0.0) {
        return Err(format!("{limit_ms} ms is no limit"));
    }
    let rate = map.sample_rate_hz;
    let found = fewest_off(map, Span::of_samples(limit_ms * rate / 1_000.0)).map_err(|e| e.to_string())?;
    Ok(UnderReport {
        limit_ms,
        possible: found.is_some(),
        fewest: found.as_ref().is_some_and(|o| o.fewest),
        slowest_ms: found.as_ref().map(|o| o.slowest.samples() * 1_000.0 / rate),
        off: found.map_or_else(Vec::new, |o| o.stages.iter().map(|&(n, k)| stage(n, k)).collect()),
    })
}

fn print(report: &Report) {
    let ms = |samples: f64| samples * 1_000.0 / report.sample_rate_hz;
    for (name, p) in &report.paths.0 {
        let wait = p.compensation_samples;
        say!("{name}: {:.1} samples ({:.3} ms), waits {wait:.1} samples", p.latency_samples, ms(p.latency_samples));
    }
    let left_out = report.paths_in_all - report.paths.0.len() as f64;
    if left_out > 0.0 {
        say!("… and {left_out} quicker paths");
    }
    for (name, add) in report.compensation.0.iter().filter(|(_, a)| a.add_samples > 0.0) {
        say!("add {:.1} samples ({:.3} ms) on {name}", add.add_samples, ms(add.add_samples));
    }
    for m in &report.meetings {
        let more = m.tracks_in_all - m.tracks.len();
        let of = m.tracks.join(", ") + &if more > 0 { format!(" and {more} more") } else { String::new() };
        say!("{} gets {of} twice, {:.3} ms apart: by {} and by {}", m.node, ms(m.apart_samples), m.early, m.late);
    }
    if let Some(o) = &report.offender {
        say!("costs most: {} of {}, {:.3} ms", o.stage, o.node, o.latency_ms);
    }
    if let Some(under) = &report.under {
        print_under(under);
    }
    for note in &report.notes {
        say!("note: {note}");
    }
}

fn print_under(under: &UnderReport) {
    let limit = under.limit_ms;
    if !under.possible {
        say!("under {limit} ms: not possible, even with all stages off");
    } else if under.off.is_empty() {
        say!("under {limit} ms: all paths are");
    } else {
        let off: Vec<String> = under.off.iter().map(|s| format!("{} of {}", s.stage, s.node)).collect();
        let fewer = if under.fewest { "no fewer do" } else { "fewer may do; the search was given up" };
        say!("under {limit} ms: switch off {} ({fewer})", off.join(", "));
    }
}
