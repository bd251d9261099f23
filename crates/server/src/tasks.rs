//! What jobs are asked to do. Plain data: the queue stores it, the workers carry it out.

use crate::plans::doubles::DoublesOf;
use crate::plans::retune::RetuneOf;
use crate::plans::wide::WideOf;
use crate::plans::{LayerOf, TakesOf, TimingOf};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What a job does. Stored as JSON; carrying one out twice does no harm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum Task {
    /// Decode an uploaded recording and add its channels as tracks.
    Import {
        /// In hex.
        sha256: String,
        /// Cleaned name.
        file_name: String,
        /// Place among the session's recordings: milliseconds since 1970 of the moment it was chosen. Jobs end in any order.
        order: i64,
    },
    /// Measure something of the session's tracks.
    Derive {
        /// What.
        of: Subject,
        /// What it depends on: the same is not begun twice.
        basis: String,
    },
    /// Make takes anew as they follow a lead.
    Follow(DoublesOf),
    /// Make a track anew with notes at another pitch.
    Retune(RetuneOf),
    /// Make a track a wide pair.
    Widen(WideOf),
    /// Write aligned files and the sheet of values.
    Deliver(DeliverOptions),
}

impl Task {
    /// As stored beside the payload.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::Import { .. } => "import",
            Self::Derive { of: Subject::Check, .. } => "check",
            Self::Derive { of: Subject::Pair(_), .. } => "pair",
            Self::Derive { of: Subject::Image(_), .. } => "image",
            Self::Derive { of: Subject::Print(_), .. } => "print",
            Self::Derive { of: Subject::Send(_), .. } => "send",
            Self::Derive { of: Subject::Clocks(_), .. } => "clocks",
            Self::Derive { of: Subject::Notes(_), .. } => "notes",
            Self::Derive { of: Subject::Tempo(_), .. } => "tempo",
            Self::Derive { of: Subject::Timing(_), .. } => "timing",
            Self::Derive { of: Subject::Layer(_), .. } => "layer",
            Self::Derive { of: Subject::Takes(_), .. } => "takes",
            Self::Derive { of: Subject::Noises(_), .. } => "noises",
            Self::Derive { of: Subject::Double(_), .. } => "double",
            Self::Derive { of: Subject::Pitch(_), .. } => "pitch",
            Self::Derive { of: Subject::Wide(_), .. } => "wide",
            Self::Follow(_) => "follow",
            Self::Retune(_) => "retune",
            Self::Widen(_) => "widen",
            Self::Deliver(_) => "deliver",
        }
    }
}

/// What is measured.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "what", rename_all = "lowercase")]
pub enum Subject {
    /// The whole session as recorded.
    Check,
    /// Two tracks as recorded.
    Pair(PairOf),
    /// Tracks as channels of one recording, as they are carried.
    Image(ImageOf),
    /// A print against its send, as recorded.
    Print(PrintOf),
    /// Which track a print was made from.
    Send(SendOf),
    /// Recordings in the time of another.
    Clocks(ClocksOf),
    /// A rendered track against its notes.
    Notes(NotesOf),
    /// The session's tracks against a tempo.
    Tempo(TempoOf),
    /// A set of tracks cut and moved together.
    Timing(TimingOf),
    /// A layer set onto its source.
    Layer(LayerOf),
    /// Two takes of one part.
    Takes(TakesOf),
    /// Noises before the notes of a track.
    Noises(NoisesOf),
    /// A take against the lead that it doubles.
    Double(DoubleOf),
    /// The pitch of a voice.
    Pitch(PitchOf),
    /// A part as a wide pair.
    Wide(WideOf),
}

/// Track B against track A.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PairOf {
    /// Anchor.
    pub a: Uuid,
    /// Other.
    pub b: Uuid,
}

/// What makes the lag of one track behind another change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Moving {
    /// A machine: the one is a print of the other.
    #[default]
    Print,
    /// Somebody who walks: both are microphones that hear him.
    Walker,
}

/// A track whose lag behind another one is followed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PrintOf {
    /// What was sent, or the first microphone.
    pub send: Uuid,
    /// What came back and was recorded, or the second microphone.
    pub print: Uuid,
    /// What makes the lag change.
    #[serde(default)]
    pub moving: Moving,
}

/// A print whose send is looked for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct SendOf {
    /// The print.
    pub print: Uuid,
}

/// Recordings by one of their tracks each; the others are placed in the time of the first.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ClocksOf {
    /// In order; the first is the reference.
    pub tracks: Vec<Uuid>,
}

/// A rendered track and its notes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct NotesOf {
    /// The notes.
    pub score: Uuid,
    /// The track.
    pub track: Uuid,
}

/// What gives the tempo that tracks are held against.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum TempoBy {
    /// The session's own bars and beats.
    Session,
    /// A recorded click.
    Click,
    /// A track that keeps a tempo.
    Track,
    /// The strokes of a track, without a tempo.
    Beside,
}

/// The session's tracks against a tempo, or against a track.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TempoOf {
    /// What gives it.
    pub by: TempoBy,
    /// The click, the steady track, or the other one.
    pub track: Option<Uuid>,
}

/// A track that is looked through for noises before its notes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct NoisesOf {
    /// Which.
    pub track: Uuid,
}

/// A take that doubles a lead.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct DoubleOf {
    /// The lead.
    pub lead: Uuid,
    /// The take.
    pub take: Uuid,
}

/// A track of one voice.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PitchOf {
    /// Which.
    pub track: Uuid,
}

/// Tracks in the order of the channels.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ImageOf {
    /// In the order of the channels.
    pub tracks: Vec<Uuid>,
    /// Only between these session frames.
    #[serde(default)]
    pub range: Option<[i64; 2]>,
}

/// What to deliver.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct DeliverOptions {
    /// `int24` (dithered where needed) or `float32`.
    pub depth: FileDepth,
    /// Where the files begin.
    pub start: FileStart,
    /// Tracks to write; empty for all. Linked channels always go together.
    #[serde(default)]
    pub tracks: Vec<Uuid>,
}

/// Coding of the files.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum FileDepth {
    /// 24-bit integer.
    Int24,
    /// 32-bit float.
    Float32,
}

/// Where the files begin.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum FileStart {
    /// At the session's frame 0: what a correction moves before it is left out.
    Session,
    /// At the earliest sound of all: nothing is left out.
    Earliest,
}
