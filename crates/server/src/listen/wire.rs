//! What goes over the socket.
//!
//! The page sends JSON ([`Request`]). Blocks come back as little-endian bytes ([`Header`]), then for as corrected and as
//! recorded seven `f32` each (peak left, peak right, RMS left, RMS right, correlation, that below 200 Hz, null depth in dB, NaN
//! for none), then for each an RMS a track, in the order they were asked for, then four planes of `f32`: corrected left, corrected right, recorded left, recorded right.

use crate::plans::PlanTried;
use crate::tasks::Moving;
use bytes::Bytes;
use marea_core::follow::Way;
use marea_core::measure::readings::meter::StereoReading;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use uuid::Uuid;

/// Frames in a block at most; the last before the end of a range has fewer.
pub const BLOCK_FRAMES: usize = 2_048;

/// What the page asks for.
#[derive(Debug, Clone, Deserialize)]
#[serde(tag = "type", rename_all = "lowercase")]
pub enum Request {
    /// Blocks from a frame on, until stopped; older generations end.
    Play {
        /// Session frame.
        from: f64,
        /// Counts the page's requests, so that late blocks are told from current ones.
        generation: u32,
        /// What sounds.
        mix: MixRequest,
        /// Where it ends, or turns back.
        #[serde(default)]
        range: Option<PlayRange>,
    },
    /// So many blocks more may be sent.
    Credit {
        /// Number.
        blocks: u32,
    },
    /// No more blocks.
    Stop,
}

/// A part of the session.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize)]
pub struct PlayRange {
    /// First session frame.
    pub from: i64,
    /// First session frame after it.
    pub to: i64,
    /// Again and again, else once.
    pub repeat: bool,
}

/// What sounds.
#[derive(Debug, Clone, PartialEq, Default, Deserialize)]
#[serde(default)]
pub struct MixRequest {
    /// Tracks, already without the muted ones.
    pub tracks: Vec<Uuid>,
    /// Places and levels of those that have their own.
    pub places: BTreeMap<Uuid, VoicePlace>,
    /// All in the middle: two tracks under comparison.
    pub centred: bool,
    /// The first of two tracks left, the second right.
    pub apart: bool,
    /// The first of two tracks minus the second: what is left when they agree.
    pub difference: bool,
    /// Both sides summed.
    pub mono: bool,
    /// Left and right exchanged.
    pub swap: bool,
    /// 20 dB quieter.
    pub dim: bool,
    /// As recorded and as corrected at the same loudness.
    pub matched: bool,
    /// A click on every beat.
    pub click: bool,
    /// Part of the speed, 0.25 … 1; none for all of it.
    pub speed: Option<f64>,
    /// A print that is heard as corrected before anything is decided.
    pub tried: Option<Tried>,
    /// A plan of timing that is heard before it is taken.
    pub plan: Option<Box<PlanTried>>,
}

/// A way to correct a print, tried by ear.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct Tried {
    /// What was sent.
    pub send: Uuid,
    /// What came back.
    pub print: Uuid,
    /// What makes the lag change.
    #[serde(default)]
    pub moving: Moving,
    /// In which way.
    pub way: Way,
}

/// Where and how loud one track is heard.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize)]
pub struct VoicePlace {
    /// −1 left … +1 right; none: by the side of the track.
    pub pan: Option<f64>,
    /// Level in dB.
    pub level_db: f64,
    /// Heard inverted on top of what it carries, to compare by ear.
    #[serde(default)]
    pub invert: bool,
}

/// Said in JSON: "trouble" with a message, "end" when a range has been played.
#[derive(Debug, Serialize)]
pub struct Said<'a> {
    /// Which of the two.
    #[serde(rename = "type")]
    pub kind: &'a str,
    /// In a sentence; empty at an end.
    pub message: &'a str,
    /// Generation that ended.
    pub generation: u32,
}

/// Beginning of a block, 32 bytes in this order; the number of tracks follows as `u32`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Header {
    /// Generation of the request.
    pub generation: u32,
    /// Frames of each plane.
    pub frames: u32,
    /// Session frame of the first of them.
    pub start: f64,
    /// Session frames from one to the next.
    pub speed: f32,
    /// Level in dB by which as corrected and as recorded were brought down to match; NaN while that is not known or not
    /// wanted.
    pub matched_db: [f32; 2],
}

/// One block.
pub fn block(header: &Header, readings: [&StereoReading; 2], levels: [&[f32]; 2], planes: [&[f32]; 4]) -> Bytes {
    let mut out = Vec::with_capacity(88 + levels[0].len() * 8 + planes[0].len() * 16);
    out.extend_from_slice(&header.generation.to_le_bytes());
    out.extend_from_slice(&header.frames.to_le_bytes());
    out.extend_from_slice(&header.start.to_le_bytes());
    for v in [header.speed, header.matched_db[0], header.matched_db[1]] {
        out.extend_from_slice(&v.to_le_bytes());
    }
    out.extend_from_slice(&(levels[0].len() as u32).to_le_bytes());
    let mut push = |v: f32| out.extend_from_slice(&v.to_le_bytes());
    for r in readings {
        let told = [r.correlation, r.low_correlation, r.null_depth_db].map(|v| v.unwrap_or(f32::NAN));
        [r.peak[0], r.peak[1], r.rms[0], r.rms[1], told[0], told[1], told[2]].into_iter().for_each(&mut push);
    }
    levels.into_iter().flatten().copied().for_each(&mut push);
    planes.into_iter().flatten().copied().for_each(&mut push);
    out.into()
}
