//! Edits in the database: rows that never change, under the hash of their content. Lists of slices lie apart, so that one serves
//! every track of a set.

use crate::error::ServerError;
use crate::hash::Sum;
use marea_core::edit::Edit;
use marea_core::edit::slice::{Cut, Slice};
use sqlx::mysql::MySqlRow;
use sqlx::types::Json;
use sqlx::{FromRow, MySqlConnection, MySqlExecutor, Row};
use uuid::Uuid;

/// SHA-256 of an edit's content.
pub type EditId = Vec<u8>;

/// An edit with its id, as a query gives it that selects [`COLUMNS`].
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Carried {
    /// Id; empty for one that is not stored.
    pub id: EditId,
    /// What it says.
    pub edit: Edit,
}

/// What a query selects for [`Carried`], with the tables joined by [`JOINS`].
pub const COLUMNS: &str = "edits.id AS edit_id, edits.content AS edit, plans.slices AS slices";

/// The tables behind [`COLUMNS`], for the rows of `tracks`.
pub const JOINS: &str = "JOIN edits ON edits.id = tracks.edit_id LEFT JOIN plans ON plans.id = edits.plan_id";

impl<'r> FromRow<'r, MySqlRow> for Carried {
    fn from_row(row: &'r MySqlRow) -> Result<Self, sqlx::Error> {
        let mut edit: Edit = row.try_get::<Json<Edit>, _>("edit")?.0;
        edit.cut.slices = row.try_get::<Option<Json<Vec<Slice>>>, _>("slices")?.map(|s| s.0).unwrap_or_default();
        Ok(Self { id: row.try_get("edit_id")?, edit })
    }
}

fn json<T: serde::Serialize>(value: &T) -> Result<String, ServerError> {
    serde_json::to_string(value).map_err(|e| ServerError::Invalid(format!("an edit cannot be written down: {e}")))
}

fn hash(parts: &[&[u8]]) -> Vec<u8> {
    let mut sum = Sum::default();
    parts.iter().for_each(|p| sum.update(p));
    sum.finish()
}

/// Keeps an edit unless it is there; gives its id.
///
/// # Errors
/// As the database says.
pub async fn keep(tx: &mut MySqlConnection, edit: &Edit) -> Result<EditId, ServerError> {
    let plan = if edit.cut.is_empty() { None } else { Some(json(&edit.cut.slices)?) };
    let plan_id = plan.as_ref().map(|p| hash(&[p.as_bytes()]));
    if let (Some(slices), Some(id)) = (plan, &plan_id) {
        sqlx::query("INSERT IGNORE INTO plans (id, slices) VALUES (?, ?)")
            .bind(id)
            .bind(slices)
            .execute(&mut *tx)
            .await?;
    }
    let content = json(&Edit { cut: Cut { slices: Vec::new(), ..edit.cut.clone() }, ..edit.clone() })?;
    let id = hash(&[content.as_bytes(), plan_id.as_deref().unwrap_or_default()]);
    sqlx::query("INSERT IGNORE INTO edits (id, content, plan_id) VALUES (?, ?, ?)")
        .bind(&id)
        .bind(content)
        .bind(plan_id)
        .execute(tx)
        .await?;
    Ok(id)
}

/// An edit that a track of the session carries, or carried before or after one of its decisions.
///
/// # Errors
/// [`ServerError::NotFound`].
pub async fn get(db: impl MySqlExecutor<'_>, session: Uuid, id: &[u8]) -> Result<Edit, ServerError> {
    let sql = format!(
        "SELECT {COLUMNS} FROM edits LEFT JOIN plans ON plans.id = edits.plan_id WHERE edits.id = ? AND EXISTS (
           SELECT 1 FROM tracks LEFT JOIN changes ON changes.track_id = tracks.id
           WHERE tracks.session_id = ? AND edits.id IN (tracks.edit_id, changes.edit_before, changes.edit_after))"
    );
    let found: Option<Carried> =
        sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(id).bind(session).fetch_optional(db).await?;
    found.map(|c| c.edit).ok_or(ServerError::NotFound("edit"))
}

/// Removes edits and lists of slices that nothing points to any more.
///
/// # Errors
/// As the database says.
pub async fn prune(tx: &mut MySqlConnection) -> Result<(), ServerError> {
    // IGNORE: one that is being taken up at this moment stays.
    sqlx::query(
        "DELETE IGNORE FROM edits WHERE NOT EXISTS (SELECT 1 FROM tracks WHERE tracks.edit_id = edits.id)
         AND NOT EXISTS (SELECT 1 FROM changes WHERE changes.edit_before = edits.id)
         AND NOT EXISTS (SELECT 1 FROM changes WHERE changes.edit_after = edits.id)",
    )
    .execute(&mut *tx)
    .await?;
    sqlx::query("DELETE IGNORE FROM plans WHERE NOT EXISTS (SELECT 1 FROM edits WHERE edits.plan_id = plans.id)")
        .execute(tx)
        .await?;
    Ok(())
}
