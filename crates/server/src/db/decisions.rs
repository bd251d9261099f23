//! The history: what was decided, with before and after. Undo and redo walk it.

use super::bounds::Bounds;
use super::changes::{self, ChangeRow, TrackChange};
use super::desk::{Beneath, Desk, DeskChange};
use super::patch::{self, EditPatch, Facts, TrackPatch};
use super::tracks::{self, TrackRow};
use crate::error::ServerError;
use marea_core::paths::PathMap;
use marea_core::units::Offset;
use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use sqlx::{FromRow, MySqlConnection, MySqlPool};
use utoipa::ToSchema;
use uuid::Uuid;

/// A row of the history.
#[derive(Debug, Clone, FromRow)]
struct DecisionRow {
    id: u64,
    label: String,
    state: String,
    /// Parts of the desk that it changed.
    desk: Option<Json<DeskChange>>,
    /// Moves made while a key is held carry the same word.
    series: Option<String>,
}

const COLUMNS: &str = "SELECT id, label, state, desk, series FROM decisions";

/// A row of the history as shown.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Decision {
    /// In order.
    pub id: u64,
    /// What was decided.
    pub label: String,
    /// Tracks with before and after.
    pub changes: Vec<TrackChange>,
    /// done, undone or superseded.
    pub state: String,
}

impl DecisionRow {
    fn shown(self, changes: Vec<ChangeRow>) -> Decision {
        let changes = changes.into_iter().map(TrackChange::from).collect();
        Decision { id: self.id, label: self.label, changes, state: self.state }
    }
}

/// What undo would take back, and what redo would carry out again.
#[derive(Debug, Clone, Default, PartialEq, Serialize, ToSchema)]
pub struct Steps {
    /// Label of the last decision.
    pub undo: Option<String>,
    /// Label of the one that was taken back last.
    pub redo: Option<String>,
    /// Decisions in the history.
    pub count: i64,
}

/// A new decision: what each track shall become.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct NewDecision {
    /// For the history, up to 300 characters.
    pub label: String,
    /// Track and what it becomes.
    pub changes: Vec<NewChange>,
    /// Moved by hand: members of a group that moves together come along by the same amount.
    #[serde(default)]
    pub with_groups: bool,
    /// Moves made while a key is held, or clicked fast, carry the same word and become one decision, up to 64 characters.
    #[serde(default)]
    pub series: Option<String>,
    /// The map of signal paths that comes with it.
    #[serde(skip)]
    pub paths: Option<PathMap>,
    /// Tracks that take over from those that they were made of.
    #[serde(skip)]
    pub beneath: Vec<Beneath>,
}

impl NewDecision {
    /// One that moves nothing along with it.
    pub fn of(label: String, changes: Vec<NewChange>) -> Self {
        Self { label, changes, with_groups: false, series: None, paths: None, beneath: Vec::new() }
    }
}

/// What one track shall become.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct NewChange {
    /// Track.
    pub track_id: Uuid,
    /// What changes.
    #[serde(default)]
    pub after: TrackPatch,
    /// Moved by so many frames from where it is then, instead of to an offset.
    #[serde(default)]
    pub by_frames: Option<Offset>,
}

impl NewChange {
    /// What a track becomes, whatever it is now.
    pub fn to(track_id: Uuid, after: impl Into<TrackPatch>) -> Self {
        Self { track_id, after: after.into(), by_frames: None }
    }

    fn edit_patch(&self, row: &TrackRow) -> EditPatch {
        let mut patch = self.after.edit.clone();
        if let Some(by) = self.by_frames {
            // To a hundredth of a frame, as offsets are proposed and typed.
            patch.offset_frames = Some((row.edit().placement.offset_frames + by).rounded());
        }
        patch
    }
}

/// Decisions of a page of the history.
const PAGE: u32 = 50;

/// A page of the history, newest first: those before a decision, or the newest.
///
/// # Errors
/// As the database says.
pub async fn page(db: &MySqlPool, session: Uuid, before: Option<u64>) -> Result<Vec<Decision>, ServerError> {
    let sql = format!("{COLUMNS} WHERE session_id = ? AND id < ? ORDER BY id DESC LIMIT {PAGE}");
    let rows: Vec<DecisionRow> =
        sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).bind(before.unwrap_or(u64::MAX)).fetch_all(db).await?;
    let ids: Vec<u64> = rows.iter().map(|r| r.id).collect();
    let all = changes::of(db, &ids).await?;
    let of = |id: u64| all.iter().filter(|c| c.decision_id == id).cloned().collect();
    Ok(rows.into_iter().map(|r| (r.id, r)).map(|(id, r)| r.shown(of(id))).collect())
}

