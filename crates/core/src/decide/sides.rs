//! Left and right. A source reaches the nearer half of a pair first; when both halves stand at one place, it is louder in one.

use crate::decide::case::{Case, SourceOf};
use crate::decide::finding::{Answer, Change, Finding, Question, To};
use crate::decide::kind::Kind;
use crate::dsp::stats::median;
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
/// Sources that two pairs must both hear to be compared, and for a solid answer; and pairs that must contradict a third for one.
const FEW: usize = 2;
const SURE: usize = 3;
/// With so many sources what a pair tells is taken about its median.
const CENTRED_FROM: usize = 3;

/// What the pairs hear.
pub struct Sides {
    rows: Vec<Side>,
    /// Pairs that are crossed, left as named first.
    pub swapped: Vec<[usize; 2]>,
    judged: Vec<Crossed>,
    contradicting: Vec<Contradiction>,
}

struct Crossed {
    pair: [usize; 2],
    verdict: Verdict,
    sources: usize,
    by: String,
}

/// Two pairs that hear the stage the other way round from one another, and nothing says which of them is exchanged.
struct Contradiction {
    pairs: [[usize; 2]; 2],
    verdict: Verdict,
    sources: usize,
    /// The source whose place tells them apart best, and whether the first pair hears it on the left.
    asks: Option<(usize, bool)>,
}

impl Sides {
    /// Side of a row's source.
    pub fn of_row(&self, row: usize) -> Side {
        self.rows[row]
    }

