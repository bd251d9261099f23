//! A monotone map from the frames of a recording to those of the session: piecewise linear.

use serde::{Deserialize, Serialize};
use thiserror::Error;

/// Slowest and fastest that a recording may run against the session.
pub const RATES: std::ops::RangeInclusive<f64> = 0.5..=2.0;

/// Why points make no map.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum MapError {
    /// One point says nothing of speed.
    #[error("a time map has at least two points")]
    TooFew,
    /// Time never stands still or runs back.
    #[error("the points of a time map rise in the recording and in the session")]
    NotRising,
    /// A speed outside [`RATES`].
    #[error("a time map runs at half to twice the speed")]
    Speed,
}

/// Points without those that a straight line between the ones that stay misses by no more than `off`, in session frames. The first and
/// the last stay. One walk: each line goes as far as the slopes that keep all points in reach allow.
pub fn thinned(points: &[[f64; 2]], off: f64) -> Vec<[f64; 2]> {
    let Some(first) = points.first() else { return Vec::new() };
    let mut kept = vec![*first];
    let mut slopes = [f64::NEG_INFINITY, f64::INFINITY];
    for (p, next) in points.iter().zip(points.iter().skip(1).map(Some).chain([None])).skip(1) {
        let [x, y] = kept[kept.len() - 1];
        let (run, rise) = (p[0] - x, p[1] - y);
        slopes = [slopes[0].max((rise - off) / run), slopes[1].min((rise + off) / run)];
        let goes_on = next.is_some_and(|n| (slopes[0]..=slopes[1]).contains(&((n[1] - y) / (n[0] - x))));
        if !goes_on {
            kept.push(*p);
            slopes = [f64::NEG_INFINITY, f64::INFINITY];
        }
    }
    kept
}

/// Points (recording frame, session frame), both rising; straight lines between them, and on beyond the ends.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[cfg_attr(feature = "openapi", schema(value_type = Vec<[f64; 2]>))]
#[serde(try_from = "Vec<[f64; 2]>", into = "Vec<[f64; 2]>")]
pub struct TimeMap(Vec<[f64; 2]>);

impl TimeMap {
    /// A map through points.
    ///
    /// # Errors
    /// [`MapError`] says what is wrong with them.
    pub fn new(points: Vec<[f64; 2]>) -> Result<Self, MapError> {
        if points.len() < 2 {
            return Err(MapError::TooFew);
        }
        let steps = points.windows(2).map(|p| [p[1][0] - p[0][0], p[1][1] - p[0][1]]);
        for [own, session] in steps {
            // Written so that what is no number does not rise either.
            if !(own > 0.0 && session > 0.0) {
                return Err(MapError::NotRising);
            }
            if !RATES.contains(&(own / session)) {
                return Err(MapError::Speed);
            }
        }
        Ok(Self(points))
    }

    /// Its points.
    pub fn points(&self) -> &[[f64; 2]] {
        &self.0
    }

    fn along(&self, from: usize, at: f64) -> f64 {
        let i = self.0.partition_point(|p| p[from] <= at).clamp(1, self.0.len() - 1);
        let (p, q) = (self.0[i - 1], self.0[i]);
        p[1 - from] + (at - p[from]) * (q[1 - from] - p[1 - from]) / (q[from] - p[from])
    }

    /// The session frame at which a frame of the recording plays.
    pub fn session_of(&self, own: f64) -> f64 {
        self.along(0, own)
    }

    /// The frame of the recording that plays at a session frame.
    pub fn own_of(&self, session: f64) -> f64 {
        self.along(1, session)
    }
}

impl TryFrom<Vec<[f64; 2]>> for TimeMap {
    type Error = MapError;
    fn try_from(points: Vec<[f64; 2]>) -> Result<Self, MapError> {
        Self::new(points)
    }
}

impl From<TimeMap> for Vec<[f64; 2]> {
    fn from(map: TimeMap) -> Self {
        map.0
    }
}
