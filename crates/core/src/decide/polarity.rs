//! Wired the other way round, or on the other side of its source?
//!
//! A microphone that is wired inverted hears *every* source turned over. One that stands on the opposite side hears only its
//! own source so. The bleed of the others tells the two apart.

use crate::decide::case::{Case, SourceOf};
use crate::decide::cost::{cost_of, effects_of};
use crate::decide::finding::{Change, Finding, To};
use crate::decide::kind::Kind;
use crate::decide::signs::{Link, Solution, solve};
use crate::decide::words::other_takes;
use crate::track::Role;
use crate::verdict::Verdict;

/// What a probable sign counts against a solid one.
const LIKELY_COUNTS: f64 = 0.25;

/// What a sign counts of a source that was heard both ways by its own microphones: it pushes on one side and pulls on the other.
/// Rooms are mostly in front of it; a microphone at another source may stand on either side.
const TWO_SIDED_COUNTS: f64 = 0.5;
const TWO_SIDED_NEAR_COUNTS: f64 = 0.1;
/// And in one of its own: three faint players elsewhere outweigh it, two do not.
const OWN_TWO_SIDED_COUNTS: f64 = 0.6;

/// What a main microphone's sign counts against another one's.
const MAIN_COUNTS: f64 = 2.0;

/// One microphone.
#[derive(Debug, Clone, Default)]
struct Mic {
    wired: bool,
    opposed: bool,
    verdict: Option<Verdict>,
    /// Other sources that agree with the answer, and that do not.
    for_it: usize,
    against: usize,
    hits: usize,
    /// Only its own source was measured: wiring and placement look alike.
    either: bool,
    /// Its own source is heard clearly there or elsewhere: enough to say that something stands opposed.
    clearly: bool,
    /// Whitened sign and sign of the lows differ on its own source.
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

    /// Wired the other way round.
    pub fn wired(&self, m: usize) -> bool {
        self.mics[m].wired && self.mics[m].verdict.is_some_and(|v| v > Verdict::Undecided)
    }

    /// To be turned over for its own source and for the whole.
    pub fn turn(&self, m: usize) -> bool {
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

/// The signs of all arrivals in air, each with what it counts, where the microphones are wired like this.
fn links_of(case: &Case, wired: &[i8]) -> Vec<Link> {
    let in_air = |m: usize| case.tracks[m].role != Role::Direct;
    let mut links = Vec::new();
    for (row, r) in case.table.rows.iter().enumerate().filter(|(_, r)| in_air(r.home)) {
        let of_members = |sign: i8| r.members.iter().any(|m| in_air(*m) && r.cells[*m].sign * wired[*m] == sign);
        let two_sided = of_members(1) && of_members(-1);
        for (mic, cell) in r.cells.iter().enumerate().filter(|(mic, cell)| cell.sign != 0 && in_air(*mic)) {
            // What was played at another time was never in the air together.
            if other_takes(&case.tracks[mic].source, &case.tracks[r.home].source) {
                continue;
            }
            let sure = if cell.verdict == Verdict::Solid { 1.0 } else { LIKELY_COUNTS };
            // What pushes forward on one side of a source and back on the other is upright from where it is meant to be heard.
            let weight = match case.tracks[mic].role {
                Role::Main => sure * MAIN_COUNTS,
                role if two_sided && !r.members.contains(&mic) => {
                    sure * if role == Role::Room { TWO_SIDED_COUNTS } else { TWO_SIDED_NEAR_COUNTS }
                }
                // Heard both ways there, its own source tells where a microphone stands at least as much as how it is wired.
                _ if two_sided => sure * OWN_TWO_SIDED_COUNTS,
                _ => sure,
            };
            links.push(Link { row, mic, sign: cell.sign, weight });
        }
    }
    links
}

/// Judges all microphones. A pickup has no wiring to compare: what it hears is not sound in air.
pub fn judge(case: &Case) -> Judged {
    let (rows, n) = (case.table.rows.len(), case.tracks.len());
    let anchor = case.tracks.iter().position(|t| t.anchor);
    let first = solve(rows, n, &links_of(case, &vec![1; n]), anchor);
    // A microphone that is wired inverted makes its source look two-sided.
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
    // Its own source alone against it, while the others agree.
    let own_against = mine.iter().any(|l| own.contains(&l.row) && !agrees(l));
    let hits = mine.iter().map(|l| case.table.rows[l.row].cells[m].hits).sum();
    // Its own source elsewhere tells the same story, all microphones of one voice.
    let of_own: Vec<&Link> = links.iter().filter(|l| case.table.rows[l.row].home == m && l.mic != m).collect();
    let own_voice = of_own.iter().filter(|l| sure(l)).count() >= 2 && of_own.iter().all(|l| agrees(l));
    let all_agree = others.iter().all(|l| agrees(l));
    let of_one_voice = own_voice && for_it >= 1 && others.len() >= 3 && all_agree;
    // Its own source, heard clearly there or elsewhere, bears out what the others only make probable.
    let own_agrees =
        mine.iter().any(|l| case.table.rows[l.row].home != m && own.contains(&l.row) && sure(l) && agrees(l));
    // A microphone that has its source to itself stands on no other side than the rest.
    let alone = case.table.rows.iter().any(|r| r.home == m && r.members.len() == 1);
    let needed = if alone && own_voice && of_own.iter().filter(|l| sure(l)).count() >= 3 { 1 } else { 2 };
    let borne_out = (own_voice || own_agrees) && others.len() >= needed && all_agree;
    let verdict = if (for_it >= 2 && against * 3 <= for_it) || of_one_voice {
        Verdict::Solid
    } else if borne_out || (for_it >= 1 || weak_for >= 3.0 * LIKELY_COUNTS) && weak_for > 2.0 * weak_against {
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
    // Inverted for its own source on purpose: the others now hear it so, and that was the idea.
    let on_purpose = mic.wired && mic.opposed && case.tracks[m].edit.invert;
    let told = (mic.wired || mic.opposed) && !on_purpose;
    let verdict = mic.verdict.filter(|_| told)?;
    let finding = if mic.either || verdict == Verdict::Undecided {
        // Only its own source makes a statement about it worth an ear.
        untold(m, case.label(m), mic, &sources[own.filter(|_| mic.clearly)?].name)
    } else if mic.wired {
        wired(m, case.label(m), mic).verdict(verdict)
    } else {
        let source = own.map_or("its source", |i| sources[i].name.as_str());
        placed(m, case.label(m), mic, source).verdict(verdict)
    };
    let turn = (mic.wired != mic.opposed) && finding.kind != Kind::Undecided;
    let inverted = To::Inverted(!case.tracks[m].edit.invert);
    let changes: Vec<Change> = turn.then_some(Change { of: m, to: inverted }).into_iter().collect();
    let cost = if turn { cost_of(case, m, &changes) } else { None };
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
