//! Faults of single recordings, and of sets, that show without the arrivals.

use crate::decide::case::Case;
use crate::decide::finding::{Change, Finding, To};
use crate::decide::kind::{Kind, Severity};
use crate::decide::words::other_takes;
use crate::dsp::stats::median;
use crate::measure::arrival::Facts;
use crate::track::{Role, Side};
use crate::units::{Offset, db_of_amplitude};
use crate::verdict::Verdict;

/// A track this far under the session's median level is too quiet, in dB.
const QUIET_DB: f64 = 40.0;
/// Mean of the samples from which a constant offset is reported: −46 dBFS.
const OFFSET: f64 = 0.005;
/// A track is noisy when its loud passages lie less than this over its floor and those of the session lie at least this much higher,
/// in dB.
const NOISY_DB: f64 = 20.0;
/// The level of noise varies by less than this, in dB; music without pauses and reverberation vary more.
const STEADY_DB: f64 = 1.5;
/// Channels of a set may differ by this in length, in seconds.
const LENGTH_S: f64 = 0.05;

/// A track displaced by more than this was placed at a wrong time, in seconds; below it is a matter of arrivals.
const DISPLACED_S: f64 = 0.05;
/// From here on it was another recorder, started by itself, in seconds.
const RECORDER_S: f64 = 2.0;

/// Findings of every track and of the sets.
pub(super) fn findings(case: &Case) -> Vec<Finding> {
    let mut found = Vec::new();
    let facts = &case.table.facts;
    let mut levels: Vec<f64> = facts.iter().filter(|f| !f.is_silent()).map(|f| f.loud_db).collect();
    let usual = median(&mut levels).unwrap_or(0.0);
    let mut spans: Vec<f64> = facts.iter().filter(|f| !f.is_silent()).map(|f| f.loud_db - f.floor_db).collect();
    let span = median(&mut spans).unwrap_or(0.0);
    for (m, f) in facts.iter().enumerate() {
        let name = case.label(m);
        if f.is_silent() {
            found.push(dead(name, m));
            continue;
        }
        if f.loud_db < usual - QUIET_DB {
            found.push(
                Finding::of_tracks(
                    Kind::TooQuiet,
                    [m],
                    format!("{name} is {:.0} dB quieter than the median of the session.", usual - f.loud_db),
                )
                .advice("Check its gain; a microphone that hears nothing may be dead."),
            );
        }
        found.extend(by_itself(name, m, f, span));
        if let Some(speed) = case.table.speeds[m] {
            found.push(
                Finding::of_tracks(
                    Kind::WrongRate,
                    [m],
                    format!(
                        "{name} runs {} than the others, by {:.4}: its rate was taken for another one.",
                        if speed > 1.0 { "faster" } else { "slower" },
                        if speed > 1.0 { speed } else { 1.0 / speed }
                    ),
                )
                .advice("Bring it in again with its true rate."),
            );
        } else {
            found.extend(unrelated(case, m));
        }
        // Without a shared arrival nothing confirms a displacement.
        if case.table.speeds[m].is_some() || meets(case, m) {
            found.extend(displaced(case, m));
        }
    }
    found.extend(copies(case));
    found.extend(sets(case));
    found
}

fn dead(name: &str, m: usize) -> Finding {
    Finding::of_tracks(Kind::Dead, [m], format!("{name} is silent from beginning to end."))
        .advice("Look for another take of it.")
}

/// Clipping, a constant offset and noise of one track. `span_db`: how far the session's loud passages usually lie over its floor.
fn by_itself(name: &str, m: usize, f: &Facts, span_db: f64) -> Vec<Finding> {
    let mut found = Vec::new();
    if f.clipped > 0 {
        found.push(
            Finding::of_tracks(
                Kind::Clipped,
                [m],
                format!("{name} is clipped in {} places, at {:.1} dBFS.", f.clipped, db_of_amplitude(f.peak)),
            )
            .advice("Clipped tops bend the measurement little; listen to them."),
        );
    }
    if f.offset.abs() > OFFSET {
        found.push(
            Finding::of_tracks(
                Kind::DcOffset,
                [m],
                format!("{name} carries a constant offset of {:.2} % of full scale.", f.offset * 100.0),
            )
            .advice("A high-pass filter takes it out."),
        );
    }
    let own = f.loud_db - f.floor_db;
    let stands = f.floor_spread_db < STEADY_DB;
    if own < NOISY_DB && own < span_db - NOISY_DB && f.floor_db > -50.0 && stands {
        found.push(
            Finding::of_tracks(
                Kind::Noisy,
                [m],
                format!(
                    "The noise of {name} lies only {own:.0} dB under its loud passages, at {:.0} dBFS.",
                    f.floor_db
                ),
            )
            .advice("Measurements on it count for less."),
        );
    }
    found
}

/// Faults of recordings, each judged by itself: silence, clipping, a constant offset, noise. Findings count tracks in the order given.
/// Noise is *likely* at most: without a session nothing tells what is usual.
pub fn of_files<'a>(files: impl IntoIterator<Item = (&'a str, &'a Facts)>) -> Vec<Finding> {
    let mut found = Vec::new();
    for (m, (name, f)) in files.into_iter().enumerate() {
        if f.is_silent() {
            found.push(dead(name, m));
            continue;
        }
        found.extend(by_itself(name, m, f, f64::INFINITY));
    }
    for f in found.iter_mut().filter(|f| f.kind == Kind::Noisy) {
        f.verdict = Verdict::Likely;
    }
    found
}

