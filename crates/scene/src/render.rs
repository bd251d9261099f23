//! Playing a scene: every source through the room into every microphone, and the truth beside it.

use crate::between::Between;
use crate::room::{Mic, SPEED_M_S, distance, radiation};
use crate::session::{Fault, Scene, Take};
use marea_core::render::sinc::{HALF_TAPS, kaiser};
use marea_core::units::{SampleRate, amplitude_of_db};
use marea_media::write::{Depth, WavWriter, WriteSpec};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use realfft::num_complex::Complex32;
use realfft::{RealFftPlanner, RealToComplex};
use serde::{Deserialize, Serialize};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

/// The truth about one source in one microphone.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Arrival {
    /// Source.
    pub source: String,
    /// File.
    pub file: String,
    /// Channel from 1.
    pub channel: u16,
    /// Frames from the sound's beginning at the source to its direct arrival in the file (at the file's start; a drifting
    /// clock adds to it).
    pub delay_frames: f64,
    /// +1 or −1 as it stands in the file; of the attack, where the phase turns with frequency.
    pub sign: i8,
    /// The same of the lows.
    pub low_sign: i8,
}

/// A scene that was played.
#[derive(Debug, Clone)]
pub struct Rendered {
    /// Rate in Hz.
    pub rate_hz: u32,
    /// A file each: its name and its channels.
    pub files: Vec<(String, Vec<Vec<f32>>)>,
    /// Every source in every microphone.
    pub arrivals: Vec<Arrival>,
    /// Factor that brought each file to its peak.
    pub factors: Vec<f32>,
}

impl Rendered {
    /// True lag of a channel against another for a source, and the sign of the one relative to the other. Channels are
    /// counted from 1.
    pub fn true_lag(&self, source: &str, a: (&str, u16), b: (&str, u16)) -> Option<(f64, i8)> {
        let find = |(file, channel): (&str, u16)| {
            self.arrivals.iter().find(|x| x.source == source && x.file == file && x.channel == channel)
        };
        let (a, b) = (find(a)?, find(b)?);
        Some((b.delay_frames - a.delay_frames, a.sign * b.sign))
    }

    /// One channel, counted from 1.
    pub fn channel(&self, file: &str, channel: u16) -> Option<&[f32]> {
        let (_, planes) = self.files.iter().find(|(name, _)| name == file)?;
        planes.get(usize::from(channel) - 1).map(Vec::as_slice)
    }
}

/// What a source gives, in transformed blocks: into air, and into a pickup where that is something else.
struct Dry {
    air: Vec<Vec<Complex32>>,
    direct: Option<Vec<Vec<Complex32>>>,
}

impl Dry {
    fn taken(&self, by_contact: bool) -> &[Vec<Complex32>] {
        self.direct.as_ref().filter(|_| by_contact).unwrap_or(&self.air)
    }
}

/// Part of the sound that leaves a source behind, inverted.
const BEHIND: f32 = -0.8;

/// Blocks of the overlap-add convolution.
const BLOCK: usize = 1 << 15;

impl Scene {
    /// Plays the scene. Peaks of each file are brought to −6 dBFS, its channels by the same factor, before each
    /// microphone's own gain.
    pub fn render(&self) -> Rendered {
        self.played(None)
    }

    /// One source alone in some takes, by index, at the levels that `all` was played with; without noise.
    pub fn alone(&self, source: usize, takes: &[usize], all: &Rendered) -> Rendered {
        let mut scene = self.clone();
        scene.sources.iter_mut().enumerate().filter(|(i, _)| *i != source).for_each(|(_, s)| {
            (s.dry, s.direct) = (Vec::new(), None);
        });
        scene.takes = takes.iter().map(|t| self.takes[*t].clone()).collect();
        scene.takes.iter_mut().flat_map(|t| &mut t.mics).for_each(|m| m.noise_db = -200.0);
        scene.played(Some(&takes.iter().map(|t| all.factors[*t]).collect::<Vec<f32>>()))
    }

