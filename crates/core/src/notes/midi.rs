//! Standard MIDI Files, formats 0 and 1: notes in seconds, and changes of tempo and metre.

use crate::edit::tempo::{TempoChange, TempoError, TempoMap};
use midly::{Format, MetaMessage, MidiMessage, Smf, Timing, TrackEventKind};
use thiserror::Error;

/// Microseconds a quarter where a file says nothing (*Standard MIDI Files 1.0*: 120 quarters a minute).
const UNSAID_US: u32 = 500_000;

/// One note.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Note {
    /// When it begins, in seconds from the file's beginning.
    pub seconds: f64,
    /// When it begins, in quarters.
    pub quarter: f64,
    /// How long it is held, in seconds; 0 for notes that end as they begin.
    pub lasts: f64,
    /// Key, 60 = C4.
    pub key: u8,
    /// Velocity, 1 to 127.
    pub velocity: u8,
    /// Channel, 0 to 15.
    pub channel: u8,
}

/// A change of tempo or metre at a quarter.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Change {
    /// In quarters from the file's beginning.
    pub quarter: f64,
    /// In seconds from the file's beginning.
    pub seconds: f64,
    /// Quarter notes a minute from here on.
    pub bpm: f64,
    /// Beats in a bar.
    pub beats: u32,
    /// What a beat is: 4 for quarters, 8 for eighths.
    pub unit: u32,
}

/// What a file holds.
#[derive(Debug, Clone, PartialEq)]
pub struct Score {
    /// In order of their beginnings, then of their keys.
    pub notes: Vec<Note>,
    /// In order; the first is at quarter 0.
    pub changes: Vec<Change>,
}

/// Why a file cannot be used.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum MidiError {
    /// Not a Standard MIDI File, or damaged.
    #[error("cannot be read as a Standard MIDI File: {0}")]
    Damaged(String),
    /// Format 2.
    #[error("holds songs one after another (format 2); formats 0 and 1 can be read")]
    Sequential,
    /// Time in frames of a time code instead of parts of a quarter.
    #[error("counts in frames of a time code; files that count in parts of a quarter can be read")]
    Timecode,
    /// No parts a quarter.
    #[error("says that a quarter has no parts")]
    NoParts,
    /// A tempo of no time a quarter.
    #[error("holds a tempo of 0 microseconds a quarter")]
    NoTempo,
    /// A time signature of no beats, or of beats too short for any.
    #[error("holds a time signature that is none")]
    Metre,
    /// Nothing is played.
    #[error("holds no notes")]
    NoNotes,
}

/// Why a score makes no tempo map of a session.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum MapError {
    /// Bars that are no whole number of quarters.
    #[error("has bars that are no whole number of quarters")]
    Bars,
    /// Changes between quarters.
    #[error("changes its tempo or metre between two quarters")]
    Between,
    /// As the map says.
    #[error(transparent)]
    Tempo(#[from] TempoError),
}

enum Told {
    On { key: u8, velocity: u8, channel: u8 },
    Off { key: u8, channel: u8 },
    Tempo(u32),
    Metre { beats: u32, unit: u32 },
}

impl Score {
    /// Reads a file.
    ///
    /// # Errors
    /// [`MidiError`] says what is wrong with it.
    pub fn read(bytes: &[u8]) -> Result<Self, MidiError> {
        let score = Self::read_any(bytes)?;
        if score.notes.is_empty() { Err(MidiError::NoNotes) } else { Ok(score) }
    }

    /// The same, also for a file that holds a tempo map and no notes.
    ///
    /// # Errors
    /// [`MidiError`] says what is wrong with it.
    pub fn read_any(bytes: &[u8]) -> Result<Self, MidiError> {
        let smf = Smf::parse(bytes).map_err(|e| MidiError::Damaged(e.to_string()))?;
        if smf.header.format == Format::Sequential {
            return Err(MidiError::Sequential);
        }
        let Timing::Metrical(parts) = smf.header.timing else { return Err(MidiError::Timecode) };
        let parts = f64::from(parts.as_int());
        if parts == 0.0 {
            return Err(MidiError::NoParts);
        }
        let told = all_told(&smf)?;
        let changes = changes(&told, parts);
        let mut score = Self { notes: Vec::new(), changes };
        score.notes = score.played(&told, parts);
        Ok(score)
    }

    /// Seconds from the beginning to a quarter.
    pub fn seconds(&self, quarter: f64) -> f64 {
        let c = self.at(quarter);
        c.seconds + (quarter - c.quarter) * 60.0 / c.bpm
    }

    /// The change that holds at a quarter.
    pub fn at(&self, quarter: f64) -> &Change {
        &self.changes[self.changes.partition_point(|c| c.quarter <= quarter).saturating_sub(1)]
    }

