//! Tempi of clicks and of tracks, and tracks against them, seed by seed: `grids FROM TO [FILE]`.

use marea_core::edit::tempo::{Beats, Steady, TempoChange, TempoMap};
use marea_core::grid::{against, clicks, steady};
use marea_core::onsets::strokes;
use marea_core::signal::MemSource;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::grid::{Played, session};

const HEAD: &str = "# Accuracy against a click\n\nMade by `make accuracy`. Simulated clicks, with a change of tempo in one of three, and four tracks each: struck, struck, struck with feel \
    (its lag wanders by some 20 ms), a slowly swelling bass. Every stroke is off by 1.4 ms RMS besides. Lags in ms. Simple: the median distance from the loudest millisecond of each \
    stroke to the next click.\n\n| seed | changes | tempo off, BPM | bar 1 off, ms | struck off | struck off | feel | bass off | simple | tempo by a track off, BPM |\n\
    |---|---|---|---|---|---|---|---|---|---|\n";

/// By the loudest millisecond of what follows every beat.
fn simple(track: &Played, beats: &Beats) -> f64 {
    let mut off = Vec::new();
    for q in 0..200 {
        let from = beats.frame_of(f64::from(q)) as usize;
        let Some(part) = track.sound.get(from.saturating_sub(4_800)..from + 4_800) else { break };
        let energy = |n: usize| part[48 * n..48 * n + 48].iter().map(|v| v * v).sum::<f32>();
        let at = (0..200).max_by(|a, b| energy(*a).total_cmp(&energy(*b))).unwrap_or(0);
        off.push(at as f64 - 100.0);
    }
    off.sort_by(f64::total_cmp);
    off.get(off.len() / 2).copied().unwrap_or(f64::NAN) - track.lag_ms
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [from, to, rest @ ..] = args.as_slice() else { return Err("grids FROM TO [FILE]".into()) };
    let rate = SampleRate::new(48_000)?;
    let mut text = HEAD.to_string();
    let (mut worst_bpm, mut worst_bar, mut maps, mut all) = (0f64, 0f64, 0, 0);
    // Struck, slow: told, all, worst; feel called constant; solid and wrong.
    let (mut told, mut feel_constant, mut solid_wrong) = ([(0, 0, 0f64); 2], 0, 0);
    let (mut by_track, mut double) = (Vec::new(), 0);
    for seed in from.parse()?..=to.parse::<u64>()? {
        let made = session(24, seed);
        all += 1;
        let read = clicks(&MemSource(made.click.clone()), rate, &mut |_| true)?;
        let found = read.map.as_ref().map(|m| m.beats(48_000.0));
        let truth = TempoMap::new(made.first_beat, made.changes.clone())?.beats(48_000.0);
        let steady_parts = found.as_ref().map(|b| b.steady().to_vec()).unwrap_or_default();
        let (mut bpm_off, mut bar_off) = (f64::NAN, f64::NAN);
        if steady_parts.len() == made.changes.len() {
            let off = |(s, c): (&Steady, &TempoChange)| (60.0 * 48_000.0 / s.frames_a_quarter - c.bpm).abs();
            bpm_off = steady_parts.iter().zip(&made.changes).map(off).fold(0.0, f64::max);
            bar_off = (steady_parts[0].frame - made.first_beat) / 48.0;
            let same = steady_parts
                .iter()
                .zip(&made.changes)
                .all(|(s, c)| s.quarter == f64::from(c.quarter) && s.quarters_a_bar == c.quarters_a_bar);
            maps += usize::from(same);
            worst_bpm = worst_bpm.max(bpm_off);
            worst_bar = worst_bar.max(bar_off.abs());
        }
        let mut cells = Vec::new();
        for track in &made.tracks {
            let strokes = strokes(&MemSource(track.sound.clone()), rate, &mut |_| true)?;
            let Some(beats) = &found else { continue };
            let got = against(&strokes, beats, 48_000.0);
            let off = got.lag_ms.filter(|_| got.or_ms.is_empty()).map(|l| l - track.lag_ms);
            if track.feel {
                feel_constant += usize::from(got.constant);
                solid_wrong += usize::from(got.verdict == Verdict::Solid);
                cells.push(if got.constant { "constant".into() } else { "feel".into() });
                continue;
            }
            let (of, bar) = if track.slow { (1, 6.0) } else { (0, 3.0) };
            told[of].1 += 1;
            if let Some(off) = off.filter(|_| got.constant) {
                told[of].0 += 1;
                told[of].2 = told[of].2.max(off.abs());
                solid_wrong += usize::from(off.abs() > bar && got.verdict == Verdict::Solid);
            }
            let asked = if got.or_ms.is_empty() { "" } else { " (asked)" };
            cells.push(format!(
                "{}{asked}",
                off.or(got.lag_ms.map(|l| l - track.lag_ms)).map_or("–".into(), |o| format!("{o:+.2}"))
            ));
        }
        let strokes = strokes(&MemSource(made.tracks[0].sound.clone()), rate, &mut |_| true)?;
        let bpm = steady(&strokes, 48_000.0).filter(|_| made.changes.len() == 1);
        let off = bpm.map(|s| {
            let near = |b: f64| (b - made.changes[0].bpm).abs();
            if s.or_bpm.iter().any(|b| near(*b) < near(s.bpm)) {
                double += 1;
            }
            s.or_bpm.iter().copied().chain([s.bpm]).map(near).fold(f64::INFINITY, f64::min)
        });
        by_track.extend(off);
        let line = format!(
            "| {seed} | {} | {bpm_off:.4} | {bar_off:+.2} | {} | {:+.1} | {} |\n",
            made.changes.len() - 1,
            cells.join(" | "),
            simple(&made.tracks[0], &truth),
            off.map_or("–".into(), |o| format!("{o:.4}"))
        );
        print!("{line}");
        text.push_str(&line);
    }
    let most = by_track.iter().copied().fold(0.0, f64::max);
    let tail = format!(
        "\nMaps right (changes, bars) {maps} of {all}; tempo off by {worst_bpm:.4} BPM at most, bar 1 by {worst_bar:.2} ms. Struck tracks: told {} of {}, off by {:.2} ms at most; slow bass: told {} of {}, \
         {:.2} ms. Feel called constant {feel_constant}; solid and wrong {solid_wrong}. Tempo by a struck track: {} told, {most:.4} BPM off at most, {double} of them at half or double.\n",
        told[0].0,
        told[0].1,
        told[0].2,
        told[1].0,
        told[1].1,
        told[1].2,
        by_track.len()
    );
    print!("{tail}");
    text.push_str(&tail);
    if let Some(file) = rest.first() {
        std::fs::write(file, text)?;
    }
    Ok(())
}
