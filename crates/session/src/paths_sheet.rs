//! Maps of signal paths as a sheet (CSV, RFC 4180): a row for each stage and for each connection.

use marea_core::paths::{Node, NodeKind, PathMap, Send, Stage, Tap};
use std::collections::{BTreeMap, HashMap};
use thiserror::Error;

const HEAD: [&str; 11] = [
    "node",
    "kind",
    "stage",
    "latency_ms",
    "latency_samples",
    "at_rate_hz",
    "on",
    "late_when_off",
    "to",
    "tap",
    "measured_ms",
];
/// Columns that every sheet has.
const NEEDED: usize = 10;
const RATE: &str = "sample_rate_hz";

/// Why a sheet was refused.
#[derive(Debug, PartialEq, Error)]
#[allow(missing_docs)]
pub enum SheetError {
    #[error("the first row must be “{RATE}” and the session's rate, the second the names of the columns ({})", HEAD.join(", "))]
    Head,
    #[error("line {line}: {why}")]
    Line { line: u64, why: String },
}

/// The map as a sheet: the rate, the names of the columns, then the rows. What is written beside in a map of JSON is left out.
pub fn to_sheet(map: &PathMap) -> String {
    let mut rows = vec![vec![RATE.to_string(), map.sample_rate_hz.to_string()], HEAD.map(String::from).to_vec()];
    let number = |v: Option<f64>| v.map_or_else(String::new, |v| v.to_string());
    let word = |on: bool| if on { "yes" } else { "no" }.to_string();
    for node in &map.nodes {
        let begun = || vec![guarded(&node.id), kind_word(node.kind).to_string()];
        let fill = |mut row: Vec<String>, before: usize, cells: Vec<String>| {
            row.resize(before, String::new());
            row.extend(cells);
            row.resize(HEAD.len(), String::new());
            row
        };
        let stage = |s: &Stage| {
            let latency = [number(s.latency_ms), number(s.latency_samples), number(s.at_rate_hz)];
            let cells = [vec![guarded(&s.name)], latency.to_vec(), vec![word(s.on), word(s.late_when_off)]].concat();
            let mut row = fill(begun(), 2, cells);
            row[NEEDED] = number(s.measured_ms);
            row
        };
        let send = |s: &Send| {
            let tap = if s.tap == Tap::After { "after" } else { "before" };
            fill(begun(), 8, vec![guarded(&s.node), tap.into()])
        };
        let own = rows.len();
        rows.extend(node.stages.iter().map(stage));
        rows.extend(node.to.iter().map(send));
        if rows.len() == own {
            rows.push(fill(begun(), 2, Vec::new()));
        }
    }
    let mut out = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
    for row in rows {
        // Nothing but memory is written to.
        let _ = out.write_record(row);
    }
    out.into_inner().map_or_else(|_| String::new(), |bytes| String::from_utf8_lossy(&bytes).into_owned())
}

/// Reads a sheet. A node may have any number of rows, in any place; its stages and connections keep their order.
///
/// # Errors
/// [`SheetError`], naming the line.
pub fn from_sheet(text: &str) -> Result<PathMap, SheetError> {
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .from_reader(text.trim_start_matches('\u{feff}').as_bytes());
    let mut rows = reader.records();
    let mut row = || {
        let told = |e: csv::Error| SheetError::Line {
            line: e.position().map_or(0, csv::Position::line),
            why: "this is no text that can be read as a sheet".into(),
        };
        rows.next().transpose().map_err(told)
    };
    let first = row()?.ok_or(SheetError::Head)?;
    let named = first.get(0).is_some_and(|v| v.trim() == RATE);
    let rate = first.get(1).filter(|_| named).and_then(|v| number(v.trim()).ok()?).ok_or(SheetError::Head)?;
    let head = row()?.ok_or(SheetError::Head)?;
    if !head.iter().take(NEEDED).map(str::trim).eq(HEAD.into_iter().take(NEEDED)) {
        return Err(SheetError::Head);
    }
    let mut map = PathMap { sample_rate_hz: rate, nodes: Vec::new(), other: BTreeMap::new() };
    let mut known: HashMap<String, usize> = HashMap::new();
    while let Some(record) = row()? {
        let line = record.position().map_or(0, csv::Position::line);
        // Names stay as they are written, all else is trimmed.
        let cell = |k: usize| record.get(k).map_or("", |v| if [0, 2, 8].contains(&k) { v } else { v.trim() });
        if (0..HEAD.len()).all(|k| cell(k).is_empty()) {
            continue;
        }
        add(&mut map, &mut known, &cell).map_err(|why| SheetError::Line { line, why })?;
    }
    Ok(map)
}

