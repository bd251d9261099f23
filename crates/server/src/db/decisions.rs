//! The history: what was decided, with before and after. Undo and redo walk it.

use super::bounds::Bounds;
use super::desk::{Desk, DeskChange};
use super::patch::{self, TrackPatch};
use super::tracks::{self, TrackRow};
use crate::error::ServerError;
use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use sqlx::{FromRow, MySqlConnection, MySqlPool};
use utoipa::ToSchema;
use uuid::Uuid;

/// One track's part in a decision.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Change {
    /// Track.
    pub track_id: Uuid,
    /// What it was.
    pub before: TrackPatch,
    /// What it became.
    pub after: TrackPatch,
}

/// A row of the history.
#[derive(Debug, Clone, FromRow)]
pub struct DecisionRow {
    /// In order.
    pub id: u64,
    /// What was decided, for people.
    pub label: String,
    /// Tracks.
    pub changes: Json<Vec<Change>>,
    /// done, undone or superseded.
    pub state: String,
    /// Parts of the desk that it changed.
    pub desk: Option<Json<DeskChange>>,
    /// Moves made while a key is held carry the same word.
    pub series: Option<String>,
}

const COLUMNS: &str = "SELECT id, label, changes, state, desk, series FROM decisions";

/// A row of the history as shown.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Decision {
    /// In order.
    pub id: u64,
    /// What was decided.
    pub label: String,
    /// Tracks with before and after.
    pub changes: Vec<Change>,
    /// done, undone or superseded.
    pub state: String,
}

impl From<DecisionRow> for Decision {
    fn from(r: DecisionRow) -> Self {
        Self { id: r.id, label: r.label, changes: r.changes.0, state: r.state }
    }
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
}

impl NewDecision {
    /// One that moves nothing along with it.
    pub fn of(label: String, changes: Vec<NewChange>) -> Self {
        Self { label, changes, with_groups: false, series: None }
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
    pub by_frames: Option<f64>,
}

impl NewChange {
    /// What a track becomes, whatever it is now.
    pub fn to(track_id: Uuid, after: TrackPatch) -> Self {
        Self { track_id, after, by_frames: None }
    }

    fn of(&self, row: &TrackRow) -> TrackPatch {
        let mut after = self.after.cleaned();
        if let Some(by) = self.by_frames {
            // To a hundredth of a frame, as offsets are proposed and typed.
            after.offset_frames = Some(((row.offset_frames + by) * 100.0).round() / 100.0);
        }
        after
    }
}

/// The history, oldest first.
///
/// # Errors
/// As the database says.
pub async fn list(db: &MySqlPool, session: Uuid) -> Result<Vec<Decision>, ServerError> {
    let sql = format!("{COLUMNS} WHERE session_id = ? ORDER BY id");
    let rows: Vec<DecisionRow> = sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).fetch_all(db).await?;
    Ok(rows.into_iter().map(Decision::from).collect())
}

/// Carries a decision out and writes it down, all or nothing. What moves a track of a linked set moves the set;
/// what moves one of a group by hand moves the group.
///
/// # Errors
/// [`ServerError::Invalid`] or [`ServerError::NotFound`]; nothing was changed.
pub async fn decide(db: &MySqlPool, session: Uuid, new: &NewDecision) -> Result<Decision, ServerError> {
    super::again(|| Box::pin(decide_once(db, session, new))).await
}

async fn decide_once(db: &MySqlPool, session: Uuid, new: &NewDecision) -> Result<Decision, ServerError> {
    super::check_room()?;
    let mut tx = db.begin().await?;
    let rate = lock(&mut tx, session).await?;
    let rows = tracks::with_removed(&mut *tx, session).await?;
    let bounds = Bounds::of(&rows, rate);
    let grouped = if new.with_groups { Some(super::desk::get(&mut *tx, session).await?) } else { None };
    let mut changes: Vec<Change> = Vec::new();
    for wanted in &new.changes {
        let row = find(&rows, wanted.track_id)?;
        let after = wanted.of(row);
        after.check(row, rate, &bounds)?;
        push(&mut changes, row.id, after.before(row), after);
    }
    for wanted in &new.changes {
        let row = find(&rows, wanted.track_id)?;
        let Some(offset) = wanted.of(row).offset_frames else { continue };
        for mate in rows.iter().filter(|r| !r.removed && goes_along(&rows, grouped.as_ref(), row, r)) {
            if changes.iter().any(|c| c.track_id == mate.id && c.after.offset_frames.is_some()) {
                continue;
            }
            // By the same amount, so that the set keeps its inner distances.
            let after = TrackPatch {
                offset_frames: Some(mate.offset_frames + offset - row.offset_frames),
                ..TrackPatch::default()
            };
            after.check(mate, rate, &bounds)?;
            push(&mut changes, mate.id, after.before(mate), after);
        }
    }
    changes.retain(|c| c.before != c.after);
    if changes.is_empty() {
        return Err(ServerError::Invalid("this decision changes nothing".into()));
    }
    for c in &changes {
        patch::apply(&mut *tx, c.track_id, &c.after).await?;
    }
    let made = write_down(&mut tx, session, &new.label, changes, None, new.series.as_deref()).await?;
    super::sessions::touch(&mut *tx, session).await?;
    tx.commit().await?;
    Ok(made)
}

