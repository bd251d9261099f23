//! One part as a wide pair, made anew beneath what it was.

use super::made::{How, Making};
use super::results::{begun, kept, take_over};
use crate::plans::wide::WideOf;
use crate::worker::{JobError, Reporter, Workers};
use serde_json::json;
use uuid::Uuid;

/// Makes a pair of a track and puts it beneath what it was made of: one decision.
///
/// # Errors
/// As [`JobError`] says; nothing is changed then.
pub async fn run(
    w: &Workers,
    session: Uuid,
    plan: &WideOf,
    reporter: &Reporter,
) -> Result<serde_json::Value, JobError> {
    let (s, all, name) = begun(w, session, plan.track).await?;
    let making = Making::new(&all, plan.track, How::Widened(plan.asked()));
    if making.set.len() > 1 {
        return Err(JobError::Failed(format!("“{name}” is linked with another track: only one part is made wide")));
    }
    let label = format!("{name}: a wide pair of it");
    let rep = reporter.clone();
    let made = kept(w, &s, making, move |p| rep.report(p, &format!("making {name} wide"))).await?;
    take_over(w, session, label, made).await?;
    Ok(json!({ "made": 1 }))
}
