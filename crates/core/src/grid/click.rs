//! A recorded click: where it falls, its accents, and the tempo map it plays.

use crate::dsp::envelope::Envelope;
use crate::dsp::stats::{line, median};
use crate::edit::tempo::{BPM, TempoChange, TempoMap};
use crate::progress::{MeasureError, Progress};
use crate::signal::{Placed, Source, index};
use crate::units::{SampleRate, SessionFrame};

/// A click begins with the first sample over this part of its peak.
const BEGINS: f32 = 0.05;
/// Looked at before and after an onset for that, in seconds.
const ABOUT_S: [f64; 2] = [0.004, 0.008];
/// A click belongs to a tempo when it is within so many seconds of where that puts it.
const ON_BEAT_S: f64 = 0.001_5;
/// From so many clicks on a tempo is sure.
const SURE: usize = 8;
/// Fewest clicks that make a tempo.
const FEWEST: usize = 4;
/// Longest gap in beats over which a click goes on.
const GAP: f64 = 64.0;
/// An accent is louder than the median click by so many dB, or its pitch higher by this factor.
const LOUDER_DB: f64 = 2.5;
const HIGHER: f64 = 1.12;
/// Metres looked for.
const METRES: std::ops::RangeInclusive<usize> = 2..=16;
/// Share of the accents that stand on the first beat of a metre.
const ON_ONE: f64 = 0.9;

/// What a click plays.
#[derive(Debug, Clone, PartialEq)]
pub struct Clicks {
    /// Where they fall, in frames of the recording.
    pub frames: Vec<f64>,
    /// Tempo and metre, with bar 1 at the first accent; none of fewer than four clicks, or where they keep no tempo.
    pub map: Option<TempoMap>,
    /// Were there accents? Without any the metre is a guess.
    pub accented: bool,
}

struct One {
    frame: f64,
    level_db: f64,
    pitch: f64,
}

/// Reads a click track.
///
/// # Errors
/// [`MeasureError`] when the recording cannot be read or `progress` says stop.
pub fn clicks(source: &dyn Source, rate: SampleRate, progress: Progress) -> Result<Clicks, MeasureError> {
    let envelope = Envelope::measure(&Placed { source, start: SessionFrame(0) }, rate, progress)?;
    let [before, after] = ABOUT_S.map(|s| rate.frames(s));
    let mut all = Vec::new();
    for onset in envelope.onsets() {
        let mut x = vec![0f32; index(before + after)];
        source.read(onset.frame - before, &mut x)?;
        let peak = x.iter().fold(0f32, |m, v| m.max(v.abs()));
        let Some(at) = x.iter().position(|v| v.abs() > BEGINS * peak) else { continue };
        // Its own crossings of zero, not those of the noise after it.
        let end = x.iter().rposition(|v| v.abs() > BEGINS * peak).unwrap_or(at) + 1;
        let crossings = x[at..end].windows(2).filter(|w| (w[0] > 0.0) != (w[1] > 0.0)).count();
        let frame = (onset.frame - before) as f64 + at as f64;
        all.push(One { frame, level_db: onset.level_db, pitch: crossings.max(1) as f64 / (end - at) as f64 });
    }
    let frames: Vec<f64> = all.iter().map(|c| c.frame).collect();
    let accents = accents(&all);
    let runs = runs(&frames, rate);
    let (map, accented) = map(&frames, &accents, &runs, rate);
    Ok(Clicks { frames, map, accented })
}

/// Which clicks are accents: louder or higher than most, but no more than half of all.
fn accents(all: &[One]) -> Vec<bool> {
    let of = |value: fn(&One) -> f64| median(&mut all.iter().map(value).collect::<Vec<_>>()).unwrap_or(0.0);
    let (level, pitch) = (of(|c| c.level_db), of(|c| c.pitch));
    let louder: Vec<bool> = all.iter().map(|c| c.level_db > level + LOUDER_DB).collect();
    let higher: Vec<bool> = all.iter().map(|c| c.pitch > pitch * HIGHER).collect();
    let count = |v: &[bool]| v.iter().filter(|a| **a).count();
    let usable = |v: &[bool]| count(v) > 1 && 2 * count(v) <= v.len();
    let both: Vec<bool> = louder.iter().zip(&higher).map(|(l, h)| *l || *h).collect();
    let shared = louder.iter().zip(&higher).filter(|(l, h)| **l && **h).count();
    match (usable(&louder), usable(&higher)) {
        // They mean the same clicks, of which either may miss some.
        (true, true) if 10 * shared >= 7 * count(&louder).min(count(&higher)) && usable(&both) => both,
        (true, true) if regular(&louder) >= regular(&higher) => louder,
        (_, true) => higher,
        (true, false) => louder,
        (false, false) => vec![false; all.len()],
    }
}

