//! Prints followed, seed by seed: `prints FROM TO SECONDS [FILE]`. Each print is also held against another send, which must be refused.

use marea_core::follow::{Followed, follow, follow_straight, left_along};
use marea_core::signal::MemSource;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::prints::{Machine, RATE_HZ, send};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;

const HEAD: &str = "# Accuracy of prints\n\nMade by `make accuracy`. Simulated tape machines with wow, flutter, wandering speed, drift, saturation, colour and hiss, by seed; \
    drum sets, ensembles, single microphones and slow chords are sent. Errors of the lag in samples at 48 kHz, on measured steps; null: what is left of the print when \
    the send is subtracted along the measured lag, and along the true one, through the filter that fits best; one offset: error of the lag when one number stands for \
    all of it, as one correlation gives it at best. Each print is also held against another send, which must be refused. Quick: what is told \
    when only one offset and one speed are asked for, against the straight line through the true lag.\n\n\
    | seed | measured | mean | RMS | 95 % | worst | filled RMS | null, dB | null of the truth | null of one offset | one offset RMS | drift off, ppm | sign right | verdict | quick: off at the middle | drift off, ppm | sign right |\n\
    |---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|\n";

/// What all seeds came to.
#[derive(Default)]
struct All {
    prints: usize,
    solid: usize,
    signs: usize,
    refused: usize,
    /// Largest RMS and 95 % of those called solid, and how much deeper the true lag nulls at most, in dB.
    worst: [f64; 3],
    /// By how many samples the quick line is off at the middle; and other sends that it refuses.
    quick: Vec<f64>,
    quick_refused: usize,
}

impl All {
    fn add(&mut self, got: &Followed, now: [f64; 3], sign: bool) {
        self.prints += 1;
        self.signs += usize::from(sign);
        if got.verdict == Verdict::Solid {
            self.solid += 1;
            self.worst.iter_mut().zip(now).for_each(|(worst, now)| *worst = worst.max(now));
        }
    }

    fn told(&self) -> String {
        let Self { prints, solid, signs, refused, worst: [rms, most, deeper], quick, quick_refused } = self;
        let mut quick = quick.clone();
        let (told, median) = (quick.len(), marea_core::dsp::stats::median(&mut quick).unwrap_or(f64::NAN));
        format!(
            "\n{solid} of {prints} solid; of these the largest RMS is {rms:.2}, the largest 95 % {most:.2}, and the null at most {deeper:.1} dB less deep \
             than with the true lag. Polarity right in {signs} of {prints}. Other sends refused: {refused} of {prints}. \
             Quick: {told} of {prints} told, off by {median:.1} samples in the median; other sends refused: {quick_refused} of {prints}.\n"
        )
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [from, to, seconds, rest @ ..] = args.as_slice() else { return Err("prints FROM TO SECONDS [FILE]".into()) };
    let seconds: f64 = seconds.parse()?;
    let rate = SampleRate::new(u64::from(RATE_HZ))?;
    let mut text = HEAD.to_string();
    let mut all = All::default();
    for seed in from.parse()?..=to.parse::<u64>()? {
        let sent = send(seconds, seed);
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let machine = Machine::of(&mut rng);
        let print = MemSource(machine.print(&sent, &mut rng));
        let began = std::time::Instant::now();
        let got = follow(&MemSource(sent.clone()), &print, rate, &|_| true)?;
        let took = began.elapsed().as_secs_f64();
        let step = got.step_frames / 48_000.0;
        let truth = |j: usize| machine.lag((j as f64 + 0.5) * step) * 48_000.0;
        let of = |measured: bool| {
            let steps = got.lag_frames.iter().zip(&got.measured).enumerate();
            steps.filter(|(_, (_, m))| **m == measured).map(|(j, (l, _))| (l - truth(j)).abs()).collect::<Vec<f64>>()
        };
        let steps = got.lag_frames.iter().zip(&got.measured).enumerate();
        let bias: Vec<f64> = steps.filter(|(_, (_, m))| **m).map(|(j, (l, _))| l - truth(j)).collect();
        let mean = bias.iter().sum::<f64>() / bias.len().max(1) as f64;
        let (mut off, filled) = (of(true), of(false));
        let rms = |v: &[f64]| (v.iter().map(|x| x * x).sum::<f64>() / v.len().max(1) as f64).sqrt();
        off.sort_by(f64::total_cmp);
        let at = |part: f64| off.get(((off.len().max(1) - 1) as f64 * part) as usize).copied().unwrap_or(f64::NAN);
        let lags: Vec<f64> = (0..got.lag_frames.len()).map(truth).collect();
        let best = if lags.is_empty() { f64::NAN } else { left_along(&MemSource(sent.clone()), &print, rate, &lags)? };
        let one: Vec<f64> = lags.iter().map(|l| l - got.later_frames).collect();
        let quick = follow_straight(&MemSource(sent.clone()), &print, rate, &|_| true)?;
        let quickly = match quick.lag_frames.is_empty() {
            true => "refused | - | - |".to_string(),
            false => {
                // The line that leaves least squares of the true lag.
                let steps: Vec<(f64, f64)> =
                    (0..1_000).map(|n| f64::from(n) / 1_000.0 * seconds).map(|t| (t, machine.lag(t))).collect();
                let (at_0, slope) = marea_core::dsp::stats::line(&steps).unwrap_or_default();
                let middle = 48_000.0 * (at_0 + slope * seconds / 2.0);
                let told = quick.line_frames + quick.drift_ppm * 1e-6 * 24_000.0 * seconds;
                let (off, drift) = (told - middle, quick.drift_ppm - slope * 1e6);
                all.quick.push(off.abs());
                format!("{off:.1} | {drift:.1} | {} |", quick.invert == machine.inverts)
            }
        };
        let line = format!(
            "| {seed} | {:.0} % | {mean:.2} | {:.2} | {:.2} | {:.1} | {:.1} | {:.1} | {best:.1} | {:.1} | {:.1} | {:.1} | {} | {:?} | {quickly}\n",
            100.0 * got.share,
            rms(&off),
            at(0.95),
            at(1.0),
            rms(&filled),
            got.left.map,
            got.left.offset,
            rms(&one),
            got.drift_ppm - machine.drift_ppm,
            got.invert == machine.inverts,
            got.verdict
        );
        print!("{took:.1} s {line}");
        text.push_str(&line);
        let other = follow(&MemSource(send(seconds, seed + 3)), &print, rate, &|_| true)?;
        all.add(&got, [rms(&off), at(0.95), got.left.map - best], got.invert == machine.inverts);
        let stranger = follow_straight(&MemSource(send(seconds, seed + 3)), &print, rate, &|_| true)?;
        all.quick_refused += usize::from(stranger.lag_frames.is_empty());
        all.refused += usize::from(other.verdict == Verdict::Undecided);
        if other.verdict != Verdict::Undecided {
            println!("    another send: {:.1} % {:?}: {}", 100.0 * other.share, other.verdict, other.reason);
        }
    }
    text.push_str(&all.told());
    if let Some(file) = rest.first() {
        std::fs::write(file, text)?;
    }
    Ok(())
}
