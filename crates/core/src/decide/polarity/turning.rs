//! Microphones whose phase turns with frequency: everything's lows arrive one way up, everything's attack the other.
//!
//! A place on the other side of a source opposes lows and attack of that source together, and of no other. A phase that turns opposes
//! lows against attack.

use super::shared::{Part, likeness, lows};
use crate::decide::case::Case;
use crate::dsp::bands::LOWS_MATTER;
use crate::measure::arrival::Row;
use crate::track::Role;
use crate::verdict::Verdict;

/// Two microphones share the lows of a source from this likeness on.
const SHARED: f64 = 0.3;
/// The same for two at one source.
const SHARED_AT_ONE: f64 = 0.4;
/// Votes that say something.
const SAYS: f64 = 0.3;

/// Other sources, and what their lows must say together, where no second microphone at the source bears it out: metres away the lows
/// are the room's, so that one that is heard clearly must be among them.
const MANY: usize = 3;
const MANY_SAY: f64 = 1.0;

/// What the lows say of a microphone, given the signs of the attacks.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct LowVotes {
    /// Of other sources, in favour: their lows arrive the same way up as their attacks.
    pub agree: f64,
    /// And against.
    pub oppose: f64,
    /// Of its own source, −1 … 1.
    pub own: f64,
    /// The same, of sources that it hears clearly alone.
    pub sure: f64,
    /// Other sources that have lows in it.
    pub sources: usize,
}

/// Counts the lows of a microphone. `signs` of the attacks, `rows` by owner.
pub fn votes(case: &Case, signs: &[i8], own: &[usize], m: usize) -> LowVotes {
    let mut v = LowVotes::default();
    for (i, row) in case.table.rows.iter().enumerate() {
        if lows(row, row.home) < LOWS_MATTER {
            continue;
        }
        let Some(mean) = mean(case, row, signs, m) else { continue };
        if own.contains(&i) {
            v.own = mean;
        } else {
            v.sources += 1;
            v.agree += mean.max(0.0);
            v.oppose += (-mean).max(0.0);
            let solid = row.cells[m].verdict == Verdict::Solid;
            v.sure += if solid { (-mean).max(0.0) } else { 0.0 };
        }
    }
    v
}

fn mean(case: &Case, row: &Row, signs: &[i8], m: usize) -> Option<f64> {
    let others = (0..case.tracks.len()).filter(|x| *x != m && in_air_near(case, *x));
    let each: Vec<f64> = others
        .filter_map(|x| likeness(row, [m, x], Part::Lows).filter(|l| l.abs() >= SHARED).map(|l| (x, l)))
        .map(|(x, l)| f64::from(signs[m] * signs[x]) * l)
        .collect();
    (!each.is_empty()).then(|| each.iter().sum::<f64>() / each.len() as f64)
}

/// Rooms answer at the lows as a whole: they say nothing of a phase.
fn in_air_near(case: &Case, m: usize) -> bool {
    !matches!(case.tracks[m].role, Role::Room | Role::Direct)
}

/// How surely a microphone's phase turns.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Turning {
    /// Its own source shows it beside another microphone there, by track.
    Beside(usize),
    /// Other sources make it likely.
    Likely,
}

/// Does its phase turn? Without another microphone at its source it takes many others.
pub fn turning(case: &Case, v: &LowVotes, own: &[usize], m: usize) -> Option<Turning> {
    if !in_air_near(case, m) {
        return None;
    }
    let may = v.own <= -SAYS && v.agree <= v.oppose + SAYS;
    let beside = own.iter().find_map(|i| {
        let row = &case.table.rows[*i];
        row.members.iter().copied().filter(|x| *x != m && in_air_near(case, *x)).find(|x| opposed_above(row, [m, *x]))
    });
    match beside.filter(|_| may) {
        Some(other) => Some(Turning::Beside(other)),
        None => {
            let many = v.sources >= MANY && v.oppose >= MANY_SAY && v.oppose > 3.0 * v.agree;
            (many && v.sure >= SAYS).then_some(Turning::Likely)
        }
    }
}

/// Lows one way up, what lies above the other.
fn opposed_above(row: &Row, pair: [usize; 2]) -> bool {
    let of = |part| likeness(row, pair, part).unwrap_or(0.0);
    let (low, high, higher) = (of(Part::Lows), of(Part::Highs), of(Part::VeryHighs));
    let above = if high.abs() >= higher.abs() { high } else { higher };
    low.abs() >= SHARED_AT_ONE && above.abs() >= SAYS && low * above < 0.0
}
