//! What to look for in a pair.

use crate::track::Role;
use serde::{Deserialize, Serialize};

/// What to look for.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PairOptions {
    /// Largest lag searched either way, in seconds, about the coarse position.
    pub max_lag_s: f64,
    /// Also look for a lag of seconds by the envelopes (prints, machines with their own clock).
    pub find_far: bool,
    /// Band used, in Hz.
    pub band_hz: (f64, f64),
    /// Windows that the last fraction is taken from at most.
    pub most_fine: usize,
}

impl Default for PairOptions {
    fn default() -> Self {
        Self { max_lag_s: 0.03, find_far: true, band_hz: (60.0, 14_000.0), most_fine: usize::MAX }
    }
}

/// What kind of windows decided.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Material {
    /// Isolated hits.
    Struck,
    /// Quarter-second windows above the noise.
    Sustained,
}

impl PairOptions {
    /// What to look for between tracks of these roles: how far apart two can be by the places of their microphones, and what a
    /// faulty path adds. Near microphones: ±30 ms, with a main pair ±45 ms, with a room microphone ±80 ms.
    pub fn between(a: Role, b: Role) -> Self {
        let with = |role| a == role || b == role;
        let max_lag_s = if with(Role::Room) {
            0.08
        } else if with(Role::Main) {
            0.045
        } else {
            0.03
        };
        Self { max_lag_s, ..Self::default() }
    }
}
