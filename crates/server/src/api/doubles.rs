//! Takes that double a lead: held against it, and made anew in its time.

use super::cut_tracks::in_bounds;
use super::state::{State, id};
use crate::db::tracks::{MadeOf, TrackRow, of_session};
use crate::db::{jobs, sessions};
use crate::derive::double::DoubleFound;
use crate::derive::pitch::PitchFound;
use crate::derive::{self, Now};
use crate::error::{ErrorBody, ServerError};
use crate::jobs::follow::goes;
use crate::jobs::made::{Following, How, Making, results_of};
use crate::plans::doubles::{DoublesOf, FollowerOf};
use crate::tasks::{DoubleOf, PitchOf, Task};
use actix_web::{HttpResponse, get, post, web};
use marea_core::units::SampleRate;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// A lead and its doubles, in an address.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct DoublesAsked {
    /// A `DoublesOf` as JSON.
    pub of: String,
}

/// A track that was made of the take or of one that is linked with it.
#[derive(Debug, Serialize, ToSchema)]
pub struct MadeView {
    /// The result.
    pub track: Uuid,
    /// What it was made of.
    pub of: Uuid,
    /// By how much it is louder than that, in dB.
    pub louder_db: f64,
}

impl From<(&TrackRow, &MadeOf)> for MadeView {
    fn from((track, made_of): (&TrackRow, &MadeOf)) -> Self {
        Self { track: track.id, of: made_of.take, louder_db: made_of.louder_db }
    }
}

/// A take of the plan.
#[derive(Debug, Serialize, ToSchema)]
pub struct DoubleView {
    /// Which.
    pub take: Uuid,
    /// What was found.
    #[serde(flatten)]
    pub found: DoubleFound,
    /// Session frames of the take, and where the plan has them go, both rising.
    pub goes: Vec<[f64; 2]>,
    /// It runs so many times faster or slower than it was, at most.
    pub ratio: f64,
    /// Why the plan cannot be followed.
    pub refused: Option<String>,
    /// What stands beneath it in the session.
    pub made: Vec<MadeView>,
    /// That was made by this plan.
    pub fits: bool,
}

/// Takes held against their lead.
#[derive(Debug, Serialize, ToSchema)]
pub struct DoublesView {
    /// In the order of the plan.
    pub takes: Vec<DoubleView>,
}

/// Every take of a plan as it stands.
async fn all_now(state: &State, path: &str, of: &DoublesOf) -> Result<Vec<Now<DoubleOf>>, ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    of.check()?;
    in_bounds(state, session, of.frames()).await?;
    let mut all = Vec::new();
    for one in &of.takes {
        let now = Now::of(state.db(), session, DoubleOf { lead: of.lead, take: one.take }).await?;
        let [lead, take] = [&now.tracks[0], &now.tracks[1]];
        if lead.link_id.is_some() && lead.link_id == take.link_id {
            return Err(ServerError::Conflict(format!(
                "{} and {} are linked: they move together",
                lead.name, take.name
            )));
        }
        if now.tracks.iter().skip(1).any(|t| t.made_of.is_some()) {
            return Err(ServerError::Conflict(format!("{} was made of another take: choose that one", take.name)));
        }
        all.push(now);
    }
    if all.is_empty() {
        return Err(ServerError::Invalid("a take that follows is needed".into()));
    }
    Ok(all)
}

/// Ask for takes to be held against their lead; answers a job, or 204 when that was done already.
#[utoipa::path(request_body = DoublesOf, responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/doubles")]
pub async fn request_doubles(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<DoublesOf>,
) -> Result<HttpResponse, ServerError> {
    let mut first = None;
    for now in all_now(&state, &path, &of).await? {
        if !now.is_there(state.db()).await? {
            let job = derive::begin(&state.workers, &now).await?;
            first = first.or(Some(job));
        }
    }
    match first {
        Some(job) => Ok(HttpResponse::Accepted().json(job)),
        None => Ok(HttpResponse::NoContent().finish()),
    }
}

