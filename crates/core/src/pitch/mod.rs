//! The pitch of a single voice along time, and the notes in it.
//!
//! [`yin`] tells the period of a moment, [`track`] which of several octaves it is and whether it is one at all, [`notes`] what was sung.

pub mod notes;
pub mod track;
pub mod yin;

pub use notes::{Note, notes};
pub use track::{Pitch, pitch};
