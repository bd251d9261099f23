//! Recorders with clocks of their own, seed by seed: `clocks FROM TO [FILE]`. Each is also held against another event, which must not fit.

use marea_core::signal::MemSource;
use marea_core::sync::{Features, Place, place};
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::clocks::recorded;

const HEAD: &str = "# Accuracy of recorders with clocks of their own\n\nMade by `make accuracy`. Two simulated recorders at one event of 300 s, one close and one up to 25 m away in a room, \
    the other with a clock of its own, a band and a noise of its own; of one in ten seeds the event is one loop again and again. Offset against the direct sound, in samples at \
    48 kHz. Each recording is also held against another event, which must not be placed.\n\n\
    | seed | seconds | begins, s | off, samples | ppm | off, ppm | its error as told | polarity right | verdict |\n|---|---|---|---|---|---|---|---|---|\n";

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [from, to, rest @ ..] = args.as_slice() else { return Err("clocks FROM TO [FILE]".into()) };
    let rate = SampleRate::new(48_000)?;
    let features = |x: &MemSource| Features::measure(x, rate, &|| true);
    let held = |a: &MemSource, b: &MemSource| -> Result<Place, Box<dyn std::error::Error>> {
        Ok(place([(a, &features(a)?), (b, &features(b)?)], rate, &|| true)?)
    };
    let mut text = HEAD.to_string();
    let (mut all, mut placed, mut wrong, mut strangers, mut solid_wrong) = (0, 0, 0, 0, 0);
    // Worst errors by length: of the offset in samples, of the speed in ppm, as claimed or not.
    let mut worst = [[0f64; 2]; 3];
    let (mut claimed, mut claimed_off) = (0, 0f64);
    for seed in from.parse()?..=to.parse::<u64>()? {
        let which = (seed % 3) as usize;
        let seconds = [40.0, 80.0, 205.0][which];
        let made = recorded(300.0, seconds, seed);
        let (reference, other) = (MemSource(made.reference), MemSource(made.other));
        let began = std::time::Instant::now();
        let got = held(&reference, &other)?;
        let took = began.elapsed().as_secs_f64();
        let off = got.line.map(|l| (l.begins() - made.begins, l.ppm - made.ppm));
        let told = |v: Option<f64>, digits: usize| v.map_or("–".into(), |v| format!("{v:+.digits$}"));
        let line = format!(
            "| {seed}{} | {seconds} | {:.2} | {} | {:+.1} | {} | {:.2} | {} | {:?} |\n",
            if made.repeats { " (loop)" } else { "" },
            made.begins / 48_000.0,
            told(off.map(|o| o.0), 1),
            made.ppm,
            told(off.map(|o| o.1), 2),
            got.ppm_error,
            if off.is_some() { (got.invert == made.inverts).to_string() } else { "–".into() },
            got.verdict
        );
        print!("{took:.1} s {line}");
        println!("    {}", got.reason);
        text.push_str(&line);
        if !made.repeats {
            all += 1;
            placed += usize::from(off.is_some());
        }
        if let Some((samples, ppm)) = off {
            let bad = samples.abs() > 480.0;
            wrong += usize::from(bad);
            solid_wrong += usize::from(bad && got.verdict == Verdict::Solid);
            worst[which] = [worst[which][0].max(samples.abs()), worst[which][1].max(ppm.abs())];
            if got.claimed() {
                claimed += 1;
                claimed_off = claimed_off.max(ppm.abs());
            }
        }
        let stranger = MemSource(recorded(100.0, seconds.min(80.0), seed + 1_000).other);
        let stranger = held(&reference, &stranger)?;
        if stranger.line.is_some() {
            strangers += 1;
            println!("    another event: {:?} {}", stranger.verdict, stranger.reason);
        }
    }
    text.push_str(&format!("\nPlaced {placed} of {all} (loops apart); more than 10 ms off {wrong}, of these solid {solid_wrong}; other events placed {strangers}.\n"));
    for (seconds, [samples, ppm]) in [40, 80, 205].iter().zip(worst) {
        text.push_str(&format!("At {seconds} s: offset {samples:.1} samples off at most, speed {ppm:.2} ppm.\n"));
    }
    text.push_str(&format!("Differences of clocks claimed {claimed} times, {claimed_off:.2} ppm off at most.\n"));
    print!("{}", &text[text.find("\nPlaced").unwrap_or(0)..]);
    if let Some(file) = rest.first() {
        std::fs::write(file, text)?;
    }
    Ok(())
}
