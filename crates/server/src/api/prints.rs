//! Prints against their sends: found, followed along time, corrected.

use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::patch::EditPatch;
use crate::db::sessions;
use crate::db::tracks::{self, TrackRow};
use crate::derive::Now;
use crate::derive::print::{Print, as_recorded};
use crate::derive::send::SendsFound;
use crate::error::{ErrorBody, ServerError};
use crate::listen::wire::Tried;
use crate::tasks::{Moving, PrintOf, SendOf};
use actix_web::{HttpResponse, get, post, web};
use marea_core::follow::{Left, Swung, Way, Wow};
use marea_core::verdict::Verdict;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Values of the lag in an answer, at most.
const MOST_VALUES: usize = 1_500;

/// Which print, and of which send.
#[derive(Debug, Deserialize, ToSchema, IntoParams)]
pub struct SendAndPrint {
    /// What was sent, or the first microphone.
    pub send: Uuid,
    /// What came back, or the second microphone.
    pub print: Uuid,
    /// What makes the lag change: a machine, when it is not said.
    #[serde(default)]
    pub moving: Moving,
}

/// The part of the session that is looked at; all of the print when it is not said.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Part {
    /// First session frame.
    pub from: Option<i64>,
    /// First session frame after it.
    pub to: Option<i64>,
}

/// A print whose send is looked for.
#[derive(Debug, Deserialize, ToSchema, IntoParams)]
pub struct OnePrint {
    /// The print.
    pub print: Uuid,
}

/// A way that is chosen.
#[derive(Debug, Deserialize, ToSchema)]
pub struct PrintChoice {
    /// What was sent.
    pub send: Uuid,
    /// What came back.
    pub print: Uuid,
    /// What makes the lag change: a machine, when it is not said.
    #[serde(default)]
    pub moving: Moving,
    /// Which; none leaves the print as recorded.
    pub way: Option<Way>,
}

/// How a print is carried now.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum PrintCarried {
    /// As recorded.
    Recorded,
    /// By one offset.
    Offset,
    /// By an offset and a constant speed.
    Drift,
    /// By all of the lag along time.
    Map,
    /// By something else: by hand, or by a way that was chosen before its send was moved.
    Other,
}

/// The lag along time: mean, least and most of the values about each point.
#[derive(Debug, Serialize, ToSchema)]
pub struct LagSeen {
    /// Session frame, as recorded, of the first point.
    pub first_frame: f64,
    /// Frames between two points.
    pub step_frames: f64,
    /// Frames that the print is later than its send.
    pub lag_frames: Vec<f64>,
    /// Least about each.
    pub least: Vec<f64>,
    /// Most about each.
    pub most: Vec<f64>,
    /// Which were measured; the others go on as those about them do.
    pub measured: Vec<bool>,
}

/// A print as it was followed.
#[derive(Debug, Serialize, ToSchema)]
pub struct PrintView {
    /// How sure.
    pub verdict: Verdict,
    /// Why.
    pub reason: String,
    /// Inverted against its send?
    pub invert: bool,
    /// Median lag in frames; none where nothing could be followed, as all below.
    pub later_frames: Option<f64>,
    /// How much longer the print is than its send, in parts of a million.
    pub drift_ppm: f64,
    /// Lag at the print's first frame on the straight line through all that was measured.
    pub line_frames: f64,
    /// Part of the sounding print that was measured.
    pub share: f64,
    /// What each way leaves of the print when the send is subtracted.
    pub left: Option<Left>,
    /// Periodic changes of speed, largest first.
    pub wow: Vec<Wow>,
    /// How its speed swings.
    pub spectrum: Vec<Swung>,
    /// The lag along time.
    pub lag: Option<LagSeen>,
    /// Ways that are there.
    pub ways: Vec<Way>,
    /// How it is carried now.
    pub carried: PrintCarried,
}

/// A track that a print may have been made from.
#[derive(Debug, Serialize, ToSchema)]
pub struct SendView {
    /// Which.
    pub track: Uuid,
    /// Median lag of the print, in frames.
    pub later_frames: f64,
    /// What the whole map leaves of the print when this track is subtracted, in dB.
    pub left_db: f64,
    /// How sure its lag is.
    pub verdict: Verdict,
}

