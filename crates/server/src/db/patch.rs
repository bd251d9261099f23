//! What a decision can change on a track.

use super::bounds::Bounds;
use super::edits::EditId;
use super::tracks::{HandHits, InRoom, TrackRow, UNLINKED};
use crate::error::ServerError;
use marea_core::edit::map::TimeMap;
use marea_core::edit::passage::Passage;
use marea_core::edit::slice::Cut;
use marea_core::edit::stretch::Stretch;
use marea_core::edit::{Correction, Edit};
use marea_core::measure::stage::Fact;
use marea_core::track::Policy;
use marea_core::units::Offset;
use serde::{Deserialize, Deserializer, Serialize};
use sqlx::MySqlExecutor;
use sqlx::types::Json;
use std::collections::BTreeMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// Sides a track can have.
pub const SIDES: [&str; 4] = ["left", "right", "centre", ""];

/// Roles a track can have.
pub const ROLES: [&str; 7] = ["near", "main", "room", "direct", "print", "rendered", "unknown"];

/// Repaired stretches a track has at most.
const MOST_STRETCHES: usize = 500;

/// A stretch of which another take is heard is silent, also where it was lowered before, in dB.
const LEAST_STRETCH_DB: f64 = -220.0;

/// Slices, and points of a time map, that a track has at most.
const MOST_PIECES: usize = 100_000;

/// Passages that a track has placed elsewhere, at most.
pub const MOST_PASSAGES: usize = 200;

/// Distances typed of one track at most.
const MOST_DISTANCES: usize = 200;

/// What a decision can change of what a track carries; what is not given stays.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct EditPatch {
    /// Frames, positive later, up to one hour either way.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub offset_frames: Option<Offset>,
    /// Frames for the latency of its path, positive later, an hour either way with the offset.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub path_frames: Option<Offset>,
    /// Plays inverted.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub invert: Option<bool>,
    /// Level change in dB, −60 … 24.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub gain_db: Option<f64>,
    /// Stretches that carry something besides, in order.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub stretches: Option<Vec<Stretch>>,
    /// From recording frames to session frames; `null` removes it.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "given")]
    #[schema(value_type = Option<TimeMap>)]
    pub map: Option<Option<TimeMap>>,
    /// Pieces of the recording at places of their own; none leave it whole.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cut: Option<Cut>,
    /// Passages that are heard elsewhere, in the order in which they were placed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub passages: Option<Vec<Passage>>,
}

/// A field that is there, also when it is `null`.
fn given<'de, T: Deserialize<'de>, D: Deserializer<'de>>(field: D) -> Result<Option<Option<T>>, D::Error> {
    Option::deserialize(field).map(Some)
}

impl EditPatch {
    /// This on top of an edit.
    pub fn on(&self, edit: &Edit) -> Edit {
        let mut to = edit.clone();
        if let Some(offset) = self.offset_frames {
            to.placement.offset_frames = offset;
        }
        to.placement.path_frames = self.path_frames.unwrap_or(to.placement.path_frames);
        if let Some(stretches) = &self.stretches {
            to.stretches.clone_from(stretches);
        }
        if let Some(cut) = &self.cut {
            to.cut.clone_from(cut);
        }
        if let Some(passages) = &self.passages {
            to.passages.clone_from(passages);
        }
        if let Some(map) = &self.map {
            to.map.clone_from(map);
        }
        to.invert = self.invert.unwrap_or(to.invert);
        to.gain_db = self.gain_db.unwrap_or(to.gain_db);
        to
    }
}

impl From<Correction> for EditPatch {
    /// All three of a correction.
    fn from(c: Correction) -> Self {
        let (offset_frames, invert, gain_db) = (Some(c.offset_frames), Some(c.invert), Some(c.gain_db));
        Self { offset_frames, invert, gain_db, ..Self::default() }
    }
}

/// What a decision can change of what is known of a track; what is not given stays.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Facts {
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
    /// What somebody measured of it in the room.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub in_room: Option<InRoom>,
    /// Taken out of the session.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub removed: Option<bool>,
    /// What a track of one channel is linked with: the id that all of them share, `none` for nothing, or empty to follow the names.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub link: Option<String>,
}

