//! Left and right. A source reaches the nearer half of a pair first; when both halves stand at one place, it is louder in one.

use crate::decide::case::Case;
use crate::decide::finding::{Change, Finding, To};
use crate::decide::kind::Kind;
use crate::measure::arrival::Row;
use crate::track::{Role, Side};
use crate::units::db_of_power;
use crate::verdict::Verdict;
use serde::{Deserialize, Serialize};

/// When the arrivals of every source differ by less than this, in seconds, the pair's sides are told by level.
const SPACED_S: f64 = 0.000_12;
/// Level difference that tells a side, in dB.
const LEVEL_DB: f64 = 1.5;
/// Sources whose arrivals differ by at most so many frames are in the centre.
const MIDDLE_FRAMES: f64 = 2.0;
/// Correlation of two pairs from which they agree; below its negative they disagree.
const AGREE: f64 = 0.4;
/// Correlation from which the answer is solid.
const CLEAR: f64 = 0.7;

/// What the pairs hear.
pub struct Sides {
    rows: Vec<Side>,
    /// Pairs that are crossed, left as named first.
    pub swapped: Vec<[usize; 2]>,
    judged: Vec<Crossed>,
}

struct Crossed {
    pair: [usize; 2],
    verdict: Verdict,
    sources: usize,
    by: String,
    unsure: bool,
}

impl Sides {
    /// Side of a row's source.
    pub fn of_row(&self, row: usize) -> Side {
        self.rows[row]
    }
}

/// Left and right halves of every set that has both.
pub fn pairs(case: &Case) -> Vec<[usize; 2]> {
    let mut sets: Vec<usize> = case.tracks.iter().filter_map(|t| t.set).collect();
    sets.sort_unstable();
    sets.dedup();
    let half = |set: usize, side: Side| {
        let mut of =
            (0..case.tracks.len()).filter(|m| case.tracks[*m].set == Some(set) && case.tracks[*m].side == side);
        of.next().filter(|_| of.next().is_none())
    };
    sets.into_iter().filter_map(|s| Some([half(s, Side::Left)?, half(s, Side::Right)?])).collect()
}

/// By what a pair tells sides.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Tells {
    /// Which half hears a source first.
    Arrival,
    /// Which half hears it louder.
    Level,
}

/// Where a pair hears every source.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PairSides {
    /// Tracks that are named left and right.
    pub pair: [usize; 2],
    /// By what; none when it can tell nothing.
    pub by: Option<Tells>,
    /// How far to the left, a row each: milliseconds by which the left half hears it first, or dB by which it hears it
    /// louder; none where it cannot tell.
    pub left: Vec<Option<f64>>,
    /// The side that this is, a row each.
    pub sides: Vec<Side>,
}

/// Where every pair hears every source, for people to compare.
pub(super) fn heard(case: &Case) -> Vec<PairSides> {
    pairs(case)
        .into_iter()
        .map(|pair| {
            let (by, found) = hears(case, pair);
            let middle = match by {
                Some(Tells::Level) => LEVEL_DB / 2.0,
                _ => MIDDLE_FRAMES,
            };
            let sides = found
                .iter()
                .map(|d| match d {
                    None => Side::None,
                    Some(d) if d.abs() <= middle => Side::Centre,
                    Some(d) if *d > 0.0 => Side::Left,
                    Some(_) => Side::Right,
                })
                .collect();
            let told = |d: f64| if by == Some(Tells::Level) { d } else { case.ms(d) };
            PairSides { pair, by, left: found.into_iter().map(|d| d.map(told)).collect(), sides }
        })
        .collect()
}

/// How far to the left a pair hears each source: by arrival in frames or by level in dB; none where it cannot tell.
fn hears(case: &Case, [l, r]: [usize; 2]) -> (Option<Tells>, Vec<Option<f64>>) {
    let known = |row: &Row| row.cells[l].lag_frames.zip(row.cells[r].lag_frames);
    let arrivals: Vec<Option<f64>> = case.table.rows.iter().map(|row| known(row).map(|(a, b)| b - a)).collect();
    let spaced = SPACED_S * case.rate_hz;
    if arrivals.iter().flatten().any(|d| d.abs() > spaced) {
        return (Some(Tells::Arrival), arrivals);
    }
    let level = |row: &Row, m: usize| -> f64 {
        row.cells[m].bands.iter().zip(&row.power).map(|(h, p)| f64::from((h.re * h.re + h.im * h.im) * p)).sum()
    };
    let by_level = |row: &Row| {
        known(row)?;
        let (a, b) = (level(row, l), level(row, r));
        (a > 0.0 && b > 0.0).then(|| db_of_power(a / b))
    };
    let levels: Vec<Option<f64>> = case.table.rows.iter().map(by_level).collect();
    if levels.iter().flatten().any(|d| d.abs() > LEVEL_DB) {
        (Some(Tells::Level), levels)
    } else {
        (None, vec![None; levels.len()])
    }
}

/// Correlation (−1 … 1) of what two pairs tell, and the number of sources that both tell.
fn likeness(a: &[Option<f64>], b: &[Option<f64>]) -> (f64, usize) {
    let both: Vec<(f64, f64)> = a.iter().zip(b).filter_map(|(x, y)| x.zip(*y)).collect();
    let (xy, xx, yy) = both.iter().fold((0.0, 0.0, 0.0), |t, (x, y)| (t.0 + x * y, t.1 + x * x, t.2 + y * y));
    (if xx > 0.0 && yy > 0.0 { xy / (xx * yy).sqrt() } else { 0.0 }, both.len())
}

