//! Brings sessions over whose tracks and decisions held offset, polarity, gain and stretches in columns of their own.

use super::edits;
use super::patch::TrackPatch;
use crate::error::ServerError;
use marea_core::edit::stretch::Stretch;
use marea_core::edit::{Correction, Edit};
use marea_core::units::Offset;
use serde::Deserialize;
use serde_json::Value;
use sqlx::types::Json;
use sqlx::{FromRow, MySqlConnection, MySqlPool};
use std::collections::HashMap;
use uuid::Uuid;

/// The migration after which this is done; the next one removes the old columns.
pub const FROM: i64 = 20_261_128_000_001;

#[derive(FromRow)]
struct OldTrack {
    id: Uuid,
    offset_frames: f64,
    invert: bool,
    gain_db: f64,
    mends: Json<Vec<Stretch>>,
}

impl OldTrack {
    fn edit(self) -> Edit {
        let c = Correction { offset_frames: Offset(self.offset_frames), invert: self.invert, gain_db: self.gain_db };
        Edit { stretches: self.mends.0, ..Edit::from(c) }
    }
}

#[derive(FromRow)]
struct OldDecision {
    id: u64,
    state: String,
    changes: Json<Vec<OldChange>>,
}

#[derive(Clone, Deserialize)]
struct OldChange {
    track_id: Uuid,
    before: Value,
    after: Value,
}

impl OldDecision {
    /// Its changes as they are written now; stretches had another name.
    fn patches(&self) -> Result<Vec<(Uuid, TrackPatch, TrackPatch)>, sqlx::Error> {
        let now = |mut old: Value| {
            if let Some(stretches) = old.as_object_mut().and_then(|o| o.remove("mends")) {
                old["stretches"] = stretches;
            }
            serde_json::from_value::<TrackPatch>(old).map_err(|e| sqlx::Error::Decode(e.into()))
        };
        self.changes.0.iter().cloned().map(|c| Ok((c.track_id, now(c.before)?, now(c.after)?))).collect()
    }
}

/// Gives every track its edit and every decision its two, all or nothing. Does nothing where that has been done.
///
/// # Errors
/// As the database says.
pub async fn bring_over(pool: &MySqlPool) -> Result<(), sqlx::Error> {
    let (columns,): (i64,) = sqlx::query_as(
        "SELECT COUNT(*) FROM information_schema.columns
         WHERE table_schema = DATABASE() AND table_name = 'decisions' AND column_name = 'changes'",
    )
    .fetch_one(pool)
    .await?;
    if columns == 0 {
        return Ok(());
    }
    let mut tx = pool.begin().await?;
    // A start that was cut off between this and the next migration has done it already.
    sqlx::query("DELETE FROM changes").execute(&mut *tx).await?;
    let sessions: Vec<(Uuid,)> = sqlx::query_as("SELECT id FROM sessions").fetch_all(&mut *tx).await?;
    for (session,) in sessions {
        bring_session_over(&mut tx, session).await?;
    }
    tx.commit().await
}

async fn bring_session_over(tx: &mut MySqlConnection, session: Uuid) -> Result<(), sqlx::Error> {
    let tracks: Vec<OldTrack> =
        sqlx::query_as("SELECT id, offset_frames, invert, gain_db, mends FROM tracks WHERE session_id = ?")
            .bind(session)
            .fetch_all(&mut *tx)
            .await?;
    let mut now: HashMap<Uuid, Edit> = tracks.into_iter().map(|t| (t.id, t.edit())).collect();
    for (track, edit) in &now {
        let id = keep(tx, edit).await?;
        sqlx::query("UPDATE tracks SET edit_id = ? WHERE id = ?").bind(id).bind(track).execute(&mut *tx).await?;
    }
    let decisions: Vec<OldDecision> =
        sqlx::query_as("SELECT id, state, changes FROM decisions WHERE session_id = ? ORDER BY id")
            .bind(session)
            .fetch_all(&mut *tx)
            .await?;
    // What tracks carried at the very beginning: everything that holds now, taken back.
    for d in decisions.iter().rev().filter(|d| d.state == "done") {
        for (track, before, _) in d.patches()? {
            now.entry(track).and_modify(|edit| *edit = before.edit.on(edit));
        }
    }
    // And from there through the history. What was undone and decided anew is a branch: it ends where the next decision begins.
    let mut branch: Option<HashMap<Uuid, Edit>> = None;
    for d in &decisions {
        let carried = match d.state.as_str() {
            "done" => {
                branch = None;
                &mut now
            }
            _ => branch.get_or_insert_with(|| now.clone()),
        };
        for (track, before, after) in d.patches()? {
            let Some(edit) = carried.get_mut(&track) else { continue };
            let was = before.edit.on(edit);
            let becomes = after.edit.on(&was);
            write_change(tx, d.id, track, [&was, &becomes], [&before, &after]).await?;
            *edit = becomes;
        }
    }
    Ok(())
}

async fn write_change(
    tx: &mut MySqlConnection,
    decision: u64,
    track: Uuid,
    edits: [&Edit; 2],
    patches: [&TrackPatch; 2],
) -> Result<(), sqlx::Error> {
    let edited = edits[0] != edits[1];
    let [before, after] = match edited {
        true => [Some(keep(tx, edits[0]).await?), Some(keep(tx, edits[1]).await?)],
        false => [None, None],
    };
    sqlx::query(
        "INSERT INTO changes (decision_id, track_id, edit_before, edit_after, facts_before, facts_after)
         VALUES (?, ?, ?, ?, ?, ?)",
    )
    .bind(decision)
    .bind(track)
    .bind(before)
    .bind(after)
    .bind(Json(&patches[0].facts))
    .bind(Json(&patches[1].facts))
    .execute(tx)
    .await?;
    Ok(())
}

async fn keep(tx: &mut MySqlConnection, edit: &Edit) -> Result<edits::EditId, sqlx::Error> {
    edits::keep(tx, edit).await.map_err(|e| match e {
        ServerError::Database(e) => e,
        other => sqlx::Error::Decode(other.to_string().into()),
    })
}
