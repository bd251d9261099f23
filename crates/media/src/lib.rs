//! Bytes to signals and back: WAV, BWF, RF64/BW64, FLAC and AIFF in; WAV/BWF and RF64 out.
//!
//! Reading is streaming: [`AudioReader`] hands out interleaved `f32` blocks of bounded size whatever the header claims.
//! Integers up to 24 bits and 32-bit floats arrive exactly; 32-bit integers and 64-bit floats are rounded to `f32`.

mod aiff;
mod compressed;
mod info;
pub mod prepare;
mod reader;
mod riff;
mod stop;
mod wav;
pub mod work;
pub mod write;

pub use info::{AudioInfo, MAX_CHANNELS, MediaError};
pub use reader::{AudioReader, LARGEST_SAMPLE, read_all};
pub use stop::Stop;
