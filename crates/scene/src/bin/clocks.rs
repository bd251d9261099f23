//! Recorders with clocks of their own, seed by seed: `clocks FROM TO [FILE]`. Each is also held against another event, which must not fit.

use marea_core::progress::MeasureError;
use marea_core::signal::MemSource;
use marea_core::sync::{Features, Place, place};
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::clocks::{Recorded, recorded};

const HEAD: &str = "# Accuracy of recorders with clocks of their own\n\nMade by `make accuracy`. Two simulated recorders at one event of 300 s, one close and one up to 25 m away in a room, \
    the other with a clock of its own, a band and a noise of its own; of one in ten seeds the event is one loop again and again. Offset against the direct sound, in samples at \
    48 kHz. Each recording is also held against another event, which must not be placed.\n\n\
    | seed | seconds | begins, s | off, samples | ppm | off, ppm | its error as told | polarity right | verdict |\n|---|---|---|---|---|---|---|---|---|\n";
/// Lengths of the other recording, in seconds.
const LENGTHS_S: [f64; 3] = [40.0, 80.0, 205.0];
/// Farther off than this the place is wrong: 10 ms.
const WRONG: f64 = 480.0;

/// What all seeds came to.
#[derive(Default)]
struct All {
    events: usize,
    placed: usize,
    wrong: usize,
    solid_wrong: usize,
    strangers: usize,
    /// By length: largest errors of the offset in samples and of the speed in ppm.
    worst: [[f64; 2]; 3],
    claimed: usize,
    claimed_off: f64,
}

impl All {
    /// The errors of offset and speed.
    fn add(&mut self, made: &Recorded, got: &Place, which: usize) -> Option<[f64; 2]> {
        let off = got.line.map(|l| [l.begins() - made.begins, l.ppm - made.ppm]);
        self.events += usize::from(!made.repeats);
        self.placed += usize::from(!made.repeats && off.is_some());
        if let Some([samples, ppm]) = off {
            let bad = samples.abs() > WRONG;
            self.wrong += usize::from(bad);
            self.solid_wrong += usize::from(bad && got.verdict == Verdict::Solid);
            let [worst_samples, worst_ppm] = self.worst[which];
            self.worst[which] = [worst_samples.max(samples.abs()), worst_ppm.max(ppm.abs())];
            if got.claimed() {
                self.claimed += 1;
                self.claimed_off = self.claimed_off.max(ppm.abs());
            }
        }
        off
    }

    fn told(&self) -> String {
        let mut text = format!(
            "\nPlaced {} of {} (loops apart); more than 10 ms off {}, of these solid {}; other events placed {}.\n",
            self.placed, self.events, self.wrong, self.solid_wrong, self.strangers
        );
        for (seconds, [samples, ppm]) in LENGTHS_S.iter().zip(self.worst) {
            text += &format!("At {seconds} s: offset {samples:.1} samples off at most, speed {ppm:.2} ppm.\n");
        }
        text + &format!(
            "Differences of clocks claimed {} times, {:.2} ppm off at most.\n",
            self.claimed, self.claimed_off
        )
    }
}

fn held(a: &MemSource, b: &MemSource, rate: SampleRate) -> Result<Place, MeasureError> {
    let features = |x: &MemSource| Features::measure(x, rate, &|| true);
    place([(a, &features(a)?), (b, &features(b)?)], rate, &|| true)
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [from, to, rest @ ..] = args.as_slice() else { return Err("clocks FROM TO [FILE]".into()) };
    let rate = SampleRate::new(48_000)?;
    let mut text = HEAD.to_string();
    let mut all = All::default();
    for seed in from.parse()?..=to.parse::<u64>()? {
        let which = (seed % 3) as usize;
        let made = recorded(300.0, LENGTHS_S[which], seed);
        let (reference, other) = (MemSource(made.reference.clone()), MemSource(made.other.clone()));
        let began = std::time::Instant::now();
        let got = held(&reference, &other, rate)?;
        let took = began.elapsed().as_secs_f64();
        let off = all.add(&made, &got, which);
        let told = |v: Option<f64>, digits: usize| v.map_or("–".into(), |v| format!("{v:+.digits$}"));
        let line = format!(
            "| {seed}{} | {} | {:.2} | {} | {:+.1} | {} | {:.2} | {} | {:?} |\n",
            if made.repeats { " (loop)" } else { "" },
            LENGTHS_S[which],
            made.begins / 48_000.0,
            told(off.map(|o| o[0]), 1),
            made.ppm,
            told(off.map(|o| o[1]), 2),
            got.ppm_error,
            off.map_or("–".into(), |_| (got.invert == made.inverts).to_string()),
            got.verdict
        );
        println!("{took:.1} s {line}    {}", got.reason);
        text.push_str(&line);
        let stranger = MemSource(recorded(100.0, LENGTHS_S[which].min(80.0), seed + 1_000).other);
        let stranger = held(&reference, &stranger, rate)?;
        if stranger.line.is_some() {
            all.strangers += 1;
            println!("    another event: {:?} {}", stranger.verdict, stranger.reason);
        }
    }
    print!("{}", all.told());
    text.push_str(&all.told());
    if let Some(file) = rest.first() {
        std::fs::write(file, text)?;
    }
    Ok(())
}