/// Which pairs are crossed. Sources whose side is named decide when there are any. Otherwise pairs are compared with each other, and
/// of two that disagree the one nearer the stage is believed.
pub fn judge(case: &Case) -> Sides {
    let pairs = pairs(case);
    let heard: Vec<Vec<Option<f64>>> = pairs.iter().map(|p| hears(case, *p).1).collect();
    let named: Vec<Option<f64>> = case
        .table
        .rows
        .iter()
        .map(|row| match case.tracks[row.home].side {
            Side::Left if !pairs.iter().flatten().any(|m| *m == row.home) => Some(1.0),
            Side::Right if !pairs.iter().flatten().any(|m| *m == row.home) => Some(-1.0),
            _ => None,
        })
        .collect();
    let nearness = |p: &[usize; 2]| nearness(case.tracks[p[0]].role);
    let crossed: Vec<Crossed> = (0..pairs.len()).filter_map(|i| crossed(case, &pairs, &heard, &named, i)).collect();
    let swapped: Vec<[usize; 2]> = crossed.iter().filter(|c| c.verdict > Verdict::Undecided).map(|c| c.pair).collect();
    let trusted = pairs
        .iter()
        .zip(&heard)
        .filter(|(p, h)| !swapped.contains(p) && h.iter().any(Option::is_some))
        .max_by(|a, b| nearness(a.0).total_cmp(&nearness(b.0)))
        .map(|(_, h)| h);
    let rows = (0..case.table.rows.len())
        .map(|i| match (named[i], trusted.and_then(|h| h[i])) {
            (Some(s), _) if s > 0.0 => Side::Left,
            (Some(_), _) => Side::Right,
            (None, Some(s)) if s.abs() <= MIDDLE_FRAMES => Side::Centre,
            (None, Some(s)) if s > 0.0 => Side::Left,
            (None, Some(_)) => Side::Right,
            (None, None) => Side::None,
        })
        .collect();
    Sides { rows, swapped, judged: crossed }
}

/// Weight of a pair: nearer to the stage counts more.
fn nearness(role: Role) -> f64 {
    match role {
        Role::Main => 2.0,
        Role::Room => 0.5,
        _ => 1.0,
    }
}

/// Is a pair crossed, by the named sides or else by the other pairs?
fn crossed(
    case: &Case,
    pairs: &[[usize; 2]],
    heard: &[Vec<Option<f64>>],
    named: &[Option<f64>],
    i: usize,
) -> Option<Crossed> {
    let pair = pairs[i];
    let (by_name, n) = likeness(&heard[i], named);
    if n >= 2 && by_name.abs() > AGREE {
        let verdict = if n >= 3 && by_name < -CLEAR { Verdict::Solid } else { Verdict::Likely };
        let by = "the named sides".to_string();
        return (by_name < 0.0).then_some(Crossed { pair, verdict, sources: n, by, unsure: false });
    }
    let counts = |p: &[usize; 2]| nearness(case.tracks[p[0]].role);
    let (mut for_it, mut against, mut clear, mut sources) = (counts(&pair), 0.0, 0.0f64, 0);
    let mut by = Vec::new();
    for (k, other) in pairs.iter().enumerate().filter(|(k, _)| *k != i) {
        let (like, n) = likeness(&heard[i], &heard[k]);
        if n < 2 || like.abs() < AGREE {
            continue;
        }
        if like < 0.0 {
            against += counts(other);
            clear = clear.max(-like);
            sources = sources.max(n);
            by.push(format!("{} and {}", case.label(other[0]), case.label(other[1])));
        } else {
            for_it += counts(other);
        }
    }
    if against <= 0.0 || against < for_it {
        return None;
    }
    // Two pairs of equal weight disagree: one is crossed, and nothing says which.
    let unsure = against == for_it;
    let verdict = match (unsure, clear > CLEAR && sources >= 3) {
        (true, _) => Verdict::Undecided,
        (false, true) => Verdict::Solid,
        (false, false) => Verdict::Likely,
    };
    Some(Crossed { pair, verdict, sources, by: by.join(", "), unsure })
}

/// Findings about sides.
pub fn findings(case: &Case, sides: &Sides) -> Vec<Finding> {
    sides
        .judged
        .iter()
        .map(|c| {
            let [l, r] = c.pair;
            let text = format!(
                "{} and {} have changed places: {} sources reach the other half first, compared with {}.",
                case.label(l),
                case.label(r),
                c.sources,
                c.by
            );
            if c.unsure {
                return Finding::of_tracks(Kind::Undecided, [l, r], text)
                    .verdict(c.verdict)
                    .hits(c.sources)
                    .advice("One of the two pairs is crossed; a named side of one source would tell which.");
            }
            let swap = |of: usize, side: Side| Change { of, to: To::Side(side) };
            Finding::of_tracks(Kind::PairSwapped, [l, r], text)
                .verdict(c.verdict)
                .hits(c.sources)
                .advice("Exchange left and right.")
                .changes(vec![swap(l, Side::Right), swap(r, Side::Left)], Vec::new())
        })
        .collect()
}