fn find(rows: &[TrackRow], id: Uuid) -> Result<&TrackRow, ServerError> {
    rows.iter().find(|r| r.id == id).ok_or(ServerError::NotFound("track"))
}

/// Adds a row to the history, or to the last row when both are of one series. What was undone is out of reach from now on.
pub(crate) async fn write_down(
    tx: &mut MySqlConnection,
    session: Uuid,
    label: &str,
    changes: Vec<Change>,
    desk: Option<DeskChange>,
    series: Option<&str>,
) -> Result<Decision, ServerError> {
    sqlx::query("UPDATE decisions SET state = 'superseded' WHERE session_id = ? AND state = 'undone'")
        .bind(session)
        .execute(&mut *tx)
        .await?;
    let label: String = label.chars().filter(|c| !c.is_control()).take(300).collect();
    if let Some(series) = series {
        let sql = format!("{COLUMNS} WHERE session_id = ? AND state = 'done' ORDER BY id DESC LIMIT 1");
        let last: Option<DecisionRow> =
            sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).fetch_optional(&mut *tx).await?;
        if let Some(mut last) = last.filter(|l| l.series.as_deref() == Some(series)) {
            for c in changes {
                match last.changes.iter_mut().find(|l| l.track_id == c.track_id) {
                    Some(known) => {
                        known.before = known.before.or(&c.before);
                        known.after = c.after.or(&known.after);
                    }
                    None => last.changes.push(c),
                }
            }
            sqlx::query("UPDATE decisions SET label = ?, changes = ? WHERE id = ?")
                .bind(&label)
                .bind(&last.changes)
                .bind(last.id)
                .execute(&mut *tx)
                .await?;
            last.label = label;
            return Ok(last.into());
        }
    }
    let done = sqlx::query("INSERT INTO decisions (session_id, label, changes, desk, series) VALUES (?, ?, ?, ?, ?)")
        .bind(session)
        .bind(&label)
        .bind(Json(&changes))
        .bind(desk.map(Json))
        .bind(series.map(|s| s.chars().take(64).collect::<String>()))
        .execute(&mut *tx)
        .await?;
    Ok(Decision { id: done.last_insert_id(), label, changes, state: "done".into() })
}

/// Channels of one file stay together; so do members of a group that moves together, with the files they are of.
fn goes_along(rows: &[TrackRow], desk: Option<&Desk>, moved: &TrackRow, other: &TrackRow) -> bool {
    let of_one_file = |a: &TrackRow, b: &TrackRow| a.link_id.is_some() && a.link_id == b.link_id;
    let file = rows.iter().filter(|r| r.id == moved.id || of_one_file(r, moved));
    let mates: Vec<Uuid> = desk.map_or_else(Vec::new, |d| file.flat_map(|r| d.mates(r.id)).collect());
    let along = rows.iter().any(|m| mates.contains(&m.id) && (m.id == other.id || of_one_file(m, other)));
    other.id != moved.id && (along || of_one_file(moved, other))
}

fn push(changes: &mut Vec<Change>, track_id: Uuid, before: TrackPatch, after: TrackPatch) {
    changes.push(Change { track_id, before, after });
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
    super::again(|| Box::pin(walk(db, session, "state = 'done' ORDER BY id DESC", "undone"))).await
}

/// Carries the decision out again that was taken back last. None when there is none.
///
/// # Errors
/// As the database says.
pub async fn redo(db: &MySqlPool, session: Uuid) -> Result<Option<Decision>, ServerError> {
    super::again(|| Box::pin(walk(db, session, "state = 'undone' ORDER BY id", "done"))).await
}

async fn walk(
    db: &MySqlPool,
    session: Uuid,
    which: &'static str,
    to: &'static str,
) -> Result<Option<Decision>, ServerError> {
    let mut tx = db.begin().await?;
    lock(&mut tx, session).await?;
    let sql = format!("{COLUMNS} WHERE session_id = ? AND {which} LIMIT 1");
    let row: Option<DecisionRow> =
        sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(session).fetch_optional(&mut *tx).await?;
    let Some(mut row) = row else { return Ok(None) };
    for c in &row.changes.0 {
        let patch = if to == "done" { &c.after } else { &c.before };
        patch::apply(&mut *tx, c.track_id, patch).await?;
    }
    if let Some(Json(desk)) = &row.desk {
        super::desk::put_back(&mut tx, session, if to == "done" { &desk.after } else { &desk.before }).await?;
    }
    sqlx::query("UPDATE decisions SET state = ? WHERE id = ?").bind(to).bind(row.id).execute(&mut *tx).await?;
    super::sessions::touch(&mut *tx, session).await?;
    tx.commit().await?;
    row.state = to.into();
    Ok(Some(row.into()))
}
