//! How a session is looked at and listened to: order, groups, markers, and what sounds. Nothing of it is measured or delivered.

use crate::error::ServerError;
use crate::plans::{Meant, Plans, PlansPatch};
use marea_core::paths::PathMap;
use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use sqlx::{MySqlConnection, MySqlExecutor};
use std::collections::{BTreeMap, HashSet};
use utoipa::ToSchema;
use uuid::Uuid;

/// One lane.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct LaneDesk {
    /// Times the usual height, 0.4 … 6.
    pub height: f64,
    /// Not shown.
    pub hidden: bool,
    /// Not heard.
    pub muted: bool,
    /// Heard alone.
    pub soloed: bool,
    /// Place between left (−1) and right (+1); none: by the side of the track.
    pub pan: Option<f64>,
    /// Listening level in dB, −60 … 12.
    pub level_db: f64,
}

impl Default for LaneDesk {
    fn default() -> Self {
        Self { height: 1.0, hidden: false, muted: false, soloed: false, pan: None, level_db: 0.0 }
    }
}

/// Tracks that are looked at, heard and corrected together.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct Group {
    /// Id.
    pub id: Uuid,
    /// Name.
    pub name: String,
    /// One of eight colours.
    pub colour: u8,
    /// Members; a track is in one group at most.
    pub tracks: Vec<Uuid>,
    /// Only its head is shown.
    pub folded: bool,
    /// Not shown.
    pub hidden: bool,
    /// Not heard.
    pub muted: bool,
    /// Heard alone.
    pub soloed: bool,
    /// A member that is moved by hand takes the others with it.
    pub together: bool,
}

/// A named place.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Marker {
    /// Session frame.
    pub frame: i64,
    /// Name.
    pub name: String,
}

/// What is played again and again.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct LoopRange {
    /// First session frame.
    pub from: i64,
    /// First session frame after it.
    pub to: i64,
    /// Playing stays in it.
    pub on: bool,
    /// Seconds that are played before it the first time, 0 … 30.
    pub pre_roll_s: f64,
}

/// How it is listened to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct Listening {
    /// pair, apart, group or session.
    pub scope: String,
    /// As corrected, else as recorded.
    pub corrected: bool,
    /// Both sides summed.
    pub mono: bool,
    /// The first of the pair minus the second.
    pub difference: bool,
    /// 20 dB quieter.
    pub dim: bool,
    /// Left and right exchanged.
    pub swap: bool,
    /// As recorded and as corrected at the same loudness.
    pub matched: bool,
    /// A click on every beat.
    pub click: bool,
    /// 0.25 … 1 of the speed.
    pub speed: f64,
}

impl Default for Listening {
    fn default() -> Self {
        let no = false;
        Self {
            scope: "session".into(),
            corrected: true,
            mono: no,
            difference: no,
            dim: no,
            swap: no,
            matched: no,
            click: no,
            speed: 1.0,
        }
    }
}

/// The whole of it.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct Desk {
    /// Tracks in the order of their lanes; those that are not named follow in the order of the session.
    pub order: Vec<Uuid>,
    /// Lanes that differ from the usual.
    pub lanes: BTreeMap<Uuid, LaneDesk>,
    /// Groups.
    pub groups: Vec<Group>,
    /// Markers.
    pub markers: Vec<Marker>,
    /// Loop.
    pub range: Option<LoopRange>,
    /// Listening.
    pub listening: Listening,
    /// clock, bars or samples.
    pub ruler: String,
    /// From whose seat left and right are said: audience or performer.
    pub seat: String,
    /// Columns shown beside name, offset and polarity.
    pub columns: Vec<String>,
    /// Plans of timing. What is decided of them is in the history; what is being tried is here.
    pub plans: Plans,
}

