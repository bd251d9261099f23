//! Two lanes laid over one another: what their sum or difference looks like, by the renderer that also plays and delivers.

use super::sound::{TILE_POINTS, TILE_SAMPLES};
use super::state::{State, id};
use crate::db::bounds::Bounds;
use crate::db::{sessions, tracks};
use crate::derive::work::open;
use crate::error::{ErrorBody, ServerError};
use crate::jobs::{JobError, blocking};
use actix_web::http::header;
use actix_web::{HttpResponse, get, web};
use marea_core::dsp::overview::{OverviewBuilder, frames_a_point};
use marea_core::units::SampleRate;

/// Coarsest level: 1 024 frames a point. Further out two waveforms are a band each, and so is their sum.
pub const COARSEST: usize = 2;

/// A tile of the sum or the difference of two tracks as they are carried now, counted in session frames from 0 (before it: negative
/// tiles). Level `samples` gives 8 192 samples, level 0 to 2 gives 1 024 points of minimum, maximum and RMS, 64·4^level frames
/// each. Little-endian `f32`.
#[utoipa::path(responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[get("/sessions/{session}/overlay/{a}/{b}/{way}/{level}/{tile}")]
pub async fn overlay(
    state: web::Data<State>,
    path: web::Path<(String, String, String, String, String, i64)>,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path.0, "session")?).await?;
    let (a, b) = (
        tracks::get(state.db(), session.id, id(&path.1, "track")?).await?,
        tracks::get(state.db(), session.id, id(&path.2, "track")?).await?,
    );
    let sign = match path.3.as_str() {
        "sum" => 1.0,
        "difference" => -1.0,
        _ => return Err(ServerError::NotFound("way of laying over")),
    };
    let level = match path.4.as_str() {
        "samples" => None,
        text => Some(text.parse().ok().filter(|l| *l <= COARSEST).ok_or(ServerError::NotFound("level"))?),
    };
    let count = level.map_or(TILE_SAMPLES, |l| TILE_POINTS * frames_a_point(l));
    let rows = tracks::of_session(state.db(), session.id).await?;
    let start = path.5.saturating_mul(count as i64);
    Bounds::of(&rows, session.rate()?).check("the tile", [start])?;
    let (rate_hz, store) = (session.rate()?, state.workers.store.clone());
    let done = blocking(move || {
        let rate = SampleRate::new(u64::from(rate_hz)).map_err(|e| JobError::Failed(e.to_string()))?;
        let mut sum = vec![0f32; count];
        let mut one = vec![0f32; count];
        for (t, sign) in [(&a, 1.0), (&b, sign)] {
            let file = open(&store, t, rate_hz)?;
            let mut track = t.played(&file, rate);
            track.read(start, &mut one).map_err(|e| JobError::Failed(e.to_string()))?;
            sum.iter_mut().zip(&one).for_each(|(s, v)| *s += sign * v);
        }
        let Some(level) = level else { return Ok(bytes(sum)) };
        let mut points = OverviewBuilder::default();
        points.push(&sum);
        let points = points.finish().levels.swap_remove(level);
        Ok(bytes(points.into_iter().flat_map(|p| [p.min, p.max, p.rms])))
    })
    .await;
    match done {
        Ok(bytes) => Ok(HttpResponse::Ok()
            .content_type("application/octet-stream")
            // It follows the corrections, so it is asked for under another name when they change.
            .insert_header((header::CACHE_CONTROL, "private, max-age=60"))
            .body(bytes)),
        Err(e) => Err(e.into()),
    }
}

fn bytes(values: impl IntoIterator<Item = f32>) -> Vec<u8> {
    values.into_iter().flat_map(f32::to_le_bytes).collect()
}
