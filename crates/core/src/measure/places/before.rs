//! What was found before some cells changed, as the beginning of a further search.

use crate::measure::places::problem::Problem;
use crate::measure::places::search::Begin;
use crate::measure::stage::Found;

impl Problem {
    /// Places and free latencies of an earlier search, for the sources and microphones there are now. A source that had no place then
    /// begins where its own microphone was found. None when a microphone or a source known then is missing on the other side.
    pub fn begun_from(&self, before: &Found) -> Option<Begin> {
        let then: Vec<Option<usize>> =
            self.used.iter().map(|r| before.used.iter().position(|known| known == r)).collect();
        let mics: Vec<usize> =
            self.mics.iter().map(|m| before.mics.iter().position(|known| known == m)).collect::<Option<_>>()?;
        let kept = then.iter().flatten().count();
        if kept < before.used.len() || mics.len() != before.mics.len() || before.x.len() < before.len() {
            return None;
        }
        let old = |at: usize| [0, 1, 2].map(|axis| before.x[at + axis]);
        // Hand's-breadth offsets from the sources, for microphones that had none.
        let mut x = self.turned(0);
        x[self.habit()] = before.x[before.habit()];
        let mut put = |at: usize, place: [f64; 3]| x[at..at + 3].copy_from_slice(&place);
        for (row, then) in then.iter().enumerate() {
            if let Some(then) = then {
                put(self.source(row), old(before.source(*then)));
            }
        }
        for (i, &was) in mics.iter().enumerate() {
            // As before: from its source, or in the room.
            if self.near[i].is_none_or(|row| then[row].is_some()) {
                put(self.mic(i), old(before.mic(was)));
            }
        }
        for (row, _) in then.iter().enumerate().filter(|(_, then)| then.is_none()) {
            let home = self.arrivals.iter().find(|a| a.row == row)?.home;
            let there = old(before.mic(mics[home]));
            let off = [0, 1, 2].map(|axis| x[self.mic(home) + axis]);
            (0..3).for_each(|axis| x[self.source(row) + axis] = there[axis] - off[axis]);
        }
        (0..mics.len()).for_each(|i| x[self.late(i)] = before.x[before.late(mics[i])]);
        Some((x, mics.iter().map(|i| before.loose[*i]).collect()))
    }
}

impl Found {
    fn source(&self, row: usize) -> usize {
        row * 3
    }

    fn mic(&self, i: usize) -> usize {
        (self.used.len() + i) * 3
    }

    fn habit(&self) -> usize {
        self.mic(self.mics.len())
    }

    fn late(&self, i: usize) -> usize {
        self.habit() + 1 + i
    }

    fn len(&self) -> usize {
        self.late(self.mics.len())
    }
}
