//! Performance timing, as opposed to arrival: strokes of a set are moved together, so that its microphones keep how they stand to one
//! another.
//!
//! [`grid`] says where a stroke was meant, [`moves`] how far each event goes, [`plan`] cuts the set into slices, [`tighten`] does all three,
//! [`single`] moves the strokes of one part each as it is told, and [`proof`] reads every attack back from the slices.

pub mod grid;
pub mod moves;
pub mod plan;
pub mod proof;
pub mod single;
pub mod tighten;
