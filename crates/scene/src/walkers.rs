//! Somebody who walks about while two microphones hear him, with the true lag along time.

use crate::between::Between;
use crate::instruments::{add, reed, voice};
use crate::room::distance;
use crate::stages::noisy;
use marea_core::render::sinc::kaiser;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use realfft::RealFftPlanner;
use realfft::num_complex::Complex;
use std::sync::OnceLock;

const HZ: f64 = 48_000.0;
/// Speed of sound, in m/s.
const SOUND: f64 = 343.2;
/// Places of an arrival are computed every so many frames, and lie on a line between: nobody turns in a millisecond.
const EVERY: usize = 32;
/// Walls reflect this part; reflections of the first order move along, what comes later is the room's.
const WALLS: f64 = 0.6;

/// What walks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Who {
    /// Talks, with pauses.
    Talker,
    /// Whispers.
    Whisperer,
    /// Plays a reed instrument.
    Player,
}

/// Two microphones and the one who walks between them.
pub struct Walk {
    /// What they heard, at 48 kHz.
    pub heard: [Vec<f32>; 2],
    /// The second is inverted.
    pub inverts: bool,
    /// Who it is.
    pub who: Who,
    mics: [[f64; 3]; 2],
    path: Vec<(f64, [f64; 3])>,
}

impl Walk {
    /// Frames at 48 kHz by which the second microphone hears him later, at a frame of the second.
    pub fn lag(&self, frame: f64) -> f64 {
        let [first, second] = self.mics;
        let mut said = frame / HZ;
        for _ in 0..4 {
            said = frame / HZ - distance(self.at(said), second) / SOUND;
        }
        (distance(self.at(said), second) - distance(self.at(said), first)) / SOUND * HZ
    }

    fn at(&self, t: f64) -> [f64; 3] {
        place(&self.path, t)
    }
}

/// Where he is: a smooth step from knot to knot.
fn place(path: &[(f64, [f64; 3])], t: f64) -> [f64; 3] {
    let n = path.partition_point(|k| k.0 <= t).clamp(1, path.len() - 1);
    let ((t0, a), (t1, b)) = (path[n - 1], path[n]);
    let x = ((t - t0) / (t1 - t0)).clamp(0.0, 1.0);
    let x = x * x * (3.0 - 2.0 * x);
    std::array::from_fn(|i| a[i] + (b[i] - a[i]) * x)
}

/// The walk of a seed.
pub fn walk(seconds: f64, seed: u64) -> Walk {
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x3a1c);
    let size = [rng.random_range(4.0..11.0), rng.random_range(3.5..8.0), rng.random_range(2.5..4.0)];
    let mut somewhere =
        |height: f64| [rng.random_range(0.5..size[0] - 0.5), rng.random_range(0.5..size[1] - 0.5), height];
    let first = somewhere(1.6);
    let mut second = somewhere(1.6);
    while distance(first, second) < 1.2 {
        second = somewhere(1.6);
    }
    let mut path = vec![(0.0, somewhere(1.5))];
    while path[path.len() - 1].0 < seconds + 1.0 {
        let (t, from) = path[path.len() - 1];
        // He stands, or walks at up to a good pace; he keeps away from both microphones.
        if rng.random_bool(0.3) {
            path.push((t + rng.random_range(1.0..5.0), from));
            continue;
        }
        let to =
            [rng.random_range(0.5..size[0] - 0.5), rng.random_range(0.5..size[1] - 0.5), rng.random_range(1.4..1.6)];
        if distance(to, first).min(distance(to, second)) > 0.4 {
            // The smooth step is half as fast again in its middle.
            path.push((t + 1.5 * distance(from, to) / rng.random_range(0.4..1.2) + 0.2, to));
        }
    }
    let who = [Who::Talker, Who::Talker, Who::Whisperer, Who::Player][(seed % 4) as usize];
    let said = said(seconds, who, &mut rng);
    let inverts = rng.random_bool(0.25);
    let late = late(rng.random_range(0.25..0.9), &mut rng);
    let level = rng.random_range(0.05..0.25);
    let noise_db = rng.random_range(-62.0..-42.0);
    let mut each = [first, second].map(|mic| {
        let direct = moving(&said, &path, mic, size);
        // What comes later is the room's, another for every microphone.
        let shifted: Vec<f64> = late.iter().map(|v| v * f64::from(rng.random_range(-1.0f32..1.0))).collect();
        let tail = convolved(&said, &shifted);
        let both: Vec<f32> = direct.iter().zip(&tail).map(|(d, t)| 0.3 * d + level as f32 * t).collect();
        noisy(both, noise_db, &mut rng)
    });
    if inverts {
        each[1].iter_mut().for_each(|v| *v = -*v);
    }
    Walk { heard: each, inverts, who, mics: [first, second], path }
}

/// Taps to either side with which a moving sound is read.
const HALF: usize = 16;

/// Between samples.
fn read(x: &[f32], at: f64) -> f64 {
    static KAISER: OnceLock<Between> = OnceLock::new();
    KAISER.get_or_init(|| Between::new(HALF, |off| kaiser(off / HALF as f64, 7.0))).read(x, at)
}