/// The link as a decision says it.
fn link_word(own: Option<Uuid>) -> String {
    match own {
        None => String::new(),
        Some(UNLINKED) => "none".into(),
        Some(id) => id.to_string(),
    }
}

/// The link as it is stored; none for a word that means nothing.
fn link_of(word: &str) -> Option<Option<Uuid>> {
    match word {
        "" => Some(None),
        "none" => Some(Some(UNLINKED)),
        id => id.parse().ok().map(Some),
    }
}

impl Facts {
    /// The same fields as they are now: what undo restores.
    pub fn before(&self, row: &TrackRow) -> Self {
        Self {
            name: self.name.as_ref().map(|_| row.name.clone()),
            role: self.role.as_ref().map(|_| row.role.clone()),
            source: self.source.as_ref().map(|_| row.source.clone()),
            side: self.side.as_ref().map(|_| row.side.clone()),
            policy: self.policy.as_ref().map(|_| row.policy.clone()),
            dismissed: self.dismissed.as_ref().map(|_| row.dismissed.0.clone()),
            hits: self.hits.as_ref().map(|_| row.hits.0.clone()),
            in_room: self.in_room.as_ref().map(|_| row.in_room.0.clone()),
            removed: self.removed.map(|_| row.removed),
            link: self.link.as_ref().map(|_| link_word(row.own_link)),
        }
    }

    /// This where it says something, the other elsewhere.
    pub fn or(self, other: Self) -> Self {
        Self {
            name: self.name.or(other.name),
            role: self.role.or(other.role),
            source: self.source.or(other.source),
            side: self.side.or(other.side),
            policy: self.policy.or(other.policy),
            dismissed: self.dismissed.or(other.dismissed),
            hits: self.hits.or(other.hits),
            in_room: self.in_room.or(other.in_room),
            removed: self.removed.or(other.removed),
            link: self.link.or(other.link),
        }
    }

    /// Names without control characters and without space around them: what is stored is what is shown and delivered.
    pub fn cleaned(&self) -> Self {
        let clean = |text: &String| text.chars().filter(|c| !c.is_control()).collect::<String>().trim().to_string();
        Self { name: self.name.as_ref().map(clean), source: self.source.as_ref().map(clean), ..self.clone() }
    }

