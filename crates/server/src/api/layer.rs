//! Layers set onto their source, hit by hit.

use super::cut_tracks::{Patches, SetCarried, can_be_cut, carried, in_bounds, whole};
use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::patch::EditPatch;
use crate::db::sessions;
use crate::derive::Now;
use crate::derive::layer::LayerFound;
use crate::error::{ErrorBody, ServerError};
use crate::plans::LayerOf;
use actix_web::{HttpResponse, get, post, web};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// How a layer is to be set, in an address.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct LayerAsked {
    /// A `LayerOf` as JSON.
    pub of: String,
}

/// A layer against its source.
#[derive(Debug, Serialize, ToSchema)]
pub struct LayerView {
    /// What was found.
    #[serde(flatten)]
    pub found: LayerFound,
    /// How the layer is carried now.
    pub carried: SetCarried,
}

async fn now(state: &State, path: &str, of: LayerOf) -> Result<Now<LayerOf>, ServerError> {
    let session = sessions::get(state.db(), id(path, "session")?).await?.id;
    of.check()?;
    in_bounds(state, session, of.frames()).await?;
    let now = Now::of(state.db(), session, of).await?;
    let [source, layer] = [&now.tracks[0], &now.tracks[1]];
    if source.link_id.is_some() && source.link_id == layer.link_id {
        return Err(ServerError::Conflict(format!(
            "{} and {} are linked: they move together",
            source.name, layer.name
        )));
    }
    can_be_cut(now.tracks[1..].iter())?;
    if source.edit().map.is_some() {
        return Err(ServerError::Conflict(format!(
            "{} follows a time map: hits are set onto one that does not",
            source.name
        )));
    }
    Ok(now)
}

/// Ask for a layer to be held against its source; answers the job, or 204 when that was done already.
#[utoipa::path(request_body = LayerOf, responses((status = 202, content_type = "application/json", body = Uuid), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/layer")]
pub async fn request_layer(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<LayerOf>,
) -> Result<HttpResponse, ServerError> {
    state.asked_for(&now(&state, &path, of.into_inner()).await?).await
}

/// A layer against its source; 204 when that was not measured.
#[utoipa::path(params(LayerAsked), responses((status = 200, body = LayerView), (status = 204), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[get("/sessions/{session}/layer")]
pub async fn show_layer(
    state: web::Data<State>,
    path: web::Path<String>,
    asked: web::Query<LayerAsked>,
) -> Result<HttpResponse, ServerError> {
    let of = serde_json::from_str(&asked.of).map_err(|e| ServerError::Invalid(format!("“of” is no plan: {e}")))?;
    let now = now(&state, &path, of).await?;
    let Some(found) = now.result(state.db()).await? else { return Ok(HttpResponse::NoContent().finish()) };
    let carried = carried(now.tracks[1..].iter(), |t| found.patch(t, &now.tracks[0]));
    // The pieces are the server's business: they may be many.
    let found = LayerFound { slices: Vec::new(), ..found };
    Ok(HttpResponse::Ok().json(LayerView { found, carried }))
}

/// What a layer carries by a plan that was measured.
///
/// # Errors
/// [`ServerError::NotFound`] for one that was not.
pub(super) async fn planned(state: &State, session: Uuid, of: &LayerOf) -> Result<Patches, ServerError> {
    let now = Now::of(state.db(), session, of.clone()).await?;
    let found = now.result(state.db()).await?.ok_or(ServerError::NotFound("measured layer"))?;
    Ok(now.tracks[1..].iter().map(|t| (t.id, found.patch(t, &now.tracks[0]))).collect())
}

/// Set a layer onto its source, or, where only hits that are picked move and none is, leave it as recorded: one decision.
#[utoipa::path(request_body = LayerOf, responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/layer/take")]
pub async fn take_layer(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<LayerOf>,
) -> Result<HttpResponse, ServerError> {
    let now = now(&state, &path, of.into_inner()).await?;
    let [source, layer] = [&now.tracks[0], &now.tracks[1]];
    let set = &now.tracks[1..];
    let (label, changes): (String, Vec<NewChange>) = if now.of.picked_only && now.of.own.is_empty() {
        let patch = EditPatch { invert: Some(false), ..whole() };
        let changes = set.iter().map(|t| NewChange::to(t.id, patch.clone())).collect();
        (format!("{}: hits as recorded", layer.name), changes)
    } else {
        let found = now.result(state.db()).await?.ok_or(ServerError::NotFound("measured layer"))?;
        let moved = found.hits.iter().filter(|h| h.by != 0).count();
        let changes: Vec<NewChange> = set.iter().map(|t| NewChange::to(t.id, found.patch(t, source))).collect();
        let turned =
            if found.invert && found.polarity != marea_core::verdict::Verdict::Undecided { ", inverted" } else { "" };
        (format!("{}: {moved} hits set onto {}{turned}", layer.name, source.name), changes)
    };
    let made = decisions::decide(state.db(), now.session.id, &NewDecision::of(label, changes)).await?;
    state.workers.changed(now.session.id).await;
    Ok(HttpResponse::Created().json(made))
}
