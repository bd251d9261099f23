//! The whole-session check: shown, accepted, dismissed, begun again.

use super::state::{State, id};
use crate::api::seat::exchanged;
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::patch::{Facts, TrackPatch};
use crate::db::paths;
use crate::db::sessions;
use crate::db::tracks::{TrackRow, named};
use crate::derive::check::{CheckOf, Measured, by_name, known, measured_in_room};
use crate::derive::{self, Now};
use crate::error::{ErrorBody, ServerError};
use actix_web::{HttpResponse, get, post, web};
use marea_core::decide::case::{Advice, SourceOf};
use marea_core::decide::finding::{Finding, To};
use marea_core::decide::stage::Stage;
use marea_core::decide::{PairSides, tracks_of};
use marea_core::measure::arrival::Table;
use marea_core::measure::places::with_facts;
use marea_session::accept::{self, Accepted};
use marea_session::paths_view::unequal_meetings;
use marea_session::standing::{CarriedRow, FindingView, Kept, WholeBand, in_order};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// The check as it stands.
#[derive(Debug, Serialize, ToSchema)]
pub struct CheckView {
    /// Tracks in the order in which table and findings count them.
    pub tracks: Vec<Uuid>,
    /// Something it depends on has changed since.
    pub stale: bool,
    /// Sentences about recordings that could not be read.
    pub missing: Vec<String>,
    /// Arrivals as recorded.
    pub table: Table,
    /// The rows of the table as the tracks are carried now.
    pub carried: Vec<CarriedRow>,
    /// What the sum of all tracks keeps.
    pub whole: Vec<WholeBand>,
    /// What each track is advised, as recorded.
    pub advice: Vec<Advice>,
    /// Names of the rows.
    pub sources: Vec<SourceOf>,
    /// Where every pair hears every source, with the sides as they are named now.
    pub sides: Vec<PairSides>,
    /// Where everything stands; none where arrivals do not tell.
    pub stage: Option<Stage>,
    /// Open ones first, worst first.
    pub findings: Vec<FindingView>,
}

/// Findings to take over, by key, and tracks whose advised place to take over.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Acceptance {
    /// Keys of open findings.
    #[serde(default)]
    pub keys: Vec<String>,
    /// Tracks whose advice is taken over.
    #[serde(default)]
    pub advice: Vec<Uuid>,
    /// The answer to a finding's question, instead of all else.
    pub answer: Option<Answered>,
}

/// An answer to the question of a finding.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Answered {
    /// Key of the finding.
    pub key: String,
    /// Which answer, from 0.
    pub answer: usize,
}

/// A finding put aside.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Dismissal {
    /// Which.
    pub key: String,
    /// Why, up to 300 characters.
    pub reason: String,
}

/// The last check of a session, judged.
pub(super) struct Judged {
    rows: Vec<TrackRow>,
    measured: Measured,
    stale: bool,
    judged: marea_session::standing::Judged,
    /// What was found of the signal paths, by the node where it lies.
    of_paths: Vec<(String, Finding)>,
}

impl Kept for Judged {
    fn id(&self, track: usize) -> String {
        self.rows[track].id.simple().to_string()
    }

    fn put_aside(&self, track: usize, key: &str) -> Option<String> {
        self.rows[track].dismissed.0.get(key).cloned()
    }
}

impl Judged {
    /// Judges the last check as recorded and as corrected.
    ///
    /// # Errors
    /// [`ServerError::NotFound`] while there is none that fits the tracks.
    pub(super) async fn of(state: &State, session: Uuid) -> Result<Self, ServerError> {
        let now = Now::of(state.db(), session, CheckOf).await?;
        let (fits, mut measured) = now.last(state.db()).await?.ok_or(ServerError::NotFound("check"))?;
        // Where a track is gone the table speaks of one that nobody has.
        let rows = named(&now.tracks, &measured.tracks).map_err(|_| ServerError::NotFound("check"))?;
        let facts = measured_in_room(&rows);
        if !facts.is_empty() {
            let (table, roles) = (measured.table.clone(), rows.iter().map(TrackRow::role).collect::<Vec<_>>());
            // The search for places takes a moment.
            let known = web::block(move || with_facts(&table, &roles, &facts)).await;
            measured.table = known.map_err(|e| ServerError::Internal(e.to_string()))?;
        }
        let missing = measured.missing.iter().map(|m| m.0).collect();
        let by_name = tracks_of(&by_name(&rows));
        let judged =
            marea_session::standing::Judged::of(&measured.table, known(&rows, now.session.anchor_id), by_name, missing);
        let map = paths::get(state.db(), session).await?.map(|m| match now.session.rate_hz {
            Some(hz) => m.at_rate(f64::from(hz)),
            None => m,
        });
        let names: Vec<String> = rows.iter().map(|t| t.name.clone()).collect();
        // A map that cannot be added up says so under Latency.
        let of_paths = map.and_then(|m| unequal_meetings(&m, &names).ok()).unwrap_or_default();
        Ok(Self { rows, measured, stale: !fits, judged, of_paths })
    }

    fn findings(&self) -> Vec<FindingView> {
        let mut all = self.judged.findings(self);
        all.extend(self.judged.beside(self.of_paths.iter().cloned(), self));
        in_order(&mut all);
        all
    }

    /// Whether one of two tracks is to be inverted against the other, as recorded; none where the check does not tell or is out of date.
    pub(super) fn inverted_between(&self, a: Uuid, b: Uuid) -> Option<bool> {
        let of = |id: Uuid| self.rows.iter().position(|r| r.id == id).filter(|_| !self.stale);
        self.judged.recorded.inverted_between([of(a)?, of(b)?])
    }
}

