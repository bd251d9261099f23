//! What a check says: about what, how sure, what would change and what that does.

use crate::decide::kind::{Kind, Severity};
use crate::edit::Edit;
use crate::edit::map::TimeMap;
use crate::edit::slice::Cut;
use crate::track::Side;
use crate::units::{Offset, SessionFrame};
use crate::verdict::Verdict;
use serde::{Deserialize, Serialize};

/// What a finding is about.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct About {
    /// Tracks, by index; the one to change first.
    pub tracks: Vec<usize>,
    /// Channels of one recording, from 0, where it is about these and not about tracks.
    pub channels: Vec<usize>,
    /// A source, as a row of the table.
    pub source: Option<usize>,
    /// A stretch of the session, in frames.
    pub stretch: Option<[SessionFrame; 2]>,
}

/// What one track, or one channel of a recording, would become.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Change {
    /// Track or channel, by index.
    pub of: usize,
    /// What changes.
    pub to: To,
}

/// What changes, and to what. All but the side are parts of what a track carries.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(tag = "what", content = "value", rename_all = "lowercase")]
pub enum To {
    /// Offset in frames, positive later.
    Offset(Offset),
    /// Whether it plays inverted.
    Inverted(bool),
    /// Gain in dB.
    Gain(f64),
    /// Left or right.
    Side(Side),
    /// Time map.
    Map(TimeMap),
    /// Slices.
    Cut(Cut),
}

impl To {
    /// The edit with this in it; the side is no part of it.
    pub fn on(&self, edit: &Edit) -> Edit {
        let mut to = edit.clone();
        match self {
            Self::Offset(frames) => to.placement.offset_frames = *frames,
            Self::Inverted(inverted) => to.invert = *inverted,
            Self::Gain(db) => to.gain_db = *db,
            Self::Map(map) => to.map = Some(map.clone()),
            Self::Cut(cut) => to.cut = cut.clone(),
            Self::Side(_) => {}
        }
        to
    }
}

/// What a change does to the sum of two tracks.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Effect {
    /// The track that changes, by index.
    pub track: usize,
    /// The other one.
    pub other: usize,
    /// Source it is heard on, as a row of the table.
    pub row: usize,
    /// Sum now against unrelated sounds, in dB.
    pub before_db: f64,
    /// Sum after.
    pub after_db: f64,
}

/// A question that only somebody who was there can answer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Question {
    /// In a sentence.
    pub text: String,
    /// What can be answered.
    pub answers: Vec<Answer>,
}

/// One answer, and what is then known.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Answer {
    /// In a word or two.
    pub text: String,
    /// What follows from it, in a sentence.
    pub then: String,
    /// What tracks become.
    pub changes: Vec<Change>,
}

/// Something the engineer should know.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Finding {
    /// What.
    pub kind: Kind,
    /// About what.
    pub about: About,
    /// Row of the table it shows best on.
    pub row: Option<usize>,
    /// How bad.
    pub severity: Severity,
    /// How sure.
    pub verdict: Verdict,
    /// Moments it rests on.
    pub hits: usize,
    /// What it takes from the sum, in dB over all bands, above 0; none when it takes nothing from it.
    pub cost_db: Option<f64>,
    /// The same by third-octave, where the source sounds.
    pub cost_bands: Vec<Gain>,
    /// In a sentence or two.
    pub text: String,
    /// What would help or what to do; empty for nothing.
    pub advice: String,
    /// What tracks would become.
    pub changes: Vec<Change>,
    /// What that does to other sums.
    pub effects: Vec<Effect>,
    /// What would settle it; none where nothing has to be asked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub question: Option<Question>,
}

/// Finding by finding from what is known: nothing but the kind, the subject and the sentence has to be said.
impl Finding {
    fn new(kind: Kind, about: About, text: impl Into<String>) -> Self {
        Self {
            kind,
            about,
            row: None,
            severity: kind.severity(),
            verdict: Verdict::Solid,
            hits: 0,
            cost_db: None,
            cost_bands: Vec::new(),
            text: text.into(),
            advice: String::new(),
            changes: Vec::new(),
            effects: Vec::new(),
            question: None,
        }
    }

    /// About tracks, the one to change first.
    pub fn of_tracks(kind: Kind, tracks: impl Into<Vec<usize>>, text: impl Into<String>) -> Self {
        Self::new(kind, About { tracks: tracks.into(), ..About::default() }, text)
    }

    /// About channels of one recording.
    pub fn of_channels(kind: Kind, channels: impl Into<Vec<usize>>, text: impl Into<String>) -> Self {
        Self::new(kind, About { channels: channels.into(), ..About::default() }, text)
    }

    /// About its tracks on one source; it shows there.
    pub fn on_source(mut self, row: usize) -> Self {
        self.about.source = Some(row);
        self.row = Some(row);
        self
    }

    /// Shows best on a row.
    pub fn shown_on(mut self, row: Option<usize>) -> Self {
        self.row = row;
        self
    }

    /// As bad as this.
    pub fn severity(mut self, severity: Severity) -> Self {
        self.severity = severity;
        self
    }

    /// As sure as this; solid where nothing is said.
    pub fn verdict(mut self, verdict: Verdict) -> Self {
        self.verdict = verdict;
        self
    }

    /// Rests on so many moments.
    pub fn hits(mut self, hits: usize) -> Self {
        self.hits = hits;
        self
    }

    /// What to do.
    pub fn advice(mut self, advice: impl Into<String>) -> Self {
        self.advice = advice.into();
        self
    }

    /// What it takes from the sum.
    pub fn cost(mut self, db: Option<f64>, bands: Vec<Gain>) -> Self {
        (self.cost_db, self.cost_bands) = (db, bands);
        self
    }

    /// What is proposed, and what that does to other sums.
    pub fn changes(mut self, changes: Vec<Change>, effects: Vec<Effect>) -> Self {
        (self.changes, self.effects) = (changes, effects);
        self
    }

    /// What would settle it.
    pub fn asking(mut self, question: Option<Question>) -> Self {
        self.question = question;
        self
    }

    /// What it is recognised by as long as it is about the same: kind, tracks or channels, source and stretch. `name` gives what
    /// tracks are called for good; a source goes by the track at home there.
    pub fn key(&self, name: impl Fn(usize) -> String, home: impl Fn(usize) -> usize) -> String {
        let ids: Vec<String> = self.about.tracks.iter().map(|t| name(*t)).collect();
        let channels: String = self.about.channels.iter().map(|c| format!("#{c}")).collect();
        let source = self.about.source.map_or(String::new(), |row| format!("@{}", name(home(row))));
        let stretch = self.about.stretch.map_or(String::new(), |[from, to]| format!("[{from},{to}]"));
        format!("{}:{}{channels}{source}{stretch}", self.kind.word(), ids.join("+"))
    }
}

/// Sum of two tracks in a third-octave against unrelated sounds of the same levels.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Gain {
    /// Nominal centre.
    pub hz: f64,
    /// Now.
    pub now_db: f64,
    /// After the change.
    pub then_db: f64,
}
