//! Two tracks against each other.

use super::state::{State, id, rate};
use crate::db::{jobs, measurements, sessions, tracks};
use crate::error::{ErrorBody, ServerError};
use crate::jobs::measure::{basis, open};
use crate::jobs::{JobError, blocking};
use crate::tasks::Task;
use actix_web::{HttpResponse, get, post, web};
use marea_core::measure::pair::PairMeasurement;
use marea_core::measure::pair::response::{BandGain, Response};
use marea_core::signal::Placed;
use marea_core::units::{LagUnits, SampleRate, speed_of_sound_m_s};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Which two.
#[derive(Debug, Deserialize, ToSchema, IntoParams)]
pub struct Pair {
    /// Anchor.
    pub a: Uuid,
    /// Other.
    pub b: Uuid,
}

/// A measurement, and how the two stand with what they carry now.
#[derive(Debug, Serialize, ToSchema)]
pub struct PairView {
    /// As recorded.
    pub measurement: PairMeasurement,
    /// The lag in every unit; none when undecided.
    pub lag: Option<LagUnits>,
    /// What is left of the lag with the corrections carried now.
    pub remaining: Option<LagUnits>,
}

/// What the sum of two tracks keeps with the corrections they carry now.
#[derive(Debug, Serialize, ToSchema)]
pub struct PairSum {
    /// By third-octave.
    pub sum_gain: Vec<BandGain>,
    /// Energy left of A when B is subtracted, dB.
    pub null_depth_db: f64,
}

/// Ask for the measurement of B against A as recorded; answers the job, or 204 when it is there already.
#[utoipa::path(responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/pairs")]
pub async fn request_pair(
    state: web::Data<State>,
    path: web::Path<String>,
    pair: web::Json<Pair>,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    if pair.a == pair.b {
        return Err(ServerError::Invalid("a track is not measured against itself".into()));
    }
    let (a, b) =
        (tracks::get(state.db(), session.id, pair.a).await?, tracks::get(state.db(), session.id, pair.b).await?);
    if measurements::get(state.db(), a.id, b.id, &basis(&a, &b, rate(&session)?)).await?.is_some() {
        return Ok(HttpResponse::NoContent().finish());
    }
    let task = Task::Measure { a: a.id, b: b.id };
    let job = match jobs::pending(state.db(), session.id, &task).await? {
        Some(job) => job,
        None => {
            jobs::enqueue(state.db(), session.id, &task, &format!("Measuring {} against {}", b.name, a.name)).await?
        }
    };
    state.workers.nudge(session.id);
    Ok(HttpResponse::Accepted().json(job))
}

/// The measurement of B against A, when there is one.
#[utoipa::path(params(Pair), responses((status = 200, body = PairView), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}/pairs")]
pub async fn show_pair(
    state: web::Data<State>,
    path: web::Path<String>,
    pair: web::Query<Pair>,
) -> Result<web::Json<PairView>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    let (a, b) =
        (tracks::get(state.db(), session.id, pair.a).await?, tracks::get(state.db(), session.id, pair.b).await?);
    let rate_hz = rate(&session)?;
    let measurement = measurements::get(state.db(), a.id, b.id, &basis(&a, &b, rate_hz))
        .await?
        .ok_or(ServerError::NotFound("measurement"))?;
    let units = |frames: f64| {
        let rate = SampleRate::new(u64::from(rate_hz)).ok()?;
        Some(LagUnits::of(frames, rate, speed_of_sound_m_s(session.temperature_c).unwrap_or(343.2), session.bpm))
    };
    let moved = b.edit().placement.total() - a.edit().placement.total();
    Ok(web::Json(PairView {
        lag: measurement.lag_frames.and_then(units),
        remaining: measurement.lag_frames.and_then(|l| units(l + moved)),
        measurement,
    }))
}

/// What the sum keeps with the corrections carried now, at the hits of the measurement.
#[utoipa::path(params(Pair), responses((status = 200, body = PairSum), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}/pairs/sum")]
pub async fn pair_sum(
    state: web::Data<State>,
    path: web::Path<String>,
    pair: web::Query<Pair>,
) -> Result<web::Json<PairSum>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    let (a, b) =
        (tracks::get(state.db(), session.id, pair.a).await?, tracks::get(state.db(), session.id, pair.b).await?);
    let rate_hz = rate(&session)?;
    let measured = measurements::get(state.db(), a.id, b.id, &basis(&a, &b, rate_hz))
        .await?
        .ok_or(ServerError::NotFound("measurement"))?;
    let store = state.workers.store.clone();
    let done = blocking(move || {
        let rate = SampleRate::new(u64::from(rate_hz)).map_err(|e| JobError::Failed(e.to_string()))?;
        let (sa, sb) = (open(&store, &a, rate_hz)?, open(&store, &b, rate_hz)?);
        let (pa, pb) = (Placed { source: &sa, start: a.start_frame }, Placed { source: &sb, start: b.start_frame });
        // Only the difference of the two corrections counts for their sum.
        let offset = b.edit().placement.total() - a.edit().placement.total();
        let invert = b.edit().invert != a.edit().invert;
        let response = Response::measure(&pa, &pb, &measured.hit_frames, -offset, rate)
            .map_err(|e| JobError::Failed(e.to_string()))?;
        Ok(PairSum {
            sum_gain: response.sum_gain(offset, invert),
            null_depth_db: response.null_depth_db(offset, invert),
        })
    })
    .await;
    match done {
        Ok(sum) => Ok(web::Json(sum)),
        Err(e) => Err(e.into()),
    }
}
