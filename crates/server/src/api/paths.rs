//! The session's signal paths: drawn, added up, made up for.

use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::patch::EditPatch;
use crate::db::paths;
use crate::db::sessions::{self, Session};
use crate::db::tracks::{self, TrackRow};
use crate::error::{ErrorBody, ServerError};
use actix_web::http::header::{ContentDisposition, DispositionParam, DispositionType};
use actix_web::{HttpResponse, get, post, put, web};
use marea_core::paths::{Graph, PathMap};
use marea_core::units::Offset;
use marea_session::paths_sheet::{from_sheet, to_sheet};
use marea_session::paths_view::{PathWay, PathsView, WayView, paths_view, switched_off};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// The limit for switching off when none is asked for, in ms: what a player bears between striking and hearing (common practice, no
/// source).
const UNDER_MS: f64 = 6.0;

/// Nodes of a map that is drawn; larger ones are computed by the command line.
const MOST_NODES: usize = 2_000;

/// Offsets on tracks count as one way's when they are this close, in frames.
const SAME: f64 = 1e-6;

/// The limit to stay under.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Limit {
    /// Milliseconds, 0 … 60000; 6 when it is not said.
    pub under_ms: Option<f64>,
}

impl Limit {
    fn checked(&self) -> Result<f64, ServerError> {
        let ms = self.under_ms.unwrap_or(UNDER_MS);
        if (0.0..=60_000.0).contains(&ms) { Ok(ms) } else { Err(ServerError::Invalid(format!("{ms} ms is no limit"))) }
    }
}

/// The map as it stands.
#[derive(Debug, Serialize, ToSchema)]
pub struct PathsShown {
    /// As it was drawn; none where nothing was.
    pub map: Option<PathMap>,
    /// What it comes to.
    pub view: Option<PathsView>,
    /// Tracks in the order in which nodes and findings count them.
    pub tracks: Vec<Uuid>,
    /// The limit that the third way stays under, in ms.
    pub under_ms: f64,
    /// What the tracks carry now: wait, pull or none.
    pub chosen: PathWay,
    /// The tracks carry something that no way of this map says: it was drawn anew since.
    pub stale: bool,
}

/// Another map.
#[derive(Debug, Deserialize, ToSchema)]
pub struct NewPaths {
    /// All of it.
    pub map: PathMap,
    /// For the history, up to 300 characters.
    pub label: String,
}

/// A way that is chosen.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Choice {
    /// Which.
    pub way: PathWay,
    /// For switching off: the limit in ms.
    #[serde(default)]
    pub under_ms: Option<f64>,
}

/// A map as a sheet.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Sheet {
    /// CSV (RFC 4180).
    pub text: String,
}

/// How a file is written.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct FileKind {
    /// `json` or `csv`.
    pub kind: String,
}

/// The map with what is known of the session.
struct Drawn {
    session: Session,
    rows: Vec<TrackRow>,
    map: Option<PathMap>,
}

impl Drawn {
    async fn of(state: &State, path: &str) -> Result<Self, ServerError> {
        let session = sessions::get(state.db(), id(path, "session")?).await?;
        let rows = tracks::of_session(state.db(), session.id).await?;
        let map = paths::get(state.db(), session.id).await?;
        // Recordings may have come after the map: their rate counts.
        let map = map.map(|m| match session.rate_hz {
            Some(hz) => m.at_rate(f64::from(hz)),
            None => m,
        });
        Ok(Self { session, rows, map })
    }

    /// The map, once there is something in it.
    fn begun(&self) -> Option<&PathMap> {
        self.map.as_ref().filter(|m| !m.nodes.is_empty())
    }

    fn view(&self, map: &PathMap, under_ms: f64) -> Result<PathsView, ServerError> {
        let names: Vec<String> = self.rows.iter().map(|t| t.name.clone()).collect();
        paths_view(map, &names, under_ms * map.sample_rate_hz / 1_000.0)
            .map_err(|e| ServerError::Invalid(e.to_string()))
    }

