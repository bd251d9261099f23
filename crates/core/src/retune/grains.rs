//! The periods of a voice, set closer together or further apart.

use crate::render::varispeed::{between, point};
use crate::signal::index;
use crate::units::SampleRate;
use std::f64::consts::PI;

/// Levels are compared over so much, in seconds, and brought together by no more than this factor.
const LEVEL_S: f64 = 0.04;
const MOST: f64 = 1.6;

/// A period where it is heard: about a mark of the sound, at a place of the result.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Grain {
    /// Sample of the result.
    at: f64,
    /// The mark.
    of: f64,
    /// How far it reaches to either side.
    reach: [f64; 2],
}

/// Where every period is heard.
pub struct Grains(Vec<Grain>);

impl Grains {
    /// Periods at marks of so many samples, sped up by a ratio that changes along the result. The first one stays where it is.
    pub fn new(marks: &[f64], frames: usize, ratio: impl Fn(f64) -> f64) -> Self {
        let mut all: Vec<Grain> = Vec::new();
        let end = frames as f64 - 2.0;
        let marks: Vec<f64> = marks.iter().copied().filter(|m| (1.0..end).contains(m)).collect();
        let [first, _, .., last] = marks[..] else { return Self(all) };
        let mut at = first;
        while at <= last + 1e-6 {
            let n = nearest(&marks, at);
            let before = if n > 0 { marks[n] - marks[n - 1] } else { marks[1] - marks[0] };
            let after = marks.get(n + 1).map_or(before, |next| next - marks[n]);
            all.push(Grain { at, of: marks[n], reach: [before, after] });
            at += after / ratio(at);
        }
        // What comes in and what goes out does so within the samples.
        if let Some(g) = all.first_mut() {
            g.reach[0] = g.reach[0].min(g.at);
        }
        if let Some(g) = all.last_mut() {
            g.reach[1] = g.reach[1].min(frames as f64 - 1.0 - g.at);
        }
        Self(all)
    }

    /// The sound with its periods where they are heard; outside of them as it was.
    pub fn sound(&self, x: &[f32], rate: SampleRate) -> Vec<f32> {
        let (Some(first), Some(last)) = (self.0.first(), self.0.last()) else { return x.to_vec() };
        let mut out = vec![0f64; x.len()];
        for g in &self.0 {
            let [from, to] = [g.at - g.reach[0], g.at + g.reach[1]];
            let frames = (from.ceil().max(0.0) as usize)..((to.floor() + 1.0).clamp(0.0, x.len() as f64) as usize);
            for n in frames {
                let by = n as f64 - g.at;
                let part = if by < 0.0 { 1.0 + by / g.reach[0] } else { 1.0 - by / g.reach[1] };
                out[n] += risen(part) * read(x, g.of + by);
            }
        }
        let [from, to] = [first.at - first.reach[0], last.at + last.reach[1]];
        // What was heard before the first period goes into it, and the last one into what is heard after.
        let sounds = |n: usize| {
            let comes = risen((n as f64 - from) / first.reach[0]);
            let goes = risen((to - n as f64) / last.reach[1]);
            comes.min(goes)
        };
        let was: Vec<f64> = x.iter().enumerate().map(|(n, v)| sounds(n) * f64::from(*v)).collect();
        level(&was, &mut out, [from, to], rate);
        let one = |n: usize| match 1.0 - sounds(n) {
            own if own >= 1.0 => x[n],
            own => (own * f64::from(x[n]) + out[n]) as f32,
        };
        (0..x.len()).map(one).collect()
    }
}

/// The mark nearest to a place.
fn nearest(marks: &[f64], at: f64) -> usize {
    let n = marks.partition_point(|m| *m <= at);
    match n.checked_sub(1) {
        None => 0,
        Some(before) if n == marks.len() || at - marks[before] <= marks[n] - at => before,
        Some(_) => n,
    }
}

/// Half a cosine from 0 to 1.
fn risen(part: f64) -> f64 {
    0.5 - 0.5 * (PI * part.clamp(0.0, 1.0)).cos()
}

/// The sound between two samples; silence outside of it.
fn read(x: &[f32], at: f64) -> f64 {
    if at == at.floor() {
        return usize::try_from(at as i64).ok().and_then(|n| x.get(n)).map_or(0.0, |v| f64::from(*v));
    }
    let (first, count) = between(at, at);
    let inside = usize::try_from(first).ok().and_then(|f| x.get(f..f + count));
    match inside {
        Some(window) => f64::from(point(window, first, at)),
        None => {
            let whole = |n: i64| usize::try_from(n).ok().and_then(|n| x.get(n)).copied().unwrap_or(0.0);
            let window: Vec<f32> = (first..first + count as i64).map(whole).collect();
            f64::from(point(&window, first, at))
        }
    }
}

/// Gives a result the level of the sound along time: more periods are louder, and fewer softer.
fn level(was: &[f64], out: &mut [f64], [from, to]: [f64; 2], rate: SampleRate) {
    let [from, to] = [from.max(0.0) as usize, (to.max(0.0) as usize).min(out.len())];
    let hop = index(rate.frames(LEVEL_S / 4.0)).max(1);
    let mut gains = Vec::new();
    for centre in (from..to).step_by(hop) {
        let part = centre.saturating_sub(2 * hop).max(from)..(centre + 2 * hop).min(to);
        let power = |x: &[f64]| x[part.clone()].iter().map(|v| v * v).sum::<f64>();
        let (wanted, is) = (power(was), power(out));
        let gain = if is > 0.0 { (wanted / is).sqrt() } else { 1.0 };
        gains.push(gain.clamp(1.0 / MOST, MOST));
    }
    for (n, v) in out.iter_mut().enumerate().take(to).skip(from) {
        let place = (n - from) as f64 / hop as f64;
        let (k, share) = (place as usize, place.fract());
        let next = gains[(k + 1).min(gains.len() - 1)];
        *v *= gains[k] + share * (next - gains[k]);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn at_its_own_pitch_it_is_what_it_was() {
        let x: Vec<f32> = (0..6_000).map(|n| (n as f32 * 0.05).sin() * 0.3).collect();
        let marks: Vec<f64> = (1..40).map(|k| 20.0 + 125.66 * f64::from(k)).collect();
        let rate = SampleRate::new(48_000).unwrap();
        let got = Grains::new(&marks, x.len(), |_| 1.0).sound(&x, rate);
        let off = x.iter().zip(&got).map(|(a, b)| (a - b).abs()).fold(0f32, f32::max);
        assert!(off < 1e-5, "{off}");
    }

    #[test]
    fn twice_as_many_periods_for_an_octave_and_none_elsewhere() {
        let marks: Vec<f64> = (0..21).map(|k| 1_000.0 + 100.0 * f64::from(k)).collect();
        let up = Grains::new(&marks, 4_000, |_| 2.0);
        assert_eq!(up.0.len(), 41);
        assert!(up.0.windows(2).all(|g| (g[1].at - g[0].at - 50.0).abs() < 1e-9));
        assert_eq!((up.0[0].at, up.0[0].of), (1_000.0, 1_000.0), "the first stays");
        assert!(up.0.iter().all(|g| (g.at - g.of).abs() <= 50.0), "time goes on as it did");
        assert!(Grains::new(&marks[..2], 4_000, |_| 2.0).0.is_empty());
        let x: Vec<f32> = (0..4_000).map(|n| (n as f32 * 0.3).sin()).collect();
        let got = up.sound(&x, SampleRate::new(48_000).unwrap());
        assert_eq!((&got[..900], &got[3_101..]), (&x[..900], &x[3_101..]));
    }
}