    fn played(&self, factors: Option<&[f32]>) -> Rendered {
        let fft_len = BLOCK * 2;
        let forward = RealFftPlanner::<f32>::new().plan_fft_forward(fft_len);
        // Each source's blocks are transformed once and used for every microphone.
        // Nothing is added up of a block in which it is silent.
        let spectrum = |b: &[f32]| {
            if b.iter().all(|v| *v == 0.0) { Vec::new() } else { transform(&forward, b, fft_len) }
        };
        let blocks = |x: &[f32]| x.chunks(BLOCK).map(spectrum).collect();
        let sources: Vec<Dry> = self
            .sources
            .par_iter()
            .map(|s| Dry { air: blocks(&s.dry), direct: s.direct.as_deref().map(blocks) })
            .collect();
        let (files, factors) = self
            .takes
            .par_iter()
            .enumerate()
            .map(|(i, take)| {
                let mut planes: Vec<Vec<f32>> = take
                    .mics
                    .iter()
                    .enumerate()
                    .map(|(c, mic)| self.record(mic, &sources, &forward, self.seed ^ ((i * 16 + c + 1) as u64) << 20))
                    .collect();
                let peak = planes.iter().flatten().fold(1e-9f32, |m, v| m.max(v.abs()));
                let factor = factors.map_or(0.5 / peak, |f| f[i]);
                for (plane, mic) in planes.iter_mut().zip(&take.mics) {
                    let gain = factor * amplitude_of_db(mic.gain_db) as f32;
                    plane.iter_mut().for_each(|v| *v *= gain);
                }
                ((take.file.clone(), planes), factor)
            })
            .unzip();
        Rendered { rate_hz: self.rate_hz, files, arrivals: self.truth(), factors }
    }

    fn record(&self, mic: &Mic, sources: &[Dry], forward: &Arc<dyn RealToComplex<f32>>, seed: u64) -> Vec<f32> {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let rate = f64::from(self.rate_hz);
        let fft_len = BLOCK * 2;
        let responses: Vec<Vec<Complex32>> = self
            .sources
            .iter()
            .enumerate()
            .map(|(i, s)| {
                let response = match mic.contact {
                    Some(own) if own == i => {
                        let mut r = vec![0f32; mic.latency_frames.ceil() as usize + 1];
                        r[mic.latency_frames.round() as usize] = 1.0;
                        r
                    }
                    contact => {
                        let mut r = self.room.response(rate, (s.position, s.front), mic, &mut rng);
                        if mic.behind == Some(i) {
                            r.iter_mut().for_each(|v| *v *= BEHIND);
                        }
                        if let Some(turn) = mic.turn.filter(|t| t.of == Some(i)) {
                            turn.pass(&mut r, rate);
                        }
                        if contact.is_some() {
                            r.iter_mut().for_each(|v| *v *= 0.01);
                        }
                        r
                    }
                };
                transform(forward, &response[..response.len().min(BLOCK)], fft_len)
            })
            .collect();
        let inverse = RealFftPlanner::<f32>::new().plan_fft_inverse(fft_len);
        let mut out = vec![0f32; self.frames];
        let blocks = self.frames.div_ceil(BLOCK);
        let mut time = inverse.make_output_vec();
        for block in 0..blocks {
            let mut sum = vec![Complex32::default(); fft_len / 2 + 1];
            for (i, (dry, response)) in sources.iter().zip(&responses).enumerate() {
                if let Some(x) = dry.taken(mic.contact == Some(i)).get(block) {
                    sum.iter_mut().zip(x.iter().zip(response)).for_each(|(s, (a, b))| *s += a * b);
                }
            }
            sum[0].im = 0.0;
            sum[fft_len / 2].im = 0.0;
            inverse.process(&mut sum, &mut time).expect("lengths fit by construction");
            let at = block * BLOCK;
            for (o, v) in out[at..].iter_mut().zip(&time) {
                *o += v / fft_len as f32;
            }
        }
        let noise = amplitude_of_db(mic.noise_db) * 3f64.sqrt();
        let sign = if mic.inverted { -1.0 } else { 1.0 };
        out.iter_mut().for_each(|v| *v = *v * sign + (rng.random_range(-1.0..1.0) * noise) as f32);
        colour(&mut out, mic, rate);
        if mic.clock_ppm == 0.0 { out } else { run_fast(&out, mic.clock_ppm) }
    }

