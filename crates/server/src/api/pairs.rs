//! Two tracks against each other.

use super::check::Judged;
use super::state::{State, id};
use crate::db::sessions;
use crate::db::tracks::TrackRow;
use crate::derive::Now;
use crate::derive::work::open;
use crate::error::{ErrorBody, ServerError};
use crate::jobs::{JobError, blocking};
use crate::tasks::PairOf;
use actix_web::{HttpResponse, get, post, web};
use marea_core::measure::pair::PairMeasurement;
use marea_core::measure::pair::response::{BandGain, Response};
use marea_core::progress::MeasureError;
use marea_core::render::track::Carried;
use marea_core::signal::Placed;
use marea_core::units::{Conditions, LagUnits, SampleRate, SessionFrame};
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

impl Pair {
    async fn now(&self, state: &State, path: &str) -> Result<Now<PairOf>, ServerError> {
        let session = sessions::get(state.db(), id(path, "session")?).await?.id;
        let now = Now::of(state.db(), session, PairOf { a: self.a, b: self.b }).await?;
        if self.a == self.b {
            return Err(ServerError::Invalid("a track is not measured against itself".into()));
        }
        Ok(now)
    }
}

/// A measurement, and how the two stand with what they carry now.
#[derive(Debug, Serialize, ToSchema)]
pub struct PairView {
    /// As recorded.
    pub measurement: PairMeasurement,
    /// The other is to be inverted against the anchor: what keeps more of the sound.
    pub propose_invert: bool,
    /// All microphones of the session decided that, in the check; else the two alone.
    pub by_check: bool,
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
    let now = pair.now(&state, &path).await?;
    state.asked_for(&now).await
}

/// The measurement of B against A; 204 when it has not been measured.
#[utoipa::path(params(Pair), responses((status = 200, body = PairView), (status = 204), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/pairs")]
pub async fn show_pair(
    state: web::Data<State>,
    path: web::Path<String>,
    pair: web::Query<Pair>,
) -> Result<HttpResponse, ServerError> {
    let now = pair.now(&state, &path).await?;
    let Some(measurement) = now.result(state.db()).await? else { return Ok(HttpResponse::NoContent().finish()) };
    let (session, rate_hz, [a, b]) = (&now.session, now.session.rate()?, [&now.tracks[0], &now.tracks[1]]);
    let units = |frames: f64| {
        let rate = SampleRate::new(u64::from(rate_hz)).ok()?;
        Some(LagUnits::of(frames, Conditions { rate, air: session.air() }, session.bpm))
    };
    let remaining = |lag: f64| {
        let at = |t: &TrackRow, hit: &SessionFrame| (hit.0 - t.start_frame) as f64;
        let moments = measurement.hit_frames.iter().map(|hit| [at(b, hit) + lag, at(a, hit)]);
        units(lag + b.edit().later_than(a.edit(), moments))
    };
    let by_check = Judged::of(&state, session.id).await.ok().and_then(|j| j.inverted_between(a.id, b.id));
    Ok(HttpResponse::Ok().json(PairView {
        propose_invert: by_check.unwrap_or(measurement.propose_invert),
        by_check: by_check.is_some(),
        lag: measurement.lag_frames.and_then(units),
        remaining: measurement.lag_frames.and_then(remaining),
        measurement,
    }))
}

fn carried<'a>(source: &'a Carried<'a>) -> Placed<'a> {
    Placed { source, start: SessionFrame(0) }
}

/// What the sum keeps with the corrections carried now, at the hits of the measurement.
#[utoipa::path(params(Pair), responses((status = 200, body = PairSum), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/pairs/sum")]
pub async fn pair_sum(
    state: web::Data<State>,
    path: web::Path<String>,
    pair: web::Query<Pair>,
) -> Result<web::Json<PairSum>, ServerError> {
    let now = pair.now(&state, &path).await?;
    let measured = now.result(state.db()).await?.ok_or(ServerError::NotFound("measurement"))?;
    let (rate_hz, tracks) = (now.session.rate()?, now.tracks);
    let store = state.workers.store.clone();
    let done = blocking(move || {
        let rate = SampleRate::new(u64::from(rate_hz)).map_err(|e| JobError::Failed(e.to_string()))?;
        let [a, b] = [&tracks[0], &tracks[1]];
        let (sa, sb) = (open(&store, a, rate_hz)?, open(&store, b, rate_hz)?);
        let (pa, pb) = (Placed { source: &sa, start: a.start() }, Placed { source: &sb, start: b.start() });
        let hits: Vec<i64> = measured.hit_frames.iter().map(|h| h.0).collect();
        let told = |e: MeasureError| JobError::Failed(e.to_string());
        // Only the difference of the two corrections counts for their sum.
        let offset = b.edit().placement.offset_frames - a.edit().placement.offset_frames;
        let invert = b.edit().invert != a.edit().invert;
        let response = Response::measure(&pa, &pb, &hits, -offset.0, rate).map_err(told)?;
        let sum_gain = response.sum_gain(offset.0, invert);
        if a.edit().is_rigid() && b.edit().is_rigid() {
            return Ok(PairSum { sum_gain, null_depth_db: response.null_depth_db(offset.0, invert) });
        }
        // Where they are carried in pieces the sum is that of the pieces, at the hits where A plays them now.
        let (ca, cb) = (Carried::new(a.played(&sa, rate)), Carried::new(b.played(&sb, rate)));
        let (pa, pb) = (carried(&ca), carried(&cb));
        let now = |hit: &i64| hit + a.edit().moved_at((hit - a.start_frame) as f64).round() as i64;
        let hits: Vec<i64> = hits.iter().map(now).collect();
        let response = Response::measure(&pa, &pb, &hits, 0.0, rate).map_err(told)?;
        let pieces = response.sum_gain(0.0, false);
        let both = sum_gain.into_iter().zip(pieces).map(|(was, is)| BandGain { corrected_db: is.corrected_db, ..was });
        Ok(PairSum { sum_gain: both.collect(), null_depth_db: response.null_depth_db(0.0, false) })
    })
    .await;
    match done {
        Ok(sum) => Ok(web::Json(sum)),
        Err(e) => Err(e.into()),
    }
}
