//! Takes that double a lead, beside the true moments: `doubles FROM TO SECONDS [FILE]`.

use marea_core::lead::{Between, Doubled, Marked, Why, doubled};
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use marea_scene::doubles::{Double, How, doubles};
use marea_scene::struck::quantile;
use std::fmt::Write as _;

const HEAD: &str = "# Accuracy of takes that double a lead\n\nMade by `make accuracy`. A made-up voice sings syllables (nine vowels, hisses, bursts, murmurs) in phrases; doubled by the same voice, by \
    others with other formants (at the pitch, an octave, a third or a fourth away), by a whisper; and plucked and bowed lines doubled on the same kind of strings. Each follower has its own timing (a \
    wander, phrases, single syllables, other lengths), other colour and noise, some a room; one or two runs of syllables are left out, and up to two added in rests. Off: how far the map is from \
    the true moment of the take, outside of what is marked. Consonants: where they begin; a map through vowels alone would have them where the lead's length of them puts them.\n\n";
const COLUMNS: &str = "| takes | number | vowels or notes | off: median ms | 95 % | by solid knots | off: 95 % ms | consonants | off: median ms | 95 % | missing: marked | of | added: marked | of | falsely marked | verdicts: solid | likely | undecided |\n\
    |---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|\n";
const FRAMES_A_MS: f64 = 48.0;
/// A knot speaks for a vowel within so much, in frames: 15 ms.
const NEAR: f64 = 720.0;

type Done = Result<(), Box<dyn std::error::Error>>;

fn main() -> Done {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let args: Vec<&str> = args.iter().map(String::as_str).collect();
    let [from, to, seconds, rest @ ..] = args.as_slice() else { return Err("doubles FROM TO SECONDS [FILE]".into()) };
    let rate = SampleRate::new(48_000)?;
    let held = |lead: &[f32], take: &[f32]| {
        let sounds = [lead, take].map(|x| MemSource(x.to_vec()));
        let [a, b] = sounds.each_ref().map(|source| Placed { source, start: SessionFrame(0) });
        doubled(&a, &b, rate, &|_| true)
    };
    let mut each = How::ALL.map(|_| Count::default());
    let (mut strangers, mut last) = ([0; 3], [const { None }; 3]);
    for seed in from.parse::<u64>()?..=to.parse()? {
        for (group, kinds) in [&How::ALL[..3], &How::ALL[3..4], &How::ALL[4..]].into_iter().enumerate() {
            let made = doubles(seconds.parse()?, seed, kinds);
            for take in &made.takes {
                let got = held(&made.lead, &take.sound)?;
                let mut one = Count::default();
                one.add(take, &got);
                println!("{}", one.line(&format!("{seed} {:?}", take.how)));
                each[take.how as usize].add(take, &got);
            }
            // What doubles the lead of the seed before is something else.
            if let Some(other) = last[group].replace(made.takes[0].sound.clone()) {
                strangers[held(&made.lead, &other)?.verdict as usize] += 1;
            }
        }
    }
    let mut text = format!("{HEAD}{COLUMNS}");
    for (how, count) in How::ALL.iter().zip(&each) {
        let name = match how {
            How::Same => "the same voice",
            How::Other => "another voice",
            How::Whispered => "a whisper",
            How::Plucked => "plucked",
            How::Bowed => "bowed",
        };
        let _ = writeln!(text, "{}", count.line(name));
    }
    let [undecided, likely, solid] = strangers;
    let _ = writeln!(
        text,
        "\nDoubles of another lead, held against this one: {undecided} of {} undecided, {likely} likely, {solid} solid.",
        undecided + likely + solid
    );
    println!("{text}");
    if let Some(file) = rest.first() {
        std::fs::write(file, text)?;
    }
    Ok(())
}

#[derive(Default)]
struct Count {
    takes: usize,
    vowels: Vec<f64>,
    solid: Vec<f64>,
    consonants: Vec<f64>,
    missing: [usize; 2],
    added: [usize; 2],
    falsely: usize,
    verdicts: [usize; 3],
}

fn over(a: [f64; 2], b: [f64; 2]) -> f64 {
    (a[1].min(b[1]) - a[0].max(b[0])).max(0.0)
}

impl Count {
    fn add(&mut self, take: &Double, got: &Doubled) {
        self.takes += 1;
        self.verdicts[got.verdict as usize] += 1;
        let map = Between(&got.knots);
        let inside = |m: &Marked, [lead, own]: [f64; 2]| match m.why {
            Why::Added => own > m.take[0] && own < m.take[1],
            _ => lead > m.lead[0] && lead < m.lead[1],
        };
        for moment in take.moments.iter().filter(|m| !got.marked.iter().any(|x| inside(x, m.at))) {
            let [lead, own] = moment.at;
            let off = ((own - map.take_of(lead)) / FRAMES_A_MS).abs();
            if !moment.is_vowel {
                self.consonants.push(off);
                continue;
            }
            self.vowels.push(off);
            let near = got.knots.iter().min_by(|a, b| (a.lead - lead).abs().total_cmp(&(b.lead - lead).abs()));
            if near.is_some_and(|k| k.verdict == Verdict::Solid && (k.lead - lead).abs() < NEAR) {
                self.solid.push(off);
            }
        }
        for (why, there, found) in
            [(Why::Missing, &take.missing, &mut self.missing), (Why::Added, &take.added, &mut self.added)]
        {
            let own = |m: &Marked| if why == Why::Added { m.take } else { m.lead };
            let told: Vec<[f64; 2]> = got.marked.iter().filter(|m| m.why == why).map(own).collect();
            let is_marked = |t: &&[f64; 2]| told.iter().map(|m| over(*m, **t)).sum::<f64>() > 0.4 * (t[1] - t[0]);
            found[0] += there.iter().filter(is_marked).count();
            found[1] += there.len();
            let is_false = |m: &&[f64; 2]| there.iter().all(|t| over(**m, *t) < 0.3 * (m[1] - m[0]));
            self.falsely += told.iter().filter(is_false).count();
        }
    }

    fn line(&self, name: &str) -> String {
        let of = |x: &[f64]| format!("{:.2} | {:.1}", quantile(x, 0.5), quantile(x, 0.95));
        let [undecided, likely, solid] = self.verdicts;
        format!(
            "| {name} | {} | {} | {} | {} | {:.1} | {} | {} | {} | {} | {} | {} | {} | {solid} | {likely} | {undecided} |",
            self.takes,
            self.vowels.len(),
            of(&self.vowels),
            self.solid.len(),
            quantile(&self.solid, 0.95),
            self.consonants.len(),
            of(&self.consonants),
            self.missing[0],
            self.missing[1],
            self.added[0],
            self.added[1],
            self.falsely,
        )
    }
}
