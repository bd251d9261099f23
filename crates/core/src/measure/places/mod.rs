//! Where sources and microphones stand and how late each one is, so that all arrivals of the table are explained at once.
//!
//! Every arrival is a difference of two distances plus a difference of two latencies. Unknown are the places of sources and
//! microphones and the latencies; known beforehand is that near microphones stand near their sources, that stages are flat,
//! and that most latencies are nothing. Damped least squares (Marquardt, SIAM J. Appl. Math. 1963), every residual reweighted by
//! a Cauchy loss, so that a reflection taken for the direct sound does not distort the rest. Lengths in metres.

mod before;
mod cholesky;
mod descent;
mod guess;
mod hints;
mod levels;
mod normal;
mod problem;
mod search;
mod spots;

use crate::dsp::stats::median;
use crate::measure::arrival::{Late, Row, Table};
use crate::measure::places::problem::{Arrival, Problem};
use crate::measure::places::search::CROWD;
use crate::measure::stage::{Fact, Found, Places};
use crate::track::Role;
use crate::units::Conditions;
use crate::verdict::Verdict;

/// Places and latencies found.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Placed {
    /// A track each; none where nothing determines it.
    pub late: Vec<Option<Late>>,
    /// Lag in frames at which each row should reach each track, and its standard deviation; none for rows and tracks without
    /// a place.
    pub expected: Vec<Vec<Option<(f64, f64)>>>,
    /// Where everything stands.
    pub places: Places,
}

/// A table with its places and latencies found anew by what somebody measured in the room. Its cells stay as they are.
pub fn with_facts(table: &Table, roles: &[Role], facts: &[Fact]) -> Table {
    let mut known = table.clone();
    let before = table.places.as_ref().map(|p| &p.found);
    let at = Conditions { rate: table.rate, air: table.air };
    if let (Some(_), Some(placed)) = (facts.first(), place(&table.rows, roles, at, facts, before)) {
        (known.late, known.places) = (placed.late, Some(placed.places));
    }
    known
}

/// Places sources and microphones. None without bleed both ways between at least two sources. `before` is what was found
/// before some cells changed or facts were known; the search then begins there.
pub fn place(rows: &[Row], roles: &[Role], at: Conditions, facts: &[Fact], before: Option<&Found>) -> Option<Placed> {
    let mut problem = Problem::of(rows, roles, at, facts)?;
    // With another source the search begins anew, which may bring what was missing to tell a latency; in a crowd that takes too long.
    let near = |b: &&Found| b.used == problem.used || problem.mics.len() > CROWD;
    let begin = before.filter(near).and_then(|b| problem.begun_from(b));
    let fit = problem.solve(begin)?;
    let spread = problem.covariance(&fit)?;
    let scale = at.rate.hz_f64() / at.air.speed_m_s();
    let (used, mics) = (problem.used.clone(), problem.mics.clone());
    let mut placed = Placed {
        late: vec![None; roles.len()],
        expected: vec![vec![None; roles.len()]; rows.len()],
        places: Places {
            sources: vec![None; rows.len()],
            tracks: vec![None; roles.len()],
            beacons: vec![None; rows.len()],
            facts: facts.to_vec(),
            found: Found { used, mics, x: fit.x.clone(), loose: fit.loose.clone() },
        },
    };
    for (i, &m) in problem.mics.iter().enumerate() {
        let at = problem.late(i);
        let late_of =
            |n: usize| problem.mics.iter().position(|x| *x == n).map_or(0.0, |n| fit.x[problem.late(n)] * scale);
        placed.late[m] = Some(Late {
            frames: fit.x[at] * scale,
            sigma_frames: spread[(at, at)].max(0.0).sqrt() * scale,
            worth: fit.worth[i],
            sources: problem.arrivals.iter().filter(|a| a.mic == i).count(),
            beside_frames: beside(rows, m, late_of),
            clear: problem.arrivals.iter().filter(|a| a.mic == i && a.solid && problem.near[i] != Some(a.row)).count(),
        });
        let mut terms = Vec::new();
        for (row, &r) in problem.used.iter().enumerate() {
            let home = problem.mics.iter().position(|x| *x == rows[r].home);
            let arrival = home.map(|home| Arrival { row, mic: i, home, metres: 0.0, solid: false });
            placed.expected[r][m] = arrival.map(|a| {
                problem.slopes(&fit.x, &a, &mut terms);
                let of = |&(i, di): &(usize, f64)| terms.iter().map(|(k, dk)| di * dk * spread[(i, *k)]).sum::<f64>();
                (problem.residual(&fit.x, &a) * scale, terms.iter().map(of).sum::<f64>().max(0.0).sqrt() * scale)
            });
        }
    }
    spots::fill(&mut placed.places, &problem, &fit, &spread, rows);
    Some(placed)
}

/// How much later than its neighbours at its own source a microphone hears all sources, on top of what they are late
/// themselves. One clear comparison is enough, or two probable ones.
fn beside(rows: &[Row], m: usize, late: impl Fn(usize) -> f64) -> Option<f64> {
    let neighbours = rows.iter().find(|r| r.members.contains(&m))?.members.iter().filter(|o| **o != m);
    let mut says = Vec::new();
    let mut clear = false;
    for n in neighbours {
        for row in rows {
            let lag = |m: usize| if m == row.home { Some(0.0) } else { row.cells[m].lag_frames };
            let sure = |m: usize| m == row.home || row.cells[m].verdict == Verdict::Solid;
            if let Some((own, other)) = lag(m).zip(lag(*n)) {
                says.push(own - other + late(*n));
                clear |= sure(m) && sure(*n);
            }
        }
    }
    median(&mut says).filter(|_| clear || says.len() >= 2)
}
