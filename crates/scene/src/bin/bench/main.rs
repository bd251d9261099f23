//! `make bench`: speed of core and media as ratios in one run. The first argument is a folder for scratch files; the pair that
//! was measured is left there as `a.wav` and `b.wav`.

mod hours;
mod timed;

use marea_core::decide::{Named, decide, said, tracks_of};
use marea_core::dsp::overview::OverviewBuilder;
use marea_core::edit::Correction;
use marea_core::follow::{follow, follow_straight};
use marea_core::hits::hits;
use marea_core::measure::pair::measure_pair;
use marea_core::measure::pair::options::PairOptions;
use marea_core::measure::readings::meter::{CorrelationMeter, read_stereo};
use marea_core::measure::table::{Heard, measure_session};
use marea_core::paths::{Graph, PathError, least_delays, meetings, routes};
use marea_core::render::track::TrackRenderer;
use marea_core::render::{Mix, Voice};
use marea_core::signal::{Placed, Source};
use marea_core::units::{Offset, SampleRate, SessionFrame};
use marea_media::prepare::{channel_path, prepare};
use marea_media::work::WorkFile;
use marea_media::write::{Depth, WavWriter, WriteSpec};
use marea_media::{AudioReader, Stop};
use marea_scene::paths::random_map;
use marea_scene::prints::{Machine, send};
use marea_scene::{harbour_hall, varied};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use std::path::{Path, PathBuf};
use timed::{Done, decode, peak_mb, seconds};

fn repeat(path: &Path, sound: &[f32], frames: usize) -> Done {
    let rate = SampleRate::new(48_000)?;
    let mut out = WavWriter::create(path, WriteSpec::new(rate, 1, Depth::Int24))?;
    let mut left = frames;
    while left > 0 {
        let n = left.min(sound.len());
        out.push(&sound[..n])?;
        left -= n;
    }
    out.finish()?;
    Ok(())
}

/// All blocks of a mix; the sum keeps the compiler from leaving it out.
fn play(mix: &mut Mix, frames: i64) -> f32 {
    let (mut l, mut r) = (vec![0f32; 4_096], vec![0f32; 4_096]);
    let mut sum = 0.0;
    let mut at = 0;
    while at < frames {
        mix.read(at, &mut l, &mut r).expect("readable");
        sum += l[0] + r[0];
        at += 4_096;
    }
    sum
}

/// What live readings cost: levels and both correlations, as corrected and as recorded.
fn readings(rate: SampleRate, sound: &[f32]) {
    let mut meters = [CorrelationMeter::new(rate), CorrelationMeter::new(rate)];
    let (mut sum, rounds) = (0.0, 20);
    let (spent, ()) = seconds(|| {
        for block in (0..rounds).flat_map(|_| sound.chunks(2_048)) {
            for meter in &mut meters {
                sum += read_stereo(block, block).rms[0] + meter.push(block, block)[1].unwrap_or(0.0);
            }
        }
    });
    let heard = (rounds * sound.len()) as f64 / rate.hz_f64();
    let share = 100.0 * spent / heard;
    println!("| live readings, as corrected and as recorded | {share:.2} % of one core | ≤ 10 % |");
    assert!(sum > 0.0, "something was read");
}

fn main() -> Done {
    let folder: std::path::PathBuf = std::env::args().nth(1).map_or_else(std::env::temp_dir, Into::into);
    if std::env::args().nth(2).as_deref() == Some("render") {
        let number = |n: usize| std::env::args().nth(n).unwrap_or_default();
        return render(&folder, number(3).parse()?, number(4).parse()?);
    }
    if std::env::args().nth(2).as_deref() == Some("check") {
        let number = |n: usize| std::env::args().nth(n).unwrap_or_default();
        return check(&folder, &number(3), number(4).parse()?);
    }
    // What one check costs can be looked at by itself: `copies five 15 24`, then `check five 24`.
    if std::env::args().nth(2).as_deref() == Some("copies") {
        let number = |n: usize| std::env::args().nth(n).unwrap_or_default();
        return copies(&folder, &number(3), number(4).parse()?, number(5).parse()?, 5);
    }
    if std::env::args().nth(2).as_deref() == Some("placed") {
        return hours::placed(&folder);
    }
    println!("| what | measured | bar |\n|---|---|---|");
    match std::env::args().nth(2).as_deref() {
        Some("whole") => return whole_sessions(&folder),
        Some("print") => return print(&folder),
        Some("hours") => return hours::hours(&folder),
        _ => {}
    }
    let pair = two_recordings(&folder)?;
    measuring(&folder, &pair)?;
    overview(&folder.join("hour.wav"), &pair[0])?;
    for (label, offset) in [("whole offsets", "-110"), ("fractional offsets", "-110.37")] {
        rendering(&folder, label, offset)?;
    }
    paths()?;
    print(&folder)?;
    hours::hours(&folder)?;
    whole_sessions(&folder)
}