    /// Does it say nothing?
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// Refuses what cannot be known of a track.
    ///
    /// # Errors
    /// [`ServerError::Invalid`] naming the track.
    pub fn check(&self, row: &TrackRow, bounds: &Bounds) -> Result<(), ServerError> {
        let track = &row.name;
        let refuse = |what: &str| Err(ServerError::Invalid(format!("{track}: {what}")));
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
        if let Some(room) = &self.in_room {
            // Which track another one is does not matter for what a distance can be.
            let apart =
                room.apart_m.iter().map(|(id, m)| Fact::Apart { of: 0, to: usize::from(*id != row.id), metres: *m });
            let source = room.from_source_m.map(|metres| Fact::FromSource { of: 0, metres });
            let stands = room.at_m.map(|at| Fact::Stands { of: 0, at });
            if let Some(why) = apart.chain(source).chain(stands).find_map(|fact| fact.check().err()) {
                return refuse(why);
            }
            if room.apart_m.len() > MOST_DISTANCES {
                return refuse("at most 200 distances are typed");
            }
        }
        if let Some(link) = &self.link {
            if row.channels > 1 {
                return refuse("the channels of one file stay together");
            }
            if link_of(link).is_none() {
                return refuse("a link is the id that its tracks share, “none”, or nothing");
            }
        }
        if let Some(hits) = &self.hits {
            bounds.check(track, hits.added.iter().chain(&hits.removed).map(|h| h.0))?;
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

/// What a decision can change on a track; what is not given stays.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TrackPatch {
    /// What it carries.
    #[serde(flatten)]
    pub edit: EditPatch,
    /// What is known of it.
    #[serde(flatten)]
    pub facts: Facts,
}

impl From<EditPatch> for TrackPatch {
    fn from(edit: EditPatch) -> Self {
        Self { edit, facts: Facts::default() }
    }
}

impl From<Facts> for TrackPatch {
    fn from(facts: Facts) -> Self {
        Self { edit: EditPatch::default(), facts }
    }
}

/// Refuses an edit that this track cannot carry.
///
/// # Errors
/// [`ServerError::Invalid`] naming the track.
pub fn check_edit(edit: &Edit, row: &TrackRow, rate_hz: u32, bounds: &Bounds) -> Result<(), ServerError> {
    let limit = Correction::MAX_OFFSET_HOURS * 3_600.0 * f64::from(rate_hz);
    let far = |offset: Offset| !offset.0.is_finite() || offset.0.abs() > limit;
    let loud = |gain: f64| !gain.is_finite() || !(-60.0..=24.0).contains(&gain);
    let refuse = |what: &str| Err(ServerError::Invalid(format!("{}: {what}", row.name)));
    if far(edit.placement.offset_frames) || far(edit.placement.path_frames) || far(edit.placement.total()) {
        return refuse("an offset lies within one hour either way");
    }
    if loud(edit.gain_db) {
        return refuse("a gain lies between -60 and 24 dB");
    }
    if edit.cut.slices.len().max(edit.map.as_ref().map_or(0, |m| m.points().len())) > MOST_PIECES {
        return refuse("a recording is taken into 100000 pieces at most");
    }
    let places = edit.cut.own().flat_map(|s| [s.from, s.to, s.at.round() as i64]);
    if places.into_iter().any(|f| !bounds.holds_own(f, row.frames)) {
        return refuse("a slice lies within the recording, or an hour around it");
    }
    if edit.passages.len() > MOST_PASSAGES {
        return refuse("at most 200 passages are placed elsewhere");
    }
    let places = edit.passages.iter().flat_map(|p| [[p.from, p.to], p.target()]).flatten();
    if places.into_iter().any(|f| !bounds.holds_own(f, row.frames)) {
        return refuse("a passage lies within the recording, or an hour around it");
    }
    let points = edit.map.iter().flat_map(|m| m.points()).flatten();
    if points.into_iter().any(|f| !f.is_finite() || !bounds.holds_own(f.round() as i64, row.frames)) {
        return refuse("a time map lies within the recording, or an hour around it");
    }
    if edit.stretches.len() > MOST_STRETCHES {
        return refuse("at most 500 stretches are repaired");
    }
    let too_loud = |m: &Stretch| !(LEAST_STRETCH_DB..=24.0).contains(&m.besides.gain_db);
    if edit.stretches.iter().any(|m| far(m.besides.offset_frames) || too_loud(m)) {
        return refuse("a stretch is moved by an hour at most, with a gain between -220 and 24 dB");
    }
    if edit.stretches.iter().flat_map(|m| [m.from.0, m.to.0]).any(|f| !bounds.holds_own(f, row.frames)) {
        return refuse("a repaired stretch lies within the recording, or an hour around it");
    }
    edit.check().or_else(|e| refuse(&e.to_string()))
}

/// Writes what a decision says of a track.
///
/// # Errors
/// As the database says.
pub async fn apply(
    db: impl MySqlExecutor<'_>,
    id: Uuid,
    edit: Option<&EditId>,
    facts: &Facts,
) -> Result<(), ServerError> {
    sqlx::query(
        "UPDATE tracks SET link_id = IF(?, ?, link_id), edit_id = COALESCE(?, edit_id), name = COALESCE(?, name), role = COALESCE(?, role),
         source = COALESCE(?, source), side = COALESCE(?, side), policy = COALESCE(?, policy),
         dismissed = COALESCE(?, dismissed), hits = COALESCE(?, hits), in_room = COALESCE(?, in_room), removed = COALESCE(?, removed) WHERE id = ?",
    )
    .bind(facts.link.is_some())
    .bind(facts.link.as_deref().and_then(link_of).flatten())
    .bind(edit)
    .bind(&facts.name)
    .bind(&facts.role)
    .bind(&facts.source)
    .bind(&facts.side)
    .bind(&facts.policy)
    .bind(facts.dismissed.as_ref().map(Json))
    .bind(facts.hits.as_ref().map(Json))
    .bind(facts.in_room.as_ref().map(Json))
    .bind(facts.removed)
    .bind(id)
    .execute(db)
    .await?;
    Ok(())
}
