//! Standard MIDI Files by their bytes (*Standard MIDI Files 1.0*, MIDI Manufacturers Association; written out from memory of it).

use marea_core::notes::midi::{MapError, MidiError, Score};
use proptest::prelude::*;

/// A header chunk: format, number of tracks, division.
fn header(format: u16, tracks: u16, division: u16) -> Vec<u8> {
    let mut bytes = b"MThd\x00\x00\x00\x06".to_vec();
    [format, tracks, division].iter().for_each(|v| bytes.extend(v.to_be_bytes()));
    bytes
}

fn track(events: &[u8]) -> Vec<u8> {
    let mut bytes = b"MTrk".to_vec();
    bytes.extend(u32::try_from(events.len() + 4).unwrap().to_be_bytes());
    bytes.extend(events);
    bytes.extend([0x00, 0xFF, 0x2F, 0x00]);
    bytes
}

fn file(format: u16, division: u16, tracks: &[&[u8]]) -> Vec<u8> {
    let mut bytes = header(format, u16::try_from(tracks.len()).unwrap(), division);
    tracks.iter().for_each(|t| bytes.extend(track(t)));
    bytes
}

/// Key, beginning in quarters and in seconds, length in seconds.
fn told(score: &Score) -> Vec<(u8, f64, f64, f64)> {
    score.notes.iter().map(|n| (n.key, n.quarter, n.seconds, n.lasts)).collect()
}

#[test]
fn format_0_with_running_status_and_note_ons_that_let_go() {
    // 96 a quarter. C4 for a quarter, then E4 for two: one status byte for all four events.
    let events = [0x00, 0x90, 60, 100, 0x60, 60, 0, 0x00, 64, 90, 0x81, 0x40, 64, 0];
    let score = Score::read(&file(0, 96, &[&events])).unwrap();
    assert_eq!(told(&score), [(60, 0.0, 0.0, 0.5), (64, 1.0, 0.5, 1.0)]);
    assert_eq!((score.changes.len(), score.changes[0].bpm, score.changes[0].beats), (1, 120.0, 4));
}

#[test]
fn format_1_with_changes_of_tempo_and_metre_in_a_track_of_their_own() {
    // 480 a quarter: 100 a minute in three-four, from quarter 6 on 50 a minute in six-eight.
    let map = [
        0x00, 0xFF, 0x51, 0x03, 0x09, 0x27, 0xC0, 0x00, 0xFF, 0x58, 0x04, 3, 2, 24, 8, 0x96, 0x40, 0xFF, 0x51, 0x03,
        0x12, 0x4F, 0x80, 0x00, 0xFF, 0x58, 0x04, 6, 3, 24, 8,
    ];
    // A note at quarter 5 that lasts two quarters, over the change.
    let notes = [0x92, 0x60, 0x91, 72, 64, 0x87, 0x40, 0x81, 72, 0];
    let score = Score::read(&file(1, 480, &[&map, &notes])).unwrap();
    let changes: Vec<_> = score.changes.iter().map(|c| (c.quarter, c.bpm, c.beats, c.unit)).collect();
    assert_eq!(changes, [(0.0, 100.0, 3, 4), (6.0, 50.0, 6, 8)]);
    let [(key, quarter, seconds, lasts)] = told(&score)[..] else { panic!("one note") };
    assert_eq!((key, quarter), (72, 5.0));
    assert!((seconds - 3.0).abs() < 1e-9 && (lasts - 1.8).abs() < 1e-9, "{seconds} {lasts}");
    let map = score.map(48_000.0).unwrap();
    assert!((map.beats(48_000.0).frame_of(7.0) - 48_000.0 * (1.0 + 3.6 + 1.2)).abs() < 1e-6);
}

#[test]
fn notes_of_no_length_notes_never_let_go_and_keys_struck_twice() {
    let events = [
        0x00, 0x90, 60, 100, 0x00, 0x80, 60, 0, // no length
        0x60, 0x90, 62, 100, 0x60, 0x90, 62, 90, 0x60, 0x80, 62, 0, // struck twice, let go once
    ];
    let score = Score::read(&file(0, 96, &[&events])).unwrap();
    assert_eq!(told(&score), [(60, 0.0, 0.0, 0.0), (62, 1.0, 0.5, 1.0), (62, 2.0, 1.0, 0.5)]);
}

#[test]
fn what_cannot_be_used_is_told() {
    let note = [0x00, 0x90, 60, 100];
    let with = |meta: &[u8]| [meta, &note[..]].concat();
    let damaged = |bytes: &[u8]| matches!(Score::read(bytes), Err(MidiError::Damaged(_)));
    assert!(damaged(b"") && damaged(b"RIFF\x00\x00\x00\x00WAVE") && damaged(&file(0, 96, &[&note])[..20]));
    assert_eq!(Score::read(&file(0, 96, &[&[]])), Err(MidiError::NoNotes));
    assert_eq!(Score::read(&file(2, 96, &[&note])), Err(MidiError::Sequential));
    assert_eq!(Score::read(&file(0, 0xE7_28, &[&note])), Err(MidiError::Timecode));
    assert_eq!(Score::read(&file(0, 0, &[&note])), Err(MidiError::NoParts));
    let still = with(&[0x00, 0xFF, 0x51, 0x03, 0, 0, 0]);
    assert_eq!(Score::read(&file(0, 96, &[&still])), Err(MidiError::NoTempo));
    let no_beats = with(&[0x00, 0xFF, 0x58, 0x04, 0, 2, 24, 8]);
    assert_eq!(Score::read(&file(0, 96, &[&no_beats])), Err(MidiError::Metre));
}

#[test]
fn a_map_that_a_session_cannot_hold_is_told() {
    let note = [0x00, 0x90, 60, 100];
    let seven_eight = [&[0x00, 0xFF, 0x58, 0x04, 7, 3, 24, 8], &note[..]].concat();
    assert_eq!(Score::read(&file(0, 96, &[&seven_eight])).unwrap().map(0.0), Err(MapError::Bars));
    let between = [&[0x30, 0xFF, 0x51, 0x03, 0x09, 0x27, 0xC0], &note[..]].concat();
    assert_eq!(Score::read(&file(0, 96, &[&between])).unwrap().map(0.0), Err(MapError::Between));
    let fast = [&[0x00, 0xFF, 0x51, 0x03, 0x00, 0x00, 0x01], &note[..]].concat();
    assert!(matches!(Score::read(&file(0, 96, &[&fast])).unwrap().map(0.0), Err(MapError::Tempo(_))));
}

proptest! {
    #[test]
    fn any_bytes_are_read_or_refused(bytes in proptest::collection::vec(any::<u8>(), 0..200)) {
        let _ = Score::read(&[header(1, 2, 96), b"MTrk\x00\x00\x00\x64".to_vec(), bytes].concat());
    }
}
