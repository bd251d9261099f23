//! What each track is advised in the end, and why it is moved or left.

use crate::decide::case::{Advice, Case, SourceOf};
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

/// Final advice for every track, by its policy.
pub fn advise(
    case: &Case,
    polarity: &polarity::Judged,
    latency: &latency::Judged,
    sources: &[SourceOf],
) -> Vec<Advice> {
    (0..case.tracks.len())
        .map(|m| {
            let t = &case.tracks[m];
            let own = case.own_rows(m).next();
            let role = match t.role {
                Role::Unknown if own.is_some() => Role::Near,
                r => r,
            };
            let policy = policy_of(role, t.policy);
            let late = latency.of(m);
            let (mut moved, mut verdict) = (-late, Verdict::Solid);
            let mut reason;
            match policy {
                Policy::Align => match own.map(|i| (i, &case.table.rows[i])) {
                    Some((i, row)) if row.home != m => match row.cells[m].lag_frames {
                        Some(lag)
                            if role == Role::Near
                                && (lag - late + latency.of(row.home)).abs() > FAR_FOR_ONE_SOURCE_S * case.rate_hz =>
                        {
                            verdict = Verdict::Undecided;
                            reason = format!(
                                "left where it is: {:.2} ms after {} are too many for two microphones at one source",
                                case.ms(lag),
                                case.label(row.home)
                            );
                        }
                        Some(lag) => {
                            moved = -lag - latency.of(row.home);
                            verdict = row.cells[m].verdict;
                            reason = format!(
                                "moved onto {}, the first to hear {} ({:.2} ms)",
                                case.label(row.home),
                                sources[i].name,
                                case.ms(lag)
                            );
                        }
                        None => {
                            verdict = Verdict::Undecided;
                            reason = format!("left where it is: {}", row.cells[m].reason);
                        }
                    },
                    Some((i, _)) => reason = format!("the first to hear {}: the others come to it", sources[i].name),
                    None => {
                        verdict = Verdict::Undecided;
                        reason = "left where it is: no moment at which it leads was found".into();
                    }
                },
                Policy::KeepDistance => {
                    reason = "keeps its distance: only polarity and faults are corrected".into();
                }
                Policy::Leave => reason = "left where it is; only wiring and faults are proposed".into(),
                Policy::BringIn => {
                    // The set as a whole, by whichever of its channels is reached first.
                    let set: Vec<usize> = (0..case.tracks.len())
                        .filter(|o| *o == m || (t.set.is_some() && case.tracks[*o].set == t.set))
                        .collect();
                    let first = case.table.rows.iter().enumerate().flat_map(|(i, r)| {
                        let lags = set.iter().filter_map(|s| r.cells[*s].lag_frames);
                        lags.map(move |l| (i, l)).collect::<Vec<_>>()
                    });
                    match first.min_by(|a, b| a.1.total_cmp(&b.1)) {
                        Some((i, lag)) => {
                            moved = -lag - latency.of(case.table.rows[i].home);
                            reason = format!(
                                "brought in by {:.2} ms as a set: {} reaches it first",
                                case.ms(lag),
                                sources[i].name
                            );
                        }
                        None => {
                            verdict = Verdict::Undecided;
                            reason = "cannot be brought in: no source's arrival is decided here".into();
                        }
                    }
                }
            }
            if late != 0.0 {
                verdict = verdict.min(latency.verdict(m));
                reason = format!("{:.2} ms of latency are taken out; {reason}", case.ms(late));
            }
            let turn = if policy == Policy::Leave { polarity.wired(m) } else { polarity.turn(m) };
            if turn {
                reason = format!("inverted ({}); {reason}", polarity.why(m));
            }
            Advice {
                role,
                source: own.map_or_else(|| t.source.clone(), |i| sources[i].name.clone()),
                side: t.side,
                policy,
                offset_frames: t.edit.placement.total() + offset_for_lag(-moved),
                invert: t.edit.invert != turn,
                latency_frames: late,
                verdict: verdict.min(polarity.verdict(m)),
                reason,
            }
        })
        .collect()
}
