//! Tells a microphone that is wired inverted from one that stands on the opposite side of its source.
//!
//! A microphone that is wired inverted hears *every* source inverted. One that stands on the opposite side hears only its
//! own source inverted. The bleed of the other sources tells the two apart.

use crate::decide::case::{Case, SourceOf};
use crate::decide::cost::{cost_of, effects_of};
use crate::decide::finding::{Change, Finding, To};
use crate::decide::kind::Kind;
use crate::decide::signs::{Link, Solution, solve};
use crate::decide::words::other_takes;
use crate::track::Role;
use crate::verdict::Verdict;

/// Weight of a likely sign; a solid one counts 1.
const LIKELY_SIGN_COUNTS: f64 = 0.25;

/// Weight of a sign on a source whose own microphones hear it with both signs (a drum pushes on one side and pulls on the other),
/// for room microphones, which mostly stand in front, and for microphones at other sources, which may stand on either side.
const TWO_SIDED_COUNTS: f64 = 0.5;
const TWO_SIDED_NEAR_COUNTS: f64 = 0.1;
/// The same for a microphone at that source itself: three likely signs of other sources outweigh it, two do not.
const OWN_TWO_SIDED_COUNTS: f64 = 0.6;

/// Weight of a main microphone's sign against that of another microphone.
const MAIN_COUNTS: f64 = 2.0;

/// One microphone.
#[derive(Debug, Clone, Default)]
struct Mic {
    wired: bool,
    opposed: bool,
    verdict: Option<Verdict>,
    /// Other sources whose signs agree with the answer, and those that contradict it.
    for_it: usize,
    against: usize,
    hits: usize,
    /// Only its own source was measured: wiring and placement look alike.
    either: bool,
    /// Its own source is heard clearly, by it or by others: enough to report an opposed arrival.
    clearly: bool,
    /// On its own source the whitened sign and the sign of the lows differ.
    turns: bool,
}

/// All of them.
pub struct Judged {
    mics: Vec<Mic>,
    rows: Vec<i8>,
}

impl Judged {
    /// Sign of a row's home on its own source.
    pub fn row(&self, i: usize) -> i8 {
        self.rows[i]
    }

    /// Wired inverted.
    pub fn wired(&self, m: usize) -> bool {
        self.mics[m].wired && self.mics[m].verdict.is_some_and(|v| v > Verdict::Undecided)
    }

    /// To be inverted for its own source and for the whole.
    pub fn inverted(&self, m: usize) -> bool {
        let mic = &self.mics[m];
        mic.wired != mic.opposed && mic.verdict.is_some_and(|v| v > Verdict::Undecided)
    }

    /// In a few words.
    pub fn why(&self, m: usize) -> &'static str {
        let mic = &self.mics[m];
        match (mic.wired, mic.opposed, mic.either) {
            (_, _, true) => "opposed to its neighbour",
            (true, false, _) => "wired inverted",
            (false, true, _) => "opposed by placement",
            _ => "as it is",
        }
    }

    /// How sure; solid where nothing speaks against it.
    pub fn verdict(&self, m: usize) -> Verdict {
        self.mics[m].verdict.unwrap_or(Verdict::Solid)
    }
}

/// The signs of all arrivals in air with their weights, assuming this wiring of the microphones.
fn links_of(case: &Case, wired: &[i8]) -> Vec<Link> {
    let in_air = |m: usize| case.tracks[m].role != Role::Direct;
    let mut links = Vec::new();
    for (row, r) in case.table.rows.iter().enumerate().filter(|(_, r)| in_air(r.home)) {
        let of_members = |sign: i8| r.members.iter().any(|m| in_air(*m) && r.cells[*m].sign * wired[*m] == sign);
        let two_sided = of_members(1) && of_members(-1);
        for (mic, cell) in r.cells.iter().enumerate().filter(|(mic, cell)| cell.sign != 0 && in_air(*mic)) {
            // Takes played at different times were never in the air together.
            if other_takes(&case.tracks[mic].source, &case.tracks[r.home].source) {
                continue;
            }
            let sure = if cell.verdict == Verdict::Solid { 1.0 } else { LIKELY_SIGN_COUNTS };
            // A source that is heard with both signs counts as upright from the side it is meant to be heard from.
            let weight = match case.tracks[mic].role {
                Role::Main => sure * MAIN_COUNTS,
                role if two_sided && !r.members.contains(&mic) => {
                    sure * if role == Role::Room { TWO_SIDED_COUNTS } else { TWO_SIDED_NEAR_COUNTS }
                }
                // Its own source is heard with both signs: its sign may come from the microphone's place as well as from its wiring.
                _ if two_sided => sure * OWN_TWO_SIDED_COUNTS,
                _ => sure,
            };
            links.push(Link { row, mic, sign: cell.sign, weight });
        }
    }
    links
}

