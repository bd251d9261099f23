//! Noises before the notes of a track, as recorded.

use super::kind::Derived;
use super::work::{Work, ended};
use crate::db::tracks::{TrackRow, named};
use crate::error::ServerError;
use crate::tasks::{NoisesOf, Subject};
use crate::worker::JobError;
use marea_core::blemish::{Blemish, blemishes};
use marea_core::signal::Placed;
use marea_core::units::SessionFrame;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A noise before a note.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, ToSchema)]
pub struct NoiseFound {
    /// Frames of the recording: its first, and the one after its last.
    pub range: [i64; 2],
    /// Frame of the recording at which the note that follows is loudest.
    pub note: i64,
    /// By how much it is softer than that, in dB.
    pub under_db: f64,
}

/// Noises of a track.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct NoisesFound {
    /// In the order of time.
    pub noises: Vec<NoiseFound>,
}

impl From<NoisesOf> for Subject {
    fn from(noises: NoisesOf) -> Self {
        Self::Noises(noises)
    }
}

impl Derived for NoisesOf {
    const KIND: &'static str = "noises";
    const METHOD: u32 = 1;
    type Measured = NoisesFound;

    fn subject(&self) -> String {
        self.track.simple().to_string()
    }

    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        named(all, &[self.track])
    }

    /// A recording never changes, and neither do its noises.
    fn counts(&self, _: &TrackRow) -> String {
        String::new()
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Looking for noises in {}", tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<NoisesFound, JobError> {
        let track = &work.tracks[0];
        let sound = work.open(track)?;
        let own = Placed { source: &sound, start: SessionFrame(0) };
        let doing = format!("looking for noises in {}", track.name);
        let found = blemishes(&own, work.rate, &|p| work.report(p, &doing)).map_err(ended)?;
        let noise = |b: &Blemish| NoiseFound { range: [b.from, b.to], note: b.note, under_db: b.under_db };
        Ok(NoisesFound { noises: found.iter().map(noise).collect() })
    }

    fn note(&self, measured: &NoisesFound) -> serde_json::Value {
        serde_json::json!({ "noises": measured.noises.len() })
    }
}
