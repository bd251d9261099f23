//! Sessions unlike one another: rooms, ensembles, microphones, names and faults all follow the seed.

use crate::instruments::{self as play, Mode, add};
use crate::room::{Mic, Room, distance};
use crate::{Fault, Scene, SoundSource, Take};
use marea_core::units::amplitude_of_db;
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::ops::Range;

/// Rate in Hz.
pub const RATE_HZ: u32 = 48_000;

/// What a session is made for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// Nothing is wrong with it, and nothing stands on the opposite side.
    Clean,
    /// Inversions, latencies, a swapped pair and opposed placement, as the seed will have it.
    Faulty,
}

/// What a player does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Manner {
    Struck,
    Plucked,
    Bowed,
    Sung,
}

/// Names of near microphones, a row a player: English, Spanish, Italian, German, French. `{}` takes the word for the place.
const PLAYERS: [([&str; 5], Manner); 12] = [
    (["Low drum", "Bombo", "Grancassa", "Grosse Trommel", "Grosse caisse"], Manner::Struck),
    (["Frame drum", "Pandero", "Tamburello", "Rahmentrommel", "Tambour"], Manner::Struck),
    (["Woodblock", "Caja china", "Blocco", "Holzblock", "Bloc"], Manner::Struck),
    (["Marimba", "Marimba", "Marimba", "Marimba", "Marimba"], Manner::Struck),
    (["Gong", "Gong", "Gong", "Gong", "Gong"], Manner::Struck),
    (["Conga", "Tumba", "Conga", "Conga", "Conga"], Manner::Struck),
    (["Guitar", "Guitarra", "Chitarra", "Gitarre", "Guitare"], Manner::Plucked),
    (["Harp", "Arpa", "Arpa", "Harfe", "Harpe"], Manner::Plucked),
    (["Lute", "Laúd", "Liuto", "Laute", "Luth"], Manner::Plucked),
    (["Cello", "Violonchelo", "Violoncello", "Cello", "Violoncelle"], Manner::Bowed),
    (["Viola", "Viola", "Viola", "Bratsche", "Alto"], Manner::Bowed),
    (["Voice", "Voz", "Voce", "Stimme", "Voix"], Manner::Sung),
];
const SIDES: [[&str; 2]; 5] =
    [["left", "right"], ["izq", "der"], ["sinistra", "destra"], ["links", "rechts"], ["gauche", "droite"]];
const MAIN: [&str; 5] = ["Main", "Principal", "Principale", "Haupt", "Couple"];
const HALL: [&str; 5] = ["Hall", "Sala", "Sala", "Raum", "Salle"];

struct Player {
    name: String,
    manner: Manner,
    key: f64,
    modes: Vec<Mode>,
    click: f64,
}

/// The session of a seed: with two or three pairs, 8 to 24 microphones.
pub fn scene(seconds: f64, seed: u64, kind: Kind) -> Scene {
    ensemble(seconds, seed, kind, None)
}

/// The same with so many players; more than nine play in the largest of the rooms.
pub fn ensemble(seconds: f64, seed: u64, kind: Kind, players: Option<usize>) -> Scene {
    built(seconds, seed, kind, players, &ANY)
}

/// The session of a seed with 22 to 29 players.
pub fn crowd(seconds: f64, seed: u64, kind: Kind) -> Scene {
    ensemble(seconds, seed, kind, Some(22 + (seed % 8) as usize))
}

/// The session of a seed with every near microphone within 15 cm of what it is for, as on drums and in amplified playing.
pub fn close(seconds: f64, seed: u64, kind: Kind) -> Scene {
    built(seconds, seed, kind, None, &CLOSE)
}

/// The session of a seed with every near microphone a few centimetres from what it is for, as when it is clipped on.
pub fn clipped(seconds: f64, seed: u64, kind: Kind) -> Scene {
    built(seconds, seed, kind, None, &CLIPPED)
}

