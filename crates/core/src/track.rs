//! What is known of a track beside its sound: where it was picked up, what it stands at, what may be moved.

use crate::edit::Edit;
use serde::{Deserialize, Serialize};
/// Where a track's sound was picked up.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Role {
    /// A microphone at one source.
    Near,
    /// One of a pair that hears the whole.
    Main,
    /// Far away, for the room.
    Room,
    /// Electrical: pickup, line.
    Direct,
    /// A recording of a return.
    Print,
    /// Made by a machine from notes.
    Rendered,
    /// Nobody knows.
    Unknown,
}

impl Role {
    /// All of them, with the word each is stored and shown under.
    pub const WORDS: [(Self, &'static str); 7] = [
        (Self::Near, "near"),
        (Self::Main, "main"),
        (Self::Room, "room"),
        (Self::Direct, "direct"),
        (Self::Print, "print"),
        (Self::Rendered, "rendered"),
        (Self::Unknown, "unknown"),
    ];

    /// The word for it.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(r, _)| *r == self).map_or("unknown", |(_, w)| w)
    }

    /// The role a word stands for; unknown for any other word.
    pub fn of_word(word: &str) -> Self {
        Self::WORDS.iter().find(|(_, w)| *w == word).map_or(Self::Unknown, |(r, _)| *r)
    }

    /// Largest lag against a near microphone that the place alone can cause, in seconds.
    pub fn reach_s(self) -> f64 {
        match self {
            Self::Room => 0.08,
            Self::Direct => 0.03,
            _ => 0.05,
        }
    }
}

/// Which side of a pair a track is on, or of the stage its source is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Side {
    /// Left.
    Left,
    /// Right.
    Right,
    /// In the middle.
    Centre,
    /// Not said.
    #[default]
    #[serde(rename = "")]
    None,
}

// By hand: what is derived knows no empty word.
#[cfg(feature = "openapi")]
impl utoipa::PartialSchema for Side {
    fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
        use utoipa::openapi::schema::{ObjectBuilder, Type};
        ObjectBuilder::new()
            .schema_type(Type::String)
            .description(Some(
                "Which side of a pair a track is on, or of the stage its source is; empty when not said.",
            ))
            .enum_values(Some(Self::WORDS.map(|w| w.1)))
            .into()
    }
}

#[cfg(feature = "openapi")]
impl utoipa::ToSchema for Side {}

impl Side {
    /// All of them, with the word each is stored and shown under.
    pub const WORDS: [(Self, &'static str); 4] =
        [(Self::Left, "left"), (Self::Right, "right"), (Self::Centre, "centre"), (Self::None, "")];

    /// The word for it; empty when not said.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(s, _)| *s == self).map_or("", |(_, w)| w)
    }

    /// The side a word stands for; none for any other word.
    pub fn of_word(word: &str) -> Self {
        Self::WORDS.iter().find(|(_, w)| *w == word).map_or(Self::None, |(s, _)| *s)
    }
}

/// What is moved and what is left.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Policy {
    /// Aligned to the first microphone that hears its source, and inverted if opposed.
    Align,
    /// Polarity and faults only; the distance stays.
    KeepDistance,
    /// The whole set moves until the first source to reach it meets that source's own microphone.
    BringIn,
    /// Nothing is proposed but wiring and faults.
    Leave,
}

impl Policy {
    /// All of them, with the word each is stored and shown under.
    pub const WORDS: [(Self, &'static str); 4] = [
        (Self::Align, "align"),
        (Self::KeepDistance, "keep-distance"),
        (Self::BringIn, "bring-in"),
        (Self::Leave, "leave"),
    ];

    /// The word for it.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(p, _)| *p == self).map_or("", |(_, w)| w)
    }

    /// The policy a word stands for.
    pub fn of_word(word: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(_, w)| *w == word).map(|(p, _)| *p)
    }
}

/// What is known of a track beside its sound.
#[derive(Debug, Clone, PartialEq)]
pub struct Track {
    /// How sentences call it.
    pub label: String,
    /// Where it was picked up.
    pub role: Role,
    /// What it stands at; empty when nobody knows.
    pub source: String,
    /// Side.
    pub side: Side,
    /// Policy somebody chose; none follows the role.
    pub policy: Option<Policy>,
    /// Tracks with the same number are one set.
    pub set: Option<usize>,
    /// What it carries now.
    pub edit: Edit,
    /// Keeps its polarity and its place when the others have to agree with it.
    pub anchor: bool,
    /// Its place came from a time stamp.
    pub stamped: bool,
}
