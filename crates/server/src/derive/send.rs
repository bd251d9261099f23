//! Which track of the session a print was made from.

use super::kind::Derived;
use super::work::{Work, ended};
use crate::db::tracks::TrackRow;
use crate::error::ServerError;
use crate::tasks::{SendOf, Subject};
use crate::worker::JobError;
use marea_core::follow::{Sends, find_send};
use marea_core::signal::{Placed, Since, Source};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

/// What was found, with the tracks that it counts.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct SendsFound {
    /// Tracks that were compared.
    pub tracks: Vec<Uuid>,
    /// Which of them may be it.
    pub sends: Sends,
}

impl From<SendOf> for Subject {
    fn from(send: SendOf) -> Self {
        Self::Send(send)
    }
}

impl Derived for SendOf {
    const KIND: &'static str = "send";
    const METHOD: u32 = 2;
    type Measured = SendsFound;

    fn subject(&self) -> String {
        self.print.simple().to_string()
    }

    /// The print, then all that it may have been made from: not what is linked with it.
    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        let print = all.iter().find(|t| t.id == self.print).ok_or(ServerError::NotFound("track"))?;
        let linked = |t: &TrackRow| t.link_id.is_some() && t.link_id == print.link_id;
        let others = all.iter().filter(|t| t.id != print.id && !linked(t));
        Ok(std::iter::once(print).chain(others).cloned().collect())
    }

    fn counts(&self, t: &TrackRow) -> String {
        t.start_frame.to_string()
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Looking for the send of {}", tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<SendsFound, JobError> {
        let (print, others) = (&work.tracks[0], &work.tracks[1..]);
        let came = work.open(print)?;
        let mut files = Vec::new();
        for t in others {
            match work.open(t) {
                Ok(file) => files.push((t, file)),
                Err(JobError::Stopped) => return Err(JobError::Stopped),
                // The send may be among the others; what cannot be read is told by the check.
                Err(_) => {}
            }
        }
        let placed = files.iter().map(|(t, source)| Placed { source, start: t.start() });
        let sent: Vec<Since> = placed.map(|placed| Since { placed, from: print.start() }).collect();
        let sent: Vec<&dyn Source> = sent.iter().map(|s| s as _).collect();
        let doing = format!("looking for the send of {}", print.name);
        let sends = find_send(&came, &sent, work.rate, &|p| work.report(p, &doing)).map_err(ended)?;
        Ok(SendsFound { tracks: files.iter().map(|(t, _)| t.id).collect(), sends })
    }
}
