//! A voice that sings syllables: a pulse or breath through four resonances that move from vowel to vowel, and consonants before them.

use rand::Rng;
use rand_chacha::ChaCha8Rng;
use std::f64::consts::{PI, TAU};

const HZ: f64 = 48_000.0;
/// Frames from one value of the pitch to the next: 5 ms.
pub const PITCH_EVERY: usize = 240;
/// The resonances follow the vowels in steps of so many frames.
const STEP: usize = 32;

/// Formants of nine vowels in Hz (Peterson & Barney 1952, Control methods used in a study of the vowels, men's averages; from memory),
/// and a fourth that belongs to the head.
const VOWELS: [[f64; 3]; 9] = [
    [270.0, 2_290.0, 3_010.0],
    [390.0, 1_990.0, 2_550.0],
    [530.0, 1_840.0, 2_480.0],
    [660.0, 1_720.0, 2_410.0],
    [730.0, 1_090.0, 2_440.0],
    [570.0, 840.0, 2_410.0],
    [440.0, 1_020.0, 2_240.0],
    [300.0, 870.0, 2_240.0],
    [640.0, 1_190.0, 2_390.0],
];
const FOURTH_HZ: f64 = 3_600.0;
/// And of a murmur: nasals and l.
const MURMURS: [[f64; 3]; 2] = [[250.0, 1_200.0, 2_300.0], [350.0, 1_050.0, 2_700.0]];

/// How a syllable begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Consonant {
    /// With its vowel.
    None,
    /// A hiss about 6.5 kHz, about 3.2 kHz, or a weak broad one.
    Hiss(u8),
    /// Silence, then a burst.
    Burst(u8),
    /// Through the nose, or beside the tongue.
    Murmur(u8),
}

impl Consonant {
    /// One of them.
    pub fn any(rng: &mut ChaCha8Rng) -> Self {
        match rng.random_range(0..10) {
            0 | 1 => Self::None,
            2..5 => Self::Hiss(rng.random_range(0..3)),
            5..8 => Self::Burst(rng.random_range(0..3)),
            _ => Self::Murmur(rng.random_range(0..2)),
        }
    }

    /// Seconds that it usually takes before the vowel.
    fn lasts_s(self) -> f64 {
        match self {
            Self::None => 0.0,
            Self::Hiss(_) => 0.10,
            Self::Burst(_) => 0.025,
            Self::Murmur(_) => 0.065,
        }
    }
}

/// A syllable as it is written.
#[derive(Debug, Clone, Copy)]
pub struct Written {
    /// In quarters.
    pub quarter: f64,
    /// In quarters.
    pub lasts: f64,
    /// MIDI key.
    pub key: f64,
    /// How it begins.
    pub consonant: Consonant,
    /// Which of the nine vowels.
    pub vowel: usize,
}

/// A syllable as it is sung: when, in seconds.
#[derive(Debug, Clone, Copy)]
pub struct Sung {
    /// What.
    pub written: Written,
    /// When its vowel begins.
    pub at: f64,
    /// When it ends.
    pub ends: f64,
    /// How loud, from 0 to 1.
    pub force: f64,
}

/// Who sings.
#[derive(Debug, Clone)]
pub struct Singer {
    /// Formants against those of the table.
    pub formants: f64,
    /// Semitones above what is written.
    pub above: f64,
    /// Cents off a key, standard deviation by note.
    pub loose_cents: f64,
    /// Swings a second, and how far in cents.
    pub vibrato: [f64; 2],
    /// Part of breath in the sound; 1 whispers.
    pub breath: f64,
    /// The voice falls by 12 dB an octave from here, in Hz.
    pub soft_hz: f64,
    /// How quick consonants are; 1 is usual.
    pub quick: f64,
}