/// What reaches a microphone from somebody who moves: directly and by the six nearest reflections.
fn moving(said: &[f32], path: &[(f64, [f64; 3])], mic: [f64; 3], size: [f64; 3]) -> Vec<f32> {
    let image = |k: usize, at: [f64; 3]| match k {
        0 => at,
        _ => {
            let (axis, far) = ((k - 1) / 2, (k - 1) % 2 == 1);
            let mut mirrored = at;
            mirrored[axis] = if far { 2.0 * size[axis] - at[axis] } else { -at[axis] };
            mirrored
        }
    };
    let arrival = |k: usize, frame: f64| {
        let mut t = frame / HZ;
        let away = |t: f64| distance(image(k, place(path, t)), mic);
        (0..3).for_each(|_| t = frame / HZ - away(t) / SOUND);
        (t * HZ, if k == 0 { 1.0 } else { WALLS } / away(t).max(0.3))
    };
    let blocks: Vec<usize> = (0..said.len()).step_by(EVERY).collect();
    let parts: Vec<Vec<f32>> = blocks
        .par_iter()
        .map(|from| {
            let mut out = vec![0f64; EVERY.min(said.len() - from)];
            for k in 0..7 {
                let [(a, g), (b, h)] = [0, EVERY].map(|n| arrival(k, (from + n) as f64));
                for (n, o) in out.iter_mut().enumerate() {
                    let x = n as f64 / EVERY as f64;
                    *o += (g + (h - g) * x) * read(said, a + (b - a) * x);
                }
            }
            out.into_iter().map(|v| v as f32).collect()
        })
        .collect();
    parts.concat()
}

/// An envelope of what comes after the first reflections.
fn late(reverberation_s: f64, rng: &mut ChaCha8Rng) -> Vec<f64> {
    let begins = rng.random_range(0.015..0.03);
    (0..(reverberation_s * HZ) as usize)
        .map(|n| {
            let t = n as f64 / HZ;
            if t < begins { 0.0 } else { 0.05 * 10f64.powf(-3.0 * t / reverberation_s) }
        })
        .collect()
}

fn convolved(x: &[f32], h: &[f64]) -> Vec<f32> {
    let len = (x.len() + h.len()).next_power_of_two();
    let mut planner = RealFftPlanner::<f64>::new();
    let forward = planner.plan_fft_forward(len);
    let spectrum = |values: &mut dyn Iterator<Item = f64>| -> Vec<Complex<f64>> {
        let mut padded: Vec<f64> = values.collect();
        padded.resize(len, 0.0);
        let mut out = forward.make_output_vec();
        forward.process(&mut padded, &mut out).expect("lengths fit by construction");
        out
    };
    let (a, b) = (spectrum(&mut x.iter().map(|v| f64::from(*v))), spectrum(&mut h.iter().copied()));
    let mut both: Vec<Complex<f64>> = a.iter().zip(&b).map(|(a, b)| a * b / len as f64).collect();
    let inverse = planner.plan_fft_inverse(len);
    let mut out = inverse.make_output_vec();
    inverse.process(&mut both, &mut out).expect("lengths fit by construction");
    out.truncate(x.len());
    out.into_iter().map(|v| v as f32).collect()
}

/// What he says, dry.
fn said(seconds: f64, who: Who, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let frames = (seconds * HZ) as usize;
    let mut out = vec![0f32; frames];
    let mut t = 0.3;
    let own = rng.random_range(43.0..58.0);
    while t < seconds - 0.5 {
        let lasts = match who {
            Who::Player => rng.random_range(0.2..0.9),
            _ => rng.random_range(0.09..0.3),
        };
        let gain = rng.random_range(0.4..1.0);
        let at = (t * HZ) as i64;
        let formants =
            [rng.random_range(300.0..800.0), rng.random_range(900.0..2_300.0), rng.random_range(2_400.0..3_300.0)];
        match who {
            Who::Player => {
                let key = own + f64::from([0, 2, 4, 5, 7, 9, 11, 12][rng.random_range(0..8)]);
                add(&mut out, at, &reed(HZ, key + 12.0, 0.8, lasts, rng), gain);
            }
            Who::Talker => {
                add(&mut out, at, &voice(HZ, own + rng.random_range(-4.0..4.0), formants, lasts, rng), 3.0 * gain);
                if rng.random_bool(0.4) {
                    add(&mut out, at - 2_400, &hiss(0.06, rng), 0.12 * gain);
                }
            }
            Who::Whisperer => add(&mut out, at, &hiss(lasts, rng), 0.25 * gain),
        }
        let pause = if rng.random_bool(0.12) { rng.random_range(0.4..2.5) } else { rng.random_range(0.0..0.08) };
        t += lasts + pause;
    }
    out
}

/// Breath: noise of a band that swells and falls.
fn hiss(seconds: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let frames = (seconds * HZ) as usize;
    let dark = rng.random_range(0.2..0.8);
    let mut past = 0.0;
    (0..frames)
        .map(|n| {
            past = dark * past + (1.0 - dark) * rng.random_range(-1.0..1.0);
            let x = n as f64 / frames as f64;
            (past * (std::f64::consts::PI * x).sin()) as f32
        })
        .collect()
}
