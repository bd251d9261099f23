//! From signals to measurements. Nothing here decides what to do about them.

pub mod arrival;
mod attempt;
mod cell;
pub mod consistent;
pub mod copies;
pub mod curve;
mod cut;
pub mod event;
mod far;
mod fine;
pub mod geometry;
pub mod image;
pub mod loudness;
pub mod meter;
pub mod onset;
pub mod overview;
pub mod pair;
pub mod regroup;
pub mod response;
pub mod session;
pub mod spectrum;
pub mod sums;
pub mod survey;
mod transfer;
mod verdict;
mod windows;

pub use arrival::Table;
pub use pair::{PairMeasurement, PairOptions, measure_pair};
pub use session::{Heard, Role, measure_session};
pub use verdict::Verdict;

/// Called now and then with the part done (0 … 1). Returning `false` asks the computation to stop.
pub type Progress<'a> = &'a mut dyn FnMut(f64) -> bool;

/// Why a measurement gave no result at all (an uncertain one is a result).
#[derive(Debug, thiserror::Error)]
pub enum MeasureError {
    /// A recording could not be read.
    #[error(transparent)]
    Read(#[from] crate::signal::ReadError),
    /// The caller asked to stop.
    #[error("stopped on request")]
    Stopped,
}
