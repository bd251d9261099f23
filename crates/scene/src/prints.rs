//! Sends and the prints that a simulated tape machine makes of them: wow, flutter, a wandering speed, drift, saturation, colour and hiss,
//! with the true lag.

use crate::between::Between;
use crate::sets;
use crate::stages::{low_pass_analogue, noisy, peak};
use crate::varied::{Kind, ensemble};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use std::f64::consts::{PI, TAU};
use std::sync::OnceLock;

/// Rate of everything here, in Hz.
pub const RATE_HZ: u32 = 48_000;
const HZ: f64 = 48_000.0;
/// Taps either side with which the machine reads.
const REACH: usize = 40;

/// A machine: how its lag changes.
#[derive(Debug, Clone)]
pub struct Machine {
    /// Lag at the beginning, in seconds.
    pub start_s: f64,
    /// Constant difference in speed, in parts of a million.
    pub drift_ppm: f64,
    /// Wow and flutter: Hz, amplitude of the speed as a part of it, phase.
    pub swings: Vec<[f64; 3]>,
    /// Slow wandering: amplitude of the lag in seconds.
    pub wander_s: f64,
    /// Phases of what wanders.
    phases: [f64; 3],
    /// Comes out inverted?
    pub inverts: bool,
    /// Hiss, in dBFS.
    pub hiss_db: f64,
    /// Input over saturation.
    pub drive: f64,
}

impl Machine {
    /// The machine of a seed.
    pub fn of(rng: &mut ChaCha8Rng) -> Self {
        let mut swing = |hz: std::ops::Range<f64>, speed: std::ops::Range<f64>| {
            [rng.random_range(hz), rng.random_range(speed), rng.random_range(0.0..TAU)]
        };
        let swings =
            vec![swing(0.4..1.2, 0.000_5..0.005), swing(1.2..3.0, 0.000_2..0.002), swing(5.0..9.0, 0.000_1..0.000_5)];
        Self {
            start_s: rng.random_range(0.02..9.5),
            drift_ppm: rng.random_range(-200.0..200.0),
            swings,
            wander_s: rng.random_range(0.0..0.000_5),
            phases: [0; 3].map(|_| rng.random_range(0.0..TAU)),
            inverts: rng.random_bool(0.3),
            hiss_db: rng.random_range(-72.0..-52.0),
            drive: rng.random_range(0.3..2.0),
        }
    }

    /// True lag at a time of the print, both in seconds.
    pub fn lag(&self, t: f64) -> f64 {
        let swung: f64 =
            self.swings.iter().map(|[hz, speed, phase]| speed / (TAU * hz) * (TAU * hz * t + phase).sin()).sum();
        let wander =
            self.phases.iter().enumerate().map(|(n, p)| (TAU * [0.031, 0.077, 0.19][n] * t + p).sin()).sum::<f64>();
        self.start_s + self.drift_ppm * 1e-6 * t + swung + self.wander_s / 3.0 * wander
    }

    /// What it makes of a send.
    pub fn print(&self, send: &[f32], rng: &mut ChaCha8Rng) -> Vec<f32> {
        let len = send.len() + ((self.start_s + 0.5) * HZ) as usize;
        let read = |n: usize| read(send, n as f64 - self.lag(n as f64 / HZ) * HZ);
        let sign = if self.inverts { -1.0 } else { 1.0 };
        let driven = |n| ((self.drive * read(n)).tanh() / self.drive * sign) as f32;
        let played: Vec<f32> = (0..len).into_par_iter().map(driven).collect();
        let [low, high] = [rng.random_range(-4.0..4.0), rng.random_range(-4.0..4.0)];
        let coloured = peak(
            &peak(&played, rng.random_range(60.0..200.0), low, 0.8),
            rng.random_range(2_000.0..7_000.0),
            high,
            0.9,
        );
        noisy(low_pass_analogue(&coloured, rng.random_range(11_000.0..17_000.0)), self.hiss_db, rng)
    }
}

/// Between samples, with taps longer than what Marea reads with.
pub(crate) fn read(x: &[f32], at: f64) -> f64 {
    static HANN: OnceLock<Between> = OnceLock::new();
    HANN.get_or_init(|| Between::new(REACH, |off| 0.5 + 0.5 * (PI * off / (REACH as f64 + 1.0)).cos())).read(x, at)
}

/// A send of a seed: a drum set, one microphone or a main microphone of an ensemble, or slow chords.
pub fn send(seconds: f64, seed: u64) -> Vec<f32> {
    let mut all = match seed % 4 {
        0 => {
            let files = sets::scene(seconds, seed, sets::Kind::Any).render().files;
            let mut sum = vec![0f32; files.iter().map(|f| f.1[0].len()).max().unwrap_or(0)];
            files.iter().for_each(|f| sum.iter_mut().zip(&f.1[0]).for_each(|(s, v)| *s += v));
            sum
        }
        3 => chords(seconds, seed),
        n => {
            let files = ensemble(seconds, seed, Kind::Clean, None).render().files;
            let pair = |f: &&(String, Vec<Vec<f32>>)| (f.1.len() > 1) == (n == 1);
            files.iter().find(pair).or(files.first()).map(|f| f.1[0].clone()).unwrap_or_default()
        }
    };
    let most = all.iter().fold(0f32, |m, v| m.max(v.abs())).max(1e-9);
    all.iter_mut().for_each(|v| *v *= 0.5 / most);
    all
}

/// Chords of tones with a few partials that swell and fade, with rests: little of it marks a moment.
fn chords(seconds: f64, seed: u64) -> Vec<f32> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0xc0de);
    let mut out = vec![0f32; (seconds * HZ) as usize];
    let mut at = 0.2;
    while at < seconds {
        let lasts = rng.random_range(1.2..3.5);
        for _ in 0..rng.random_range(2..5) {
            let hz = 55.0 * (f64::from(rng.random_range(0..36)) / 12.0).exp2();
            let (soft, phase) = (rng.random_range(0.8..2.0), rng.random_range(0.0..TAU));
            let from = (at * HZ) as usize;
            for n in from..out.len().min(from + (lasts * HZ) as usize) {
                let t = (n - from) as f64 / HZ;
                let swell = (t / 0.25).min(1.0) * ((lasts - t) / 0.4).min(1.0);
                let tone: f64 = (1..=12)
                    .filter(|k| f64::from(*k) * hz < 18_000.0)
                    .map(|k| (TAU * hz * f64::from(k) * t + phase * f64::from(k)).sin() / f64::from(k).powf(soft))
                    .sum();
                out[n] += (0.1 * swell * tone) as f32;
            }
        }
        at += lasts * rng.random_range(0.7..1.2);
    }
    out
}
