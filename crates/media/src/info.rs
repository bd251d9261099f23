//! What a file says about itself, and why a file is refused.

use marea_core::units::SampleRate;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// Most channels read from one file.
pub const MAX_CHANNELS: u16 = 16;

/// Why a file was not read. Every message reads on from "the file …".
#[derive(Debug, Error)]
pub enum MediaError {
    /// The machine could not read or write it.
    #[error("could not be read or written: {0}")]
    Io(#[from] std::io::Error),
    /// No bytes at all.
    #[error("is empty")]
    Empty,
    /// Not a format that is read.
    #[error("is not a recording in a format that is read here (WAV, BWF, RF64, BW64, FLAC, AIFF); it begins with {0}")]
    UnknownFormat(String),
    /// A known format with content that makes no sense.
    #[error("is damaged or unusual: {0}")]
    Malformed(String),
    /// Channels outside 1 … 16.
    #[error("has {0} channels; 1 to {MAX_CHANNELS} are read")]
    Channels(u16),
    /// A rate outside 8 … 384 kHz.
    #[error("says its {0}")]
    Rate(#[from] marea_core::units::UnitError),
    /// A coding that is not read.
    #[error("uses a coding that is not read here: {0}")]
    Coding(String),
    /// The caller asked to stop.
    #[error("was left on request")]
    Stopped,
}

/// What a file says about itself.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct AudioInfo {
    /// Rate of the file.
    pub rate: SampleRate,
    /// Channels, 1 … 16.
    pub channels: u16,
    /// Frames that are really there, where that is known before decoding.
    pub frames: Option<u64>,
    /// Container and coding, for people: "WAV, 24-bit".
    pub coding: String,
    /// `bext` TimeReference: frames since midnight (EBU Tech 3285).
    pub time_reference: Option<u64>,
    /// Loudspeakers the channels are meant for, as a WAV mask; none when the file does not say.
    pub channel_mask: Option<u32>,
    /// What was found wrong and how it was dealt with, in sentences.
    pub notes: Vec<String>,
}
