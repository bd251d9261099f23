//! Waveforms to draw and sound to hear.

use super::state::{State, id};
use crate::db::bounds::Bounds;
use crate::db::{sessions, tracks};
use crate::derive::work::open;
use crate::error::{ErrorBody, ServerError};
use crate::jobs::{JobError, blocking};
use crate::listen::command::{Command, Play};
use crate::listen::player::{Player, Reply};
use crate::listen::wire::{PlayRange, Request, Said};
use crate::plans::PlanTried;
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, get, web};
use futures_util::StreamExt;
use marea_core::dsp::overview::LEVELS;
use marea_core::signal::Source;
use marea_core::units::SampleRate;
use marea_media::work::overview_range;
use std::os::unix::fs::FileExt;

/// Points in a tile.
pub const TILE_POINTS: usize = 1_024;
/// Samples in a tile of single samples.
pub const TILE_SAMPLES: usize = 8_192;

/// A tile of a track's waveform, in the recording's own frames: level `samples` gives 8 192 samples, level 0 to 5 gives 1 024
/// points of minimum, maximum and RMS, 64·4^level frames each. Little-endian `f32`. Empty past the end.
#[utoipa::path(responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[get("/sessions/{session}/tracks/{track}/tiles/{level}/{tile}")]
pub async fn tile(
    state: web::Data<State>,
    path: web::Path<(String, String, String, usize)>,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path.0, "session")?).await?;
    let track = tracks::get(state.db(), session.id, id(&path.1, "track")?).await?;
    let rate_hz = session.rate()?;
    let level = match path.2.as_str() {
        "samples" => None,
        text => Some(text.parse().ok().filter(|l| *l < LEVELS).ok_or(ServerError::NotFound("level"))?),
    };
    let (store, tile) = (state.workers.store.clone(), path.3);
    let done = blocking(move || {
        let told = |e: &dyn std::fmt::Display| JobError::Failed(format!("“{}” cannot be read: {e}", track.name));
        let file = open(&store, &track, rate_hz)?;
        if let Some(level) = level {
            let overview =
                std::fs::File::open(store.overview(&track.sha256, rate_hz, track.channel)).map_err(|e| told(&e))?;
            let (at, count) = overview_range(track.frames, level, tile.saturating_mul(TILE_POINTS), TILE_POINTS);
            let mut bytes = vec![0u8; count * 12];
            overview.read_exact_at(&mut bytes, at).map_err(|e| told(&e))?;
            return Ok(bytes);
        }
        let start = i64::try_from(tile.saturating_mul(TILE_SAMPLES)).unwrap_or(i64::MAX);
        let count = usize::try_from((track.frames.saturating_sub(start)).clamp(0, TILE_SAMPLES as i64)).unwrap_or(0);
        let mut samples = vec![0f32; count];
        file.read(start, &mut samples).map_err(|e| told(&e))?;
        Ok(samples.iter().flat_map(|v| v.to_le_bytes()).collect())
    })
    .await;
    let bytes: Vec<u8> = done.map_err(ServerError::from)?;
    // A recording never changes, so neither does a tile.
    Ok(HttpResponse::Ok()
        .content_type("application/octet-stream")
        .insert_header((header::CACHE_CONTROL, "private, max-age=31536000, immutable"))
        .body(bytes))
}

/// A WebSocket for listening; see the documentation of the wire format in ARCHITECTURE.md.
#[utoipa::path(responses((status = 101), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}/listen")]
pub async fn listen(
    state: web::Data<State>,
    path: web::Path<String>,
    req: HttpRequest,
    body: web::Payload,
) -> Result<HttpResponse, actix_web::Error> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?.id;
    let (response, mut socket, messages) = actix_ws::handle(&req, body)?;
    let mut messages = messages.max_frame_size(1 << 20).aggregate_continuations();
    let (player, mut replies) = Player::start(state.workers.store.clone());
    let mut ended = state.ended.clone();
    actix_web::rt::spawn(async move {
        loop {
            tokio::select! {
                _ = ended.changed() => break,
                reply = replies.recv() => match reply {
                    Some(Reply::Block(bytes)) => if socket.binary(bytes).await.is_err() { return },
                    Some(Reply::Trouble(text)) => if say(&mut socket, &text).await.is_err() { return },
                    Some(Reply::End(generation)) => if end(&mut socket, generation).await.is_err() { return },
                    None => break,
                },
                message = messages.next() => match message {
                    Some(Ok(actix_ws::AggregatedMessage::Text(text))) => {
                        let Ok(request) = serde_json::from_str::<Request>(&text) else {
                            let _ = say(&mut socket, "This request is not understood.").await;
                            continue;
                        };
                        if let Err(e) = follow(&state, session, &player, request).await
                            && say(&mut socket, &crate::error::sentence(&e.to_string())).await.is_err() {
                            return;
                        }
                    }
                    Some(Ok(actix_ws::AggregatedMessage::Ping(p))) => if socket.pong(&p).await.is_err() { return },
                    Some(Ok(_)) => {}
                    Some(Err(_)) | None => break,
                },
            }
        }
        let _ = socket.close(None).await;
    });
    Ok(response)
}

async fn say(socket: &mut actix_ws::Session, message: &str) -> Result<(), actix_ws::Closed> {
    let text = serde_json::to_string(&Said { kind: "trouble", message, generation: 0 }).unwrap_or_default();
    socket.text(text).await
}

async fn end(socket: &mut actix_ws::Session, generation: u32) -> Result<(), actix_ws::Closed> {
    let text = serde_json::to_string(&Said { kind: "end", message: "", generation }).unwrap_or_default();
    socket.text(text).await
}

async fn follow(state: &State, session: uuid::Uuid, player: &Player, request: Request) -> Result<(), ServerError> {
    match request {
        Request::Play { from, generation, mix, range } => {
            let s = sessions::get(state.db(), session).await?;
            let mut tracks = tracks::of_session(state.db(), session).await?;
            if let Some(tried) = &mix.tried {
                super::prints::tried(state, session, &mut tracks, tried).await?;
            }
            if let Some(plan) = &mix.plan {
                let patches = match plan.as_ref() {
                    PlanTried::Timing(of) => super::timing::planned(state, session, of).await?,
                    PlanTried::Layer(of) => super::layer::planned(state, session, of).await?,
                    PlanTried::Takes(of) => super::takes::planned(state, session, of).await?,
                    PlanTried::Passages(of) => super::passages::planned(state, session, of).await?,
                };
                for t in &mut tracks {
                    if let Some((_, patch)) = patches.iter().find(|(track, _)| *track == t.id) {
                        t.carried.edit = patch.on(t.edit());
                    }
                }
            }
            let rate = SampleRate::new(u64::from(s.rate()?)).map_err(|e| ServerError::Conflict(e.to_string()))?;
            // Whole frames sound as they are recorded, bit for bit; slowed down, a part of a frame does not matter.
            let bounds = Bounds::of(&tracks, s.rate_hz.unwrap_or(48_000));
            let within = |frame: i64| bounds.nearest(frame as f64) as i64;
            let range = range.map(|r| PlayRange { from: within(r.from), to: within(r.to), ..r });
            let play =
                Play { from: bounds.nearest(from).floor(), generation, mix, range, tracks, rate, tempo: s.tempo() };
            player.tell(Command::Play(Box::new(play)));
        }
        Request::Credit { blocks } => player.tell(Command::Credit(blocks.min(u32::MAX - 1))),
        Request::Stop => player.tell(Command::Stop),
    }
    Ok(())
}
