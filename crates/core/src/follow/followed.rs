//! What is known of a print against its send, and the edits that correct it.

use crate::edit::Edit;
use crate::edit::map::{TimeMap, thinned};
use crate::units::Offset;
use crate::verdict::Verdict;
use serde::{Deserialize, Serialize};

/// Values of the lag of which one is kept to be looked at.
const SEEN: usize = 4;
/// A point of a map is left out when a straight line misses it by less than this, in frames: −45 dB at 9 kHz and 48 kHz. It is
/// doubled where a map would have more points than this.
const STRAIGHT: f64 = 0.005;
const POINTS: usize = 60_000;

/// A way to correct a print.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Way {
    /// One offset.
    Offset,
    /// An offset and a constant speed.
    Drift,
    /// All of the lag along time: the speed follows it.
    Map,
}

/// What each way of correcting leaves of the print when the send is subtracted through the filter that fits best, in dB against the print,
/// over 80 to 9,000 Hz.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Left {
    /// One offset.
    pub offset: f64,
    /// An offset and a constant speed.
    pub drift: f64,
    /// All of the lag along time.
    pub map: f64,
}

/// A periodic change of speed.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Wow {
    /// How often, in Hz.
    pub hz: f64,
    /// Amplitude of the lag, in frames.
    pub frames: f64,
    /// Amplitude of the speed, as a part of it.
    pub speed: f64,
}

/// A print against its send.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Followed {
    /// Frames between two values of the lag; value j belongs to frame (j + ½)·step of the print.
    pub step_frames: f64,
    /// How many frames later than the send the print is, along time.
    pub lag_frames: Vec<f64>,
    /// Which of them were measured; the others go on as those about them do.
    pub measured: Vec<bool>,
    /// The median of what was measured, in frames.
    pub later_frames: f64,
    /// How much longer the print is than the send, in parts of a million.
    pub drift_ppm: f64,
    /// Lag at the print's first frame on the straight line through what was measured.
    pub line_frames: f64,
    /// Inverted against the send?
    pub invert: bool,
    /// Part of the sounding print that was measured.
    pub share: f64,
    /// What each way leaves.
    pub left: Left,
    /// Periodic changes, largest first.
    pub wow: Vec<Wow>,
    /// How sure.
    pub verdict: Verdict,
    /// Why.
    pub reason: String,
}

impl Followed {
    /// The same with every fourth value of the lag, 20 ms apart: what is kept to be looked at. A value is measured when half of those
    /// about it were.
    pub fn thinned(&self) -> Self {
        let middle = |c: &[f64]| 0.5 * (c[SEEN / 2 - 1] + c[SEEN / 2]);
        let half = |c: &[bool]| 2 * c.iter().filter(|m| **m).count() >= SEEN;
        Self {
            step_frames: self.step_frames * SEEN as f64,
            lag_frames: self.lag_frames.chunks_exact(SEEN).map(middle).collect(),
            measured: self.measured.chunks_exact(SEEN).map(half).collect(),
            ..self.clone()
        }
    }

    /// The map that brings the print onto its send: a point where the lag bends, and so many at most.
    pub fn map(&self) -> Option<TimeMap> {
        let at = |j: usize| (j as f64 + 0.5) * self.step_frames;
        let point = |j: usize| [at(j), at(j) - self.lag_frames[j]];
        let all: Vec<[f64; 2]> = (0..self.lag_frames.len()).map(point).collect();
        let mut off = STRAIGHT;
        let mut points = thinned(&all, off);
        while points.len() > POINTS {
            off *= 2.0;
            points = thinned(&all, off);
        }
        TimeMap::new(points).ok()
    }

    /// The map that takes out its median lag and its drift.
    pub fn straight(&self) -> Option<TimeMap> {
        let end = self.lag_frames.len() as f64 * self.step_frames;
        let of = |at: f64| at - self.line_frames - self.drift_ppm * 1e-6 * at;
        TimeMap::new(vec![[0.0, of(0.0)], [end, of(end)]]).ok()
    }

    /// The edit that corrects the print in a way; none when its speed changes too much for one.
    pub fn edit(&self, way: Way) -> Option<Edit> {
        let edit = Edit { invert: self.invert, ..Edit::default() };
        Some(match way {
            Way::Offset => Edit { placement: Offset(-self.later_frames).into(), ..edit },
            Way::Drift => Edit { map: Some(self.straight()?), ..edit },
            Way::Map => Edit { map: Some(self.map()?), ..edit },
        })
    }
}

