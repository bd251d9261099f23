//! Tracks that were made anew, kept beneath those that they were made of.

use super::made::{Making, make_files};
use crate::db::decisions::{self, NewChange, NewDecision};
use crate::db::desk::Beneath;
use crate::db::edits::Carried;
use crate::db::patch::Facts;
use crate::db::sessions::{self, Session};
use crate::db::tracks::{self, MadeOf, TrackRow, UNLINKED};
use crate::worker::{JobError, Workers, blocking};
use marea_session::names::{clean_file_name, stem};
use sqlx::types::Json;
use uuid::Uuid;

/// Characters that the name of a track has at most.
const LONGEST_NAME: usize = 190;

/// The tracks of a set made anew, each beneath its own, and not in the session yet; those that were made before are taken as they are.
///
/// # Errors
/// As [`JobError`] says; nothing is kept then.
pub async fn kept(
    w: &Workers,
    s: &Session,
    making: Making,
    report: impl Fn(f64) -> bool + Send + Sync + 'static,
) -> Result<Vec<Beneath>, JobError> {
    let known = tracks::with_removed(&w.db, s.id).await?;
    if let Some(beneath) = making.made(&known) {
        return Ok(beneath);
    }
    let (store, rate_hz) = (w.store.clone(), s.rate()?);
    let (making, files) = blocking(move || {
        let files = make_files(&store, &making, rate_hz, &report)?;
        Ok((making, files))
    })
    .await?;
    let mut tx = w.db.begin().await?;
    // As an import does: the session first.
    sessions::touch(&mut *tx, s.id).await?;
    let own_link = Some(if making.set.len() > 1 { Uuid::now_v7() } else { UNLINKED });
    for file in &files.files {
        sqlx::query("INSERT IGNORE INTO recordings (sha256, bytes) VALUES (?, ?)")
            .bind(&file.sha256)
            .bind(file.bytes)
            .execute(&mut *tx)
            .await?;
        for (of, channel) in file.of.iter().zip(1..) {
            let take = &making.set[*of];
            let named = |name: &str| {
                let name = format!("{name} {}", making.how.word());
                name.chars().take(LONGEST_NAME).collect::<String>()
            };
            let made_of =
                MadeOf { take: take.id, lead: making.how.lead(), key: making.key.clone(), louder_db: files.louder_db };
            let row = TrackRow {
                id: Uuid::now_v7(),
                sha256: file.sha256.clone(),
                channel,
                channels: u16::try_from(file.of.len()).unwrap_or(1),
                own_link,
                link_id: None,
                file_name: clean_file_name(&format!("{}.wav", named(stem(&take.file_name)))),
                coding: file.coding.clone(),
                file_rate_hz: rate_hz,
                notes: Json::default(),
                // Behind it in the session.
                position: take.position + 1,
                name: named(&take.name),
                start_frame: files.start,
                frames: file.frames,
                carried: Carried::default(),
                removed: true,
                made_of: Some(Json(made_of)),
                ..take.clone()
            };
            tracks::insert(&mut tx, &row).await?;
        }
    }
    tx.commit().await?;
    let known = tracks::with_removed(&w.db, s.id).await?;
    making.made(&known).ok_or(JobError::Broken)
}

/// Results come into the session, and earlier ones of the same tracks go: one decision.
///
/// # Errors
/// As the database says.
pub async fn take_over(w: &Workers, session: Uuid, label: String, made: Vec<Beneath>) -> Result<(), JobError> {
    let all = tracks::with_removed(&w.db, session).await?;
    let mut changes: Vec<NewChange> = Vec::new();
    let out = |id: Uuid| all.iter().any(|t| t.id == id && t.removed);
    for b in &made {
        let earlier = |t: &&TrackRow| {
            let of_it = t.made_of.as_ref().is_some_and(|m| m.take == b.original);
            of_it && !t.removed && t.id != b.result
        };
        let removed = |removed: bool| Facts { removed: Some(removed), ..Facts::default() };
        changes.extend(all.iter().filter(earlier).map(|t| NewChange::to(t.id, removed(true))));
        if out(b.result) {
            changes.push(NewChange::to(b.result, removed(false)));
        }
    }
    if changes.is_empty() {
        // It is like this already.
        return Ok(());
    }
    let new = NewDecision { beneath: made, ..NewDecision::of(label, changes) };
    decisions::decide(&w.db, session, &new).await?;
    Ok(())
}
