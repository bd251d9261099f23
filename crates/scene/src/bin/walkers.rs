//! People who walk between two microphones, followed seed by seed: `walkers FROM TO SECONDS [FILE]`. The second microphone of each is
//! also held against the first of another, which must be refused.

use marea_core::follow::{Followed, walker};
use marea_core::signal::MemSource;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::walkers::walk;
use std::fmt::Write as _;

const HEAD: &str = "# Accuracy of walkers\n\nMade by `make accuracy`. Simulated rooms in which somebody walks, stands and talks, whispers or plays between two microphones, by seed: the direct sound \
    and six reflections move along, a late part does not; noise in both. Errors of the lag in samples at 48 kHz where it was decided; one offset: the same when the median stands for all \
    of it. The second microphone is also held against the first of another room, which must be refused.\n\n\
    | seed | who | decided | RMS | 95 % | worst | one offset RMS | range of the lag, ms | inverted right | verdict | another room |\n|---|---|---|---|---|---|---|---|---|---|---|\n";

/// Errors in samples, smallest first.
fn errors(got: &Followed, truth: &dyn Fn(f64) -> f64, decided: bool) -> Vec<f64> {
    let steps = got.lag_frames.iter().zip(&got.measured).enumerate().filter(|(_, (_, m))| **m == decided);
    let mut off: Vec<f64> = steps.map(|(j, (l, _))| (l - truth((j as f64 + 0.5) * got.step_frames)).abs()).collect();
    off.sort_by(f64::total_cmp);
    off
}

fn rms(v: &[f64]) -> f64 {
    (v.iter().map(|x| x * x).sum::<f64>() / v.len().max(1) as f64).sqrt()
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [from, to, seconds, rest @ ..] = args.as_slice() else { return Err("walkers FROM TO SECONDS [FILE]".into()) };
    let seconds: f64 = seconds.parse()?;
    let rate = SampleRate::new(48_000)?;
    let mut text = HEAD.to_string();
    let (mut all, mut solid, mut over, mut refused, mut of) = (Vec::new(), 0, 0, 0, 0);
    let mut other = MemSource(walk(seconds, from.parse::<u64>()?.wrapping_sub(1)).heard[0].clone());
    for seed in from.parse()?..=to.parse::<u64>()? {
        let walk = walk(seconds, seed);
        let [first, second] = walk.heard.clone().map(MemSource);
        let got = walker(&first, &second, rate, &|_| true)?;
        let truth = |frame: f64| walk.lag(frame);
        let off = errors(&got, &truth, true);
        let at = |part: f64| off.get(((off.len().max(1) - 1) as f64 * part) as usize).copied().unwrap_or(f64::NAN);
        let lags: Vec<f64> = (0..got.lag_frames.len()).map(|j| truth((j as f64 + 0.5) * got.step_frames)).collect();
        let one: Vec<f64> = lags.iter().map(|l| l - got.later_frames).collect();
        let range =
            lags.iter().copied().fold(f64::NEG_INFINITY, f64::max) - lags.iter().copied().fold(f64::INFINITY, f64::min);
        let stranger = walker(&other, &second, rate, &|_| true)?;
        let line = format!(
            "| {seed} | {:?} | {:.0} % | {:.2} | {:.2} | {:.1} | {:.1} | {:.1} | {} | {:?} | {:?} |\n",
            walk.who,
            100.0 * got.share,
            rms(&off),
            at(0.95),
            at(1.0),
            rms(&one),
            range / 48.0,
            got.invert == walk.inverts,
            got.verdict,
            stranger.verdict,
        );
        print!("{line}");
        text.push_str(&line);
        of += 1;
        solid += usize::from(got.verdict == Verdict::Solid);
        over += usize::from(got.verdict == Verdict::Solid && (rms(&off) > 1.0 || got.invert != walk.inverts));
        refused += usize::from(stranger.verdict == Verdict::Undecided);
        if got.verdict > Verdict::Undecided {
            all.extend(off);
        }
        other = first;
    }
    all.sort_by(f64::total_cmp);
    let most = all.get(all.len() * 95 / 100).copied().unwrap_or(f64::NAN);
    writeln!(
        text,
        "\nWhere decided, in all that are solid or likely: RMS {:.2}, 95 % {most:.2}. {solid} of {of} solid, {over} of these with an RMS over one sample or the wrong \
         polarity. Other rooms refused: {refused} of {of}.",
        rms(&all)
    )?;
    println!("{}", text.lines().last().unwrap_or_default());
    if let Some(file) = rest.first() {
        std::fs::write(file, text)?;
    }
    Ok(())
}
