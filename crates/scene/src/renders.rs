//! Rendered instruments with their notes, late by a known time.

use crate::instruments::{add, bowed, flute, key_hz, marimba, plucked, reed};
use crate::stages::noisy;
use midly::num::{u4, u7, u15, u24, u28};
use midly::{Format, Header, MetaMessage, MidiMessage, Smf, Timing, TrackEvent, TrackEventKind};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::f64::consts::TAU;

const HZ: f64 = 48_000.0;
/// Parts of a quarter in the files made.
const PARTS: u32 = 480;
/// Parts of a whole note that latencies are in some renderings, with their names.
const VALUES: [(&str, f64); 6] = [
    ("1/32", 1.0 / 32.0),
    ("1/64", 1.0 / 64.0),
    ("1/64 dotted", 1.5 / 64.0),
    ("1/16", 1.0 / 16.0),
    ("1/32 triplet", 1.0 / 48.0),
    ("1/16 triplet", 1.0 / 24.0),
];

/// What plays.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Instrument {
    /// Struck bars.
    Marimba,
    /// A plucked string.
    Plucked,
    /// A bowed string.
    Bowed,
    /// A free reed.
    Reed,
    /// A flute.
    Flute,
    /// Tones that swell for a quarter of a second and more.
    Pad,
}

const ALL: [Instrument; 6] =
    [Instrument::Marimba, Instrument::Plucked, Instrument::Bowed, Instrument::Reed, Instrument::Flute, Instrument::Pad];

/// A note: beginning and length in ticks, key.
type Written = (u32, u32, u8);

/// A rendering and the truth of it.
pub struct Rendering {
    /// What plays.
    pub instrument: Instrument,
    /// Its notes as a Standard MIDI File.
    pub file: Vec<u8>,
    /// Its sound at 48 kHz.
    pub sound: Vec<f32>,
    /// How late it is, in ms.
    pub late_ms: f64,
    /// The note value that this is, where it was made to be one.
    pub value: Option<&'static str>,
    /// Every note is off by so much besides, at random (1 σ), in ms: it was played by a person.
    pub scatter_ms: f64,
}

/// The rendering of a seed, about so many seconds long.
pub fn rendering(seconds: f64, seed: u64) -> Rendering {
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x6e07e5);
    let instrument = ALL[(seed % 6) as usize];
    let bpm = f64::from(rng.random_range(70..150));
    let slow = matches!(instrument, Instrument::Bowed | Instrument::Pad | Instrument::Flute | Instrument::Reed);
    let notes = written(&mut rng, (seconds * bpm / 60.0) as u32, slow);
    let (late_ms, value) = if rng.random_bool(0.5) {
        let (name, part) = VALUES[rng.random_range(0..VALUES.len())];
        (part * 4.0 * 60_000.0 / bpm, Some(name))
    } else {
        (rng.random_range(-20.0..400.0), None)
    };
    let scatter_ms = if seed % 7 == 3 { rng.random_range(12.0..20.0) } else { 0.0 };
    let of_tick = |tick: u32| f64::from(tick) * 60.0 / bpm / f64::from(PARTS);
    let mut sound = vec![0f32; ((seconds + 4.0) * HZ) as usize];
    let swells_s = rng.random_range(0.15..0.6);
    for &(tick, lasts, key) in &notes {
        // Sums of four even numbers are near enough to a normal one.
        let astray = (0..4).map(|_| rng.random_range(-1.0..1.0)).sum::<f64>() * 0.87 * scatter_ms / 1_000.0;
        let at = ((of_tick(tick) + late_ms / 1_000.0 + astray) * HZ).round() as i64;
        let (key, force) = (f64::from(key), rng.random_range(0.35..1.0));
        let lasts = of_tick(lasts).max(0.15);
        let one = match instrument {
            Instrument::Marimba => marimba(HZ, key, force, &mut rng),
            Instrument::Plucked => plucked(HZ, key, force, lasts + 0.3, &mut rng),
            Instrument::Bowed => bowed(HZ, key, force, lasts, &mut rng),
            Instrument::Reed => reed(HZ, key, force, lasts, &mut rng),
            Instrument::Flute => flute(HZ, key, force, lasts, &mut rng),
            Instrument::Pad => pad(key, force, lasts + 0.2, swells_s, &mut rng),
        };
        add(&mut sound, at, &one, 0.3);
    }
    if rng.random_bool(0.4) {
        roomy(&mut sound, rng.random_range(0.2..0.9), rng.random_range(-30.0..-16.0), &mut rng);
    }
    let sound = noisy(sound, rng.random_range(-110.0..-75.0), &mut rng);
    Rendering { instrument, file: file(&notes, bpm), sound, late_ms, value, scatter_ms }
}