/// What undo and redo would do.
///
/// # Errors
/// As the database says.
pub async fn steps(db: &MySqlPool, session: Uuid) -> Result<Steps, ServerError> {
    let one = async |which: &str| -> Result<Option<String>, ServerError> {
        let sql = format!("SELECT label FROM decisions WHERE session_id = ? AND {which} LIMIT 1");
        let row: Option<(String,)> = sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).fetch_optional(db).await?;
        Ok(row.map(|r| r.0))
    };
    let (count,): (i64,) =
        sqlx::query_as("SELECT COUNT(*) FROM decisions WHERE session_id = ?").bind(session).fetch_one(db).await?;
    Ok(Steps { undo: one(LAST_DONE).await?, redo: one(NEXT_UNDONE).await?, count })
}

const LAST_DONE: &str = "state = 'done' ORDER BY id DESC";
const NEXT_UNDONE: &str = "state = 'undone' ORDER BY id";

/// Carries a decision out and writes it down, all or nothing. What moves a track of a linked set moves the set;
/// what moves one of a group by hand moves the group.
///
/// # Errors
/// [`ServerError::Invalid`] or [`ServerError::NotFound`]; nothing was changed.
pub async fn decide(db: &MySqlPool, session: Uuid, new: &NewDecision) -> Result<Decision, ServerError> {
    super::again(|| Box::pin(decide_once(db, session, new))).await
}

async fn decide_once(db: &MySqlPool, session: Uuid, new: &NewDecision) -> Result<Decision, ServerError> {
    super::room::check_room()?;
    let mut tx = db.begin().await?;
    let rate = lock(&mut tx, session).await?;
    let rows = tracks::with_removed(&mut *tx, session).await?;
    let bounds = Bounds::of(&rows, rate);
    let grouped = if new.with_groups { Some(super::desk::get(&mut *tx, session).await?) } else { None };
    let mut wanted: Vec<(&TrackRow, EditPatch, Facts)> = Vec::new();
    for c in &new.changes {
        let row = find(&rows, c.track_id)?;
        if wanted.iter().any(|(known, ..)| known.id == row.id) {
            return Err(ServerError::Invalid(format!("{}: a track comes once in a decision", row.name)));
        }
        wanted.push((row, c.edit_patch(row), c.after.facts.cleaned()));
    }
    let moved: Vec<(&TrackRow, Offset)> =
        wanted.iter().filter_map(|(row, patch, _)| Some((*row, patch.offset_frames?))).collect();
    for (row, offset) in moved {
        for mate in rows.iter().filter(|r| !r.removed && goes_along(&rows, grouped.as_ref(), row, r)) {
            if wanted.iter().any(|(r, patch, _)| r.id == mate.id && patch.offset_frames.is_some()) {
                continue;
            }
            // By the same amount, so that the set keeps its inner distances.
            let was = |r: &TrackRow| r.edit().placement.offset_frames;
            let along = Some(was(mate) + offset - was(row));
            match wanted.iter_mut().find(|(r, ..)| r.id == mate.id) {
                Some((_, patch, _)) => patch.offset_frames = along,
                None => {
                    let patch = EditPatch { offset_frames: along, ..EditPatch::default() };
                    wanted.push((mate, patch, Facts::default()));
                }
            }
        }
    }
    along_the_path(&rows, &mut wanted);
    let mut changes = Vec::new();
    for (row, patch, facts) in wanted {
        changes.push(change(&mut tx, row, &patch, facts, (rate, &bounds)).await?);
    }
    changes.retain(ChangeRow::is_change);
    let drawn = match &new.paths {
        Some(map) => DeskChange::of_paths(super::paths::get(&mut *tx, session).await?, Some(map.clone())),
        None if new.beneath.is_empty() => renamed_paths(&mut tx, session, &rows, &changes).await?,
        None => DeskChange::beneath(&super::desk::get(&mut *tx, session).await?, &new.beneath),
    };
    if changes.is_empty() && drawn.is_none() {
        return Err(ServerError::Invalid("this decision changes nothing".into()));
    }
    for c in &changes {
        patch::apply(&mut *tx, c.track_id, c.edit_after.as_ref(), &c.facts_after).await?;
    }
    if let Some(drawn) = &drawn {
        super::desk::put_back(&mut tx, session, &drawn.after).await?;
    }
    let made = write_down(&mut tx, session, &new.label, (changes, drawn), new.series.as_deref()).await?;
    super::sessions::touch(&mut *tx, session).await?;
    tx.commit().await?;
    Ok(made)
}

