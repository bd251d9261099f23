//! What a listener's thread is told.

use super::wire::{MixRequest, PlayRange};
use crate::db::tracks::TrackRow;
use marea_core::edit::Edit;
use marea_core::edit::tempo::TempoMap;
use marea_core::units::SampleRate;
use marea_media::work::WorkFile;
use std::ops::Range;

/// What is to be played.
#[derive(Clone)]
pub struct Play {
    /// Session frame.
    pub from: f64,
    /// The page's count.
    pub generation: u32,
    /// What sounds.
    pub mix: MixRequest,
    /// Where it ends, or turns back.
    pub range: Option<PlayRange>,
    /// The session's tracks as they are carried now.
    pub tracks: Vec<TrackRow>,
    /// The session's rate.
    pub rate: SampleRate,
    /// The session's tempo.
    pub tempo: TempoMap,
}

/// What the thread is told.
pub enum Command {
    /// Play from now on.
    Play(Box<Play>),
    /// So many blocks more.
    Credit(u32),
    /// No more blocks.
    Stop,
    /// Levels in dB that match the loudness of a mix.
    Matched {
        /// Of what.
        key: Key,
        /// As corrected, as recorded.
        db: [f64; 2],
    },
}

/// What decides the loudness: the same key, the same match.
#[derive(Debug, Clone, PartialEq)]
pub struct Key {
    pub(super) mix: MixRequest,
    pub(super) carried: Vec<(uuid::Uuid, Edit)>,
    pub(super) range: Range<i64>,
}

impl Key {
    /// Of a mix over a range.
    pub fn of(mix: &MixRequest, files: &[(TrackRow, WorkFile)], range: Range<i64>) -> Self {
        // Neither of these changes how loud one way is against the other.
        let mix = MixRequest { dim: false, click: false, speed: None, swap: false, ..mix.clone() };
        let carried = files.iter().map(|(t, _)| (t.id, t.edit().clone())).collect();
        Self { mix, carried, range }
    }
}
