//! Probing a path: a known signal is sent through it, found in what comes back, and tells the path's latency, polarity and response.
//!
//! Method: the response is got by regularised division of spectra, so that harmonics of a sweep fall before it (Farina 2000); the part of
//! its phase that follows from its magnitude is divided out; what is left is a delay and a sign. An equaliser then adds no latency of its own,
//! which the peak of the response and the slope of the phase both get wrong by tenths of a sample.

mod find;
mod response;
mod signal;

pub use find::{Reading, read};
pub use signal::{LEAD_S, PERIOD_S, Signal, signal, written};
