//! Finds when each source sounds, without marked hits: the strikes and passages of every near microphone, kept where that
//! microphone leads.
//!
//! A level is always taken relative to the microphone's own loud passages, so that gains do not matter. A strike belongs to
//! the microphone that leads it; two microphones that rise and fall together stand at one source.

use crate::dsp::envelope::Onset;
use crate::dsp::stats::median;
use crate::dsp::stats::thin;
use crate::measure::table::survey::Survey;
use crate::units::{SampleRate, db_of_power};
use rayon::prelude::*;

/// Largest number of strikes and of passages used per source: more cost time and add little certainty.
pub const MOST_STRIKES: usize = 72;
/// A passage holds seven times as much sound as a strike.
pub const MOST_PASSAGES: usize = 32;
/// By how much a microphone must lead the others for the sound to be its own source's, in dB.
const LEAD_DB: f64 = 4.0;
/// A microphone's own source stays within this of its second loudest moment, in dB.
const OWN_DB: f64 = 18.0;
/// Where the levels of its moments, sorted, leave a gap like this, what lies below it is another source, in dB.
const GAP_DB: f64 = 8.0;
/// A stroke reaches the microphones at its source within this, in seconds, latencies of theirs among it.
const TOGETHER_S: f64 = 0.02;
/// Strikes within this of a microphone's strong ones are its own, in dB.
const LOUD_DB: f64 = 12.0;
/// A source dies away soon when it falls by this within 0.4 s, in dB.
const DIES_AWAY_DB: f64 = 9.0;
/// With fewer moments than this, a smaller lead is accepted.
const ENOUGH: usize = 16;
/// How far another microphone may stand above its usual part of the sound before something else must have sounded there.
const EXTRA_DB: f32 = 5.0;
/// Number of moments used for a microphone that is never quiet.
const FIT_LEAST: usize = 8;
/// Microphones whose lead differs by less than this hear one source, in dB.
const TOGETHER_DB: f64 = 2.5;
/// Microphones of one name whose lead differs by more than this stand at different sources, in dB.
const NEVER_DB: f64 = 30.0;
/// An onset this far under another one does not disturb it, in dB.
const FAINT_DB: f64 = 15.0;
/// Strikes needed to judge a microphone.
const FEW: usize = 5;

/// A source found by the microphones that stand at it.
#[derive(Debug, Clone, PartialEq)]
pub struct Group {
    /// Tracks at the source, by index; the one that hears it most clearly first.
    pub members: Vec<usize>,
    /// Strikes at which this source leads, as the first member hears them.
    pub hits: Vec<Led>,
    /// Beginnings of quarter-seconds in which this source leads.
    pub passages: Vec<Led>,
}

/// A moment at which a source leads.
#[derive(Debug, Clone, PartialEq)]
pub struct Led {
    /// Session frame.
    pub at: i64,
    /// How far each track stands above what it usually hears of this source, in dB: something else sounds there too.
    pub excess: Vec<f32>,
}

impl Group {
    /// Up to so many moments for one microphone: those in which no other source drowns this one.
    pub fn fit(moments: &[Led], track: usize, most: usize) -> Vec<i64> {
        let mut order: Vec<&Led> = moments.iter().collect();
        order.sort_by(|a, b| a.excess[track].total_cmp(&b.excess[track]));
        let good = order.iter().take_while(|m| m.excess[track] <= EXTRA_DB).count();
        order.truncate(good.max(FIT_LEAST));
        let mut places: Vec<i64> = order.into_iter().map(|m| m.at).collect();
        places.sort_unstable();
        thin(&places, most)
    }
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

/// Levels of one moment in all tracks, relative to their own loud ones.
struct Moment {
    at: i64,
    levels: Vec<f64>,
    /// Level over all bands in the track itself, relative to its loud passages, in dB.
    loud_db: f64,
}

impl Stage<'_> {
    /// Groups of microphones and the moments at which each leads.
    pub fn groups(&self) -> Vec<Group> {
        let near = self.sounding();
        let strikes: Vec<Vec<Moment>> = near.par_iter().map(|m| self.strikes(*m)).collect();
        let passages: Vec<Vec<Moment>> = near.par_iter().zip(&strikes).map(|(m, s)| self.passages(*m, s)).collect();
        let group = self.gathered(&near, &strikes, &passages);
        (0..near.len())
            .filter_map(|id| {
                let (here, others) = split(0..near.len(), |i| group[*i] == id);
                let others: Vec<usize> = others.into_iter().map(|i| near[i]).collect();
                self.spoken(here.into_iter().map(|i| (near[i], &strikes[i][..], &passages[i][..])), &others)
            })
            .collect()
    }

