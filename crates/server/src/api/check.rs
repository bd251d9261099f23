//! The whole-session check: shown, accepted, dismissed, begun again.

use super::state::{State, id};
use crate::api::seat::exchanged;
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::patch::{Facts, TrackPatch};
use crate::db::sessions;
use crate::db::tracks::TrackRow;
use crate::derive::check::{CheckOf, Measured, by_name, known};
use crate::derive::{self, Now};
use crate::error::{ErrorBody, ServerError};
use actix_web::{HttpResponse, get, post, web};
use marea_core::decide::case::{Advice, SourceOf};
use marea_core::decide::finding::{Finding, Kind, Severity};
use marea_core::decide::{Check, Move, PairSides, decide, whole as sums_of};
use marea_core::dsp::bands::BANDS_HZ;
use marea_core::edit::Edit;
use marea_core::measure::arrival::Table;
use marea_core::verdict::Verdict;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// What became of a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Standing {
    /// Waits for a decision.
    Open,
    /// Gone with the corrections carried now.
    Agreed,
    /// Put aside with a reason.
    Dismissed,
}

/// A finding and what became of it.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct FindingView {
    /// Stays the same as long as it is about the same.
    pub key: String,
    /// What became of it.
    pub standing: Standing,
    /// Why it was put aside, or why it is still there although its track was corrected.
    pub note: String,
    /// The finding.
    pub finding: Finding,
}

/// What the sum of everything keeps in a third-octave, against unrelated sounds.
#[derive(Debug, Clone, Copy, Serialize, ToSchema)]
pub struct WholeBand {
    /// Nominal centre.
    pub hz: f64,
    /// As recorded, in dB.
    pub recorded_db: f64,
    /// As corrected now.
    pub corrected_db: f64,
    /// With all advice taken.
    pub advised_db: f64,
}

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
    /// What the sum of all tracks keeps.
    pub whole: Vec<WholeBand>,
    /// What each track is advised, as recorded.
    pub advice: Vec<Advice>,
    /// Names of the rows.
    pub sources: Vec<SourceOf>,
    /// Where every pair hears every source, with the sides as they are named now.
    pub sides: Vec<PairSides>,
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
}

/// A finding put aside.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Dismissal {
    /// Which.
    pub key: String,
    /// Why, up to 300 characters.
    pub reason: String,
}

struct Judged {
    rows: Vec<TrackRow>,
    measured: Measured,
    stale: bool,
    recorded: Check,
    corrected: Check,
}

impl Judged {
    /// Judges the last check as recorded and as corrected.
    async fn of(state: &State, session: Uuid) -> Result<Self, ServerError> {
        let now = Now::of(state.db(), session, CheckOf).await?;
        let (fits, measured) = now.last(state.db()).await?.ok_or(ServerError::NotFound("check"))?;
        let (s, all, stale) = (now.session, now.tracks, !fits);
        let rows: Vec<TrackRow> =
            measured.tracks.iter().filter_map(|t| all.iter().find(|r| r.id == *t).cloned()).collect();
        if rows.len() != measured.tracks.len() {
            // A track is gone: the table speaks of one that nobody has.
            return Err(ServerError::NotFound("check"));
        }
        let now = known(&rows, s.anchor_id);
        let mut before = now.clone();
        before.iter_mut().for_each(|t| t.edit = Edit::default());
        let (recorded, mut corrected) = (decide(&measured.table, &before), decide(&measured.table, &now));
        // What cannot be read is no dead microphone.
        let gone = |f: &Finding| measured.missing.iter().any(|(m, _)| f.tracks.contains(m));
        corrected.findings.retain(|f| !gone(f));
        Ok(Self { recorded, corrected, rows, stale, measured })
    }

    fn key(&self, f: &Finding) -> String {
        let kind = serde_json::to_value(f.kind).ok().and_then(|v| v.as_str().map(String::from)).unwrap_or_default();
        let ids: Vec<String> = f.tracks.iter().map(|m| self.rows[*m].id.simple().to_string()).collect();
        format!("{kind}:{}", ids.join("+"))
    }

    fn findings(&self) -> Vec<FindingView> {
        let mut shown: Vec<FindingView> = self
            .corrected
            .findings
            .iter()
            .map(|f| {
                let key = self.key(f);
                let row = &self.rows[f.tracks[0]];
                let (standing, note) = match row.dismissed.0.get(&key) {
                    Some(reason) => (Standing::Dismissed, reason.clone()),
                    None if !row.edit().correction().is_neutral()
                        && self.recorded.findings.iter().any(|r| self.key(r) == key) =>
                    {
                        (Standing::Open, "still there with the corrections carried now".into())
                    }
                    None => (Standing::Open, String::new()),
                };
                FindingView { key, standing, note, finding: f.clone() }
            })
            .collect();
        for f in &self.recorded.findings {
            let key = self.key(f);
            let gone = self.measured.missing.iter().any(|(m, _)| f.tracks.contains(m));
            if !gone && !shown.iter().any(|s| s.key == key) {
                shown.push(FindingView { key, standing: Standing::Agreed, note: String::new(), finding: f.clone() });
            }
        }
        shown.extend(self.exchanged());
        shown.sort_by_key(|f| match f.standing {
            Standing::Open => 0,
            Standing::Dismissed => 1,
            Standing::Agreed => 2,
        });
        shown
    }