/// How far microphones stand from their own source, in metres: the first and a second one, and the least of the two sides of
/// a plate that pushes one way (common practice, no source).
struct Reach {
    first: Range<f64>,
    second: Range<f64>,
    plate: [f64; 2],
}

const ANY: Reach = Reach { first: 0.06..0.35, second: 0.25..0.5, plate: [0.15, 0.2] };
const CLOSE: Reach = Reach { first: 0.03..0.1, second: 0.06..0.15, plate: [0.05, 0.08] };
const CLIPPED: Reach = Reach { first: 0.02..0.05, second: 0.03..0.06, plate: [0.03, 0.05] };

fn built(seconds: f64, seed: u64, kind: Kind, players: Option<usize>, reach: &Reach) -> Scene {
    let rate = f64::from(RATE_HZ);
    let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(0x9e37_79b9).wrapping_add(17));
    let tongue = rng.random_range(0..5);
    let size = rng.random_range(0..4);
    let room = room(if players.unwrap_or(0) > 9 { 3 } else { size }, &mut rng);
    let drawn = rng.random_range(4..=9);
    let count = players.unwrap_or(drawn);
    let players = cast(count, tongue, &mut rng);
    let places = stage(count, &room, &mut rng);
    let backed = (kind == Kind::Faulty && rng.random_bool(0.5)).then(|| {
        // A plate that pushes one way: only something struck is built like that here.
        players.iter().position(|p| p.manner == Manner::Struck)
    });
    let backed = backed.flatten();
    let frames = (seconds * rate) as usize;
    let parts = perform(&players, frames, rate, seconds, &mut rng);
    let sources: Vec<SoundSource> = players
        .iter()
        .zip(&places)
        .zip(parts)
        .enumerate()
        .map(|(i, ((p, at), (dry, hits)))| SoundSource {
            name: p.name.clone(),
            position: *at,
            front: (backed == Some(i)).then_some([0.0, -1.0, 0.0]),
            dry,
            hits,
            direct: None,
        })
        .collect();
    let mut takes = near_mics(&sources, &players, backed, reach, &mut rng);
    let pairs = pairs(&mut takes, tongue, &room, &places, &mut rng);
    for mic in takes.iter_mut().flat_map(|t| &mut t.mics) {
        mic.noise_db = rng.random_range(-88.0..-70.0);
        mic.gain_db = rng.random_range(-14.0..4.0);
        mic.low_cut_hz = rng.random_range(15.0..80.0);
        mic.presence = rng.random_range(-0.3..0.4);
    }
    // Both halves of a pair run through like amplifiers.
    for pair in &pairs {
        let [a, b] = pair.each_ref().map(|(file, channel)| (file.clone(), *channel));
        let like = mic_of(&mut takes, &a).clone();
        let other = mic_of(&mut takes, &b);
        (other.gain_db, other.low_cut_hz, other.presence) = (like.gain_db, like.low_cut_hz, like.presence);
    }
    let mut faults = if kind == Kind::Faulty { break_it(&mut takes, &pairs, &mut rng) } else { Vec::new() };
    if rng.random_bool(0.25) {
        nameless(&mut takes, &mut faults, &pairs);
    }
    Scene { rate_hz: RATE_HZ, frames, room, sources, takes, seed, faults }
}

fn room(size: usize, rng: &mut ChaCha8Rng) -> Room {
    let (size, reverberation_s) = match size {
        0 => ([7.0, 6.0, 2.9], 0.3),
        1 => ([11.0, 9.0, 4.2], 0.5),
        2 => ([16.0, 12.0, 6.0], 0.9),
        _ => ([24.0, 16.0, 9.0], 1.6),
    };
    let stretch = |v: f64, rng: &mut ChaCha8Rng| v * rng.random_range(0.9..1.15);
    Room { size: size.map(|v| stretch(v, rng)), reflection: rng.random_range(0.5..0.8), order: 2, reverberation_s }
}