    /// One group of these tracks, whatever their levels say.
    pub fn group_of(&self, tracks: &[usize]) -> Option<Group> {
        let (here, others) = split(self.sounding(), |m| tracks.contains(m));
        let moments: Vec<_> = here
            .iter()
            .map(|m| {
                let strikes = self.strikes(*m);
                let passages = self.passages(*m, &strikes);
                (*m, strikes, passages)
            })
            .collect();
        self.spoken(moments.iter().map(|(m, s, p)| (*m, &s[..], &p[..])), &others)
    }

    /// A group of microphones, each with its strikes and passages. The microphone whose moments stand out most over the others comes
    /// first. What one of them alone takes for its own is another source that happens to be next to it.
    fn spoken<'a>(
        &self,
        members: impl Iterator<Item = (usize, &'a [Moment], &'a [Moment])>,
        others: &[usize],
    ) -> Option<Group> {
        let mut each: Vec<Group> = members
            .map(|(m, strikes, passages)| Group {
                members: vec![m],
                hits: leading(strikes, m, others),
                passages: leading(passages, m, others),
            })
            .collect();
        let of = |g: &Group, led: &[Led]| led.iter().map(|l| l.at - self.shift[g.members[0]]).collect::<Vec<i64>>();
        let told: Vec<[Vec<i64>; 2]> = each.iter().map(|g| [of(g, &g.hits), of(g, &g.passages)]).collect();
        let reach = [self.rate.frames(TOGETHER_S), self.rate.frames(0.3)];
        for (n, g) in each.iter_mut().enumerate() {
            let shift = self.shift[g.members[0]];
            for (kind, led) in [&mut g.hits, &mut g.passages].into_iter().enumerate() {
                let fellows: Vec<&Vec<i64>> =
                    (0..told.len()).filter(|k| *k != n).map(|k| &told[k][kind]).filter(|t| !t.is_empty()).collect();
                let shared = |l: &Led| fellows.iter().any(|t| any_within(t, l.at - shift, reach[kind]));
                led.retain(|l| fellows.is_empty() || shared(l));
            }
        }
        each.sort_by_key(|g| std::cmp::Reverse(g.hits.len() * 2 + g.passages.len()));
        let tracks = each.iter().map(|g| g.members[0]).collect();
        (!each.is_empty()).then(|| Group { members: tracks, ..each.swap_remove(0) })
    }

    /// Near microphones with anything on them.
    fn sounding(&self) -> Vec<usize> {
        (0..self.surveys.len()).filter(|m| self.near[*m] && self.sounds(*m)).collect()
    }

    /// Which near microphones stand at one source: a group number each. The most alike join first, and every two of a group must hear
    /// the same source: two never join through a third.
    fn gathered(&self, near: &[usize], strikes: &[Vec<Moment>], passages: &[Vec<Moment>]) -> Vec<usize> {
        let n = near.len();
        let said = |i: usize, j: usize| Some(self.said[near[i]]? == self.said[near[j]]?);
        let mut group: Vec<usize> = (0..n).collect();
        let mut join = |i: usize, j: usize| {
            let (from, to) = (group[i].max(group[j]), group[i].min(group[j]));
            group.iter_mut().filter(|g| **g == from).for_each(|g| *g = to);
        };
        let mut like = vec![vec![f64::INFINITY; n]; n];
        let mut order = Vec::new();
        for i in 0..n {
            for j in 0..i {
                let (long, struck) = (
                    apart([&passages[i], &passages[j]], [near[i], near[j]]),
                    apart([&strikes[i], &strikes[j]], [near[i], near[j]]),
                );
                let value = match said(i, j) {
                    // A name is believed unless the two never sound together.
                    Some(true) if long < NEVER_DB || struck < NEVER_DB * 0.5 => 0.0,
                    Some(true) => long,
                    // Neighbours hear one another's strokes nearly alike; their names know better.
                    Some(false) => f64::INFINITY,
                    None if struck < TOGETHER_DB => long * 0.5,
                    None => long,
                };
                (like[i][j], like[j][i]) = (value, value);
                if value < TOGETHER_DB {
                    order.push((value, i, j));
                }
            }
        }
        order.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut sets: Vec<Vec<usize>> = (0..n).map(|i| vec![i]).collect();
        for (_, i, j) in order {
            let (a, b) = (sets[i].clone(), sets[j].clone());
            if a.contains(&j) || !a.iter().all(|x| b.iter().all(|y| like[*x][*y] < 2.0 * TOGETHER_DB)) {
                continue;
            }
            join(i, j);
            let both: Vec<usize> = a.into_iter().chain(b).collect();
            for &k in &both {
                sets[k].clone_from(&both);
            }
        }
        group
    }

    /// Was anything recorded at all?
    fn sounds(&self, m: usize) -> bool {
        !self.surveys[m].facts.is_silent()
    }

    /// Strikes of one near microphone within 20 dB of its loud ones, each with its level everywhere.
    fn strikes(&self, m: usize) -> Vec<Moment> {
        let reference: Vec<f64> = self.surveys.iter().map(|s| db(Some(s.loud.bright))).collect();
        // Sound crosses a stage in 20 ms, and a late stage may hold it back as long again.
        let (early, late, after) = (self.rate.frames(0.012), self.rate.frames(0.028), self.rate.frames(0.012));
        let gap = self.rate.frames(0.04);
        let onsets = &self.surveys[m].onsets;
        let mut found = Vec::new();
        for (i, o) in onsets.iter().enumerate() {
            let clear = |other: Option<&Onset>| {
                other.is_none_or(|n| (n.frame - o.frame).abs() > gap || n.level_db < o.level_db - FAINT_DB)
            };
            let lonely = clear(i.checked_sub(1).map(|k| &onsets[k])) && clear(onsets.get(i + 1));
            let home = db(Some(self.surveys[m].bright.largest(o.frame, o.frame + after))) - reference[m];
            if !lonely || home < -20.0 {
                continue;
            }
            let common = o.frame - self.shift[m];
            let levels = (0..self.surveys.len())
                .map(|n| {
                    if n == m {
                        return home;
                    }
                    let at = common + self.shift[n];
                    db(Some(self.surveys[n].bright.largest(at - early, at + late))) - reference[n]
                })
                .collect();
            let loud = self.surveys[m].full.largest(o.frame, o.frame + self.rate.frames(0.06));
            let loud_db = db(Some(loud)) - db(Some(self.surveys[m].loud.full));
            found.push(Moment { at: o.frame, levels, loud_db });
        }
        found
    }

    /// Does what a near microphone is for die away soon after a strike?
    fn dies_away(&self, m: usize, strikes: &[Moment]) -> bool {
        let slow = &self.surveys[m].slow;
        let (step, later) = (self.rate.frames(0.25), self.rate.frames(0.4));
        let fall = |s: &Moment| db(Some(slow.mean(s.at, step))) - db(Some(slow.mean(s.at + later, step)));
        let mut falls: Vec<f64> = strikes.iter().filter(|s| s.levels[m] > -LOUD_DB).map(fall).collect();
        falls.len() >= FEW && median(&mut falls).is_some_and(|f| f > DIES_AWAY_DB)
    }

    /// Quarter-seconds of one near microphone above its floor, each with its level everywhere. Where its source dies away soon, only
    /// those at a strike: what sounds between its strikes is something else.
    fn passages(&self, m: usize, strikes: &[Moment]) -> Vec<Moment> {
        let dry = self.dies_away(m, strikes);
        let step = self.rate.frames(0.125);
        let own_strikes: Vec<i64> = strikes.iter().filter(|s| s.levels[m] > -LOUD_DB).map(|s| s.at).collect();
        let struck =
            |at: i64| own_strikes.get(own_strikes.partition_point(|s| *s < at - step)).is_some_and(|s| *s < at + step);
        let reference: Vec<f64> = self.surveys.iter().map(|s| db(Some(s.loud.full))).collect();
        let s = &self.surveys[m];
        let floor = db(Some(s.loud.floor)) - reference[m];
        let end = s.facts.end().0;
        let mut found = Vec::new();
        let mut at = s.facts.start.0;
        while at + 2 * step <= end {
            let home = db(Some(s.slow.mean(at, 2 * step))) - reference[m];
            let own = !dry || struck(at);
            if own && home > -24.0 && home > (floor + 6.0).min(-12.0) {
                let levels = (0..self.surveys.len())
                    .map(|n| {
                        let there = at - self.shift[m] + self.shift[n];
                        db(Some(self.surveys[n].slow.mean(there, 2 * step))) - reference[n]
                    })
                    .collect();
                found.push(Moment { at, levels, loud_db: home });
            }
            at += step;
        }
        found
    }
}