/// A track keeps its node in the map of signal paths, which knows it by its name. A name that several tracks have stays as it is.
async fn renamed_paths(
    tx: &mut MySqlConnection,
    session: Uuid,
    rows: &[TrackRow],
    changes: &[ChangeRow],
) -> Result<Option<DeskChange>, ServerError> {
    let named = |name: &str| rows.iter().filter(|r| !r.removed && r.name == name).count();
    let renamed: Vec<[&str; 2]> = changes
        .iter()
        .filter_map(|c| Some([c.facts_before.name.as_deref()?, c.facts_after.name.as_deref()?]))
        .filter(|[was, now]| was != now && named(was) == 1)
        .collect();
    if renamed.is_empty() {
        return Ok(None);
    }
    let Some(map) = super::paths::get(&mut *tx, session).await? else { return Ok(None) };
    let after = renamed.iter().fold(map.clone(), |map, [was, now]| map.renamed(was, now).unwrap_or(map));
    Ok(DeskChange::of_paths(Some(map), Some(after)))
}

/// What is linked is played through one path.
fn along_the_path<'a>(rows: &'a [TrackRow], wanted: &mut Vec<(&'a TrackRow, EditPatch, Facts)>) {
    let moved: Vec<(&TrackRow, Offset)> =
        wanted.iter().filter_map(|(row, patch, _)| Some((*row, patch.path_frames?))).collect();
    for (row, by) in moved {
        for mate in rows.iter().filter(|r| !r.removed && goes_along(rows, None, row, r)) {
            match wanted.iter_mut().find(|(r, ..)| r.id == mate.id) {
                Some((_, patch, _)) => {
                    patch.path_frames.get_or_insert(by);
                }
                None => {
                    let patch = EditPatch { path_frames: Some(by), ..EditPatch::default() };
                    wanted.push((mate, patch, Facts::default()));
                }
            }
        }
    }
}

/// What becomes of a track, checked; its new edit is kept.
async fn change(
    tx: &mut MySqlConnection,
    row: &TrackRow,
    patch: &EditPatch,
    facts: Facts,
    (rate, bounds): (u32, &Bounds),
) -> Result<ChangeRow, ServerError> {
    facts.check(row, bounds)?;
    let after = patch.on(row.edit());
    let edited = after != *row.edit();
    if edited {
        patch::check_edit(&after, row, rate, bounds)?;
    }
    Ok(ChangeRow {
        decision_id: 0,
        track_id: row.id,
        edit_before: edited.then(|| row.carried.id.clone()),
        edit_after: if edited { Some(super::edits::keep(tx, &after).await?) } else { None },
        facts_before: Json(facts.before(row)),
        facts_after: Json(facts),
    })
}

fn find(rows: &[TrackRow], id: Uuid) -> Result<&TrackRow, ServerError> {
    rows.iter().find(|r| r.id == id).ok_or(ServerError::NotFound("track"))
}

/// Adds a row to the history, or to the last row when both are of one series. What was undone is out of reach from now on.
pub(crate) async fn write_down(
    tx: &mut MySqlConnection,
    session: Uuid,
    label: &str,
    (changes, desk): (Vec<ChangeRow>, Option<DeskChange>),
    series: Option<&str>,
) -> Result<Decision, ServerError> {
    sqlx::query("UPDATE decisions SET state = 'superseded' WHERE session_id = ? AND state = 'undone'")
        .bind(session)
        .execute(&mut *tx)
        .await?;
    let label = shortened(label);
    let last: Option<DecisionRow> = match series {
        Some(_) => one(tx, session, LAST_DONE).await?,
        None => None,
    };
    let row = match last.filter(|l| l.series.as_deref() == series) {
        Some(last) => {
            sqlx::query("UPDATE decisions SET label = ? WHERE id = ?")
                .bind(&label)
                .bind(last.id)
                .execute(&mut *tx)
                .await?;
            DecisionRow { label, ..last }
        }
        None => {
            let series = series.map(|s| s.chars().take(64).collect::<String>());
            let desk = desk.map(Json);
            let done = sqlx::query("INSERT INTO decisions (session_id, label, desk, series) VALUES (?, ?, ?, ?)")
                .bind(session)
                .bind(&label)
                .bind(&desk)
                .bind(&series)
                .execute(&mut *tx)
                .await?;
            DecisionRow { id: done.last_insert_id(), label, state: "done".into(), desk, series }
        }
    };
    let all = changes::write(tx, row.id, changes).await?;
    Ok(row.shown(all))
}

