//! Tempi of clicks and of tracks, and tracks against them, seed by seed: `grids FROM TO [FILE]`.

use marea_core::edit::tempo::{Beats, Steady, TempoChange, TempoMap};
use marea_core::grid::{against, clicks, steady};
use marea_core::onsets::strokes;
use marea_core::progress::MeasureError;
use marea_core::signal::MemSource;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use marea_scene::grid::{Played, Session, session};

const HEAD: &str = "# Accuracy against a click\n\nMade by `make accuracy`. Simulated clicks, with a change of tempo in one of three, and four tracks each: struck, struck, struck with feel \
    (its lag wanders by some 20 ms), a slowly swelling bass. Every stroke is off by 1.4 ms RMS besides. Lags in ms. Simple: the median distance from the loudest millisecond of each \
    stroke to the next click.\n\n| seed | changes | tempo off, BPM | bar 1 off, ms | struck off | struck off | feel | bass off | simple | tempo by a track off, BPM |\n\
    |---|---|---|---|---|---|---|---|---|---|\n";
/// What struck and slow tracks may be off by, in ms.
const BARS_MS: [f64; 2] = [3.0, 6.0];

/// Lags of one kind of track.
#[derive(Default, Clone, Copy)]
struct Lags {
    all: usize,
    told: usize,
    worst: f64,
}

/// What all seeds came to.
#[derive(Default)]
struct All {
    sessions: usize,
    maps: usize,
    worst_bpm: f64,
    worst_bar_ms: f64,
    /// Struck and slow.
    lags: [Lags; 2],
    feel_constant: usize,
    solid_wrong: usize,
    by_track: Vec<f64>,
    doubled: usize,
}

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

impl All {
    /// Errors of tempo (BPM) and of bar 1 (ms); no numbers where the map has not the right changes.
    fn map(&mut self, made: &Session, found: &Beats) -> [f64; 2] {
        self.sessions += 1;
        let parts = found.steady();
        if parts.len() != made.changes.len() {
            return [f64::NAN; 2];
        }
        let both = || parts.iter().zip(&made.changes);
        let off = |(s, c): (&Steady, &TempoChange)| (60.0 * 48_000.0 / s.frames_a_quarter - c.bpm).abs();
        let same =
            |(s, c): (&Steady, &TempoChange)| s.quarter == f64::from(c.quarter) && s.quarters_a_bar == c.quarters_a_bar;
        let (bpm, bar) = (both().map(off).fold(0.0, f64::max), (parts[0].frame - made.first_beat) / 48.0);
        self.maps += usize::from(both().all(same));
        self.worst_bpm = self.worst_bpm.max(bpm);
        self.worst_bar_ms = self.worst_bar_ms.max(bar.abs());
        [bpm, bar]
    }

    /// A track's cell of the table.
    fn track(&mut self, track: &Played, beats: &Beats, rate: SampleRate) -> Result<String, MeasureError> {
        let strokes = strokes(&MemSource(track.sound.clone()), rate, &mut |_| true)?;
        let got = against(&strokes, beats, 48_000.0);
        if track.feel {
            self.feel_constant += usize::from(got.constant);
            self.solid_wrong += usize::from(got.verdict == Verdict::Solid);
            return Ok(if got.constant { "constant".into() } else { "feel".into() });
        }
        let of = usize::from(track.slow);
        let asked = !got.or_ms.is_empty();
        let off = got.lag_ms.map(|l| l - track.lag_ms);
        let lags = &mut self.lags[of];
        lags.all += 1;
        if let Some(off) = off.filter(|_| got.constant && !asked) {
            lags.told += 1;
            lags.worst = lags.worst.max(off.abs());
            self.solid_wrong += usize::from(off.abs() > BARS_MS[of] && got.verdict == Verdict::Solid);
        }
        let asked = if asked { " (asked)" } else { "" };
        Ok(off.map_or("–".into(), |o| format!("{o:+.2}{asked}")))
    }

    /// The error of the tempo that a struck track gives, or of its half or double, whichever is nearest.
    fn by_track(&mut self, made: &Session, rate: SampleRate) -> Result<Option<f64>, MeasureError> {
        if made.changes.len() > 1 {
            return Ok(None);
        }
        let strokes = strokes(&MemSource(made.tracks[0].sound.clone()), rate, &mut |_| true)?;
        let Some(found) = steady(&strokes, 48_000.0) else { return Ok(None) };
        let off = |b: f64| (b - made.changes[0].bpm).abs();
        let nearest = found.or_bpm.iter().copied().map(off).fold(f64::INFINITY, f64::min);
        self.doubled += usize::from(nearest < off(found.bpm));
        let off = nearest.min(off(found.bpm));
        self.by_track.push(off);
        Ok(Some(off))
    }

    fn told(&self) -> String {
        let [struck, slow] = self.lags;
        format!(
            "\nMaps right (changes, bars) {} of {}; tempo off by {:.4} BPM at most, bar 1 by {:.2} ms. Struck tracks: told {} of {}, off by {:.2} ms at most; slow bass: told {} of {}, \
             {:.2} ms. Feel called constant {}; solid and wrong {}. Tempo by a struck track: {} told, {:.4} BPM off at most, {} of them at half or double.\n",
            self.maps,
            self.sessions,
            self.worst_bpm,
            self.worst_bar_ms,
            struck.told,
            struck.all,
            struck.worst,
            slow.told,
            slow.all,
            slow.worst,
            self.feel_constant,
            self.solid_wrong,
            self.by_track.len(),
            self.by_track.iter().copied().fold(0.0, f64::max),
            self.doubled
        )
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [from, to, rest @ ..] = args.as_slice() else { return Err("grids FROM TO [FILE]".into()) };
    let rate = SampleRate::new(48_000)?;
    let mut text = HEAD.to_string();
    let mut all = All::default();
    for seed in from.parse()?..=to.parse::<u64>()? {
        let made = session(24, seed);
        let read = clicks(&MemSource(made.click.clone()), rate, &mut |_| true)?;
        let found = read.map.ok_or_else(|| format!("seed {seed}: no map"))?.beats(48_000.0);
        let [bpm, bar] = all.map(&made, &found);
        let cells: Vec<String> = made.tracks.iter().map(|t| all.track(t, &found, rate)).collect::<Result<_, _>>()?;
        let truth = TempoMap::new(made.first_beat, made.changes.clone())?.beats(48_000.0);
        let line = format!(
            "| {seed} | {} | {bpm:.4} | {bar:+.2} | {} | {:+.1} | {} |\n",
            made.changes.len() - 1,
            cells.join(" | "),
            simple(&made.tracks[0], &truth),
            all.by_track(&made, rate)?.map_or("–".into(), |o| format!("{o:.4}"))
        );
        print!("{line}");
        text.push_str(&line);
    }
    print!("{}", all.told());
    text.push_str(&all.told());
    if let Some(file) = rest.first() {
        std::fs::write(file, text)?;
    }
    Ok(())
}