/// Judges all microphones. Pickups are left out: what they hear is not sound in air.
pub fn judge(case: &Case) -> Judged {
    let (rows, n) = (case.table.rows.len(), case.tracks.len());
    let anchor = case.tracks.iter().position(|t| t.anchor);
    let first = solve(rows, n, &links_of(case, &vec![1; n]), anchor);
    // Solved twice: a microphone that is wired inverted makes its own source look as if it had both signs.
    let links = links_of(case, &first.mics);
    let s = solve(rows, n, &links, anchor);
    let mics = (0..n).map(|m| microphone(case, &links, &s, m)).collect();
    Judged { mics, rows: s.rows }
}

/// What the signs say of one microphone.
fn microphone(case: &Case, links: &[Link], s: &Solution, m: usize) -> Mic {
    let own: Vec<usize> = case.own_rows(m).collect();
    let mine: Vec<&Link> = links.iter().filter(|l| l.mic == m).collect();
    let agrees = |l: &Link| l.sign * s.mics[l.mic] * s.rows[l.row] > 0;
    let telling = |l: &&&Link| !own.contains(&l.row) && l.weight > TWO_SIDED_NEAR_COUNTS;
    let others: Vec<&&Link> = mine.iter().filter(telling).collect();
    let sure = |l: &Link| case.table.rows[l.row].cells[l.mic].verdict == Verdict::Solid;
    let count = |agree: bool| others.iter().filter(|l| sure(l) && agrees(l) == agree).count();
    let (for_it, against) = (count(true), count(false));
    let weak_for = others.iter().filter(|l| agrees(l)).map(|l| l.weight).sum::<f64>();
    let weak_against = others.iter().filter(|l| !agrees(l)).map(|l| l.weight).sum::<f64>();
    let wired = s.mics[m] < 0;
    // Only its own source contradicts the answer.
    let own_against = mine.iter().any(|l| own.contains(&l.row) && !agrees(l));
    let hits = mine.iter().map(|l| case.table.rows[l.row].cells[m].hits).sum();
    // All other microphones that hear its own source clearly agree with the answer.
    let of_own: Vec<&Link> = links.iter().filter(|l| case.table.rows[l.row].home == m && l.mic != m).collect();
    let own_voice = of_own.iter().filter(|l| sure(l)).count() >= 2 && of_own.iter().all(|l| agrees(l));
    let all_agree = others.iter().all(|l| agrees(l));
    let of_one_voice = own_voice && for_it >= 1 && others.len() >= 3 && all_agree;
    // Its own source, heard clearly, confirms what the other sources only make likely.
    let own_agrees =
        mine.iter().any(|l| case.table.rows[l.row].home != m && own.contains(&l.row) && sure(l) && agrees(l));
    // The only microphone at a source cannot stand on the opposite side from another one there.
    let alone = case.table.rows.iter().any(|r| r.home == m && r.members.len() == 1);
    let needed = if alone && own_voice && of_own.iter().filter(|l| sure(l)).count() >= 3 { 1 } else { 2 };
    let borne_out = (own_voice || own_agrees) && others.len() >= needed && all_agree;
    let verdict = if (for_it >= 2 && against * 3 <= for_it) || of_one_voice {
        Verdict::Solid
    } else if borne_out || (for_it >= 1 || weak_for >= 3.0 * LIKELY_SIGN_COUNTS) && weak_for > 2.0 * weak_against {
        Verdict::Likely
    } else {
        Verdict::Undecided
    };
    let there = |l: &&Link| own.contains(&l.row) && case.table.rows[l.row].home != m;
    let clearly = mine.iter().copied().filter(there).chain(of_own.iter().copied()).any(&sure);
    let turns = own.iter().any(|i| {
        let c = &case.table.rows[*i].cells[m];
        c.verdict == Verdict::Solid && c.sign * c.low_sign < 0 && case.table.rows[*i].home != m
    });
    Mic {
        wired,
        opposed: own_against,
        verdict: (!mine.is_empty()).then_some(verdict),
        for_it: others.iter().filter(|l| agrees(l)).count(),
        against: others.iter().filter(|l| !agrees(l)).count(),
        hits,
        either: others.is_empty(),
        clearly,
        turns,
    }
}