/// What changes: what is not given stays. Of lanes, those given are replaced one by one.
#[derive(Debug, Clone, Default, Deserialize, ToSchema)]
#[allow(missing_docs)] // The fields are those of the desk.
pub struct DeskPatch {
    pub order: Option<Vec<Uuid>>,
    pub lanes: Option<BTreeMap<Uuid, LaneDesk>>,
    pub groups: Option<Vec<Group>>,
    pub markers: Option<Vec<Marker>>,
    /// A loop that ends where it begins is none.
    pub range: Option<LoopRange>,
    pub listening: Option<Listening>,
    pub ruler: Option<String>,
    pub seat: Option<String>,
    pub columns: Option<Vec<String>>,
    #[serde(flatten)]
    pub plans: PlansPatch,
    /// Named for the history: order, groups, markers, heights, hidden lanes and what is meant that change are then taken back by undo.
    pub label: Option<String>,
}

/// A track that was made of another, and stands beneath it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Beneath {
    /// What it was made of: muted and folded away.
    pub original: Uuid,
    /// What is heard in its place.
    pub result: Uuid,
}

/// What a decision changes of the desk. What sounds (mute, solo, places, levels) is not part of it, unless a track takes over from another.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct DeskParts {
    order: Option<Vec<Uuid>>,
    /// Height and whether it is hidden.
    lanes: BTreeMap<Uuid, (f64, bool)>,
    groups: Option<Vec<Group>>,
    markers: Option<Vec<Marker>>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    meant: Option<Vec<Meant>>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    paths: Option<PathsPart>,
    /// Whether lanes are muted, where a track takes over from another.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    muted: BTreeMap<Uuid, bool>,
}

/// The map of signal paths before or after a decision that changes it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct PathsPart {
    map: Option<PathMap>,
}

/// The same parts before and after a decision.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct DeskChange {
    /// What they were.
    pub before: DeskParts,
    /// What they became.
    pub after: DeskParts,
}

impl DeskChange {
    /// What differs between two desks; none when nothing does that undo takes back.
    pub(super) fn between(was: &Desk, now: &Desk) -> Option<Self> {
        let parts = |of: &Desk, other: &Desk| {
            let ids = was.lanes.keys().chain(now.lanes.keys());
            let lane = |d: &Desk, id: &Uuid| d.lanes.get(id).map_or((1.0, false), |l| (l.height, l.hidden));
            DeskParts {
                order: (of.order != other.order).then(|| of.order.clone()),
                lanes: ids.filter(|id| lane(was, id) != lane(now, id)).map(|id| (*id, lane(of, id))).collect(),
                groups: (of.groups != other.groups).then(|| of.groups.clone()),
                markers: (of.markers != other.markers).then(|| of.markers.clone()),
                meant: (of.plans.meant != other.plans.meant).then(|| of.plans.meant.clone()),
                ..DeskParts::default()
            }
        };
        let change = Self { before: parts(was, now), after: parts(now, was) };
        (change.before != change.after).then_some(change)
    }

    /// Results take over from what they were made of; none when they have already.
    pub(super) fn beneath(was: &Desk, all: &[Beneath]) -> Option<Self> {
        let mut now = was.clone();
        // Each goes right behind its original: the last of several first.
        all.iter().rev().for_each(|b| now.put_beneath(*b));
        let mut change = Self::between(was, &now).unwrap_or_default();
        for id in all.iter().flat_map(|b| [b.original, b.result]) {
            let muted = |desk: &Desk| desk.lanes.get(&id).is_some_and(|l| l.muted);
            if muted(was) != muted(&now) {
                change.before.muted.insert(id, muted(was));
                change.after.muted.insert(id, muted(&now));
            }
        }
        (change.before != change.after).then_some(change)
    }

    /// Another map of signal paths; none when it is the same.
    pub(super) fn of_paths(was: Option<PathMap>, now: Option<PathMap>) -> Option<Self> {
        let parts = |map| DeskParts { paths: Some(PathsPart { map }), ..DeskParts::default() };
        (was != now).then(|| Self { before: parts(was), after: parts(now) })
    }
}