fn add<'a>(
    map: &mut PathMap,
    known: &mut HashMap<String, usize>,
    cell: &dyn Fn(usize) -> &'a str,
) -> Result<(), String> {
    let id = plain(cell(0));
    let kind = kind_of(cell(1))?;
    let at = *known.entry(id.clone()).or_insert(map.nodes.len());
    if at == map.nodes.len() {
        map.nodes.push(Node { id: id.clone(), kind, stages: Vec::new(), to: Vec::new(), other: BTreeMap::new() });
    }
    let node = &mut map.nodes[at];
    if node.kind != kind {
        return Err(format!("“{id}” is a {} above and a {} here", kind_word(node.kind), kind_word(kind)));
    }
    if !cell(2).is_empty() || !cell(3).is_empty() || !cell(4).is_empty() {
        node.stages.push(Stage {
            name: plain(cell(2)),
            latency_ms: number(cell(3))?,
            latency_samples: number(cell(4))?,
            at_rate_hz: number(cell(5))?,
            measured_ms: number(cell(10))?,
            on: yes(cell(6), true)?,
            late_when_off: yes(cell(7), false)?,
            other: BTreeMap::new(),
        });
    }
    if !cell(8).is_empty() {
        let tap = match cell(9).to_lowercase().as_str() {
            "" | "after" => Tap::After,
            "before" => Tap::Before,
            other => return Err(format!("“{other}” is neither after nor before")),
        };
        node.to.push(Send { node: plain(cell(8)), tap, other: BTreeMap::new() });
    }
    Ok(())
}

fn kind_word(kind: NodeKind) -> &'static str {
    match kind {
        NodeKind::Track => "track",
        NodeKind::Group => "group",
        NodeKind::Return => "return",
        NodeKind::Output => "output",
    }
}

fn kind_of(text: &str) -> Result<NodeKind, String> {
    let kinds = [NodeKind::Track, NodeKind::Group, NodeKind::Return, NodeKind::Output];
    let found = kinds.into_iter().find(|k| kind_word(*k) == text.to_lowercase());
    found.ok_or_else(|| format!("“{text}” is no kind: track, group, return or output"))
}

fn number(text: &str) -> Result<Option<f64>, String> {
    if text.is_empty() {
        return Ok(None);
    }
    // A decimal comma, as sheets of many countries have it.
    text.replace(',', ".").parse().map(Some).map_err(|_| format!("“{text}” is no number"))
}

fn yes(text: &str, usual: bool) -> Result<bool, String> {
    match text.to_lowercase().as_str() {
        "" => Ok(usual),
        "yes" | "true" | "1" => Ok(true),
        "no" | "false" | "0" => Ok(false),
        _ => Err(format!("“{text}” is neither yes nor no")),
    }
}

/// Would a spreadsheet take a cell for a formula?
pub fn is_formula(cell: &str) -> bool {
    cell.starts_with(['=', '+', '-', '@', '\t', '\r'])
}

/// An apostrophe makes text of what would be a formula, and of what begins with one.
fn guarded(text: &str) -> String {
    let guard = if is_formula(text) || text.starts_with('\'') { "'" } else { "" };
    format!("{guard}{text}")
}

fn plain(text: &str) -> String {
    text.strip_prefix('\'').unwrap_or(text).to_string()
}
