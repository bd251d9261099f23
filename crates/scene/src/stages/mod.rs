//! Twelve simulated stages of processing that stand in for devices: each really processes, and has a latency that is stated and one that
//! is true. What one says of itself and what it does are not always the same.

mod parts;
mod process;

pub use parts::{convolved, delayed, low_pass, low_pass_analogue, noisy, peak};

use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;

/// A device that is not there.
#[derive(Clone, Copy)]
pub struct Stage {
    /// What it is.
    pub name: &'static str,
    /// What it says its latency is, in samples at 48 kHz.
    pub stated: f64,
    /// What its latency is, in samples at 48 kHz; none where no one delay fits all frequencies.
    pub latency: Option<f64>,
    /// Does it come out inverted?
    pub inverts: bool,
    run: fn(&[f32], &mut ChaCha8Rng) -> Vec<f32>,
}

impl Stage {
    /// Sound at 48 kHz through it; as long as what goes in.
    pub fn process(&self, x: &[f32], rng: &mut ChaCha8Rng) -> Vec<f32> {
        (self.run)(x, rng)
    }

    /// The same with noise of a seed.
    pub fn process_seeded(&self, x: &[f32], seed: u64) -> Vec<f32> {
        self.process(x, &mut ChaCha8Rng::seed_from_u64(seed))
    }
}

const fn stage(
    name: &'static str,
    stated: f64,
    latency: Option<f64>,
    inverts: bool,
    run: fn(&[f32], &mut ChaCha8Rng) -> Vec<f32>,
) -> Stage {
    Stage { name, stated, latency, inverts, run }
}

/// All twelve.
pub const STAGES: [Stage; 12] = [
    stage("Lookahead limiter", 72.0, Some(72.0), false, process::limiter),
    stage("Linear-phase equaliser", 2_048.0, Some(2_048.0), false, process::linear_phase),
    stage("Noise reduction in long blocks", 4_096.0, Some(8_192.0), false, process::noise_reduction),
    stage("Oversampled saturation", 31.0, Some(31.5), false, process::saturation),
    stage("Converter loop", 60.0, Some(61.37), false, process::converters),
    stage("Wireless hop", 240.0, Some(254.4), false, process::wireless),
    stage("Tape machine", 9_000.0, None, false, process::tape),
    stage("Plate", 0.0, None, false, process::plate),
    stage("Re-amplified cabinet", 0.0, Some(56.2), true, process::cabinet),
    stage("Transformer", 0.0, Some(0.0), false, process::transformer),
    stage("Compressor", 0.0, Some(0.0), false, process::compressor),
    stage("Network hop", 1_024.0, Some(1_264.0), false, process::network),
];
