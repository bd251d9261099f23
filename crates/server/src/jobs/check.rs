//! The whole session at once, as recorded; runs by itself whenever what it depends on has changed.

use super::measure::open_until;
use super::worker::{JobError, Reporter, Workers, blocking};
use crate::db::tracks::TrackRow;
use crate::db::{checks, jobs, sessions, tracks};
use crate::error::ServerError;
use crate::tasks::Task;
use marea_core::decide::said;
use marea_core::measure::table::{Heard, measure_session};
use marea_core::progress::MeasureError;
use marea_core::signal::{MemSource, Placed, Source};
use marea_core::track::{Policy, Side, Track};
use marea_core::units::SampleRate;
use serde_json::json;
use uuid::Uuid;

/// Tracks as the rules see them. Halves of a pair in two files are told by their names, like those in one file by their link.
pub fn known(rows: &[TrackRow], anchor: Option<Uuid>) -> Vec<Track> {
    let names: Vec<marea_core::decide::Named> = rows
        .iter()
        .map(|t| marea_core::decide::Named { file: t.file_name.clone(), channel: t.channel, channels: t.channels })
        .collect();
    let guessed = marea_core::decide::tracks_of(&names);
    rows.iter()
        .zip(guessed)
        .map(|(t, g)| Track {
            label: t.name.clone(),
            role: t.role(),
            source: t.source.clone(),
            side: Side::of_word(&t.side),
            policy: Policy::of_word(&t.policy),
            set: t.link_id.and_then(|l| rows.iter().position(|o| o.link_id == Some(l))).or(g.set),
            edit: t.edit().clone(),
            anchor: anchor == Some(t.id),
            stamped: t.start_frame != 0,
        })
        .collect()
}

/// Queues a check when the last one no longer fits and nothing else is under way. One that was cancelled is not begun again
/// before something changes.
///
/// # Errors
/// As the database says.
pub async fn keep_up(w: &Workers, session: Uuid) -> Result<(), ServerError> {
    let rows = tracks::of_session(&w.db, session).await?;
    let Some(rate_hz) = sessions::get(&w.db, session).await?.rate_hz else { return Ok(()) };
    if rows.is_empty() || jobs::importing(&w.db, session).await? {
        return Ok(());
    }
    let basis = checks::basis_of(&rows, rate_hz);
    let fits = checks::basis(&w.db, session).await?.as_ref() == Some(&basis);
    let task = Task::Check { basis };
    // Also when nothing is to be done: what still runs for a state that was taken back would overwrite what fits.
    jobs::supersede(&w.db, session, &task).await?;
    if fits || jobs::known(&w.db, session, &task).await? {
        return Ok(());
    }
    jobs::enqueue(&w.db, session, &task, &title(rows.len())).await?;
    Ok(())
}

/// For people.
pub fn title(tracks: usize) -> String {
    if tracks == 1 {
        "Checking the session (1 track)".into()
    } else {
        format!("Checking the session ({tracks} tracks)")
    }
}

/// Measures the table and keeps it.
///
/// # Errors
/// As [`JobError`] says.
pub async fn run(w: &Workers, session: Uuid, reporter: &Reporter) -> Result<serde_json::Value, JobError> {
    let s = sessions::get(&w.db, session).await?;
    let rate_hz = s.rate_hz.unwrap_or(48_000);
    let rows = tracks::of_session(&w.db, session).await?;
    let key = checks::basis_of(&rows, rate_hz);
    let (store, rep) = (w.store.clone(), reporter.clone());
    let measured = blocking(move || {
        let rate = SampleRate::new(u64::from(rate_hz)).map_err(|e| JobError::Failed(e.to_string()))?;
        let mut missing = Vec::new();
        let sounds: Vec<Box<dyn Source + Sync>> = rows
            .iter()
            .enumerate()
            .map(|(i, t)| match open_until(&store, t, rate_hz, &rep.stop()) {
                Ok(file) => Ok(Box::new(file) as Box<dyn Source + Sync>),
                Err(JobError::Stopped) => Err(JobError::Stopped),
                // The rest goes on without it.
                Err(e) => {
                    missing.push((i, e.to_string()));
                    Ok(Box::new(MemSource(Vec::new())) as Box<dyn Source + Sync>)
                }
            })
            .collect::<Result<_, _>>()?;
        let known = known(&rows, None);
        let said = said(&known);
        let heard: Vec<Heard> = rows
            .iter()
            .zip(&sounds)
            .zip(known.iter().zip(&said))
            .map(|((t, s), (k, said))| Heard {
                sound: Placed { source: s.as_ref(), start: t.start_frame },
                role: k.role,
                said: *said,
                added: t.hits.0.added.clone(),
                removed: t.hits.0.removed.clone(),
            })
            .collect();
        let table = measure_session(&heard, rate, &|p| rep.report(p, "listening to every source in every track"))
            .map_err(|e| match e {
                MeasureError::Stopped => JobError::Stopped,
                MeasureError::Read(e) => JobError::Failed(e.to_string()),
            })?;
        Ok(checks::Measured { tracks: rows.iter().map(|t| t.id).collect(), missing, table })
    })
    .await?;
    checks::put(&w.db, session, &key, &measured).await?;
    sessions::touch(&w.db, session).await?;
    let note = measured.missing.iter().map(|m| m.1.clone()).collect::<Vec<_>>().join(" ");
    Ok(if note.is_empty() { json!({}) } else { json!({ "note": note }) })
}
