//! Linear time code as a generator writes it (SMPTE ST 12-1; from memory).

use crate::stages::noisy;
use marea_core::timecode::count::Count;
use rand_chacha::ChaCha8Rng;

/// A code as it is recorded.
#[derive(Debug, Clone, Copy)]
pub struct Generator {
    /// How it counts.
    pub count: Count,
    /// Its first frame since midnight.
    pub first: u32,
    /// Samples a second of the recording.
    pub rate_hz: f64,
    /// Where the first frame begins, in samples.
    pub begins: f64,
    /// Peak.
    pub level: f64,
    /// How much faster its clock goes than the recorder's, in parts of a million.
    pub ppm: f64,
}

impl Generator {
    /// So many frames of the code, with silence before.
    pub fn record(&self, frames: u32) -> Vec<f32> {
        let bit = self.frame_samples() / 80.0;
        let mut changes = Vec::new();
        for n in 0..frames {
            let begins = self.at(n);
            for (k, one) in bits(self.count, self.first + n).into_iter().enumerate() {
                changes.push(begins + k as f64 * bit);
                if one {
                    changes.push(begins + (k as f64 + 0.5) * bit);
                }
            }
        }
        // The change that ends the last bit.
        changes.push(self.at(frames));
        let len = (self.at(frames) + 200.0) as usize;
        let mut out = vec![0f32; len];
        // Silence, until the first change brings the level up.
        let (mut sign, mut next) = (1.0, 0);
        // A change takes 50 µs, from 25 µs before its place.
        let half = 25e-6 * self.rate_hz;
        for (n, v) in out.iter_mut().enumerate() {
            let t = n as f64;
            if t < self.begins || t > self.at(frames) + bit {
                continue;
            }
            while next < changes.len() && t > changes[next] + half {
                sign = -sign;
                next += 1;
            }
            let way = changes.get(next).map_or(1.0, |c| if t > c - half { (c - t) / half } else { 1.0 });
            *v = (self.level * sign * way) as f32;
        }
        out
    }

    /// The same with noise, in dB under the code's peak.
    pub fn record_noisy(&self, frames: u32, under_db: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
        noisy(self.record(frames), 20.0 * self.level.log10() - under_db, rng)
    }

    /// Where a frame of the code begins, in samples.
    pub fn at(&self, frame: u32) -> f64 {
        self.begins + f64::from(frame) * self.frame_samples()
    }

    fn frame_samples(&self) -> f64 {
        self.rate_hz / self.count.frames_a_second() / (1.0 + 1e-6 * self.ppm)
    }
}

/// The bits of a frame: time, no user bits, the drop flag, the sync word.
pub fn bits(count: Count, since_midnight: u32) -> [bool; 80] {
    let code = count.code(since_midnight);
    let mut bits = [false; 80];
    let mut digit = |from: usize, value: u8, len: usize| (0..len).for_each(|k| bits[from + k] = value >> k & 1 == 1);
    for (from, value, tens) in [(0, code.frames, 2), (16, code.seconds, 3), (32, code.minutes, 3), (48, code.hours, 2)]
    {
        digit(from, value % 10, 4);
        digit(from + 8, value / 10, tens);
    }
    bits[10] = count.drops();
    let sync = 0b0011_1111_1111_1101u16;
    (0..16).for_each(|k| bits[64 + k] = sync >> (15 - k) & 1 == 1);
    // The polarity bit makes the number of zeros even: every frame begins the same way up.
    let place = if count == Count::F25 { 59 } else { 27 };
    bits[place] = bits.iter().filter(|b| !**b).count() % 2 == 1;
    bits
}
