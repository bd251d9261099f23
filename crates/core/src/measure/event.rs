//! Which source sounds when, without anybody marking hits: every near microphone's strikes and passages, kept where that
//! microphone leads.
//!
//! A level is always taken relative to the microphone's own loud passages, so that gains do not matter. A strike belongs to
//! the microphone that leads it; two microphones that rise and fall together stand at one source.

use super::survey::Survey;
use crate::units::SampleRate;

/// Strikes or passages used of one source at most: more add time, hardly certainty.
const MOST: usize = 72;
/// By how much a microphone must lead the others for the sound to be its own source's, in dB.
const LEAD_DB: f64 = 4.0;
/// How far another microphone may stand above its usual part of the sound before something else must have sounded there.
const EXTRA_DB: f64 = 5.0;
/// Microphones that keep within this sum of both leads hear one source.
const TOGETHER_DB: f64 = 5.0;
/// Strikes needed to say anything of a microphone.
const FEW: usize = 5;

/// A source found by the microphones that stand at it.
#[derive(Debug, Clone, PartialEq)]
pub struct Group {
    /// Tracks at the source, by index; the one that hears it most clearly first.
    pub members: Vec<usize>,
    /// Session frames (as the first member hears it) of strikes of this source alone.
    pub hits: Vec<i64>,
    /// Session frames at which a quarter of a second begins that this source leads.
    pub passages: Vec<i64>,
}

/// What is known before.
pub struct Stage<'a> {
    /// A track each.
    pub surveys: &'a [Survey],
    /// Whole-frame shifts to add to a common time to find it in each track.
    pub shift: &'a [i64],
    /// Tracks that may stand at a source of their own.
    pub near: &'a [bool],
    /// Tracks that are said to hear the same source (a group number each); none when nobody said so.
    pub said: &'a [Option<usize>],
    /// Rate of the session.
    pub rate: SampleRate,
}

/// Levels of one moment in all near microphones, relative to their own loud ones.
struct Moment {
    at: i64,
    levels: Vec<f64>,
}

impl Stage<'_> {
    /// Groups of microphones and the moments at which each leads.
    pub fn groups(&self) -> Vec<Group> {
        let near: Vec<usize> = (0..self.surveys.len()).filter(|m| self.near[*m] && self.sounds(*m)).collect();
        let strikes: Vec<Vec<Moment>> = near.iter().map(|m| self.strikes(*m, &near)).collect();
        let passages: Vec<Vec<Moment>> = near.iter().map(|m| self.passages(*m, &near)).collect();
        let mut group: Vec<usize> = (0..near.len()).collect();
        for i in 0..near.len() {
            for j in 0..i {
                let together = match (self.said[near[i]], self.said[near[j]]) {
                    (Some(a), Some(b)) => a == b,
                    _ => alike(&strikes, i, j) && alike(&passages, i, j),
                };
                if together {
                    let (from, to) = (group[i].max(group[j]), group[i].min(group[j]));
                    group.iter_mut().filter(|g| **g == from).for_each(|g| *g = to);
                }
            }
        }
        let mut found = Vec::new();
        for id in 0..near.len() {
            let members: Vec<usize> = (0..near.len()).filter(|i| group[*i] == id).collect();
            if members.is_empty() {
                continue;
            }
            // The member whose moments stand out most speaks for the group.
            let of = |i: usize| {
                let hits = alone(&strikes[i], i, &group);
                let long = alone(&passages[i], i, &group);
                (hits, long)
            };
            let mut best: Option<(usize, Vec<i64>, Vec<i64>)> = None;
            let mut order = Vec::new();
            for &i in &members {
                let (hits, long) = of(i);
                order.push((hits.len() * 2 + long.len(), near[i]));
                if best.as_ref().is_none_or(|b| hits.len() * 2 + long.len() > b.1.len() * 2 + b.2.len()) {
                    best = Some((near[i], hits, long));
                }
            }
            order.sort_by_key(|o| std::cmp::Reverse(o.0));
            if let Some((first, hits, passages)) = best {
                let mut tracks: Vec<usize> = order.into_iter().map(|o| o.1).collect();
                tracks.retain(|t| *t != first);
                tracks.insert(0, first);
                found.push(Group { members: tracks, hits: thin(hits), passages: thin(passages) });
            }
        }
        found
    }

    /// Anything over −90 dBFS at all.
    fn sounds(&self, m: usize) -> bool {
        self.surveys[m].facts.loud_db > -90.0
    }

    /// Strikes of one near microphone within 20 dB of its loud ones, each with its level everywhere.
    fn strikes(&self, m: usize, near: &[usize]) -> Vec<Moment> {
        let reference: Vec<f64> = near.iter().map(|n| db(self.surveys[*n].bright.percentile(0.99))).collect();
        let own = near.iter().position(|n| *n == m).unwrap_or(0);
        // Sound crosses a stage in 20 ms, and a late stage may hold it back as long again.
        let (wide, after) = (self.rate.frames(0.035), self.rate.frames(0.012));
        let gap = self.rate.frames(0.04);
        let onsets = &self.surveys[m].onsets;
        let mut found = Vec::new();
        for (i, o) in onsets.iter().enumerate() {
            let lonely = (i == 0 || o.frame - onsets[i - 1].frame > gap)
                && onsets.get(i + 1).is_none_or(|next| next.frame - o.frame > gap);
            let home = db(Some(self.surveys[m].bright.largest(o.frame, o.frame + after))) - reference[own];
            if !lonely || home < -20.0 {
                continue;
            }
            let common = o.frame - self.shift[m];
            let levels = near
                .iter()
                .enumerate()
                .map(|(k, &n)| {
                    if n == m {
                        return home;
                    }
                    let at = common + self.shift[n];
                    db(Some(self.surveys[n].bright.largest(at - wide, at + wide + after))) - reference[k]
                })
                .collect();
            found.push(Moment { at: o.frame, levels });
        }
        found
    }

    /// Quarter-seconds of one near microphone above its floor, each with its level everywhere.
    fn passages(&self, m: usize, near: &[usize]) -> Vec<Moment> {
        let reference: Vec<f64> = near.iter().map(|n| db(self.surveys[*n].full.percentile(0.97))).collect();
        let own = near.iter().position(|n| *n == m).unwrap_or(0);
        let s = &self.surveys[m];
        let floor = db(s.full.floor()) - reference[own];
        let step = self.rate.frames(0.125);
        let end = s.facts.start + s.facts.frames;
        let mut found = Vec::new();
        let mut at = s.facts.start;
        while at + 2 * step <= end {
            let home = db(Some(s.full.mean(at, 2 * step))) - reference[own];
            if home > -24.0 && home > (floor + 6.0).min(-12.0) {
                let levels = near
                    .iter()
                    .enumerate()
                    .map(|(k, &n)| {
                        let there = at - self.shift[m] + self.shift[n];
                        db(Some(self.surveys[n].full.mean(there, 2 * step))) - reference[k]
                    })
                    .collect();
                found.push(Moment { at, levels });
            }
            at += step;
        }
        found
    }
}

