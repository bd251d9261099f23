//! Performance timing, as opposed to arrival: strokes of a set are moved together, so that its microphones keep how they stand to one
//! another.
//!
//! [`grid`] says where a stroke was meant, [`moves`] how far each event goes, [`plan`] cuts the set into slices, [`tighten`] does all three,
//! and [`proof`] reads every attack back from them.

pub mod grid;
pub mod moves;
pub mod plan;
pub mod proof;
pub mod tighten;