    /// What a way puts on each track; those that it does not name carry nothing for a path.
    fn on_tracks(&self, view: &PathsView, way: Option<&WayView>) -> Vec<Offset> {
        let mut all = vec![Offset::default(); self.rows.len()];
        for moved in way.iter().flat_map(|w| &w.tracks) {
            for track in &view.nodes[moved.node].tracks {
                all[*track] = Offset(moved.frames);
                // What is linked comes along.
                let mates = (0..all.len())
                    .filter(|m| self.rows[*m].link_id.is_some() && self.rows[*m].link_id == self.rows[*track].link_id);
                mates.for_each(|m| all[m] = Offset(moved.frames));
            }
        }
        all
    }

    fn carries(&self, wanted: &[Offset]) -> bool {
        let now = self.rows.iter().map(|t| t.edit().placement.path_frames);
        now.zip(wanted).all(|(a, b)| (a - *b).0.abs() < SAME)
    }
}

/// The session's signal paths: totals, what meets unequally, three ways to make up for it.
#[utoipa::path(params(Limit), responses((status = 200, body = PathsShown), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}/paths")]
pub async fn show_paths(
    state: web::Data<State>,
    path: web::Path<String>,
    limit: web::Query<Limit>,
) -> Result<web::Json<PathsShown>, ServerError> {
    let drawn = Drawn::of(&state, &path).await?;
    let under_ms = limit.checked()?;
    let view = drawn.begun().map(|m| drawn.view(m, under_ms)).transpose()?;
    let none = drawn.carries(&vec![Offset::default(); drawn.rows.len()]);
    let by = |way: PathWay| {
        let view = view.as_ref()?;
        let told = view.ways.iter().find(|w| w.way == way)?;
        drawn.carries(&drawn.on_tracks(view, Some(told))).then_some(way)
    };
    let chosen = if none { None } else { by(PathWay::Pull).or_else(|| by(PathWay::Wait)) };
    Ok(web::Json(PathsShown {
        tracks: drawn.rows.iter().map(|t| t.id).collect(),
        under_ms,
        chosen: chosen.unwrap_or(PathWay::None),
        stale: !none && chosen.is_none(),
        view,
        map: drawn.map,
    }))
}

/// Draw the paths anew. A loop is refused with its nodes named; what is carried by tracks stays until a way is chosen again.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[put("/sessions/{session}/paths")]
pub async fn draw_paths(
    state: web::Data<State>,
    path: web::Path<String>,
    new: web::Json<NewPaths>,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    let NewPaths { map, label } = new.into_inner();
    let map = session.rate_hz.map_or(map.clone(), |hz| map.at_rate(f64::from(hz)));
    if map.nodes.len() > MOST_NODES {
        return Err(ServerError::Invalid(format!("a map that is drawn has {MOST_NODES} nodes at most")));
    }
    // A map that is being begun has no nodes yet.
    if !map.nodes.is_empty() {
        Graph::new(&map).map_err(|e| ServerError::Invalid(e.to_string()))?;
    }
    let new = NewDecision { paths: Some(map), ..NewDecision::of(label, Vec::new()) };
    let made = decisions::decide(state.db(), session.id, &new).await?;
    state.workers.nudge(session.id);
    Ok(HttpResponse::Created().json(made))
}

fn label(way: Option<&WayView>, under_ms: f64, rate_hz: f64) -> String {
    let ms = |frames: f64| frames * 1_000.0 / rate_hz;
    match way.map(|w| (w, w.way)) {
        Some((w, PathWay::Wait)) => format!("Paths: every track waits for the slowest, {:.2} ms", ms(w.latency_frames)),
        Some((w, PathWay::Pull)) => format!("Paths: late tracks pulled earlier by up to {:.2} ms", ms(w.before_frames)),
        Some((w, PathWay::Off)) => {
            let names: Vec<&str> = w.off.iter().map(|s| s.name.as_str()).collect();
            format!("Paths: {} switched off to stay under {under_ms} ms", names.join(", "))
        }
        _ => "Paths: nothing made up for".into(),
    }
}

