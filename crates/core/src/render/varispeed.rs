//! Listening more slowly: the sound is read at a fraction of its speed, and its pitch falls with it, as on a slowed machine.

use crate::render::sinc::{FractionalDelay, HALF_TAPS};

/// Slowest and fastest speed.
pub const SPEEDS: std::ops::RangeInclusive<f64> = 0.25..=1.0;

/// Steps between two frames for which taps are kept; between steps taps are taken in proportion, which keeps the error under
/// −100 dB over 0.4 of the rate (`tests/listening.rs` measures it).
const STEPS: usize = 512;

/// Reads between frames with the taps of [`FractionalDelay`].
pub struct Varispeed {
    taps: Vec<[f32; 2 * HALF_TAPS]>,
    scratch: Vec<f32>,
}

impl Default for Varispeed {
    fn default() -> Self {
        // A point `x` frames after a frame is that frame's successor delayed by 1 − x.
        let taps = (0..=STEPS).map(|i| *FractionalDelay::new(1.0 - i as f64 / STEPS as f64).taps()).collect();
        Self { taps, scratch: Vec::new() }
    }
}

/// Which frames are needed for so many points from `at` on, each `speed` frames after the last: first and number.
pub fn needed(at: f64, speed: f64, points: usize) -> (i64, usize) {
    let first = at.floor() as i64 - HALF_TAPS as i64 + 1;
    let last = (at + speed * points.saturating_sub(1) as f64).floor() as i64 + HALF_TAPS as i64;
    (first, usize::try_from(last - first + 1).unwrap_or(0))
}

impl Varispeed {
    /// Fills `out` with points from `at` on, `speed` frames apart; `input` holds the frames that [`needed`] told.
    pub fn read(&mut self, at: f64, speed: f64, input: &[f32], out: &mut [f32]) {
        let first = at.floor() - HALF_TAPS as f64 + 1.0;
        for (n, o) in out.iter_mut().enumerate() {
            let place = at + speed * n as f64;
            let within = (place - place.floor()) * STEPS as f64;
            let (step, share) = (within as usize, within.fract() as f32);
            let from = (place.floor() - first) as usize + 1 - HALF_TAPS;
            let window = &input[from..from + 2 * HALF_TAPS];
            let (a, b) = (&self.taps[step], &self.taps[(step + 1).min(STEPS)]);
            *o = window.iter().zip(a.iter().zip(b)).map(|(x, (a, b))| x * (a + share * (b - a))).sum();
        }
    }

    /// Both sides slowed down into `out`; `read` fills both from a frame on.
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
        let [left, right] = out;
        let (first, count) = needed(at, speed, left.len());
        let mut scratch = std::mem::take(&mut self.scratch);
        scratch.resize(2 * count, 0.0);
        let (l, r) = scratch.split_at_mut(count);
        let done = read(first, l, r);
        if done.is_ok() {
            self.read(at, speed, l, left);
            self.read(at, speed, r, right);
        }
        self.scratch = scratch;
        done
    }
}
