//! Late by a fault, or late by distance? Bleed goes both ways: what differs between the ways is latency, the rest distance.

use super::cost::{cost_of, effects_of};
use super::geometry::latencies_of;
use super::{Case, Finding, Kind, Proposal, Severity};
use crate::correct::offset_for_lag;
use crate::measure::Verdict;
use crate::measure::consistent::{latencies, later, most, weight, weighted_middle};
use crate::measure::session::Role;

/// Microphones stand up to this far from their sources; half of it is the error floor of one pair, in seconds.
const LEAST_S: f64 = 0.000_8;
/// What a microphone's own source and the others say of it may differ by the distance at the source both ways, in seconds.
const AT_SOURCE_S: f64 = 0.003;
/// Partners whose answers spread by more than this, in seconds, do not agree.
const SPREAD_S: f64 = 0.001_2;

/// Weight of several probable answers that together make one.
const BACKED: f64 = 0.35;
/// A latency must clear its standard deviation so many times.
const SIGMAS: f64 = 3.0;
/// What the sizes of microphones and stands leave unsure of the ways both ways, in seconds.
const FLOOR_S: f64 = 0.000_25;
/// What one microphone's partners say.
#[derive(Debug, Clone, Copy, Default)]
struct Mic {
    frames: f64,
    partners: usize,
    spread: f64,
    verdict: Option<Verdict>,
}

/// What is said of one microphone's latency, each with what it counts; in frames.
#[derive(Default)]
struct Said {
    values: Vec<(f64, f64)>,
    frames: Option<f64>,
}

/// Latency of every microphone.
pub struct Judged {
    mics: Vec<Mic>,
}

impl Judged {
    /// Frames by which a microphone is late beyond doubt of its place; 0 for none.
    pub fn of(&self, m: usize) -> f64 {
        self.mics[m].verdict.filter(|v| *v > Verdict::Undecided).map_or(0.0, |_| self.mics[m].frames)
    }
}

/// Judges the near microphones. What a main or room microphone's distance does cannot be told from latency by sound alone,
/// unless it hears before it can.
pub fn judge(case: &Case) -> Judged {
    let rows = &case.table.rows;
    let late = latencies(rows);
    let mut said: Vec<Said> = case.tracks.iter().map(|_| Said::default()).collect();
    for (k, row) in rows.iter().enumerate() {
        let Some(frames) = late[k] else { continue };
        let of = &mut said[row.home];
        of.frames = Some(frames);
        of.values = (0..rows.len())
            .filter(|i| *i != k)
            .filter_map(|i| later(rows, i, k).zip(late[i]).map(|((l, w), li)| (l + li, w)))
            .collect();
    }
    // Another microphone at a source: against its home, on every other source and on its own.
    for (k, row) in rows.iter().enumerate() {
        let Some(home_late) = late[k] else { continue };
        for &m in row.members.iter().filter(|m| **m != row.home && case.tracks[**m].role != Role::Direct) {
            let mut values: Vec<(f64, f64)> = rows
                .iter()
                .enumerate()
                .filter(|(i, _)| *i != k)
                .filter_map(|(_, r)| {
                    let (there, here) = (&r.cells[m], &r.cells[row.home]);
                    let lag = there.lag_frames? - here.lag_frames? + home_late;
                    Some((lag, weight(there) * if here.hits == 0 { 1.0 } else { weight(here) }))
                })
                .collect();
            // Its own source reaches it from the other side: the two together leave the distance between them out.
            let bleed = weighted_middle(&mut values);
            let own = row.cells[m].lag_frames.map(|l| l + home_late);
            if let (Some(bleed), Some(own)) = (bleed, own)
                && (bleed - own).abs() < AT_SOURCE_S * case.rate_hz
            {
                said[m] = Said { frames: Some(0.5 * (bleed + own)), values };
            }
        }
    }
    // Most microphones are on time, whichever source they stand at.
    let all: Vec<f64> = said.iter().filter_map(|s| s.frames).collect();
    let common = if all.is_empty() { 0.0 } else { most(&all) };
    // All arrivals at once know more than the ways both ways, where there are enough of them.
    let placed = latencies_of(case);
    let mics = said
        .into_iter()
        .zip(placed)
        .map(|(mut s, placed)| {
            s.values.iter_mut().for_each(|v| v.0 -= common);
            s.frames.map_or_else(Mic::default, |f| {
                let both_ways = (f - common, spread(&s.values, f - common) + FLOOR_S * case.rate_hz);
                weigh(placed.map_or(both_ways, |p| joined(p, both_ways)), s.values, case)
            })
        })
        .collect();
    Judged { mics }
}

