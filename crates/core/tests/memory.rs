//! A session measured with what is remembered of it: the same table, and nothing measured twice.

mod common;

use common::{in_turn, rate};
use marea_core::measure::arrival::Table;
use marea_core::measure::table::memory::{Known, Memory};
use marea_core::measure::table::{Heard, measure_session, measure_what_changed};
use marea_core::signal::{MemSource, Placed, ReadError, Source};
use marea_core::track::Role;
use marea_core::units::SessionFrame;
use std::collections::HashMap;
use std::sync::Mutex;

/// A sound with a name of its own.
struct Named(MemSource, Option<&'static [u8]>);

impl Source for Named {
    fn frames(&self) -> i64 {
        self.0.frames()
    }

    fn read(&self, start: i64, out: &mut [f32]) -> Result<(), ReadError> {
        self.0.read(start, out)
    }

    fn identity(&self) -> Option<Vec<u8>> {
        self.1.map(<[u8]>::to_vec)
    }
}

/// Keeps everything, and counts what was measured.
#[derive(Default)]
struct All {
    kept: Mutex<HashMap<Vec<u8>, Known>>,
    measured: Mutex<usize>,
}

impl Memory for All {
    fn find(&self, made_of: &[u8]) -> Option<Known> {
        self.kept.lock().unwrap().get(made_of).cloned()
    }

    fn keep(&self, made_of: Vec<u8>, known: &Known) {
        *self.measured.lock().unwrap() += 1;
        self.kept.lock().unwrap().insert(made_of, known.clone());
    }
}

impl All {
    /// How much was measured since it was asked last.
    fn measured(&self) -> usize {
        std::mem::take(&mut *self.measured.lock().unwrap())
    }
}

struct Session {
    sounds: Vec<Named>,
    starts: Vec<i64>,
    removed: Vec<SessionFrame>,
}

impl Session {
    fn heard(&self) -> Vec<Heard<'_>> {
        let placed = self.sounds.iter().zip(&self.starts);
        placed
            .enumerate()
            .map(|(n, (source, start))| Heard {
                sound: Placed { source, start: SessionFrame(*start) },
                role: if n < 2 { Role::Near } else { Role::Room },
                said: Some(n),
                added: Vec::new(),
                removed: if n == 0 { self.removed.clone() } else { Vec::new() },
            })
            .collect()
    }

    /// With the memory and without it.
    fn both(&self, memory: &All) -> [Table; 2] {
        let with = measure_what_changed(&self.heard(), rate(), memory, &|_| true).unwrap();
        [with, measure_session(&self.heard(), rate(), &|_| true).unwrap()]
    }
}

#[test]
fn what_is_remembered_is_what_would_be_measured() {
    let memory = All::default();
    let near = [
        Named(in_turn(10, [(0, 1.0), (400, 0.05)]), Some(b"first")),
        Named(in_turn(11, [(380, 0.05), (0, 1.0)]), Some(b"second")),
    ];
    let mut session = Session { sounds: near.into(), starts: vec![0, 0], removed: Vec::new() };
    let [with, without] = session.both(&memory);
    assert!(with == without);
    assert_eq!((with.rows.len(), memory.measured()), (2, 4), "two sources in two microphones");
    let [again, without] = session.both(&memory);
    assert!(again == without);
    assert_eq!(memory.measured(), 0, "nothing has changed");

    // A microphone of the room comes: each source in it, and nothing else.
    session.sounds.push(Named(in_turn(12, [(900, 0.3), (700, 0.3)]), Some(b"room")));
    session.starts.push(0);
    let [with, without] = session.both(&memory);
    assert!(with == without);
    assert_eq!(memory.measured(), 2);

    // It is placed elsewhere.
    session.starts[2] = 96;
    let [with, without] = session.both(&memory);
    assert!(with == without);
    assert_eq!(memory.measured(), 2);

    // A hit of the first is not to be used: its row is measured anew, and no other.
    let hit = without_memory(&session).rows[0].hits[2];
    session.removed.push(hit);
    let [with, without] = session.both(&memory);
    assert!(with == without);
    assert_eq!(memory.measured(), 3);

    // Another sound in the place of one: all that has to do with it.
    session.sounds[2] = Named(in_turn(13, [(950, 0.3), (650, 0.3)]), Some(b"another room"));
    let [with, without] = session.both(&memory);
    assert!(with == without);
    assert_eq!(memory.measured(), 2);
}

fn without_memory(session: &Session) -> Table {
    measure_session(&session.heard(), rate(), &|_| true).unwrap()
}

#[test]
fn a_sound_without_a_name_is_never_remembered() {
    let memory = All::default();
    let sounds = vec![
        Named(in_turn(10, [(0, 1.0), (400, 0.05)]), None),
        Named(in_turn(11, [(380, 0.05), (0, 1.0)]), Some(b"second")),
    ];
    let session = Session { sounds, starts: vec![0, 0], removed: Vec::new() };
    let [with, without] = session.both(&memory);
    assert!(with == without);
    assert_eq!(memory.measured(), 1, "the second in itself");
}
