//! Bars and beats along a session's frames.

use serde::{Deserialize, Serialize};
use thiserror::Error;

/// Tempi accepted, in quarter notes a minute.
pub const BPM: std::ops::RangeInclusive<f64> = 20.0..=400.0;
/// Quarters that a bar may have.
pub const QUARTERS_A_BAR: std::ops::RangeInclusive<u32> = 1..=32;

/// Tempo and metre from a quarter on.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TempoChange {
    /// The quarter, counted from 0 where bar 1 begins.
    pub quarter: u32,
    /// Quarter notes a minute.
    pub bpm: f64,
    /// Quarters in a bar. Another number than before begins a bar.
    pub quarters_a_bar: u32,
}

/// Why changes make no map.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum TempoError {
    /// Outside [`BPM`].
    #[error("a tempo lies between 20 and 400 quarter notes a minute")]
    Tempo,
    /// Outside [`QUARTERS_A_BAR`].
    #[error("a bar has 1 to 32 beats")]
    Metre,
    /// Not in order, or none at the first beat.
    #[error("changes of tempo come in order, the first of them at quarter 0")]
    Order,
}

/// Changes of tempo and metre; one alone is a tempo for all of the session.
#[derive(Debug, Clone, PartialEq)]
pub struct TempoMap {
    first_beat_frame: f64,
    changes: Vec<TempoChange>,
}

impl Default for TempoMap {
    /// 120 quarters a minute in four-four from frame 0.
    fn default() -> Self {
        Self::single(120.0, 4, 0.0)
    }
}

impl TempoMap {
    /// One tempo and one metre. What lies outside of what is accepted is brought to its edge.
    pub fn single(bpm: f64, quarters_a_bar: u32, first_beat_frame: f64) -> Self {
        let bpm = bpm.clamp(*BPM.start(), *BPM.end());
        let quarters_a_bar = quarters_a_bar.clamp(*QUARTERS_A_BAR.start(), *QUARTERS_A_BAR.end());
        Self { first_beat_frame, changes: vec![TempoChange { quarter: 0, bpm, quarters_a_bar }] }
    }

    /// Changes in order, the first at quarter 0, which lies at `first_beat_frame` of the session.
    ///
    /// # Errors
    /// [`TempoError`] says what is wrong with them.
    ///
    /// ```
    /// use marea_core::edit::tempo::{TempoChange, TempoMap};
    /// let slower = |quarter, bpm| TempoChange { quarter, bpm, quarters_a_bar: 4 };
    /// let beats = TempoMap::new(0.0, vec![slower(0, 120.0), slower(8, 60.0)]).unwrap().beats(48_000.0);
    /// assert_eq!(beats.frame_of(9.0), 8.0 * 24_000.0 + 48_000.0);
    /// ```
    pub fn new(first_beat_frame: f64, changes: Vec<TempoChange>) -> Result<Self, TempoError> {
        if changes.first().is_none_or(|c| c.quarter != 0) || !changes.windows(2).all(|c| c[0].quarter < c[1].quarter) {
            return Err(TempoError::Order);
        }
        if !changes.iter().all(|c| BPM.contains(&c.bpm)) {
            return Err(TempoError::Tempo);
        }
        if !changes.iter().all(|c| QUARTERS_A_BAR.contains(&c.quarters_a_bar)) {
            return Err(TempoError::Metre);
        }
        Ok(Self { first_beat_frame, changes })
    }

    /// Its changes, the first at quarter 0.
    pub fn changes(&self) -> &[TempoChange] {
        &self.changes
    }

    /// Where its beats fall at a rate.
    pub fn beats(&self, rate_hz: f64) -> Beats {
        let mut steady: Vec<Steady> = Vec::with_capacity(self.changes.len());
        for c in &self.changes {
            let quarter = f64::from(c.quarter);
            let (frame, bar, bar_quarter) = match steady.last() {
                None => (self.first_beat_frame, 0, 0.0),
                Some(s) if s.quarters_a_bar == c.quarters_a_bar => (s.frame_of(quarter), s.bar, s.bar_quarter),
                Some(s) => {
                    let bars = ((quarter - s.bar_quarter) / f64::from(s.quarters_a_bar)).ceil();
                    (s.frame_of(quarter), s.bar + bars as i64, quarter)
                }
            };
            let (frames_a_quarter, quarters_a_bar) = (rate_hz * 60.0 / c.bpm, c.quarters_a_bar);
            steady.push(Steady { frame, quarter, frames_a_quarter, bar, bar_quarter, quarters_a_bar });
        }
        Beats(steady)
    }
}

/// A part of the session with one tempo and one metre.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Steady {
    /// Session frame at which it begins.
    pub frame: f64,
    /// The quarter there.
    pub quarter: f64,
    /// Frames from one quarter to the next.
    pub frames_a_quarter: f64,
    /// A bar, from 0, that begins at `bar_quarter`; the others follow before and after.
    pub bar: i64,
    /// The quarter at which that bar begins.
    pub bar_quarter: f64,
    /// Quarters in a bar.
    pub quarters_a_bar: u32,
}

impl Steady {
    fn frame_of(&self, quarter: f64) -> f64 {
        self.frame + (quarter - self.quarter) * self.frames_a_quarter
    }
}

/// Where beats fall: parts of one tempo in order. The first reaches back before its beginning, the last has no end.
#[derive(Debug, Clone, PartialEq)]
pub struct Beats(Vec<Steady>);

/// A beat, and where one stands after it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Beat {
    /// Quarters from the first beat of bar 1; whole.
    pub quarter: f64,
    /// Its bar, from 0.
    pub bar: i64,
    /// Its place in the bar, from 0.
    pub in_bar: u32,
    /// Frames since it.
    pub frames: f64,
}

impl Beats {
    /// Its parts.
    pub fn steady(&self) -> &[Steady] {
        &self.0
    }

    fn part(&self, before: impl Fn(&Steady) -> bool) -> &Steady {
        &self.0[self.0.partition_point(before).saturating_sub(1)]
    }

    /// The session frame of a quarter.
    pub fn frame_of(&self, quarter: f64) -> f64 {
        self.part(|s| s.quarter <= quarter).frame_of(quarter)
    }

    /// The quarter at a session frame, fractional.
    pub fn quarter_of(&self, frame: f64) -> f64 {
        let s = self.part(|s| s.frame <= frame);
        s.quarter + (frame - s.frame) / s.frames_a_quarter
    }

    /// The beat at or before a session frame.
    pub fn at(&self, frame: f64) -> Beat {
        let s = self.part(|s| s.frame <= frame);
        let beats = ((frame - s.frame) / s.frames_a_quarter).floor();
        let (quarter, frames) = (s.quarter + beats, frame - s.frame - beats * s.frames_a_quarter);
        let a_bar = f64::from(s.quarters_a_bar);
        let since = quarter - s.bar_quarter;
        let bar = s.bar + (since / a_bar).floor() as i64;
        Beat { quarter, bar, in_bar: since.rem_euclid(a_bar) as u32, frames }
    }
}
