//! Takes brought into time with a lead: made anew as recordings of their own, which stand beneath those that they were made of.

use super::made::{Following, How, Making};
use super::results::{kept, take_over};
use crate::db::desk::Beneath;
use crate::db::tracks::TrackRow;
use crate::db::{sessions, tracks};
use crate::derive::double::DoubleFound;
use crate::derive::{self, Derived, Now};
use crate::plans::doubles::{DoublesOf, FollowerOf};
use crate::tasks::{DoubleOf, PitchOf};
use crate::worker::{JobError, Reporter, Workers};
use marea_core::lead::course::{AskedError, course};
use marea_core::units::SampleRate;
use serde_json::json;
use uuid::Uuid;

/// Where the moments of a take go, in session frames; empty where the two have nothing in common and nobody set a pin.
///
/// # Errors
/// A sentence that names the pins that cannot be met.
pub fn goes(plan: &DoublesOf, of: &FollowerOf, found: &DoubleFound, rate: SampleRate) -> Result<Vec<[f64; 2]>, String> {
    let told = |e: AskedError| {
        let (AskedError::Cross(at) | AskedError::TooFar(at)) = e;
        let [a, b] = at.map(|at| rate.ms(at) / 1_000.0);
        format!("{e}: those at {a:.3} and {b:.3} s of the session")
    };
    course(&found.knots(), &plan.asked(of, rate.hz_f64())).map_err(told)
}

/// Makes all takes of a plan anew and puts them beneath what they were made of: one decision.
///
/// # Errors
/// As [`JobError`] says; nothing is changed then.
pub async fn run(
    w: &Workers,
    session: Uuid,
    plan: &DoublesOf,
    reporter: &Reporter,
) -> Result<serde_json::Value, JobError> {
    let s = sessions::get(&w.db, session).await?;
    let rate = SampleRate::new(u64::from(s.rate()?)).map_err(|e| JobError::Failed(e.to_string()))?;
    let mut all_made: Vec<Beneath> = Vec::new();
    let share = 1.0 / plan.takes.len().max(1) as f64;
    let drawn = match plan.pitch {
        0.0 => None,
        part => Some((known(w, session, PitchOf { track: plan.lead }, reporter).await?, part / 100.0)),
    };
    for (n, of) in plan.takes.iter().enumerate() {
        let found = known(w, session, DoubleOf { lead: plan.lead, take: of.take }, reporter).await?;
        let all = tracks::of_session(&w.db, session).await?;
        let [lead, take] = [named(&all, plan.lead)?, named(&all, of.take)?];
        let course = goes(plan, of, &found, rate).map_err(|e| JobError::Failed(format!("“{}”: {e}", take.name)))?;
        if course.is_empty() {
            return Err(JobError::Failed(format!("“{}” does not follow “{}”: {}", take.name, lead.name, found.reason)));
        }
        let following = Following { lead: lead.id, name: lead.name.clone(), course, drawn: drawn.clone() };
        let making = Making::new(&all, take.id, How::Following(following));
        let done = n as f64 * share;
        let report = {
            let (rep, doing) = (reporter.clone(), format!("bringing {} into time with {}", take.name, lead.name));
            move |p: f64| rep.report(done + share * p, &doing)
        };
        all_made.extend(kept(w, &s, making, report).await?);
    }
    let all = tracks::of_session(&w.db, session).await?;
    take_over(w, session, label(plan, &all), all_made).await?;
    Ok(json!({ "made": plan.takes.len() }))
}

fn named(all: &[TrackRow], id: Uuid) -> Result<&TrackRow, JobError> {
    let gone = || JobError::Failed("a track of the plan is not in the session any more".into());
    all.iter().find(|t| t.id == id).ok_or_else(gone)
}

/// What was found, measured where that has not been done.
async fn known<D: Derived>(w: &Workers, session: Uuid, of: D, reporter: &Reporter) -> Result<D::Measured, JobError> {
    if let Some(found) = Now::of(&w.db, session, of.clone()).await?.result(&w.db).await? {
        return Ok(found);
    }
    derive::run(w, session, &of, reporter).await?;
    let found = Now::of(&w.db, session, of).await?.result(&w.db).await?;
    found.ok_or_else(|| JobError::Failed("the session changed while it was listened to; ask again".into()))
}

fn label(plan: &DoublesOf, all: &[TrackRow]) -> String {
    let name = |id: Uuid| all.iter().find(|t| t.id == id).map_or("", |t| t.name.as_str());
    let takes = match plan.takes.as_slice() {
        [] => String::new(),
        [one] => format!("{} follows", name(one.take)),
        [first, second] => format!("{} and {} follow", name(first.take), name(second.take)),
        [first, rest @ ..] => format!("{} and {} others follow", name(first.take), rest.len()),
    };
    let pitch = if plan.pitch > 0.0 { format!(", pitch {} %", plan.pitch) } else { String::new() };
    format!("{takes} {}: {} %, slack {} ms{pitch}", name(plan.lead), plan.strength, plan.slack_ms)
}
