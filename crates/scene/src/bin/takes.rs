//! Two takes of one part, chord by chord, beside the true differences: `takes FROM TO SECONDS [FILE]`.

use marea_core::signal::{MemSource, Placed};
use marea_core::takes::{Flagged, Off, SLACK_MS, Takes as Told, takes as held};
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use marea_scene::struck::quantile;
use marea_scene::takes::{Takes, strangers, takes};
use std::fmt::Write as _;

const HEAD: &str = "# Accuracy of two takes side by side\n\nMade by `make accuracy`. One part of chords of one to four voices, strummed, bowed, blown by a reed or struck, played twice \
    on two days: own looseness of 3 to 9 ms (1 σ) and own lateness of ±15 ms in each, other forces, other colour and noise, some in a room. In each pair two phrases are 55 to 95 ms early and up to \
    three chords 50 to 90 ms late, in one of the takes; of every fiftieth chord one take has nothing. Off: how far the told difference is from the true one. Flagged: passages further apart than \
    25 ms from the median; those in which no chord truly is are false. Whose: by the beats, where one take alone is off.\n\n";
const STRANGERS: &str = "\n## Recordings that are no takes of one part\n\nOther chords on the same instrument, of the same seeds, from one moment on: in the rhythm and tempo of the first, in \
    its tempo alone, and in another tempo. Alike: the mean part of its neighbours that a chord is less like than the one it is held to be, a half by chance; of takes of one part it is the \
    least of all seeds.\n\n| | pairs | chords told: solid | likely | undecided | most alike |\n|---|---|---|---|---|---|\n";
const COLUMNS: &str = "| seeds | chords | found | wrong | off: median ms | 95 % | solid | wrong by 12 ms | off: 95 % ms | early phrases and late chords | flagged | passages flagged | false | whose: right | wrong | not told | alone: named of |\n\
    |---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|\n";
const FRAMES_A_MS: f64 = 48.0;

type Done = Result<(), Box<dyn std::error::Error>>;

fn main() -> Done {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let args: Vec<&str> = args.iter().map(String::as_str).collect();
    let [from, to, seconds, rest @ ..] = args.as_slice() else { return Err("takes FROM TO SECONDS [FILE]".into()) };
    let rate = SampleRate::new(48_000)?;
    let (mut all, mut each) = (Count::default(), [(); 4].map(|()| Count::default()));
    let (mut least, mut others) = (1f64, [(); 3].map(|()| Strangers::default()));
    for seed in from.parse::<u64>()?..=to.parse()? {
        let made = takes(seconds.parse()?, seed);
        let sounds = made.sounds.each_ref().map(|x| MemSource(x.clone()));
        let [a, b] = sounds.each_ref().map(|source| Placed { source, start: SessionFrame(0) });
        let beats = made.beats.beats(rate.hz_f64());
        let got = held([&a, &b], rate, (Some(&beats), SLACK_MS), &|_| true)?;
        let mut one = Count::default();
        one.add(&made, &got);
        println!("{}", one.line(&format!("{seed} {:?}", made.instrument)));
        all.add(&made, &got);
        each[(seed % 4) as usize].add(&made, &got);
        least = least.min(got.alike.unwrap_or(0.0));
        let sounds = strangers(seconds.parse()?, seed).map(MemSource);
        let [a, b] = sounds.each_ref().map(|source| Placed { source, start: SessionFrame(0) });
        others[(seed / 4 % 3) as usize].add(&held([&a, &b], rate, (None, SLACK_MS), &|_| true)?);
    }
    let mut text = format!("{HEAD}{COLUMNS}");
    for (name, count) in ["strummed", "reed", "bowed", "struck"].iter().zip(&each).chain([(&"all", &all)]) {
        let _ = writeln!(text, "{}", count.line(name));
    }
    text += STRANGERS;
    for (name, count) in ["one rhythm", "one tempo", "another tempo"].iter().zip(&others) {
        let [undecided, likely, solid] = count.told;
        let _ = writeln!(text, "| {name} | {} | {solid} | {likely} | {undecided} | {:.2} |", count.pairs, count.most);
    }
    let _ = writeln!(
        text,
        "| takes of one part | {} | | | | least {least:.2} |",
        others.iter().map(|o| o.pairs).sum::<usize>()
    );
    println!("{text}");
    if let Some(file) = rest.first() {
        std::fs::write(file, text)?;
    }
    Ok(())
}

/// What is told of recordings that are no takes.
#[derive(Default)]
struct Strangers {
    pairs: usize,
    told: [usize; 3],
    most: f64,
}

