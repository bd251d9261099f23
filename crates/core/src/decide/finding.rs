//! What a check says: kinds, severities, what would change and what that does.

use crate::track::Side;
use crate::verdict::Verdict;
use serde::{Deserialize, Serialize};
/// What a finding is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Wired the other way round.
    WiredInverted,
    /// On the opposite side of its source.
    OpposedByPlacement,
    /// In step at the lows and opposed above, or the reverse.
    PhaseTurns,
    /// Later than the sound.
    Late,
    /// Earlier than the sound.
    Early,
    /// Left and right have changed places.
    PairSwapped,
    /// Loses much in mono.
    WeakInMono,
    /// A group's microphones take each other's lows away.
    LowsLost,
    /// Has nothing to do with the rest.
    Unrelated,
    /// Nothing on it.
    Dead,
    /// Far quieter than the others.
    TooQuiet,
    /// Flat tops.
    Clipped,
    /// A constant voltage.
    DcOffset,
    /// Noise close under the sound.
    Noisy,
    /// One channel on both.
    CopiedChannel,
    /// The same recording again.
    SameRecording,
    /// Plays at the wrong speed.
    WrongRate,
    /// The stamp says one time, the sound another.
    StampDisagrees,
    /// Channels of a set end at different times.
    LengthsDiffer,
    /// Half of a pair is not there.
    ChannelMissing,
    /// Cannot be told.
    Undecided,
}

/// How bad.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Good to know.
    Info,
    /// Worth an ear.
    Caution,
    /// Wrong.
    Fault,
}

/// What one track would become. None leaves a value as it is.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Proposal {
    /// Track, by index.
    pub track: usize,
    /// New offset in frames.
    pub offset_frames: Option<f64>,
    /// New polarity.
    pub invert: Option<bool>,
    /// New side.
    pub side: Option<Side>,
}

/// What a proposal does to the sum of two tracks.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Effect {
    /// The track that changes, by index.
    pub track: usize,
    /// The other one.
    pub other: usize,
    /// Source it is heard on, as a row of the table.
    pub row: usize,
    /// Sum now against unrelated sounds, in dB.
    pub before_db: f64,
    /// Sum after.
    pub after_db: f64,
}

/// Something the engineer should know.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Finding {
    /// What.
    pub kind: Kind,
    /// Tracks it is about, by index; the one to change first.
    pub tracks: Vec<usize>,
    /// Row of the table it shows best on.
    pub row: Option<usize>,
    /// How bad.
    pub severity: Severity,
    /// How sure.
    pub verdict: Verdict,
    /// Moments it rests on.
    pub hits: usize,
    /// What it takes from the sum, in dB over all bands, above 0; none when it takes nothing from it.
    pub cost_db: Option<f64>,
    /// The same by third-octave, where the source sounds.
    pub cost_bands: Vec<Gain>,
    /// In a sentence or two.
    pub text: String,
    /// What would help or what to do.
    pub advice: String,
    /// What tracks would become.
    pub proposals: Vec<Proposal>,
    /// What that does to other sums.
    pub effects: Vec<Effect>,
}

/// Sum of two tracks in a third-octave against unrelated sounds of the same levels.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Gain {
    /// Nominal centre.
    pub hz: f64,
    /// Now.
    pub now_db: f64,
    /// After the proposal.
    pub then_db: f64,
}
