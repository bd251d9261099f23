//! Other lengths of made-up sounds beside what they were: `lengths FROM TO [FILE]`.

use marea_core::edit::map::TimeMap;
use marea_core::hits::seen::seen;
use marea_core::scaling::Scaled;
use marea_core::scaling::plan::Attack;
use marea_core::signal::{MemSource, Placed, Source};
use marea_core::units::{SampleRate, SessionFrame, db_of_amplitude};
use marea_scene::doubles::{How, doubles};
use marea_scene::instruments::{add, cajon, frame_drum, key_hz, marimba, plucked};
use marea_scene::struck::quantile;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::f64::consts::{PI, TAU};
use std::fmt::Write as _;

const HEAD: &str = "# Accuracy of other lengths\n\nMade by `make accuracy`. Sounds made longer and shorter along maps, 0.8 to 1.25 times. Chords: one to four notes of four partials each, in two channels with other \
    phases; pitch, level and the phase between the channels of every partial that stands 12 Hz and more from all others. Attacks: struck instruments over a chord that sounds on, strums of six strings, and a \
    voice that sings syllables; found by Marea as in `marea shadow --out`. How much longer a stroke's rise (from a tenth of its peak to nine tenths, in the 40 ms about it) is than it was, and how far it is \
    from where the map puts it, but for those that ride: without room of their own they keep their distance from a stronger one. Plain: windows of 40 ms laid anew at the map's places and nothing else.\n\n";
const FRAMES_A_MS: f64 = 48.0;
/// A plain window, in frames.
const PLAIN: usize = 1_920;
/// Partials nearer than this are not told apart by those who measure here either, in Hz.
const APART_HZ: f64 = 12.0;

type Done<T> = Result<T, Box<dyn std::error::Error>>;

fn main() -> Done<()> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let args: Vec<&str> = args.iter().map(String::as_str).collect();
    let [from, to, rest @ ..] = args.as_slice() else { return Err("lengths FROM TO [FILE]".into()) };
    let rate = SampleRate::new(48_000)?;
    let (mut chords, mut attacks) = ([Chord::default(), Chord::default()], [const { Vec::new() }; 3]);
    for seed in from.parse::<u64>()?..=to.parse()? {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        chord(&mut rng, rate, &mut chords)?;
        for (n, kind) in attacks.iter_mut().enumerate() {
            kind.extend(struck(n, seed, &mut rng, rate)?);
        }
        println!("{seed}: {}", chords[0].line("chords"));
    }
    let mut text = format!(
        "{HEAD}| chords | partials | cents off: median | 95 % | most | dB off: 95 % | most | degrees between channels: most |\n|---|---|---|---|---|---|---|---|\n"
    );
    for (name, chord) in ["Marea", "plain"].iter().zip(&chords) {
        let _ = writeln!(text, "{}", chord.line(name));
    }
    text.push_str(
        "\n| attacks | strokes | found | of them, rise longer: median ms | 95 % | most | of others: 95 % ms | plain: 95 % ms | from the map's place: most, frames | riding |\n|---|---|---|---|---|---|---|---|---|---|\n",
    );
    for (name, all) in ["struck instruments", "strums", "a voice"].iter().zip(&attacks) {
        let ms = |pick: fn(&Stroke) -> f64| all.iter().map(pick).collect::<Vec<f64>>();
        let plain = ms(|s| s.plain);
        let of =
            |found: bool| -> Vec<f64> { all.iter().filter(|s| s.found.is_some() == found).map(|s| s.longer).collect() };
        let (own, others) = (of(true), of(false));
        let riding = all.iter().filter(|s| s.found.is_some_and(|f| f.1)).count();
        let off = all.iter().filter_map(|s| s.found).filter(|f| !f.1).map(|f| f.0).fold(0.0, f64::max);
        let _ = writeln!(
            text,
            "| {name} | {} | {} | {:.2} | {:.2} | {:.2} | {:.2} | {:.2} | {off:.2} | {riding} |",
            all.len(),
            own.len(),
            quantile(&own, 0.5),
            quantile(&own, 0.95),
            quantile(&own, 1.0),
            quantile(&others, 0.95),
            quantile(&plain, 0.95),
        );
    }
    println!("{text}");
    if let [file] = rest {
        std::fs::write(file, text)?;
    }
    Ok(())
}

/// What became of partials: cents, dB and degrees off.
#[derive(Default)]
struct Chord([Vec<f64>; 3]);

impl Chord {
    fn line(&self, name: &str) -> String {
        let [cents, db, degrees] = &self.0;
        format!(
            "| {name} | {} | {:.2} | {:.2} | {:.2} | {:.2} | {:.2} | {:.2} |",
            cents.len(),
            quantile(cents, 0.5),
            quantile(cents, 0.95),
            quantile(cents, 1.0),
            quantile(db, 0.95),
            quantile(db, 1.0),
            quantile(degrees, 1.0)
        )
    }
}