/// The last check, judged with what the tracks carry now; `null` while there is none.
#[utoipa::path(responses((status = 200, body = Option<CheckView>), (status = 404, body = ErrorBody)))]
#[get("/sessions/{session}/check")]
pub async fn show_check(
    state: web::Data<State>,
    path: web::Path<String>,
) -> Result<web::Json<Option<CheckView>>, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?.id;
    let j = match Judged::of(&state, session).await {
        Err(ServerError::NotFound(_) | ServerError::Conflict(_)) => return Ok(web::Json(None)),
        judged => judged?,
    };
    Ok(web::Json(Some(CheckView {
        findings: j.findings(),
        tracks: j.measured.tracks,
        stale: j.stale,
        missing: j.measured.missing.into_iter().map(|m| m.1).collect(),
        carried: j.judged.carried(&j.measured.table),
        whole: j.judged.whole(&j.measured.table),
        table: j.measured.table,
        sides: j.judged.corrected.sides,
        stage: j.judged.corrected.stage,
        advice: j.judged.recorded.tracks,
        sources: j.judged.recorded.sources,
    })))
}

/// Begin the check again, also after it was cancelled.
#[utoipa::path(responses((status = 202, content_type = "application/json", body = Uuid), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[post("/sessions/{session}/check")]
pub async fn request_check(state: web::Data<State>, path: web::Path<String>) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?.id;
    let now = Now::of(state.db(), session, CheckOf).await?;
    Ok(HttpResponse::Accepted().json(derive::begin(&state.workers, &now).await?))
}

/// Take findings over, or the advised places of tracks: one decision.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody)))]
#[post("/sessions/{session}/check/accept")]
pub async fn accept_findings(
    state: web::Data<State>,
    path: web::Path<String>,
    wanted: web::Json<Acceptance>,
) -> Result<HttpResponse, ServerError> {
    let session = id(&path, "session")?;
    let j = Judged::of(&state, session).await?;
    let place = |track: &Uuid| {
        let m = j.measured.tracks.iter().position(|t| t == track).ok_or(ServerError::NotFound("track"))?;
        Ok((m, j.rows[m].name.as_str()))
    };
    let advice: Vec<(usize, &str)> = wanted.advice.iter().map(place).collect::<Result<_, ServerError>>()?;
    let Accepted { changes, label } = match &wanted.answer {
        Some(a) => accept::answered(&j.findings(), &a.key, a.answer)?,
        None => accept::chosen(&j.judged, &j.findings(), &wanted.keys, &advice)?,
    };
    let mut patches: BTreeMap<Uuid, TrackPatch> = BTreeMap::new();
    for change in changes {
        let row = &j.rows[change.of];
        take(patches.entry(row.id).or_default(), row, change.to);
    }
    // A fault of one half of a pair is that half's alone: its mate stays where it is unless it is spoken of.
    let moved: Vec<&TrackRow> =
        j.rows.iter().filter(|r| patches.get(&r.id).is_some_and(|p| p.edit.offset_frames.is_some())).collect();
    for mate in j.rows.iter().filter(|m| moved.iter().any(|r| r.link_id.is_some() && r.link_id == m.link_id)) {
        let stays = mate.edit().placement.offset_frames;
        patches.entry(mate.id).or_default().edit.offset_frames.get_or_insert(stays);
    }
    let changes = patches.into_iter().map(|(track_id, after)| NewChange::to(track_id, after)).collect();
    let made = decisions::decide(state.db(), session, &NewDecision::of(label, changes)).await?;
    state.workers.changed(session).await;
    Ok(HttpResponse::Created().json(made))
}

/// One more change of a track.
fn take(patch: &mut TrackPatch, row: &TrackRow, to: To) {
    match to {
        To::Offset(frames) => patch.edit.offset_frames = Some(frames),
        To::Inverted(inverted) => patch.edit.invert = Some(inverted),
        To::Gain(db) => patch.edit.gain_db = Some(db),
        To::Map(map) => patch.edit.map = Some(Some(map)),
        To::Cut(cut) => patch.edit.cut = Some(cut),
        To::Side(side) => {
            let sides = exchanged(row, side);
            (patch.facts.side, patch.facts.name) = (sides.side, sides.name);
        }
    }
}

/// Put a finding aside, with a reason that stays with the session.
#[utoipa::path(responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/check/dismiss")]
pub async fn dismiss_finding(
    state: web::Data<State>,
    path: web::Path<String>,
    wanted: web::Json<Dismissal>,
) -> Result<HttpResponse, ServerError> {
    let session = id(&path, "session")?;
    let reason = wanted.reason.trim();
    if reason.is_empty() {
        return Err(ServerError::Invalid("a finding is put aside with a reason".into()));
    }
    let j = Judged::of(&state, session).await?;
    let f = j.findings().into_iter().find(|f| f.key == wanted.key).ok_or(ServerError::NotFound("finding"))?;
    let row = &j.rows[f.finding.about.tracks[0]];
    let mut dismissed = row.dismissed.0.clone();
    dismissed.insert(f.key, reason.into());
    let after = Facts { dismissed: Some(dismissed), ..Facts::default() };
    let label = format!("Put aside ({reason}): {}", f.finding.text);
    let new = NewDecision::of(label, vec![NewChange::to(row.id, after)]);
    let made = decisions::decide(state.db(), session, &new).await?;
    state.workers.changed(session).await;
    Ok(HttpResponse::Created().json(made))
}
