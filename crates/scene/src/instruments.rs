//! Synthesised instruments: modes, plucked strings, skins, bows and simple voices.

use rand::Rng;
use rand_chacha::ChaCha8Rng;
use std::f64::consts::TAU;

/// Frequency of a MIDI key in Hz (A4 = 440).
pub fn key_hz(key: f64) -> f64 {
    440.0 * 2f64.powf((key - 69.0) / 12.0)
}

/// Adds a sound into a track at a frame.
pub fn add(track: &mut [f32], at: i64, sound: &[f32], gain: f64) {
    for (i, v) in sound.iter().enumerate() {
        let t = at + i as i64;
        if t >= 0 && (t as usize) < track.len() {
            track[t as usize] += v * gain as f32;
        }
    }
}

/// One mode of a struck body.
pub struct Mode {
    /// Hz.
    pub hz: f64,
    /// Amplitude.
    pub gain: f64,
    /// Seconds to fall by 60 dB.
    pub decay_s: f64,
}

/// A struck body: modes that begin together plus a burst of noise from the mallet.
pub fn struck(rate: f64, modes: &[Mode], click: f64, click_s: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let seconds = modes.iter().map(|m| m.decay_s).fold(0.05, f64::max).min(2.0);
    let mut out = vec![0f32; (seconds * rate) as usize];
    let mut past = 0.0;
    // Each mode is a phasor that turns and shrinks by a constant factor a frame.
    let turn: Vec<(f64, f64)> = modes
        .iter()
        .map(|m| {
            let (shrink, angle) = ((-6.91 / (m.decay_s * rate)).exp(), TAU * m.hz / rate);
            (shrink * angle.cos(), shrink * angle.sin())
        })
        .collect();
    let mut phasor: Vec<(f64, f64)> = modes.iter().map(|m| (m.gain, 0.0)).collect();
    for (t, v) in out.iter_mut().enumerate() {
        let s = t as f64 / rate;
        let attack = (s / 0.000_3).min(1.0);
        let body: f64 = phasor.iter().map(|z| z.1).sum();
        for (z, r) in phasor.iter_mut().zip(&turn) {
            *z = (z.0 * r.0 - z.1 * r.1, z.0 * r.1 + z.1 * r.0);
        }
        let white: f64 = rng.random_range(-1.0..1.0);
        past = 0.4 * past + 0.6 * white;
        // Below −340 dB nothing is left of the mallet.
        let fallen = if s < 40.0 * click_s { (-s / click_s).exp() } else { 0.0 };
        *v = (attack * body + click * fallen * past) as f32;
    }
    out
}

/// A marimba bar: fundamental, double octave and the third mode of a tuned bar.
pub fn marimba(rate: f64, key: f64, force: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let f = key_hz(key);
    let long = 0.35 + 60.0 / f;
    let modes = [
        Mode { hz: f, gain: 0.7 * force, decay_s: long },
        Mode { hz: 3.93 * f, gain: 0.22 * force, decay_s: long * 0.35 },
        Mode { hz: 9.2 * f, gain: 0.09 * force * force, decay_s: long * 0.12 },
    ];
    struck(rate, &modes, 0.30 * force, 0.002, rng)
}

/// A cajón: the plate's low thump, its upper modes and the slap.
pub fn cajon(rate: f64, slap: bool, force: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let low = 84.0 + rng.random_range(-3.0..3.0);
    let edge = if slap { 0.55 } else { 0.18 };
    let modes = [
        Mode { hz: low, gain: if slap { 0.25 } else { 0.9 } * force, decay_s: 0.22 },
        Mode { hz: low * 2.6, gain: 0.28 * force, decay_s: 0.12 },
        Mode { hz: low * 5.3, gain: 0.2 * force, decay_s: 0.07 },
    ];
    struck(rate, &modes, edge * force, 0.008, rng)
}

/// A frame drum: a skin's modes with a bending fundamental left out, and finger noise.
pub fn frame_drum(rate: f64, force: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let f = 118.0 + rng.random_range(-2.0..2.0);
    let modes = [
        Mode { hz: f, gain: 0.7 * force, decay_s: 0.5 },
        Mode { hz: f * 1.59, gain: 0.35 * force, decay_s: 0.3 },
        Mode { hz: f * 2.14, gain: 0.22 * force, decay_s: 0.22 },
        Mode { hz: f * 2.65, gain: 0.14 * force, decay_s: 0.18 },
    ];
    struck(rate, &modes, 0.35 * force, 0.004, rng)
}

/// A plucked string (Karplus & Strong 1983).
pub fn plucked(rate: f64, key: f64, force: f64, seconds: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let period = (rate / key_hz(key)).round() as usize;
    let mut line: Vec<f64> = (0..period.max(2)).map(|_| rng.random_range(-1.0..1.0) * force).collect();
    let n = line.len();
    (0..(seconds * rate) as usize)
        .map(|t| {
            let (a, b) = (line[t % n], line[(t + 1) % n]);
            line[t % n] = 0.498 * (a + b);
            (a * 0.6) as f32
        })
        .collect()
}

