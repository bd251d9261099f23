//! What was made of *Harbour Hall* after the evening: a tape print, a camera's recording, and the notes of the bells.

use crate::Rendered;
use crate::evening::bells_played;
use crate::harbour_hall::{BPM, RATE_HZ};
use crate::prints::{Machine, read};
use crate::renders::file;
use crate::stages::{low_pass_analogue, noisy};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;

/// The tape print lies this much behind the marimba, in seconds.
pub const PRINT_LATE_S: f64 = 0.136;
/// It is longer by this, in parts of a million.
pub const PRINT_PPM: f64 = 21.0;
/// The camera was started this much later than the recorders, in seconds.
pub const CAMERA_LATE_S: f64 = 41.0;
/// Its clock is faster by this, in parts of a million.
pub const CAMERA_PPM: f64 = 38.0;
/// The bells' rendering comes late by a dotted 1/64, in frames: 58.6 ms at 96 quarters a minute.
pub const BELLS_LATE_FRAMES: usize = 2_813;

/// Parts of a quarter in the notes.
const PARTS: u32 = 480;

/// Adds the print and the camera to what was recorded, and delays the bells. Nothing else changes.
pub fn add_after(evening: &mut Rendered, seed: u64) {
    let hz = f64::from(RATE_HZ);
    let plane = |name: &str, channel: usize| {
        evening.files.iter().find(|f| f.0 == name).map(|f| f.1[channel].clone()).unwrap_or_default()
    };
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x7a9e);
    let mut machine = Machine::of(&mut rng);
    machine.start_s = PRINT_LATE_S;
    machine.drift_ppm = PRINT_PPM;
    machine.swings = vec![[0.56, 0.001_1, 0.4], [2.2, 0.000_25, 1.0], [7.4, 0.000_15, 2.0]];
    (machine.wander_s, machine.inverts, machine.hiss_db, machine.drive) = (0.000_15, false, -66.0, 0.5);
    let print = machine.print(&plane("Marimba high.wav", 0), &mut rng);
    // A camera in the choir stall hears what the right one of the pair there does, with less at the upper end.
    let hall = plane("Choir stall pair.wav", 1);
    let frames = ((hall.len() as f64 - CAMERA_LATE_S * hz) * (1.0 + CAMERA_PPM * 1e-6)).max(0.0) as usize;
    let at = |n: usize| CAMERA_LATE_S * hz + n as f64 / (1.0 + CAMERA_PPM * 1e-6);
    let camera: Vec<f32> = (0..frames).map(|n| read(&hall, at(n)) as f32).collect();
    let camera = noisy(low_pass_analogue(&camera, 9_000.0), -70.0, &mut rng);
    if let Some((_, planes)) = evening.files.iter_mut().find(|f| f.0 == "Bells rendered.wav") {
        for plane in planes {
            plane.rotate_right(BELLS_LATE_FRAMES);
            plane[..BELLS_LATE_FRAMES].fill(0.0);
        }
    }
    evening.files.push(("Marimba high print.wav".into(), vec![print]));
    evening.files.push(("Camera.wav".into(), vec![camera]));
}

/// The notes of the bells as a Standard MIDI File, from bar 1 on.
pub fn bells_notes(seconds: f64) -> Vec<u8> {
    let notes: Vec<(u32, u32, u8)> = bells_played(seconds).map(|(half, key)| (half * 2 * PARTS, PARTS, key)).collect();
    file(&notes, BPM)
}
