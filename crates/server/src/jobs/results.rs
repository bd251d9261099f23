//! Tracks that were made anew, kept beneath those that they were made of.

use super::made::{Making, make_files};
use crate::db::decisions::{self, NewChange, NewDecision};
use crate::db::desk::Beneath;
use crate::db::edits::Carried;
use crate::db::patch::Facts;
use crate::db::sessions::{self, Session};
use crate::db::tracks::{self, MadeOf, TrackRow, UNLINKED};
use crate::worker::{JobError, Workers, blocking};
use marea_core::track::Side;
use marea_session::names::{clean_file_name, stem};
use sqlx::types::Json;
use uuid::Uuid;

/// Characters that the name of a track has at most.
const LONGEST_NAME: usize = 190;

/// A session, its tracks, and the name of one that is to be made anew.
///
/// # Errors
/// When it is not in the session any more.
pub async fn begun(w: &Workers, session: Uuid, track: Uuid) -> Result<(Session, Vec<TrackRow>, String), JobError> {
    let s = sessions::get(&w.db, session).await?;
    let all = tracks::of_session(&w.db, session).await?;
    let gone = || JobError::Failed("the track is not in the session any more".into());
    let name = all.iter().find(|t| t.id == track).ok_or_else(gone)?.name.clone();
    Ok((s, all, name))
}

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
    let sounds: usize = files.files.iter().map(|f| f.channels.len()).sum();
    let own_link = Some(if sounds > 1 { Uuid::now_v7() } else { UNLINKED });
    for file in &files.files {
        sqlx::query("INSERT IGNORE INTO recordings (sha256, bytes) VALUES (?, ?)")
            .bind(&file.sha256)
            .bind(file.bytes)
            .execute(&mut *tx)
            .await?;
        for (of, channel) in file.channels.iter().zip(1..) {
            let take = &making.set[of.of];
            let side = of.side.map(Side::word);
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
                channels: u16::try_from(file.channels.len()).unwrap_or(1),
                own_link,
                link_id: None,
                file_name: clean_file_name(&format!("{}.wav", named(stem(&take.file_name)))),
                coding: file.coding.clone(),
                file_rate_hz: rate_hz,
                notes: Json::default(),
                // Behind it in the session.
                position: take.position + 1,
                name: match of.side {
                    Some(Side::Left) => named(&take.name) + " L",
                    Some(Side::Right) => named(&take.name) + " R",
                    _ => named(&take.name),
                },
                side: side.map_or_else(|| take.side.clone(), String::from),
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
            of_it && !t.removed && made.iter().all(|m| m.result != t.id)
        };
        let removed = |removed: bool| Facts { removed: Some(removed), ..Facts::default() };
        let known: Vec<Uuid> = changes.iter().map(|c| c.track_id).collect();
        let gone = all.iter().filter(earlier).filter(|t| !known.contains(&t.id));
        changes.extend(gone.map(|t| NewChange::to(t.id, removed(true))));
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