/// Takes held against their lead; 204 when not all of them were.
#[utoipa::path(params(DoublesAsked), responses((status = 200, body = DoublesView), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/doubles")]
pub async fn show_doubles(
    state: web::Data<State>,
    path: web::Path<String>,
    asked: web::Query<DoublesAsked>,
) -> Result<HttpResponse, ServerError> {
    let of: DoublesOf =
        serde_json::from_str(&asked.of).map_err(|e| ServerError::Invalid(format!("“of” is no plan: {e}")))?;
    let all = all_now(&state, &path, &of).await?;
    let drawn = match (of.pitch, all.first()) {
        (part, Some(now)) if part > 0.0 => {
            let lead = Now::of(state.db(), now.session.id, PitchOf { track: of.lead }).await?;
            Some((lead.result(state.db()).await?, part / 100.0))
        }
        _ => None,
    };
    let mut takes = Vec::new();
    for (one, now) in of.takes.iter().zip(&all) {
        let Some(found) = now.result(state.db()).await? else { return Ok(HttpResponse::NoContent().finish()) };
        let rows = of_session(state.db(), now.session.id).await?;
        let rate_hz = u64::from(now.session.rate()?);
        let rate = SampleRate::new(rate_hz).map_err(|e| ServerError::Internal(e.to_string()))?;
        takes.push(view((&of, one), now, (found, rate), (drawn.as_ref(), &rows)));
    }
    Ok(HttpResponse::Ok().json(DoublesView { takes }))
}

fn view(
    (plan, of): (&DoublesOf, &FollowerOf),
    now: &Now<DoubleOf>,
    (found, rate): (DoubleFound, SampleRate),
    (drawn, rows): (Option<&(Option<PitchFound>, f64)>, &[TrackRow]),
) -> DoubleView {
    let (course, refused) = match goes(plan, of, &found, rate) {
        Ok(course) => (course, None),
        Err(why) => (Vec::new(), Some(why)),
    };
    let run = |p: &[[f64; 2]]| (p[1][1] - p[0][1]) / (p[1][0] - p[0][0]);
    let ratio = course.windows(2).map(run).map(|r| r.max(1.0 / r)).fold(1.0, f64::max);
    let lead = &now.tracks[0];
    // Nobody has made it where the lead's pitch is not even known.
    let following = match drawn {
        None => Some(None),
        Some((pitch, part)) => pitch.clone().map(|pitch| Some((pitch, *part))),
    };
    let following =
        following.map(|drawn| Following { lead: lead.id, name: lead.name.clone(), course: course.clone(), drawn });
    let making = following.map(|f| Making::new(&now.tracks, of.take, How::Following(f)));
    let fits = !course.is_empty() && making.is_some_and(|m| m.made(rows).is_some());
    let made = results_of(&now.tracks[1..], rows).into_iter().map(MadeView::from).collect();
    // The first and the last only say that the lag stays.
    let goes = match course.as_slice() {
        [_, inside @ .., _] => inside.to_vec(),
        few => few.to_vec(),
    };
    DoubleView { take: of.take, found, goes, ratio, refused, made, fits }
}

/// Make takes anew as they follow their lead: answers the job, which ends with one decision.
#[utoipa::path(request_body = DoublesOf, responses((status = 202, content_type = "application/json", body = Uuid), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/doubles/make")]
pub async fn make_doubles(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<DoublesOf>,
) -> Result<HttpResponse, ServerError> {
    let of = of.into_inner();
    let all = all_now(&state, &path, &of).await?;
    let (session, lead) = (all[0].session.id, &all[0].tracks[0].name);
    let title = match all.as_slice() {
        [one] => format!("Bringing {} into time with {lead}", one.tracks[1].name),
        many => format!("Bringing {} takes into time with {lead}", many.len()),
    };
    let task = Task::Follow(of);
    let job = jobs::pending_or(state.db(), session, &task, &title).await?;
    state.workers.nudge(session);
    Ok(HttpResponse::Accepted().json(job))
}
