//! What jobs are asked to do. Plain data: the queue stores it, the workers carry it out.

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
}

/// Track B against track A.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PairOf {
    /// Anchor.
    pub a: Uuid,
    /// Other.
    pub b: Uuid,
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
