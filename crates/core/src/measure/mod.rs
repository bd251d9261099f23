//! From signals to measurements. Nothing here decides what to do about them.

pub mod arrival;
pub mod image;
pub mod lows;
pub mod pair;
pub mod places;
pub mod readings;
pub mod table;
