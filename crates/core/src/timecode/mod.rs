//! SMPTE time code (ST 12-1): counting, and the linear code recorded as audio.

pub mod count;
pub mod ltc;
