//! A print against its send, both as recorded.

use super::kind::Derived;
use super::work::{Work, ended};
use crate::db::patch::EditPatch;
use crate::db::tracks::{TrackRow, named};
use crate::error::ServerError;
use crate::tasks::{Moving, PrintOf, Subject};
use crate::worker::JobError;
use marea_core::edit::Edit;
use marea_core::follow::{Followed, Swung, Way, follow, onto, walker, wow_spectrum};
use marea_core::signal::{Placed, Since};
use marea_core::units::Offset;
use marea_core::verdict::Verdict;
use serde::{Deserialize, Serialize};

/// A print as it was followed.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Print {
    /// What is known of it, with as much of the lag as is looked at. Frames count from the print's first.
    pub found: Followed,
    /// How its speed swings.
    pub spectrum: Vec<Swung>,
    /// What corrects it against its send as recorded, way by way.
    pub ways: Vec<(Way, Edit)>,
    /// Somebody walks; otherwise it is a print.
    #[serde(default)]
    pub walker: bool,
}

impl Print {
    /// What a way makes of a print whose send is carried as it is now.
    ///
    /// # Errors
    /// [`ServerError::Conflict`] where the way is not there, or one of them is carried in pieces.
    pub fn patch(&self, way: Way, [send, print]: [&TrackRow; 2]) -> Result<EditPatch, ServerError> {
        let way = self.ways.iter().find(|w| w.0 == way);
        let (_, edit) = way.ok_or_else(|| ServerError::Conflict(format!("{} cannot be corrected so", print.name)))?;
        if self.walker && self.found.verdict == Verdict::Undecided {
            let why = format!("{} is left as recorded: {}", print.name, self.found.reason);
            return Err(ServerError::Conflict(why));
        }
        if !send.edit().is_rigid() {
            let why = format!("{} is carried in pieces itself: correct it first, and write it", send.name);
            return Err(ServerError::Conflict(why));
        }
        if print.edit().is_taken_apart() {
            return Err(ServerError::Conflict(format!("{} is cut into pieces: take them out first", print.name)));
        }
        let edit = onto(edit, send.edit());
        Ok(EditPatch {
            offset_frames: Some(edit.placement.offset_frames),
            invert: Some(edit.invert),
            map: Some(edit.map),
            ..EditPatch::default()
        })
    }
}

/// A print as it was recorded.
pub fn as_recorded() -> EditPatch {
    EditPatch { offset_frames: Some(Offset::default()), invert: Some(false), map: Some(None), ..EditPatch::default() }
}

impl From<PrintOf> for Subject {
    fn from(print: PrintOf) -> Self {
        Self::Print(print)
    }
}

impl Derived for PrintOf {
    const KIND: &'static str = "print";
    const METHOD: u32 = 2;
    type Measured = Print;

    fn subject(&self) -> String {
        let pair = format!("{}+{}", self.send.simple(), self.print.simple());
        if self.moving == Moving::Walker { pair + "+walker" } else { pair }
    }

    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        named(all, &[self.send, self.print])
    }

    fn counts(&self, t: &TrackRow) -> String {
        t.start_frame.to_string()
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Following {} against {}", tracks[1].name, tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<Print, JobError> {
        let [send, print] = [&work.tracks[0], &work.tracks[1]];
        let (sent, came) = (work.open(send)?, work.open(print)?);
        let sent = Since { placed: Placed { source: &sent, start: send.start() }, from: print.start() };
        let doing = format!("following {} against {}", print.name, send.name);
        let report = |part: f64| work.report(part, &doing);
        let any = |found: &Followed| !found.lag_frames.is_empty();
        let ways = |found: &Followed, ways: &[Way]| {
            ways.iter().filter(|_| any(found)).filter_map(|way| Some((*way, found.edit(*way)?))).collect()
        };
        if self.moving == Moving::Walker {
            let found = walker(&sent, &came, work.rate, &report).map_err(ended)?;
            return Ok(Print {
                spectrum: Vec::new(),
                ways: ways(&found, &[Way::Offset, Way::Map]),
                found,
                walker: true,
            });
        }
        let found = follow(&sent, &came, work.rate, &report).map_err(ended)?;
        let ways = ways(&found, &[Way::Offset, Way::Drift, Way::Map]);
        Ok(Print { spectrum: wow_spectrum(&found, work.rate.hz_f64()), ways, found: found.thinned(), walker: false })
    }
}
