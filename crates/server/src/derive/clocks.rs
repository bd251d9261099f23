//! Recordings in the time of another, as recorded.

use super::kind::Derived;
use super::work::{Work, ended};
use crate::db::patch::EditPatch;
use crate::db::tracks::{TrackRow, named};
use crate::error::ServerError;
use crate::hash::Sum;
use crate::tasks::{ClocksOf, Subject};
use crate::worker::JobError;
use marea_core::edit::Edit;
use marea_core::signal::Source;
use marea_core::units::{Offset, SampleRate};
use marea_core::verdict::Verdict;
use marea_session::clocks::{By, Clocked, CodeSeen, Recording, clocked};
use marea_session::names::stem;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Where a recording lies in the time of the first.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct ClockFound {
    /// Its first track.
    pub track: Uuid,
    /// By what it was placed.
    pub by: By,
    /// Frame of the reference's recording at which its own first frame sounds; none where it was not placed.
    pub begins_frame: Option<f64>,
    /// How much faster its clock runs, in parts of a million.
    pub ppm: Option<f64>,
    /// Standard error of that.
    pub ppm_error: Option<f64>,
    /// The speed is sure enough to be taken out.
    pub claimed: bool,
    /// First tracks of other pieces of the same recorder, whose clock it shares.
    pub shared_with: Vec<Uuid>,
    /// Inverted against the reference?
    pub invert: bool,
    /// Seconds that both recorded.
    pub overlap_s: f64,
    /// How sure.
    pub verdict: Verdict,
    /// Why.
    pub reason: String,
    /// The time code that it carries.
    pub code: Option<CodeSeen>,
    /// Frame of its one clap.
    pub clap_frame: Option<i64>,
    /// What brings it into the time of the reference's recording.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schema(ignore)]
    pub edit: Option<Edit>,
}

impl ClockFound {
    /// What a track of it becomes, when the reference is carried as it is now.
    ///
    /// # Errors
    /// [`ServerError::Conflict`] where it was not placed, or one of the two is carried in pieces.
    pub fn patch(&self, reference: &TrackRow, of: &TrackRow) -> Result<EditPatch, ServerError> {
        let Some(edit) = &self.edit else {
            return Err(ServerError::Conflict(format!("{} was not placed: {}", of.name, self.reason)));
        };
        if !reference.edit().is_rigid() {
            return Err(ServerError::Conflict(format!("{} runs at a speed of its own already", reference.name)));
        }
        if of.edit().is_taken_apart() {
            return Err(ServerError::Conflict(format!("{} is cut into pieces: take them out first", of.name)));
        }
        let apart = Offset((reference.start_frame - of.start_frame) as f64);
        let offset = edit.placement.offset_frames + apart + reference.edit().placement.offset_frames;
        Ok(EditPatch { offset_frames: Some(offset.rounded()), map: Some(edit.map.clone()), ..EditPatch::default() })
    }
}

impl From<ClocksOf> for Subject {
    fn from(clocks: ClocksOf) -> Self {
        Self::Clocks(clocks)
    }
}

impl Derived for ClocksOf {
    const KIND: &'static str = "clocks";
    const METHOD: u32 = 1;
    type Measured = Vec<ClockFound>;

    fn subject(&self) -> String {
        let mut hash = Sum::default();
        self.tracks.iter().for_each(|t| hash.update(t.as_bytes()));
        hash.hex()
    }

    /// All channels of each recording.
    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        let firsts = named(all, &self.tracks)?;
        let of = |first: &TrackRow| {
            let mut channels: Vec<TrackRow> = all.iter().filter(|t| t.sha256 == first.sha256).cloned().collect();
            channels.sort_by_key(|t| (t.id != first.id, t.channel));
            channels
        };
        Ok(firsts.iter().flat_map(of).collect())
    }

    fn counts(&self, t: &TrackRow) -> String {
        t.start_frame.to_string()
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Placing recordings in the time of {}", tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<Vec<ClockFound>, JobError> {
        let files = work.tracks.iter().map(|t| work.open(t)).collect::<Result<Vec<_>, _>>()?;
        let by_recording: Vec<Vec<usize>> = self
            .tracks
            .iter()
            .map(|id| {
                let first = work.tracks.iter().position(|t| t.id == *id).unwrap_or(0);
                (0..files.len()).filter(|k| work.tracks[*k].sha256 == work.tracks[first].sha256).collect()
            })
            .collect();
        let recording = |tracks: &Vec<usize>| {
            let first = &work.tracks[tracks[0]];
            Recording {
                stem: stem(&first.file_name).into(),
                name: first.name.clone(),
                channels: tracks.iter().map(|k| &files[*k] as &dyn Source).collect(),
                stamp: (first.start_frame != 0).then_some(first.start_frame as f64),
            }
        };
        let recordings: Vec<Recording> = by_recording.iter().map(recording).collect();
        let report = |p| work.report(p, "placing recordings by their sound, codes, claps and stamps");
        let found = clocked(&recordings, work.rate, &report).map_err(ended)?;
        let frames = |n: usize| recordings[n].channels[0].frames();
        let told = |(n, f): (usize, &Clocked)| self.told(n, f, frames(n), work.rate);
        Ok(found.iter().enumerate().map(told).collect())
    }
}

impl ClocksOf {
    fn told(&self, n: usize, f: &Clocked, frames: i64, rate: SampleRate) -> ClockFound {
        let reference = f.by == By::Reference;
        let clock = if reference { Some((0.0, 0.0)) } else { f.clock };
        ClockFound {
            track: self.tracks[n],
            by: f.by,
            begins_frame: f.place.line.map(|l| l.begins()),
            ppm: clock.map(|c| c.0),
            ppm_error: clock.map(|c| c.1),
            claimed: reference || f.claimed(),
            shared_with: f.shared_with.iter().map(|k| self.tracks[*k]).collect(),
            invert: f.place.invert,
            overlap_s: f.place.overlap_s,
            verdict: f.place.verdict,
            reason: f.place.reason.clone(),
            code: CodeSeen::of(f, rate),
            clap_frame: f.clap.map(|c| c.frame),
            edit: if reference { None } else { f.edit(frames) },
        }
    }
}
