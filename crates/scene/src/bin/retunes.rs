//! Sung lines at another pitch, against what was asked: `retunes FROM TO SECONDS [FILE]`.

use marea_core::dsp::spectrum::Transform;
use marea_core::pitch::{Pitch, notes, pitch};
use marea_core::retune::Retuned;
use marea_core::retune::wanted::{NoteChange, by_notes};
use marea_core::signal::{MemSource, Placed, Source};
use marea_core::units::{SampleRate, SessionFrame, db_of_power};
use marea_core::verdict::Verdict;
use marea_scene::doubles::{How, doubles};
use marea_scene::struck::quantile;
use realfft::num_complex::Complex32;
use std::fmt::Write as _;

const HEAD: &str = "# Accuracy of another pitch\n\nMade by `make accuracy`. Every note of made-up singers (those of the table of pitch) a semitone or three up or down, heard again. Cents: the pitch of solid moments \
    after against before, off what was asked. Plain: the same sound read faster or slower and cut to length, which moves the formants along. Level: of all that is voiced. Envelope: by octaves a third apart from 800 Hz to 4 kHz, over each whole \
    line: narrower bands hold one harmonic or none, which moves with the pitch. Unvoiced: samples more than 40 ms from anything voiced that are other than they were.\n\n| cents | lines | moments | off: median | 95 % | level dB: worst line | envelope dB: median | 95 % | plain: 95 % | unvoiced changed |\n|---|---|---|---|---|---|---|---|---|---|\n";
/// What is not voiced lies so far from what is, in frames of 48 kHz.
const FAR: i64 = 1_920;
/// Middles of the octaves in which envelopes are compared, in Hz.
const BANDS_HZ: [f64; 8] = [800.0, 1_000.0, 1_250.0, 1_600.0, 2_000.0, 2_500.0, 3_150.0, 4_000.0];
const FRAME: usize = 2_048;

type Done<T> = Result<T, Box<dyn std::error::Error>>;

fn main() -> Done<()> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let args: Vec<&str> = args.iter().map(String::as_str).collect();
    let [from, to, seconds, rest @ ..] = args.as_slice() else { return Err("retunes FROM TO SECONDS [FILE]".into()) };
    let mut text = HEAD.to_string();
    for cents in [-300.0, -100.0, 100.0, 300.0] {
        let mut all = Count::default();
        for seed in from.parse::<u64>()?..=to.parse()? {
            all.add(&doubles(seconds.parse()?, seed, &[How::Same]).lead, cents)?;
        }
        writeln!(text, "{}", all.line(cents))?;
    }
    println!("{text}");
    if let [file] = rest {
        std::fs::write(file, text)?;
    }
    Ok(())
}

#[derive(Default)]
struct Count {
    lines: usize,
    off: Vec<f64>,
    louder: f64,
    envelope: Vec<f64>,
    plain: Vec<f64>,
    changed: usize,
}