/// Different players by name; those of a second round carry its number.
fn cast(count: usize, tongue: usize, rng: &mut ChaCha8Rng) -> Vec<Player> {
    let mut order: Vec<usize> = (0..PLAYERS.len()).collect();
    order.shuffle(rng);
    (0..count)
        .map(|nth| {
            let round = nth / order.len();
            let i = order[nth % order.len()];
            let (names, manner) = &PLAYERS[i];
            let low = rng.random_range(60.0..320.0);
            let ratios = [1.0, 1.59, 2.14, 2.65, 3.9, 5.2];
            let modes = ratios
                .iter()
                .map(|r| Mode {
                    hz: low * r * rng.random_range(0.97..1.03),
                    gain: 0.7 / r * rng.random_range(0.5..1.0),
                    decay_s: rng.random_range(0.15..0.7) / r,
                })
                .collect();
            Player {
                name: if round == 0 {
                    names[tongue].into()
                } else {
                    format!("{} {}", names[tongue], ["B", "C", "D"][round - 1])
                },
                manner: *manner,
                key: rng.random_range(40.0f64..64.0).round(),
                modes,
                click: rng.random_range(0.2..0.5),
            }
        })
        .collect()
}

/// Places on the stage, at least a metre apart, more in a large room.
fn stage(count: usize, room: &Room, rng: &mut ChaCha8Rng) -> Vec<[f64; 3]> {
    let least: f64 = if room.size[0] > 14.0 { rng.random_range(1.2..1.8) } else { 1.0 };
    let mut places: Vec<[f64; 3]> = Vec::new();
    let mut spare = least;
    while places.len() < count {
        let p = [
            room.size[0] * rng.random_range(0.15..0.85),
            room.size[1] * rng.random_range(0.55..0.85),
            rng.random_range(0.5..1.3),
        ];
        spare *= 0.999;
        let flat = |q: &[f64; 3]| distance([p[0], p[1], 0.0], [q[0], q[1], 0.0]);
        if places.iter().all(|q| flat(q) >= spare.max(0.9_f64)) {
            places.push(p);
        }
    }
    places
}

/// What everybody plays: a common grid with rests, nobody exactly together, some strikes coincident all the same.
fn perform(
    players: &[Player],
    frames: usize,
    rate: f64,
    seconds: f64,
    rng: &mut ChaCha8Rng,
) -> Vec<(Vec<f32>, Vec<i64>)> {
    let eighth = 30.0 / rng.random_range(84.0..132.0);
    let scale = [0.0, 2.0, 3.0, 5.0, 7.0, 9.0, 10.0, 12.0];
    let steps = ((seconds - 2.5) / eighth) as usize;
    let looseness = rng.random_range(0.008..0.025);
    players
        .iter()
        .enumerate()
        .map(|(who, p)| {
            let mut part = (vec![0f32; frames], Vec::new());
            let chance = rng.random_range(0.22..0.5);
            let loud = amplitude_of_db(rng.random_range(-2.5..2.5));
            let rests = rng.random_range(3..6);
            let mut busy_until = 0.0;
            for step in 0..steps {
                let now = 0.5 + step as f64 * eighth;
                if (step / 8 + who) % rests == 0 || now < busy_until || !rng.random_bool(chance) {
                    continue;
                }
                let at = ((now + rng.random_range(-looseness..looseness)) * rate) as i64;
                let force = rng.random_range(0.5..1.0);
                let key = p.key + scale[rng.random_range(0..8)];
                let sound = match p.manner {
                    Manner::Struck => {
                        let modes: Vec<Mode> = p
                            .modes
                            .iter()
                            .map(|m| Mode { hz: m.hz * rng.random_range(0.985..1.015), gain: m.gain * force, ..*m })
                            .collect();
                        play::struck(rate, &modes, p.click * force, 0.004, rng)
                    }
                    Manner::Plucked => play::plucked(rate, key, force * 0.8, 0.9, rng),
                    Manner::Bowed | Manner::Sung => {
                        let length = eighth * f64::from(rng.random_range(2..6));
                        busy_until = now + length;
                        if p.manner == Manner::Bowed {
                            play::bowed(rate, key, force, length * 0.95, rng)
                        } else {
                            let formants = [[700.0, 1_150.0, 2_600.0], [400.0, 1_900.0, 2_600.0]];
                            play::voice(rate, key, formants[rng.random_range(0..2)], length * 0.95, rng)
                        }
                    }
                };
                let level = if matches!(p.manner, Manner::Sung) { 1.6 } else { 0.8 };
                add(&mut part.0, at, &sound, level * loud);
                part.1.push(at);
            }
            part
        })
        .collect()
}

