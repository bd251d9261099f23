//! The stage as a chart: places seen from above, the audience in front, left and right as they are known.

use crate::decide::sides::Sides;
use crate::measure::stage::{Fact, Places, Spot};
use crate::track::{Role, Side, Track};
use serde::{Deserialize, Serialize};

/// Far microphones tell where the audience is from this distance to the sources on, in metres, averaged.
const FRONT_M: f64 = 0.5;
/// A place that is less sure than this is not told, as a standard deviation in metres.
const VAGUE_M: f64 = 2.5;

/// Where something stands, seen from above.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Stand {
    /// To the right as the audience sees it, in metres from the middle of the sources, or from where typed places were measured.
    pub right_m: f64,
    /// Towards the audience, in metres.
    pub front_m: f64,
    /// Above the sources' mean height, in metres; hardly known on a flat stage.
    pub up_m: f64,
    /// Semi-axes of the ellipse of one standard deviation, in metres, the longer first.
    pub ellipse_m: [f64; 2],
    /// Turn of the longer axis from right towards the front, in radians.
    pub turn_rad: f64,
}

/// What settles one of the axes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum SettledBy {
    /// Places that somebody typed.
    Typed,
    /// Sides of sources and pairs.
    Sides,
    /// Far microphones stand in front.
    Far,
    /// Nothing: it may be the mirror image.
    Nothing,
}

/// Places of sources and tracks; none where arrivals do not tell.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Stage {
    /// A row each.
    pub sources: Vec<Option<Stand>>,
    /// A track each.
    pub tracks: Vec<Option<Stand>>,
    /// What tells left from right.
    pub sides_by: SettledBy,
    /// What tells front from back.
    pub front_by: SettledBy,
}

/// From the solver's plane to the chart's: right and front as directions there.
struct Axes {
    middle: [f64; 3],
    right: [f64; 2],
    front: [f64; 2],
    /// Where the middle is on the chart.
    origin: [f64; 2],
}

impl Axes {
    fn stand(&self, spot: &Spot) -> Option<Stand> {
        let d = [spot.at[0] - self.middle[0], spot.at[1] - self.middle[1]];
        let [xx, xy, yy] = spot.spread;
        let form = |a: [f64; 2], b: [f64; 2]| a[0] * b[0] * xx + (a[0] * b[1] + a[1] * b[0]) * xy + a[1] * b[1] * yy;
        let (r, f, rf) = (form(self.right, self.right), form(self.front, self.front), form(self.right, self.front));
        let (mean, half) = ((r + f) / 2.0, ((r - f) / 2.0).hypot(rf));
        let ellipse_m = [mean + half, mean - half].map(|v| v.max(0.0).sqrt());
        (ellipse_m[0] < VAGUE_M).then_some(Stand {
            right_m: dot(d, self.right) + self.origin[0],
            front_m: dot(d, self.front) + self.origin[1],
            up_m: spot.at[2] - self.middle[2],
            ellipse_m,
            turn_rad: 0.5 * (2.0 * rf).atan2(r - f),
        })
    }
}

fn dot(a: [f64; 2], b: [f64; 2]) -> f64 {
    a[0] * b[0] + a[1] * b[1]
}

/// Settles the axes and reads everything off.
pub fn stage(places: &Places, tracks: &[Track], sides: &Sides) -> Stage {
    let known: Vec<[f64; 3]> = places.sources.iter().flatten().map(|s| s.at).collect();
    let n = known.len().max(1) as f64;
    let middle = [0, 1, 2].map(|axis| known.iter().map(|s| s[axis]).sum::<f64>() / n);
    let from_middle = |s: &Spot| [s.at[0] - middle[0], s.at[1] - middle[1]];
    let mut lean = [0.0; 2];
    let mut add = |side: Side, spot: &Option<Spot>| {
        let sign = f64::from(i8::from(side == Side::Right) - i8::from(side == Side::Left));
        if let Some(d) = spot.as_ref().map(from_middle) {
            (lean[0], lean[1]) = (lean[0] + sign * d[0], lean[1] + sign * d[1]);
        }
    };
    places.sources.iter().enumerate().for_each(|(i, spot)| add(sides.of_row(i), spot));
    let far = |m: usize| matches!(tracks[m].role, Role::Main | Role::Room);
    for (m, spot) in places.tracks.iter().enumerate().filter(|(m, _)| far(*m) && !sides.doubtful(*m)) {
        add(tracks[m].side, spot);
    }
    let away: Vec<[f64; 2]> = places
        .tracks
        .iter()
        .enumerate()
        .filter(|(m, _)| far(*m))
        .filter_map(|(_, s)| s.as_ref().map(from_middle))
        .collect();
    let count = away.len().max(1) as f64;
    let mean = [0, 1].map(|axis| away.iter().map(|d| d[axis]).sum::<f64>() / count);
    let sided = lean[0].hypot(lean[1]) > 1e-3;
    let (right, sides_by) =
        if sided { (unit(lean), SettledBy::Sides) } else { (widest(&known, middle), SettledBy::Nothing) };
    let mut front = [-right[1], right[0]];
    let front_by = match dot(mean, front) {
        off if off.abs() > FRONT_M => SettledBy::Far,
        _ => SettledBy::Nothing,
    };
    if dot(mean, front) < 0.0 {
        front = [-front[0], -front[1]];
    }
    let axes = Axes { middle, right, front, origin: [0.0; 2] };
    let (axes, sides_by, front_by) = typed(places, axes, [sides_by, front_by]);
    let all = |spots: &[Option<Spot>]| spots.iter().map(|s| s.as_ref().and_then(|s| axes.stand(s))).collect();
    Stage { sources: all(&places.sources), tracks: all(&places.tracks), sides_by, front_by }
}