/// Notes of a mode, on eighths and sixteenths or, slow ones, on quarters and halves; with chords and rests.
fn written(rng: &mut ChaCha8Rng, quarters: u32, slow: bool) -> Vec<Written> {
    let mode = [0u8, 2, 3, 5, 7, 8, 10];
    let tonic = rng.random_range(45u8..62);
    let mut notes = Vec::new();
    // A bar may be empty before the first note.
    let mut tick = PARTS * rng.random_range(0..5);
    let mut degree = 7i32;
    while tick < quarters * PARTS {
        let step = if slow {
            PARTS * [1, 1, 2, 2, 3][rng.random_range(0..5)]
        } else {
            PARTS / [1, 2, 2, 4][rng.random_range(0..4)]
        };
        if rng.random_bool(if slow { 0.7 } else { 0.85 }) {
            degree = (degree + rng.random_range(-3..=3)).clamp(0, 16);
            let voices = if rng.random_bool(0.25) { rng.random_range(2..4) } else { 1 };
            // Some are let go before the next.
            let lasts = if rng.random_bool(0.5) { step } else { step / 2 };
            for voice in 0..voices {
                let d = (degree + 2 * voice) as usize;
                notes.push((tick, lasts, tonic + mode[d % 7] + 12 * (d / 7) as u8));
            }
        }
        tick += step;
    }
    notes
}

/// Harmonics that swell as a power of time and fade.
fn pad(key: f64, force: f64, seconds: f64, swells_s: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let f = key_hz(key);
    let (power, phase) = (rng.random_range(0.8..1.8), rng.random_range(0.0..TAU));
    let sample = |n: usize| {
        let t = n as f64 / HZ;
        let envelope = (t / swells_s).min(1.0).powf(power) * ((seconds - t) / 0.15).clamp(0.0, 1.0);
        let tone: f64 = (1..=8).map(|k| (TAU * f * f64::from(k) * t + phase * f64::from(k)).sin() / f64::from(k)).sum();
        (0.3 * force * envelope * tone) as f32
    };
    (0..(seconds * HZ) as usize).map(sample).collect()
}

/// A little of a room: four combs of different lengths, so many dB down.
pub(crate) fn roomy(sound: &mut [f32], decay_s: f64, db: f64, rng: &mut ChaCha8Rng) {
    let dry = sound.to_vec();
    let gain = 10f64.powf(db / 20.0) as f32;
    for _ in 0..4 {
        let length = rng.random_range(1_200usize..2_600);
        let back = (-6.91 * length as f64 / HZ / decay_s).exp() as f32;
        let mut line = vec![0f32; length];
        for (n, v) in dry.iter().enumerate() {
            let out = line[n % length];
            line[n % length] = v + back * out;
            sound[n] += gain * out;
        }
    }
}

/// Notes as a file of format 1: a track of tempo and one of notes.
pub fn file(notes: &[Written], bpm: f64) -> Vec<u8> {
    let mut events: Vec<(u32, TrackEventKind)> = Vec::new();
    for &(tick, lasts, key) in notes {
        let midi = |message| TrackEventKind::Midi { channel: u4::from(0), message };
        let key = u7::from(key);
        events.push((tick, midi(MidiMessage::NoteOn { key, vel: u7::from(90) })));
        events.push((tick + lasts, midi(MidiMessage::NoteOff { key, vel: u7::from(0) })));
    }
    // What ends comes before what begins.
    let begins = |k: &TrackEventKind| matches!(k, TrackEventKind::Midi { message: MidiMessage::NoteOn { .. }, .. });
    events.sort_by_key(|(tick, kind)| (*tick, begins(kind)));
    let tempo = TrackEventKind::Meta(MetaMessage::Tempo(u24::from((60e6 / bpm).round() as u32)));
    let metre = TrackEventKind::Meta(MetaMessage::TimeSignature(4, 2, 24, 8));
    let smf = Smf {
        header: Header::new(Format::Parallel, Timing::Metrical(u15::from(PARTS as u16))),
        tracks: vec![track(vec![(0, tempo), (0, metre)]), track(events)],
    };
    let mut bytes = Vec::new();
    smf.write(&mut bytes).expect("a vector takes all");
    bytes
}

fn track(events: Vec<(u32, TrackEventKind<'_>)>) -> Vec<TrackEvent<'_>> {
    let mut before = 0;
    let mut out: Vec<TrackEvent> = Vec::with_capacity(events.len() + 1);
    for (tick, kind) in events {
        out.push(TrackEvent { delta: u28::from(tick - before), kind });
        before = tick;
    }
    out.push(TrackEvent { delta: u28::from(0), kind: TrackEventKind::Meta(MetaMessage::EndOfTrack) });
    out
}
