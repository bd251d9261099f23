//! Drum sets as people record them: close microphones that all hear everything, second ones below and outside, pairs as mono files,
//! names in many spellings, and what goes wrong with them.

mod amps;
mod groove;
mod kit;
mod mics;
mod names;
pub mod score;

use crate::room::{Mic, Room};
use crate::{Fault, Scene, SoundSource, Take};
use kit::Part;
use mics::Placed;
use names::{Seat, Style};
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// Rate in Hz.
pub const RATE_HZ: u32 = 48_000;

pub use names::Kind;

/// The session of a seed.
pub fn scene(seconds: f64, seed: u64, kind: Kind) -> Scene {
    let rate = f64::from(RATE_HZ);
    let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(0x9e37_79b9).wrapping_add(71));
    let rng = &mut rng;
    let room = room(rng);
    let frames = (seconds * rate) as usize;
    let centre = [room.size[0] * rng.random_range(0.4..0.6), room.size[1] * rng.random_range(0.6..0.72), 0.0];
    let pieces = kit::kit(centre, rng);
    let played = groove::play(&pieces, frames, rate, rng);
    let mut sources: Vec<SoundSource> = pieces
        .iter()
        .zip(played.parts)
        .map(|(p, (dry, hits))| source(format!("{:?}", p.part), p.position, dry, hits))
        .collect();
    let parts: Vec<Part> = pieces.iter().map(|p| p.part).collect();
    let snare = sources[1].position;
    let mut placed = mics::near(&sources, &parts, kind, rng);
    // The wires hang under the snare; their sound is nobody's stroke.
    sources.push(source("Wires".into(), [snare[0], snare[1], snare[2] - 0.15], played.wires, Vec::new()));
    if kind == Kind::Any && rng.random_bool(0.5) {
        add_amps(&mut sources, &mut placed, (centre, &room), frames, rng);
    }
    placed.extend(mics::far(&room, centre, kind, rng));
    mics::paths(&mut placed, kind, rng);
    let style = if kind == Kind::Clean { Style::plain() } else { Style::any(rng) };
    let mut faults = Vec::new();
    let files = named(&mut placed, style, kind, rng);
    if kind == Kind::Any {
        faults = break_it(&mut placed, &files, rng);
    }
    let takes = files.into_iter().zip(placed).map(|(file, p)| Take { file, mics: vec![p.mic] }).collect();
    Scene { rate_hz: RATE_HZ, frames, room, sources, takes, seed, faults }
}

fn source(name: String, position: [f64; 3], dry: Vec<f32>, hits: Vec<i64>) -> SoundSource {
    SoundSource { name, position, front: None, dry, hits, direct: None }
}

fn room(rng: &mut ChaCha8Rng) -> Room {
    let (size, reverberation_s) =
        [([5.0, 4.2, 2.6], 0.25), ([7.5, 6.0, 3.0], 0.4), ([11.0, 9.0, 4.5], 0.7)][rng.random_range(0..3)];
    let size = size.map(|v| v * rng.random_range(0.9..1.15));
    Room { size, reflection: rng.random_range(0.4..0.75), order: 2, reverberation_s }
}