impl Desk {
    /// The lane of a result right after the original's, which is muted and hidden.
    fn put_beneath(&mut self, Beneath { original, result }: Beneath) {
        let above = self.lanes.entry(original).or_default();
        (above.muted, above.hidden) = (true, true);
        let below = self.lanes.entry(result).or_default();
        (below.muted, below.hidden) = (false, false);
        if self.order.contains(&original) {
            self.order.retain(|id| *id != result);
            let at = self.order.iter().position(|id| *id == original).map_or(self.order.len(), |at| at + 1);
            self.order.insert(at, result);
        }
    }

    /// Takes parts over as they were, and leaves what sounds as it is unless they say otherwise.
    fn put_back(&mut self, parts: &DeskParts) {
        if let Some(order) = &parts.order {
            self.order.clone_from(order);
        }
        for (id, (height, hidden)) in &parts.lanes {
            let lane = self.lanes.entry(*id).or_default();
            (lane.height, lane.hidden) = (*height, *hidden);
        }
        for (id, muted) in &parts.muted {
            self.lanes.entry(*id).or_default().muted = *muted;
        }
        self.lanes.retain(|_, lane| *lane != LaneDesk::default());
        if let Some(groups) = &parts.groups {
            let now = std::mem::take(&mut self.groups);
            let heard = |g: &Group| {
                let (muted, soloed) =
                    now.iter().find(|n| n.id == g.id).map_or((g.muted, g.soloed), |n| (n.muted, n.soloed));
                Group { muted, soloed, ..g.clone() }
            };
            self.groups = groups.iter().map(heard).collect();
        }
        if let Some(markers) = &parts.markers {
            self.markers.clone_from(markers);
        }
        if let Some(meant) = &parts.meant {
            self.plans.meant.clone_from(meant);
        }
    }
}

/// Scopes of listening.
pub const SCOPES: [&str; 4] = ["pair", "apart", "group", "session"];
/// Rulers.
pub const RULERS: [&str; 3] = ["clock", "bars", "samples"];
/// Colours a group can have.
pub const COLOURS: u8 = 8;

impl Desk {
    /// Takes a change over.
    ///
    /// # Errors
    /// [`ServerError::Invalid`] for what makes no sense; the desk is then as it was.
    pub fn change(&mut self, p: DeskPatch) -> Result<(), ServerError> {
        let mut next = self.clone();
        if let Some(v) = p.order {
            next.order = v;
        }
        next.lanes.extend(p.lanes.unwrap_or_default());
        next.lanes.retain(|_, lane| *lane != LaneDesk::default());
        if let Some(v) = p.groups {
            next.groups = v;
        }
        if let Some(v) = p.markers {
            next.markers = v;
            next.markers.sort_by_key(|m| m.frame);
        }
        if let Some(v) = p.range {
            next.range = (v.to > v.from).then_some(v);
        }
        if let Some(v) = p.listening {
            next.listening = v;
        }
        if let Some(v) = p.ruler {
            next.ruler = v;
        }
        if let Some(v) = p.seat {
            next.seat = v;
        }
        if let Some(v) = p.columns {
            next.columns = v;
        }
        next.plans.change(p.plans);
        next.check()?;
        *self = next;
        Ok(())
    }

