//! A click on every beat, for the ear only: never part of what is delivered.

use crate::edit::tempo::Beats;
use std::f64::consts::TAU;

/// Length of a click in seconds.
const LENGTH_S: f64 = 0.03;
/// Peak of the accented click: 12 dB under full scale.
const PEAK: f64 = 0.25;

/// Clicks on beats.
#[derive(Debug, Clone)]
pub struct Click {
    /// Frames a second.
    pub rate_hz: f64,
    /// Where they fall.
    pub beats: Beats,
}

impl Click {
    /// The sample at a place in session frames: a short falling tone on each beat, higher on the first of a bar.
    pub fn at(&self, place: f64) -> f32 {
        let beat = self.beats.at(place);
        let since = beat.frames / self.rate_hz;
        if since >= LENGTH_S {
            return 0.0;
        }
        let (hz, peak) = if beat.in_bar == 0 { (1_600.0, PEAK) } else { (1_200.0, 0.6 * PEAK) };
        // Begins and ends at nothing: a sine that falls, faded over the last third.
        let end = ((LENGTH_S - since) / (LENGTH_S / 3.0)).min(1.0);
        (peak * end * (-since / 0.008).exp() * (TAU * hz * since).sin()) as f32
    }

    /// Adds the clicks to both sides from a place on, `speed` session frames a sample.
    pub fn add(&self, at: f64, speed: f64, left: &mut [f32], right: &mut [f32]) {
        for (n, (l, r)) in left.iter_mut().zip(right).enumerate() {
            let v = self.at(at + speed * n as f64);
            *l += v;
            *r += v;
        }
    }
}
