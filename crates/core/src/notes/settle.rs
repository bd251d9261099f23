//! What all notes come to: one latency, or playing that scatters, or nothing that can be told.

use super::coarse::Coarse;
use super::each::Event;
use super::midi::Score;
use super::value::{NoteValue, note_value};
use crate::dsp::stats::median;
use crate::onsets::{Begun, Kind, MOST_GUESSED_MS};
use crate::verdict::Verdict;
use serde::{Deserialize, Serialize};

/// Fewest events of which anything is told.
const FEWEST: usize = 4;
/// Fewest of which it is told for certain.
const ENOUGH: usize = 8;
/// The densest so many ms hold the latency: of struck sounds and of slow ones.
const DENSEST_MS: [f64; 2] = [3.0, 8.0];
/// Share of the events there from which it is likely, and from which it is solid.
const SHARES: [f64; 2] = [0.4, 0.6];
/// Height of the best lag over the best rival from which it is likely, and from which it is solid.
const RATIOS: [f64; 2] = [1.3, 1.8];
/// The same where no pitches can tell: drums, and parts of one pitch. They are likely at best.
const RATIO_WITHOUT: f64 = 2.0;
/// Standard deviations by which the pitches rise in the notes' order more than in others.
const PITCHED: f64 = 3.0;
/// At least uncertain by, in ms: struck sounds and slow ones.
const UNCERTAIN_MS: [f64; 2] = [0.3, 1.0];
/// Spread beyond which it is playing and no one delay, in ms.
const PLAYED_MS: f64 = 6.0;

/// One note.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct NoteLate {
    /// When the file has it, in seconds.
    pub seconds: f64,
    /// Its key.
    pub key: u8,
    /// How much later its sound begins, in ms; none where it cannot be told.
    pub late_ms: Option<f64>,
}

/// A rendering against its notes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct NotesMeasured {
    /// How much later its sounds begin than their notes, in ms.
    pub latency_ms: Option<f64>,
    /// How much later they are heard, in ms.
    pub heard_ms: Option<f64>,
    /// Spread of the beginnings about the latency, 1.48 × the median deviation, in ms.
    pub spread_ms: Option<f64>,
    /// What the latency is uncertain by, in ms.
    pub uncertain_ms: f64,
    /// The note value that the latency is, where it is one.
    pub value: Option<NoteValue>,
    /// Tempo of the note value, in quarters a minute.
    pub bpm: f64,
    /// How its sounds begin.
    pub kind: Kind,
    /// Every note.
    pub notes: Vec<NoteLate>,
    /// How far it can be trusted.
    pub verdict: Verdict,
    /// Why.
    pub reason: String,
}

impl NotesMeasured {
    /// Nothing is told.
    pub fn undecided(score: &Score, reason: &str) -> Self {
        let notes = score.notes.iter().map(|n| NoteLate { seconds: n.seconds, key: n.key, late_ms: None }).collect();
        Self {
            latency_ms: None,
            heard_ms: None,
            spread_ms: None,
            uncertain_ms: 0.0,
            value: None,
            bpm: score.at(0.0).bpm,
            kind: Kind::Struck,
            notes,
            verdict: Verdict::Undecided,
            reason: reason.into(),
        }
    }
}

/// Does another lag fit too well for the best to be taken?
pub fn doubtful(coarse: &Coarse) -> bool {
    coarse.ratio < coarse.pitched.map_or(RATIO_WITHOUT, |_| RATIOS[0])
}

