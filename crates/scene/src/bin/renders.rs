//! Renderings against their notes, seed by seed: `renders FROM TO SECONDS [FILE]`. Each is also held against another score, which must not fit.

use marea_core::notes::measure_notes;
use marea_core::notes::midi::Score;
use marea_core::signal::MemSource;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::renders::rendering;

const HEAD: &str = "# Accuracy of rendered instruments\n\nMade by `make accuracy`. Simulated instruments play the notes of a file late by a known time, some in a room, with hiss; \
    one in seven is played by a person (scatter). Errors in ms. Simple: the first sample within 40 dB of the peak against the first note. Each rendering is also held \
    against the notes of another seed, which must not be told.\n\n\
    | seed | instrument | late, ms | scatter | told | off | simple off | heard | spread | note value made | told | verdict |\n\
    |---|---|---|---|---|---|---|---|---|---|---|---|\n";

/// The error of the simple way, in ms.
fn simple(sound: &[f32], first_note_s: f64) -> f64 {
    let peak = sound.iter().fold(0f32, |m, v| m.max(v.abs()));
    let at = sound.iter().position(|v| v.abs() > 0.01 * peak).unwrap_or(0);
    (at as f64 / 48_000.0 - first_note_s) * 1_000.0
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [from, to, seconds, rest @ ..] = args.as_slice() else { return Err("renders FROM TO SECONDS [FILE]".into()) };
    let seconds: f64 = seconds.parse()?;
    let rate = SampleRate::new(48_000)?;
    let mut text = HEAD.to_string();
    let (mut told, mut all, mut wrong, mut solid_wrong, mut strangers, mut values) = (0, 0, 0, 0, 0, [0; 3]);
    for seed in from.parse()?..=to.parse::<u64>()? {
        let made = rendering(seconds, seed);
        let score = Score::read(&made.file)?;
        let sound = MemSource(made.sound);
        let got = measure_notes(&score, &sound, rate, &mut |_| true)?;
        let off = got.latency_ms.map(|l| l - made.late_ms);
        let bar = if seed % 6 < 2 { 1.0 } else { 5.0 };
        all += 1;
        told += usize::from(off.is_some());
        // A person's latency is known to some ms only, and called solid by nobody.
        let bad = off.is_some_and(|o| o.abs() > bar) && made.scatter_ms == 0.0;
        wrong += usize::from(bad);
        solid_wrong += usize::from((bad || made.scatter_ms > 0.0) && got.verdict == Verdict::Solid);
        let value = got.value.as_ref().map(|v| v.name.as_str());
        if let Some(made) = made.value.filter(|_| off.is_some()) {
            values[0] += 1;
            values[1] += usize::from(value == Some(made));
            values[2] += usize::from(value.is_some_and(|v| v != made));
        }
        let number = |v: Option<f64>| v.map_or("–".into(), |v| format!("{v:.1}"));
        let line = format!(
            "| {seed} | {:?} | {:.1} | {:.0} | {} | {} | {:.1} | {} | {} | {} | {} | {:?} |\n",
            made.instrument,
            made.late_ms,
            made.scatter_ms,
            number(got.latency_ms),
            off.map_or("–".into(), |o| format!("{o:+.2}")),
            simple(&sound.0, score.notes[0].seconds) - made.late_ms,
            number(got.heard_ms),
            number(got.spread_ms),
            made.value.unwrap_or("–"),
            value.unwrap_or("–"),
            got.verdict
        );
        print!("{line}");
        println!("    {}", got.reason);
        text.push_str(&line);
        let other = Score::read(&rendering(seconds, seed + 6).file)?;
        let other = measure_notes(&other, &sound, rate, &mut |_| true)?;
        if other.verdict != Verdict::Undecided {
            strangers += 1;
            println!("    another score: {:?} {:?}: {}", other.verdict, other.latency_ms, other.reason);
        }
    }
    text.push_str(&format!(
        "\nTold for {told} of {all}; off by more than 1 ms (struck) or 5 ms (slow) {wrong}; solid and wrong {solid_wrong}. Note values named {} of {} made, wrong {}. \
         Other scores told: {strangers} of {all}.\n",
        values[1], values[0], values[2]
    ));
    print!("{}", text.lines().last().unwrap_or_default());
    if let Some(file) = rest.first() {
        std::fs::write(file, text)?;
    }
    Ok(())
}
