//! What a decision changed, track by track: two edits by their ids, and what was known of the track before and after.

use super::edits::EditId;
use super::patch::Facts;
use crate::error::ServerError;
use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use sqlx::{FromRow, MySqlConnection, MySqlExecutor, QueryBuilder};
use utoipa::ToSchema;
use uuid::Uuid;

/// One track's part in a decision, as stored.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct ChangeRow {
    /// The decision.
    pub decision_id: u64,
    /// Track.
    pub track_id: Uuid,
    /// What it carried; none where the sound was left alone.
    pub edit_before: Option<EditId>,
    /// What it came to carry.
    pub edit_after: Option<EditId>,
    /// What was known of it.
    pub facts_before: Json<Facts>,
    /// What was known of it afterwards.
    pub facts_after: Json<Facts>,
}

/// One track's part in a decision, as shown.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TrackChange {
    /// Track.
    pub track_id: Uuid,
    /// Id of the edit that it carried; none where the sound was left alone.
    pub edit_before: Option<String>,
    /// Id of the edit that it came to carry.
    pub edit_after: Option<String>,
    /// What was known of it, where that changed.
    pub facts_before: Facts,
    /// What was known of it afterwards.
    pub facts_after: Facts,
}

impl From<ChangeRow> for TrackChange {
    fn from(r: ChangeRow) -> Self {
        let shown = |id: Option<EditId>| id.map(hex::encode);
        Self {
            track_id: r.track_id,
            edit_before: shown(r.edit_before),
            edit_after: shown(r.edit_after),
            facts_before: r.facts_before.0,
            facts_after: r.facts_after.0,
        }
    }
}

impl ChangeRow {
    /// Does it change anything?
    pub fn is_change(&self) -> bool {
        self.edit_before != self.edit_after || self.facts_before != self.facts_after
    }

    /// This change and a later one of the same track as one.
    fn and(self, later: Self) -> Self {
        Self {
            edit_before: self.edit_before.or(later.edit_before),
            edit_after: later.edit_after.or(self.edit_after),
            facts_before: Json(self.facts_before.0.or(later.facts_before.0)),
            facts_after: Json(later.facts_after.0.or(self.facts_after.0)),
            ..self
        }
    }
}

/// What some decisions changed, in their order.
///
/// # Errors
/// As the database says.
pub async fn of(db: impl MySqlExecutor<'_>, decisions: &[u64]) -> Result<Vec<ChangeRow>, ServerError> {
    if decisions.is_empty() {
        return Ok(Vec::new());
    }
    let mut sql = QueryBuilder::new(
        "SELECT decision_id, track_id, edit_before, edit_after, facts_before, facts_after FROM changes WHERE decision_id IN (",
    );
    let mut ids = sql.separated(", ");
    decisions.iter().for_each(|id| {
        ids.push_bind(*id);
    });
    sql.push(") ORDER BY decision_id, track_id");
    Ok(sql.build_query_as().fetch_all(db).await?)
}

/// Writes down what a decision changed, on top of what it has changed already; gives all of it.
///
/// # Errors
/// As the database says.
pub async fn write(
    tx: &mut MySqlConnection,
    decision: u64,
    more: Vec<ChangeRow>,
) -> Result<Vec<ChangeRow>, ServerError> {
    let mut all = of(&mut *tx, &[decision]).await?;
    for later in more {
        let known = all.iter().position(|c| c.track_id == later.track_id).map(|i| all.remove(i));
        all.push(known.map_or(later.clone(), |k| k.and(later)));
    }
    for c in &all {
        sqlx::query(
            "REPLACE INTO changes (decision_id, track_id, edit_before, edit_after, facts_before, facts_after)
             VALUES (?, ?, ?, ?, ?, ?)",
        )
        .bind(decision)
        .bind(c.track_id)
        .bind(&c.edit_before)
        .bind(&c.edit_after)
        .bind(&c.facts_before)
        .bind(&c.facts_after)
        .execute(&mut *tx)
        .await?;
    }
    Ok(all)
}
