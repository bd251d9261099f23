//! How a copy drifts: later and earlier, slowly and within bounds.

use crate::dsp::drawn::drawn;
use crate::units::SampleRate;
use std::f64::consts::{LN_2, TAU};

/// A drift is the sum of so many waves: what they share of it, and how fast each is against the first. Nothing comes round again soon.
const WAVES: [(f64, f64); 3] = [(0.5, 1.0), (0.3, 1.93), (0.2, 3.31)];
/// Each is drawn so much faster or slower, as a part.
const UNEVEN: f64 = 0.2;

/// What is asked of the copies.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Asked {
    /// How many; every other one stands left, the rest right.
    pub copies: usize,
    /// No copy is ever further off in time, in ms.
    pub apart_ms: f64,
    /// Nor in pitch, in cents.
    pub cents: f64,
    /// Which drift: each number is another one, and the same every time.
    pub drift: u32,
}

/// A wave: frames, radians a frame, radians.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Wave {
    size: f64,
    pace: f64,
    phase: f64,
}

/// How much later a copy is, moment by moment. Its pitch follows from it: what comes later and later is flat meanwhile.
#[derive(Debug, Clone, PartialEq)]
pub struct Drift([Wave; 3]);

impl Drift {
    /// By how many frames the copy is later at a frame.
    pub fn later(&self, at: f64) -> f64 {
        self.0.iter().map(|w| w.size * (w.pace * at + w.phase).sin()).sum()
    }

    /// By how many cents it is sharp there.
    pub fn cents(&self, at: f64) -> f64 {
        let slower: f64 = self.0.iter().map(|w| w.size * w.pace * (w.pace * at + w.phase).cos()).sum();
        1_200.0 * (1.0 - slower).log2()
    }
}

/// A drift for every copy.
pub fn drifts(asked: &Asked, rate: SampleRate) -> Vec<Drift> {
    let size = asked.apart_ms * rate.hz_f64() / 1_000.0;
    // Of small ratios: one cent is so much of the speed.
    let steepest = asked.cents * LN_2 / 1_200.0;
    let one = |copy: usize| {
        let of = |n: usize| drawn((u64::from(asked.drift) << 16) + (copy * 2 * WAVES.len() + n) as u64);
        let fast: Vec<f64> =
            WAVES.iter().enumerate().map(|(n, w)| w.1 * (1.0 + UNEVEN * (2.0 * of(2 * n) - 1.0))).collect();
        let all: f64 = WAVES.iter().zip(&fast).map(|(w, fast)| w.0 * fast).sum();
        // The slopes of all waves together are the steepest that is asked; without a size there is none.
        let pace = if size > 0.0 { steepest / (size * all) } else { 0.0 };
        let wave = |n: usize| Wave { size: WAVES[n].0 * size, pace: pace * fast[n], phase: TAU * of(2 * n + 1) };
        Drift([wave(0), wave(1), wave(2)])
    };
    (0..asked.copies).map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// However it is asked, no copy leaves its bounds, and its pitch is the slope of its time.
        #[test]
        fn drifts_keep_within_what_is_asked(
            copies in 2usize..7, apart_ms in 0.1f64..40.0, cents in 0.1f64..30.0, drift in 0u32..1_000, at in 0f64..3e7,
        ) {
            let rate = SampleRate::new(48_000).unwrap();
            let all = drifts(&Asked { copies, apart_ms, cents, drift }, rate);
            prop_assert_eq!(all.len(), copies);
            for d in &all {
                prop_assert!(d.later(at).abs() <= apart_ms * 48.0 + 1e-9);
                // A slope downwards is a little more of a cent than the same upwards.
                prop_assert!(d.cents(at).abs() <= cents * 1.02, "{}", d.cents(at));
                let slope = (d.later(at + 5.0) - d.later(at - 5.0)) / 10.0;
                prop_assert!((1_200.0 * (1.0 - slope).log2() - d.cents(at)).abs() < 1e-3 * cents.max(1.0));
            }
        }
    }

    #[test]
    fn copies_and_numbers_drift_apart() {
        let rate = SampleRate::new(48_000).unwrap();
        let of = |drift: u32| drifts(&Asked { copies: 4, apart_ms: 12.0, cents: 6.0, drift }, rate);
        let all: Vec<f64> = [1, 2].into_iter().flat_map(of).map(|d| d.later(480_000.0)).collect();
        for (n, a) in all.iter().enumerate() {
            assert!(all[..n].iter().all(|b| (a - b).abs() > 1.0), "{all:?}");
        }
        assert_eq!(of(1), of(1));
    }
}
