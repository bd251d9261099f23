//! The pitch of sung lines beside the true one: `pitches FROM TO SECONDS [FILE]`.

use marea_core::pitch::{Pitch, notes, pitch};
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use marea_scene::doubles::{How, doubles};
use marea_scene::struck::quantile;

const HEAD: &str = "# Accuracy of pitch\n\nMade by `make accuracy`. Made-up singers (each with its own formants, breath, vibrato and looseness) sing syllables from low to high; every 5 ms where the folds swing and the voice \
    is at its level the told pitch beside the true one. Octaves: more than 600 cents off. Voiced: moments that have a pitch and are told one. Unvoiced: moments more than 60 ms from anything voiced \
    that are told none.\n\n| lines | moments | voiced | cents off: median | 95 % | solid | their 95 % | octaves wrong | of them solid | unvoiced | notes | solid |\n|---|---|---|---|---|---|---|---|---|---|---|---|\n";
/// Further off than this is another octave, in cents.
const OCTAVE: f64 = 600.0;
/// Moments so far from a voiced one are unvoiced.
const FAR: usize = 12;

type Done = Result<(), Box<dyn std::error::Error>>;

fn main() -> Done {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let args: Vec<&str> = args.iter().map(String::as_str).collect();
    let [from, to, seconds, rest @ ..] = args.as_slice() else { return Err("pitches FROM TO SECONDS [FILE]".into()) };
    let rate = SampleRate::new(48_000)?;
    let mut all = Count::default();
    for seed in from.parse::<u64>()?..=to.parse()? {
        let made = doubles(seconds.parse()?, seed, &[How::Same]);
        let source = MemSource(made.lead);
        let told = pitch(&Placed { source: &source, start: SessionFrame(0) }, rate, &|_| true)?;
        let mut one = Count::default();
        one.add(&made.pitch_hz, &told);
        println!("{seed}: {}", one.line());
        all.add(&made.pitch_hz, &told);
    }
    let text = format!("{HEAD}{}\n", all.line());
    println!("{text}");
    if let [file] = rest {
        std::fs::write(file, text)?;
    }
    Ok(())
}

/// What was counted over lines.
#[derive(Default)]
struct Count {
    lines: usize,
    moments: usize,
    cents: Vec<f64>,
    solid: Vec<f64>,
    octaves: [usize; 2],
    unvoiced: [usize; 2],
    notes: [usize; 2],
}

impl Count {
    fn add(&mut self, truth: &[Option<f64>], told: &[Pitch]) {
        self.lines += 1;
        for (n, (truth_hz, told)) in truth.iter().zip(told).enumerate() {
            let Some(hz) = truth_hz else {
                let near = &truth[n.saturating_sub(FAR)..(n + FAR + 1).min(truth.len())];
                if near.iter().all(Option::is_none) {
                    self.unvoiced[0] += usize::from(told.hz.is_none());
                    self.unvoiced[1] += 1;
                }
                continue;
            };
            self.moments += 1;
            let Some(got) = told.hz else { continue };
            let off = (1_200.0 * (got / hz).log2()).abs();
            self.cents.push(off);
            let solid = told.verdict == Verdict::Solid;
            if solid {
                self.solid.push(off);
            }
            if off > OCTAVE {
                self.octaves[0] += 1;
                self.octaves[1] += usize::from(solid);
            }
        }
        let found = notes(told);
        self.notes[0] += found.len();
        self.notes[1] += found.iter().filter(|n| n.verdict == Verdict::Solid).count();
    }

    fn line(&self) -> String {
        let part = |of: usize, all: usize| 100.0 * of as f64 / all.max(1) as f64;
        format!(
            "| {} | {} | {:.1} % | {:.2} | {:.2} | {} | {:.2} | {} | {} | {:.1} % | {} | {} |",
            self.lines,
            self.moments,
            part(self.cents.len(), self.moments),
            quantile(&self.cents, 0.5),
            quantile(&self.cents, 0.95),
            self.solid.len(),
            quantile(&self.solid, 0.95),
            self.octaves[0],
            self.octaves[1],
            part(self.unvoiced[0], self.unvoiced[1]),
            self.notes[0],
            self.notes[1],
        )
    }
}