/// A print of ten minutes against its send.
fn print(folder: &Path) -> Done {
    let rate = SampleRate::new(48_000)?;
    let mut rng = ChaCha8Rng::seed_from_u64(5);
    let mut machine = Machine::of(&mut rng);
    machine.start_s = 1.5;
    let sound = send(60.0, 5);
    let sent: Vec<f32> = sound.iter().copied().cycle().take(48_000 * 600).collect();
    let printed = machine.print(&sent, &mut rng);
    let files = [folder.join("send.wav"), folder.join("print.wav")];
    let mut sources = Vec::new();
    for (n, (file, plane)) in files.iter().zip([&sent, &printed]).enumerate() {
        repeat(file, plane, plane.len())?;
        let place = folder.join(format!("p{n}"));
        std::fs::create_dir_all(&place)?;
        prepare(file, &place, rate, &Stop::default(), &mut |_| true)?;
        sources.push(WorkFile::open(&channel_path(&place, 1))?);
    }
    for file in &files {
        decode(file)?;
    }
    let (decoding, _) = seconds(|| files.iter().map(|f| decode(f)).collect::<Result<Vec<_>, _>>());
    let (took, found) = seconds(|| follow(&sources[0], &sources[1], rate, &|_| true));
    let found = found?;
    println!(
        "| a print of 10 minutes followed along time | {:.1} × decoding both; {took:.1} s; {:?}, {:.0} % measured | ≤ 20 × |",
        took / decoding,
        found.verdict,
        100.0 * found.share
    );
    let (took, found) = seconds(|| follow_straight(&sources[0], &sources[1], rate, &|_| true));
    println!(
        "| the same by offset and speed only | {:.1} × decoding both; {took:.2} s; {:+.0} ppm | ≤ 3 × |",
        took / decoding,
        found?.drift_ppm
    );
    Ok(())
}

/// Everything about a map of signal paths but what must be off.
fn paths() -> Done {
    for (nodes, bar) in [(200, "≤ 10 ms"), (10_000, "≤ 1000 ms")] {
        let map = random_map(1, nodes, 3);
        let (spent, met) = seconds(|| -> Result<usize, PathError> {
            let graph = Graph::new(&map)?;
            assert_eq!(least_delays(&graph).len(), graph.edges.len());
            assert!(!routes(&graph, 1_000).is_empty());
            Ok(meetings(&graph).len())
        });
        println!("| signal paths of {nodes} nodes, {} meetings | {:.1} ms | {bar} |", met?, spent * 1e3);
    }
    Ok(())
}

/// Two microphones of one player, five minutes each; what live readings of them cost is told on the way.
fn two_recordings(folder: &Path) -> Result<[PathBuf; 2], Box<dyn std::error::Error>> {
    let played = harbour_hall::scene(75.0, 3).render();
    let sound = |file: &str| played.channel(file, 1).unwrap_or_default();
    let pair = [folder.join("a.wav"), folder.join("b.wav")];
    repeat(&pair[0], sound("Marimba low.wav"), 48_000 * 300)?;
    repeat(&pair[1], sound("Marimba high.wav"), 48_000 * 300)?;
    readings(SampleRate::new(48_000)?, sound("Marimba low.wav"));
    Ok(pair)
}

fn measuring(folder: &Path, pair: &[PathBuf; 2]) -> Done {
    let rate = SampleRate::new(48_000)?;
    // Once before, so that the files are in memory for both.
    for p in pair {
        decode(p)?;
    }
    let (decoding, _) = seconds(|| pair.iter().map(|p| decode(p)).collect::<Result<Vec<_>, _>>());
    let mut sources = Vec::new();
    for (i, p) in pair.iter().enumerate() {
        let place = folder.join(format!("w{i}"));
        std::fs::create_dir_all(&place)?;
        prepare(p, &place, rate, &Stop::default(), &mut |_| true)?;
        sources.push(WorkFile::open(&channel_path(&place, 1))?);
    }
    let placed = |i: usize| Placed { source: &sources[i] as &dyn Source, start: SessionFrame(0) };
    let (measuring, m) = seconds(|| measure_pair(&placed(0), &placed(1), rate, PairOptions::default(), &mut |_| true));
    let m = m?;
    println!(
        "| measuring one pair of 5 minutes at 48 kHz | {:.2} × decoding both; {measuring:.2} s; says {:.2} samples, {:?} | ≤ 3 × |",
        measuring / decoding,
        m.lag_frames.unwrap_or(f64::NAN),
        m.verdict
    );
    Ok(())
}

