//! What a part as a wide pair would be: how its copies drift, and what their sum in mono loses.

use super::double::Heard;
use super::kind::Derived;
use super::work::{Work, ended};
use crate::db::tracks::{TrackRow, named};
use crate::error::ServerError;
use crate::hash::Sum;
use crate::plans::wide::WideOf;
use crate::tasks::Subject;
use crate::worker::JobError;
use marea_core::widen::drift::{Drift, drifts};
use marea_core::widen::mono::{Band, mono_sum};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Drifts are told at so many moments, evenly over the part.
const TOLD: usize = 400;

/// A third-octave of the sum in mono.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct MonoBand {
    /// Nominal centre, in Hz.
    pub hz: f64,
    /// Against unrelated copies, in dB.
    pub gain_db: f64,
    /// The band's part of the energy of the part, in dB.
    pub level_db: f64,
}

/// The band that loses most within a second.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ThinMoment {
    /// Session frame.
    pub at: f64,
    /// Nominal centre, in Hz.
    pub hz: f64,
    /// Against unrelated copies, in dB.
    pub gain_db: f64,
}

/// A copy of the part.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CopyFound {
    /// By how many ms it is later, moment by moment.
    pub later_ms: Vec<f64>,
    /// By how many cents it is sharp there.
    pub cents: Vec<f64>,
}

/// A part as a wide pair, before it is made.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct WideFound {
    /// Session frame of the first moment that is told.
    pub first: i64,
    /// Frames from one moment to the next.
    pub step_frames: f64,
    /// Every other one stands left, beginning with the first; the rest right.
    pub copies: Vec<CopyFound>,
    /// The sum in mono, by third-octaves from the lowest up; none for silence.
    pub bands: Vec<MonoBand>,
    /// Where it is thinnest.
    pub thinnest: Option<ThinMoment>,
    /// No band loses more than 3 dB.
    pub fine: bool,
}

fn hundredths(v: f64) -> f64 {
    (v * 100.0).round() / 100.0
}

impl From<WideOf> for Subject {
    fn from(of: WideOf) -> Self {
        Self::Wide(of)
    }
}

impl Derived for WideOf {
    const KIND: &'static str = "wide";
    const METHOD: u32 = 1;
    type Measured = WideFound;

    fn subject(&self) -> String {
        let mut sum = Sum::default();
        sum.update(serde_json::to_string(self).unwrap_or_default());
        sum.hex()
    }

    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        named(all, &[self.track])
    }

    fn counts(&self, t: &TrackRow) -> String {
        format!("{}/{}", t.start_frame, hex::encode(&t.carried.id))
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Trying {} as a wide pair", tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<WideFound, JobError> {
        let track = &work.tracks[0];
        let file = work.open(track)?;
        let heard = Heard::new(track, &file, work.rate);
        let first = heard.first();
        let part = heard.since(first);
        let all = drifts(&self.asked(), work.rate);
        let doing = format!("adding copies of {} in mono", track.name);
        let sum = mono_sum(&part, &all, work.rate, &|p| work.report(p, &doing)).map_err(ended)?;
        let step_frames = marea_core::signal::Source::frames(&part) as f64 / TOLD as f64;
        let copy = |d: &Drift| {
            let at = |n: usize| n as f64 * step_frames;
            CopyFound {
                later_ms: (0..=TOLD).map(|n| hundredths(work.rate.ms(d.later(at(n))))).collect(),
                cents: (0..=TOLD).map(|n| hundredths(d.cents(at(n)))).collect(),
            }
        };
        let band = |b: &Band| MonoBand { hz: b.hz, gain_db: hundredths(b.gain_db), level_db: hundredths(b.level_db) };
        let thin =
            sum.thinnest.map(|m| ThinMoment { at: first as f64 + m.at, hz: m.hz, gain_db: hundredths(m.gain_db) });
        Ok(WideFound {
            first,
            step_frames,
            copies: all.iter().map(copy).collect(),
            bands: sum.bands.iter().map(band).collect(),
            thinnest: thin,
            fine: sum.is_fine(),
        })
    }
}