/// The share of accents that follow the one before after as many clicks as most do.
fn regular(accents: &[bool]) -> f64 {
    let places: Vec<usize> = (0..accents.len()).filter(|n| accents[*n]).collect();
    let gaps: Vec<usize> = places.windows(2).map(|p| p[1] - p[0]).collect();
    let most = gaps.iter().map(|g| gaps.iter().filter(|h| *h == g).count()).max().unwrap_or(0);
    most as f64 / gaps.len().max(1) as f64
}

/// Clicks of one tempo: the first of them, their period in frames, and the number of the beat of every click from there on.
struct Run {
    from: usize,
    to: usize,
    at: f64,
    period: f64,
}

/// Parts of one tempo, one after another; each begins with the click that ends the one before.
fn runs(frames: &[f64], rate: SampleRate) -> Vec<Run> {
    let on = ON_BEAT_S * rate.hz_f64();
    let mut runs: Vec<Run> = Vec::new();
    let mut from = 0;
    while from + 1 < frames.len() {
        let mut run = Run { from, to: from + 1, at: frames[from], period: frames[from + 1] - frames[from] };
        let mut beats = vec![(0.0, frames[from]), (1.0, frames[from + 1])];
        while run.to + 1 < frames.len() {
            let next = frames[run.to + 1];
            let beat = ((next - run.at) / run.period).round();
            let gap = beat - beats[beats.len() - 1].0;
            // Few clicks tell a period less well.
            let within = if beats.len() < SURE { 2.0 * on } else { on };
            if !(1.0..=GAP).contains(&gap) || (run.at + beat * run.period - next).abs() > within {
                break;
            }
            beats.push((beat, next));
            run.to += 1;
            (run.at, run.period) = line(&beats).unwrap_or((run.at, run.period));
        }
        from = run.to;
        runs.push(run);
    }
    runs
}

/// The map of all runs that are long enough, bar 1 at the first accent.
fn map(frames: &[f64], accents: &[bool], runs: &[Run], rate: SampleRate) -> (Option<TempoMap>, bool) {
    let bpm = |r: &Run| 60.0 * rate.hz_f64() / r.period;
    let usable: Vec<&Run> = runs.iter().filter(|r| r.to - r.from + 1 >= FEWEST && BPM.contains(&bpm(r))).collect();
    let Some(first) = usable.first() else { return (None, false) };
    // Clicks counted through: of runs by their beats, between runs by one beat a click.
    let accent = (first.from..frames.len()).find(|n| accents[*n]);
    let one = accent.unwrap_or(first.from);
    let mut changes: Vec<TempoChange> = Vec::new();
    let (mut quarter, mut first_beat) = (0.0, frames[one]);
    for (n, run) in usable.iter().enumerate() {
        let beat_of = |frame: f64| ((frame - run.at) / run.period).round();
        let begins = if n == 0 {
            first_beat = run.at + beat_of(frames[one]) * run.period;
            0.0
        } else {
            quarter
        };
        let metre = metre(frames, accents, run).or(changes.last().map(|c| c.quarters_a_bar)).unwrap_or(4);
        changes.push(TempoChange { quarter: begins as u32, bpm: bpm(run), quarters_a_bar: metre });
        let from = if n == 0 { frames[one] } else { frames[run.from] };
        quarter = begins + beat_of(frames[run.to]) - beat_of(from);
        if let Some(next) = usable.get(n + 1) {
            // What lies between two runs is counted at the speed of the first.
            quarter += ((frames[next.from] - frames[run.to]) / run.period).round();
        }
        if quarter <= begins && n + 1 < usable.len() {
            return (None, accent.is_some());
        }
    }
    changes.dedup_by(|b, a| (b.bpm / a.bpm - 1.0).abs() < 1e-4 && b.quarters_a_bar == a.quarters_a_bar);
    (TempoMap::new(first_beat, changes).ok(), accent.is_some())
}

/// Beats from accent to accent in a run.
fn metre(frames: &[f64], accents: &[bool], run: &Run) -> Option<u32> {
    let beats: Vec<i64> = (run.from..=run.to)
        .filter(|n| accents[*n])
        .map(|n| ((frames[n] - run.at) / run.period).round() as i64)
        .collect();
    let first = *beats.first()?;
    let fits = |m: &usize| {
        let on = beats.iter().filter(|b| (**b - first) % *m as i64 == 0).count();
        // Every bar of the run has its accent.
        let bars = (beats[beats.len() - 1] - first) / *m as i64 + 1;
        on as f64 >= ON_ONE * beats.len() as f64 && on as f64 >= ON_ONE * bars as f64
    };
    METRES.filter(fits).max().filter(|_| beats.len() > 1).and_then(|m| u32::try_from(m).ok())
}
