//! Which polarity keeps more of the sound: of a source among its own microphones first, lows first, and against all others then.

use super::shared::body;
use super::weights::{MAIN_COUNTS, TWO_SIDED_COUNTS, TWO_SIDED_NEAR_COUNTS};
use crate::decide::case::Case;
use crate::measure::arrival::Row;
use crate::track::Role;

/// Weight of two microphones at the source against one elsewhere, where four or fewer of these hear it.
const AT_SOURCE: f64 = 4.0;
/// Weight of the attack's sign beside that of the lows, against microphones elsewhere.
const ATTACK: f64 = 0.5;
/// With more microphones than this at one source each is settled by itself.
const MOST: usize = 12;

/// Weight of a microphone elsewhere. What pushes on one side and pulls on the other counts as upright from the side it is meant to be
/// heard from: main microphones stand there, those at other sources may stand on either side.
fn elsewhere_counts(role: Role, two_sided: bool) -> f64 {
    match role {
        Role::Main => MAIN_COUNTS,
        Role::Room => TWO_SIDED_COUNTS,
        _ if two_sided => TWO_SIDED_NEAR_COUNTS,
        _ => 1.0,
    }
}

/// One answer a microphone at the source.
pub struct Settled {
    /// Track.
    pub of: usize,
    /// +1 as it is, −1 inverted.
    pub sign: i8,
    /// The least likeness with another one at the source, signs put in; none where there is none.
    pub inside: Option<f64>,
    /// Microphones elsewhere, and how many of them agree.
    pub outside: usize,
    /// Of these.
    pub agree: usize,
}

/// Settles the polarity of a source's own microphones. `signs` of all, those whose phase turns the way their lows are; `turns` names
/// these.
pub fn settle(case: &Case, row: &Row, inside: &[usize], signs: &[i8], turns: &dyn Fn(usize) -> bool) -> Vec<Settled> {
    let air = |m: &usize| case.tracks[*m].role != Role::Direct;
    let elsewhere: Vec<usize> = (0..case.tracks.len())
        .filter(|n| air(n) && !inside.contains(n) && !turns(*n) && row.cells[*n].lag_frames.is_some())
        .collect();
    let heard = |sign: i8| inside.iter().any(|m| !turns(*m) && row.cells[*m].sign * signs[*m] == sign);
    let two_sided = heard(1) && heard(-1);
    let beta = AT_SOURCE * (elsewhere.len() as f64 / 4.0).max(1.0);
    let pull = |m: usize, n: usize| {
        let attack = if turns(m) { 0.0 } else { f64::from(row.cells[m].sign * row.cells[n].sign) };
        let weight = elsewhere_counts(case.tracks[n].role, two_sided);
        body(row, [m, n]).map(|b| weight * f64::from(signs[n]) * (b + ATTACK * attack))
    };
    let outer: Vec<Vec<f64>> = inside.iter().map(|m| elsewhere.iter().filter_map(|n| pull(*m, *n)).collect()).collect();
    let between = |i: usize, k: usize| body(row, [inside[i], inside[k]]).unwrap_or(0.0);
    let value = |p: &[f64]| -> f64 {
        let own: f64 =
            (0..p.len()).flat_map(|i| (0..i).map(move |k| (i, k))).map(|(i, k)| p[i] * p[k] * between(i, k)).sum();
        beta * own + p.iter().zip(&outer).map(|(p, o)| p * o.iter().sum::<f64>()).sum::<f64>()
    };
    // The first of equals: as few inverted as possible, the home last.
    let of = |bits: usize| -> Vec<f64> {
        (0..inside.len()).rev().map(|i| if bits >> i & 1 == 1 { -1.0 } else { 1.0 }).collect()
    };
    let best = if inside.len() > MOST {
        outer.iter().map(|o| if o.iter().sum::<f64>() < 0.0 { -1.0 } else { 1.0 }).collect()
    } else {
        let all = (0..1usize << inside.len()).map(of);
        let first_best = |best: (f64, Vec<f64>), p: Vec<f64>| match value(&p) {
            v if v > best.0 + 1e-9 => (v, p),
            _ => best,
        };
        all.fold((f64::NEG_INFINITY, Vec::new()), first_best).1
    };
    (0..inside.len())
        .map(|i| {
            let among = (0..inside.len()).filter(|k| *k != i).map(|k| best[i] * best[k] * between(i, k));
            let agree = outer[i].iter().filter(|o| best[i] * **o > 0.0).count();
            let sign = if best[i] < 0.0 { -1 } else { 1 };
            Settled { of: inside[i], sign, inside: among.reduce(f64::min), outside: outer[i].len(), agree }
        })
        .collect()
}
