//! A click, and tracks played to it: early, late, with feel.

use crate::instruments::{add, cajon, key_hz, marimba};
use crate::stages::noisy;
use marea_core::edit::tempo::{TempoChange, TempoMap};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::f64::consts::TAU;

const HZ: f64 = 48_000.0;

/// A track played to the click.
pub struct Played {
    /// Its sound at 48 kHz.
    pub sound: Vec<f32>,
    /// How much later than the grid it was meant, in ms.
    pub lag_ms: f64,
    /// Played with feel: its lag wanders.
    pub feel: bool,
    /// Slow bass notes; otherwise struck.
    pub slow: bool,
}

/// A click and its tracks.
pub struct Session {
    /// The click.
    pub click: Vec<f32>,
    /// Its changes. The bar that is counted in is bar 1: a click says no more than that.
    pub changes: Vec<TempoChange>,
    /// Frame of bar 1.
    pub first_beat: f64,
    /// What was played.
    pub tracks: Vec<Played>,
}

/// The session of a seed, of so many bars.
pub fn session(bars: u32, seed: u64) -> Session {
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x9a1d);
    let metre = [3, 4, 4, 4, 5][rng.random_range(0..5)];
    // Tempi as programs have them: a quarter of a beat a minute at the finest.
    let mut tempo = || f64::from(rng.random_range(300..640)) / 4.0;
    let mut changes = vec![TempoChange { quarter: 0, bpm: tempo(), quarters_a_bar: metre }];
    if seed.is_multiple_of(3) {
        changes.push(TempoChange { quarter: metre * (bars / 2 + 1), bpm: tempo(), quarters_a_bar: metre });
    }
    let first_beat = rng.random_range(0.2..1.0) * HZ;
    let map = TempoMap::new(first_beat, changes.clone()).expect("a map by construction");
    let beats = map.beats(HZ);
    let quarters = metre * (bars + 1);
    let end = beats.frame_of(f64::from(quarters));
    let len = (end + HZ) as usize;
    let mut click = vec![0f32; len];
    let (accent, plain) = [(1_800.0, 1_200.0), (1_000.0, 1_000.0)][rng.random_range(0..2)];
    for q in 0..quarters {
        let one = q % metre == 0;
        let tone: Vec<f32> = (0..1_400)
            .map(|n| {
                let t = f64::from(n) / HZ;
                ((TAU * if one { accent } else { plain } * t).sin() * (-t / 0.008).exp()) as f32
            })
            .collect();
        add(&mut click, beats.frame_of(f64::from(q)).round() as i64, &tone, if one { 0.8 } else { 0.45 });
    }
    let click = noisy(click, -80.0, &mut rng);
    let tracks = (0..4)
        .map(|n| {
            let (feel, slow) = (n == 2, n == 3);
            let lag_ms = rng.random_range(-45.0..45.0);
            let drift = if feel { rng.random_range(8.0..16.0) } else { 0.0 };
            let mut sound = vec![0f32; len];
            let part = if slow { 1.0 } else { 0.5 };
            let mut q = f64::from(metre);
            while q < f64::from(quarters) {
                let beat = q.fract() == 0.0;
                let keep = if beat { 0.9 } else { 0.45 };
                if rng.random_bool(keep) {
                    let own = (0..4).map(|_| rng.random_range(-1.0..1.0)).sum::<f64>() * 1.2;
                    let wander = drift * (TAU * q / f64::from(quarters)).sin() * 1.6;
                    let at = beats.frame_of(q) + (lag_ms + own + wander) * 48.0;
                    let force = if beat { rng.random_range(0.6..1.0) } else { rng.random_range(0.3..0.6) };
                    let seconds = 60.0 / changes[0].bpm;
                    let one = match n {
                        0 => cajon(HZ, beat, force, &mut rng),
                        3 => bass(f64::from(rng.random_range(30..45)), force, 0.6 * seconds, &mut rng),
                        _ => marimba(HZ, f64::from(rng.random_range(55..80)), force, &mut rng),
                    };
                    add(&mut sound, at.round() as i64, &one, 0.4);
                }
                q += part;
            }
            Played { sound: noisy(sound, rng.random_range(-95.0..-75.0), &mut rng), lag_ms, feel, slow }
        })
        .collect();
    Session { click, changes, first_beat, tracks }
}

/// A bass that swells for 30 to 70 ms and stops.
fn bass(key: f64, force: f64, seconds: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let (f, swells) = (key_hz(key), rng.random_range(0.03..0.07));
    let sample = |n: usize| {
        let t = n as f64 / HZ;
        let envelope = (t / swells).min(1.0) * ((seconds - t) / 0.04).clamp(0.0, 1.0);
        let tone: f64 = (1..=6).map(|k| (TAU * f * f64::from(k) * t).sin() / f64::from(k)).sum();
        (force * envelope * tone * 0.5) as f32
    };
    (0..(seconds * HZ) as usize).map(sample).collect()
}
