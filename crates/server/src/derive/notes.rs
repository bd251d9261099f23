//! A rendered instrument against its notes, as recorded. The notes begin at bar 1 of the session.

use super::kind::Derived;
use super::work::{Work, ended};
use crate::db::sessions::Session;
use crate::db::tracks::{TrackRow, named};
use crate::error::ServerError;
use crate::tasks::{NotesOf, Subject};
use crate::worker::JobError;
use marea_core::notes::midi::Score;
use marea_core::notes::{NotesMeasured, measure_notes};
use marea_core::signal::{Placed, Since};
use marea_core::units::SessionFrame;

impl From<NotesOf> for Subject {
    fn from(notes: NotesOf) -> Self {
        Self::Notes(notes)
    }
}

impl Derived for NotesOf {
    const KIND: &'static str = "notes";
    const METHOD: u32 = 1;
    type Measured = NotesMeasured;

    fn subject(&self) -> String {
        format!("{}+{}", self.score.simple(), self.track.simple())
    }

    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        named(all, &[self.track])
    }

    fn counts(&self, t: &TrackRow) -> String {
        t.start_frame.to_string()
    }

    fn counts_of_session(&self, session: &Session) -> String {
        session.first_beat_frame.to_string()
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Holding {} against its notes", tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<NotesMeasured, JobError> {
        let track = &work.tracks[0];
        let score = work.scores.iter().find(|s| s.id == self.score);
        let score = score.ok_or_else(|| JobError::Failed("these notes were removed".into()))?;
        let notes = Score::read(&score.content).map_err(|e| JobError::Failed(format!("{} {e}", score.name)))?;
        let render = work.open(track)?;
        let placed = Placed { source: &render, start: track.start() };
        let render = Since { placed, from: SessionFrame(work.first_beat_frame) };
        let doing = format!("holding {} against {}", track.name, score.name);
        measure_notes(&notes, &render, work.rate, &mut |p| work.report(p, &doing)).map_err(ended)
    }
}
