//! Readings of what is heard: levels, correlation, loudness.

pub mod loudness;
pub mod meter;
