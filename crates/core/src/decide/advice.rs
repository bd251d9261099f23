//! What each track is advised in the end, and why it is moved or left.

use crate::decide::case::{Advice, Case, SourceOf};
use crate::decide::polarity::made_of;
use crate::decide::{latency, polarity};
use crate::edit::offset_for_lag;
use crate::track::{Policy, Role};
use crate::verdict::Verdict;

/// Two microphones at one source are no further apart than this, latencies aside: some 3 m of air, in seconds.
const FAR_FOR_ONE_SOURCE_S: f64 = 0.01;

fn policy_of(role: Role, chosen: Option<Policy>) -> Policy {
    chosen.unwrap_or(match role {
        Role::Near | Role::Direct | Role::Print | Role::Rendered => Policy::Align,
        Role::Main | Role::Room => Policy::KeepDistance,
        Role::Unknown => Policy::Leave,
    })
}

/// Where a track goes by its policy, how sure, and why; latency and polarity apart.
struct Placing {
    /// Frames later than recorded.
    moved: f64,
    verdict: Verdict,
    reason: String,
}

impl Placing {
    fn left(late: f64, verdict: Verdict, reason: impl Into<String>) -> Self {
        Self { moved: -late, verdict, reason: reason.into() }
    }
}

/// What advice rests on.
struct Ground<'a> {
    case: &'a Case<'a>,
    polarity: &'a polarity::Judged,
    latency: &'a latency::Judged,
    sources: &'a [SourceOf],
}

/// Final advice for every track, by its policy.
pub fn advise(
    case: &Case,
    polarity: &polarity::Judged,
    latency: &latency::Judged,
    sources: &[SourceOf],
) -> Vec<Advice> {
    let ground = Ground { case, polarity, latency, sources };
    (0..case.tracks.len()).map(|m| ground.advice(m)).collect()
}

impl Ground<'_> {
    fn advice(&self, m: usize) -> Advice {
        let t = &self.case.tracks[m];
        let own = self.case.own_rows(m).next();
        let role = match t.role {
            Role::Unknown if own.is_some() => Role::Near,
            r => r,
        };
        let policy = policy_of(role, t.policy);
        let late = self.latency.of(m);
        let Placing { moved, mut verdict, mut reason } = match policy {
            Policy::Align => self.aligned(m, own, role),
            Policy::BringIn => self.brought_in(m),
            Policy::KeepDistance => {
                let why = "keeps its distance: only polarity and faults are corrected";
                Placing::left(late, Verdict::Solid, why)
            }
            Policy::Leave => {
                Placing::left(late, Verdict::Solid, "left where it is; only wiring and faults are proposed")
            }
        };
        if late != 0.0 {
            verdict = verdict.min(self.latency.verdict(m));
            reason = format!("{:.2} ms of latency are taken out; {reason}", self.case.ms(late));
        }
        let invert = if policy == Policy::Leave { self.polarity.wired(m) } else { self.polarity.inverted(m) };
        if invert {
            reason = format!("inverted ({}); {reason}", self.polarity.why(m));
        }
        if let Some(other) = self.left_behind(m, own).filter(|_| policy == Policy::Align && (moved != 0.0 || invert)) {
            verdict = verdict.min(Verdict::Likely);
            reason = format!("{reason}; {} at the same source stays where it is", self.case.label(other));
        }
        Advice {
            role,
            source: own.map_or_else(|| t.source.clone(), |i| self.sources[i].name.clone()),
            side: t.side,
            policy,
            offset_frames: t.edit.placement.offset_frames + offset_for_lag(-moved),
            invert: t.edit.invert != invert,
            latency_frames: late,
            latency_within_frames: self.latency.within(m),
            polarity: made_of(self.case, self.polarity, m),
            verdict: verdict.min(self.polarity.verdict(m)),
            reason,
        }
    }

    /// Onto the first microphone to hear its source.
    fn aligned(&self, m: usize, own: Option<usize>, role: Role) -> Placing {
        let (case, late) = (self.case, self.latency.of(m));
        let Some(i) = own else {
            return Placing::left(late, Verdict::Undecided, "left where it is: no moment at which it leads was found");
        };
        let (row, source) = (&case.table.rows[i], &self.sources[i].name);
        if row.home == m {
            return Placing::left(late, Verdict::Solid, format!("the first to hear {source}: the others come to it"));
        }
        let (cell, home) = (&row.cells[m], case.label(row.home));
        let Some(lag) = cell.lag_frames else {
            return Placing::left(late, Verdict::Undecided, format!("left where it is: {}", cell.reason));
        };
        let apart = (lag - late + self.latency.of(row.home)).abs();
        if role == Role::Near && apart > FAR_FOR_ONE_SOURCE_S * case.rate_hz {
            let ms = case.ms(lag);
            let why =
                format!("left where it is: {ms:.2} ms after {home} are too many for two microphones at one source");
            return Placing::left(late, Verdict::Undecided, why);
        }
        let reason = format!("moved onto {home}, the first to hear {source} ({:.2} ms)", case.ms(lag));
        Placing { moved: -lag - self.latency.of(row.home), verdict: cell.verdict, reason }
    }

    /// Another microphone at the same source whose place is undecided. What moves then changes how the two sum, and nobody knows
    /// which way.
    fn left_behind(&self, m: usize, own: Option<usize>) -> Option<usize> {
        let row = &self.case.table.rows[own?];
        let undecided = |o: usize| {
            let role = self.case.tracks[o].role;
            o != row.home && self.aligned(o, own, role).verdict == Verdict::Undecided
        };
        row.members.iter().copied().find(|o| *o != m && undecided(*o))
    }

    /// The set as a whole, by whichever of its channels is reached first.
    fn brought_in(&self, m: usize) -> Placing {
        let (case, t) = (self.case, &self.case.tracks[m]);
        let mate = |o: &usize| *o == m || (t.set.is_some() && case.tracks[*o].set == t.set);
        let set: Vec<usize> = (0..case.tracks.len()).filter(mate).collect();
        let first = case.table.rows.iter().enumerate().flat_map(|(i, r)| {
            let lags = set.iter().filter_map(|s| r.cells[*s].lag_frames);
            lags.map(move |l| (i, l)).collect::<Vec<_>>()
        });
        let Some((i, lag)) = first.min_by(|a, b| a.1.total_cmp(&b.1)) else {
            let why = "cannot be brought in: no source's arrival is decided here";
            return Placing::left(self.latency.of(m), Verdict::Undecided, why);
        };
        let (ms, source) = (case.ms(lag), &self.sources[i].name);
        Placing {
            moved: -lag - self.latency.of(case.table.rows[i].home),
            verdict: Verdict::Solid,
            reason: format!("brought in by {ms:.2} ms as a set: {source} reaches it first"),
        }
    }
}
