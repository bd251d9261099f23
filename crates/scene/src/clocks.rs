//! Two recorders at one event, each with a microphone and a clock of its own.

use crate::instruments::{add, flute, frame_drum, marimba, plucked, voice};
use crate::prints::read;
use crate::stages::{convolved, low_pass_analogue, noisy};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;

const HZ: f64 = 48_000.0;

/// What the two recorded, and the truth.
pub struct Recorded {
    /// All of the event.
    pub reference: Vec<f32>,
    /// A part of it.
    pub other: Vec<f32>,
    /// The reference's frame at which the other begins, by the direct sound.
    pub begins: f64,
    /// How much faster the other counts, in parts of a million.
    pub ppm: f64,
    /// The other is inverted against the reference.
    pub inverts: bool,
    /// The event is one loop again and again: nobody can tell where the other begins.
    pub repeats: bool,
}

/// The recordings of a seed: an event of some seconds, of which the other recorder has some.
pub fn recorded(seconds: f64, of_them: f64, seed: u64) -> Recorded {
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0xc10c);
    let repeats = seed % 10 == 9;
    let sound = if repeats {
        let one = event(8.0, &mut rng);
        one.iter().copied().cycle().take((seconds * HZ) as usize).collect()
    } else {
        event(seconds, &mut rng)
    };
    let ppm = rng.random_range(-120.0..120.0);
    let inverts = rng.random_bool(0.3);
    let begins_s = rng.random_range(2.0..(seconds - of_them - 2.0).max(2.1));
    let [near, far] = [rng.random_range(0.5..3.0), rng.random_range(3.0..25.0)];
    let mut heard = |metres: f64, direct: f64| {
        let delay = metres / 343.0 * HZ;
        (convolved(&sound, &room(delay, direct, &mut rng)), delay.round())
    };
    let (a, delay_a) = heard(near, 4.0);
    let (b, delay_b) = heard(far, 1.0);
    let sign = if inverts { -1.0 } else { 1.0 };
    let step = 1.0 / (1.0 + 1e-6 * ppm);
    let len = (of_them * HZ) as usize;
    let other: Vec<f32> =
        (0..len).into_par_iter().map(|n| (sign * read(&b, begins_s * HZ + n as f64 * step)) as f32).collect();
    let other = low_pass_analogue(&other, rng.random_range(7_000.0..16_000.0));
    let noise = rng.random_range(-62.0..-44.0);
    Recorded {
        reference: noisy(level(a), -66.0, &mut rng),
        other: noisy(level(other), noise, &mut rng),
        begins: begins_s * HZ + delay_a - delay_b,
        ppm,
        inverts,
        repeats,
    }
}

fn level(mut x: Vec<f32>) -> Vec<f32> {
    let most = x.iter().fold(1e-9f32, |m, v| m.max(v.abs()));
    x.iter_mut().for_each(|v| *v *= 0.4 / most);
    x
}

/// Phrases of several players, with pauses.
fn event(seconds: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let mut out = vec![0f32; (seconds * HZ) as usize];
    let mut at = 0.3;
    while at < seconds {
        let force = rng.random_range(0.2..1.0);
        let key = f64::from(rng.random_range(45..80));
        let lasts = rng.random_range(0.2..1.2);
        let one = match rng.random_range(0..5) {
            0 => marimba(HZ, key, force, rng),
            1 => plucked(HZ, key, force, lasts, rng),
            2 => voice(
                HZ,
                key - 10.0,
                [[700.0, 1_200.0, 2_500.0], [350.0, 2_000.0, 2_800.0]][rng.random_range(0..2)],
                lasts,
                rng,
            ),
            3 => flute(HZ, key + 10.0, force, lasts, rng),
            _ => frame_drum(HZ, force, rng),
        };
        add(&mut out, (at * HZ) as i64, &one, 0.3);
        at += if rng.random_bool(0.03) { rng.random_range(2.0..6.0) } else { rng.random_range(0.05..0.7) };
    }
    out
}

/// The direct sound, sixty reflections and a tail.
fn room(delay: f64, direct: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let first = delay.round() as usize;
    let mut taps = vec![0f32; first + 24_000];
    taps[first] = direct as f32;
    for _ in 0..60 {
        let after = rng.random_range(40..6_000);
        let falls = (-(after as f64) / 2_500.0).exp();
        taps[first + after] += (rng.random_range(-0.8..0.8) * falls) as f32;
    }
    for (n, tap) in taps[first + 1_000..].iter_mut().enumerate() {
        *tap += (rng.random_range(-1.0..1.0) * 0.03 * (-(n as f64) / 5_000.0).exp()) as f32;
    }
    taps
}
