//! What the player plays: a groove with fills, rolls, flams and strokes that fall together.

use super::kit::{Part, Piece, rattle};
use crate::instruments::add;
use marea_core::units::amplitude_of_db;
use rand::Rng;
use rand_chacha::ChaCha8Rng;

/// Dry sound and strokes of every piece, and what the wires under the snare give to all of it.
pub struct Played {
    pub parts: Vec<(Vec<f32>, Vec<i64>)>,
    pub wires: Vec<f32>,
}

struct Player<'a> {
    pieces: &'a [Piece],
    rate: f64,
    played: Played,
    loose_s: f64,
    answers: f64,
}

/// Plays for so many frames.
pub fn play(pieces: &[Piece], frames: usize, rate: f64, rng: &mut ChaCha8Rng) -> Played {
    let sixteenth = 15.0 / rng.random_range(90.0..165.0);
    let parts = pieces.iter().map(|_| (vec![0f32; frames], Vec::new())).collect();
    let mut p = Player {
        pieces,
        rate,
        played: Played { parts, wires: vec![0f32; frames] },
        loose_s: rng.random_range(0.002..0.012),
        answers: amplitude_of_db(rng.random_range(-34.0..-22.0)),
    };
    let kick: Vec<bool> = (0..16).map(|s| s == 0 || rng.random_bool(if s % 4 == 2 { 0.45 } else { 0.12 })).collect();
    let eighths = rng.random_bool(0.6);
    let fill_every = *[4, 4, 8].get(rng.random_range(0..3)).unwrap_or(&4);
    let ridden = if pieces.iter().any(|p| p.part == Part::Ride) { Part::Ride } else { Part::Hat };
    let bars = ((frames as f64 / rate - 1.5) / (sixteenth * 16.0)) as usize;
    for bar in 0..bars {
        let at = |step: usize| 0.4 + (bar * 16 + step) as f64 * sixteenth;
        let fill_from = if (bar + 1) % fill_every == 0 { rng.random_range(0..9) } else { 16 };
        if bar % fill_every == 0 && bar > 0 {
            p.strike(Part::Crash, at(0), 0.9, rng);
        }
        // Every other section is played on the ride.
        let time = if bar / fill_every % 2 == 0 { Part::Hat } else { ridden };
        for step in 0..fill_from.min(16) {
            if step % 2 == 0 || (!eighths && rng.random_bool(0.7)) {
                p.strike(time, at(step), if step % 4 == 0 { 0.8 } else { rng.random_range(0.35..0.65) }, rng);
            }
            if kick[step] {
                p.strike(Part::Kick, at(step), rng.random_range(0.7..1.0), rng);
            }
            if step == 4 || step == 12 {
                p.strike(Part::Snare, at(step), rng.random_range(0.75..1.0), rng);
                if rng.random_bool(0.15) {
                    p.strike(Part::Snare, at(step) - rng.random_range(0.018..0.035), 0.3, rng);
                }
            } else if rng.random_bool(0.08) {
                p.strike(Part::Snare, at(step), rng.random_range(0.12..0.3), rng);
            }
        }
        p.fill(fill_from, &at, rng);
    }
    p.played
}

impl Player<'_> {
    /// Down the toms, in sixteenths, sometimes a roll of thirty-seconds.
    fn fill(&mut self, from: usize, at: &dyn Fn(usize) -> f64, rng: &mut ChaCha8Rng) {
        let drums: Vec<Part> = self
            .pieces
            .iter()
            .map(|p| p.part)
            .filter(|p| matches!(p, Part::Snare | Part::Tom(_) | Part::Floor))
            .collect();
        let count = (16usize).saturating_sub(from);
        let each = count.div_ceil(drums.len()).max(1);
        let roll = rng.random_bool(0.3);
        let sparse = rng.random_bool(0.4);
        for step in from..16 {
            let part = drums[((step - from) / each).min(drums.len() - 1)];
            if sparse && step % 2 == 1 {
                continue;
            }
            self.strike(part, at(step), rng.random_range(0.6..1.0), rng);
            if roll {
                self.strike(part, (at(step) + at(step + 1)) / 2.0, rng.random_range(0.35..0.6), rng);
            }
        }
        if count > 0 && rng.random_bool(0.3) {
            self.strike(Part::Kick, at(14), 0.8, rng);
        }
    }

    fn strike(&mut self, part: Part, at_s: f64, force: f64, rng: &mut ChaCha8Rng) {
        let Some(i) = self.pieces.iter().position(|p| p.part == part) else { return };
        let at = ((at_s + rng.random_range(-self.loose_s..self.loose_s)) * self.rate) as i64;
        let sound = self.pieces[i].stroke(self.rate, force, rng);
        add(&mut self.played.parts[i].0, at, &sound, 0.8);
        self.played.parts[i].1.push(at);
        // The others answer once the sound has reached them.
        for (k, other) in self.pieces.iter().enumerate().filter(|(k, o)| *k != i && o.part.is_drum()) {
            let answer = other.answer(self.rate, force * self.answers, rng);
            let far = crate::room::distance(other.position, self.pieces[i].position) / crate::room::SPEED_M_S;
            add(&mut self.played.parts[k].0, at + (far * self.rate) as i64, &answer, 0.8);
        }
        let snare = self.pieces.iter().find(|p| p.part == Part::Snare);
        let wires =
            snare.map_or(0.0, |s| crate::room::distance(s.position, self.pieces[i].position) / crate::room::SPEED_M_S);
        let loud = if part == Part::Snare { 0.5 } else { 0.06 };
        add(&mut self.played.wires, at + (wires * self.rate) as i64, &rattle(self.rate, force * loud, rng), 0.8);
    }
}
