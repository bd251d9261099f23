//! What a decision can change on a track.

use super::bounds::Bounds;
use super::tracks::{HandHits, TrackRow};
use crate::error::ServerError;
use marea_core::edit::Correction;
use marea_core::edit::stretch::Stretch;
use marea_core::track::Policy;
use serde::{Deserialize, Serialize};
use sqlx::MySqlExecutor;
use sqlx::types::Json;
use std::collections::BTreeMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// Sides a track can have.
pub const SIDES: [&str; 4] = ["left", "right", "centre", ""];

/// Roles a track can have.
pub const ROLES: [&str; 7] = ["near", "main", "room", "direct", "print", "rendered", "unknown"];

/// Mended stretches a track has at most.
const MOST_MENDS: usize = 500;

/// What a decision can change on a track; what is not given stays.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TrackPatch {
    /// Frames, positive later, up to one hour either way.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub offset_frames: Option<f64>,
    /// Turn the polarity over.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub invert: Option<bool>,
    /// Level change in dB, −60 … 24.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub gain_db: Option<f64>,
    /// Stretches that carry something besides, in order.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mends: Option<Vec<Stretch>>,
    /// Name.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// near, main, room, direct, print, rendered or unknown.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub role: Option<String>,
    /// What the microphone heard.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub source: Option<String>,
    /// left, right, centre or empty.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub side: Option<String>,
    /// align, keep-distance, bring-in, leave, or empty for the one that goes with the role.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub policy: Option<String>,
    /// Findings put aside, with the reason.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub dismissed: Option<BTreeMap<String, String>>,
    /// Hits drawn or removed by hand.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub hits: Option<HandHits>,
    /// Taken out of the session.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub removed: Option<bool>,
}

impl TrackPatch {
    /// The same fields as they are now: what undo restores.
    pub fn before(&self, row: &TrackRow) -> Self {
        Self {
            offset_frames: self.offset_frames.map(|_| row.offset_frames),
            invert: self.invert.map(|_| row.invert),
            gain_db: self.gain_db.map(|_| row.gain_db),
            mends: self.mends.as_ref().map(|_| row.mends.0.clone()),
            name: self.name.as_ref().map(|_| row.name.clone()),
            role: self.role.as_ref().map(|_| row.role.clone()),
            source: self.source.as_ref().map(|_| row.source.clone()),
            side: self.side.as_ref().map(|_| row.side.clone()),
            policy: self.policy.as_ref().map(|_| row.policy.clone()),
            dismissed: self.dismissed.as_ref().map(|_| row.dismissed.0.clone()),
            hits: self.hits.as_ref().map(|_| row.hits.0.clone()),
            removed: self.removed.map(|_| row.removed),
        }
    }

    /// This where it says something, the other elsewhere.
    pub fn or(&self, other: &Self) -> Self {
        let (a, b) = (self.clone(), other.clone());
        Self {
            offset_frames: a.offset_frames.or(b.offset_frames),
            invert: a.invert.or(b.invert),
            gain_db: a.gain_db.or(b.gain_db),
            mends: a.mends.or(b.mends),
            name: a.name.or(b.name),
            role: a.role.or(b.role),
            source: a.source.or(b.source),
            side: a.side.or(b.side),
            policy: a.policy.or(b.policy),
            dismissed: a.dismissed.or(b.dismissed),
            hits: a.hits.or(b.hits),
            removed: a.removed.or(b.removed),
        }
    }

    /// Names without control characters and without space around them: what is stored is what is shown and delivered.
    pub fn cleaned(&self) -> Self {
        let clean = |text: &String| text.chars().filter(|c| !c.is_control()).collect::<String>().trim().to_string();
        Self { name: self.name.as_ref().map(clean), source: self.source.as_ref().map(clean), ..self.clone() }
    }

