//! Applying edits, block by block. What is heard and what is delivered both come from here.

pub mod click;
mod mix;
pub mod resample;
pub mod sinc;
pub mod track;
pub mod varispeed;

pub use crate::render::mix::{Mix, Voice, pan_sides};