/// A label as it is stored: 300 characters at most, and what is left out is seen to be.
fn shortened(label: &str) -> String {
    let clean: String = label.chars().filter(|c| !c.is_control()).collect();
    if clean.chars().count() <= 300 {
        return clean;
    }
    clean.chars().take(299).chain(['…']).collect()
}

async fn one(tx: &mut MySqlConnection, session: Uuid, which: &str) -> Result<Option<DecisionRow>, ServerError> {
    let sql = format!("{COLUMNS} WHERE session_id = ? AND {which} LIMIT 1");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).fetch_optional(tx).await?)
}

/// What is linked stays together; so do members of a group that moves together, with the files they are of.
fn goes_along(rows: &[TrackRow], desk: Option<&Desk>, moved: &TrackRow, other: &TrackRow) -> bool {
    let linked = |a: &TrackRow, b: &TrackRow| a.link_id.is_some() && a.link_id == b.link_id;
    let file = rows.iter().filter(|r| r.id == moved.id || linked(r, moved));
    let mates: Vec<Uuid> = desk.map_or_else(Vec::new, |d| file.flat_map(|r| d.mates(r.id)).collect());
    let along = rows.iter().any(|m| mates.contains(&m.id) && (m.id == other.id || linked(m, other)));
    other.id != moved.id && (along || linked(moved, other))
}

/// One at a time in a session; gives its rate.
pub(crate) async fn lock(tx: &mut MySqlConnection, session: Uuid) -> Result<u32, ServerError> {
    let row: Option<(Option<u32>,)> =
        sqlx::query_as("SELECT rate_hz FROM sessions WHERE id = ? FOR UPDATE").bind(session).fetch_optional(tx).await?;
    Ok(row.ok_or(ServerError::NotFound("session"))?.0.unwrap_or(48_000))
}

/// Takes the last decision back. None when there is nothing to take back.
///
/// # Errors
/// As the database says.
pub async fn undo(db: &MySqlPool, session: Uuid) -> Result<Option<Decision>, ServerError> {
    super::again(|| Box::pin(walk(db, session, LAST_DONE, "undone"))).await
}

/// Carries the decision out again that was taken back last. None when there is none.
///
/// # Errors
/// As the database says.
pub async fn redo(db: &MySqlPool, session: Uuid) -> Result<Option<Decision>, ServerError> {
    super::again(|| Box::pin(walk(db, session, NEXT_UNDONE, "done"))).await
}

async fn walk(
    db: &MySqlPool,
    session: Uuid,
    which: &'static str,
    to: &'static str,
) -> Result<Option<Decision>, ServerError> {
    let mut tx = db.begin().await?;
    lock(&mut tx, session).await?;
    let Some(mut row) = one(&mut tx, session, which).await? else { return Ok(None) };
    let changes = changes::of(&mut *tx, &[row.id]).await?;
    for c in &changes {
        let (edit, facts) =
            if to == "done" { (&c.edit_after, &c.facts_after) } else { (&c.edit_before, &c.facts_before) };
        patch::apply(&mut *tx, c.track_id, edit.as_ref(), facts).await?;
    }
    if let Some(Json(desk)) = &row.desk {
        super::desk::put_back(&mut tx, session, if to == "done" { &desk.after } else { &desk.before }).await?;
    }
    sqlx::query("UPDATE decisions SET state = ? WHERE id = ?").bind(to).bind(row.id).execute(&mut *tx).await?;
    super::sessions::touch(&mut *tx, session).await?;
    tx.commit().await?;
    row.state = to.into();
    Ok(Some(row.shown(changes)))
}
