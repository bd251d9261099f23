//! Where a frame number may lie: every one that comes in is held to the session, with an hour to spare on either side.

use super::tracks::TrackRow;
use crate::error::ServerError;

/// First and last session frame that anything may be about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Bounds {
    first: i64,
    last: i64,
    hour: i64,
}

impl Bounds {
    /// Of a session's tracks, at its rate.
    pub fn of(rows: &[TrackRow], rate_hz: u32) -> Self {
        let hour = i64::from(rate_hz) * 3_600;
        let first = rows.iter().map(|t| t.start_frame).min().unwrap_or(0).min(0);
        let last = rows.iter().map(|t| t.start_frame.saturating_add(t.frames)).max().unwrap_or(0).max(0);
        Self { first: first.saturating_sub(hour), last: last.saturating_add(hour), hour }
    }

    /// Refuses session frames outside.
    ///
    /// # Errors
    /// [`ServerError::Invalid`].
    pub fn check(&self, what: &str, frames: impl IntoIterator<Item = i64>) -> Result<(), ServerError> {
        if frames.into_iter().all(|f| (self.first..=self.last).contains(&f)) {
            return Ok(());
        }
        Err(ServerError::Invalid(format!("{what}: a place lies within the session, or an hour around it")))
    }

    /// Is a frame of a recording's own, of so many frames, near enough to it?
    pub fn holds_own(&self, frame: i64, frames: i64) -> bool {
        (-self.hour..=frames.saturating_add(self.hour)).contains(&frame)
    }

    /// The session frame nearest to a place that may be anything.
    pub fn nearest(&self, frame: f64) -> f64 {
        if frame.is_finite() { frame.clamp(self.first as f64, self.last as f64) } else { 0.0 }
    }
}
