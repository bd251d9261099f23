//! A whole session measured at once: one pass over every track, then every source in every microphone.
//!
//! Work grows with tracks × sources, not with pairs × length: after the first pass only short windows are read.

mod ceilings;
mod cell;
mod common;
pub mod copies;
pub mod event;
pub mod memory;
pub mod regroup;
pub mod settle;
pub mod survey;
mod transfer;

use crate::dsp::window::Anchor;
use crate::measure::arrival::{Cell, Row, Table, empty};
use crate::measure::table::cell::{Ear, home_cell};
use crate::measure::table::common::{Common, common_time};
use crate::measure::table::copies::{copies, speeds};
use crate::measure::table::event::{Group, Led, Stage};
use crate::measure::table::memory::{Forgetful, Known, Memory};
use crate::measure::table::regroup::regroup;
use crate::measure::table::settle::settle;
use crate::measure::table::survey::Survey;
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::track::Role;
use crate::units::{Conditions, SampleRate, SessionFrame};
use crate::verdict::Verdict;
use rayon::prelude::*;
use std::sync::atomic::{AtomicUsize, Ordering};

/// A track to be measured.
pub struct Heard<'a> {
    /// Its sound in session time.
    pub sound: Placed<'a>,
    /// Where it was picked up, as far as known.
    pub role: Role,
    /// Source that somebody said it stands at; tracks that share one are one source.
    pub said: Option<usize>,
    /// Session frames of hits of its source drawn by hand.
    pub added: Vec<SessionFrame>,
    /// Session frames near which no hit is to be used.
    pub removed: Vec<SessionFrame>,
}

/// Called with the part done (0 … 1) from any thread; `false` asks to stop.
pub type Report<'a> = &'a (dyn Fn(f64) -> bool + Sync);

/// A late stage holds a microphone back by no more than this, in seconds.
const LATE_AT_HOME_S: f64 = 0.016;
/// A hit drawn or removed by hand means the one within this of it, in seconds.
const NEAR_A_HIT_S: f64 = 0.02;
/// Part of the work that the first pass over all tracks is.
const FIRST_PASS: f64 = 0.5;

/// Measures the table.
///
/// # Errors
/// [`MeasureError`] when a track cannot be read or `report` says stop.
///
/// ```
/// use marea_core::measure::table::{Heard, measure_session};
/// use marea_core::signal::{MemSource, Placed};
/// use marea_core::track::Role;
/// use marea_core::units::{SampleRate, SessionFrame};
/// // Six noise bursts; a second microphone stands 37 frames behind and hears them inverted.
/// let mut seed = 1u32;
/// let mut noise = || {
///     seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
///     f64::from(seed) / f64::from(u32::MAX) - 0.5
/// };
/// let a: Vec<f32> = (0..120_000).map(|n| (noise() * (-f64::from(n % 20_000) / 900.0).exp()) as f32).collect();
/// let b: Vec<f32> = (0..120_000).map(|n| if n < 37 { 0.0 } else { -0.5 * a[n - 37] }).collect();
/// let (a, b) = (MemSource(a), MemSource(b));
/// let heard = |source, said| {
///     let sound = Placed { source, start: SessionFrame(0) };
///     Heard { sound, role: Role::Near, said: Some(said), added: Vec::new(), removed: Vec::new() }
/// };
/// let table = measure_session(&[heard(&a, 0), heard(&b, 0)], SampleRate::new(48_000).unwrap(), &|_| true).unwrap();
/// let row = &table.rows[0];
/// assert_eq!((table.rows.len(), row.home), (1, 0));
/// assert!((row.cells[1].lag_frames.unwrap() - 37.0).abs() < 0.5 && row.cells[1].sign == -1);
/// ```
pub fn measure_session(tracks: &[Heard], at: impl Into<Conditions>, report: Report) -> Result<Table, MeasureError> {
    measure_what_changed(tracks, at, &Forgetful, report)
}