/// What corrects a print against its send as recorded, for a send that is moved as a whole.
pub fn onto(correction: &Edit, send: &Edit) -> Edit {
    let placed = correction.placement.offset_frames + send.placement.offset_frames;
    Edit { placement: placed.rounded().into(), invert: correction.invert != send.invert, ..correction.clone() }
}

/// What is said when nothing can be followed.
pub(super) fn nothing(reason: &str) -> Followed {
    Followed {
        step_frames: 0.0,
        lag_frames: Vec::new(),
        measured: Vec::new(),
        later_frames: 0.0,
        drift_ppm: 0.0,
        line_frames: 0.0,
        invert: false,
        share: 0.0,
        left: Left { offset: 0.0, drift: 0.0, map: 0.0 },
        wow: Vec::new(),
        verdict: Verdict::Undecided,
        reason: reason.into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::TAU;

    /// A lag that swings: 12 frames at 0.7 Hz and 0.4 at 9 Hz, every 5 ms at 48 kHz.
    fn lag(frame: f64) -> f64 {
        let t = frame / 48_000.0;
        300.0 + 2e-5 * frame + 12.0 * (TAU * 0.7 * t).sin() + 0.4 * (TAU * 9.0 * t).sin()
    }

    fn swinging(steps: usize) -> Followed {
        let lag_frames: Vec<f64> = (0..steps).map(|j| lag((j as f64 + 0.5) * 240.0)).collect();
        let measured = (0..steps).map(|j| j % 100 > 9).collect();
        Followed {
            step_frames: 240.0,
            lag_frames,
            measured,
            later_frames: 301.0,
            line_frames: 300.0,
            drift_ppm: 20.0,
            ..nothing("")
        }
    }

    #[test]
    fn a_map_leaves_points_out_and_misses_no_value_by_more_than_it_says() {
        let f = swinging(12_000);
        let map = f.map().unwrap();
        assert!(map.points().len() < f.lag_frames.len(), "{} points", map.points().len());
        for (j, lag) in f.lag_frames.iter().enumerate() {
            let at = (j as f64 + 0.5) * 240.0;
            assert!((at - lag - map.session_of(at)).abs() <= STRAIGHT + 1e-9, "{at}");
        }
    }

    #[test]
    fn a_lag_that_is_straight_needs_two_points() {
        let straight =
            Followed { lag_frames: (0..4_000).map(|j| 5.0 + 0.01 * f64::from(j)).collect(), ..swinging(4_000) };
        assert_eq!(straight.map().unwrap().points().len(), 2);
    }

    #[test]
    fn a_map_of_an_hour_has_no_more_points_than_a_track_carries() {
        assert!(swinging(720_000).map().unwrap().points().len() <= POINTS);
    }

    #[test]
    fn what_is_kept_to_be_looked_at_is_the_lag_at_its_own_places() {
        let f = swinging(4_000).thinned();
        assert_eq!((f.step_frames, f.lag_frames.len(), f.measured.len()), (960.0, 1_000, 1_000));
        for (j, l) in f.lag_frames.iter().enumerate() {
            assert!((l - lag((j as f64 + 0.5) * 960.0)).abs() < 0.01, "{j}");
        }
    }

    #[test]
    fn a_print_goes_along_with_its_send() {
        let own = swinging(4_000).edit(Way::Offset).unwrap();
        let send = Edit { placement: Offset(40.126).into(), invert: true, ..Edit::default() };
        let both = onto(&own, &send);
        assert_eq!((both.placement.offset_frames, both.invert), (Offset(-260.87), true));
        assert!(!onto(&Edit { invert: true, ..own }, &send).invert, "inverted twice is upright");
    }

    #[test]
    fn ways_go_from_one_offset_to_the_whole_map() {
        let f = swinging(4_000);
        assert_eq!(f.edit(Way::Offset).unwrap().placement.offset_frames, Offset(-301.0));
        let straight = f.edit(Way::Drift).unwrap().map.unwrap();
        assert!((straight.session_of(960_000.0) - (960_000.0 - 300.0 - 19.2)).abs() < 1e-6);
        assert!(f.edit(Way::Map).unwrap().map.is_some());
    }
}