impl Singer {
    /// Somebody.
    pub fn any(rng: &mut ChaCha8Rng) -> Self {
        Self {
            formants: rng.random_range(0.92..1.22),
            above: 0.0,
            loose_cents: rng.random_range(4.0..18.0),
            vibrato: [rng.random_range(4.6..6.4), rng.random_range(0.0..45.0)],
            breath: rng.random_range(0.02..0.12),
            soft_hz: rng.random_range(350.0..900.0),
            quick: rng.random_range(0.8..1.25),
        }
    }

    /// Seconds that a consonant takes before its vowel.
    pub fn before_s(&self, written: &Written) -> f64 {
        written.consonant.lasts_s() / self.quick
    }

    fn hz(&self, key: f64) -> f64 {
        440.0 * 2f64.powf((key + self.above - 69.0) / 12.0)
    }
}

/// What was sung.
pub struct Voice {
    /// At 48 kHz.
    pub sound: Vec<f32>,
    /// The pitch in Hz every [`PITCH_EVERY`] frames, where the folds swing and the voice is at its level.
    pub pitch_hz: Vec<Option<f64>>,
}

/// A resonance (digital resonator after Klatt 1980).
#[derive(Clone, Copy, Default)]
struct Resonance {
    c: [f64; 3],
    held: [f64; 2],
}

impl Resonance {
    fn tune(&mut self, hz: f64, wide_hz: f64) {
        let r = (-PI * wide_hz / HZ).exp();
        let (b, c) = (2.0 * r * (TAU * hz / HZ).cos(), -r * r);
        self.c = [1.0 - b - c, b, c];
    }

    fn step(&mut self, x: f64) -> f64 {
        let y = self.c[0] * x + self.c[1] * self.held[0] + self.c[2] * self.held[1];
        self.held = [y, self.held[0]];
        y
    }
}

/// Everything of a moment that glides.
#[derive(Clone, Copy)]
struct Moment {
    hz: f64,
    formants: [f64; 3],
    /// Amplitude of the voice.
    level: f64,
}

/// Sings so many seconds.
pub fn sing(singer: &Singer, sung: &[Sung], seconds: f64, rng: &mut ChaCha8Rng) -> Voice {
    let frames = (seconds * HZ) as usize;
    let mut sound = vec![0f32; frames];
    let mut pitch_hz = vec![None; frames / PITCH_EVERY + 1];
    let off: Vec<f64> = sung.iter().map(|_| singer.loose_cents * normal(rng)).collect();
    let mut tract = [Resonance::default(); 4];
    let (mut cycle, mut soft, mut hz_now, mut aimed) = (0.0, [0.0; 2], 200.0, [500.0, 1_500.0, 2_500.0]);
    let soften = 1.0 - (-TAU * singer.soft_hz / HZ).exp();
    let (mut k, mut level, mut rest) = (0, 0.0, 0.0);
    for t in 0..frames {
        let s = t as f64 / HZ;
        while k + 1 < sung.len() && s >= sung[k + 1].at - singer.before_s(&sung[k + 1].written) {
            k += 1;
        }
        let Some(now) = sung.get(k) else { break };
        let m = moment(singer, now, off[k], s);
        // The pitch glides within 25 ms, the mouth within 20.
        hz_now += (m.hz - hz_now) / (0.012 * HZ) + if level < 1e-3 { m.hz - hz_now } else { 0.0 };
        level += (m.level - level) / (if m.level > level { 0.006 } else { 0.014 } * HZ);
        if t % STEP == 0 {
            let part = STEP as f64 / (0.012 * HZ);
            (0..3).for_each(|i| aimed[i] += part * (m.formants[i] - aimed[i]));
            let wide = [60.0, 90.0, 140.0, 200.0];
            let all = [aimed[0], aimed[1], aimed[2], FOURTH_HZ];
            tract.iter_mut().zip(all).zip(wide).for_each(|((r, hz), w)| r.tune(hz * singer.formants, w));
        }
        if t % PITCH_EVERY == 0 && singer.breath < 0.9 && level > 0.5 * now.force && m.level > 0.5 * now.force {
            pitch_hz[t / PITCH_EVERY] = Some(hz_now);
        }
        cycle += hz_now / HZ;
        // A pulse falls between two frames: on whole ones every second cycle would be more like the first than the next is.
        let mut pulse = std::mem::take(&mut rest);
        if cycle >= 1.0 {
            cycle -= 1.0;
            let past = (cycle * HZ / hz_now).min(1.0);
            let size = (HZ / hz_now).sqrt();
            pulse += past * size;
            rest = (1.0 - past) * size;
        }
        let white: f64 = rng.random_range(-1.0..1.0);
        soft[0] += soften * (pulse - soft[0]);
        soft[1] += soften * (soft[0] - soft[1]);
        let folds = 30.0 * (1.0 - singer.breath) * soft[1];
        let breath = singer.breath * if singer.breath > 0.9 { 0.35 } else { 0.5 } * white;
        let x = level * (folds + breath);
        sound[t] = (0.12 * tract.iter_mut().fold(x, |x, r| r.step(x))) as f32;
    }
    for one in sung {
        begin(&mut sound, singer, one, rng);
    }
    Voice { sound, pitch_hz }
}

