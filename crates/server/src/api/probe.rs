//! Test signals for paths: written as a file, found in what came back, and sent through simulated devices at once.

use super::state::State;
use super::upload::full;
use crate::error::{ErrorBody, ServerError};
use crate::intake::Part;
use actix_web::http::header::{ContentDisposition, DispositionParam, DispositionType};
use actix_web::{HttpResponse, get, post, web};
use futures_util::StreamExt;
use marea_core::probe::{Signal, written};
use marea_core::units::SampleRate;
use marea_media::write::{Depth, WavWriter, WriteSpec};
use marea_scene::stages::STAGES;
use marea_session::names::clean_file_name;
use marea_session::probes::{LONGEST_S, ProbeReport, probes};
use serde::{Deserialize, Serialize};
use std::io::Write;
use std::path::Path;
use utoipa::{IntoParams, ToSchema};

/// Largest recording with probes, in bytes.
const LARGEST: u64 = 256 << 20;
/// Rate of the simulated devices.
const STAGES_HZ: u64 = 48_000;

/// Which signal.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Wanted {
    /// `sweep`, or `noise` where a sweep is not allowed.
    #[param(value_type = String)]
    pub signal: Signal,
    /// Rate of the file in Hz; 48000 when it is not said.
    pub rate_hz: Option<u64>,
}

/// What a recording is called.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Called {
    /// Its name.
    pub name: String,
}

/// A device that is not there.
#[derive(Debug, Serialize, ToSchema)]
pub struct StandIn {
    /// What it is.
    pub name: String,
    /// What it says its latency is, in ms.
    pub stated_ms: f64,
}

/// A probe as a WAV file: half a second of silence, two seconds of signal, silence up to four seconds.
#[utoipa::path(params(Wanted), responses((status = 200, content((Vec<u8> = "audio/wav"))), (status = 422, body = ErrorBody)))]
#[get("/probe")]
pub async fn write_probe(state: web::Data<State>, wanted: web::Query<Wanted>) -> Result<HttpResponse, ServerError> {
    let rate = SampleRate::new(wanted.rate_hz.unwrap_or(STAGES_HZ)).map_err(|e| ServerError::Invalid(e.to_string()))?;
    let (signal, part) = (wanted.signal, Part(state.workers.store.part()));
    let bytes = web::block(move || -> std::io::Result<Vec<u8>> {
        let mut out = WavWriter::create(&part.0, WriteSpec::new(rate, 1, Depth::Int24))?;
        out.push(&written(signal, rate))?;
        out.finish()?;
        std::fs::read(&part.0)
    });
    let bytes = bytes.await.map_err(|e| ServerError::Internal(e.to_string()))??;
    let word = if signal == Signal::Sweep { "sweep" } else { "noise" };
    let name = DispositionParam::Filename(format!("probe-{word}-{}.wav", rate.hz()));
    let attached = ContentDisposition { disposition: DispositionType::Attachment, parameters: vec![name] };
    Ok(HttpResponse::Ok().content_type("audio/wav").insert_header(attached).body(bytes))
}

/// Find probes in a recording of what came back. Nothing is stored.
#[utoipa::path(
    params(Called),
    request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 200, body = Vec<ProbeReport>), (status = 422, body = ErrorBody))
)]
#[post("/probe/read")]
pub async fn read_probe(
    state: web::Data<State>,
    called: web::Query<Called>,
    mut body: web::Payload,
) -> Result<web::Json<Vec<ProbeReport>>, ServerError> {
    let name = clean_file_name(&called.name);
    state.workers.store.check_room(0)?;
    let part = Part(state.workers.store.part());
    let mut file = std::fs::File::create(&part.0).map_err(|e| full(e, &name))?;
    let mut bytes = 0;
    while let Some(chunk) = body.next().await {
        let chunk = chunk.map_err(|e| ServerError::Invalid(format!("“{name}” broke off: {e}")))?;
        bytes += chunk.len() as u64;
        if bytes > LARGEST {
            return Err(ServerError::Invalid(format!(
                "“{name}” is larger than 256 MiB: cut out the part with the probes"
            )));
        }
        file.write_all(&chunk).map_err(|e| full(e, &name))?;
    }
    drop(file);
    let found = web::block(move || found(&part.0, &name)).await.map_err(|e| ServerError::Internal(e.to_string()))??;
    Ok(web::Json(found))
}

fn found(path: &Path, name: &str) -> Result<Vec<ProbeReport>, ServerError> {
    let told = |e: marea_media::MediaError| ServerError::Invalid(format!("“{name}” {e}"));
    let info = marea_media::AudioReader::open(path).map_err(told)?.info().clone();
    if info.frames.unwrap_or(0) / u64::from(info.rate.hz()) > LONGEST_S {
        return Err(ServerError::Invalid(format!("“{name}” is longer than an hour: cut out the part with the probes")));
    }
    let (info, planes) = marea_media::read_all(path).map_err(told)?;
    Ok(probes(&planes, info.rate))
}

/// Simulated devices, which stand in for real ones.
#[utoipa::path(responses((status = 200, body = Vec<StandIn>)))]
#[get("/probe/devices")]
pub async fn list_devices() -> web::Json<Vec<StandIn>> {
    let ms = |samples: f64| samples * 1_000.0 / STAGES_HZ as f64;
    web::Json(STAGES.iter().map(|s| StandIn { name: s.name.into(), stated_ms: ms(s.stated) }).collect())
}

/// Send a sweep through a simulated device, by its place in the list, and measure what comes back.
#[utoipa::path(responses((status = 200, body = ProbeReport), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[post("/probe/devices/{device}")]
pub async fn probe_device(path: web::Path<String>) -> Result<web::Json<ProbeReport>, ServerError> {
    let at: usize = path.parse().map_err(|_| ServerError::NotFound("device"))?;
    let device = STAGES.get(at).ok_or(ServerError::NotFound("device"))?;
    let measured = web::block(move || -> Option<ProbeReport> {
        let rate = SampleRate::new(STAGES_HZ).ok()?;
        let came = device.process_seeded(&written(Signal::Sweep, rate), at as u64);
        probes(&[came], rate).into_iter().next()
    });
    let measured = measured.await.map_err(|e| ServerError::Internal(e.to_string()))?;
    measured.map(web::Json).ok_or_else(|| ServerError::Conflict(format!("no probe came back from {}", device.name)))
}
