//! The whole session at once, as recorded; kept up by itself.

use super::kind::Derived;
use super::work::{Work, ended};
use crate::db::sessions::Session;
use crate::db::tracks::TrackRow;
use crate::error::ServerError;
use crate::tasks::Subject;
use crate::worker::JobError;
use marea_core::decide::Named;
use marea_core::measure::arrival::Table;
use marea_core::measure::stage::Fact;
use marea_core::signal::{MemSource, Source};
use marea_core::track::{Policy, Side, Track};
use marea_core::units::Conditions;
use marea_session::hear::{Sound, hear};
use serde::{Deserialize, Serialize};
use serde_json::json;
use uuid::Uuid;

/// The check of a session.
#[derive(Debug, Clone, Copy)]
pub struct CheckOf;

impl From<CheckOf> for Subject {
    fn from(_: CheckOf) -> Self {
        Self::Check
    }
}

/// What was measured, and of which tracks.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Measured {
    /// Tracks in the order of the table.
    pub tracks: Vec<Uuid>,
    /// Those whose recording could not be read, with the reason.
    pub missing: Vec<(usize, String)>,
    /// The table as recorded.
    pub table: Table,
}

/// What their files' names say of the tracks.
pub fn by_name(rows: &[TrackRow]) -> Vec<Named> {
    rows.iter().map(TrackRow::named).collect()
}

/// Tracks as the rules see them.
pub fn known(rows: &[TrackRow], anchor: Option<Uuid>) -> Vec<Track> {
    rows.iter()
        .map(|t| Track {
            label: t.name.clone(),
            role: t.role(),
            source: t.source.clone(),
            side: Side::of_word(&t.side),
            policy: Policy::of_word(&t.policy),
            set: t.link_id.and_then(|l| rows.iter().position(|o| o.link_id == Some(l))),
            edit: t.edit().clone(),
            anchor: anchor == Some(t.id),
            stamped: t.start_frame != 0,
        })
        .collect()
}

/// What somebody measured in the room, with tracks by their place among these.
pub fn measured_in_room(rows: &[TrackRow]) -> Vec<Fact> {
    let one = |(of, row): (usize, &TrackRow)| {
        let room = &row.in_room.0;
        let source = room.from_source_m.map(|metres| Fact::FromSource { of, metres });
        let apart = room.apart_m.iter().filter_map(move |(id, metres)| {
            let to = rows.iter().position(|r| r.id == *id)?;
            Some(Fact::Apart { of, to, metres: *metres })
        });
        let stands = room.at_m.map(|at| Fact::Stands { of, at });
        source.into_iter().chain(apart).chain(stands).collect::<Vec<Fact>>()
    };
    rows.iter().enumerate().flat_map(one).collect()
}

/// The sound of every track; of what cannot be read, nothing, and the reason.
pub(super) type Sounds = (Vec<Box<dyn Source + Sync>>, Vec<(usize, String)>);

/// Opens all tracks. The rest goes on without one that cannot be read.
pub(super) fn all_sounds(work: &Work) -> Result<Sounds, JobError> {
    let (mut sounds, mut missing): Sounds = (Vec::new(), Vec::new());
    for (i, t) in work.tracks.iter().enumerate() {
        sounds.push(match work.open(t) {
            Ok(file) => Box::new(file),
            Err(JobError::Stopped) => return Err(JobError::Stopped),
            Err(e) => {
                missing.push((i, e.to_string()));
                Box::new(MemSource(Vec::new()))
            }
        });
    }
    Ok((sounds, missing))
}

impl Derived for CheckOf {
    const KIND: &'static str = "check";
    const METHOD: u32 = 6;
    type Measured = Measured;

    fn subject(&self) -> String {
        String::new()
    }

    /// What was made of others arrived nowhere.
    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        Ok(all.iter().filter(|t| t.made_of.is_none()).cloned().collect())
    }

    fn counts(&self, t: &TrackRow) -> String {
        format!("{}/{}/{}/{:?}", t.start_frame, t.role, t.source, t.hits.0)
    }

    fn counts_of_session(&self, session: &Session) -> String {
        session.temperature_c.to_string()
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        match tracks.len() {
            1 => "Checking the session (1 track)".into(),
            n => format!("Checking the session ({n} tracks)"),
        }
    }

    fn measure(&self, work: &Work) -> Result<Measured, JobError> {
        let (sounds, missing) = all_sounds(work)?;
        let known = known(&work.tracks, None);
        let heard = work.tracks.iter().zip(&sounds).map(|(t, s)| Sound {
            source: s.as_ref(),
            start: t.start(),
            added: t.hits.0.added.clone(),
            removed: t.hits.0.removed.clone(),
        });
        let report = |p| work.report(p, "listening to every source in every track");
        let at = Conditions { rate: work.rate, air: work.air };
        let table = hear(&known, heard.collect(), at, work.cells.as_ref(), &report).map_err(ended)?;
        Ok(Measured { tracks: work.tracks.iter().map(|t| t.id).collect(), missing, table })
    }

    fn note(&self, measured: &Measured) -> serde_json::Value {
        let note = measured.missing.iter().map(|m| m.1.clone()).collect::<Vec<_>>().join(" ");
        if note.is_empty() { json!({}) } else { json!({ "note": note }) }
    }
}
