//! Another sample rate with exact timing: output frame n is the input at n·from/to, lengths in whole numbers.
//!
//! A windowed sinc (Kaiser β = 11, 48 zero crossings either side), cut off at 0.46 of the lower rate. The ratio is reduced;
//! when it has few phases the taps are tabulated, otherwise they are computed in place.

use crate::render::sinc::{kaiser, sinc};
use crate::signal::{ReadError, Source, index};
use crate::units::SampleRate;

const CROSSINGS: f64 = 48.0;
const MAX_TABLE: u64 = 2_048;

/// Converts one channel block by block.
pub struct Resampler {
    up: i64,
    down: i64,
    half: i64,
    cutoff: f64,
    table: Vec<Vec<f32>>,
    scratch: Vec<f32>,
}

impl Resampler {
    /// A converter between two rates.
    pub fn new(from: SampleRate, to: SampleRate) -> Self {
        let (from, to) = (u64::from(from), u64::from(to));
        let divisor = gcd(from, to);
        let (up, down) = (to / divisor, from / divisor);
        // Cut-off as a part of the input's rate, doubled: 1 would be its Nyquist frequency.
        let cutoff = 0.92 * (to as f64 / from as f64).min(1.0);
        let half = (CROSSINGS / cutoff).ceil() as i64;
        let mut made = Self { up: up as i64, down: down as i64, half, cutoff, table: Vec::new(), scratch: Vec::new() };
        if up <= MAX_TABLE {
            made.table = (0..up).map(|phase| made.taps(phase as f64 / up as f64)).collect();
        }
        made
    }

    /// Length after conversion: every output frame whose instant lies inside the input.
    pub fn output_frames(&self, input_frames: i64) -> i64 {
        i64::try_from(
            (i128::from(input_frames) * i128::from(self.up) + i128::from(self.down) - 1) / i128::from(self.down),
        )
        .unwrap_or(i64::MAX)
    }

    fn taps(&self, fraction: f64) -> Vec<f32> {
        let taps: Vec<f64> = (-self.half + 1..=self.half)
            .map(|k| {
                let x = k as f64 - fraction;
                sinc(x * self.cutoff) * kaiser(x / self.half as f64, 11.0)
            })
            .collect();
        let sum: f64 = taps.iter().sum();
        taps.iter().map(|t| (t / sum) as f32).collect()
    }

    /// Fills `out` with the converted frames from output frame `start` on.
    ///
    /// # Errors
    /// [`ReadError`] as the source gives it.
    pub fn read(&mut self, source: &dyn Source, start: i64, out: &mut [f32]) -> Result<(), ReadError> {
        let position = |n: i64| (n * self.down).div_euclid(self.up);
        let first = position(start) - self.half + 1;
        let last = position(start + out.len() as i64) + self.half + 1;
        self.scratch.resize(index(last - first), 0.0);
        source.read(first, &mut self.scratch)?;
        for (i, o) in out.iter_mut().enumerate() {
            let n = start + i as i64;
            let phase = (n * self.down).rem_euclid(self.up);
            let from = index(position(n) - self.half + 1 - first);
            let window = &self.scratch[from..from + index(2 * self.half)];
            let dot = |taps: &[f32]| {
                let mut sums = [0f32; 8];
                for (x, t) in window.chunks(8).zip(taps.chunks(8)) {
                    for (j, (a, b)) in x.iter().zip(t).enumerate() {
                        sums[j] += a * b;
                    }
                }
                sums.iter().sum::<f32>()
            };
            *o = if self.table.is_empty() {
                dot(&self.taps(phase as f64 / self.up as f64))
            } else {
                dot(&self.table[index(phase)])
            };
        }
        Ok(())
    }
}

fn gcd(a: u64, b: u64) -> u64 {
    if b == 0 { a } else { gcd(b, a % b) }
}
