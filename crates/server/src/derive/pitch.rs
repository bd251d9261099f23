//! The pitch of a voice along time, as it is heard, and its notes.

use super::double::Heard;
use super::kind::Derived;
use super::proved::with_linked;
use super::work::{Work, ended};
use crate::db::tracks::{TrackRow, named};
use crate::error::ServerError;
use crate::tasks::{PitchOf, Subject};
use crate::worker::JobError;
use marea_core::pitch::track::STEP_S;
use marea_core::pitch::{Note, Pitch, notes, pitch};
use marea_core::signal::{Placed, Source};
use marea_core::units::SessionFrame;
use marea_core::verdict::Verdict;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A note that was sung or played.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct NoteSung {
    /// Session frame at which it begins, as it is heard.
    pub from: f64,
    /// Session frame at which it ends.
    pub to: f64,
    /// Its median pitch, as a MIDI key with cents as parts (69 is 440 Hz).
    pub key: f64,
    /// How sure.
    pub verdict: Verdict,
}

/// The pitch of a voice.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct PitchFound {
    /// Session frame of the first value, as it is heard.
    pub first: i64,
    /// Frames from one value to the next.
    pub step_frames: f64,
    /// In Hz, to a hundredth; 0 where nothing is voiced, or not one voice alone.
    pub hz: Vec<f32>,
    /// Of every value: 2 solid, 1 likely, 0 undecided.
    pub sure: Vec<u8>,
    /// Notes in order.
    pub notes: Vec<NoteSung>,
}

impl PitchFound {
    /// The pitch at a session frame.
    pub fn at(&self, frame: f64) -> Option<f64> {
        let place = (frame - self.first as f64) / self.step_frames;
        let hz = if place < 0.0 { None } else { self.hz.get(place.round() as usize) };
        hz.map(|hz| f64::from(*hz)).filter(|hz| *hz > 0.0)
    }
}

impl From<PitchOf> for Subject {
    fn from(of: PitchOf) -> Self {
        Self::Pitch(of)
    }
}

impl Derived for PitchOf {
    const KIND: &'static str = "pitch";
    const METHOD: u32 = 3;
    type Measured = PitchFound;

    fn subject(&self) -> String {
        self.track.simple().to_string()
    }

    /// The track, and what is linked with it.
    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        let mut tracks = named(all, &[self.track])?;
        let linked = with_linked(&[self.track], all).into_iter().map(|n| &all[n]);
        tracks.extend(linked.filter(|t| t.id != self.track).cloned());
        Ok(tracks)
    }

    fn counts(&self, t: &TrackRow) -> String {
        format!("{}/{}/{:?}", t.start_frame, hex::encode(&t.carried.id), t.link_id)
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Listening to the pitch of {}", tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<PitchFound, JobError> {
        let track = &work.tracks[0];
        let file = work.open(track)?;
        let heard = Heard::new(track, &file, work.rate);
        let first = heard.first();
        let since = heard.since(first);
        let placed = Placed { source: &since as &dyn Source, start: SessionFrame(first) };
        let doing = format!("listening to the pitch of {}", track.name);
        let told = pitch(&placed, work.rate, &|p| work.report(p, &doing)).map_err(ended)?;
        let rounded = |p: &Pitch| p.hz.map_or(0.0, |hz| ((hz * 100.0).round() / 100.0) as f32);
        let sung = |n: Note| NoteSung { from: n.from, to: n.to, key: n.key, verdict: n.verdict };
        Ok(PitchFound {
            first,
            step_frames: work.rate.hz_f64() * STEP_S,
            hz: told.iter().map(rounded).collect(),
            sure: told.iter().map(|p| p.verdict as u8).collect(),
            notes: notes(&told).into_iter().map(sung).collect(),
        })
    }
}
