//! What is measured of a session's tracks. Every kind is the same to the server: which tracks, what of them counts, and the
//! measuring itself. A result is kept under the hash of what counts; with another hash it is out of date.

mod by_hand;
pub mod check;
pub mod clocks;
pub mod double;
pub mod image;
mod keep;
mod kind;
pub mod layer;
pub mod noises;
pub mod notes;
pub mod pair;
pub mod pitch;
pub mod print;
pub mod proved;
pub mod send;
pub mod takes;
pub mod tempo;
pub mod timing;
pub mod wide;
pub mod work;

pub use keep::{begin, keep_up, put, run};
pub use kind::{Derived, Now};