/// An hour, against decoding the same hour.
fn overview(hour: &Path, sound: &Path) -> Done {
    let (_, planes) = marea_media::read_all(sound)?;
    repeat(hour, &planes[0], 48_000 * 3_600)?;
    drop(planes);
    decode(hour)?;
    let (decoding, _) = seconds(|| decode(hour));
    let (both, points) = seconds(|| -> Result<usize, marea_media::MediaError> {
        let mut reader = AudioReader::open(hour)?;
        let (mut block, mut builder) = (Vec::new(), OverviewBuilder::default());
        loop {
            reader.next_block(&mut block)?;
            if block.is_empty() {
                return Ok(builder.finish().levels[0].len());
            }
            builder.push(&block);
        }
    });
    println!(
        "| overview of an hour, decoding included | {:.2} × the speed of decoding alone; {} points | ≥ 0.5 × |",
        decoding / both,
        points?
    );
    std::fs::remove_file(hour)?;
    Ok(())
}

/// Each in a process of its own, so that its peak is its own.
fn rendering(folder: &Path, label: &str, offset: &str) -> Done {
    let run = |minutes: &str| -> Result<(f64, f64), Box<dyn std::error::Error>> {
        let out = std::process::Command::new(std::env::current_exe()?)
            .arg(folder)
            .args(["render", offset, minutes])
            .output()?;
        let text = String::from_utf8(out.stdout)?;
        let mut numbers = text.split_whitespace().map(str::parse::<f64>);
        Ok((numbers.next().ok_or("no time")??, numbers.next().ok_or("no peak")??))
    };
    let (short, long) = (run("1")?, run("10")?);
    println!("| rendering 24 tracks, {label} | {:.0} × real time on 2 cores | ≥ 100 × |", 600.0 / long.0);
    println!(
        "| its peak memory, 1 and 10 minutes, {label} | {:.1} and {:.1} MB | independent of length |",
        short.1, long.1
    );
    Ok(())
}

/// An ensemble in as many working copies of so many minutes; a folder a set. Channels of a pair keep their sides as names.
fn copies(folder: &Path, set: &str, players: usize, most: usize, minutes: usize) -> Done {
    let place = folder.join(set);
    std::fs::create_dir_all(&place)?;
    let rate = SampleRate::new(48_000)?;
    let mut played = varied::ensemble(75.0, 3, varied::Kind::Faulty, Some(players)).render();
    // Pairs first: a set that is cut short keeps them.
    played.files.sort_by_key(|(_, planes)| std::cmp::Reverse(planes.len()));
    let channels = played.files.iter().flat_map(|(name, planes)| {
        let stem = name.trim_end_matches(".wav");
        let side =
            move |c| if planes.len() > 1 { format!("{stem} {}", ["left", "right"][c]) } else { stem.to_string() };
        planes.iter().enumerate().map(move |(c, plane)| (side(c), plane))
    });
    let wav = place.join("long.wav");
    for (i, (name, plane)) in channels.take(most).enumerate() {
        repeat(&wav, plane, 48_000 * 60 * minutes)?;
        let of = place.join(format!("{i:02} {name}"));
        std::fs::create_dir_all(&of)?;
        prepare(&wav, &of, rate, &Stop::default(), &mut |_| true)?;
    }
    Ok(())
}

/// The check of 6 to 48 tracks of five minutes and of 60 of an hour, each in a process of its own.
fn whole_sessions(folder: &Path) -> Done {
    let run = |set: &str, tracks: usize| -> Result<Vec<f64>, Box<dyn std::error::Error>> {
        let out = std::process::Command::new(std::env::current_exe()?)
            .arg(folder)
            .args(["check", set, &tracks.to_string()])
            .output()?;
        let text = String::from_utf8(out.stdout)?;
        Ok(text.split_whitespace().map(str::parse::<f64>).collect::<Result<Vec<_>, _>>()?)
    };
    for (tracks, players) in [(6, 3), (12, 7), (24, 9), (24, 15), (48, 32), (48, 40)] {
        copies(folder, "five", players, tracks, 5)?;
        let wav = folder.join("five/long.wav");
        let decoding = || seconds(|| (0..tracks).into_par_iter().map(|_| decode(&wav)).collect::<Result<Vec<_>, _>>());
        decoding().1?;
        // Decoding and check in turn, and the median ratio: the speed of a shared machine changes from minute to minute.
        let (mut rounds, mut found) = (Vec::new(), Vec::new());
        for _ in 0..3 {
            let (decoding, _) = decoding();
            let got = run("five", tracks)?;
            let [took, sources, peak, finding, strokes] = got[..] else { return Err("the check said nothing".into()) };
            rounds.push((took / decoding, took, sources, peak));
            found.push((finding / decoding, finding, strokes));
        }
        rounds.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (ratio, took, sources, peak) = rounds[1];
        let bar = match tracks {
            24 => "≤ 2 ×, ≤ 400 MB",
            48 => "≤ 4 ×",
            _ => "grows with tracks × sources",
        };
        println!(
            "| whole check, {tracks} tracks × 5 min, {sources} sources | {ratio:.2} × decoding them; {took:.1} s, {:.0} ms a track and source; \
             peak {peak:.0} MB | {bar} |",
            1_000.0 * took / (tracks as f64 * sources)
        );
        if tracks == 24 {
            found.sort_by(|a, b| a.0.total_cmp(&b.0));
            let (ratio, took, strokes) = found[1];
            println!(
                "| hits of {tracks} tracks × 5 min, {sources} sources: {strokes} strokes | {ratio:.2} × decoding them; {took:.1} s | ≤ 2 × |"
            );
        }
        std::fs::remove_dir_all(folder.join("five"))?;
    }
    copies(folder, "hour", 3, 5, 60)?;
    let got = run("hour", 60)?;
    let [took, sources, peak, ..] = got[..] else { return Err("the check said nothing".into()) };
    println!(
        "| whole check, 60 tracks × 1 h (links to five files), {sources} sources | {took:.0} s; peak {peak:.0} MB | completes |"
    );
    std::fs::remove_dir_all(folder.join("hour"))?;
    Ok(())
}

