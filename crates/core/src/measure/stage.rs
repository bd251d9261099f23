//! Where sources and microphones stand, as far as arrivals tell, and what somebody knows of it.
//!
//! Lengths in metres. The stage lies in the first two axes, the third points up. Arrivals do not change when everything is shifted, turned
//! or mirrored, so that the axes mean nothing until a decision settles them by known sides.

use serde::{Deserialize, Serialize};

/// How large a latency may be, in metres of sound: 29 ms in air of 20 °C.
pub const LATE_M: f64 = 10.0;

/// A place in the room.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Spot {
    /// Coordinates in metres.
    pub at: [f64; 3],
    /// Covariance in the plane of the stage, in square metres: along the first axis, of both, along the second. Shifts and turns of
    /// the whole are left out of it.
    pub spread: [f64; 3],
}

/// A source as microphones near sources alone place it: what a far microphone can be located by.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Beacon {
    /// Coordinates in metres.
    pub at: [f64; 3],
    /// What the home microphone's distance and latency add to a lag against it, in metres.
    pub path_m: f64,
}

/// Places of a table's rows and tracks; none where nothing determines one.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Places {
    /// A row each.
    pub sources: Vec<Option<Spot>>,
    /// A track each.
    pub tracks: Vec<Option<Spot>>,
    /// A row each.
    pub beacons: Vec<Option<Beacon>>,
    /// What somebody measured in the room.
    #[serde(default)]
    pub facts: Vec<Fact>,
    /// Where a further search begins.
    pub found: Found,
}

/// All unknowns of a solved problem.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Found {
    /// Rows with a place, by index.
    pub used: Vec<usize>,
    /// Tracks with a place, by index.
    pub mics: Vec<usize>,
    /// Values.
    pub x: Vec<f64>,
    /// Which latencies are free.
    pub loose: Vec<bool>,
}

/// Lengths in a room that somebody can have measured, in metres.
const LENGTHS_M: std::ops::RangeInclusive<f64> = 0.005..=100.0;

/// Something that somebody measured in the room.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Fact {
    /// A microphone is so far from its own source.
    FromSource {
        /// Track, by index.
        of: usize,
        /// Distance in metres.
        metres: f64,
    },
    /// Two microphones are so far apart.
    Apart {
        /// Track, by index.
        of: usize,
        /// The other.
        to: usize,
        /// Distance in metres.
        metres: f64,
    },
    /// A microphone stands here, seen from above: to the right and towards the audience, from a point of somebody's choice.
    Stands {
        /// Track, by index.
        of: usize,
        /// Coordinates in metres.
        at: [f64; 2],
    },
}

impl Fact {
    /// The track that it speaks of.
    #[must_use]
    pub fn of(&self) -> usize {
        match *self {
            Self::FromSource { of, .. } | Self::Apart { of, .. } | Self::Stands { of, .. } => of,
        }
    }

    /// Can it be so?
    ///
    /// # Errors
    /// Why not, in a few words.
    pub fn check(&self) -> Result<(), &'static str> {
        match *self {
            Self::FromSource { metres, .. } | Self::Apart { metres, .. } if !LENGTHS_M.contains(&metres) => {
                Err("a distance lies between 0.5 cm and 100 m")
            }
            Self::Apart { of, to, .. } if of == to => Err("a distance is to another track"),
            Self::Stands { at, .. } if at.iter().any(|m| !m.is_finite() || m.abs() > *LENGTHS_M.end()) => {
                Err("a place lies within 100 m")
            }
            _ => Ok(()),
        }
    }
}
