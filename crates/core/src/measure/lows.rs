//! Which way up two tracks agree where it is heard most: in the lows, or where most of what they share lies.

use crate::dsp::bands::{LOWS_HZ, LOWS_MATTER};

/// Under this part of what both share in the band that decides, their agreement is a toss-up (found on simulated sessions, see
/// docs/accuracy.md).
const TOSS_UP: f64 = 0.35;
/// Octaves that may decide begin at 224 Hz, the upper edge of the third-octave at 200 Hz, and at every third-octave above.
const FIRST_OCTAVE_HZ: f64 = 223.872;
const STARTS: i32 = 18;

/// What two tracks share at one frequency, with the lag taken out.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shared {
    /// Frequency in Hz.
    pub hz: f64,
    /// Real part of the cross-spectrum: above 0 where both push the same way.
    pub re: f64,
    /// Its magnitude.
    pub size: f64,
}

/// Sign of the energy that two tracks share: of the lows (up to 200 Hz) when at least a tenth of it lies there, else of the
/// octave that holds most of it. 0 when it is a toss-up or when nothing is shared.
///
/// ```
/// use marea_core::measure::lows::{Shared, low_sign};
/// let at = |hz, re| Shared { hz, re, size: 1.0 };
/// assert_eq!(low_sign(&[at(100.0, -0.9), at(2_000.0, 1.0)]), -1);
/// assert_eq!(low_sign(&[at(100.0, 0.1)]), 0);
/// ```
pub fn low_sign(shared: &[Shared]) -> i8 {
    let sum = |low: f64, high: f64, of: fn(&Shared) -> f64| -> f64 {
        shared.iter().filter(|s| s.hz >= low && s.hz < high).map(of).sum()
    };
    let size = |low: f64, high: f64| sum(low, high, |s| s.size);
    // 200 Hz itself belongs to the lows.
    let lows = (0.0, LOWS_HZ + 1e-6);
    let band = if size(lows.0, lows.1) >= LOWS_MATTER * size(0.0, f64::INFINITY) {
        lows
    } else {
        let octave = |k: i32| {
            let low = FIRST_OCTAVE_HZ * 10f64.powf(f64::from(k) / 10.0);
            (low, low * 10f64.powf(0.3))
        };
        // Of two alike the lower: it is heard as the body.
        (0..STARTS).map(octave).rev().max_by(|a, b| size(a.0, a.1).total_cmp(&size(b.0, b.1))).unwrap_or(lows)
    };
    let (re, most) = (sum(band.0, band.1, |s| s.re), size(band.0, band.1));
    if most <= 0.0 || re.abs() < most * TOSS_UP { 0 } else { re.signum() as i8 }
}