    /// One of a pair of which nobody knows whether it is exchanged, or that is.
    pub fn doubtful(&self, track: usize) -> bool {
        let contradicting = self.contradicting.iter().flat_map(|c| &c.pairs);
        self.swapped.iter().chain(contradicting).any(|p| p.contains(&track))
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

/// Correlation (−1 … 1) of what two pairs tell, and the number of sources that both tell. From three sources on both are taken about
/// their medians: where one half of a pair is late, everything moves to one side.
fn likeness(a: &[Option<f64>], b: &[Option<f64>]) -> (f64, usize) {
    let both: Vec<(f64, f64)> = a.iter().zip(b).filter_map(|(x, y)| x.zip(*y)).collect();
    let centre = |of: fn(&(f64, f64)) -> f64| {
        if both.len() < CENTRED_FROM {
            0.0
        } else {
            median(&mut both.iter().map(of).collect::<Vec<f64>>()).unwrap_or(0.0)
        }
    };
    correlation(&both, [centre(|v| v.0), centre(|v| v.1)])
}

/// The same against named sides, which are left or right of the middle already.
fn likeness_to_names(heard: &[Option<f64>], named: &[Option<f64>]) -> (f64, usize) {
    let both: Vec<(f64, f64)> = heard.iter().zip(named).filter_map(|(x, y)| x.zip(*y)).collect();
    correlation(&both, [0.0, 0.0])
}

fn correlation(both: &[(f64, f64)], centre: [f64; 2]) -> (f64, usize) {
    let from_centre = both.iter().map(|(x, y)| (x - centre[0], y - centre[1]));
    let (xy, xx, yy) = from_centre.fold((0.0, 0.0, 0.0), |t, (x, y)| (t.0 + x * y, t.1 + x * x, t.2 + y * y));
    (if xx > 0.0 && yy > 0.0 { xy / (xx * yy).sqrt() } else { 0.0 }, both.len())
}

/// Which pairs are crossed. Sources whose side is named decide when there are any. Otherwise pairs are compared with each other: of
/// three the odd one is crossed; of two that contradict each other nobody can know which, since arrivals do not change by mirroring.
pub fn judge(case: &Case) -> Sides {
    // Two microphones at one source hear that source, and not the stage.
    let at_source = |m: &usize| case.table.rows.iter().any(|r| r.own_mic && r.members.contains(m));
    let all = pairs(case);
    let pairs: Vec<[usize; 2]> = all.iter().copied().filter(|p| !p.iter().any(at_source)).collect();
    let heard: Vec<Vec<Option<f64>>> = pairs.iter().map(|p| hears(case, *p).1).collect();
    let named: Vec<Option<f64>> = case
        .table
        .rows
        .iter()
        .map(|row| match case.tracks[row.home].side {
            Side::Left if !all.iter().flatten().any(|m| *m == row.home) => Some(1.0),
            Side::Right if !all.iter().flatten().any(|m| *m == row.home) => Some(-1.0),
            _ => None,
        })
        .collect();
    let judged: Vec<Crossed> = (0..pairs.len()).filter_map(|i| crossed(case, &pairs, &heard, &named, i)).collect();
    let swapped: Vec<[usize; 2]> = judged.iter().map(|c| c.pair).collect();
    let contradicting = contradictions(case, &pairs, &heard, &named, &swapped);
    let unknown = |p: &[usize; 2]| contradicting.iter().any(|c| c.pairs.contains(p));
    let nearness = |p: &[usize; 2]| nearness(case.tracks[p[0]].role);
    let trusted = pairs
        .iter()
        .zip(&heard)
        .filter(|(p, h)| !swapped.contains(p) && !unknown(p) && h.iter().any(Option::is_some))
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
    Sides { rows, swapped, judged, contradicting }
}

/// Weight of a pair when sources are given a side: nearer to the stage counts more.
fn nearness(role: Role) -> f64 {
    match role {
        Role::Main => 2.0,
        Role::Room => 0.5,
        _ => 1.0,
    }
}

/// Pairs that hear the stage as this one does, and those that hear it the other way round; with what tells of them.
fn opinions(heard: &[Vec<Option<f64>>], i: usize) -> (Vec<usize>, Vec<(usize, f64, usize)>) {
    let (mut with, mut against) = (Vec::new(), Vec::new());
    for k in (0..heard.len()).filter(|k| *k != i) {
        let (like, n) = likeness(&heard[i], &heard[k]);
        match () {
            () if n < FEW || like.abs() < AGREE => {}
            () if like < 0.0 => against.push((k, -like, n)),
            () => with.push(k),
        }
    }
    (with, against)
}

/// Is a pair crossed, by the named sides or else by two other pairs and more?
fn crossed(
    case: &Case,
    pairs: &[[usize; 2]],
    heard: &[Vec<Option<f64>>],
    named: &[Option<f64>],
    i: usize,
) -> Option<Crossed> {
    let pair = pairs[i];
    let (with, against) = opinions(heard, i);
    let (by_name, n) = likeness_to_names(&heard[i], named);
    // One named side is enough to choose between two pairs; to accuse a pair that nothing else contradicts it takes two.
    if n >= if against.is_empty() { FEW } else { 1 } && by_name.abs() > AGREE {
        let verdict = if n >= SURE && by_name < -CLEAR { Verdict::Solid } else { Verdict::Likely };
        let by = "the named sides".to_string();
        return (by_name < 0.0).then_some(Crossed { pair, verdict, sources: n, by });
    }
    // Named sides that speak for another pair settle it there.
    let settled = |k: usize| likeness_to_names(&heard[k], named).1 > 0;
    if against.iter().any(|(k, ..)| settled(*k)) {
        let right = against.iter().filter(|(k, ..)| likeness_to_names(&heard[*k], named).0 > AGREE).count();
        let sources = against.iter().map(|a| a.2).max().unwrap_or(0);
        let by = "a pair that agrees with the named sides".to_string();
        return (right > 0).then_some(Crossed { pair, verdict: Verdict::Likely, sources, by });
    }
    if against.len() <= with.len() + 1 {
        return None;
    }
    let by: Vec<String> = against
        .iter()
        .map(|(k, ..)| format!("{} and {}", case.label(pairs[*k][0]), case.label(pairs[*k][1])))
        .collect();
    let sources = against.iter().map(|a| a.2).max().unwrap_or(0);
    let sure = with.is_empty() && against.len() >= SURE && sources >= SURE && against.iter().any(|a| a.1 > CLEAR);
    let verdict = if sure { Verdict::Solid } else { Verdict::Likely };
    Some(Crossed { pair, verdict, sources, by: by.join(", ") })
}

/// Every two pairs against one another of which none is known to be crossed, where no majority tells.
fn contradictions(
    case: &Case,
    pairs: &[[usize; 2]],
    heard: &[Vec<Option<f64>>],
    named: &[Option<f64>],
    swapped: &[[usize; 2]],
) -> Vec<Contradiction> {
    let mut found = Vec::new();
    let known = |i: usize| swapped.contains(&pairs[i]) || likeness_to_names(&heard[i], named).1 > 0;
    for i in 0..pairs.len() {
        for (k, like, sources) in opinions(heard, i).1.into_iter().filter(|(k, ..)| *k > i) {
            if known(i) || known(k) {
                continue;
            }
            let verdict = if like > CLEAR && sources >= SURE { Verdict::Solid } else { Verdict::Likely };
            let asks = asks(case, &heard[i], &heard[k]);
            found.push(Contradiction { pairs: [pairs[i], pairs[k]], verdict, sources, asks });
        }
    }
    found
}

/// The source with a microphone of its own that lies furthest to one side, and whether the first pair has it on the left.
fn asks(case: &Case, a: &[Option<f64>], b: &[Option<f64>]) -> Option<(usize, bool)> {
    let far = |heard: &[Option<f64>]| {
        let mut all: Vec<f64> = heard.iter().flatten().copied().collect();
        let centre = median(&mut all).unwrap_or(0.0);
        heard.iter().map(|d| d.map(|d| d - centre)).collect::<Vec<Option<f64>>>()
    };
    let (a, b) = (far(a), far(b));
    let rows = (0..case.table.rows.len()).filter(|i| case.table.rows[*i].own_mic);
    let told = rows.filter_map(|i| Some((i, a[i]?, b[i]?))).filter(|(_, a, b)| a * b < 0.0);
    told.max_by(|x, y| (x.1 * x.2).abs().total_cmp(&(y.1 * y.2).abs())).map(|(i, a, _)| (i, a > 0.0))
}

/// Findings about sides.
pub fn findings(case: &Case, sides: &Sides, sources: &[SourceOf]) -> Vec<Finding> {
    let crossed = sides.judged.iter().map(|c| {
        let [l, r] = c.pair;
        let text = format!(
            "{} and {} have changed places: {} sources reach the other half first, compared with {}.",
            case.label(l),
            case.label(r),
            c.sources,
            c.by
        );
        let swap = |of: usize, side: Side| Change { of, to: To::Side(side) };
        Finding::of_tracks(Kind::PairSwapped, [l, r], text)
            .verdict(c.verdict)
            .hits(c.sources)
            .advice("Exchange left and right.")
            .changes(vec![swap(l, Side::Right), swap(r, Side::Left)], Vec::new())
    });
    crossed.chain(sides.contradicting.iter().map(|c| contradict(case, c, sources))).collect()
}

fn contradict(case: &Case, c: &Contradiction, sources: &[SourceOf]) -> Finding {
    let called = |[l, r]: [usize; 2]| format!("{} and {}", case.label(l), case.label(r));
    let [first, second] = c.pairs.map(called);
    let text = format!(
        "{first} hear the stage the other way round from {second}, on {} sources. One of the two pairs is exchanged; the sound cannot tell which.",
        c.sources
    );
    let question = c.asks.map(|(row, first_left)| {
        let answer = |side: Side| {
            let first_right = (side == Side::Left) != first_left;
            let then = format!("Then {} are exchanged.", if first_right { &first } else { &second });
            let changes = vec![Change { of: case.table.rows[row].home, to: To::Side(side) }];
            Answer { text: side.word().into(), then, changes }
        };
        let text = format!("Where does {} stand, seen from the audience?", sources[row].name);
        Question { text, answers: [Side::Left, Side::Right].map(answer).into() }
    });
    let tracks: Vec<usize> = c.pairs.iter().flatten().copied().collect();
    Finding::of_tracks(Kind::PairsContradict, tracks, text)
        .verdict(c.verdict)
        .hits(c.sources)
        .advice("The place of one source settles it.")
        .asking(question)
}
