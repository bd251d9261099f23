//! How long work tells how far it is, and how it is stopped.

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
