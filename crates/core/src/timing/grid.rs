//! Places on a grid of note values.

use crate::edit::tempo::Beats;
use serde::{Deserialize, Serialize};
use std::str::FromStr;
use thiserror::Error;

/// Shortest note value, as a part of a whole note.
const FINEST: u32 = 64;
/// Swing: part of two steps that the first of them takes; a half is straight, two thirds is a triplet, three quarters a dotted note.
const SWING: std::ops::RangeInclusive<f64> = 0.5..=0.75;

/// A note value that goes on through every bar, from its beginning.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Grid {
    /// Part of a whole note: 8 for an eighth.
    part: u32,
    /// Straight, half as long again, or two thirds.
    kind: Kind,
    /// Part of two steps that the first takes.
    swing: f64,
}

/// How long a note value is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Kind {
    Plain,
    Dotted,
    Triplet,
}

/// Text that names no grid.
#[derive(Debug, Clone, PartialEq, Error)]
#[error(
    "“{0}” is no grid: 1/1 to 1/64, with a dot for dotted, t for a triplet, and s with a per cent for swing, as in 1/8, 1/8., 1/8t, 1/8s60"
)]
pub struct GridError(String);

impl Grid {
    /// Steps in quarters.
    pub fn quarters(&self) -> f64 {
        let plain = 4.0 / f64::from(self.part);
        match self.kind {
            Kind::Plain => plain,
            Kind::Dotted => 1.5 * plain,
            Kind::Triplet => plain / 1.5,
        }
    }

    /// The place of a step, in quarters from the beginning of its bar.
    fn place(&self, step: i64) -> f64 {
        let (pair, second) = (step.div_euclid(2), step.rem_euclid(2) == 1);
        self.quarters() * (2.0 * pair as f64 + if second { 2.0 * self.swing } else { 0.0 })
    }

    /// The place of the grid nearest to a session frame. Every bar begins the grid anew.
    ///
    /// ```
    /// use marea_core::edit::tempo::TempoMap;
    /// use marea_core::timing::grid::Grid;
    /// let beats = TempoMap::single(120.0, 4, 0.0).beats(48_000.0);
    /// let eighths: Grid = "1/8".parse().unwrap();
    /// assert_eq!(eighths.nearest(&beats, 13_000.0), 12_000.0);
    /// ```
    pub fn nearest(&self, beats: &Beats, frame: f64) -> f64 {
        let beat = beats.at(frame);
        let bar = beat.quarter - f64::from(beat.in_bar);
        // The next bar begins a beat after this one's last; a change of metre may cut a bar short.
        let next = (1..=64).map(|n| bar + f64::from(n)).find(|q| beats.at(beats.frame_of(*q) + 0.5).in_bar == 0);
        let next = next.unwrap_or(bar + 1.0);
        let quarter = beats.quarter_of(frame);
        let step = ((quarter - bar) / self.quarters()).floor() as i64;
        let inside = (step - 1..=step + 2).map(|k| bar + self.place(k.max(0))).filter(|q| *q < next - 1e-9);
        let away = |q: f64| (beats.frame_of(q) - frame).abs();
        let best = inside.chain([next]).min_by(|a, b| away(*a).total_cmp(&away(*b)));
        beats.frame_of(best.unwrap_or(bar))
    }
}

impl FromStr for Grid {
    type Err = GridError;

    fn from_str(text: &str) -> Result<Self, GridError> {
        let wrong = || GridError(text.to_string());
        let rest = text.trim().strip_prefix("1/").ok_or_else(wrong)?;
        let digits = rest.find(|c: char| !c.is_ascii_digit()).unwrap_or(rest.len());
        let part: u32 = rest[..digits].parse().map_err(|_| wrong())?;
        if !part.is_power_of_two() || part > FINEST {
            return Err(wrong());
        }
        let plain = Self { part, kind: Kind::Plain, swing: *SWING.start() };
        match &rest[digits..] {
            "" => Ok(plain),
            "." => Ok(Self { kind: Kind::Dotted, ..plain }),
            "t" => Ok(Self { kind: Kind::Triplet, ..plain }),
            swing => {
                let percent: f64 = swing.strip_prefix('s').and_then(|p| p.parse().ok()).ok_or_else(wrong)?;
                let swing = percent / 100.0;
                if SWING.contains(&swing) { Ok(Self { swing, ..plain }) } else { Err(wrong()) }
            }
        }
    }
}