fn near_mics(
    sources: &[SoundSource],
    players: &[Player],
    backed: Option<usize>,
    reach: &Reach,
    rng: &mut ChaCha8Rng,
) -> Vec<Take> {
    let mut takes = Vec::new();
    let at_source = |s: &SoundSource, far: f64, rng: &mut ChaCha8Rng| {
        let turn = rng.random_range(-1.2..1.2f64);
        let up = rng.random_range(0.1..1.0f64);
        let d = [turn.sin() * up.cos(), -turn.cos() * up.cos(), up.sin()];
        let position = [0, 1, 2].map(|i| s.position[i] + d[i] * far);
        let pattern = *[0.0, 0.4, 0.5, 0.5].get(rng.random_range(0..4)).unwrap_or(&0.5);
        Mic::at(position, d.map(|v| -v), pattern)
    };
    for (i, (s, p)) in sources.iter().zip(players).enumerate() {
        let far = rng.random_range(reach.first.clone());
        let mic = at_source(s, far, rng);
        let mono = |word: &str, mic: Mic| Take { file: format!("{}{word}.wav", s.name), mics: vec![mic] };
        if backed == Some(i) {
            let front =
                Mic::at([s.position[0], s.position[1] - far.max(reach.plate[0]), s.position[2]], [0.0, 1.0, 0.0], 0.5);
            let back =
                Mic::at([s.position[0], s.position[1] + far.max(reach.plate[1]), s.position[2]], [0.0, -1.0, 0.0], 0.5);
            takes.push(mono(" front", front));
            takes.push(mono(" back", back));
            continue;
        }
        match p.manner {
            Manner::Bowed | Manner::Plucked if rng.random_bool(0.25) => {
                let mut pickup = Mic::at(s.position, [0.0, 1.0, 0.0], 0.0);
                pickup.contact = Some(i);
                takes.push(mono(" near", mic));
                takes.push(mono(" pickup", pickup));
            }
            _ if rng.random_bool(0.2) => {
                let second = at_source(s, rng.random_range(reach.second.clone()), rng);
                takes.push(mono(" mic 1", mic));
                takes.push(mono(" mic 2", second));
            }
            _ => takes.push(mono("", mic)),
        }
    }
    takes
}

type Channel = (String, u16);

/// A main pair always, a hall pair and a third pair sometimes; as one file or two.
fn pairs(
    takes: &mut Vec<Take>,
    tongue: usize,
    room: &Room,
    places: &[[f64; 3]],
    rng: &mut ChaCha8Rng,
) -> Vec<[Channel; 2]> {
    let middle = places.iter().map(|p| p[0]).sum::<f64>() / places.len() as f64;
    let front = places.iter().map(|p| p[1]).fold(f64::MAX, f64::min);
    let mut made = Vec::new();
    let mut stand = |word: &str, y: f64, z: f64, apart: f64, pattern: f64, rng: &mut ChaCha8Rng| {
        let mics = [-0.5, 0.5].map(|side| Mic::at([middle + side * apart, y, z], [side * 0.8, 1.0, -0.3], pattern));
        if rng.random_bool(0.5) {
            takes.push(Take { file: format!("{word}.wav"), mics: mics.to_vec() });
            made.push([(format!("{word}.wav"), 1), (format!("{word}.wav"), 2)]);
        } else {
            let [l, r] = SIDES[tongue].map(|s| format!("{word} {s}.wav"));
            for (file, mic) in [&l, &r].into_iter().zip(mics) {
                takes.push(Take { file: file.clone(), mics: vec![mic] });
            }
            made.push([(l, 1), (r, 1)]);
        }
    };
    let height = (room.size[2] * 0.8).min(2.8);
    let y = (front - rng.random_range(1.0..2.2)).max(1.2);
    let apart = rng.random_range(0.25..0.7);
    stand(MAIN[tongue], y, height, apart, 0.5, rng);
    let back = (room.size[1] * 0.12).min(y - 0.6).max(0.5);
    let wide = rng.random_range(1.2..3.0f64).min(room.size[0] * 0.5);
    stand(HALL[tongue], back, height * 0.9, wide, 0.0, rng);
    if rng.random_bool(0.4) {
        stand("AB", (y + 0.4).min(front - 0.5), height * 0.95, rng.random_range(0.4..1.0), 0.0, rng);
    }
    made
}

