//! Tells a microphone that is wired inverted from one that stands on the opposite side of its source.
//!
//! A microphone that is wired inverted hears *every* source inverted. One that stands on the opposite side hears only its
//! own source inverted. The bleed of the other sources tells the two apart. One whose phase turns hears lows and attacks opposed. What is
//! advised is the polarity that keeps more of the sound, whatever the cause.

mod findings;
mod judged;
mod own;
mod shared;
mod turning;
mod weights;

pub use findings::{findings, made_of};
pub use judged::Judged;

use judged::Mic;

use crate::decide::case::Case;
use crate::decide::latency;
use crate::decide::signs::{Link, Solution, solve};
use crate::decide::words::other_takes;
use crate::measure::arrival::Row;
use crate::track::Role;
use crate::verdict::Verdict;
use own::Settled;
use shared::body;
use turning::LowVotes;
use weights::{LIKELY_SIGN_COUNTS, MAIN_COUNTS, OWN_TWO_SIDED_COUNTS, TWO_SIDED_COUNTS, TWO_SIDED_NEAR_COUNTS};

/// A near microphone that hears a row this much before its home, in seconds, owns it: 15 frames at 48 kHz.
const OWNS_FROM_S: f64 = 0.000_312_5;
/// Likeness with every other microphone at the source from which a polarity is solid.
const ALIKE: f64 = 0.4;
/// Microphones elsewhere that must be there for their voice to count, and for a microphone whose phase turns.
const QUORUM: usize = 3;
const QUORUM_OF_TURNING: usize = 4;
/// What the lows must say of other sources for a wiring to be solid.
const LOWS_BEAR_OUT: f64 = 0.3;

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
pub fn judge(case: &Case, latency: &latency::Judged) -> Judged {
    let (rows, n) = (case.table.rows.len(), case.tracks.len());
    let anchor = case.tracks.iter().position(|t| t.anchor);
    let first = solve(rows, n, &links_of(case, &vec![1; n]), anchor);
    // Solved twice: a microphone that is wired inverted makes its own source look as if it had both signs.
    let links = links_of(case, &first.mics);
    let s = solve(rows, n, &links, anchor);
    let owners: Vec<Vec<usize>> = case.table.rows.iter().map(|r| owners(case, r, latency)).collect();
    let mut mics: Vec<Mic> = (0..n).map(|m| microphone(case, &links, &s, &owners, m)).collect();
    let votes: Vec<LowVotes> = (0..n).map(|m| turning::votes(case, &s.mics, &rows_of(&owners, m), m)).collect();
    for (m, mic) in mics.iter_mut().enumerate() {
        mic.turning = turning::turning(case, &votes[m], &rows_of(&owners, m), m);
        mic.sign = if mic.turning.is_some() { -mic.attack } else { mic.attack };
    }
    // Before anything rests on it: a wiring that the lows of other sources contradict is not sure.
    for (mic, votes) in mics.iter_mut().zip(&votes) {
        mic.wiring = mic.wiring.map(|v| borne_out_by_lows(mic, votes, v));
    }
    let signs: Vec<i8> = mics.iter().map(|m| m.sign).collect();
    let turns: Vec<bool> = mics.iter().map(|m| m.turning.is_some()).collect();
    for (i, row) in case.table.rows.iter().enumerate() {
        let inside: Vec<usize> =
            owners[i].iter().copied().filter(|m| mics[*m].own == Some(i) && heard(case, row, *m)).collect();
        let settled = own::settle(case, row, &inside, &signs, &|m| turns[m]);
        let kept = anchor.and_then(|a| settled.iter().find(|o| o.of == a)).map_or(1, |o| o.sign * signs[o.of]);
        for mut o in settled {
            // Alone at its source, whose attack arrives as it should: the lows of a room say nothing against that.
            if o.inside.is_none() && !mics[o.of].own_against {
                o.sign = signs[o.of];
            }
            let verdict = sure(&mics[o.of], &o);
            (mics[o.of].sign, mics[o.of].verdict) = (o.sign * kept, mics[o.of].wiring.map(|_| verdict));
        }
    }
    for (mic, votes) in mics.iter_mut().zip(&votes) {
        mic.wiring = mic.wiring.map(|v| borne_out_by_lows(mic, votes, v));
    }
    let cancelling: Vec<usize> = (0..n).filter(|m| cancels(case, &mics, *m)).collect();
    for m in cancelling {
        mics[m].verdict = mics[m].verdict.map(|v| v.min(Verdict::Likely));
    }
    Judged { mics, rows: s.rows }
}

/// With the polarities advised, another microphone of the same source takes its sound away: one of the two is judged wrongly.
fn cancels(case: &Case, mics: &[Mic], m: usize) -> bool {
    let opposed = |row: &Row, o: usize| {
        let likeness = body(row, [m, o]).unwrap_or(0.0);
        o != m && heard(case, row, o) && f64::from(mics[m].sign * mics[o].sign) * likeness <= -ALIKE
    };
    let beside = |row: &&Row| row.members.contains(&m) && heard(case, row, m);
    case.table.rows.iter().filter(beside).any(|row| row.members.iter().any(|o| opposed(row, *o)))
}