impl std::fmt::Display for Grid {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let kind = match self.kind {
            Kind::Plain => "",
            Kind::Dotted => ".",
            Kind::Triplet => "t",
        };
        write!(f, "1/{}{kind}", self.part)?;
        if self.swing > *SWING.start() { write!(f, "s{}", 100.0 * self.swing) } else { Ok(()) }
    }
}

impl TryFrom<String> for Grid {
    type Error = GridError;
    fn try_from(text: String) -> Result<Self, GridError> {
        text.parse()
    }
}

impl From<Grid> for String {
    fn from(grid: Grid) -> Self {
        grid.to_string()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::edit::tempo::{TempoChange, TempoMap};

    fn grid(text: &str) -> Grid {
        text.parse().unwrap()
    }

    #[test]
    fn grids_are_written_as_they_are_read() {
        for text in ["1/1", "1/4", "1/64", "1/8.", "1/16t", "1/8s60", "1/16s66.5"] {
            assert_eq!(grid(text).to_string(), text);
        }
        for text in ["", "8", "1/3", "1/128", "2/8", "1/8x", "1/8s40", "1/8s80", "1/0", "1/8t."] {
            assert!(text.parse::<Grid>().is_err(), "{text}");
        }
        assert_eq!(grid("1/8s50"), grid("1/8"));
    }

    #[test]
    fn note_values_at_120_lie_where_the_table_says() {
        // 120 quarters a minute: a quarter is 0.5 s, an eighth 0.25, a dotted eighth 0.375, an eighth triplet 1/6 s (common practice).
        let beats = TempoMap::single(120.0, 4, 1_000.0).beats(48_000.0);
        for (text, seconds) in [("1/4", 0.5), ("1/8", 0.25), ("1/8.", 0.375), ("1/8t", 1.0 / 6.0), ("1/2", 1.0)] {
            let place = 1_000.0 + 48_000.0 * seconds;
            for off in [-900.0, 0.0, 900.0] {
                let near = grid(text).nearest(&beats, place + off);
                assert!((near - place).abs() < 1e-6, "{text}: {near} for {place}");
            }
        }
    }

    #[test]
    fn swing_moves_every_second_step_only() {
        let beats = TempoMap::single(60.0, 4, 0.0).beats(1_000.0);
        let swung = grid("1/8s60");
        for (frame, place) in [(10.0, 0.0), (620.0, 600.0), (980.0, 1_000.0), (1_590.0, 1_600.0), (3_970.0, 4_000.0)] {
            assert!((swung.nearest(&beats, frame) - place).abs() < 1e-6, "{frame}");
        }
    }

    #[test]
    fn every_bar_begins_the_grid_anew_also_where_the_metre_changes() {
        // Dotted quarters in four-four: 0, 1.5, 3, and again at the next bar.
        let beats = TempoMap::single(60.0, 4, 0.0).beats(1_000.0);
        let dotted = grid("1/4.");
        for (frame, place) in [(1_400.0, 1_500.0), (3_100.0, 3_000.0), (3_700.0, 4_000.0), (5_600.0, 5_500.0)] {
            assert!((dotted.nearest(&beats, frame) - place).abs() < 1e-6, "{frame}");
        }
        let change = |quarter, quarters_a_bar| TempoChange { quarter, bpm: 60.0, quarters_a_bar };
        let beats = TempoMap::new(0.0, vec![change(0, 4), change(8, 3)]).unwrap().beats(1_000.0);
        let whole = grid("1/1");
        for (frame, place) in [(7_900.0, 8_000.0), (10_800.0, 11_000.0), (9_300.0, 8_000.0)] {
            assert!((whole.nearest(&beats, frame) - place).abs() < 1e-6, "{frame}");
        }
    }
}