impl Strangers {
    fn add(&mut self, got: &Told) {
        self.pairs += 1;
        got.chords.iter().for_each(|c| self.told[c.verdict as usize] += 1);
        self.most = self.most.max(got.alike.unwrap_or(0.0));
    }
}

#[derive(Default)]
struct Count {
    there: usize,
    found: usize,
    wrong: usize,
    off_ms: Vec<f64>,
    solid_off_ms: Vec<f64>,
    astray: [usize; 2],
    passages: [usize; 2],
    whose: [usize; 3],
    alone: [usize; 2],
}

impl Count {
    fn add(&mut self, made: &Takes, got: &Told) {
        let decided: Vec<_> = got.chords.iter().filter(|c| c.verdict != Verdict::Undecided).collect();
        // A chord is the nearest of the first take's within 50 ms.
        let of = |at: f64| {
            let near = (0..made.chords.len())
                .min_by(|a, b| (made.chords[*a][0] - at).abs().total_cmp(&(made.chords[*b][0] - at).abs()));
            near.filter(|n| (made.chords[*n][0] - at).abs() < 50.0 * FRAMES_A_MS)
        };
        self.there += made.chords.len();
        for chord in &decided {
            let Some(n) = of(chord.first) else {
                self.wrong += 1;
                continue;
            };
            let off = (chord.difference() - (made.chords[n][1] - made.chords[n][0])) / FRAMES_A_MS;
            self.found += 1;
            self.off_ms.push(off.abs());
            if chord.verdict == Verdict::Solid {
                self.solid_off_ms.push(off.abs());
            }
        }
        let mut apart: Vec<f64> = made.chords.iter().map(|c| (c[1] - c[0]) / FRAMES_A_MS).collect();
        apart.sort_by(f64::total_cmp);
        let usual = apart[apart.len() / 2];
        let truly = |c: &[f64; 2], over: f64| ((c[1] - c[0]) / FRAMES_A_MS - usual).abs() > over;
        let inside = |f: &Flagged, c: &[f64; 2]| {
            let at = c[0].min(c[1]);
            at > f.from - 60.0 * FRAMES_A_MS && at < f.to + 60.0 * FRAMES_A_MS
        };
        let both: Vec<_> = made.chords.iter().zip(&made.off).collect();
        for phrase in both.chunk_by(|a, b| a.1 == b.1).filter(|p| p[0].1.is_some()) {
            self.astray[1] += 1;
            self.astray[0] += usize::from(phrase.iter().any(|(c, _)| got.flagged.iter().any(|f| inside(f, c))));
        }
        for flag in &got.flagged {
            self.passages[0] += 1;
            let inner: Vec<usize> = (0..made.chords.len()).filter(|n| inside(flag, &made.chords[*n])).collect();
            // What is apart by a little less than the slack is no false one.
            if !inner.iter().any(|n| truly(&made.chords[*n], SLACK_MS - 5.0)) {
                self.passages[1] += 1;
                continue;
            }
            let takes: Vec<usize> = inner.iter().filter_map(|n| made.off[*n].map(|o| o.0)).collect();
            let Some(take) = takes.first().filter(|t| takes.iter().all(|o| o == *t)) else { continue };
            let told = match flag.off {
                Off::First => Some(0),
                Off::Second => Some(1),
                Off::Either | Off::Unknown => None,
            };
            self.whose[told.map_or(2, |t| usize::from(t != *take))] += 1;
        }
        let named = |take: usize, told: &[f64]| {
            let there: Vec<f64> = made.alone.iter().filter(|a| a.0 == take).map(|a| a.1).collect();
            let near = |at: &f64| told.iter().any(|t| (t - at).abs() < 50.0 * FRAMES_A_MS);
            [there.iter().filter(|at| near(at)).count(), there.len()]
        };
        for [n, of] in [named(0, &got.only_first), named(1, &got.only_second)] {
            (self.alone[0], self.alone[1]) = (self.alone[0] + n, self.alone[1] + of);
        }
    }

    fn line(&self, name: &str) -> String {
        format!(
            "| {name} | {} | {} | {} | {:.2} | {:.1} | {} | {} | {:.1} | {} | {} | {} | {} | {} | {} | {} | {} of {} |",
            self.there,
            self.found,
            self.wrong,
            quantile(&self.off_ms, 0.5),
            quantile(&self.off_ms, 0.95),
            self.solid_off_ms.len(),
            self.solid_off_ms.iter().filter(|o| **o > 12.0).count(),
            quantile(&self.solid_off_ms, 0.95),
            self.astray[1],
            self.astray[0],
            self.passages[0],
            self.passages[1],
            self.whose[0],
            self.whose[1],
            self.whose[2],
            self.alone[0],
            self.alone[1],
        )
    }
}
