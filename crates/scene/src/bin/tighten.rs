//! Simulated sets set onto a grid, against the strokes that were played: `tighten FROM TO SECONDS [FILE]`.

use marea_core::edit::tempo::TempoMap;
use marea_core::hits::{hits, seen::seen};
use marea_core::timing::moves::{Asked, Fate};
use marea_core::timing::proof::{ledger, prove};
use marea_core::timing::tighten::{Heard, Section, Tightened, Towards, Wanted, tighten};
use marea_core::units::SampleRate;
use marea_scene::sets::RATE_HZ;
use marea_scene::struck::{How, Set};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::fmt::Write as _;

const HEAD: &str = "# A set onto a grid\n\nMade by `make accuracy`. Simulated drum sets (those of docs/accuracy-hits.md), their strokes found and moved onto a grid that they were not \
    played to: tempo, note value, strength (50 to 100 %), slack and farthest move vary by seed. Attacks: the true arrival of every stroke of every source in \
    every microphone, also of those that nobody found. Lost: not played in full by one piece; doubled: played by two, or a part of it. In the second table every tenth stroke that was found is withheld.\n";
const COLUMNS: &str = "| seed | attacks | lost | doubled | events | moved | ride along | left | worst join dB | what is left outside fades dB |\n|---|---|---|---|---|---|---|---|---|---|\n";
/// Strokes this close together are one, in frames.
const WITHIN: f64 = 576.0;

type Done = Result<(), Box<dyn std::error::Error>>;

fn main() -> Done {
    let args: Vec<String> = std::env::args().skip(1).collect();
    match args.iter().map(String::as_str).collect::<Vec<_>>().as_slice() {
        [from, to, seconds, rest @ ..] => table(from.parse()?, to.parse()?, seconds.parse()?, rest.first().copied()),
        _ => Err("tighten FROM TO SECONDS [FILE]".into()),
    }
}

#[derive(Default)]
struct Count {
    attacks: usize,
    lost: usize,
    doubled: usize,
    fates: [usize; 4],
    worst: [f64; 2],
}

fn table(from: u64, to: u64, seconds: f64, file: Option<&str>) -> Done {
    let rate = SampleRate::new(u64::from(RATE_HZ))?;
    let mut text = HEAD.to_string();
    let (mut all, mut tenth) = (Vec::new(), Vec::new());
    for seed in from..=to {
        let set = Set::of(seed, seconds, How::Played)?;
        let placed = set.placed();
        let played = hits(&placed, &set.checked.table, rate, &|_| true)?;
        let seen = seen(&placed, rate, &|_| true)?;
        let mut without = played.clone();
        for p in &mut without {
            let mut n = 0;
            p.hits.retain(|_| (n += 1, n % 10 != 0).1);
        }
        let late = vec![0.0; placed.len()];
        let attacks = set.attacks();
        let at: Vec<i64> = attacks.iter().map(|a| a.0).collect();
        for (played, told) in [(&played, &mut all), (&without, &mut tenth)] {
            let end = set.scene.frames as i64;
            let heard = Heard { played, late: &late, seen: &seen, span: [0, end], rate };
            let made = asked(&heard, seed);
            let proof = prove(&placed, &made.plan, &made.seen, rate, &|_| true)?;
            let truth = ledger(&made.plan.slices, &at, rate);
            assert!(proof.ledger.lost.is_empty() && proof.ledger.doubled.is_empty(), "{seed}: {:?}", proof.ledger);
            told.push((
                seed,
                Count {
                    attacks: attacks.len(),
                    lost: truth.lost.len(),
                    doubled: truth.doubled.len(),
                    fates: fates(&made),
                    worst: [proof.worst_join_db, proof.null_db],
                },
            ));
            let mut of: Vec<(i64, &str)> = attacks.clone();
            of.retain(|a| truth.lost.contains(&a.0) || truth.doubled.contains(&a.0));
            of.iter().for_each(|(at, source)| println!("    {source} at {at} is lost or doubled"));
            let c = &told[told.len() - 1].1;
            println!(
                "{seed}: {} attacks, {} lost, {} doubled, {:?}, {:.1?}; {} seen",
                c.attacks,
                c.lost,
                c.doubled,
                c.fates,
                c.worst,
                made.seen.len()
            );
        }
    }
    for (title, counts) in [("All strokes that were found", &all), ("Every tenth of them withheld", &tenth)] {
        let _ = write!(text, "\n## {title}\n\n{COLUMNS}");
        let mut sum = Count { worst: [f64::NEG_INFINITY; 2], ..Count::default() };
        for (seed, c) in counts {
            line(&mut text, &seed.to_string(), c);
            (sum.attacks, sum.lost, sum.doubled) =
                (sum.attacks + c.attacks, sum.lost + c.lost, sum.doubled + c.doubled);
            (0..4).for_each(|n| sum.fates[n] += c.fates[n]);
            (0..2).for_each(|n| sum.worst[n] = sum.worst[n].max(c.worst[n]));
        }
        line(&mut text, "all", &sum);
        println!("{title}: {}", text.lines().last().unwrap_or_default());
    }
    if let Some(file) = file {
        std::fs::write(file, text)?;
    }
    Ok(())
}

/// Onto a grid that varies by seed.
fn asked(heard: &Heard, seed: u64) -> Tightened {
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x71_67);
    let beats = TempoMap::single(rng.random_range(80.0..160.0), 4, rng.random_range(0.0..20_000.0));
    let beats = beats.beats(f64::from(RATE_HZ));
    let grid = ["1/8", "1/16", "1/16t", "1/8s60"][rng.random_range(0..4)].parse().expect("a grid");
    let strength = rng.random_range(0.5..1.0);
    let [slack, farthest] = [rng.random_range(0.0..0.01), rng.random_range(0.03..0.1)].map(|s| s * f64::from(RATE_HZ));
    let asked = Asked { strength, slack, farthest };
    let all: Vec<usize> = (0..heard.played.len()).collect();
    let sections = [Section { range: None, towards: Towards::Grid(grid), asked }];
    tighten(
        heard,
        &all,
        &Wanted { sections: &sections, beats: &beats, within: WITHIN, softest_db: f32::NEG_INFINITY, by_hand: &[] },
    )
}

/// Events, those moved, those that ride along, those left.
fn fates(made: &Tightened) -> [usize; 4] {
    let count = |of: &dyn Fn(&&marea_core::timing::tighten::Moved) -> bool| made.moved.iter().filter(of).count();
    [made.moved.len(), count(&|m| m.by != 0 && !m.rides), count(&|m| m.rides), count(&|m| m.fate == Fate::Left)]
}

fn line(text: &mut String, name: &str, c: &Count) {
    let [events, moved, rides, left] = c.fates;
    let [join, null] = c.worst.map(|db| if db.is_finite() { format!("{db:.1}") } else { "none".into() });
    let _ = writeln!(
        text,
        "| {name} | {} | {} | {} | {events} | {moved} | {rides} | {left} | {join} | {null} |",
        c.attacks, c.lost, c.doubled
    );
}
