//! Counting in frames: 24, 25, 29.97 with and without drop, 30 (SMPTE ST 12-1; from memory).

use serde::{Deserialize, Serialize};
use std::fmt;

/// A way of counting.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Count {
    /// 24 frames a second.
    #[serde(rename = "24")]
    F24,
    /// 25 frames a second.
    #[serde(rename = "25")]
    F25,
    /// 30 frames counted in 1.001 s: falls behind the clock by 3.6 s an hour.
    #[serde(rename = "29.97")]
    F2997,
    /// The same rate; two numbers are left out each minute but every tenth.
    #[serde(rename = "29.97 drop")]
    F2997Drop,
    /// 30 frames a second.
    #[serde(rename = "30")]
    F30,
}

/// A number of a frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Code {
    /// 0 to 23.
    pub hours: u8,
    /// 0 to 59.
    pub minutes: u8,
    /// 0 to 59.
    pub seconds: u8,
    /// From 0, below the frames a second.
    pub frames: u8,
    /// Counted with drop.
    pub drop: bool,
}

impl fmt::Display for Code {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let before = if self.drop { ';' } else { ':' };
        write!(f, "{:02}:{:02}:{:02}{before}{:02}", self.hours, self.minutes, self.seconds, self.frames)
    }
}

impl Count {
    /// All there are.
    pub const ALL: [Self; 5] = [Self::F24, Self::F25, Self::F2997, Self::F2997Drop, Self::F30];

    /// Numbers a second: what frames are counted to.
    pub fn numbers(self) -> u32 {
        match self {
            Self::F24 => 24,
            Self::F25 => 25,
            Self::F2997 | Self::F2997Drop | Self::F30 => 30,
        }
    }

    /// Frames a second as they pass.
    pub fn frames_a_second(self) -> f64 {
        match self {
            Self::F2997 | Self::F2997Drop => 30_000.0 / 1_001.0,
            other => f64::from(other.numbers()),
        }
    }

    /// With drop?
    pub fn drops(self) -> bool {
        self == Self::F2997Drop
    }

    /// Frames of a day.
    pub fn day(self) -> u32 {
        let all = self.numbers() * 86_400;
        // Two each minute but every tenth: 24 · 54 minutes.
        if self.drops() { all - 2 * 24 * 54 } else { all }
    }

    /// Frames since midnight; none for a number that is never counted.
    ///
    /// ```
    /// use marea_core::timecode::count::{Code, Count};
    /// let minute = Code { hours: 0, minutes: 1, seconds: 0, frames: 2, drop: true };
    /// assert_eq!(Count::F2997Drop.since_midnight(&minute), Some(1_800));
    /// assert_eq!(Count::F2997Drop.since_midnight(&Code { frames: 0, ..minute }), None);
    /// ```
    pub fn since_midnight(self, code: &Code) -> Option<u32> {
        let [h, m, s, f] = [code.hours, code.minutes, code.seconds, code.frames].map(u32::from);
        if h > 23 || m > 59 || s > 59 || f >= self.numbers() || code.drop != self.drops() {
            return None;
        }
        let all = ((h * 60 + m) * 60 + s) * self.numbers() + f;
        if !self.drops() {
            return Some(all);
        }
        let left_out = s == 0 && f < 2 && m % 10 != 0;
        let minutes = h * 60 + m;
        (!left_out).then(|| all - 2 * (minutes - minutes / 10))
    }

    /// The number of a frame since midnight; it begins anew past midnight.
    pub fn code(self, since_midnight: u32) -> Code {
        let mut n = since_midnight % self.day();
        if self.drops() {
            // Ten minutes have 17,982 frames; the first of them 1,800, the others 1,798.
            let (tens, within) = (n / 17_982, n % 17_982);
            n += 18 * tens + if within < 1_800 { 0 } else { 2 * (1 + (within - 1_800) / 1_798) };
        }
        let a_second = self.numbers();
        let seconds = n / a_second;
        Code {
            hours: (seconds / 3_600) as u8,
            minutes: (seconds / 60 % 60) as u8,
            seconds: (seconds % 60) as u8,
            frames: (n % a_second) as u8,
            drop: self.drops(),
        }
    }

    /// Seconds since midnight at which a frame begins.
    pub fn seconds(self, since_midnight: u32) -> f64 {
        f64::from(since_midnight) / self.frames_a_second()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_number_of_a_day_is_counted_once_and_back() {
        for count in Count::ALL {
            let mut before = None;
            for n in (0..count.day()).step_by(7).chain([count.day() - 1]) {
                let code = count.code(n);
                assert_eq!(count.since_midnight(&code), Some(n), "{count:?} {code}");
                let place = (code.hours, code.minutes, code.seconds, code.frames);
                assert!(before <= Some(place), "{count:?} {code}");
                before = Some(place);
            }
            assert_eq!(count.code(count.day()), count.code(0), "past midnight");
        }
    }

    #[test]
    fn drop_counting_stays_with_the_clock() {
        let count = Count::F2997Drop;
        // Ten minutes of counting are 17,982 frames, ten minutes of the clock to a frame's thousandth (ST 12-1).
        assert_eq!(count.code(17_982).to_string(), "00:10:00;00");
        assert_eq!(count.code(1_799).to_string(), "00:00:59;29");
        assert_eq!(count.code(1_800).to_string(), "00:01:00;02");
        assert!((count.seconds(count.day()) - 86_400.0).abs() < 0.1);
    }
}