/// The same table, of which only that is measured that the memory does not have.
///
/// # Errors
/// As [`measure_session`].
pub fn measure_what_changed(
    tracks: &[Heard],
    at: impl Into<Conditions>,
    memory: &dyn Memory,
    report: Report,
) -> Result<Table, MeasureError> {
    let at = at.into();
    let rate = at.rate;
    let (surveys, first_pass) = surveyed(tracks, rate, report)?;
    let common = Common::of(&surveys);
    let shift = common_time(common.as_ref(), &surveys, rate);
    let mut near: Vec<bool> =
        tracks.iter().map(|t| !matches!(t.role, Role::Main | Role::Room | Role::Print | Role::Rendered)).collect();
    if near.iter().filter(|n| **n).count() < 1 {
        near.fill(true);
    }
    let said: Vec<Option<usize>> = tracks.iter().map(|t| t.said).collect();
    let stage = Stage { surveys: &surveys, shift: &shift, near: &near, said: &said, rate };
    let with_hands = |mut groups: Vec<Group>| {
        tracks.iter().enumerate().for_each(|(m, t)| by_hand(&mut groups, m, t, tracks.len(), rate));
        groups
    };
    let groups = with_hands(stage.groups());
    let reach = tracks.iter().map(|t| t.role.reach_s()).fold(0.03, f64::max);
    let wave_s = (reach * 0.75).max(0.03);
    let bench = Bench { tracks, surveys: &surveys, shift: &shift, wave_s, rate, memory };
    let done = AtomicUsize::new(0);
    let cells = groups.len() * tracks.len();
    let go_on = || {
        let part = done.fetch_add(1, Ordering::Relaxed) as f64 / cells as f64;
        report(first_pass + (1.0 - first_pass) * part.min(1.0))
    };
    let mut rows = bench.rows(&groups, &go_on)?;
    let alike = |a: usize, b: usize| said[a].zip(said[b]).map(|(a, b)| a == b);
    let anew = regroup(&rows, &near, alike, rate);
    let joined = with_hands(anew.sets.iter().filter_map(|s| stage.group_of(s)).collect());
    let mut kept = (0..rows.len()).map(|i| !anew.gone.contains(&i));
    rows.retain(|_| kept.next().unwrap_or(true));
    rows.extend(bench.rows(&joined, &go_on)?);
    rows.sort_by_key(|r| r.members.iter().min().copied());
    let roles: Vec<Role> = tracks.iter().map(|t| t.role).collect();
    let (late, places) = settle(&mut rows, &roles, at);
    // Rows that repeat one another are one; whose microphones have other names stay at sources of their own.
    for row in &mut rows {
        row.members.retain(|m| alike(row.home, *m) != Some(false));
    }
    let sounds: Vec<&Placed> = tracks.iter().map(|t| &t.sound).collect();
    let lost: Vec<bool> = (0..tracks.len())
        .map(|m| !surveys[m].facts.is_silent() && !rows.iter().any(|r| r.home != m && r.cells[m].lag_frames.is_some()))
        .collect();
    Ok(Table {
        rate,
        air: at.air,
        wave_s: bench.wave_s,
        rows,
        facts: surveys.iter().map(|s| s.facts).collect(),
        shift,
        late,
        places,
        copies: copies(&sounds, &surveys, rate)?,
        speeds: speeds(|i| common.as_ref().map(|c| c.without(&surveys[i])), &surveys, &lost),
    })
}

/// The first pass over every track, as kept beside the sound or made now, and which part of the work making it was.
fn surveyed(tracks: &[Heard], rate: SampleRate, report: Report) -> Result<(Vec<Survey>, f64), MeasureError> {
    let kept: Vec<Option<Survey>> = tracks.par_iter().map(|t| Survey::kept(&t.sound, rate)).collect();
    let unread = kept.iter().filter(|k| k.is_none()).count() as f64;
    let share = FIRST_PASS * unread / tracks.len().max(1) as f64;
    let done = AtomicUsize::new(0);
    let made = |t: &Heard| {
        let part = |p: f64| share * (done.load(Ordering::Relaxed) as f64 + p) / unread;
        let survey = Survey::measure(&t.sound, rate, &mut |p| report(part(p)));
        done.fetch_add(1, Ordering::Relaxed);
        survey
    };
    let one = |(t, kept): (&Heard, Option<Survey>)| kept.map_or_else(|| made(t), Ok);
    let surveys = tracks.par_iter().zip(kept).map(one).collect::<Result<_, _>>()?;
    Ok((surveys, share))
}

/// Hits somebody drew count as clear everywhere; those somebody removed are not used.
fn by_hand(groups: &mut [Group], m: usize, t: &Heard, tracks: usize, rate: SampleRate) {
    let Some(group) = groups.iter_mut().find(|g| g.members.contains(&m)) else { return };
    let near = rate.frames(NEAR_A_HIT_S);
    let away = |at: i64| t.removed.iter().all(|r| (r.0 - at).abs() > near);
    group.hits.retain(|h| away(h.at));
    group.passages.retain(|p| away(p.at));
    for at in t.added.iter().map(|a| a.0) {
        if group.hits.iter().all(|h| (h.at - at).abs() > near) {
            group.hits.push(Led { at, excess: vec![0.0; tracks] });
        }
    }
    group.hits.sort_by_key(|h| h.at);
}

