//! Reading between frames at another speed: pitch goes with it, as on a machine with another clock.

use super::sinc::{FractionalDelay, HALF_TAPS};
use std::sync::OnceLock;

/// Slowest and fastest speed of listening.
pub const SPEEDS: std::ops::RangeInclusive<f64> = 0.25..=1.0;

/// Steps between two frames for which taps are kept; between steps taps are taken in proportion, which keeps the error under
/// −100 dB over 0.4 of the rate (`tests/listening.rs` measures it).
const STEPS: usize = 512;

/// The taps of [`FractionalDelay`] at every step.
fn table() -> &'static [[f32; 2 * HALF_TAPS]] {
    static TABLE: OnceLock<Vec<[f32; 2 * HALF_TAPS]>> = OnceLock::new();
    // A point `x` frames after a frame is that frame's successor delayed by 1 − x.
    TABLE.get_or_init(|| (0..=STEPS).map(|i| *FractionalDelay::new(1.0 - i as f64 / STEPS as f64).taps()).collect())
}

/// Which frames are needed for points from one place to another: first and number.
pub fn between(from: f64, to: f64) -> (i64, usize) {
    let first = from.floor() as i64 - HALF_TAPS as i64 + 1;
    let last = to.floor() as i64 + HALF_TAPS as i64;
    (first, usize::try_from(last - first + 1).unwrap_or(0))
}

/// The point at a place; `input` begins with frame `first` and holds what [`between`] told.
pub fn point(input: &[f32], first: i64, place: f64) -> f32 {
    let within = (place - place.floor()) * STEPS as f64;
    let (step, share) = (within as usize, within.fract() as f32);
    let from = (place.floor() - first as f64) as usize + 1 - HALF_TAPS;
    let window = &input[from..from + 2 * HALF_TAPS];
    let (a, b) = (&table()[step], &table()[(step + 1).min(STEPS)]);
    // Eight running sums: one sum would wait for itself, and the compiler may not reorder it.
    let mut sums = [0f32; 8];
    for (x, (a, b)) in window.chunks_exact(8).zip(a.chunks_exact(8).zip(b.chunks_exact(8))) {
        for k in 0..8 {
            sums[k] += x[k] * (a[k] + share * (b[k] - a[k]));
        }
    }
    sums.iter().sum()
}

/// A mix read at another speed.
#[derive(Default)]
pub struct Varispeed {
    scratch: Vec<f32>,
}

impl Varispeed {
    /// Fills both sides with points from `at` on, `speed` frames apart; `read` fills both from a frame on.
    ///
    /// # Errors
    /// As `read` says.
    pub fn through<E>(
        &mut self,
        at: f64,
        speed: f64,
        out: [&mut [f32]; 2],
        mut read: impl FnMut(i64, &mut [f32], &mut [f32]) -> Result<(), E>,
    ) -> Result<(), E> {
        let place = |n: usize| at + speed * n as f64;
        let (first, count) = between(at, place(out[0].len().saturating_sub(1)));
        self.scratch.resize(2 * count, 0.0);
        let (left, right) = self.scratch.split_at_mut(count);
        read(first, left, right)?;
        for (side, input) in out.into_iter().zip([left, right]) {
            side.iter_mut().enumerate().for_each(|(n, o)| *o = point(input, first, place(n)));
        }
        Ok(())
    }
}