fn mic_of<'a>(takes: &'a mut [Take], (file, channel): &Channel) -> &'a mut Mic {
    let take = takes.iter_mut().find(|t| t.file == *file).expect("a file of this session");
    &mut take.mics[usize::from(*channel) - 1]
}

/// Up to two inversions, up to two latencies, sometimes a swapped pair.
fn break_it(takes: &mut [Take], pairs: &[[Channel; 2]], rng: &mut ChaCha8Rng) -> Vec<Fault> {
    let mut faults = Vec::new();
    let mut all: Vec<Channel> = takes
        .iter()
        .flat_map(|t| (1..).zip(&t.mics).filter(|(_, m)| m.contact.is_none()).map(|(c, _)| (t.file.clone(), c)))
        .collect();
    all.shuffle(rng);
    let inversions = rng.random_range(0..=2);
    for (file, channel) in all.iter().take(inversions) {
        mic_of(takes, &(file.clone(), *channel)).inverted = true;
        faults.push(Fault::Inverted { file: file.clone(), channel: *channel });
    }
    // A late stage sits in one microphone's way, near a source.
    let near: Vec<&Channel> = all.iter().filter(|c| !pairs.iter().flatten().any(|p| p == *c)).collect();
    for &(file, channel) in near.iter().take(rng.random_range(0..=2)) {
        let frames: f64 = rng.random_range(1.0..12.0) * 48.0;
        mic_of(takes, &(file.clone(), *channel)).latency_frames = frames;
        faults.push(Fault::Late { file: file.clone(), channel: *channel, frames });
    }
    // The pair further away, and only when another one can tell.
    if pairs.len() > 1 && rng.random_bool(0.4) {
        let [a, b] = &pairs[1];
        let (left, right) = (mic_of(takes, a).clone(), mic_of(takes, b).clone());
        *mic_of(takes, a) = right;
        *mic_of(takes, b) = left;
        let moved = |c: &Channel| match () {
            () if c == a => b.clone(),
            () if c == b => a.clone(),
            () => c.clone(),
        };
        for fault in &mut faults {
            if let Fault::Inverted { file, channel } = fault {
                (*file, *channel) = moved(&(file.clone(), *channel));
            }
        }
        faults.push(Fault::Swapped { left: a.clone(), right: b.clone() });
    }
    faults
}

/// Names that say nothing, as a recorder makes them; pairs keep theirs.
fn nameless(takes: &mut [Take], faults: &mut [Fault], pairs: &[[Channel; 2]]) {
    for (i, take) in takes.iter_mut().enumerate() {
        if pairs.iter().flatten().any(|(file, _)| *file == take.file) {
            continue;
        }
        let plain = format!("Audio {:02}.wav", i + 1);
        for fault in faults.iter_mut() {
            if let Fault::Inverted { file, .. } | Fault::Late { file, .. } = fault
                && *file == take.file
            {
                file.clone_from(&plain);
            }
        }
        take.file = plain;
    }
}
