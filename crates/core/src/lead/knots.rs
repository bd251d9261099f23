//! Which moment of a take is which of the lead's: every beginning of the lead looked for in the take, and the best way through all that
//! was found.

use super::fine::{Fine, Row};
use super::moments::{beginnings, ends};
use crate::dsp::stats::median;
use crate::progress::MeasureError;
use crate::units::SampleRate;
use crate::verdict::Verdict;
use crate::warp::bands::{Bands, HOP_S};
use crate::warp::path::Path;

/// What is compared of a beginning, in ms: so much before it and so much after.
const BEFORE: usize = 40;
const AFTER: usize = 60;
/// It is looked for within so much of the usual lag, in ms, which is the median of the path over so much about it, in seconds.
const SEARCH: usize = 160;
const USUAL_S: f64 = 1.5;
/// So many places are kept of each.
const PLACES: usize = 5;
/// A place quieter than the lead's by more than this part counts as this loud.
const QUIET: f32 = 0.3;
/// A way through costs this for every [`FAR_MS`] that a lag lies from the path's, and from the one before it, twice that at most.
const OFF_PATH: f64 = 0.05;
const OFF_BEFORE: f64 = 0.08;
const FAR_MS: f64 = 40.0;
/// A way goes on from one of so many beginnings before; where none of them is in the take, from the best of all before those.
const BACK: usize = 8;
/// A take runs at most so much faster or slower than the lead from one knot to the next.
const RATIO: f64 = 2.5;
/// From which likeness a place counts, is likely, and solid where it also lies within [`AGREE_MS`] of the path.
const COUNTS: f64 = 0.15;
const LIKELY: f64 = 0.3;
const SOLID: f64 = 0.4;
const AGREE_MS: f64 = 8.0;
/// A likely one lies within this of the path, in ms.
const NEARLY_MS: f64 = 25.0;
/// What begins takes so much before it along, in ms: a consonant comes with its vowel. Where there is room of so much, in ms.
const ALONG_MS: f64 = 60.0;
const ROOM_MS: [f64; 2] = [60.0, 30.0];

/// A moment of the lead and the same of the take.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Knot {
    /// Session frame in the lead.
    pub lead: f64,
    /// Session frame in the take.
    pub take: f64,
    /// How like the two are there, 1 at most; 0 where nothing was compared.
    pub alike: f64,
    /// How sure; undecided ones only help the map along.
    pub verdict: Verdict,
}

impl Knot {
    /// Where the take's moment goes: towards the lead's by a part of what it is apart beyond a slack, in frames. Rising where knots do.
    pub fn goes(&self, strength: f64, slack: f64) -> f64 {
        let apart = self.take - self.lead;
        self.take - strength * (apart - apart.clamp(-slack, slack))
    }
}

/// The lead and the take, heard by bands and closely, and the path between them.
pub struct Heard<'a, 'b> {
    /// By bands.
    pub bands: [&'a Bands; 2],
    /// Closely.
    pub fine: [&'a mut Fine<'b>; 2],
    /// What row is which.
    pub path: &'a Path,
    /// Session frame of the first row.
    pub from: i64,
    /// The session's.
    pub rate: SampleRate,
}

/// A place where a beginning may be: how much later than the lead's, in ms, and how like it.
#[derive(Clone, Copy)]
struct Place {
    later: f64,
    alike: f64,
}

/// A beginning of the lead.
struct Begins {
    row: usize,
    by_path: f64,
    places: Vec<Place>,
}

/// The best score of a way that ends at a place, and the one before it: a beginning and one of its places.
type Way = (f64, Option<[usize; 2]>);

impl Heard<'_, '_> {
    fn frame(&self, row: usize) -> f64 {
        self.from as f64 + row as f64 * self.bands[0].hop
    }

    /// The median lag of the path over some rows about one, in ms.
    fn by_path(&self, row: usize, beside: usize) -> f64 {
        let later = &self.path.later;
        let about = row.saturating_sub(beside).min(later.len() - 1)..(row + beside + 1).min(later.len());
        let mut all: Vec<f64> = later[about].iter().map(|l| f64::from(*l)).collect();
        1_000.0 * HOP_S * median(&mut all).unwrap_or(0.0)
    }

    fn begins(&mut self, row: usize) -> Result<Begins, MeasureError> {
        let a_ms = self.rate.hz_f64() / 1_000.0;
        let usual = self.by_path(row, (0.5 * USUAL_S / HOP_S) as usize).round();
        let at = self.frame(row) - BEFORE as f64 * a_ms;
        let there = at + (usual - SEARCH as f64) * a_ms;
        let own = self.fine[0].rises(at, BEFORE + AFTER + 1)?;
        let other = self.fine[1].rises(there, BEFORE + AFTER + 1 + 2 * SEARCH)?;
        let mut places = places(&likeness(&own, &other));
        places.iter_mut().for_each(|p| p.later += usual - SEARCH as f64);
        Ok(Begins { row, by_path: self.by_path(row, 3), places })
    }

