//! Where the microphones of a set stand, and the paths behind them.

use super::kit::Part;
use super::names::{Kind, Seat, Second};
use crate::SoundSource;
use crate::room::{Mic, Room, Turn};
use rand::Rng;
use rand_chacha::ChaCha8Rng;

/// A microphone and which one it is.
#[derive(Debug, Clone)]
pub struct Placed {
    pub seat: Seat,
    pub mic: Mic,
}

/// Close microphones: one a part, a second one at some drums.
pub fn near(sources: &[SoundSource], parts: &[Part], kind: Kind, rng: &mut ChaCha8Rng) -> Vec<Placed> {
    let mut placed = Vec::new();
    for (i, (part, s)) in parts.iter().zip(sources).enumerate() {
        // Cymbals beside the hat are often left to the overheads.
        if matches!(part, Part::Ride | Part::Crash) && rng.random_bool(0.5) {
            continue;
        }
        let second = if kind == Kind::Clean { Second::No } else { second(*part, rng) };
        let first = if second == Second::No { Second::No } else { Second::First };
        placed.push(Placed { seat: Seat::At(*part, first), mic: close(*part, s.position, rng) });
        if second != Second::No {
            placed.push(Placed { seat: Seat::At(*part, second), mic: beside(second, i, s.position, rng) });
        }
    }
    placed
}

fn second(part: Part, rng: &mut ChaCha8Rng) -> Second {
    match part {
        Part::Kick if rng.random_bool(0.7) => Second::Outside,
        Part::Snare if rng.random_bool(0.75) => Second::Below,
        Part::Tom(_) | Part::Floor if rng.random_bool(0.2) => Second::Below,
        _ => Second::No,
    }
}

/// A hand's breadth over a head or a cymbal, at its audience side; inside or before a bass drum.
fn close(part: Part, at: [f64; 3], rng: &mut ChaCha8Rng) -> Mic {
    let far = rng.random_range(0.05..0.16);
    if part == Part::Kick {
        return Mic::at([at[0], at[1] - far, at[2]], [0.0, 1.0, 0.0], 0.5);
    }
    let turn = rng.random_range(-0.8..0.8f64);
    let d = [0.6 * turn.sin(), 0.6 * turn.cos(), 0.8];
    Mic::at([0, 1, 2].map(|k| at[k] + d[k] * far), d.map(|v| -v), 0.5)
}

fn beside(second: Second, own: usize, at: [f64; 3], rng: &mut ChaCha8Rng) -> Mic {
    let far = rng.random_range(0.1..0.2);
    let mut mic = match second {
        Second::Below => Mic::at([at[0], at[1], at[2] - far], [0.0, 0.0, 1.0], 0.5),
        _ => Mic::at([at[0], at[1] - far - rng.random_range(0.1..0.35), at[2]], [0.0, 1.0, 0.0], 0.5),
    };
    match second {
        Second::Below => mic.behind = Some(own),
        Second::Outside if rng.random_bool(0.6) => {
            mic.turn = Some(Turn { hz: rng.random_range(250.0..1_500.0), of: rng.random_bool(0.5).then_some(own) });
        }
        _ => {}
    }
    mic
}

/// Overheads, and up to three pairs in the room; in a small one a single microphone at times.
pub fn far(room: &Room, centre: [f64; 3], kind: Kind, rng: &mut ChaCha8Rng) -> Vec<Placed> {
    let mut placed = Vec::new();
    let height = (room.size[2] - 0.25).min(rng.random_range(1.9..2.3));
    let apart = rng.random_range(0.5..1.1);
    let y = centre[1] + rng.random_range(0.0..0.5);
    for left in [true, false] {
        let x = centre[0] + if left { -apart / 2.0 } else { apart / 2.0 };
        let off = |rng: &mut ChaCha8Rng| rng.random_range(-0.06..0.06);
        let mic = Mic::at([x + off(rng), y + off(rng), height + off(rng)], [0.0, 0.0, -1.0], 0.5);
        placed.push(Placed { seat: Seat::Over(left), mic });
    }
    let pairs = if kind == Kind::Clean { 1 } else { rng.random_range(1..=3) };
    for n in 0..pairs {
        let wide: f64 = rng.random_range(1.0..2.4);
        let y = (centre[1] - 1.2 - n as f64 * 1.1 - rng.random_range(0.0..0.6)).max(0.3);
        let z = rng.random_range(0.6..1.8);
        if kind == Kind::Any && n > 0 && rng.random_bool(0.3) {
            let mic = Mic::at([centre[0] + rng.random_range(-0.4..0.4), y, z], [0.0, 1.0, 0.0], 0.0);
            placed.push(Placed { seat: Seat::Room(n, None), mic });
            continue;
        }
        for left in [true, false] {
            let x = centre[0] + if left { -wide / 2.0 } else { wide / 2.0 };
            let mic = Mic::at([x.clamp(0.2, room.size[0] - 0.2), y, z], [0.0, 1.0, 0.0], 0.0);
            placed.push(Placed { seat: Seat::Room(n, Some(left)), mic });
        }
    }
    placed
}

/// Noise, gain and filters behind every microphone; both halves of a pair run through like amplifiers.
pub fn paths(placed: &mut [Placed], kind: Kind, rng: &mut ChaCha8Rng) {
    for n in 0..placed.len() {
        let (earlier, rest) = placed.split_at_mut(n);
        let (now, mate) = (&mut rest[0], earlier.last());
        let like = mate.filter(|m| match (m.seat, now.seat) {
            (Seat::Over(_), Seat::Over(_)) => true,
            (Seat::Room(a, Some(_)), Seat::Room(b, Some(_))) => a == b,
            _ => false,
        });
        let mic = &mut now.mic;
        mic.noise_db = rng.random_range(-86.0..-72.0);
        match like {
            Some(m) => (mic.gain_db, mic.low_cut_hz, mic.presence) = (m.mic.gain_db, m.mic.low_cut_hz, m.mic.presence),
            None => {
                mic.gain_db = rng.random_range(-12.0..3.0);
                mic.low_cut_hz = rng.random_range(15.0..60.0);
                mic.presence = rng.random_range(-0.3..0.4);
            }
        }
        // A transformer or a filter on the way of a near microphone turns the phase of all it hears.
        let near = matches!(now.seat, Seat::At(_, Second::No));
        if kind == Kind::Any && near && rng.random_bool(0.05) {
            now.mic.turn = Some(Turn { hz: rng.random_range(250.0..1_500.0), of: None });
        }
    }
}
