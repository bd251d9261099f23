//! Sound between samples: a windowed sinc out of a table, for machines, clocks and people who move.
//!
//! Taps are kept for 1,024 places between two samples and blended by straight lines: an error of (π / 1024)² / 8, or −118 dB at
//! the top of the band, far below the noise of every simulated microphone.

use marea_core::render::sinc::sinc;

const PLACES: usize = 1_024;

/// Reads with `2 · half` taps.
pub(crate) struct Between {
    half: i64,
    taps: Vec<f32>,
}

impl Between {
    /// `window` is asked at −half … half, in samples.
    pub(crate) fn new(half: usize, window: impl Fn(f64) -> f64) -> Self {
        let tap = |place: usize, k: usize| {
            let off = k as f64 - (half as f64 - 1.0) - place as f64 / PLACES as f64;
            (sinc(off) * window(off)) as f32
        };
        let taps = (0..=PLACES).flat_map(|place| (0..2 * half).map(move |k| (place, k)));
        Self { half: half as i64, taps: taps.map(|(place, k)| tap(place, k)).collect() }
    }

    /// `x` at a fractional sample; silence around it.
    pub(crate) fn read(&self, x: &[f32], at: f64) -> f64 {
        let whole = at.floor();
        let place = (at - whole) * PLACES as f64;
        let (row, blend) = ((place as usize).min(PLACES - 1), (place - place.floor()) as f32);
        let width = 2 * self.half as usize;
        let [low, high] = [row, row + 1].map(|r| &self.taps[r * width..][..width]);
        let first = whole as i64 - (self.half - 1);
        let from = first.clamp(0, x.len() as i64);
        let to = (first + width as i64).clamp(from, x.len() as i64);
        let inside = (from - first).clamp(0, width as i64) as usize;
        let taps = low[inside..].iter().zip(&high[inside..]);
        taps.zip(&x[from as usize..to as usize]).map(|((l, h), v)| f64::from((l + (h - l) * blend) * v)).sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use marea_core::render::sinc::kaiser;

    /// Tones up to 0.4 of the rate against the sine itself; at the ends, silence is read as such.
    #[test]
    fn tones_are_read_between_their_samples() {
        let between = Between::new(32, |off| kaiser(off / 32.0, 10.0));
        for hz in [0.01, 0.17, 0.4f64] {
            let tone = |t: f64| (std::f64::consts::TAU * hz * t).sin();
            let x: Vec<f32> = (0..400).map(|n| tone(f64::from(n)) as f32).collect();
            for at in [100.0, 150.25, 201.999_9, 250.000_4, 222.731] {
                let off = between.read(&x, at) - tone(at);
                assert!(off.abs() < 1e-5, "{hz} of the rate at {at}: off by {off:e}");
            }
        }
        assert_eq!(between.read(&[1.0; 8], -100.5), 0.0);
        assert_eq!(between.read(&[1.0; 8], 200.5), 0.0);
        assert!((between.read(&[1.0], 0.0) - 1.0).abs() < 1e-6);
    }
}