/// What a singer aims at.
fn moment(singer: &Singer, now: &Sung, off_cents: f64, s: f64) -> Moment {
    let w = &now.written;
    let vowel = VOWELS[w.vowel % VOWELS.len()];
    let since = s - now.at;
    let [swings, cents] = singer.vibrato;
    let sway = cents * ((since - 0.15) / 0.25).clamp(0.0, 1.0) * (TAU * swings * since).sin();
    let hz = singer.hz(w.key + 0.01 * (off_cents + sway));
    let (formants, level) = match w.consonant {
        _ if s >= now.ends => (vowel, 0.0),
        _ if since >= 0.0 => (vowel, now.force),
        Consonant::Murmur(n) => (MURMURS[n as usize % 2], 0.35 * now.force),
        _ => (vowel, 0.0),
    };
    Moment { hz, formants, level }
}

/// The noise of a consonant.
fn begin(sound: &mut [f32], singer: &Singer, one: &Sung, rng: &mut ChaCha8Rng) {
    let lasts = singer.before_s(&one.written);
    let (hz, wide, level, from, to) = match one.written.consonant {
        Consonant::Hiss(n) => {
            let (hz, wide, level) = [(6_500.0, 0.5, 0.10), (3_200.0, 0.6, 0.09), (5_000.0, 1.6, 0.025)][n as usize % 3];
            (hz, wide, level, -lasts, 0.012)
        }
        Consonant::Burst(n) => {
            let (hz, level) = [(1_000.0, 0.10), (4_000.0, 0.12), (2_000.0, 0.11)][n as usize % 3];
            (hz, 0.9, level, -lasts, 0.0)
        }
        _ => return,
    };
    let (hz, burst) = (hz * singer.formants.sqrt(), matches!(one.written.consonant, Consonant::Burst(_)));
    let f = 2.0 * (PI * (hz.min(9_000.0)) / HZ).sin();
    let (mut low, mut band) = (0.0, 0.0);
    let frames = ((to - from) * HZ) as usize;
    for n in 0..frames {
        let s = n as f64 / HZ;
        let white: f64 = rng.random_range(-1.0..1.0);
        low += f * band;
        band += f * (white - low - wide * band);
        let shape = if burst {
            (s / 0.000_5).min(1.0) * (-s / 0.007).exp()
        } else {
            (s / 0.02).min(1.0) * ((to - from - s) / 0.015).min(1.0)
        };
        let at = ((one.at + from) * HZ) as i64 + n as i64;
        if let Some(v) = usize::try_from(at).ok().and_then(|at| sound.get_mut(at)) {
            *v += (one.force * level * shape * band) as f32;
        }
    }
}

/// About 0 with a deviation of 1, within 3.5.
pub fn normal(rng: &mut ChaCha8Rng) -> f64 {
    (0..4).map(|_| rng.random_range(-1.0..1.0)).sum::<f64>() * 0.87
}