/// Findings about polarity.
pub fn findings(case: &Case, judged: &Judged, sources: &[SourceOf]) -> Vec<Finding> {
    let each = judged.mics.iter().enumerate();
    each.flat_map(|(m, mic)| [phase_turns(case, m, mic, sources), opposed(case, m, mic, sources)]).flatten().collect()
}

/// Attack and lows of its own source do not arrive alike.
fn phase_turns(case: &Case, m: usize, mic: &Mic, sources: &[SourceOf]) -> Option<Finding> {
    let i = case.own_rows(m).next().filter(|_| mic.turns)?;
    let row = &case.table.rows[i];
    let way = |sign: i8| if sign < 0 { "inverted" } else { "upright" };
    let text = format!(
        "On {} the phase between {} and {} turns with frequency: the attack arrives {} while the lows are {}.",
        sources[i].name,
        case.label(m),
        case.label(row.home),
        way(row.cells[m].sign),
        way(row.cells[m].low_sign),
    );
    let finding = Finding::of_tracks(Kind::PhaseTurns, [m, row.home], text).on_source(i).hits(row.cells[m].hits);
    Some(finding.advice("Listen to both polarities; the lows decide what the sum weighs."))
}

/// Opposed to the others, to its own source, or to one of the two.
fn opposed(case: &Case, m: usize, mic: &Mic, sources: &[SourceOf]) -> Option<Finding> {
    let own = case.own_rows(m).next();
    // Inverted on purpose for the sake of its own source: that the others arrive inverted now is expected.
    let on_purpose = mic.wired && mic.opposed && case.tracks[m].edit.invert;
    let told = (mic.wired || mic.opposed) && !on_purpose;
    let verdict = mic.verdict.filter(|_| told)?;
    let finding = if mic.either || verdict == Verdict::Undecided {
        // Reported only when its own source is heard clearly.
        untold(m, case.label(m), mic, &sources[own.filter(|_| mic.clearly)?].name)
    } else if mic.wired {
        wired(m, case.label(m), mic).verdict(verdict)
    } else {
        let source = own.map_or("its source", |i| sources[i].name.as_str());
        placed(m, case.label(m), mic, source).verdict(verdict)
    };
    let invert = (mic.wired != mic.opposed) && finding.kind != Kind::Undecided;
    let inverted = To::Inverted(!case.tracks[m].edit.invert);
    let changes: Vec<Change> = invert.then_some(Change { of: m, to: inverted }).into_iter().collect();
    let cost = if invert { cost_of(case, m, &changes) } else { None };
    let effects = effects_of(case, &changes);
    Some(
        finding
            .shown_on(own.or(cost.as_ref().map(|c| c.row)))
            .hits(mic.hits)
            .cost(cost.as_ref().map(|c| c.total_db), cost.map(|c| c.bands).unwrap_or_default())
            .changes(changes, effects),
    )
}

fn untold(m: usize, name: &str, mic: &Mic, source: &str) -> Finding {
    let why = if mic.either {
        "no other source reaches it clearly".into()
    } else {
        format!("{} other sources speak for it and {} against", mic.for_it, mic.against)
    };
    let text = format!("{name} is opposed on {source}, but whether by wiring or by its place cannot be told: {why}.");
    let advice = "A hit of another player alone would help.";
    Finding::of_tracks(Kind::Undecided, [m], text).verdict(Verdict::Undecided).advice(advice)
}

fn wired(m: usize, name: &str, mic: &Mic) -> Finding {
    let of = mic.for_it + mic.against;
    let mut text = format!("{name} is wired inverted: {} of {of} other sources arrive inverted.", mic.for_it);
    if mic.opposed {
        text.push_str(" It also stands opposed to its own source, so that the two cancel: leave it as it is.");
    }
    let advice = if mic.opposed { "Leave the polarity as it is; repair the cable." } else { "Invert it." };
    Finding::of_tracks(Kind::WiredInverted, [m], text).advice(advice)
}

fn placed(m: usize, name: &str, mic: &Mic, source: &str) -> Finding {
    let text = format!(
        "{name} stands on the opposite side of {source}: its own source arrives inverted, {} other sources arrive upright. \
         That is its place, not its wiring.",
        mic.for_it
    );
    Finding::of_tracks(Kind::OpposedByPlacement, [m], text).advice("Invert it for the sake of its own source.")
}