/// Checks so many tracks of a set and prints seconds, sources and peak memory; then seconds for their hits, and how many.
fn check(folder: &Path, set: &str, tracks: usize) -> Done {
    let rate = SampleRate::new(48_000)?;
    let mut places: Vec<_> =
        std::fs::read_dir(folder.join(set))?.filter_map(|e| Some(e.ok()?.path())).filter(|p| p.is_dir()).collect();
    places.sort();
    let names: Vec<Named> = (0..tracks)
        .map(|i| {
            let folder = places[i % places.len()].file_name().unwrap_or_default().to_string_lossy().into_owned();
            // Without the number that keeps the order; links to a file already there carry one.
            let name = folder.split_once(' ').map_or("", |(_, name)| name);
            let again = if i < places.len() { String::new() } else { format!("{} ", i / places.len() + 1) };
            Named { file: format!("{again}{name}.wav"), channel: 1, channels: 1 }
        })
        .collect();
    let sources = (0..tracks)
        .map(|i| WorkFile::open(&channel_path(&places[i % places.len()], 1)))
        .collect::<Result<Vec<_>, _>>()?;
    let known = tracks_of(&names);
    let said = said(&known);
    let heard: Vec<Heard> = sources
        .iter()
        .zip(known.iter().zip(&said))
        .map(|(source, (t, said))| Heard {
            sound: Placed { source, start: SessionFrame(0) },
            role: t.role,
            said: *said,
            added: Vec::new(),
            removed: Vec::new(),
        })
        .collect();
    let (took, found) = seconds(|| measure_session(&heard, rate, &|_| true).map(|t| (decide(&t, &known), t)));
    let (_, table) = found?;
    let peak = peak_mb();
    let sounds: Vec<Placed> = heard.iter().map(|h| h.sound).collect();
    let (finding, struck) = seconds(|| hits(&sounds, &table, rate, &|_| true));
    let strokes: usize = struck?.iter().map(|p| p.hits.len()).sum();
    println!("{took} {} {peak:.1} {finding} {strokes}", table.rows.len());
    Ok(())
}

/// Renders 24 tracks of the two working copies in a folder and prints seconds and peak memory.
fn render(folder: &Path, offset: f64, minutes: i64) -> Done {
    let sources = [0, 1].map(|i| WorkFile::open(&channel_path(&folder.join(format!("w{i}")), 1)));
    let [a, b] = sources;
    let sources = [a?, b?];
    let rate = SampleRate::new(48_000)?;
    let (took, sum) = seconds(|| {
        // Twelve tracks a core, as the server's two workers would share them.
        [0, 1]
            .par_iter()
            .map(|_| {
                let voices = (0..12u8).map(|k| {
                    let c =
                        Correction { offset_frames: Offset(offset - f64::from(k)), invert: k % 2 == 0, gain_db: -1.0 };
                    let source: &dyn Source = &sources[usize::from(k % 2)];
                    Voice {
                        track: TrackRenderer::new(Placed { source, start: SessionFrame(0) }, &c.into(), rate),
                        sides: [0.7, 0.7],
                    }
                });
                play(&mut Mix::new(voices.collect()), 48_000 * 60 * minutes)
            })
            .sum::<f32>()
    });
    assert!(sum.is_finite());
    println!("{took} {:.1}", peak_mb());
    Ok(())
}