impl Count {
    fn add(&mut self, x: &[f32], cents: f64) -> Done<()> {
        let rate = SampleRate::new(48_000)?;
        let before = heard(x, rate)?;
        let change =
            |n: &marea_core::pitch::Note| NoteChange { from: n.from, to: n.to + 1.0, cents, drift: 1.0, vibrato: 1.0 };
        let changes: Vec<NoteChange> = notes(&before).iter().map(change).collect();
        let shifts = by_notes(&before, &changes);
        let made = made(x, &before, &shifts, rate)?;
        let after = heard(&made, rate)?;
        for (n, (a, b)) in before.iter().zip(&after).enumerate() {
            // Where the change is whole.
            let whole = (shifts[n] - cents / 100.0).abs() < 1e-9;
            if let (true, Verdict::Solid, Some(was), Some(is)) = (whole, a.verdict, a.hz, b.hz) {
                self.off.push((1_200.0 * (is / was).log2() - cents).abs());
            }
        }
        let voiced = |at: i64, beside: i64| {
            let from = before.partition_point(|p| p.at < (at - beside) as f64);
            before[from..].iter().take_while(|p| p.at <= (at + beside) as f64).any(|p| p.hz.is_some())
        };
        let power = |x: &[f32]| -> f64 {
            x.iter()
                .enumerate()
                .step_by(7)
                .filter(|(n, _)| voiced(*n as i64, 240))
                .map(|(_, v)| f64::from(*v).powi(2))
                .sum()
        };
        let louder = db_of_power(power(&made) / power(x));
        if louder.abs() > self.louder.abs() {
            self.louder = louder;
        }
        let own = envelope(x);
        self.envelope.extend(own.iter().zip(envelope(&made)).map(|(a, b)| (a - b).abs()));
        let speed = 2f64.powf(cents / 1_200.0);
        let read = |n: usize| x.get((n as f64 * speed) as usize).copied().unwrap_or(0.0);
        let plain: Vec<f32> = (0..x.len()).map(read).collect();
        self.plain.extend(own.iter().zip(envelope(&plain)).map(|(a, b)| (a - b).abs()));
        let far = (0..x.len()).step_by(31).filter(|n| !voiced(*n as i64, FAR));
        self.changed += far.filter(|n| x[*n].to_bits() != made[*n].to_bits()).count();
        self.lines += 1;
        Ok(())
    }

    fn line(&self, cents: f64) -> String {
        format!(
            "| {cents:+} | {} | {} | {:.2} | {:.2} | {:+.2} | {:.2} | {:.2} | {:.2} | {} |",
            self.lines,
            self.off.len(),
            quantile(&self.off, 0.5),
            quantile(&self.off, 0.95),
            self.louder,
            quantile(&self.envelope, 0.5),
            quantile(&self.envelope, 0.95),
            quantile(&self.plain, 0.95),
            self.changed,
        )
    }
}

fn heard(x: &[f32], rate: SampleRate) -> Done<Vec<Pitch>> {
    let source = MemSource(x.to_vec());
    Ok(pitch(&Placed { source: &source, start: SessionFrame(0) }, rate, &|_| true)?)
}

fn made(x: &[f32], told: &[Pitch], shifts: &[f64], rate: SampleRate) -> Done<Vec<f32>> {
    let source = MemSource(x.to_vec());
    let sources: [&dyn Source; 1] = [&source];
    let mut reader = Retuned::new(&sources, told, shifts, rate);
    let mut out = Vec::new();
    loop {
        let block = reader.next_block()?;
        if block.is_empty() {
            return Ok(out);
        }
        out.extend_from_slice(&block[0]);
    }
}

/// Levels by octave over all of a sound, in dB.
fn envelope(x: &[f32]) -> Vec<f64> {
    let mut t = Transform::new(FRAME);
    let mut power = vec![0f64; t.bins()];
    let mut spectrum = vec![Complex32::default(); t.bins()];
    let taper = |n: usize| 0.5 - 0.5 * (std::f32::consts::TAU * n as f32 / FRAME as f32).cos();
    for frame in x.windows(FRAME).step_by(FRAME / 2) {
        let windowed: Vec<f32> = frame.iter().enumerate().map(|(n, v)| v * taper(n)).collect();
        t.forward(&windowed, &mut spectrum);
        power.iter_mut().zip(&spectrum).for_each(|(p, s)| *p += f64::from(s.norm_sqr()));
    }
    let band = |hz: &f64| {
        let [from, to] = [-1.0, 1.0].map(|side| hz * 2f64.powf(side / 2.0) * FRAME as f64 / 48_000.0);
        let bins = (from.round() as usize).min(power.len())..(to.round() as usize).min(power.len());
        db_of_power(power[bins].iter().sum::<f64>().max(f64::MIN_POSITIVE))
    };
    BANDS_HZ.iter().map(band).collect()
}