    /// Rising in the lead and in the take.
    ///
    /// # Errors
    /// [`MeasureError::Read`] when a sound cannot be read.
    pub fn knots(&mut self) -> Result<Vec<Knot>, MeasureError> {
        let rows = beginnings(self.bands[0]);
        let all = rows.iter().map(|row| self.begins(*row)).collect::<Result<Vec<_>, MeasureError>>()?;
        let a_ms = self.rate.hz_f64() / 1_000.0;
        let mut knots: Vec<Knot> = best_way(&all).into_iter().map(|(n, place)| self.knot(&all[n], place)).collect();
        for row in ends(self.bands[0], &rows) {
            let lead = self.frame(row);
            let take = lead + self.by_path(row, 3) * a_ms;
            knots.push(Knot { lead, take, alike: 0.0, verdict: Verdict::Undecided });
        }
        knots.sort_by(|a, b| a.lead.total_cmp(&b.lead));
        rising(&mut knots);
        along(&mut knots, a_ms);
        Ok(knots)
    }

    fn knot(&self, begins: &Begins, Place { later, alike }: Place) -> Knot {
        let lead = self.frame(begins.row);
        let off = (later - begins.by_path).abs();
        let verdict = match alike {
            a if a > SOLID && off <= AGREE_MS => Verdict::Solid,
            a if a > LIKELY && off <= NEARLY_MS => Verdict::Likely,
            _ => Verdict::Undecided,
        };
        Knot { lead, take: lead + later * self.rate.hz_f64() / 1_000.0, alike, verdict }
    }
}

/// How like the rises are, at every place.
fn likeness(own: &[Row], other: &[Row]) -> Vec<f64> {
    let size = |rows: &[Row]| rows.iter().flatten().map(|v| v * v).sum::<f32>().sqrt();
    let mine = size(own);
    let at = |k: usize| {
        let part = &other[k..k + own.len()];
        let both: f32 = own.iter().flatten().zip(part.iter().flatten()).map(|(a, b)| a * b).sum();
        f64::from(both / (mine * size(part).max(QUIET * mine)).max(f32::MIN_POSITIVE))
    };
    (0..=other.len() - own.len()).map(at).collect()
}

/// The highest tops of a likeness, between two values by a parabola.
fn places(likeness: &[f64]) -> Vec<Place> {
    let len = likeness.len();
    let is_top =
        |k: &usize| (*k == 0 || likeness[k - 1] <= likeness[*k]) && (k + 1 == len || likeness[k + 1] < likeness[*k]);
    let place = |k: usize| {
        let between = match (k.checked_sub(1).map(|b| likeness[b]), likeness.get(k + 1)) {
            (Some(l), Some(r)) => 0.5 * (l - r) / (l - 2.0 * likeness[k] + r),
            _ => 0.0,
        };
        Place { later: k as f64 + if between.is_finite() { between } else { 0.0 }, alike: likeness[k] }
    };
    let mut all: Vec<Place> = (0..len).filter(is_top).map(place).filter(|p| p.alike > COUNTS).collect();
    all.sort_by(|a, b| b.alike.total_cmp(&a.alike));
    all.truncate(PLACES);
    all
}

/// May a take go from one moment to another while the lead goes so far?
fn may_follow(lead: f64, take: f64) -> bool {
    take > lead / RATIO && take < lead * RATIO
}

/// The way through the places that is most like the lead, with lags that change little and stay near the path.
fn best_way(all: &[Begins]) -> Vec<(usize, Place)> {
    let cost = |apart: f64| (apart.abs() / FAR_MS).min(2.0);
    let mut ways: Vec<Vec<Way>> = Vec::with_capacity(all.len());
    let mut best_far: Option<[usize; 2]> = None;
    for (n, b) in all.iter().enumerate() {
        if let Some(left) = n.checked_sub(BACK + 1) {
            let near = (0..ways[left].len()).map(|k| [left, k]);
            best_far = near.chain(best_far).max_by(|x, y| ways[x[0]][x[1]].0.total_cmp(&ways[y[0]][y[1]].0));
        }
        let one = |place: &Place| {
            let own = place.alike - OFF_PATH * cost(place.later - b.by_path);
            let mut best: Way = (own, None);
            let near =
                (n.saturating_sub(BACK)..n).flat_map(|before| (0..all[before].places.len()).map(move |k| [before, k]));
            for [before, k] in near.chain(best_far) {
                let (run, p) = (1_000.0 * HOP_S * (b.row - all[before].row) as f64, all[before].places[k]);
                let score = ways[before][k].0 + own - OFF_BEFORE * cost(place.later - p.later);
                if score > best.0 && may_follow(run, run + place.later - p.later) {
                    best = (score, Some([before, k]));
                }
            }
            best
        };
        ways.push(b.places.iter().map(one).collect());
    }
    let ends = ways.iter().enumerate().flat_map(|(n, row)| (0..row.len()).map(move |k| [n, k]));
    let mut at = ends.max_by(|a, b| ways[a[0]][a[1]].0.total_cmp(&ways[b[0]][b[1]].0));
    let mut found = Vec::new();
    while let Some([n, k]) = at {
        found.push((n, all[n].places[k]));
        at = ways[n][k].1;
    }
    found.reverse();
    found
}

/// Takes out what would stand still or run: of two the less like.
fn rising(knots: &mut Vec<Knot>) {
    let mut n = 1;
    while n < knots.len() {
        let [a, b] = [knots[n - 1], knots[n]];
        if may_follow(b.lead - a.lead, b.take - a.take) {
            n += 1;
        } else {
            knots.remove(if b.alike < a.alike { n } else { n - 1 });
            n = (n - 1).max(1);
        }
    }
}

/// A knot ahead of each that begins something, with the same lag.
fn along(knots: &mut Vec<Knot>, a_ms: f64) {
    let ahead = |n: usize| {
        let Knot { lead, take, alike, .. } = knots[n];
        let [lead, take] = [lead, take].map(|at| at - ALONG_MS * a_ms);
        let before = n.checked_sub(1).map(|n| &knots[n]);
        let room = before.is_none_or(|b| lead - b.lead > ROOM_MS[0] * a_ms && take - b.take > ROOM_MS[1] * a_ms);
        (alike > 0.0 && room).then_some(Knot { lead, take, alike: 0.0, verdict: Verdict::Undecided })
    };
    let more: Vec<Knot> = (0..knots.len()).filter_map(ahead).collect();
    knots.extend(more);
    knots.sort_by(|a, b| a.lead.total_cmp(&b.lead));
}

#[cfg(test)]
mod tests {
    use super::*;