/// A bass and sometimes a guitar beside the set, each direct and at its amplifier.
fn add_amps(
    sources: &mut Vec<SoundSource>,
    placed: &mut Vec<Placed>,
    (centre, room): ([f64; 3], &Room),
    frames: usize,
    rng: &mut ChaCha8Rng,
) {
    let rate = f64::from(RATE_HZ);
    for bass in [true, false].into_iter().take(rng.random_range(1..=2)) {
        let (direct, hits) = amps::line(frames, rate, bass, rng);
        let loud = amps::amplified(&direct, rate, bass, rng);
        let way = if bass { 1.7 } else { -1.7 };
        let x = (centre[0] + way).clamp(0.6, room.size[0] - 0.6);
        let position = [x, centre[1] + rng.random_range(-0.2..0.6), 0.4];
        sources.push(SoundSource {
            direct: Some(direct),
            ..source(if bass { "Bass" } else { "Guitar" }.into(), position, loud, hits)
        });
        let own = sources.len() - 1;
        let mut di = Mic::at(position, [0.0, 1.0, 0.0], 0.0);
        di.contact = Some(own);
        let far = rng.random_range(0.04..0.3);
        let mut amp = Mic::at([position[0], position[1] - far, position[2]], [0.0, 1.0, 0.0], 0.5);
        // Converters and a stage in between: 1 to 4 ms with the way through air.
        amp.latency_frames = rng.random_range(0.001..0.0035) * rate - far / crate::room::SPEED_M_S * rate;
        amp.latency_frames = amp.latency_frames.max(0.0);
        placed.push(Placed { seat: Seat::Direct(bass), mic: di });
        placed.push(Placed { seat: Seat::Amp(bass), mic: amp });
    }
}

/// File names; sometimes two near ones are exchanged, sometimes near ones have none.
fn named(placed: &mut [Placed], style: Style, kind: Kind, rng: &mut ChaCha8Rng) -> Vec<String> {
    let mut files: Vec<String> = placed.iter().enumerate().map(|(n, p)| style.file(p.seat, n)).collect();
    if kind == Kind::Clean {
        return files;
    }
    let near: Vec<usize> =
        (0..placed.len()).filter(|n| matches!(placed[*n].seat, Seat::At(_, names::Second::No))).collect();
    if rng.random_bool(0.1) {
        near.iter().for_each(|n| files[*n] = format!("Audio {:02}.wav", n + 1));
    } else if rng.random_bool(0.1) && near.len() > 1 {
        files.swap(near[0], near[1]);
    }
    files
}

/// Inversions, latencies, a swapped pair, a dead or faint microphone.
fn break_it(placed: &mut [Placed], files: &[String], rng: &mut ChaCha8Rng) -> Vec<Fault> {
    let mut faults = Vec::new();
    let air: Vec<usize> = (0..placed.len()).filter(|n| placed[*n].mic.contact.is_none()).collect();
    let pair = |left: Seat, right: Seat, placed: &[Placed]| {
        let find = |s: Seat| placed.iter().position(|p| p.seat == s);
        find(left).zip(find(right))
    };
    if rng.random_bool(0.35) {
        let seats = if rng.random_bool(0.5) {
            (Seat::Over(true), Seat::Over(false))
        } else {
            (Seat::Room(0, Some(true)), Seat::Room(0, Some(false)))
        };
        if let Some((l, r)) = pair(seats.0, seats.1, placed) {
            let mic = placed[l].mic.clone();
            placed[l].mic = std::mem::replace(&mut placed[r].mic, mic);
            faults.push(Fault::Swapped { left: (files[l].clone(), 1), right: (files[r].clone(), 1) });
        }
    }
    let mut order = air.clone();
    order.shuffle(rng);
    for n in order.iter().take(rng.random_range(0..=2)) {
        placed[*n].mic.inverted = true;
        faults.push(Fault::Inverted { file: files[*n].clone(), channel: 1 });
    }
    order.shuffle(rng);
    let timely =
        order.iter().filter(|n| placed[**n].mic.latency_frames == 0.0 && !matches!(placed[**n].seat, Seat::Room(..)));
    let late: Vec<usize> = timely.take(rng.random_range(0..=2)).copied().collect();
    for n in late {
        let frames = rng.random_range(1.0..9.5) * 48.0;
        placed[n].mic.latency_frames = frames;
        faults.push(Fault::Late { file: files[n].clone(), channel: 1, frames });
    }
    if rng.random_bool(0.2) {
        let n = order[order.len() - 1];
        if !matches!(placed[n].seat, Seat::Over(_)) {
            placed[n].mic.gain_db -= if rng.random_bool(0.5) { 45.0 } else { 140.0 };
        }
    }
    faults
}
