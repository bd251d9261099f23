//! Signal processing that measurements share: spectra, windows, envelopes, lags, medians.

pub mod bands;
pub mod drawn;
pub mod envelope;
pub mod far_lag;
pub mod lag_curve;
pub mod one_delay;
pub mod overview;
pub mod prediction;
pub mod spectrum;
pub mod stats;
pub mod sums;
pub mod window;
