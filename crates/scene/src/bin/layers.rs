//! Layers against the strokes that they double, beside the true lags: `layers FROM TO SECONDS [FILE]`.

use marea_core::layer::{Layered, layered};
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use marea_scene::layers::{Kind, Layers, layers, shaken};
use marea_scene::struck::{paired, quantile};
use std::fmt::Write as _;

const HEAD: &str = "# Accuracy of layers\n\nMade by `make accuracy`. A struck instrument with bleed of another, its strokes of 12 to 100 % force, and a track that doubles \
    it: a print of the same strokes, one to three drum samples, or one to three claps; or a shaker, of which no two strokes are alike, and a sample; at a latency of −2 to 14 ms that scatters by up to some milliseconds, one stroke of twenty missed and one of \
    twenty double, half of them inverted. Right: the right two strokes are held together. Off: how far the lag is from the true one.\n\n";
const COLUMNS: &str = "| seeds | strokes doubled | matched | wrong | off: median ms | 95 % | solid | wrong | off: 95 % ms | missed: named of | double: named of | falsely unmatched: source/layer | polarity right | wrong | undecided |\n\
    |---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|\n";
const FRAMES_A_MS: f64 = 48.0;
const KINDS: [(Kind, &str); 4] = [
    (Kind::Print, "print of the same"),
    (Kind::Samples, "samples"),
    (Kind::Claps, "claps"),
    (Kind::Shaken, "shaker and a sample"),
];

type Done = Result<(), Box<dyn std::error::Error>>;

fn main() -> Done {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let args: Vec<&str> = args.iter().map(String::as_str).collect();
    let [from, to, seconds, rest @ ..] = args.as_slice() else { return Err("layers FROM TO SECONDS [FILE]".into()) };
    let (rate, seconds) = (SampleRate::new(48_000)?, seconds.parse::<f64>()?);
    let (mut all, mut each) = (Count::default(), [(); KINDS.len()].map(|()| Count::default()));
    for seed in from.parse::<u64>()?..=to.parse()? {
        // Every third seed has a shaker beside what it has.
        let shaker = seed.is_multiple_of(3).then(|| shaken(seconds, seed));
        for made in [layers(seconds, seed)].into_iter().chain(shaker) {
            let [a, b] = [&made.source, &made.layer].map(|x| MemSource(x.clone()));
            let [a, b] = [&a, &b].map(|source| Placed { source, start: SessionFrame(0) });
            let got = layered([&a, &b], rate, &|_| true)?;
            let mut one = Count::default();
            one.add(&made, &got);
            println!("{}", one.line(&format!("{seed} {:?}", made.kind)));
            all.add(&made, &got);
            let kind = KINDS.iter().position(|k| k.0 == made.kind).unwrap_or(0);
            each[kind].add(&made, &got);
        }
    }
    let mut text = format!("{HEAD}{COLUMNS}");
    for (name, count) in KINDS.iter().map(|k| k.1).zip(&each).chain([("all", &all)]) {
        let _ = writeln!(text, "{}", count.line(name));
    }
    println!("{text}");
    if let Some(file) = rest.first() {
        std::fs::write(file, text)?;
    }
    Ok(())
}

#[derive(Default)]
struct Count {
    there: usize,
    right: usize,
    wrong: usize,
    off_ms: Vec<f64>,
    solid_wrong: usize,
    solid_off_ms: Vec<f64>,
    missed: [usize; 2],
    doubled: [usize; 2],
    falsely: [usize; 2],
    polarity: [usize; 3],
}

impl Count {
    fn add(&mut self, made: &Layers, got: &Layered) {
        let sources: Vec<f64> = made.matches.iter().map(|m| m[0]).collect();
        let found: Vec<f64> = got.matches.iter().map(|m| m.source).collect();
        let of = paired(&sources, &found);
        self.there += sources.len();
        let mut right = vec![false; found.len()];
        for (m, n) in made.matches.iter().zip(&of).filter_map(|(m, n)| Some((m, (*n)?))) {
            let off = (got.matches[n].lag() - (m[1] - m[0])) / FRAMES_A_MS;
            // Another stroke of the layer is further away than this.
            if off.abs() < 5.0 {
                right[n] = true;
                self.off_ms.push(off.abs());
                if got.matches[n].verdict == Verdict::Solid {
                    self.solid_off_ms.push(off.abs());
                }
            }
        }
        self.right += right.iter().filter(|r| **r).count();
        self.wrong += right.iter().filter(|r| !**r).count();
        let wrong_solid = right.iter().zip(&got.matches).filter(|(r, m)| !**r && m.verdict == Verdict::Solid);
        self.solid_wrong += wrong_solid.count();
        let named = |true_ones: &[f64], told: &[f64]| {
            let of = paired(true_ones, told);
            [of.iter().flatten().count(), true_ones.len()]
        };
        let [missed, doubled] =
            [named(&made.missed, &got.unmatched_source), named(&made.doubled, &got.unmatched_layer)];
        (0..2).for_each(|n| (self.missed[n] += missed[n], self.doubled[n] += doubled[n]).1);
        self.falsely[0] += got.unmatched_source.len() - missed[0];
        self.falsely[1] += got.unmatched_layer.len() - doubled[0];
        let which = match got.polarity {
            Verdict::Undecided => 2,
            _ => usize::from(got.invert != made.inverts),
        };
        self.polarity[which] += 1;
    }

    fn line(&self, name: &str) -> String {
        format!(
            "| {name} | {} | {} | {} | {:.3} | {:.2} | {} | {} | {:.3} | {} of {} | {} of {} | {}/{} | {} | {} | {} |",
            self.there,
            self.right,
            self.wrong,
            quantile(&self.off_ms, 0.5),
            quantile(&self.off_ms, 0.95),
            self.solid_off_ms.len(),
            self.solid_wrong,
            quantile(&self.solid_off_ms, 0.95),
            self.missed[0],
            self.missed[1],
            self.doubled[0],
            self.doubled[1],
            self.falsely[0],
            self.falsely[1],
            self.polarity[0],
            self.polarity[1],
            self.polarity[2],
        )
    }
}