    /// Refuses what no track can carry.
    ///
    /// # Errors
    /// [`ServerError::Invalid`] naming the track.
    pub fn check(&self, row: &TrackRow, rate_hz: u32, bounds: &Bounds) -> Result<(), ServerError> {
        let track = &row.name;
        let limit = Correction::MAX_OFFSET_HOURS * 3_600.0 * f64::from(rate_hz);
        let far = |offset: f64| !offset.is_finite() || offset.abs() > limit;
        let loud = |gain: f64| !gain.is_finite() || !(-60.0..=24.0).contains(&gain);
        let refuse = |what: &str| Err(ServerError::Invalid(format!("{track}: {what}")));
        if self.offset_frames.is_some_and(far) {
            return refuse("an offset lies within one hour either way");
        }
        if self.gain_db.is_some_and(loud) {
            return refuse("a gain lies between -60 and 24 dB");
        }
        if let Some(mends) = &self.mends {
            if mends.len() > MOST_MENDS {
                return refuse("at most 500 stretches are mended");
            }
            if mends.iter().any(|m| far(m.besides.offset_frames) || loud(m.besides.gain_db)) {
                return refuse("a stretch is moved by an hour at most, with a gain between -60 and 24 dB");
            }
            if mends.iter().any(|m| !bounds.holds_own(m.from, row.frames) || !bounds.holds_own(m.to, row.frames)) {
                return refuse("a mended stretch lies within the recording, or an hour around it");
            }
            if mends.iter().any(|m| m.from >= m.to) || mends.windows(2).any(|m| m[0].to > m[1].from) {
                return refuse("mended stretches come in order, none over another");
            }
        }
        if self.role.as_ref().is_some_and(|r| !ROLES.contains(&r.as_str())) {
            return refuse("there is no such role");
        }
        if self.side.as_ref().is_some_and(|s| !SIDES.contains(&s.as_str())) {
            return refuse("there is no such side");
        }
        if self.policy.as_ref().is_some_and(|p| !p.is_empty() && Policy::of_word(p).is_none()) {
            return refuse("there is no such policy");
        }
        if self.hits.as_ref().is_some_and(|h| h.added.len() + h.removed.len() > 2_000) {
            return refuse("at most 2000 hits are drawn or removed by hand");
        }
        if let Some(hits) = &self.hits {
            bounds.check(track, hits.added.iter().chain(&hits.removed).copied())?;
        }
        if self.dismissed.as_ref().is_some_and(|d| d.len() > 100 || d.values().any(|r| r.chars().count() > 300)) {
            return refuse("a reason has at most 300 characters");
        }
        if self.source.as_ref().is_some_and(|s| s.chars().count() > 120) {
            return refuse("the name of a source has at most 120 characters");
        }
        if let Some(name) = &self.name {
            super::sessions::checked_name(name, "track")?;
        }
        Ok(())
    }
}

/// Writes a patch.
///
/// # Errors
/// As the database says.
pub async fn apply(db: impl MySqlExecutor<'_>, id: Uuid, p: &TrackPatch) -> Result<(), ServerError> {
    sqlx::query(
        "UPDATE tracks SET offset_frames = COALESCE(?, offset_frames), invert = COALESCE(?, invert),
         gain_db = COALESCE(?, gain_db), mends = COALESCE(?, mends), name = COALESCE(?, name), role = COALESCE(?, role),
         source = COALESCE(?, source), side = COALESCE(?, side), policy = COALESCE(?, policy),
         dismissed = COALESCE(?, dismissed), hits = COALESCE(?, hits), removed = COALESCE(?, removed) WHERE id = ?",
    )
    .bind(p.offset_frames)
    .bind(p.invert)
    .bind(p.gain_db)
    .bind(p.mends.as_ref().map(Json))
    .bind(&p.name)
    .bind(&p.role)
    .bind(&p.source)
    .bind(&p.side)
    .bind(&p.policy)
    .bind(p.dismissed.as_ref().map(Json))
    .bind(p.hits.as_ref().map(Json))
    .bind(p.removed)
    .bind(id)
    .execute(db)
    .await?;
    Ok(())
}
