//! A voice with notes at another pitch, made anew beneath what it was.

use super::made::{How, Making};
use super::results::{begun, kept, take_over};
use crate::plans::retune::RetuneOf;
use crate::worker::{JobError, Reporter, Workers};
use serde_json::json;
use uuid::Uuid;

/// Makes a track anew and puts it beneath what it was made of: one decision.
///
/// # Errors
/// As [`JobError`] says; nothing is changed then.
pub async fn run(
    w: &Workers,
    session: Uuid,
    plan: &RetuneOf,
    reporter: &Reporter,
) -> Result<serde_json::Value, JobError> {
    let (s, all, name) = begun(w, session, plan.track).await?;
    let changes = plan.changes();
    if changes.is_empty() {
        return Err(JobError::Failed(format!("“{name}”: no note changes")));
    }
    let label = match changes.len() {
        1 => format!("{name}: a note retuned"),
        many => format!("{name}: {many} notes retuned"),
    };
    let making = Making::new(&all, plan.track, How::Retuned(changes));
    let rep = reporter.clone();
    let made = kept(w, &s, making, move |p| rep.report(p, &format!("retuning {name}"))).await?;
    take_over(w, session, label, made).await?;
    Ok(json!({ "made": 1 }))
}
