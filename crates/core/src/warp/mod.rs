//! Two sounds of one text or part, held against each other along time: which moment of one is which of the other.
//!
//! [`bands`] hears, [`path`] finds the cheapest way through both, [`alike`] asks whether it is one text at all; [`tops`]
//! are the places where a curve is highest.

pub mod alike;
pub mod bands;
pub mod path;
pub mod tops;
