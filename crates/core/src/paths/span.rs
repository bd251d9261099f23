//! Delays that add up exactly.

use std::iter::Sum;
use std::ops::{Add, Sub};

/// A delay in whole millionths of a sample at the session's rate.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Span(pub i64);

impl Span {
    /// To the nearest millionth.
    pub fn of_samples(samples: f64) -> Self {
        Self((samples * 1e6).round() as i64)
    }

    /// In samples.
    pub fn samples(self) -> f64 {
        self.0 as f64 / 1e6
    }
}

impl Add for Span {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        Self(self.0 + other.0)
    }
}

impl Sub for Span {
    type Output = Self;
    fn sub(self, other: Self) -> Self {
        Self(self.0 - other.0)
    }
}

impl Sum for Span {
    fn sum<I: Iterator<Item = Self>>(all: I) -> Self {
        Self(all.map(|s| s.0).sum())
    }
}
