//! Kinds of findings, and how bad each is.

use serde::{Deserialize, Serialize};

/// What a finding is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Wired inverted.
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
    /// Two pairs hear the stage the other way round from one another.
    PairsContradict,
    /// Loses much in mono.
    WeakInMono,
    /// A group's microphones take each other's lows away.
    LowsLost,
    /// All advice together takes something from the sum.
    AdviceCosts,
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
    /// One channel of a recording is inverted against the others.
    ChannelInverted,
    /// One channel of a recording is later by a constant time.
    ChannelLate,
    /// One channel of a recording is louder by a constant level.
    LevelDifference,
    /// Both channels of a recording carry the same.
    OneCopied,
    /// Two prominent channels of a recording stay opposed, and no inversion explains it.
    LastingOpposition,
    /// A channel of a recording without sound.
    Silent,
    /// Copies of one track meet that took paths of unequal latency.
    PathsMeetUnequal,
}

impl Kind {
    /// How bad it is, unless the finding says otherwise.
    pub fn severity(self) -> Severity {
        match self {
            Self::WiredInverted
            | Self::Late
            | Self::Early
            | Self::PairSwapped
            | Self::Dead
            | Self::WrongRate
            | Self::StampDisagrees
            | Self::ChannelInverted
            | Self::ChannelLate => Severity::Fault,
            Self::PhaseTurns | Self::AdviceCosts | Self::LengthsDiffer | Self::OneCopied => Severity::Info,
            Self::OpposedByPlacement
            | Self::PairsContradict
            | Self::WeakInMono
            | Self::LowsLost
            | Self::Unrelated
            | Self::TooQuiet
            | Self::Clipped
            | Self::DcOffset
            | Self::Noisy
            | Self::CopiedChannel
            | Self::SameRecording
            | Self::ChannelMissing
            | Self::Undecided
            | Self::LevelDifference
            | Self::LastingOpposition
            | Self::Silent
            | Self::PathsMeetUnequal => Severity::Caution,
        }
    }

    /// Its word, as it is stored and sent.
    pub fn word(self) -> String {
        serde_json::to_value(self).ok().and_then(|v| v.as_str().map(String::from)).unwrap_or_default()
    }
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