/// Does it share an arrival with any other track?
fn meets(case: &Case, m: usize) -> bool {
    case.table.rows.iter().any(|r| {
        let there = r.home != m && r.cells[m].lag_frames.is_some();
        let back = r.home == m && r.cells.iter().enumerate().any(|(o, c)| o != m && c.lag_frames.is_some());
        there || back
    })
}

/// It shares no arrival with any other track.
fn unrelated(case: &Case, m: usize) -> Option<Finding> {
    let electric = matches!(case.tracks[m].role, Role::Direct | Role::Print | Role::Rendered);
    // Channels of one surround recording count together: the low-effects channel alone shares no arrival.
    let set = case.tracks[m].set;
    let mates: Vec<usize> =
        (0..case.tracks.len()).filter(|o| *o != m && set.is_some() && case.tracks[*o].set == set).collect();
    let met = meets(case, m) || (mates.len() >= 2 && mates.iter().any(|o| meets(case, *o)));
    let copied = case.table.copies.iter().any(|c| c.a == m || c.b == m);
    let others = case.tracks.len() > 1;
    // Another take was played at another time, so nothing is shared.
    let expected = case.tracks.iter().any(|t| other_takes(&t.source, &case.tracks[m].source));
    (others && !met && !copied && !expected).then(|| {
        let f = Finding::of_tracks(
            Kind::Unrelated,
            [m],
            format!("{} shares no arrival with any other track.", case.label(m)),
        )
        .advice(if electric {
            "Name the source it belongs to, so that it is compared with that one's microphone."
        } else {
            "Another take, another place, or too few clear moments: more hits or a solo hit would help. A recorder that was started by itself is placed under Clocks."
        });
        f.verdict(Verdict::Likely)
    })
}

/// Placed at a wrong time.
fn displaced(case: &Case, m: usize) -> Option<Finding> {
    let shift = case.table.shift[m];
    (shift.abs() as f64 > DISPLACED_S * case.rate_hz).then(|| {
        let seconds = (shift as f64 / case.rate_hz).abs();
        let stamped = case.tracks[m].stamped;
        let f = Finding::of_tracks(
            if stamped {
                Kind::StampDisagrees
            } else if shift > 0 {
                Kind::Late
            } else {
                Kind::Early
            },
            [m],
            format!(
                "{} stands {seconds:.3} s {} than its sound says{}.",
                case.label(m),
                if shift > 0 { "later" } else { "earlier" },
                if stamped { ", by its time stamp" } else { "" }
            ),
        )
        .advice(if shift.abs() as f64 > RECORDER_S * case.rate_hz {
            "Move it to where its sound agrees with the others. A recorder with a clock of its own is placed under Clocks, speed and all."
        } else {
            "Move it to where its sound agrees with the others."
        });
        // A print is late by its path, and its lag may change along time: one offset is not the answer.
        if case.tracks[m].role == Role::Print {
            let advice = "A print is late by the path that it took, and its lag may change: follow it under Prints.";
            return f.advice(advice).severity(Severity::Caution).verdict(Verdict::Likely);
        }
        let offset = case.tracks[m].edit.placement.offset_frames - Offset(shift as f64);
        f.verdict(Verdict::Likely).changes(vec![Change { of: m, to: To::Offset(offset) }], Vec::new())
    })
}

fn copies(case: &Case) -> Vec<Finding> {
    case.table
        .copies
        .iter()
        .map(|c| {
            let set = case.tracks[c.a].set.is_some() && case.tracks[c.a].set == case.tracks[c.b].set;
            let (a, b) = (case.label(c.a), case.label(c.b));
            let level = if c.gain_db.abs() < 0.05 { String::new() } else { format!(", {:+.1} dB", c.gain_db) };
            let inverted = if c.inverted { ", inverted" } else { "" };
            let (kind, text) = if set {
                (
                    Kind::CopiedChannel,
                    format!("{a} and {b} carry the same channel{level}{inverted}: there is no image."),
                )
            } else {
                (Kind::SameRecording, format!("{b} is the same recording as {a}{level}{inverted}."))
            };
            Finding::of_tracks(kind, [c.b, c.a], text).advice("Leave one of the two out.")
        })
        .collect()
}

/// Missing halves of pairs, and halves that differ in length.
fn sets(case: &Case) -> Vec<Finding> {
    let mut found = Vec::new();
    let mut seen = Vec::new();
    for (m, t) in case.tracks.iter().enumerate() {
        let Some(set) = t.set.filter(|s| !seen.contains(s)) else {
            // A main or room microphone that is named left or right without its other half.
            if t.set.is_none()
                && matches!(t.side, Side::Left | Side::Right)
                && matches!(t.role, Role::Main | Role::Room)
            {
                let other = if t.side == Side::Left { "right" } else { "left" };
                found.push(
                    Finding::of_tracks(Kind::ChannelMissing, [m], format!("{} has no {other} half.", t.label))
                        .advice("Bring the other one in as well."),
                );
            }
            continue;
        };
        seen.push(set);
        let of: Vec<usize> = (0..case.tracks.len()).filter(|o| case.tracks[*o].set == Some(set)).collect();
        let frames = |o: &usize| case.table.facts[*o].frames;
        let (least, most) = (of.iter().map(frames).min().unwrap_or(0), of.iter().map(frames).max().unwrap_or(0));
        if (most - least) as f64 > LENGTH_S * case.rate_hz {
            let names: Vec<&str> = of.iter().map(|o| case.label(*o)).collect();
            found.push(
                Finding::of_tracks(
                    Kind::LengthsDiffer,
                    of.clone(),
                    format!(
                        "{} differ in length by {:.2} s.",
                        names.join(" and "),
                        (most - least) as f64 / case.rate_hz
                    ),
                )
                .advice("One of them may have been cut."),
            );
        }
    }
    found
}
