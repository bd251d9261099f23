//! Shoebox rooms by the image-source method (Allen & Berkley 1979) with a diffuse tail.

use marea_core::render::sinc::{kaiser, sinc};
use rand::Rng;
use rand_chacha::ChaCha8Rng;

/// Speed of sound at 20 °C in m/s (ISO 9613-1).
pub const SPEED_M_S: f64 = 343.2;

/// A shoebox room.
#[derive(Debug, Clone, Copy)]
pub struct Room {
    /// Length, width, height in metres.
    pub size: [f64; 3],
    /// Amplitude that a wall gives back, 0 … 1.
    pub reflection: f64,
    /// Highest order of single reflections.
    pub order: i32,
    /// Seconds in which the diffuse tail falls by 60 dB; 0 for none.
    pub reverberation_s: f64,
}

/// A microphone and the path behind it.
#[derive(Debug, Clone)]
pub struct Mic {
    /// Position in metres.
    pub position: [f64; 3],
    /// Where it looks.
    pub facing: [f64; 3],
    /// 0 picks up alike all round, 0.5 not from behind.
    pub pattern: f64,
    /// Takes this source without the room (a pickup), everything else 40 dB down.
    pub contact: Option<usize>,
    /// Own noise, RMS in dB below full scale.
    pub noise_db: f64,
    /// Wired the wrong way round.
    pub inverted: bool,
    /// Later than the sound by this many frames.
    pub latency_frames: f64,
    /// Level of its channel against the others, in dB.
    pub gain_db: f64,
    /// Corner of a first-order low cut in Hz; 0 for none.
    pub low_cut_hz: f64,
    /// Amplitude added above 2 kHz, as a part of what is there.
    pub presence: f64,
    /// Stands behind this source, by index: its sound alone arrives inverted.
    pub behind: Option<usize>,
    /// The phase turns with frequency on its way.
    pub turn: Option<Turn>,
    /// Its machine's clock runs fast by this much, in parts per million.
    pub clock_ppm: f64,
}

/// A first-order all-pass: lows pass upright, everything well above its corner inverted, levels as they are. A port, a filter or a
/// transformer does so (common practice, no source; Oppenheim & Schafer, Discrete-Time Signal Processing, for the filter).
#[derive(Debug, Clone, Copy)]
pub struct Turn {
    /// Corner in Hz, where the phase is −90°.
    pub hz: f64,
    /// Only the sound of this source, by index, takes that way; none: everything does.
    pub of: Option<usize>,
}

impl Turn {
    /// Does the sound of a source take that way?
    pub fn takes(&self, source: usize) -> bool {
        self.of.is_none_or(|o| o == source)
    }

    /// Sends a signal through.
    pub fn pass(&self, x: &mut [f32], rate_hz: f64) {
        let t = (std::f64::consts::PI * self.hz / rate_hz).tan();
        let a = (t - 1.0) / (t + 1.0);
        let (mut before, mut out) = (0f64, 0f64);
        for v in x {
            let now = f64::from(*v);
            out = a * now + before - a * out;
            before = now;
            *v = out as f32;
        }
    }
}

impl Mic {
    /// A faultless microphone.
    pub fn at(position: [f64; 3], facing: [f64; 3], pattern: f64) -> Self {
        Self {
            position,
            facing,
            pattern,
            contact: None,
            noise_db: -84.0,
            inverted: false,
            latency_frames: 0.0,
            gain_db: 0.0,
            low_cut_hz: 0.0,
            presence: 0.0,
            behind: None,
            turn: None,
            clock_ppm: 0.0,
        }
    }

    /// Sensitivity towards a point.
    fn towards(&self, point: [f64; 3]) -> f64 {
        let d = minus(point, self.position);
        let cos = dot(d, self.facing) / (norm(d) * norm(self.facing)).max(1e-9);
        (1.0 - self.pattern) + self.pattern * cos
    }
}

/// How a source radiates towards a point: 1 in front, up to −0.8 behind a plate that pushes one way and pulls the other.
pub fn radiation(front: Option<[f64; 3]>, from: [f64; 3], to: [f64; 3]) -> f64 {
    let Some(front) = front else { return 1.0 };
    let d = minus(to, from);
    let cos = dot(d, front) / (norm(d) * norm(front)).max(1e-9);
    if cos >= 0.0 { 0.6 + 0.4 * cos } else { -0.5 + 0.3 * cos }
}

/// Distance in metres.
pub fn distance(a: [f64; 3], b: [f64; 3]) -> f64 {
    norm(minus(a, b))
}

impl Room {
    /// Impulse response from a source (where it stands, where it looks) to a microphone, `latency_frames` included.
    pub fn response(
        &self,
        rate_hz: f64,
        (source, front): ([f64; 3], Option<[f64; 3]>),
        mic: &Mic,
        rng: &mut ChaCha8Rng,
    ) -> Vec<f32> {
        let len = (rate_hz * (self.reverberation_s * 0.7).max(0.12)) as usize + mic.latency_frames.max(0.0) as usize;
        let mut response = vec![0f32; len];
        let n = self.order;
        for (i, j, k) in (-n..=n).flat_map(|i| (-n..=n).flat_map(move |j| (-n..=n).map(move |k| (i, j, k)))) {
            if i.abs() + j.abs() + k.abs() > n {
                continue;
            }
            let image = [self.image(0, i, source[0]), self.image(1, j, source[1]), self.image(2, k, source[2])];
            let turned = front.map(|f| {
                let flip = |axis: i32, v: f64| if axis % 2 == 0 { v } else { -v };
                [flip(i, f[0]), flip(j, f[1]), flip(k, f[2])]
            });
            let d = distance(image, mic.position);
            let bounces = i.abs() + j.abs() + k.abs();
            // Nothing is a point: closer than 5 cm it gets no louder.
            let gain = self.reflection.powi(bounces) / d.max(0.05)
                * mic.towards(image)
                * radiation(turned, image, mic.position);
            add_impulse(&mut response, d / SPEED_M_S * rate_hz + mic.latency_frames, gain);
        }
        if self.reverberation_s > 0.0 {
            let start = (distance(source, mic.position) / SPEED_M_S + 0.02) * rate_hz + mic.latency_frames;
            let decay = 6.91 / (self.reverberation_s * rate_hz);
            for (t, v) in response.iter_mut().enumerate().skip(start as usize) {
                let age = t as f64 - start;
                let rise = (age / (0.02 * rate_hz)).min(1.0);
                let noise: f64 = rng.random_range(-1.0..1.0);
                *v += (0.012 * rise * (-age * decay).exp() * noise) as f32;
            }
        }
        response
    }

    /// Coordinate of the image after `n` reflections along an axis.
    fn image(&self, axis: usize, n: i32, x: f64) -> f64 {
        let size = self.size[axis];
        if n % 2 == 0 { f64::from(n) * size + x } else { f64::from(n) * size + size - x }
    }
}

/// Adds an impulse between frames: 48 taps of a windowed sinc.
fn add_impulse(response: &mut [f32], at: f64, gain: f64) {
    let centre = at.round() as i64;
    for k in centre - 24..=centre + 24 {
        if k >= 0 && (k as usize) < response.len() {
            let x = k as f64 - at;
            response[k as usize] += (gain * sinc(x) * kaiser(x / 25.0, 8.0)) as f32;
        }
    }
}

fn minus(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}

fn dot(a: [f64; 3], b: [f64; 3]) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

fn norm(a: [f64; 3]) -> f64 {
    dot(a, a).sqrt()
}
