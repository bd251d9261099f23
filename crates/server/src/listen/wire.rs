//! What goes over the socket.
//!
//! The page sends JSON ([`Request`]). Blocks come back as little-endian bytes: generation `u32`, frames `u32`, first frame
//! `i64`, then for as corrected and as recorded six `f32` each (peak left, peak right, RMS left, RMS right, correlation, null depth
//! in dB, NaN for none), then four planes of `f32`: corrected left, corrected right, recorded left, recorded right.

use bytes::Bytes;
use marea_core::measure::meter::StereoReading;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

/// Frames in a block.
pub const BLOCK_FRAMES: usize = 2_048;

/// What the page asks for.
#[derive(Debug, Clone, Deserialize)]
#[serde(tag = "type", rename_all = "lowercase")]
pub enum Request {
    /// Blocks from a frame on, until stopped; older generations end.
    Play {
        /// Session frame.
        from: i64,
        /// Counts the page's requests, so that late blocks are told from current ones.
        generation: u32,
        /// What sounds.
        mix: MixRequest,
    },
    /// So many blocks more may be sent.
    Credit {
        /// Number.
        blocks: u32,
    },
    /// No more blocks.
    Stop,
}

/// What sounds.
#[derive(Debug, Clone, PartialEq, Default, Deserialize)]
pub struct MixRequest {
    /// Tracks, already without the muted ones.
    pub tracks: Vec<Uuid>,
    /// All in the middle: two tracks under comparison.
    #[serde(default)]
    pub centred: bool,
    /// The first of two tracks left, the second right.
    #[serde(default)]
    pub apart: bool,
    /// The first of two tracks minus the second: what is left when they agree.
    #[serde(default)]
    pub difference: bool,
    /// Both sides summed.
    #[serde(default)]
    pub mono: bool,
}

/// Said in JSON when something went wrong.
#[derive(Debug, Serialize)]
pub struct Trouble<'a> {
    /// Always "trouble".
    #[serde(rename = "type")]
    pub kind: &'a str,
    /// In a sentence.
    pub message: &'a str,
}

/// One block.
pub fn block(generation: u32, from: i64, readings: [&StereoReading; 2], planes: [&[f32]; 4]) -> Bytes {
    let frames = planes[0].len();
    let mut out = Vec::with_capacity(64 + frames * 16);
    out.extend_from_slice(&generation.to_le_bytes());
    out.extend_from_slice(&(frames as u32).to_le_bytes());
    out.extend_from_slice(&from.to_le_bytes());
    for r in readings {
        let (correlation, null) = (r.correlation.unwrap_or(f32::NAN), r.null_depth_db.unwrap_or(f32::NAN));
        for v in [r.peak[0], r.peak[1], r.rms[0], r.rms[1], correlation, null] {
            out.extend_from_slice(&v.to_le_bytes());
        }
    }
    for plane in planes {
        for v in plane {
            out.extend_from_slice(&v.to_le_bytes());
        }
    }
    out.into()
}