/// What is known of a print's send.
#[derive(Debug, Serialize, ToSchema)]
pub struct SendsView {
    /// Tracks that may be it, the likeliest first; none where no track predicts the print.
    pub sends: Vec<SendView>,
    /// The first clearly is it.
    pub clear: bool,
    /// Tracks that were compared.
    pub compared: usize,
}

async fn now(state: &State, path: &str, of: &SendAndPrint) -> Result<Now<PrintOf>, ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    let now = Now::of(state.db(), session, PrintOf { send: of.send, print: of.print, moving: of.moving }).await?;
    if of.send == of.print {
        return Err(ServerError::Invalid("a track is followed against another one".into()));
    }
    Ok(now)
}

/// Ask for a print to be followed; answers the job, or 204 when it is there already.
#[utoipa::path(responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/prints")]
pub async fn request_print(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<SendAndPrint>,
) -> Result<HttpResponse, ServerError> {
    state.asked_for(&now(&state, &path, &of).await?).await
}

/// A print against its send; 204 when it has not been followed.
#[utoipa::path(params(SendAndPrint, Part), responses((status = 200, body = PrintView), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/prints")]
pub async fn show_print(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Query<SendAndPrint>,
    part: web::Query<Part>,
) -> Result<HttpResponse, ServerError> {
    let now = now(&state, &path, &of).await?;
    let Some(print) = now.result(state.db()).await? else { return Ok(HttpResponse::NoContent().finish()) };
    let [send, came] = [&now.tracks[0], &now.tracks[1]];
    let any = !print.found.lag_frames.is_empty();
    Ok(HttpResponse::Ok().json(PrintView {
        lag: any.then(|| seen(&print, came.start_frame, &part)),
        carried: carried(&print, [send, came]),
        later_frames: any.then_some(print.found.later_frames),
        left: any.then_some(print.found.left),
        ways: print.ways.iter().map(|w| w.0).collect(),
        verdict: print.found.verdict,
        reason: print.found.reason,
        invert: print.found.invert,
        drift_ppm: print.found.drift_ppm,
        line_frames: print.found.line_frames,
        share: print.found.share,
        wow: print.found.wow,
        spectrum: print.spectrum,
    }))
}

/// The lag in a part of the session, in so many points at most.
fn seen(print: &Print, start: i64, part: &Part) -> LagSeen {
    let f = &print.found;
    let value =
        |frame: i64| ((frame.saturating_sub(start)) as f64 / f.step_frames).clamp(0.0, f.lag_frames.len() as f64);
    let from = part.from.map_or(0, |frame| value(frame) as usize);
    let to = part.to.map_or(f.lag_frames.len(), |frame| value(frame).ceil() as usize).max(from);
    let n = (to - from).div_ceil(MOST_VALUES).max(1);
    let lags = || f.lag_frames[from..to].chunks(n);
    LagSeen {
        first_frame: start as f64 + (from as f64 + n as f64 / 2.0) * f.step_frames,
        step_frames: n as f64 * f.step_frames,
        lag_frames: lags().map(|c| c.iter().sum::<f64>() / c.len() as f64).collect(),
        least: lags().map(|c| c.iter().copied().fold(f64::INFINITY, f64::min)).collect(),
        most: lags().map(|c| c.iter().copied().fold(f64::NEG_INFINITY, f64::max)).collect(),
        measured: f.measured[from..to].chunks(n).map(|c| 2 * c.iter().filter(|m| **m).count() >= c.len()).collect(),
    }
}

/// Which way a print is carried in now.
fn carried(print: &Print, tracks: [&TrackRow; 2]) -> PrintCarried {
    let is = |patch: &EditPatch| patch.on(tracks[1].edit()) == *tracks[1].edit();
    if is(&as_recorded()) {
        return PrintCarried::Recorded;
    }
    match print.ways.iter().find(|w| print.patch(w.0, tracks).is_ok_and(|p| is(&p))).map(|w| w.0) {
        Some(Way::Offset) => PrintCarried::Offset,
        Some(Way::Drift) => PrintCarried::Drift,
        Some(Way::Map) => PrintCarried::Map,
        None => PrintCarried::Other,
    }
}

