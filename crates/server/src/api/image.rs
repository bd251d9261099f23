//! Two or more tracks as the channels of one recording.

use super::{State, id, rate};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::tracks::{TrackPatch, TrackRow};
use crate::db::{images, jobs, sessions, tracks};
use crate::error::{ErrorBody, ServerError};
use crate::jobs::Task;
use crate::jobs::image::{basis, set_of};
use actix_web::{HttpResponse, get, post, web};
use marea_core::correct::Correction;
use marea_core::decide::repair::{Names, Proposed, Repair, repair};
use marea_core::measure::Verdict;
use marea_core::measure::image::Image;
use marea_core::measure::image::fold::FoldBand;
use marea_core::measure::image::layout::{Order, Place, usual};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Channels at most, as in a file.
const MOST: usize = 16;

/// Which tracks, in the order of the channels.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Channels {
    /// Ids.
    pub tracks: Vec<Uuid>,
}

/// An image and what is proposed, as the tracks are carried now.
#[derive(Debug, Serialize, ToSchema)]
pub struct ImageView {
    /// As measured.
    pub image: Image,
    /// Judged.
    pub repair: Repair,
    /// Where each channel is to sound; none for an unknown layout.
    pub places: Option<Vec<Place>>,
    /// The fold-down to stereo by third-octave (ITU-R BS.775); empty for an unknown layout.
    pub to_stereo: Vec<FoldBand>,
    /// The fold-down to mono.
    pub to_mono: Vec<FoldBand>,
}

struct Asked {
    session: Uuid,
    rows: Vec<TrackRow>,
    ids: Vec<Uuid>,
    basis: String,
}

impl Asked {
    async fn of(state: &State, path: &str, ids: &[Uuid]) -> Result<Self, ServerError> {
        let session = sessions::get(state.db(), id(path, "session")?).await?;
        let mut seen = ids.to_vec();
        seen.sort_unstable();
        seen.dedup();
        if seen.len() != ids.len() || !(2..=MOST).contains(&ids.len()) {
            return Err(ServerError::Invalid(format!("an image takes 2 to {MOST} different tracks")));
        }
        let mut rows = Vec::new();
        for track in ids {
            rows.push(tracks::get(state.db(), session.id, *track).await?);
        }
        let basis = basis(&rows, rate(&session)?);
        Ok(Self { session: session.id, rows, ids: ids.to_vec(), basis })
    }

    async fn view(&self, state: &State) -> Result<ImageView, ServerError> {
        let image = images::get(state.db(), self.session, &set_of(&self.ids), &self.basis)
            .await?
            .ok_or(ServerError::NotFound("image"))?;
        let places = usual(self.rows.len(), Order::Wav);
        let repair = repair(&image, &Names { places: places.as_deref() });
        let fold = |f: fn(&marea_core::measure::image::fold::BandPowers, &[Place]) -> Vec<FoldBand>| {
            places.as_deref().map_or(Vec::new(), |p| f(&image.bands, p))
        };
        let to_stereo = fold(marea_core::measure::image::fold::BandPowers::to_stereo);
        let to_mono = fold(marea_core::measure::image::fold::BandPowers::to_mono);
        Ok(ImageView { image, repair, places, to_stereo, to_mono })
    }
}

/// Ids from a query: `tracks=ID,ID`.
#[derive(Debug, Deserialize, ToSchema, utoipa::IntoParams)]
pub struct ChannelQuery {
    /// Ids with commas between.
    pub tracks: String,
}

impl ChannelQuery {
    fn ids(&self) -> Result<Vec<Uuid>, ServerError> {
        self.tracks.split(',').map(|t| id(t, "track")).collect()
    }
}

/// Ask for the image of tracks as they are carried now; answers the job, or 204 when it is there already.
#[utoipa::path(responses((status = 202, body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/image")]
pub async fn request_image(
    state: web::Data<State>,
    path: web::Path<String>,
    wanted: web::Json<Channels>,
) -> Result<HttpResponse, ServerError> {
    let asked = Asked::of(&state, &path, &wanted.tracks).await?;
    if images::get(state.db(), asked.session, &set_of(&asked.ids), &asked.basis).await?.is_some() {
        return Ok(HttpResponse::NoContent().finish());
    }
    let task = Task::Image { tracks: asked.ids.clone(), basis: asked.basis.clone() };
    let job = match jobs::pending(state.db(), asked.session, &task).await? {
        Some(job) => job,
        None => {
            let title = format!("Looking at the image of {}", asked.rows[0].name);
            jobs::enqueue(state.db(), asked.session, &task, &title).await?
        }
    };
    state.workers.nudge(asked.session);
    Ok(HttpResponse::Accepted().json(job))
}

/// The image of tracks as they are carried now, when there is one.
#[utoipa::path(params(ChannelQuery), responses((status = 200, body = ImageView), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/image")]
pub async fn show_image(
    state: web::Data<State>,
    path: web::Path<String>,
    wanted: web::Query<ChannelQuery>,
) -> Result<web::Json<ImageView>, ServerError> {
    let asked = Asked::of(&state, &path, &wanted.ids()?).await?;
    Ok(web::Json(asked.view(&state).await?))
}

/// Take the proposed repair over, on top of what the tracks carry: one decision.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/image/accept")]
pub async fn accept_repair(
    state: web::Data<State>,
    path: web::Path<String>,
    wanted: web::Json<Channels>,
) -> Result<HttpResponse, ServerError> {
    let asked = Asked::of(&state, &path, &wanted.tracks).await?;
    let view = asked.view(&state).await?;
    let accepted = |p: &Proposed| if p.verdict > Verdict::Undecided { p.correction } else { Correction::default() };
    let proposed: Vec<Correction> = view.repair.channels.iter().map(accepted).collect();
    if proposed.iter().all(Correction::is_neutral) {
        return Err(ServerError::Conflict("nothing is proposed for these channels".into()));
    }
    // Every channel is named, also those that stay: a linked set would move together otherwise.
    let changes = asked.rows.iter().zip(&proposed).map(|(t, k)| NewChange {
        track_id: t.id,
        after: TrackPatch {
            offset_frames: Some(t.offset_frames + k.offset_frames),
            invert: Some(t.invert != k.invert),
            gain_db: Some(t.gain_db + k.gain_db),
            ..TrackPatch::default()
        },
    });
    let changes: Vec<NewChange> = changes.collect();
    let texts: Vec<&str> =
        view.repair.findings.iter().filter(|f| !f.advice.is_empty()).map(|f| f.advice.as_str()).collect();
    let label = format!("Repaired {}: {}", asked.rows[0].name, texts.join(" "));
    let made = decisions::decide(state.db(), asked.session, &NewDecision { label, changes, with_groups: false }).await?;
    state.workers.changed(asked.session).await;
    Ok(HttpResponse::Created().json(made))
}