/// A bowed string: harmonics that fall with frequency through a few body resonances, vibrato, and bow noise.
pub fn bowed(rate: f64, key: f64, force: f64, seconds: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let f = key_hz(key);
    let count = ((9_000.0 / f) as usize).clamp(4, 60);
    let phases: Vec<(f64, f64)> = (0..count).map(|_| f64::sin_cos(rng.random_range(0.0..TAU))).collect();
    let body =
        |hz: f64| 0.4 + (-((hz - 250.0) / 160.0).powi(2)).exp() + 0.8 * (-((hz - 1_900.0) / 900.0).powi(2)).exp();
    let weights: Vec<f64> = (1..=count).map(|n| body(n as f64 * f) / (n as f64).powf(1.1)).collect();
    let vibrato_hz = rng.random_range(4.8..6.2);
    let (mut cycle, mut past) = (0.0, 0.0);
    (0..(seconds * rate) as usize)
        .map(|t| {
            let s = t as f64 / rate;
            let bend = 1.0 + 0.004 * (s / 0.3).min(1.0) * (TAU * vibrato_hz * s).sin();
            cycle += TAU * f * bend / rate;
            let envelope = (s / 0.06).min(1.0) * ((seconds - s) / 0.08).clamp(0.0, 1.0);
            // sin(n·cycle + phase) by turning one phasor n times.
            let (step, mut z, mut tone) = (cycle.sin_cos(), (0.0, 1.0), 0.0);
            for ((sin, cos), weight) in phases.iter().zip(&weights) {
                z = (z.0 * step.1 + z.1 * step.0, z.1 * step.1 - z.0 * step.0);
                tone += weight * (z.0 * cos + z.1 * sin);
            }
            let white: f64 = rng.random_range(-1.0..1.0);
            past = 0.35 * past + 0.65 * white;
            (force * envelope * (0.16 * tone + 0.06 * past)) as f32
        })
        .collect()
}

/// A free reed: two reeds a few cents apart, many harmonics, and the bellows' slow start.
pub fn reed(rate: f64, key: f64, force: f64, seconds: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let hz = [key_hz(key), key_hz(key + rng.random_range(0.05..0.09))];
    let count = ((10_000.0 / hz[0]) as usize).clamp(4, 40);
    // Harmonics that fall by 5 dB an octave.
    let divisors: Vec<f64> = (1..=count).map(|n| (n as f64).powf(0.85)).collect();
    let starts = [rng.random_range(0.0..1.0), rng.random_range(0.0..1.0)];
    (0..(seconds * rate) as usize)
        .map(|t| {
            let s = t as f64 / rate;
            let envelope = (s / 0.025).min(1.0) * ((seconds - s) / 0.06).clamp(0.0, 1.0);
            let tone: f64 = hz.iter().zip(starts).map(|(f, start)| harmonics(TAU * (f * s + start), &divisors)).sum();
            let white: f64 = rng.random_range(-1.0..1.0);
            (force * envelope * (0.14 * tone + 0.012 * white)) as f32
        })
        .collect()
}

/// Σ sin(n·x)/divisor by turning one phasor n times.
fn harmonics(x: f64, divisors: &[f64]) -> f64 {
    let (step, mut z, mut sum) = (x.sin_cos(), (0.0, 1.0), 0.0);
    for divisor in divisors {
        z = (z.0 * step.1 + z.1 * step.0, z.1 * step.1 - z.0 * step.0);
        sum += z.0 / divisor;
    }
    sum
}

/// A flute: few harmonics, breath beside them, and a tongue's start.
pub fn flute(rate: f64, key: f64, force: f64, seconds: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let f = key_hz(key);
    let vibrato_hz = rng.random_range(4.5..5.6);
    let (mut cycle, mut past) = (0.0, 0.0);
    (0..(seconds * rate) as usize)
        .map(|t| {
            let s = t as f64 / rate;
            cycle += TAU * f * (1.0 + 0.003 * (s / 0.4).min(1.0) * (TAU * vibrato_hz * s).sin()) / rate;
            let envelope = (s / 0.035).min(1.0) * ((seconds - s) / 0.06).clamp(0.0, 1.0);
            let tone = cycle.sin() + 0.35 * (2.0 * cycle).sin() + 0.12 * (3.0 * cycle).sin();
            let white: f64 = rng.random_range(-1.0..1.0);
            past = 0.6 * past + 0.4 * white;
            let tongue = 0.5 * (-s / 0.006).exp();
            (force * envelope * (0.3 * tone + (0.05 + tongue) * past)) as f32
        })
        .collect()
}

/// A sung vowel: pulses through three formants.
pub fn voice(rate: f64, key: f64, formants: [f64; 3], seconds: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let mut state = [[0f64; 2]; 3];
    let mut cycle = 0.0;
    let f = key_hz(key);
    (0..(seconds * rate) as usize)
        .map(|t| {
            let s = t as f64 / rate;
            cycle += f * (1.0 + 0.006 * (TAU * 5.3 * s).sin()) / rate;
            let pulse = if cycle >= 1.0 {
                cycle -= 1.0;
                1.0
            } else {
                rng.random_range(-0.01..0.01)
            };
            let envelope = (s / 0.05).min(1.0) * ((seconds - s) / 0.1).clamp(0.0, 1.0);
            let mut sum = 0.0;
            for (hz, st) in formants.iter().zip(&mut state) {
                let r = (-TAU * 45.0 / rate).exp();
                let y = pulse + 2.0 * r * (TAU * hz / rate).cos() * st[0] - r * r * st[1];
                *st = [y, st[0]];
                sum += y;
            }
            (0.05 * envelope * sum) as f32
        })
        .collect()
}
