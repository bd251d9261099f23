//! Listening: stereo blocks of the session, as recorded and as corrected together, by the renderer that also delivers.

mod player;
pub mod wire;

pub use player::{Player, Reply};
