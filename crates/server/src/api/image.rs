//! Two or more tracks as the channels of one recording.

use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::patch::EditPatch;
use crate::db::tracks::{TrackRow, named};
use crate::db::{sessions, tracks};
use crate::derive::Now;
use crate::error::{ErrorBody, ServerError};
use crate::tasks::ImageOf;
use actix_web::{HttpResponse, get, post, web};
use marea_core::decide::image::judged::{Names, Proposed};
use marea_core::decide::image::{Repair, repair};
use marea_core::edit::Correction;
use marea_core::edit::stretch::{Stretch, with_stretch};
use marea_core::measure::image::Image;
use marea_core::measure::image::fold::FoldBand;
use marea_core::measure::image::layout::{Order, Place, of_mask, usual};
use marea_core::units::{RecordingFrame, SessionFrame};
use marea_core::verdict::Verdict;
use marea_media::AudioReader;
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
    /// Only from this session frame on.
    #[serde(default)]
    pub from: Option<i64>,
    /// Only up to this one.
    #[serde(default)]
    pub to: Option<i64>,
    /// Order of the channels when their file says nothing of it.
    #[serde(default)]
    pub order: Order,
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
    /// Direction of each in degrees, 0 ahead, positive to the right (ITU-R BS.775, BS.2051); empty for an unknown layout.
    pub degrees: Vec<f64>,
    /// The file itself says so.
    pub places_by_file: bool,
    /// The fold-down to stereo by third-octave (ITU-R BS.775); empty for an unknown layout.
    pub to_stereo: Vec<FoldBand>,
    /// The fold-down to mono.
    pub to_mono: Vec<FoldBand>,
}

struct Asked {
    now: Now<ImageOf>,
    order: Order,
    rate_hz: u32,
}

/// A session frame in seconds, for people.
fn seconds(frame: i64, rate_hz: u32) -> String {
    format!("{:.3}", frame as f64 / f64::from(rate_hz))
}

impl Asked {
    async fn of(state: &State, path: &str, wanted: &Channels) -> Result<Self, ServerError> {
        let session = sessions::get(state.db(), id(path, "session")?).await?;
        let ids = &wanted.tracks;
        let mut seen = ids.to_vec();
        seen.sort_unstable();
        seen.dedup();
        if seen.len() != ids.len() || !(2..=MOST).contains(&ids.len()) {
            return Err(ServerError::Invalid(format!("an image takes 2 to {MOST} different tracks")));
        }
        let rows = named(&tracks::of_session(state.db(), session.id).await?, ids)?;
        let rate_hz = session.rate()?;
        let range = match (wanted.from, wanted.to) {
            (None, None) => None,
            (from, to) => Some(within(&rows, from.unwrap_or(i64::MIN), to.unwrap_or(i64::MAX), rate_hz)?),
        };
        let now = Now::of(state.db(), session.id, ImageOf { tracks: ids.clone(), range }).await?;
        Ok(Self { now, order: wanted.order, rate_hz })
    }

    /// What the file says of its channels, when the tracks are all of one and in its order.
    fn mask(&self, state: &State) -> Option<Vec<Place>> {
        let first = self.now.tracks.first()?;
        let whole = usize::from(first.channels) == self.now.tracks.len()
            && self.now.tracks.iter().zip(1..).all(|(t, c)| t.sha256 == first.sha256 && t.channel == c);
        let reader = whole.then(|| AudioReader::open(&state.workers.store.recording(&first.sha256)).ok())??;
        of_mask(reader.info().channel_mask?, self.now.tracks.len())
    }

    async fn view(&self, state: &State) -> Result<ImageView, ServerError> {
        let image = self.now.result(state.db()).await?.ok_or(ServerError::NotFound("image"))?;
        let told = self.mask(state);
        let places_by_file = told.is_some();
        let places = told.or_else(|| usual(self.now.tracks.len(), self.order));
        let repair = repair(&image, &Names { places: places.as_deref() });
        let fold = |f: fn(&marea_core::measure::image::fold::BandPowers, &[Place]) -> Vec<FoldBand>| {
            places.as_deref().map_or(Vec::new(), |p| f(&image.bands, p))
        };
        let to_stereo = fold(marea_core::measure::image::fold::BandPowers::to_stereo);
        let to_mono = fold(marea_core::measure::image::fold::BandPowers::to_mono);
        let degrees = places.iter().flatten().map(|p| p.degrees()).collect();
        Ok(ImageView { image, repair, places, degrees, places_by_file, to_stereo, to_mono })
    }
}

/// Ids from a query: `tracks=ID,ID`.
#[derive(Debug, Deserialize, ToSchema, utoipa::IntoParams)]
pub struct ChannelQuery {
    /// Ids with commas between.
    pub tracks: String,
    /// Only from this session frame on.
    pub from: Option<i64>,
    /// Only up to this one.
    pub to: Option<i64>,
    /// Order of the channels when their file says nothing of it.
    #[serde(default)]
    pub order: Order,
}

