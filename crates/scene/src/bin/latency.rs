//! Latencies of paths: every simulated stage probed, and chains of equaliser, saturation and noise, beside the simple way of taking the
//! peak of the response. Usage: latency FILE

use marea_core::probe::{Reading, Signal, read, signal, written};
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::stages::{STAGES, delayed, noisy, peak};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use std::fmt::Write as _;

/// Seeds that no rule was made on.
const SEEDS: std::ops::Range<u64> = 9_000..9_040;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let file = std::env::args().nth(1).ok_or("usage: latency FILE")?;
    let rate = SampleRate::new(48_000)?;
    let mut text = String::from("# Accuracy of latencies\n\nMade by `make accuracy`. Samples at 48 kHz.\n\n");
    stages(&mut text, rate)?;
    chains(&mut text, rate)?;
    std::fs::write(&file, &text)?;
    println!("{text}");
    Ok(())
}

/// What each simulated device says of itself, does, and is measured to do.
fn stages(text: &mut String, rate: SampleRate) -> std::fmt::Result {
    text.push_str("## Simulated stages\n\n| stage | stated | true | by sweep | by noise |\n|---|---|---|---|---|\n");
    for stage in &STAGES {
        let by = |kind| {
            let mut rng = ChaCha8Rng::seed_from_u64(1);
            told(&read(&stage.process(&written(kind, rate), &mut rng), rate))
        };
        let truth =
            stage.latency.map_or("no one delay".into(), |l| format!("{l}{}", if stage.inverts { " ▼" } else { "" }));
        writeln!(
            text,
            "| {} | {} | {truth} | {} | {} |",
            stage.name,
            stage.stated,
            by(Signal::Sweep),
            by(Signal::Noise)
        )?;
    }
    text.push_str("\n▼: comes out inverted.\n\n");
    Ok(())
}

fn told(found: &[Reading]) -> String {
    let one = |r: &Reading| {
        let verdict = format!("{:?}", r.verdict).to_lowercase();
        // No minus before a zero.
        let late = (r.latency * 100.0).round() / 100.0 + 0.0;
        format!("{late:.2}{} ({verdict})", if r.invert { " ▼" } else { "" })
    };
    if found.is_empty() { "not found".into() } else { found.iter().map(one).collect::<Vec<_>>().join(", ") }
}

/// How far off a chain's latency is.
struct Off {
    samples: f64,
    way: bool,
    solid: bool,
    by_peak: f64,
}

/// The place of the largest sample of what came back, correlated with what was sent, with a parabola through its neighbours.
fn by_peak(heard: &[f32], kind: Signal, rate: SampleRate) -> f64 {
    let mut turned = signal(kind, rate);
    turned.reverse();
    let curve = marea_scene::stages::convolved(heard, &turned);
    let n = (0..curve.len()).max_by(|&a, &b| curve[a].abs().total_cmp(&curve[b].abs())).unwrap_or(0);
    let y = |k: usize| f64::from(curve.get(k).map_or(0.0, |v| v.abs()));
    let (a, b, c) = (y(n.saturating_sub(1)), y(n), y(n + 1));
    n as f64 + 0.5 * (a - c) / (a - 2.0 * b + c) - (turned.len() - 1) as f64 - 24_000.0
}

fn chain(seed: u64, kind: Signal, noise_db: f64, rate: SampleRate) -> Option<Off> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut x = written(kind, rate);
    for hz in [90.0, 900.0, 5_000.0] {
        let hz = hz * rng.random_range(0.6..1.8);
        x = peak(&x, hz, rng.random_range(-6.0..6.0), rng.random_range(0.5..2.0));
    }
    let (drive, turn): (f32, f32) = (rng.random_range(0.5..2.0), if rng.random_bool(0.5) { -1.0 } else { 1.0 });
    x.iter_mut().for_each(|v| *v = turn * (*v * drive).tanh() / drive);
    let late = rng.random_range(0.0..40_000.0);
    let heard = noisy(delayed(&x, late), noise_db, &mut rng);
    let found = read(&heard, rate);
    let r = found.first().filter(|_| found.len() == 1)?;
    Some(Off {
        samples: (r.latency - late).abs(),
        way: r.invert == (turn < 0.0),
        solid: r.verdict == Verdict::Solid,
        by_peak: (by_peak(&heard, kind, rate) - late).abs(),
    })
}

fn chains(text: &mut String, rate: SampleRate) -> std::fmt::Result {
    let count = SEEDS.end - SEEDS.start;
    writeln!(
        text,
        "## Chains\n\nThree bells of ±6 dB, bent peaks, noise, any part of a sample, either polarity; {count} seeds each. Bar: 0.05 of a sample \
         with noise at −40 dBFS, polarity always. *Correlation*: the peak of the correlation with what was sent.\n\n\
         | sent | noise | found | solid | median off | 95 % | worst | polarity wrong | correlation: median off | worst |\n\
         |---|---|---|---|---|---|---|---|---|---|"
    )?;
    for (kind, noise_db) in
        [(Signal::Sweep, -60.0), (Signal::Sweep, -40.0), (Signal::Sweep, -26.0), (Signal::Noise, -40.0)]
    {
        let all: Vec<Off> = SEEDS.into_par_iter().filter_map(|seed| chain(seed, kind, noise_db, rate)).collect();
        let sorted = |of: &dyn Fn(&Off) -> f64| {
            let mut v: Vec<f64> = all.iter().map(of).collect();
            v.sort_by(f64::total_cmp);
            v
        };
        let (off, peak) = (sorted(&|o| o.samples), sorted(&|o| o.by_peak));
        let at =
            |v: &[f64], part: f64| v.get(((v.len() - 1) as f64 * part).round() as usize).copied().unwrap_or(f64::NAN);
        writeln!(
            text,
            "| {} | {noise_db} dBFS | {} of {count} | {} | {:.3} | {:.3} | {:.3} | {} | {:.2} | {:.2} |",
            format!("{kind:?}").to_lowercase(),
            all.len(),
            all.iter().filter(|o| o.solid).count(),
            at(&off, 0.5),
            at(&off, 0.95),
            at(&off, 1.0),
            all.iter().filter(|o| !o.way).count(),
            at(&peak, 0.5),
            at(&peak, 1.0),
        )?;
    }
    Ok(())
}