/// All that a reader gives.
fn scaled(
    sounds: &[MemSource],
    map: &TimeMap,
    attacks: &[i64],
    rate: SampleRate,
) -> Done<(Vec<Vec<f32>>, i64, Vec<Attack>)> {
    let sources: Vec<&dyn Source> = sounds.iter().map(|s| s as &dyn Source).collect();
    let mut reader = Scaled::new(&sources, map, attacks, rate)?;
    let mut out = vec![Vec::new(); sounds.len()];
    loop {
        let block = reader.next_block()?;
        if block.is_empty() {
            let went = reader.plan().attacks.clone();
            return Ok((out, reader.plan().first(), went));
        }
        out.iter_mut().zip(block).for_each(|(out, block)| out.extend(block));
    }
}

/// Windows laid anew, and nothing else.
fn plain(x: &[f32], map: &TimeMap, frames: usize) -> Vec<f32> {
    let mut out = vec![0f32; frames + PLAIN];
    for begins in (0..frames).step_by(PLAIN / 2) {
        let own = map.own_of((begins + PLAIN / 2) as f64).round() as i64 - PLAIN as i64 / 2;
        for n in 0..PLAIN {
            let w = 0.5 - 0.5 * (TAU * n as f64 / PLAIN as f64).cos();
            let x = usize::try_from(own + n as i64).ok().and_then(|at| x.get(at)).copied().unwrap_or(0.0);
            out[begins + n] += (w * f64::from(x)) as f32;
        }
    }
    out.truncate(frames);
    out
}

/// A second of a partial from a frame on, by a Hann window: its amplitude and phase.
fn partial(x: &[f32], from: usize, hz: f64) -> [f64; 2] {
    let (len, mut re, mut im) = (48_000, 0.0, 0.0);
    for n in 0..len {
        let w = 0.5 - 0.5 * (TAU * n as f64 / len as f64).cos();
        let (sin, cos) = (TAU * hz * (from + n) as f64 / 48_000.0).sin_cos();
        re += w * f64::from(x[from + n]) * cos;
        im -= w * f64::from(x[from + n]) * sin;
    }
    [re.hypot(im) * 4.0 / len as f64, im.atan2(re)]
}

fn turned(a: f64, b: f64) -> f64 {
    (b - a + 3.0 * PI).rem_euclid(TAU) - PI
}

fn chord(rng: &mut ChaCha8Rng, rate: SampleRate, found: &mut [Chord; 2]) -> Done<()> {
    let shapes: [&[f64]; 7] = [
        &[0.0],
        &[0.0, 7.0],
        &[0.0, 4.0, 7.0],
        &[0.0, 3.0, 7.0],
        &[0.0, 5.0, 9.0],
        &[0.0, 4.0, 7.0, 10.0],
        &[0.0, 3.0, 8.0],
    ];
    let root = f64::from(rng.random_range(36..77));
    let shape = shapes[rng.random_range(0..shapes.len())];
    let mut parts = Vec::new();
    for key in shape {
        for k in 1..5 {
            let phases = [rng.random_range(0.0..TAU), rng.random_range(0.0..TAU)];
            parts.push((key_hz(root + key) * f64::from(k), 0.08 / f64::from(k), phases));
        }
    }
    let frames = 192_000;
    let channel = |c: usize| {
        let sum =
            |n: usize| parts.iter().map(|(hz, a, p)| a * (TAU * hz * n as f64 / 48_000.0 + p[c]).sin()).sum::<f64>();
        MemSource((0..frames).map(|n| sum(n) as f32).collect())
    };
    let sounds = [channel(0), channel(1)];
    let ratio: f64 = rng.random_range(0.8..1.25);
    let map = TimeMap::new(vec![[0.0, 0.0], [frames as f64, frames as f64 * ratio]])?;
    let (own, _, _) = scaled(&sounds, &map, &[], rate)?;
    let simple: Vec<Vec<f32>> = sounds.iter().map(|s| plain(&s.0, &map, own[0].len())).collect();
    let from = own[0].len() / 2 - 24_000;
    for (hz, level, phases) in &parts {
        if parts.iter().any(|o| o.0 != *hz && (o.0 - hz).abs() < APART_HZ) {
            continue;
        }
        for (found, out) in found.iter_mut().zip([&own, &simple]) {
            let [a, b] = [from, from + 240].map(|at| partial(&out[0], at, *hz));
            let now = hz + turned(a[1], b[1]) * 48_000.0 / (240.0 * TAU);
            let other = partial(&out[1], from, *hz);
            found.0[0].push((1_200.0 * (now / hz).log2()).abs());
            found.0[1].push(db_of_amplitude(a[0] / level).abs());
            found.0[2].push(turned(phases[1] - phases[0], other[1] - a[1]).to_degrees().abs());
        }
    }
    Ok(())
}