/// A range that holds enough of the tracks to be measured.
fn within(rows: &[TrackRow], from: i64, to: i64, rate_hz: u32) -> Result<[i64; 2], ServerError> {
    let first = rows.iter().map(|t| t.start_frame).min().unwrap_or(0);
    let end = rows.iter().map(|t| t.start_frame + t.frames).max().unwrap_or(0);
    let range = [from.max(first), to.min(end)];
    if range[1].saturating_sub(range[0]) < i64::from(rate_hz) / 2 {
        return Err(ServerError::Invalid("the range holds less than half a second of these tracks".into()));
    }
    Ok(range)
}

impl ChannelQuery {
    fn channels(&self) -> Result<Channels, ServerError> {
        let tracks = self.tracks.split(',').map(|t| id(t, "track")).collect::<Result<_, _>>()?;
        Ok(Channels { tracks, from: self.from, to: self.to, order: self.order })
    }
}

/// Ask for the image of tracks as they are carried now; answers the job, or 204 when it is there already.
#[utoipa::path(responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/image")]
pub async fn request_image(
    state: web::Data<State>,
    path: web::Path<String>,
    wanted: web::Json<Channels>,
) -> Result<HttpResponse, ServerError> {
    let asked = Asked::of(&state, &path, &wanted).await?;
    state.asked_for(&asked.now).await
}

/// The image of tracks as they are carried now; 204 when it has not been measured so.
#[utoipa::path(params(ChannelQuery), responses((status = 200, body = ImageView), (status = 204), (status = 404, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/image")]
pub async fn show_image(
    state: web::Data<State>,
    path: web::Path<String>,
    wanted: web::Query<ChannelQuery>,
) -> Result<HttpResponse, ServerError> {
    let asked = Asked::of(&state, &path, &wanted.channels()?).await?;
    match asked.view(&state).await {
        Ok(view) => Ok(HttpResponse::Ok().json(view)),
        // The tracks changed since it was asked for: nothing is wrong.
        Err(ServerError::NotFound("image")) => Ok(HttpResponse::NoContent().finish()),
        Err(e) => Err(e),
    }
}

/// What to take over.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Accept {
    /// Of which channels.
    #[serde(flatten)]
    pub channels: Channels,
    /// Only the range carries it, not the whole of the tracks.
    #[serde(default)]
    pub only_range: bool,
}

/// Take the proposed repair over, on top of what the tracks carry: one decision.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/image/accept")]
pub async fn accept_repair(
    state: web::Data<State>,
    path: web::Path<String>,
    wanted: web::Json<Accept>,
) -> Result<HttpResponse, ServerError> {
    let asked = Asked::of(&state, &path, &wanted.channels).await?;
    let view = asked.view(&state).await?;
    let accepted = |p: &Proposed| if p.verdict > Verdict::Undecided { p.correction } else { Correction::default() };
    let proposed: Vec<Correction> = view.repair.channels.iter().map(accepted).collect();
    if proposed.iter().all(Correction::is_neutral) {
        return Err(ServerError::Conflict("nothing is proposed for these channels".into()));
    }
    let range = asked.now.of.range.filter(|_| wanted.only_range);
    if wanted.only_range && range.is_none() {
        return Err(ServerError::Invalid("there is no range to repair".into()));
    }
    // Every channel is named, also those that stay: a linked set would move together otherwise.
    let changes = asked.now.tracks.iter().zip(&proposed).map(|(t, k)| {
        let after = match range {
            Some([from, to]) => {
                let from = t.own_frame(SessionFrame(from)).max(RecordingFrame(0));
                let to = t.own_frame(SessionFrame(to)).min(RecordingFrame(t.frames));
                let more = Stretch { from, to, besides: *k };
                EditPatch { stretches: Some(with_stretch(&t.edit().stretches, more)), ..EditPatch::default() }
            }
            None => t.edit().correction().and(k).into(),
        };
        NewChange::to(t.id, after)
    });
    let changes: Vec<NewChange> = changes.collect();
    let texts: Vec<&str> =
        view.repair.findings.iter().filter(|f| !f.advice.is_empty()).map(|f| f.advice.as_str()).collect();
    let where_ = range.map_or_else(String::new, |r| {
        format!(" from {} to {} s", seconds(r[0], asked.rate_hz), seconds(r[1], asked.rate_hz))
    });
    let label = format!("Repaired {}{where_}: {}", asked.now.tracks[0].name, texts.join(" "));
    let made = decisions::decide(state.db(), asked.now.session.id, &NewDecision::of(label, changes)).await?;
    state.workers.changed(asked.now.session.id).await;
    Ok(HttpResponse::Created().json(made))
}