fn heard(case: &Case, row: &Row, m: usize) -> bool {
    case.tracks[m].role != Role::Direct && row.cells[m].lag_frames.is_some()
}

fn rows_of(owners: &[Vec<usize>], m: usize) -> Vec<usize> {
    (0..owners.len()).filter(|i| owners[*i].contains(&m)).collect()
}

/// The microphones that stand at a row's source: its members, unless another near microphone hears it clearly before any of them.
fn owners(case: &Case, row: &Row, latency: &latency::Judged) -> Vec<usize> {
    let lag = |m: usize| row.cells[m].lag_frames.map(|l| l - latency.of(m) + latency.of(row.home));
    // The home may be late by a fault that is not known yet: what counts is the first of all members.
    let first = row.members.iter().filter_map(|m| lag(*m)).fold(0.0, f64::min) - OWNS_FROM_S * case.rate_hz;
    let before = |m: &usize| {
        let near = case.tracks[*m].role == Role::Near && !row.members.contains(m);
        near && row.cells[*m].verdict == Verdict::Solid && lag(*m).is_some_and(|l| l < first)
    };
    match (0..case.tracks.len()).filter(before).min_by(|a, b| lag(*a).unwrap_or(0.0).total_cmp(&lag(*b).unwrap_or(0.0)))
    {
        Some(m) => vec![m],
        None => row.members.clone(),
    }
}

/// How sure the polarity of a microphone at its own source is.
fn sure(mic: &Mic, o: &Settled) -> Verdict {
    let wiring = mic.wiring.unwrap_or(Verdict::Undecided);
    let turns = mic.turning.is_some();
    let heard_elsewhere = o.outside >= QUORUM && o.agree * 4 >= o.outside * 3;
    let solid = match o.inside {
        _ if turns => (o.inside.is_some_and(|i| i >= ALIKE) || o.outside >= QUORUM_OF_TURNING) && heard_elsewhere,
        Some(inside) => inside >= ALIKE && (heard_elsewhere || wiring == Verdict::Solid),
        None => wiring == Verdict::Solid && (o.sign == mic.attack || (mic.own_against && heard_elsewhere)),
    };
    match (solid, wiring) {
        (true, _) => Verdict::Solid,
        // Only its own source: which of two is opposed cannot be told.
        (false, _) if mic.either && !turns => wiring,
        (false, Verdict::Undecided) if !o.inside.is_some_and(|i| i >= ALIKE) => Verdict::Undecided,
        _ => Verdict::Likely,
    }
}

/// A wiring is solid only where the lows of other sources bear it out; where they are silent nothing is asked of them.
fn borne_out_by_lows(mic: &Mic, votes: &LowVotes, verdict: Verdict) -> Verdict {
    let agree = votes.agree >= LOWS_BEAR_OUT && votes.agree > 2.0 * votes.oppose;
    let own = votes.own > -LOWS_BEAR_OUT || mic.sign != mic.attack;
    let silent = votes.sources == 0 && votes.own == 0.0;
    let borne_out = silent || (agree && own);
    // One outside a drum looks exactly like one that is wired inverted and placed opposite.
    let both = mic.wired() && mic.opposed();
    if mic.attack < 0 && (!borne_out || both) { verdict.min(Verdict::Likely) } else { verdict }
}

/// What the signs say of one microphone.
fn microphone(case: &Case, links: &[Link], s: &Solution, owners: &[Vec<usize>], m: usize) -> Mic {
    let own = rows_of(owners, m);
    let mine: Vec<&Link> = links.iter().filter(|l| l.mic == m).collect();
    let agrees = |l: &Link| l.sign * s.mics[l.mic] * s.rows[l.row] > 0;
    let telling = |l: &&&Link| !own.contains(&l.row) && l.weight > TWO_SIDED_NEAR_COUNTS;
    let others: Vec<&&Link> = mine.iter().filter(telling).collect();
    let sure = |l: &Link| case.table.rows[l.row].cells[l.mic].verdict == Verdict::Solid;
    let count = |agree: bool| others.iter().filter(|l| sure(l) && agrees(l) == agree).count();
    let (for_it, against) = (count(true), count(false));
    let weak_for = others.iter().filter(|l| agrees(l)).map(|l| l.weight).sum::<f64>();
    let weak_against = others.iter().filter(|l| !agrees(l)).map(|l| l.weight).sum::<f64>();
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
    let wiring = (!mine.is_empty()).then_some(verdict);
    let fullest =
        own.iter().copied().max_by_key(|i| case.table.rows[*i].hits.len() + case.table.rows[*i].passages.len());
    Mic {
        attack: s.mics[m],
        wiring,
        sign: s.mics[m],
        verdict: wiring,
        for_it: others.iter().filter(|l| agrees(l)).count(),
        against: others.iter().filter(|l| !agrees(l)).count(),
        hits,
        either: others.is_empty(),
        clearly,
        own_against,
        turning: None,
        own: fullest,
    }
}