/// Correct a print in one of the ways, or leave it as recorded: one decision, also for what is linked with it.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/prints/choice")]
pub async fn correct_print(
    state: web::Data<State>,
    path: web::Path<String>,
    choice: web::Json<PrintChoice>,
) -> Result<HttpResponse, ServerError> {
    let of = SendAndPrint { send: choice.send, print: choice.print, moving: choice.moving };
    let now = now(&state, &path, &of).await?;
    let print = now.result(state.db()).await?.ok_or(ServerError::NotFound("followed print"))?;
    let [send, came] = [&now.tracks[0], &now.tracks[1]];
    let patch = match choice.way {
        Some(way) => print.patch(way, [send, came])?,
        None => as_recorded(),
    };
    let label = match choice.way {
        Some(Way::Offset) => format!("{}: one offset onto {}", came.name, send.name),
        Some(Way::Drift) => format!("{}: offset and speed onto {}", came.name, send.name),
        Some(Way::Map) if choice.moving == Moving::Walker => {
            format!("{}: follows who walks, onto {}", came.name, send.name)
        }
        Some(Way::Map) => format!("{}: its whole lag taken out, onto {}", came.name, send.name),
        None => format!("{}: as recorded", came.name),
    };
    let all = tracks::of_session(state.db(), now.session.id).await?;
    let along = |t: &&TrackRow| t.id == came.id || (t.link_id.is_some() && t.link_id == came.link_id);
    let changes = all.iter().filter(along).map(|t| NewChange::to(t.id, patch.clone())).collect();
    let made = decisions::decide(state.db(), now.session.id, &NewDecision::of(label, changes)).await?;
    state.workers.changed(now.session.id).await;
    Ok(HttpResponse::Created().json(made))
}

/// Puts on the tracks what a way would make of a print: for listening before anything is decided.
///
/// # Errors
/// [`ServerError::NotFound`] for a print that was not followed; as [`Print::patch`] says.
pub(super) async fn tried(
    state: &State,
    session: Uuid,
    rows: &mut [TrackRow],
    Tried { send, print, moving, way }: &Tried,
) -> Result<(), ServerError> {
    let now = Now::of(state.db(), session, PrintOf { send: *send, print: *print, moving: *moving }).await?;
    let found = now.result(state.db()).await?.ok_or(ServerError::NotFound("followed print"))?;
    let [send, came] = [&now.tracks[0], &now.tracks[1]];
    let patch = found.patch(*way, [send, came])?;
    let along = |t: &&mut TrackRow| t.id == came.id || (t.link_id.is_some() && t.link_id == came.link_id);
    rows.iter_mut().filter(along).for_each(|t| t.carried.edit = patch.on(t.edit()));
    Ok(())
}

async fn looked_for(state: &State, path: &str, of: &OnePrint) -> Result<Now<SendOf>, ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    Now::of(state.db(), session, SendOf { print: of.print }).await
}

/// Ask for the send of a print to be looked for; answers the job, or 204 when it was found already.
#[utoipa::path(responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[post("/sessions/{session}/prints/send")]
pub async fn look_for_send(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<OnePrint>,
) -> Result<HttpResponse, ServerError> {
    state.asked_for(&looked_for(&state, &path, &of).await?).await
}

/// Tracks that a print may have been made from; 204 when they have not been looked for.
#[utoipa::path(params(OnePrint), responses((status = 200, body = SendsView), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[get("/sessions/{session}/prints/send")]
pub async fn show_send(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Query<OnePrint>,
) -> Result<HttpResponse, ServerError> {
    let now = looked_for(&state, &path, &of).await?;
    let Some(SendsFound { tracks, sends }) = now.result(state.db()).await? else {
        return Ok(HttpResponse::NoContent().finish());
    };
    let one = |c: &marea_core::follow::Candidate| SendView {
        track: tracks[c.track],
        later_frames: c.later_frames,
        left_db: c.left_db,
        verdict: c.verdict,
    };
    let (shown, clear) = (sends.candidates.iter().map(one).collect(), sends.clear);
    Ok(HttpResponse::Ok().json(SendsView { sends: shown, clear, compared: tracks.len() }))
}