    /// Pairs whose sides were exchanged against their names agree now; the names still tell what they were.
    fn exchanged(&self) -> Vec<FindingView> {
        let named = marea_core::decide::tracks_of(&by_name(&self.rows));
        let mut found = Vec::new();
        for (l, t) in self.rows.iter().enumerate().filter(|(m, t)| t.side == "right" && named[*m].side.word() == "left")
        {
            let other = (0..self.rows.len()).find(|r| {
                let mate = &self.rows[*r];
                mate.side == "left" && named[*r].side.word() == "right" && named[*r].set == named[l].set
            });
            let Some(r) = other else { continue };
            let finding = Finding {
                kind: Kind::PairSwapped,
                tracks: vec![l, r],
                row: None,
                severity: Severity::Info,
                verdict: Verdict::Solid,
                hits: 0,
                cost_db: None,
                cost_bands: Vec::new(),
                text: format!("{} and {} were exchanged.", t.name, self.rows[r].name),
                advice: String::new(),
                proposals: Vec::new(),
                effects: Vec::new(),
            };
            found.push(FindingView {
                key: self.key(&finding),
                standing: Standing::Agreed,
                note: String::new(),
                finding,
            });
        }
        found
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
    let moved = |of: &dyn Fn(usize) -> (f64, bool)| -> Vec<f64> {
        let moves: Vec<Move> = (0..j.rows.len()).map(of).map(|(frames, turned)| Move { frames, turned }).collect();
        sums_of(&j.measured.table, &moves)
    };
    let recorded = moved(&|_| (0.0, false));
    let corrected = moved(&|m| (j.rows[m].edit().placement.total(), j.rows[m].edit().invert));
    let advised = moved(&|m| (j.recorded.tracks[m].offset_frames, j.recorded.tracks[m].invert));
    let whole = (0..BANDS_HZ.len())
        .map(|i| WholeBand {
            hz: BANDS_HZ[i],
            recorded_db: recorded[i],
            corrected_db: corrected[i],
            advised_db: advised[i],
        })
        .collect();
    Ok(web::Json(Some(CheckView {
        findings: j.findings(),
        sides: j.corrected.sides,
        tracks: j.measured.tracks,
        stale: j.stale,
        missing: j.measured.missing.into_iter().map(|m| m.1).collect(),
        table: j.measured.table,
        whole,
        advice: j.recorded.tracks,
        sources: j.recorded.sources,
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
    let mut patches: BTreeMap<Uuid, TrackPatch> = BTreeMap::new();
    let mut texts = Vec::new();
    let shown = j.findings();
    for key in &wanted.keys {
        let f = shown
            .iter()
            .find(|f| f.key == *key && f.standing != Standing::Agreed)
            .ok_or_else(|| ServerError::Conflict("this finding is no longer open; the session has changed".into()))?;
        if f.finding.proposals.is_empty() {
            return Err(ServerError::Conflict(format!("nothing is proposed here: {}", f.finding.text)));
        }
        texts.push(f.finding.text.clone());
        for p in &f.finding.proposals {
            let patch = patches.entry(j.rows[p.track].id).or_default();
            patch.edit.offset_frames = p.offset_frames.or(patch.edit.offset_frames);
            patch.edit.invert = p.invert.or(patch.edit.invert);
            if let Some(side) = p.side {
                let sides = exchanged(&j.rows[p.track], side);
                (patch.facts.side, patch.facts.name) = (sides.side, sides.name);
            }
        }
    }
    for track in &wanted.advice {
        let m = j.measured.tracks.iter().position(|t| t == track).ok_or(ServerError::NotFound("track"))?;
        let a = &j.recorded.tracks[m];
        if a.verdict == Verdict::Undecided {
            return Err(ServerError::Conflict(format!("{} {}", j.rows[m].name, a.reason)));
        }
        let patch = patches.entry(*track).or_default();
        (patch.edit.offset_frames, patch.edit.invert) = (Some(a.offset_frames), Some(a.invert));
        texts.push(format!("{}: {}", j.rows[m].name, a.reason));
    }
    let label = match texts.as_slice() {
        [] => return Err(ServerError::Invalid("nothing was chosen".into())),
        [one] => format!("Accepted: {one}"),
        many => format!("Accepted {} findings: {}", many.len(), many.join(" ")),
    };
    let changes = patches.into_iter().map(|(track_id, after)| NewChange::to(track_id, after)).collect();
    let made = decisions::decide(state.db(), session, &NewDecision::of(label, changes)).await?;
    state.workers.changed(session).await;
    Ok(HttpResponse::Created().json(made))
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
    let row = &j.rows[f.finding.tracks[0]];
    let mut dismissed = row.dismissed.0.clone();
    dismissed.insert(f.key, reason.into());
    let after = Facts { dismissed: Some(dismissed), ..Facts::default() };
    let label = format!("Put aside ({reason}): {}", f.finding.text);
    let new = NewDecision::of(label, vec![NewChange::to(row.id, after)]);
    let made = decisions::decide(state.db(), session, &new).await?;
    state.workers.changed(session).await;
    Ok(HttpResponse::Created().json(made))
}