fn db(power: Option<f32>) -> f64 {
    db_of_power(f64::from(power.unwrap_or(0.0)).max(1e-16))
}

/// How much the levels of two microphones differ when one of them is loud, in dB: the lead of each at its clearer moments, added.
/// Near 0 for microphones at one source; infinite when there is too little to tell.
fn apart(moments: [&[Moment]; 2], tracks: [usize; 2]) -> f64 {
    let lead = |of: usize| {
        let (own, over) = (tracks[of], tracks[1 - of]);
        let mut leads: Vec<f64> =
            moments[of].iter().filter(|m| m.levels[own] > -10.0).map(|m| m.levels[own] - m.levels[over]).collect();
        let at = leads.len().saturating_sub(1) * 4 / 5;
        (leads.len() >= FEW).then(|| *leads.select_nth_unstable_by(at, f64::total_cmp).1)
    };
    lead(0).zip(lead(1)).map_or(f64::INFINITY, |(a, b)| a + b)
}

/// Moments that track `own` leads over the `others`, and how far each track stands above its usual part of them.
fn leading(moments: &[Moment], own: usize, others: &[usize]) -> Vec<Led> {
    let lead = |m: &Moment| {
        let most = others.iter().map(|n| m.levels[*n]).fold(f64::NEG_INFINITY, f64::max);
        m.levels[own] - most
    };
    // In dense playing nobody leads by much for long: then the clearest moments are taken.
    let mut order: Vec<(f64, &Moment)> = moments.iter().map(|m| (lead(m), m)).collect();
    order.sort_by(|a, b| b.0.total_cmp(&a.0));
    let mut led: Vec<&Moment> = order
        .into_iter()
        .enumerate()
        .take_while(|(i, (lead, _))| *lead >= LEAD_DB || (*i < ENOUGH && *lead >= 0.0))
        .map(|(_, (_, m))| m)
        .collect();
    // A cymbal without a microphone of its own leads in whatever stands next to it, but softer than what that microphone is for.
    let mut loud: Vec<f64> = led.iter().map(|m| m.loud_db).collect();
    loud.sort_by(|a, b| b.total_cmp(a));
    let least = loud.get(1).map_or(f64::NEG_INFINITY, |second| second - OWN_DB);
    let gap = loud.windows(2).skip(1).find(|l| l[0] - l[1] >= GAP_DB).map_or(least, |l| l[0]);
    let least = least.max(gap);
    led.retain(|m| m.loud_db >= least);
    led.sort_by_key(|m| m.at);
    let tracks = moments.first().map_or(0, |m| m.levels.len());
    let usual: Vec<f64> = (0..tracks)
        .map(|n| {
            let mut part: Vec<f64> = led.iter().map(|m| m.levels[n] - m.levels[own]).collect();
            part.sort_by(f64::total_cmp);
            part.get(part.len() / 4).copied().unwrap_or(0.0)
        })
        .collect();
    led.iter()
        .map(|m| Led {
            at: m.at,
            excess: (0..tracks).map(|n| (m.levels[n] - m.levels[own] - usual[n]) as f32).collect(),
        })
        .collect()
}

/// Does any of these places, in their order, lie within a reach of another one?
fn any_within(places: &[i64], at: i64, reach: i64) -> bool {
    places.get(places.partition_point(|p| *p < at - reach)).is_some_and(|p| *p <= at + reach)
}

fn split(all: impl IntoIterator<Item = usize>, here: impl Fn(&usize) -> bool) -> (Vec<usize>, Vec<usize>) {
    all.into_iter().partition(here)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_lies_within_a_reach_is_found_at_its_very_ends() {
        let places = [10, 50, 51, 90];
        let slow = |at: i64, reach: i64| places.iter().any(|p| (p - at).abs() <= reach);
        for at in -20..130 {
            for reach in [0, 1, 7, 40] {
                assert_eq!(any_within(&places, at, reach), slow(at, reach), "{at} ± {reach}");
            }
        }
        assert!(!any_within(&[], 0, 1_000));
    }
}