    fn truth(&self) -> Vec<Arrival> {
        let one = |take: &Take, channel: usize, mic: &Mic| -> Vec<Arrival> {
            self.sources
                .iter()
                .enumerate()
                .map(|(i, s)| {
                    let contact = mic.contact == Some(i);
                    let path = if contact { 0.0 } else { distance(s.position, mic.position) / SPEED_M_S };
                    let in_front = contact || radiation(s.front, s.position, mic.position) > 0.0;
                    let up = in_front != (mic.inverted != (mic.behind == Some(i)));
                    let low_sign = if up { 1 } else { -1 };
                    let turned = mic.turn.is_some_and(|t| t.takes(i));
                    Arrival {
                        source: s.name.clone(),
                        file: take.file.clone(),
                        channel: channel as u16 + 1,
                        delay_frames: path * f64::from(self.rate_hz) + mic.latency_frames,
                        sign: if turned { -low_sign } else { low_sign },
                        low_sign,
                    }
                })
                .collect()
        };
        self.takes.iter().flat_map(|t| t.mics.iter().enumerate().flat_map(move |(c, m)| one(t, c, m))).collect()
    }
}

fn transform(forward: &Arc<dyn RealToComplex<f32>>, block: &[f32], fft_len: usize) -> Vec<Complex32> {
    let mut input = vec![0f32; fft_len];
    input[..block.len()].copy_from_slice(block);
    let mut output = forward.make_output_vec();
    forward.process(&mut input, &mut output).expect("lengths fit by construction");
    output
}

/// First-order filters: a low cut, and a shelf above 2 kHz. Neither delays the attack by a sample.
fn colour(x: &mut [f32], mic: &Mic, rate: f64) {
    let through = |hz: f64| (-std::f64::consts::TAU * hz / rate).exp() as f32;
    let high_pass = |x: &mut [f32], hz: f64, share: Option<f32>| {
        let (keep, mut low) = (through(hz), 0f32);
        for v in x.iter_mut() {
            low = keep * low + (1.0 - keep) * *v;
            *v = share.map_or(*v - low, |s| *v + s * (*v - low));
        }
    };
    if mic.low_cut_hz > 0.0 {
        high_pass(x, mic.low_cut_hz, None);
    }
    if mic.presence != 0.0 {
        high_pass(x, 2_000.0, Some(mic.presence as f32));
    }
    if let Some(turn) = mic.turn.filter(|t| t.of.is_none()) {
        turn.pass(x, rate);
    }
}

/// A clock that runs fast takes its samples closer together: frame n is the sound at n / (1 + ppm).
fn run_fast(x: &[f32], ppm: f64) -> Vec<f32> {
    static KAISER: OnceLock<Between> = OnceLock::new();
    let between = KAISER.get_or_init(|| Between::new(HALF_TAPS, |off| kaiser(off / HALF_TAPS as f64, 9.0)));
    (0..x.len()).map(|n| between.read(x, n as f64 / (1.0 + ppm * 1e-6)) as f32).collect()
}

/// Writes the files as 24-bit BWF with one time stamp, and the truth as `truth.json`.
///
/// # Errors
/// As the machine says.
pub fn write_files(
    rendered: &Rendered,
    folder: &Path,
    time_reference: u64,
    faults: &[Fault],
) -> io::Result<Vec<PathBuf>> {
    std::fs::create_dir_all(folder)?;
    let rate = SampleRate::new(u64::from(rendered.rate_hz)).map_err(io::Error::other)?;
    let mut paths = Vec::new();
    for (name, planes) in &rendered.files {
        let path = folder.join(name);
        let mut spec = WriteSpec::new(rate, planes.len() as u16, Depth::Int24);
        spec.time_reference = time_reference;
        let mut out = WavWriter::create(&path, spec)?;
        let frames = planes.first().map_or(0, Vec::len);
        let mut block = Vec::with_capacity(4_096 * planes.len());
        for start in (0..frames).step_by(4_096) {
            block.clear();
            for t in start..(start + 4_096).min(frames) {
                block.extend(planes.iter().map(|p| p[t]));
            }
            out.push(&block)?;
        }
        out.finish()?;
        paths.push(path);
    }
    let truth = serde_json::json!({ "rate_hz": rendered.rate_hz, "faults": faults, "arrivals": rendered.arrivals });
    std::fs::write(folder.join("truth.json"), serde_json::to_string_pretty(&truth)?)?;
    Ok(paths)
}
