//! Marea's core: what several recordings of one event have to do with one another, and how to bring
//! them together. Pure computation: no files, no clock, no logging; work on whole sessions is shared among rayon's threads.
//!
//! The flow is `Source → Measurement → Decision → Edit → Rendered`; a later stage may use an earlier one's
//! types, never the other way round.
//!
//! # Conventions
//! * Time is counted in frames at the session's rate. Whole positions are `i64`; fractional ones `f64`.
//! * **Lag of B against A** is positive when B comes *later* than A. Moving B by minus the lag brings it
//!   onto A.
//! * **Offset of a track** is positive when it plays *later*.
//! * Polarity is `+1` or `-1` for the whole band ([`edit::Edit::invert`]).
//! * Levels are dBFS after AES17: a full-scale sine reads 0 dBFS RMS. Amplitude ratios are 20·log10, power
//!   ratios 10·log10.
//! * Correlations are normalised to −1 … +1 without removing the mean.
//! * Fourier transforms are unnormalised forward; the factor 1/N is applied once, on the way back.
//! * A cross-spectrum is `conj(A)·B`, so that its inverse peaks at the lag of B against A.

pub mod blemish;
pub mod decide;
pub mod dsp;
pub mod edit;
pub mod follow;
pub mod grid;
pub mod hits;
pub mod layer;
pub mod lead;
pub mod measure;
pub mod notes;
pub mod onsets;
pub mod paths;
pub mod pitch;
pub mod probe;
pub mod progress;
pub mod render;
pub mod retune;
pub mod scaling;
pub mod signal;
pub mod sync;
pub mod takes;
pub mod timecode;
pub mod timing;
pub mod track;
pub mod units;
pub mod verdict;
pub mod warp;
pub mod widen;
