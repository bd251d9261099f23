//! Hits of simulated sets against the strokes that were played: `hits FROM TO SECONDS [FILE]`, the first third of the seeds dulled and with
//! a dead microphone too; `hits fit FROM TO SECONDS` prints the weights that tell a stroke from what is none.

use marea_core::hits::learn::learn;
use marea_core::hits::look::COUNT;
use marea_core::hits::{hits, moments};
use marea_core::units::SampleRate;
use marea_scene::sets::RATE_HZ;
use marea_scene::struck::{How, Score, Set, f_score, paired, score, strokes};
use nalgebra::{DMatrix, DVector};
use std::fmt::Write as _;

const HEAD: &str = "# Accuracy of hits\n\nMade by `make accuracy`. Hits of simulated drum sets that vary by seed (those of docs/accuracy-sets.md: \
    hats, ghosts, rolls, flams, cymbals without a microphone, second microphones, dead and faint ones), found in the microphone that each \
    source has, against the strokes that were played. Right: within 5 ms, each stroke once. F: harmonic mean of the part of the strokes \
    that was found and the part of the hits that is right; strokes of a source whose living microphone got no row of the check are missed. The weights were fitted on other seeds than these, and on none that was dulled or had a \
    microphone switched off.\n";

const COLUMNS: &str = "| seed | drums: strokes/found/false | F | all: strokes/found/false | F | solid | of them none | sources not learnt | off: median ms | 95 % |\n\
    |---|---|---|---|---|---|---|---|---|---|\n";

type Done = Result<(), Box<dyn std::error::Error>>;

fn main() -> Done {
    let args: Vec<String> = std::env::args().skip(1).collect();
    match args.iter().map(String::as_str).collect::<Vec<_>>().as_slice() {
        ["fit", from, to, seconds] => fit(from.parse()?, to.parse()?, seconds.parse()?),
        [from, to, seconds, rest @ ..] => table(from.parse()?, to.parse()?, seconds.parse()?, rest.first().copied()),
        _ => Err("hits [fit] FROM TO SECONDS [FILE]".into()),
    }
}

fn table(from: u64, to: u64, seconds: f64, file: Option<&str>) -> Done {
    let rate = SampleRate::new(u64::from(RATE_HZ))?;
    let mut text = HEAD.to_string();
    let third = from + (to - from) / 3;
    for (title, how, to) in [
        ("As played", How::Played, to),
        ("Dull: soft beaters, worn skins, little above 2.5 kHz", How::Dull, third),
        ("The microphones of one drum dead", How::Dead, third),
    ] {
        let _ = write!(text, "\n## {title}\n\n{COLUMNS}");
        let (mut all, mut alive) = (Score::default(), Score::default());
        for seed in from..=to {
            let set = Set::of(seed, seconds, how)?;
            let found = hits(&set.placed(), &set.checked.table, rate, &|_| true)?;
            let s = score(&set.scene, &set.played, &set.checked, &found);
            println!("{seed}: drums F {:.3}, all F {:.3}, solid {:?}", f_score(s.drums), f_score(s.all), s.solid);
            s.notes.iter().for_each(|n| println!("    {n}"));
            line(&mut text, &seed.to_string(), &s);
            all += &s;
            if set.is_alive() {
                alive += &s;
            }
        }
        line(&mut text, "all", &all);
        if how == How::Played {
            line(&mut text, "all in which every microphone lives", &alive);
            println!("{}", text.lines().last().unwrap_or_default());
        }
        println!("{title}: {}", text.lines().last().unwrap_or_default());
    }
    if let Some(file) = file {
        std::fs::write(file, text)?;
    }
    Ok(())
}

fn line(text: &mut String, name: &str, s: &Score) {
    let each = |n: &[usize]| n.iter().map(usize::to_string).collect::<Vec<_>>().join("/");
    let mut off: Vec<f64> = s.off_ms.iter().map(|o| o.abs()).collect();
    off.sort_by(f64::total_cmp);
    let at = |part: f64| off.get((off.len().saturating_sub(1) as f64 * part) as usize).copied().unwrap_or(0.0);
    let _ = writeln!(
        text,
        "| {name} | {} | {:.3} | {} | {:.3} | {} | {} | {} | {:.3} | {:.2} |",
        each(&s.drums),
        f_score(s.drums),
        each(&s.all),
        f_score(s.all),
        s.solid[0],
        s.solid[1],
        s.missing,
        at(0.5),
        at(0.95)
    );
}

/// A moment this close to a stroke is that stroke, and between the two it is neither; in frames at 48 kHz.
const IS_FRAMES: f64 = 96.0;
const NEAR_FRAMES: f64 = 720.0;
/// Weights are held towards 0 by this much.
const HELD: f64 = 1.0;
const ROUNDS: usize = 25;

/// Logistic regression by Newton's method, one for bright sources and one for the others.
fn fit(from: u64, to: u64, seconds: f64) -> Done {
    let rate = SampleRate::new(u64::from(RATE_HZ))?;
    let mut told: [Vec<([f32; COUNT], bool)>; 2] = Default::default();
    for seed in from..=to {
        let set = Set::of(seed, seconds, How::Played)?;
        let placed = set.placed();
        let sources = learn(&set.checked.table, &placed, rate)?;
        let seen = moments(&placed, &sources, rate, &|_| true)?;
        let (mut there, mut met) = (0, 0);
        for (source, seen) in sources.iter().zip(&seen) {
            let strokes = strokes(&set.scene, &set.played, &set.checked, source.home);
            let places: Vec<f64> = seen.iter().map(|m| m.at as f64).collect();
            let of = paired(&strokes, &places);
            there += strokes.len();
            met += of.iter().flatten().count();
            for (n, m) in seen.iter().enumerate() {
                let off = strokes.iter().map(|s| (s - places[n]).abs()).fold(f64::INFINITY, f64::min);
                let is = of.contains(&Some(n)) && off < IS_FRAMES;
                if is || off > NEAR_FRAMES {
                    told[usize::from(source.is_bright())].push((m.signs.row(), is));
                }
            }
        }
        println!("{seed}: {met} of {there} strokes are seen");
    }
    for (name, told) in ["DARK", "BRIGHT"].iter().zip(&told) {
        let weights = logistic(told);
        println!("{name}: {} moments, {} strokes", told.len(), told.iter().filter(|t| t.1).count());
        println!("begin: {:.3}, each: {:.3?}", weights[COUNT], &weights.as_slice()[..COUNT]);
    }
    Ok(())
}

fn logistic(told: &[([f32; COUNT], bool)]) -> DVector<f64> {
    let mut weights = DVector::zeros(COUNT + 1);
    for _ in 0..ROUNDS {
        let mut slope = -HELD * &weights;
        slope[COUNT] = 0.0;
        let mut bend = DMatrix::identity(COUNT + 1, COUNT + 1) * HELD;
        for (row, is) in told {
            let x = DVector::from_iterator(COUNT + 1, row.iter().map(|v| f64::from(*v)).chain([1.0]));
            let p = 1.0 / (1.0 + (-weights.dot(&x)).exp());
            slope.axpy(f64::from(u8::from(*is)) - p, &x, 1.0);
            bend.ger((p * (1.0 - p)).max(1e-9), &x, &x, 1.0);
        }
        let Some(step) = bend.lu().solve(&slope) else { break };
        weights += step;
    }
    weights
}