    /// The tempo map of a session whose bar 1 begins at a frame.
    ///
    /// # Errors
    /// [`MapError`] where a session's map cannot hold it.
    pub fn map(&self, first_beat_frame: f64) -> Result<TempoMap, MapError> {
        let changes = self.changes.iter().map(|c| {
            let quarters = c.beats * 4;
            if quarters % c.unit != 0 {
                return Err(MapError::Bars);
            }
            if (c.quarter - c.quarter.round()).abs() > 1e-9 {
                return Err(MapError::Between);
            }
            Ok(TempoChange { quarter: c.quarter.round() as u32, bpm: c.bpm, quarters_a_bar: quarters / c.unit })
        });
        Ok(TempoMap::new(first_beat_frame, changes.collect::<Result<_, _>>()?)?)
    }

    fn played(&self, told: &[(u64, Told)], parts: f64) -> Vec<Note> {
        let mut notes: Vec<Note> = Vec::new();
        let mut held: Vec<usize> = Vec::new();
        for (tick, told) in told {
            let quarter = *tick as f64 / parts;
            match *told {
                Told::On { key, velocity, channel } => {
                    held.push(notes.len());
                    let seconds = self.seconds(quarter);
                    notes.push(Note { seconds, quarter, lasts: 0.0, key, velocity, channel });
                }
                // Of a key that was struck twice the first is let go first.
                Told::Off { key, channel } => {
                    let of = |n: &usize| (notes[*n].key, notes[*n].channel) == (key, channel);
                    if let Some(place) = held.iter().position(of) {
                        let n = held.remove(place);
                        notes[n].lasts = self.seconds(quarter) - notes[n].seconds;
                    }
                }
                Told::Tempo(_) | Told::Metre { .. } => {}
            }
        }
        // What is never let go is held to the end.
        let end = told.last().map_or(0.0, |t| self.seconds(t.0 as f64 / parts));
        held.into_iter().for_each(|n| notes[n].lasts = end - notes[n].seconds);
        notes.sort_by(|a, b| a.seconds.total_cmp(&b.seconds).then(a.key.cmp(&b.key)));
        notes
    }
}

/// Everything that counts here, of all tracks, in order of time.
fn all_told(smf: &Smf) -> Result<Vec<(u64, Told)>, MidiError> {
    let mut all = Vec::new();
    for track in &smf.tracks {
        let mut tick = 0u64;
        for event in track {
            tick += u64::from(event.delta.as_int());
            let told = match event.kind {
                TrackEventKind::Midi { channel, message } => note(channel.as_int(), message),
                TrackEventKind::Meta(MetaMessage::Tempo(us)) => Some(Told::Tempo(us.as_int())),
                TrackEventKind::Meta(MetaMessage::TimeSignature(beats, power, ..)) => {
                    let unit = 1u32.checked_shl(u32::from(power)).filter(|u| *u <= 64 && beats > 0);
                    Some(Told::Metre { beats: u32::from(beats), unit: unit.ok_or(MidiError::Metre)? })
                }
                _ => None,
            };
            if matches!(told, Some(Told::Tempo(0))) {
                return Err(MidiError::NoTempo);
            }
            all.extend(told.map(|t| (tick, t)));
        }
    }
    // Stable: what stands first in a file, or in the first of its tracks, is told first.
    all.sort_by_key(|(tick, _)| *tick);
    Ok(all)
}

fn note(channel: u8, message: MidiMessage) -> Option<Told> {
    match message {
        MidiMessage::NoteOn { key, vel } if vel.as_int() > 0 => {
            Some(Told::On { key: key.as_int(), velocity: vel.as_int(), channel })
        }
        // A note on of velocity 0 lets go, as the specification says.
        MidiMessage::NoteOn { key, .. } | MidiMessage::NoteOff { key, .. } => {
            Some(Told::Off { key: key.as_int(), channel })
        }
        _ => None,
    }
}

fn changes(told: &[(u64, Told)], parts: f64) -> Vec<Change> {
    let bpm = |us: u32| 60e6 / f64::from(us);
    let mut all = vec![Change { quarter: 0.0, seconds: 0.0, bpm: bpm(UNSAID_US), beats: 4, unit: 4 }];
    for (tick, told) in told {
        let last = all[all.len() - 1];
        let quarter = *tick as f64 / parts;
        let mut next = Change { quarter, seconds: last.seconds + (quarter - last.quarter) * 60.0 / last.bpm, ..last };
        match *told {
            Told::Tempo(us) => next.bpm = bpm(us),
            Told::Metre { beats, unit } => (next.beats, next.unit) = (beats, unit),
            Told::On { .. } | Told::Off { .. } => continue,
        }
        if quarter == last.quarter {
            all.pop();
        }
        all.push(next);
    }
    // A change to what was already so is none.
    all.dedup_by(|b, a| (b.bpm, b.beats, b.unit) == (a.bpm, a.beats, a.unit));
    all
}
