//! Late by a fault, or late by distance? Bleed goes both ways: what differs between the ways is latency, the rest distance.

use super::cost::{cost_of, effects_of};
use super::{Case, Finding, Kind, Proposal, Severity};
use crate::correct::offset_for_lag;
use crate::measure::Verdict;
use crate::measure::consistent::{latencies, middle};
use crate::measure::session::Role;

/// Microphones stand up to this far from their sources; half of it is the error floor of one pair, in seconds.
const LEAST_S: f64 = 0.000_8;
/// Partners whose answers spread by more than this, in seconds, do not agree.
const SPREAD_S: f64 = 0.001_2;

/// What one microphone's partners say.
#[derive(Debug, Clone, Copy, Default)]
struct Mic {
    frames: f64,
    partners: usize,
    spread: f64,
    verdict: Option<Verdict>,
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
    let least = LEAST_S * case.rate_hz;
    let mut mics = vec![Mic::default(); case.tracks.len()];
    for (k, row) in rows.iter().enumerate() {
        let Some(frames) = late[k] else { continue };
        let mut says = Vec::new();
        for (i, other) in rows.iter().enumerate() {
            let (Some(li), false) = (late[i], i == k) else { continue };
            let ways = other.cells[row.home].lag_frames.zip(row.cells[other.home].lag_frames);
            says.extend(ways.map(|(there, back)| (there - back) / 2.0 + li));
        }
        mics[row.home] = weigh(frames, &mut says, least, case);
    }
    // Another microphone at a source: against its home, on every other source and on its own.
    for (k, row) in rows.iter().enumerate() {
        let Some(home_late) = late[k] else { continue };
        for &m in row.members.iter().filter(|m| **m != row.home && case.tracks[**m].role != Role::Direct) {
            let mut says: Vec<f64> = rows
                .iter()
                .enumerate()
                .filter(|(i, _)| *i != k)
                .filter_map(|(_, r)| Some(r.cells[m].lag_frames? - r.cells[row.home].lag_frames? + home_late))
                .collect();
            // Its own source reaches it from the other side: the two together leave the distance between them out.
            let bleed = middle(&mut says);
            let own = row.cells[m].lag_frames.map(|l| l + home_late);
            if let (Some(bleed), Some(own)) = (bleed, own) {
                mics[m] = weigh(0.5 * (bleed + own), &mut says, least, case);
            }
        }
    }
    Judged { mics }
}

fn weigh(frames: f64, says: &mut [f64], least: f64, case: &Case) -> Mic {
    let mut off: Vec<f64> = says.iter().map(|s| (s - frames).abs()).collect();
    let spread = middle(&mut off).unwrap_or(0.0);
    let partners = says.len();
    let clear = frames.abs() > least && frames.abs() > 2.0 * spread;
    let verdict = clear.then(|| {
        if partners >= 3 && spread < SPREAD_S * case.rate_hz { Verdict::Solid } else { Verdict::Likely }
    });
    Mic { frames, partners, spread, verdict }
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
            advice: format!("Move it {} by {:.2} ms.", if moved < 0.0 { "earlier" } else { "later" }, case.ms(moved.abs())),
            effects: effects_of(case, &proposals),
            proposals,
        });
    }
    found
}