/// Choose a way to make up for the latency of paths: one decision for all tracks.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/paths/choice")]
pub async fn choose_way(
    state: web::Data<State>,
    path: web::Path<String>,
    choice: web::Json<Choice>,
) -> Result<HttpResponse, ServerError> {
    let drawn = Drawn::of(&state, &path).await?;
    let under_ms = Limit { under_ms: choice.under_ms }.checked()?;
    let map = drawn.begun().ok_or(ServerError::NotFound("map of paths"))?;
    let view = drawn.view(map, under_ms)?;
    let way = view.ways.iter().find(|w| w.way == choice.way);
    if way.is_some_and(|w| !w.tracks.is_empty() && w.tracks.iter().all(|t| view.nodes[t.node].tracks.is_empty())) {
        return Err(ServerError::Conflict("no track of the map has the name of a track of this session".into()));
    }
    let off = way.filter(|w| w.way == PathWay::Off);
    if off.is_some_and(|w| !w.possible) {
        return Err(ServerError::Conflict(format!("even with all stages off no path stays under {under_ms} ms")));
    }
    if off.is_some_and(|w| w.off.is_empty()) {
        return Err(ServerError::Conflict(format!("all paths stay under {under_ms} ms already")));
    }
    let wanted = drawn.on_tracks(&view, way);
    let changed = drawn.rows.iter().zip(wanted).filter(|(t, to)| t.edit().placement.path_frames != *to);
    let changes =
        changed.map(|(t, to)| NewChange::to(t.id, EditPatch { path_frames: Some(to), ..EditPatch::default() }));
    let new = NewDecision {
        paths: off.map(|w| switched_off(map, &w.off)),
        ..NewDecision::of(label(way, under_ms, map.sample_rate_hz), changes.collect())
    };
    let made = decisions::decide(state.db(), drawn.session.id, &new).await?;
    state.workers.changed(drawn.session.id).await;
    Ok(HttpResponse::Created().json(made))
}

/// Read a sheet (CSV) as a map. Nothing is stored.
#[utoipa::path(responses((status = 200, body = PathMap), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/paths/sheet")]
pub async fn read_sheet(_path: web::Path<String>, sheet: web::Json<Sheet>) -> Result<web::Json<PathMap>, ServerError> {
    from_sheet(&sheet.text).map(web::Json).map_err(|e| ServerError::Invalid(e.to_string()))
}

/// The map as a file: JSON (docs/paths.schema.json) or a sheet.
#[utoipa::path(params(FileKind), responses((status = 200, content((PathMap = "application/json"), (String = "text/csv"))), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/paths/file")]
pub async fn paths_file(
    state: web::Data<State>,
    path: web::Path<String>,
    file: web::Query<FileKind>,
) -> Result<HttpResponse, ServerError> {
    let drawn = Drawn::of(&state, &path).await?;
    let map = drawn.map.ok_or(ServerError::NotFound("map of paths"))?;
    let (kind, text) = match file.kind.as_str() {
        "csv" => ("text/csv; charset=utf-8", to_sheet(&map)),
        "json" => {
            let text = serde_json::to_string_pretty(&map).map_err(|e| ServerError::Internal(e.to_string()))?;
            ("application/json", text + "\n")
        }
        other => return Err(ServerError::Invalid(format!("“{other}” is no kind of file: json or csv"))),
    };
    let name = DispositionParam::Filename(format!("paths.{}", file.kind));
    let attached = ContentDisposition { disposition: DispositionType::Attachment, parameters: vec![name] };
    Ok(HttpResponse::Ok().content_type(kind).insert_header(attached).body(text))
}
