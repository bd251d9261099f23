//! What is simulated: sources, microphones, takes, and what was done wrong on purpose.

use crate::room::{Mic, Room};
use serde::{Deserialize, Serialize};

/// A sound source: where it stands and what it plays.
#[derive(Debug, Clone)]
pub struct SoundSource {
    /// Name, unique in the scene.
    pub name: String,
    /// Position in metres.
    pub position: [f64; 3],
    /// Direction in which it pushes first; behind it the sound starts with a pull. None: alike all round.
    pub front: Option<[f64; 3]>,
    /// Dry sound from the scene's beginning.
    pub dry: Vec<f32>,
    /// Frames at which something is struck or begins.
    pub hits: Vec<i64>,
    /// What an electrical pickup takes, where that is not the dry sound: what goes into an amplifier.
    pub direct: Option<Vec<f32>>,
}

/// One file of the session and the microphones on its channels.
#[derive(Debug, Clone)]
pub struct Take {
    /// File name.
    pub file: String,
    /// A microphone a channel.
    pub mics: Vec<Mic>,
}

/// A session to be simulated.
#[derive(Debug, Clone)]
pub struct Scene {
    /// Sample rate in Hz.
    pub rate_hz: u32,
    /// Length in frames.
    pub frames: usize,
    /// The room.
    pub room: Room,
    /// Who plays.
    pub sources: Vec<SoundSource>,
    /// What is recorded.
    pub takes: Vec<Take>,
    /// Seed of noise and late reverberation.
    pub seed: u64,
    /// What was done wrong on purpose.
    pub faults: Vec<Fault>,
}

/// Something done wrong on purpose. Channels are counted from 1.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum Fault {
    /// Wired the wrong way round.
    Inverted {
        /// File.
        file: String,
        /// Channel.
        channel: u16,
    },
    /// Later than the sound.
    Late {
        /// File.
        file: String,
        /// Channel.
        channel: u16,
        /// By this many frames.
        frames: f64,
    },
    /// The two microphones of a pair are each on the other's channel.
    Swapped {
        /// What calls itself left.
        left: (String, u16),
        /// What calls itself right.
        right: (String, u16),
    },
}