/// Brings all events together.
pub fn settle(score: &Score, coarse: &Coarse, events: &[Event]) -> NotesMeasured {
    let mut all = NotesMeasured::undecided(score, "");
    let of = |kind: Kind| events.iter().filter(|e| e.begun.is_some_and(|b| b.kind == kind)).count();
    let kind = if of(Kind::Struck) >= of(Kind::Slow) { Kind::Struck } else { Kind::Slow };
    all.kind = kind;
    let counted = |b: &Begun| b.kind == kind && b.guessed_ms <= MOST_GUESSED_MS;
    let mut late = Vec::new();
    for event in events {
        if let Some(b) = event.begun.filter(counted) {
            event.notes.clone().for_each(|n| all.notes[n].late_ms = Some(b.late_ms));
            late.push(b.late_ms);
        }
    }
    late.sort_by(f64::total_cmp);
    if late.len() < FEWEST {
        all.reason = format!("only {} of {} notes begin where it can be measured", late.len(), events.len());
        return withheld(all);
    }
    let width = DENSEST_MS[usize::from(kind == Kind::Slow)];
    let inside = densest(&late, width);
    let share = inside.len() as f64 / late.len() as f64;
    let latency = median(&mut inside.to_vec()).unwrap_or(0.0);
    let mut off: Vec<f64> = late.iter().map(|l| (l - latency).abs()).collect();
    let spread = 1.48 * median(&mut off).unwrap_or(0.0);
    let after = events.iter().filter_map(|e| e.begun.filter(counted)).filter(|b| (b.late_ms - latency).abs() <= width);
    let heard = median(&mut after.map(|b| b.heard_after_ms).collect::<Vec<_>>()).unwrap_or(0.0);
    if doubtful(coarse) && !coarse.explains {
        all.reason = format!(
            "{:.0} ms and {:.0} ms late fit the notes alike",
            1_000.0 * coarse.seconds,
            1_000.0 * coarse.rival_s
        );
        return withheld(all);
    }
    if coarse.pitched.is_some_and(|p| p < PITCHED) {
        all.reason = "what sounds does not follow its pitches".into();
        return withheld(all);
    }
    if share < SHARES[0] || spread > PLAYED_MS {
        all.reason = format!("the beginnings scatter by {spread:.0} ms: no one delay");
        return withheld(all);
    }
    all.uncertain_ms = (spread / (inside.len() as f64).sqrt()).max(UNCERTAIN_MS[usize::from(kind == Kind::Slow)]);
    all.latency_ms = Some(latency);
    all.heard_ms = Some(latency + heard);
    all.spread_ms = Some(spread);
    let (value, bpm) = valued(score, latency, all.uncertain_ms);
    (all.value, all.bpm) = (value, bpm);
    let solid = coarse.pitched.is_some()
        && coarse.ratio >= RATIOS[1]
        && share >= SHARES[1]
        && inside.len() >= ENOUGH
        && kind == Kind::Struck;
    all.verdict = if solid { Verdict::Solid } else { Verdict::Likely };
    all.reason =
        format!("{} of {} notes that can be measured begin within {width} ms of one another", inside.len(), late.len());
    all
}

/// Single notes are not told either where the whole is not.
fn withheld(mut all: NotesMeasured) -> NotesMeasured {
    all.notes.iter_mut().for_each(|n| n.late_ms = None);
    all
}

/// The part of sorted values within a width that holds most of them.
pub fn densest(sorted: &[f64], width: f64) -> &[f64] {
    let parts = (0..sorted.len()).map(|n| &sorted[n..sorted.partition_point(|v| *v <= sorted[n] + width)]);
    parts.max_by_key(|p| p.len()).unwrap_or(&[])
}

/// The note value at the tempo that holds for most notes; none where several tempi hold for many.
fn valued(score: &Score, latency_ms: f64, uncertain_ms: f64) -> (Option<NoteValue>, f64) {
    let tempi: Vec<f64> = score.notes.iter().map(|n| score.at(n.quarter).bpm).collect();
    let with = |bpm: f64| tempi.iter().filter(|t| **t == bpm).count();
    let bpm = score.changes.iter().map(|c| c.bpm).max_by_key(|b| with(*b)).unwrap_or(120.0);
    let value = (10 * with(bpm) >= 9 * tempi.len()).then(|| note_value(latency_ms, bpm, uncertain_ms)).flatten();
    (value, bpm)
}