/// What became of a stroke.
struct Stroke {
    /// By how much its rise is longer, in ms; by plain windows.
    longer: f64,
    plain: f64,
    /// How far it is from where the map puts it, in frames, and whether it keeps its distance from a stronger one; none where it was not
    /// found.
    found: Option<(f64, bool)>,
}

/// Strokes of a kind, in order of time, and what they sound like together.
fn played(kind: usize, seed: u64, rng: &mut ChaCha8Rng) -> (Vec<i64>, Vec<f32>) {
    let mut sound = vec![0f32; 480_000];
    let mut begun = Vec::new();
    if kind == 2 {
        let made = doubles(10.0, seed, &[How::Same]);
        let vowels = made.takes[0].vowels().map(|m| m[0] as i64).collect();
        return (vowels, made.lead);
    }
    let mut at = 12_000;
    while at < 450_000 {
        let force = rng.random_range(0.25..1.0);
        match kind {
            0 => {
                let stroke = match rng.random_range(0..3) {
                    0 => cajon(48_000.0, rng.random(), force, rng),
                    1 => frame_drum(48_000.0, force, rng),
                    _ => marimba(48_000.0, rng.random_range(48.0..72.0), force, rng),
                };
                add(&mut sound, at, &stroke, 0.5);
            }
            _ => {
                let root = rng.random_range(40.0..52.0f64).round();
                for (n, key) in [0.0, 7.0, 12.0, 16.0, 19.0, 24.0].iter().enumerate() {
                    let string = plucked(48_000.0, root + key, force, 1.2, rng);
                    add(&mut sound, at + n as i64 * rng.random_range(150..420), &string, 0.15);
                }
            }
        }
        begun.push(at);
        at += rng.random_range(9_000..28_000);
    }
    if kind == 0 {
        let hz = [48.0, 55.0, 60.0].map(key_hz);
        for (n, x) in sound.iter_mut().enumerate() {
            *x += hz.iter().map(|hz| 0.01 * (TAU * hz * n as f64 / 48_000.0).sin()).sum::<f64>() as f32;
        }
    }
    (begun, sound)
}

fn struck(kind: usize, seed: u64, rng: &mut ChaCha8Rng, rate: SampleRate) -> Done<Vec<Stroke>> {
    let (begun, sound) = played(kind, seed, rng);
    let frames = sound.len();
    let mut points = vec![[0.0, 0.0]];
    while points[points.len() - 1][0] < frames as f64 {
        let [own, out] = points[points.len() - 1];
        let run = rng.random_range(20_000.0..60_000.0);
        points.push([own + run, out + run * rng.random_range(0.8..1.25)]);
    }
    let map = TimeMap::new(points)?;
    let source = MemSource(sound);
    let attacks = seen(&[Placed { source: &source, start: SessionFrame(0) }], rate, &|_| true)?;
    let (out, first, went) = scaled(std::slice::from_ref(&source), &map, &attacks, rate)?;
    let simple = plain(&source.0, &map, out[0].len());
    let mut told = Vec::new();
    for at in begun {
        let goes = map.session_of(at as f64);
        let Some(was) = rise_ms(&source.0, at) else { continue };
        let near = went.iter().filter(|a| (a.own - at).abs() < 480).min_by_key(|a| (a.own - at).abs());
        let place = near.map_or(goes, |a| (a.out + at - a.own) as f64);
        let there = |x: &[f32], at: f64, from: i64| rise_ms(x, at.round() as i64 - from).unwrap_or(40.0);
        told.push(Stroke {
            longer: there(&out[0], place, first) - was,
            plain: there(&simple, goes, first) - was,
            found: near.map(|a| ((a.out as f64 - map.session_of(a.own as f64)).abs(), a.rides)),
        });
    }
    Ok(told)
}

/// From a tenth of the largest in the 40 ms about a frame to nine tenths of it, in ms, by amplitudes of half a millisecond.
fn rise_ms(x: &[f32], at: i64) -> Option<f64> {
    let from = usize::try_from(at - (20.0 * FRAMES_A_MS) as i64).ok()?;
    let part = x.get(from..from + (40.0 * FRAMES_A_MS) as usize)?;
    let steps: Vec<f32> = part.chunks(24).map(|c| c.iter().fold(0f32, |m, v| m.max(v.abs()))).collect();
    let most = steps.iter().copied().fold(0.0, f32::max);
    let top = steps.iter().position(|v| *v >= 0.9 * most)?;
    let foot = steps[..top].iter().rposition(|v| *v < 0.1 * most).map_or(0, |n| n + 1);
    Some((top - foot) as f64 * 0.5)
}
