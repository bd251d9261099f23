//! Two-channel recordings of one event: coincident, apart or mono, with known faults between the channels, by seed.

use crate::room::Mic;
use crate::varied::{Kind, ensemble};
use crate::{Scene, Take};
use marea_core::units::amplitude_of_db;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// How it was recorded.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Technique {
    /// Two cardioids at one place, turned apart: level tells the sides, never time.
    Coincident,
    /// Microphones 17 cm to 3 m apart: every source has a time of its own between the channels.
    Apart,
    /// One microphone on both channels.
    Mono,
}

/// A recording and what was done to it.
pub struct Recording {
    /// The scene with its one file.
    pub scene: Scene,
    /// How it was recorded.
    pub technique: Technique,
    /// Frames by which the second channel is later by a fault.
    pub delay_frames: f64,
    /// One of the channels is inverted.
    pub inverted: bool,
    /// Level of the second channel against the first by a fault, in dB.
    pub louder_db: f64,
}

/// Name of the file.
pub const FILE: &str = "Stereo.wav";

/// The recording of a seed. Times and levels go wrong only where sound can tell: not between microphones apart.
pub fn recording(seconds: f64, seed: u64) -> Recording {
    let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(0x51_7c_c1).wrapping_add(5));
    let mut scene = ensemble(seconds, seed, Kind::Clean, Some(rng.random_range(3..=7)));
    let count = scene.sources.len() as f64;
    let middle = [0, 1].map(|a| scene.sources.iter().map(|s| s.position[a]).sum::<f64>() / count);
    let front = scene.sources.iter().map(|s| s.position[1]).fold(f64::MAX, f64::min);
    let place = [middle[0] + rng.random_range(-0.3..0.3), (front - rng.random_range(0.8..2.2)).max(0.8), 1.7];
    let technique = [Technique::Coincident, Technique::Apart, Technique::Mono][(seed % 3) as usize];
    let apart = match technique {
        Technique::Apart => [0.17, 0.4, 0.8, 1.6, 3.0][rng.random_range(0..5)],
        _ => 0.0f64,
    };
    let wide = if technique == Technique::Mono { 0.0 } else { rng.random_range(0.6..1.2f64) };
    let mut mics: Vec<Mic> = [-0.5, 0.5]
        .map(|side| {
            let at = [place[0] + side * apart.min(scene.room.size[0] * 0.5), place[1], place[2]];
            Mic::at(at, [(side * 2.0 * wide).sin(), (side * 2.0 * wide).cos(), -0.15], 0.5)
        })
        .to_vec();
    mics.iter_mut().for_each(|m| m.noise_db = rng.random_range(-90.0..-72.0));
    let inverted = rng.random_bool(0.4);
    let (mut delay_frames, mut louder_db) = (0.0, 0.0);
    if technique == Technique::Coincident && rng.random_bool(0.5) {
        delay_frames = rng.random_range(0.4..40.0) * if rng.random_bool(0.5) { 1.0 } else { -1.0 };
    }
    if technique == Technique::Mono && rng.random_bool(0.5) {
        louder_db = rng.random_range(0.6..4.0) * if rng.random_bool(0.5) { 1.0 } else { -1.0 };
    }
    mics[1].latency_frames = f64::max(delay_frames, 0.0);
    mics[0].latency_frames = f64::max(-delay_frames, 0.0);
    mics[1].gain_db = louder_db;
    mics[usize::from(rng.random_bool(0.5))].inverted = inverted;
    scene.takes = vec![Take { file: FILE.into(), mics }];
    scene.faults.clear();
    Recording { scene, technique, delay_frames, inverted, louder_db }
}

impl Recording {
    /// Both channels.
    pub fn render(&self) -> [Vec<f32>; 2] {
        let mut played = self.scene.render();
        let mut planes = played.files.remove(0).1;
        if self.technique == Technique::Mono {
            // One microphone: the same room, noise and all.
            let factor = amplitude_of_db(self.louder_db) * if self.inverted { -1.0 } else { 1.0 };
            planes[1] = planes[0].iter().map(|v| v * factor as f32).collect();
        }
        [planes.remove(0), planes.remove(0)]
    }
}
