//! Drums and cymbals: where they stand about the player, what they sound like, what answers when another is struck.

use crate::instruments::{Mode, struck};
use rand::Rng;
use rand_chacha::ChaCha8Rng;

/// One part of a set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    Kick,
    Snare,
    Hat,
    Tom(usize),
    Floor,
    Ride,
    Crash,
}

impl Part {
    /// Has a head that rings and answers when others are struck.
    pub fn is_drum(self) -> bool {
        matches!(self, Self::Kick | Self::Snare | Self::Tom(_) | Self::Floor)
    }

    /// Lowest mode in Hz, seconds it rings, share of noise.
    fn voice(self) -> (f64, f64, f64) {
        match self {
            Self::Kick => (58.0, 0.35, 0.35),
            Self::Snare => (185.0, 0.22, 0.9),
            Self::Tom(n) => (150.0 - 28.0 * n as f64, 0.5, 0.4),
            Self::Floor => (82.0, 0.7, 0.4),
            Self::Hat => (420.0, 0.12, 0.5),
            Self::Ride => (310.0, 1.2, 0.3),
            Self::Crash => (240.0, 1.6, 0.5),
        }
    }
}

/// A part in its place.
pub struct Piece {
    pub part: Part,
    pub position: [f64; 3],
    modes: Vec<Mode>,
    noise: f64,
}

/// Places about the bass drum in metres for a right-handed player who looks at the audience: to the right as the audience sees it,
/// away from it, up (common practice, no source).
fn place(part: Part) -> [f64; 3] {
    match part {
        Part::Kick => [0.0, 0.0, 0.3],
        Part::Snare => [0.28, 0.42, 0.66],
        Part::Hat => [0.66, 0.44, 0.86],
        Part::Tom(0) => [0.2, 0.08, 0.88],
        Part::Tom(1) => [-0.18, 0.08, 0.86],
        Part::Tom(_) => [-0.5, 0.2, 0.8],
        Part::Floor => [-0.52, 0.48, 0.6],
        Part::Ride => [-0.72, 0.12, 1.1],
        Part::Crash => [0.62, -0.06, 1.3],
    }
}

/// Five to nine parts about `centre`.
pub fn kit(centre: [f64; 3], rng: &mut ChaCha8Rng) -> Vec<Piece> {
    let mut parts = vec![Part::Kick, Part::Snare, Part::Hat, Part::Tom(0), Part::Floor];
    let more = [Part::Ride, Part::Tom(1), Part::Crash, Part::Tom(2)];
    parts.extend(&more[..rng.random_range(0..=4)]);
    // A left-handed player's set stands the other way round.
    let hand = if rng.random_bool(0.15) { -1.0 } else { 1.0 };
    let tuned = rng.random_range(0.85..1.2);
    parts
        .into_iter()
        .map(|part| {
            let p = place(part);
            let near = |v: f64, rng: &mut ChaCha8Rng| v + rng.random_range(-0.06..0.06);
            let position =
                [centre[0] + hand * near(p[0], rng), centre[1] + near(p[1], rng), centre[2] + near(p[2], rng)];
            let (low, long, noise) = part.voice();
            Piece { part, position, modes: modes(part, low * tuned, long, rng), noise }
        })
        .collect()
}

/// Modes of a head (ratios of the ideal membrane, Rossing, Science of Percussion Instruments, from memory), or of a plate: many, dense
/// and high.
fn modes(part: Part, low: f64, long: f64, rng: &mut ChaCha8Rng) -> Vec<Mode> {
    if part.is_drum() {
        let ratios = [1.0, 1.59, 2.14, 2.3, 2.65, 2.92, 3.6];
        return ratios
            .iter()
            .map(|r| Mode {
                hz: low * r * rng.random_range(0.98..1.02),
                gain: 0.7 / r * rng.random_range(0.5..1.0),
                decay_s: long * rng.random_range(0.7..1.1) / r,
            })
            .collect();
    }
    (0..36)
        .map(|_| {
            let hz: f64 = low * rng.random_range(1.0f64..28.0f64).powf(rng.random_range(0.7..1.1));
            let hz = hz.min(15_000.0);
            Mode { hz, gain: 0.09 * rng.random_range(0.3..1.0), decay_s: long * rng.random_range(0.4..1.0) }
        })
        .collect()
}

impl Piece {
    /// A stroke: never twice the same.
    pub fn stroke(&self, rate: f64, force: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
        let bent = rng.random_range(0.99..1.01);
        let modes: Vec<Mode> = (self.modes.iter())
            .map(|m| Mode { hz: m.hz * bent, gain: m.gain * force * rng.random_range(0.6..1.1), ..*m })
            .collect();
        // Harder strokes are brighter.
        let long = match self.part {
            Part::Snare => 0.06,
            Part::Hat | Part::Ride | Part::Crash => 0.03,
            _ => 0.005,
        };
        struck(rate, &modes, self.noise * force.powf(1.3), long, rng)
    }

    /// What its head answers when another part is struck: its lowest modes, without an attack.
    pub fn answer(&self, rate: f64, force: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
        let modes: Vec<Mode> = (self.modes.iter().take(3))
            .map(|m| Mode { hz: m.hz, gain: m.gain * force * rng.random_range(0.5..1.0), ..*m })
            .collect();
        let mut out = struck(rate, &modes, 0.0, 0.001, rng);
        let rise = 0.012 * rate;
        out.iter_mut().enumerate().for_each(|(t, v)| *v *= (t as f64 / rise).min(1.0) as f32);
        out
    }
}

/// Wires under a snare: noise after every stroke anywhere.
pub fn rattle(rate: f64, force: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let mut past = 0.0;
    let mut out = Vec::with_capacity((0.15 * rate) as usize);
    for t in 0..(0.15 * rate) as usize {
        let s = t as f64 / rate;
        let white: f64 = rng.random_range(-1.0..1.0);
        let low = past;
        past = 0.5 * past + 0.5 * white;
        out.push((force * (s / 0.004).min(1.0) * (-s / 0.035).exp() * (past - low)) as f32);
    }
    out
}
