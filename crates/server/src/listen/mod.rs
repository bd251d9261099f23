//! Listening: stereo blocks of the session, as recorded and as corrected together, by the renderer that also delivers.

pub mod command;
mod matching;
pub mod player;
mod sound;
pub mod wire;