fn unit(v: [f64; 2]) -> [f64; 2] {
    let length = v[0].hypot(v[1]).max(1e-12);
    [v[0] / length, v[1] / length]
}

/// The direction in which sources spread furthest.
fn widest(known: &[[f64; 3]], middle: [f64; 3]) -> [f64; 2] {
    let (mut xx, mut xy, mut yy) = (0.0_f64, 0.0_f64, 0.0_f64);
    for s in known {
        let d = [s[0] - middle[0], s[1] - middle[1]];
        (xx, xy, yy) = (xx + d[0] * d[0], xy + d[0] * d[1], yy + d[1] * d[1]);
    }
    let turn: f64 = 0.5 * (2.0 * xy).atan2(xx - yy);
    [turn.cos(), turn.sin()]
}

/// Brings the axes to typed places: one settles where they begin, two the turn, three that lie on no line the mirror image too.
fn typed(places: &Places, mut axes: Axes, by: [SettledBy; 2]) -> (Axes, SettledBy, SettledBy) {
    let stands: Vec<[[f64; 2]; 2]> = places
        .facts
        .iter()
        .filter_map(|f| match f {
            Fact::Stands { of, at } => Some((*at, places.tracks.get(*of)?.as_ref()?)),
            _ => None,
        })
        .map(|(at, spot)| [at, [spot.at[0] - axes.middle[0], spot.at[1] - axes.middle[1]]])
        .collect();
    if stands.is_empty() {
        return (axes, by[0], by[1]);
    }
    let n = stands.len() as f64;
    // As typed, and as found.
    let mean = |which: usize| [0, 1].map(|axis| stands.iter().map(|s| s[which][axis]).sum::<f64>() / n);
    let (here, there) = (mean(0), mean(1));
    if stands.len() == 1 {
        axes.origin = [here[0] - dot(there, axes.right), here[1] - dot(there, axes.front)];
        return (axes, by[0], by[1]);
    }
    // The turn that brings them together, once as found and once mirrored (Kabsch, Acta Cryst. A 1976, in the plane).
    let turned = |mirror: f64| {
        let (mut along, mut across) = (0.0, 0.0);
        for [a, b] in &stands {
            let (a, b) = ([a[0] - here[0], a[1] - here[1]], [b[0] - there[0], mirror * (b[1] - there[1])]);
            along += dot(a, b);
            across += a[1] * b[0] - a[0] * b[1];
        }
        (along.hypot(across), across.atan2(along))
    };
    let handed = if axes.right[0] * axes.front[1] - axes.right[1] * axes.front[0] > 0.0 { 1.0 } else { -1.0 };
    let (as_found, mirrored) = (turned(handed), turned(-handed));
    // Mirrored only where that fits clearly better.
    let settled = stands.len() > 2 && (as_found.0 - mirrored.0).abs() > 0.05 * as_found.0.max(mirrored.0);
    let (mirror, turn) = if settled && mirrored.0 > as_found.0 { (-handed, mirrored.1) } else { (handed, as_found.1) };
    let (c, s) = (turn.cos(), turn.sin());
    let (right, front) = ([c, -s * mirror], [s, c * mirror]);
    let origin = [here[0] - dot(there, right), here[1] - dot(there, front)];
    let axes = Axes { middle: axes.middle, right, front, origin };
    let rest = |by: SettledBy| if settled { SettledBy::Typed } else { by };
    (axes, rest(by[0]), rest(by[1]))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn spot(at: [f64; 2]) -> Option<Spot> {
        Some(Spot { at: [at[0], at[1], 0.0], spread: [0.04, 0.0, 0.01] })
    }

    /// Three typed places turn and mirror the chart to where they were measured.
    #[test]
    fn typed_places_settle_turn_and_mirror() {
        let truth = [[0.0, 0.0], [2.0, 0.3], [0.5, 1.5]];
        for mirror in [1.0, -1.0] {
            for turn in [0.3_f64, 2.0, -1.2] {
                let found = truth.map(|[x, y]| {
                    let y = mirror * y;
                    [x * turn.cos() - y * turn.sin() + 4.0, x * turn.sin() + y * turn.cos() - 1.0]
                });
                let facts = truth.iter().enumerate().map(|(of, at)| Fact::Stands { of, at: *at }).collect();
                let places = Places { tracks: found.map(spot).into(), facts, ..Places::default() };
                let axes = Axes { middle: [0.0; 3], right: [1.0, 0.0], front: [0.0, 1.0], origin: [0.0; 2] };
                let (axes, sides_by, _) = typed(&places, axes, [SettledBy::Nothing; 2]);
                assert_eq!(sides_by, SettledBy::Typed);
                let at: Vec<Stand> = places.tracks.iter().flatten().map(|s| axes.stand(s).unwrap()).collect();
                for (at, truth) in at.iter().zip(truth) {
                    let off = (at.right_m - truth[0]).hypot(at.front_m - truth[1]);
                    assert!(off < 1e-9, "{mirror} {turn}: {at:?}");
                }
            }
        }
    }

    #[test]
    fn the_ellipse_turns_with_the_chart() {
        let axes = Axes { middle: [0.0; 3], right: [0.0, 1.0], front: [1.0, 0.0], origin: [0.0; 2] };
        let stand = axes.stand(&spot([1.0, 2.0]).unwrap()).unwrap();
        assert_eq!((stand.right_m, stand.front_m), (2.0, 1.0));
        assert!((stand.ellipse_m[0] - 0.2).abs() < 1e-12 && (stand.ellipse_m[1] - 0.1).abs() < 1e-12);
        assert!((stand.turn_rad.abs() - std::f64::consts::FRAC_PI_2).abs() < 1e-12, "{}", stand.turn_rad);
    }
}
