//! Noises before notes beside the true ones: `blemishes FROM TO SECONDS [FILE]`.

use marea_core::blemish::{Blemish, blemishes};
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use marea_scene::takes::{Blemished, blemished};
use std::fmt::Write as _;

const HEAD: &str = "# Accuracy of noises before notes\n\nMade by `make accuracy`. A part of chords of one to four voices, and before every fourth chord or so a finger on the strings, a breath or a click, \
    12 to 28 dB under the chord's largest sample, that ends 15 to 120 ms before it. There: those that raise the highs by 8 dB or more over what sounds anyway; the others \
    are hardly heard. False: what was told where there is no noise.\n\n| seeds | chords | there | found | false |\n|---|---|---|---|---|\n";
/// Power of the highs with the noise, against without it: 8 dB.
const HEARD: f64 = 6.3;

type Done = Result<(), Box<dyn std::error::Error>>;

fn main() -> Done {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let args: Vec<&str> = args.iter().map(String::as_str).collect();
    let [from, to, seconds, rest @ ..] = args.as_slice() else { return Err("blemishes FROM TO SECONDS [FILE]".into()) };
    let rate = SampleRate::new(48_000)?;
    let mut each = [[0usize; 4]; 4];
    for seed in from.parse::<u64>()?..=to.parse()? {
        let made = blemished(seconds.parse()?, seed);
        let source = MemSource(made.sound.clone());
        let got = blemishes(&Placed { source: &source, start: SessionFrame(0) }, rate, &|_| true)?;
        let one = counted(&made, &got);
        println!("{seed}: chords, there, found, false: {one:?}");
        (0..4).for_each(|n| each[(seed % 4) as usize][n] += one[n]);
    }
    let all: [usize; 4] = std::array::from_fn(|n| each.iter().map(|e| e[n]).sum());
    let mut text = HEAD.to_string();
    for (name, count) in ["strummed", "reed", "bowed", "struck"].iter().zip(&each).chain([(&"all", &all)]) {
        let [chords, there, found, wrong] = count;
        let _ = writeln!(text, "| {name} | {chords} | {there} | {found} | {wrong} |");
    }
    println!("{text}");
    if let Some(file) = rest.first() {
        std::fs::write(file, text)?;
    }
    Ok(())
}

/// Chords, noises that are there, those of them that were found, and what was told falsely.
fn counted(made: &Blemished, got: &[Blemish]) -> [usize; 4] {
    let meets = |b: &Blemish, [from, to]: &[f64; 2]| (b.from as f64) < *to && *from < b.to as f64;
    let there: Vec<&[f64; 2]> = made.noises.iter().filter(|n| is_heard(made, n)).collect();
    let found = there.iter().filter(|n| got.iter().any(|b| meets(b, n))).count();
    let wrong = got.iter().filter(|b| !made.noises.iter().any(|n| meets(b, n))).count();
    [made.chords.len(), there.len(), found, wrong]
}

fn is_heard(made: &Blemished, [from, to]: &[f64; 2]) -> bool {
    let (middle, half) = (0.5 * (from + to), (0.5 * (to - from)).clamp(300.0, 2_400.0));
    let about = (middle - half).max(0.0) as usize..((middle + half) as usize).min(made.sound.len());
    highs(&made.sound[about.clone()]) > HEARD * highs(&made.clean[about])
}

/// Power between about one and nine kilohertz at 48 kHz.
fn highs(x: &[f32]) -> f64 {
    let (mut once, mut twice, mut last) = (0.0, 0.0, 0.0);
    let one = |v: &f32| {
        let step = f64::from(*v) - last;
        last = f64::from(*v);
        once += 0.48 * (step - once);
        twice += 0.48 * (once - twice);
        twice * twice
    };
    x.iter().map(one).sum()
}
