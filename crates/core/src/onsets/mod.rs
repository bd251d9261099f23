//! Where sounds begin: struck ones at once, slow ones out of silence.
//!
//! `change`, `swell` → [`begun`]; [`strokes`] finds all of a recording.

mod begun;
mod change;
mod strokes;
mod swell;

pub use begun::{Begun, Kind, Look, MOST_GUESSED_MS, TOGETHER_S};
pub use strokes::{Stroke, strokes};