fn db(power: Option<f32>) -> f64 {
    10.0 * f64::from(power.unwrap_or(0.0)).max(1e-16).log10()
}

fn median(values: &mut [f64]) -> f64 {
    if values.is_empty() {
        return 0.0;
    }
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// Do two microphones rise and fall together? At the loud moments of each, the leads of both add up to nothing.
fn alike(moments: &[Vec<Moment>], i: usize, j: usize) -> bool {
    let lead = |of: usize, over: usize| {
        let mut leads: Vec<f64> =
            moments[of].iter().filter(|m| m.levels[of] > -10.0).map(|m| m.levels[of] - m.levels[over]).collect();
        (leads.len() >= FEW).then(|| median(&mut leads))
    };
    match (lead(i, j), lead(j, i)) {
        (Some(a), Some(b)) => a + b < TOGETHER_DB && (a - b).abs() < 2.0 * TOGETHER_DB,
        // Too little to tell apart by this kind of moment: the other kind decides.
        _ => true,
    }
}

/// Moments that microphone `own` leads over all that stand elsewhere, without those in which something else sounded too.
fn alone(moments: &[Moment], own: usize, group: &[usize]) -> Vec<i64> {
    let others: Vec<usize> = (0..group.len()).filter(|n| group[*n] != group[own]).collect();
    let lead = |m: &Moment| {
        let most = others.iter().map(|n| m.levels[*n]).fold(f64::NEG_INFINITY, f64::max);
        m.levels[own] - most
    };
    let mut led: Vec<&Moment> = moments.iter().filter(|m| lead(m) >= LEAD_DB).collect();
    let usual: Vec<f64> = others
        .iter()
        .map(|n| median(&mut led.iter().map(|m| m.levels[*n] - m.levels[own]).collect::<Vec<_>>()))
        .collect();
    led.retain(|m| others.iter().zip(&usual).all(|(n, u)| m.levels[*n] - m.levels[own] <= u + EXTRA_DB));
    led.iter().map(|m| m.at).collect()
}

/// Evenly over the session.
fn thin(moments: Vec<i64>) -> Vec<i64> {
    let n = moments.len();
    if n <= MOST {
        return moments;
    }
    (0..MOST).map(|i| moments[i * n / MOST]).collect()
}