struct Bench<'a> {
    tracks: &'a [Heard<'a>],
    surveys: &'a [Survey],
    shift: &'a [i64],
    wave_s: f64,
    rate: SampleRate,
    memory: &'a dyn Memory,
}

impl Bench<'_> {
    /// A row a group that has moments of its own.
    fn rows(&self, groups: &[Group], go_on: &(dyn Fn() -> bool + Sync)) -> Result<Vec<Row>, MeasureError> {
        let rows: Vec<Option<Row>> =
            groups.par_iter().map(|group| self.row(group, go_on)).collect::<Result<_, MeasureError>>()?;
        Ok(rows.into_iter().flatten().collect())
    }

    /// A row; none when the source has no moment of its own.
    fn row(&self, group: &Group, go_on: &(dyn Fn() -> bool + Sync)) -> Result<Option<Row>, MeasureError> {
        if group.hits.len() + group.passages.len() < crate::measure::pair::weigh::MIN_HITS {
            return Ok(None);
        }
        let mut group = group.clone();
        let anchor = Anchor::for_many(&self.tracks[group.members[0]].sound);
        // The first to hear it among the microphones at the source; a pickup only when there is nothing else.
        let mut home = group.members[0];
        let at_home: Vec<(usize, Cell)> = group
            .members
            .iter()
            .filter(|m| **m != home)
            .map(|m| Ok((*m, self.cell((home, &anchor), *m, &group, go_on)?)))
            .collect::<Result<_, MeasureError>>()?;
        let electric = |m: usize| self.tracks[m].role == Role::Direct;
        let earlier = at_home
            .iter()
            .filter(|(m, c)| c.verdict == Verdict::Solid && !electric(*m))
            .filter_map(|(m, c)| c.lag_frames.map(|l| (*m, l)))
            .filter(|(_, l)| electric(home) || (*l < -5.0 && *l > -self.rate.hz_f64() * LATE_AT_HOME_S))
            .min_by(|a, b| a.1.total_cmp(&b.1));
        if let Some((m, lag)) = earlier {
            home = m;
            let by = lag.round() as i64;
            group.hits.iter_mut().chain(&mut group.passages).for_each(|m| m.at += by);
        }
        // Moments are the same as before unless another microphone became the home.
        let same = home == group.members[0];
        let anchor = if same { anchor } else { Anchor::for_many(&self.tracks[home].sound) };
        let known = |m: usize| at_home.iter().find(|(k, _)| same && *k == m).map(|(_, cell)| cell.clone());
        let Known { cell: own, power, .. } = home_cell(&anchor, &group, self.wave_s, self.rate, self.memory)?;
        let cells: Vec<Cell> = (0..self.tracks.len())
            .into_par_iter()
            .map(|m| match known(m) {
                _ if m == home => Ok(own.clone()),
                Some(cell) => Ok(cell),
                None => self.cell((home, &anchor), m, &group, go_on),
            })
            .collect::<Result<_, MeasureError>>()?;
        let loud = |at: i64| self.surveys[home].bright.largest(at, at + self.rate.frames(0.012));
        let strongest =
            (0..group.hits.len()).max_by(|a, b| loud(group.hits[*a].at).total_cmp(&loud(group.hits[*b].at)));
        Ok(Some(Row {
            strongest: strongest.unwrap_or(0),
            home,
            members: group.members,
            own_mic: true,
            hits: group.hits.iter().map(|m| SessionFrame(m.at)).collect(),
            passages: group.passages.iter().map(|m| SessionFrame(m.at)).collect(),
            power,
            cells,
        }))
    }

    fn cell(
        &self,
        (home, anchor): (usize, &Anchor),
        mic: usize,
        group: &Group,
        go_on: &(dyn Fn() -> bool + Sync),
    ) -> Result<Cell, MeasureError> {
        if !go_on() {
            return Err(MeasureError::Stopped);
        }
        if self.surveys[mic].facts.is_silent() {
            return Ok(empty("this track is silent", false));
        }
        if self.tracks[mic].role == Role::Direct && !group.members.contains(&mic) {
            return Ok(empty("an electrical pickup hears its own player only", false));
        }
        let reach = self.tracks[mic].role.reach_s().max(self.tracks[home].role.reach_s());
        let centre = self.shift[mic] - self.shift[home];
        let ear = Ear {
            home: (anchor, &self.surveys[home]),
            mic: (&self.tracks[mic].sound, &self.surveys[mic], mic),
            group,
            centre,
            max_lag_s: reach,
            wave_s: self.wave_s,
            rate: self.rate,
        };
        ear.known(self.memory, &mut |_| true)
    }
}