/// How far the middle one is off.
fn spread(said: &[(f64, f64)], frames: f64) -> f64 {
    let mut off: Vec<(f64, f64)> = said.iter().map(|(s, w)| ((s - frames).abs(), *w)).collect();
    weighted_middle(&mut off).unwrap_or(0.0)
}

/// Two answers with their standard deviations in one, each by what it is good for.
fn joined(a: (f64, f64), b: (f64, f64)) -> (f64, f64) {
    let (wa, wb) = (1.0 / (a.1 * a.1).max(1.0), 1.0 / (b.1 * b.1).max(1.0));
    ((a.0 * wa + b.0 * wb) / (wa + wb), a.1.min(b.1))
}

fn weigh((frames, sigma): (f64, f64), said: Vec<(f64, f64)>, case: &Case) -> Mic {
    let spread = spread(&said, frames);
    let near: Vec<f64> =
        said.iter().filter(|(s, _)| (s - frames).abs() < SPREAD_S * case.rate_hz).map(|(_, w)| *w).collect();
    let solid = near.iter().filter(|w| **w >= 1.0).count();
    // One good answer, or several fair ones. Early is against all habit: that takes two.
    let weight: f64 = near.iter().sum();
    let backed = if frames < 0.0 { solid >= 2 } else { solid >= 1 || (near.len() >= 2 && weight >= BACKED) };
    let clear = frames.abs() > LEAST_S * case.rate_hz && frames.abs() > SIGMAS * sigma && backed;
    // In simulated sessions a quarter of these were off by more than 0.4 ms (docs/accuracy.md): never more than likely.
    let verdict = clear.then_some(Verdict::Likely);
    Mic { frames, partners: said.len(), spread, verdict }
}

/// Findings about latency.
pub fn findings(case: &Case, judged: &Judged) -> Vec<Finding> {
    let mut found = Vec::new();
    for (m, mic) in judged.mics.iter().enumerate() {
        let Some(verdict) = mic.verdict else { continue };
        let kind = if mic.frames > 0.0 { Kind::Late } else { Kind::Early };
        let moved = offset_for_lag(mic.frames);
        let proposals = vec![Proposal {
            track: m,
            offset_frames: Some(case.tracks[m].correction.offset_frames + moved),
            invert: None,
            side: None,
        }];
        let cost = cost_of(case, m, &proposals);
        found.push(Finding {
            kind,
            tracks: vec![m],
            row: case.own_rows(m).next(),
            severity: Severity::Fault,
            verdict,
            hits: mic.partners,
            cost_db: cost.as_ref().map(|c| c.total_db),
            cost_bands: cost.map(|c| c.bands).unwrap_or_default(),
            text: format!(
                "{} is {:.2} ms ({:.0} samples) {} by a fault, not by distance: bleed both ways says so with {} other \
                 microphones, which agree within {:.2} ms.",
                case.label(m),
                case.ms(mic.frames.abs()),
                mic.frames.abs(),
                if mic.frames > 0.0 { "late" } else { "early" },
                mic.partners,
                case.ms(mic.spread),
            ),
            advice: format!(
                "Move it {} by {:.2} ms.",
                if moved < 0.0 { "earlier" } else { "later" },
                case.ms(moved.abs())
            ),
            effects: effects_of(case, &proposals),
            proposals,
        });
    }
    found
}