    fn check(&self) -> Result<(), ServerError> {
        let refuse = |what: &str| Err(ServerError::Invalid(what.into()));
        let within = |v: f64, low: f64, high: f64| v.is_finite() && (low..=high).contains(&v);
        if self.lanes.values().any(|l| !within(l.height, 0.4, 6.0)) {
            return refuse("a lane is 0.4 to 6 times as high as usual");
        }
        if self.lanes.values().any(|l| !within(l.level_db, -60.0, 12.0)) {
            return refuse("a listening level lies between -60 and 12 dB");
        }
        if self.lanes.values().any(|l| l.pan.is_some_and(|p| !within(p, -1.0, 1.0))) {
            return refuse("a place in the stereo image lies between -1 and 1");
        }
        let mut seen = HashSet::new();
        for g in &self.groups {
            super::sessions::checked_name(&g.name, "group")?;
            if g.colour >= COLOURS {
                return refuse("there are eight colours");
            }
            if let Some(twice) = g.tracks.iter().find(|t| !seen.insert(**t)) {
                return refuse(&format!("track {twice} is in two groups"));
            }
        }
        if self.groups.len() > 100 || self.markers.len() > 2_000 || self.lanes.len() > 4_000 || self.order.len() > 4_000
        {
            return refuse("there are at most 100 groups and 2000 markers");
        }
        if self.markers.iter().any(|m| m.name.chars().count() > 200) {
            return refuse("the name of a marker has at most 200 characters");
        }
        self.plans.check()?;
        if self.range.is_some_and(|r| !within(r.pre_roll_s, 0.0, 30.0)) {
            return refuse("a pre-roll lasts 0 to 30 s");
        }
        if !within(self.listening.speed, 0.25, 1.0) {
            return refuse("the speed lies between 25 and 100 %");
        }
        if !SCOPES.contains(&self.listening.scope.as_str()) {
            return refuse("there is no such part of the session to listen to");
        }
        if !self.ruler.is_empty() && !RULERS.contains(&self.ruler.as_str()) {
            return refuse("there is no such ruler");
        }
        if !["", "audience", "performer"].contains(&self.seat.as_str()) {
            return refuse("left and right are said from the audience's seat or the performer's");
        }
        if self.columns.len() > 20 || self.columns.iter().any(|c| c.chars().count() > 20) {
            return refuse("there are no such columns");
        }
        Ok(())
    }

    /// The other members of a group that moves together.
    pub fn mates(&self, track: Uuid) -> impl Iterator<Item = Uuid> {
        let group = self.groups.iter().find(|g| g.together && g.tracks.contains(&track));
        group.into_iter().flat_map(|g| g.tracks.iter().copied()).filter(move |t| *t != track)
    }
}

/// The desk of a session; an untouched one when nothing was set yet.
///
/// # Errors
/// As the database says.
pub async fn get(db: impl MySqlExecutor<'_>, session: Uuid) -> Result<Desk, ServerError> {
    let row: Option<(Json<Desk>,)> =
        sqlx::query_as("SELECT state FROM desks WHERE session_id = ?").bind(session).fetch_optional(db).await?;
    Ok(row.map(|r| r.0.0).unwrap_or_default())
}

/// Puts parts of the desk where undo or redo has them.
pub(crate) async fn put_back(tx: &mut MySqlConnection, session: Uuid, parts: &DeskParts) -> Result<(), ServerError> {
    if let Some(paths) = &parts.paths {
        super::paths::write(tx, session, paths.map.as_ref()).await?;
    }
    let mut desk = get(&mut *tx, session).await?;
    desk.put_back(parts);
    write(tx, session, &desk).await
}

pub(super) async fn write(tx: &mut MySqlConnection, session: Uuid, desk: &Desk) -> Result<(), ServerError> {
    sqlx::query("REPLACE INTO desks (session_id, state) VALUES (?, ?)")
        .bind(session)
        .bind(Json(desk))
        .execute(tx)
        .await?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_result_takes_over_from_its_original_and_gives_back_to_it() {
        let [first, second, result] = [1, 2, 3].map(Uuid::from_u128);
        let quiet = LaneDesk { level_db: -6.0, ..LaneDesk::default() };
        let was = Desk { order: vec![first, second], lanes: [(first, quiet)].into(), ..Desk::default() };
        let change = DeskChange::beneath(&was, &[Beneath { original: first, result }]).unwrap();
        let mut now = was.clone();
        now.put_back(&change.after);
        assert_eq!(now.order, [first, result, second]);
        let lane = &now.lanes[&first];
        assert_eq!((lane.muted, lane.hidden, lane.level_db), (true, true, -6.0));
        assert!(!now.lanes.contains_key(&result), "it is heard and shown as usual");
        assert_eq!(
            DeskChange::beneath(&now, &[Beneath { original: first, result }]),
            None,
            "it has taken over already"
        );
        now.put_back(&change.before);
        assert_eq!(now, was);
    }
}