    fn begins(row: usize, places: &[(f64, f64)]) -> Begins {
        let places = places.iter().map(|(later, alike)| Place { later: *later, alike: *alike }).collect();
        Begins { row, by_path: 0.0, places }
    }

    #[test]
    fn the_best_way_prefers_lags_that_agree_to_one_that_is_liker() {
        let all = [
            begins(0, &[(10.0, 0.5)]),
            begins(40, &[(150.0, 0.6), (12.0, 0.5)]),
            begins(80, &[]),
            begins(120, &[(11.0, 0.4)]),
        ];
        let way = best_way(&all);
        assert_eq!(way.iter().map(|(n, p)| (*n, p.later)).collect::<Vec<_>>(), [(0, 10.0), (1, 12.0), (3, 11.0)]);
    }

    /// A word that the take does not have parts the way nowhere, however many beginnings it has.
    #[test]
    fn a_way_goes_on_after_many_that_are_not_in_the_take() {
        let mut all: Vec<Begins> = (0..5).map(|n| begins(40 * n, &[(5.0, 0.5)])).collect();
        all.extend((5..25).map(|n| begins(40 * n, &[])));
        all.extend((25..28).map(|n| begins(40 * n, &[(5.0, 0.5)])));
        assert_eq!(best_way(&all).len(), 8);
    }

    #[test]
    fn likeness_is_one_where_the_same_lies_and_its_top_is_told_between_two_ms() {
        let row =
            |n: i64| -> Row { std::array::from_fn(|b| (-((n as f32 - 30.0 - b as f32 * 0.2) / 6.0).powi(2)).exp()) };
        let own: Vec<Row> = (0..101).map(row).collect();
        let other: Vec<Row> = (0..161).map(|n| row(n - 23)).collect();
        let found = likeness(&own, &other);
        assert_eq!(found.len(), 61);
        let best = places(&found)[0];
        assert!((best.later - 23.0).abs() < 0.01 && (best.alike - 1.0).abs() < 1e-5, "{} {}", best.later, best.alike);
    }

    #[test]
    fn knots_that_would_stand_still_go_and_the_liker_stays() {
        let knot = |lead: f64, take: f64, alike: f64| Knot { lead, take, alike, verdict: Verdict::Likely };
        let mut all =
            vec![knot(0.0, 0.0, 0.5), knot(100.0, 300.0, 0.3), knot(200.0, 210.0, 0.6), knot(300.0, 310.0, 0.5)];
        rising(&mut all);
        assert_eq!(all.iter().map(|k| k.lead).collect::<Vec<_>>(), [0.0, 200.0, 300.0]);
    }
}
