//! What measuring has to work with.

use crate::db::scores::ScoreRow;
use crate::db::tracks::TrackRow;
use crate::store::{Missing, Store};
use crate::worker::cells::Cells;
use crate::worker::known::Known;
use crate::worker::{JobError, Reporter};
use marea_core::edit::tempo::TempoMap;
use marea_core::progress::MeasureError;
use marea_core::units::{Air, SampleRate};
use marea_media::Stop;
use marea_media::work::WorkFile;
use std::sync::Arc;

/// The tracks of a result, and the means to measure them.
pub struct Work {
    /// In the order of the result.
    pub tracks: Vec<TrackRow>,
    /// The session's rate.
    pub rate: SampleRate,
    /// The air it was recorded in.
    pub air: Air,
    /// Session frame at which bar 1 begins.
    pub first_beat_frame: i64,
    /// The session's bars and beats.
    pub tempo: TempoMap,
    /// The session's files of notes.
    pub scores: Vec<ScoreRow>,
    pub(super) store: Store,
    pub(super) reporter: Reporter,
    pub(super) cells: Arc<Cells>,
    pub(super) known: Arc<Known>,
}

impl Work {
    /// A track's sound.
    ///
    /// # Errors
    /// As [`open_until`].
    pub fn open(&self, track: &TrackRow) -> Result<WorkFile, JobError> {
        open_until(&self.store, track, self.rate.hz(), &self.reporter.stop())
    }

    /// Part done and what is being done; `false` asks to stop.
    pub fn report(&self, progress: f64, doing: &str) -> bool {
        self.reporter.report(progress, doing)
    }
}

/// A track's working copy, made anew from the recording where it is missing or too short.
///
/// # Errors
/// [`JobError::Failed`] naming the track.
pub fn open(store: &Store, track: &TrackRow, rate_hz: u32) -> Result<WorkFile, JobError> {
    open_until(store, track, rate_hz, &Stop::default())
}

/// The same, giving up when it is asked to.
///
/// # Errors
/// [`JobError::Failed`] naming the track; [`JobError::Stopped`].
pub fn open_until(store: &Store, track: &TrackRow, rate_hz: u32, stop: &Stop) -> Result<WorkFile, JobError> {
    let told = |e: Missing| match e {
        Missing::Stopped => JobError::Stopped,
        e => JobError::Failed(format!("“{}” cannot be read: {e}", track.name)),
    };
    store.ensure(&track.sha256, rate_hz, (track.channels, track.frames), stop).map_err(told)?;
    store.open_channel(&track.sha256, rate_hz, track.channel).map_err(|e| told(e.into()))
}

/// What a measurement that ended without a result means for its job.
pub fn ended(e: MeasureError) -> JobError {
    match e {
        MeasureError::Stopped => JobError::Stopped,
        MeasureError::Read(e) => JobError::Failed(e.to_string()),
    }
}
