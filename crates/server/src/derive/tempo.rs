//! The session's tracks against a tempo, as recorded.

use super::kind::Derived;
use super::work::{Work, ended};
use crate::db::sessions::Session;
use crate::db::tracks::TrackRow;
use crate::error::ServerError;
use crate::tasks::{Subject, TempoBy, TempoOf};
use crate::worker::JobError;
use marea_core::edit::tempo::TempoChange;
use marea_core::grid::Against;
use marea_core::onsets::{Stroke, strokes};
use marea_core::signal::{Placed, Since};
use marea_core::units::SessionFrame;
use marea_core::verdict::Verdict;
use marea_session::tempo::Reference;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A track against the tempo.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct TrackAgainst {
    /// Which.
    pub track: Uuid,
    /// How much later its strokes come, in ms, modulo the grid it plays on; none where that cannot be told.
    pub lag_ms: Option<f64>,
    /// Median deviation, in ms.
    pub spread_ms: f64,
    /// Strokes counted.
    pub hits: usize,
    /// Parts of a quarter that it plays on; 0 where it is held against another track.
    pub parts: u32,
    /// One lag all along; otherwise it is feel.
    pub constant: bool,
    /// Lags that fit as well by whole steps of the grid, in ms.
    pub or_ms: Vec<f64>,
    /// How sure.
    pub verdict: Verdict,
    /// Why.
    pub reason: String,
}

/// A tempo, and the tracks against it.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct TempoFound {
    /// Session frame at which bar 1 begins; none where no tempo was found.
    pub first_beat_frame: Option<f64>,
    /// Its changes of tempo and metre.
    pub changes: Vec<TempoChange>,
    /// Tempi that may be meant as well: half and double.
    pub or_bpm: Vec<f64>,
    /// Accents tell where bars begin.
    pub accented: bool,
    /// Every track.
    pub tracks: Vec<TrackAgainst>,
}

impl From<TempoOf> for Subject {
    fn from(tempo: TempoOf) -> Self {
        Self::Tempo(tempo)
    }
}

impl Derived for TempoOf {
    const KIND: &'static str = "tempo";
    const METHOD: u32 = 2;
    type Measured = TempoFound;

    fn subject(&self) -> String {
        match self.track {
            Some(track) => format!("{:?}+{}", self.by, track.simple()),
            None => format!("{:?}", self.by),
        }
    }

    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        if self.track.is_some_and(|id| !all.iter().any(|t| t.id == id)) {
            return Err(ServerError::NotFound("track"));
        }
        Ok(all.to_vec())
    }

    fn counts(&self, t: &TrackRow) -> String {
        t.start_frame.to_string()
    }

    fn counts_of_session(&self, session: &Session) -> String {
        if self.by == TempoBy::Session { format!("{:?}", session.tempo()) } else { String::new() }
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        let of = tracks.iter().find(|t| Some(t.id) == self.track).map_or("the session’s tempo", |t| t.name.as_str());
        format!("Holding {} tracks against {of}", tracks.len())
    }

    fn measure(&self, work: &Work) -> Result<TempoFound, JobError> {
        let total = work.tracks.len() as f64 + 1.0;
        let mut played: Vec<Option<Vec<Stroke>>> = Vec::new();
        let own = work.tracks.iter().position(|t| Some(t.id) == self.track);
        let mut click = None;
        for (n, track) in work.tracks.iter().enumerate() {
            let doing = format!("listening for the strokes of {}", track.name);
            let report = &mut |part: f64| work.report((n as f64 + part) / total, &doing);
            let file = match work.open(track) {
                Ok(file) => file,
                Err(JobError::Stopped) => return Err(JobError::Stopped),
                // The others are held against it all the same.
                Err(_) => {
                    played.push(None);
                    continue;
                }
            };
            let placed = Placed { source: &file, start: track.start() };
            let since = Since { placed, from: SessionFrame(0) };
            if self.by == TempoBy::Click && own == Some(n) {
                click = Some(Reference::click(&since, work.rate, own, report).map_err(ended)?);
            }
            played.push(Some(strokes(&since, work.rate, report).map_err(ended)?));
        }
        let of_own = || own.and_then(|n| played[n].as_deref());
        let reference = match (self.by, own) {
            (TempoBy::Session, _) => Reference::map(work.tempo.clone()),
            (TempoBy::Track, Some(n)) => Reference::steady(of_own(), work.rate, n),
            (TempoBy::Beside, _) => Reference::strokes(of_own().unwrap_or_default().to_vec(), own),
            (TempoBy::Click | TempoBy::Track, _) => click.unwrap_or_default(),
        };
        let told = |(n, (track, strokes)): (usize, (&TrackRow, &Option<Vec<Stroke>>))| {
            TrackAgainst::of(track.id, reference.told(n, strokes.as_deref(), work.rate))
        };
        let tracks = work.tracks.iter().zip(&played).enumerate().map(told).collect();
        let Reference { map, or_bpm, accented, .. } = reference;
        let first_beat_frame = map.as_ref().map(|m| m.beats(work.rate.hz_f64()).frame_of(0.0));
        let changes = map.map(|m| m.changes().to_vec()).unwrap_or_default();
        Ok(TempoFound { first_beat_frame, changes, or_bpm, accented, tracks })
    }
}

impl TrackAgainst {
    fn of(track: Uuid, told: Against) -> Self {
        let Against { lag_ms, spread_ms, hits, parts, constant, or_ms, verdict, reason, .. } = told;
        Self { track, lag_ms, spread_ms, hits, parts, constant, or_ms, verdict, reason }
    }
}
