//! Simulated recording sessions with known truth.
//!
//! A [`Scene`] is a room with sound sources and microphones; [`Scene::render`] plays it and says, beside the sound, when and
//! which way up every source arrives in every microphone. Everything random comes from a seed.

pub mod after;
mod between;
pub mod clocks;
pub mod doubles;
pub mod evening;
pub mod grid;
pub mod harbour_hall;
pub mod instruments;
pub mod layers;
pub mod ltc;
pub mod paths;
pub mod prints;
pub mod rehearsal;
mod render;
pub mod renders;
pub mod room;
pub mod score;
mod session;
pub mod sets;
pub mod stages;
pub mod stereo;
pub mod struck;
pub mod takes;
pub mod varied;
pub mod voice;
pub mod walkers;

pub use render::{Arrival, Rendered, write_files};
pub use session::{Fault, Scene, SoundSource, Take};
