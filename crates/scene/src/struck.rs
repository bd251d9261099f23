//! Hits found on a set, against the strokes that were played.

use crate::score::{Checked, mic, nearest};
use crate::{Rendered, Scene};
use marea_core::hits::{Hit, Played};
use marea_core::verdict::Verdict;
use std::ops::AddAssign;

/// A hit is right within so many frames at 48 kHz: 5 ms.
const RIGHT_FRAMES: f64 = 240.0;

/// How a set is made harder.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum How {
    /// As it is played.
    Played,
    /// With soft beaters and worn skins: attacks rise slowly, and little is left of the highs.
    Dull,
    /// The microphone of one drum gave nothing.
    Dead,
}

/// Where the highs of a dull set end, in Hz: two poles.
const DULL_HZ: f64 = 2_500.0;

impl How {
    /// Makes a set so.
    pub fn of(self, scene: &mut Scene) {
        match self {
            Self::Played => {}
            Self::Dull => {
                let keep = (-std::f64::consts::TAU * DULL_HZ / f64::from(scene.rate_hz)).exp() as f32;
                for source in &mut scene.sources {
                    for _ in 0..2 {
                        source.dry.iter_mut().fold(0f32, |held, v| {
                            *v += keep * (held - *v);
                            *v
                        });
                    }
                }
            }
            Self::Dead => {
                let near = |s: &&crate::SoundSource| is_drum(&s.name) && s.name != "Kick";
                let Some(drum) = scene.sources.iter().find(near).map(|s| s.position) else { return };
                for mic in scene.takes.iter_mut().flat_map(|t| &mut t.mics) {
                    if crate::room::distance(mic.position, drum) < AT_DRUM_M {
                        mic.gain_db -= 140.0;
                    }
                }
            }
        }
    }
}

/// A microphone this close to a drum is its own, in metres.
const AT_DRUM_M: f64 = 0.3;

/// Counts over one session or many.
#[derive(Debug, Clone, Default)]
pub struct Score {
    /// Of drums: strokes there are, found, and found where there is none.
    pub drums: [usize; 3],
    /// Of everything with a microphone of its own.
    pub all: [usize; 3],
    /// Hits called solid, and those of them that are none.
    pub solid: [usize; 2],
    /// Sources with a microphone of their own that were not learnt.
    pub missing: usize,
    /// How far the found ones are off, in ms.
    pub off_ms: Vec<f64>,
    /// What went wrong, in words.
    pub notes: Vec<String>,
}

impl AddAssign<&Self> for Score {
    fn add_assign(&mut self, o: &Self) {
        self.drums.iter_mut().zip(o.drums).for_each(|(a, b)| *a += b);
        self.all.iter_mut().zip(o.all).for_each(|(a, b)| *a += b);
        self.solid.iter_mut().zip(o.solid).for_each(|(a, b)| *a += b);
        self.missing += o.missing;
        self.off_ms.extend(&o.off_ms);
        self.notes.extend(o.notes.iter().cloned());
    }
}

/// Harmonic mean of the part found and the part right, of strokes there are, found, and false.
pub fn f_score([there, found, wrong]: [usize; 3]) -> f64 {
    if there + found + wrong == 0 { 1.0 } else { 2.0 * found as f64 / (there + found + wrong) as f64 }
}

/// Frames at which a microphone hears the strokes of the source that it stands at.
pub fn strokes(scene: &Scene, played: &Rendered, c: &Checked, home: usize) -> Vec<f64> {
    let source = &scene.sources[nearest(scene, c, home)];
    let (file, channel) = c.at(home);
    let heard = |a: &&crate::Arrival| a.source == source.name && a.file == file && a.channel == channel;
    let direct = if mic(scene, c, home).contact.is_some() { Some(mic(scene, c, home).latency_frames) } else { None };
    let delay = direct.or_else(|| played.arrivals.iter().find(heard).map(|a| a.delay_frames)).unwrap_or(0.0);
    let frames = played.files.first().map_or(0, |f| f.1[0].len()) as f64;
    let mut at: Vec<f64> = source.hits.iter().map(|h| *h as f64 + delay).filter(|h| *h + 480.0 < frames).collect();
    at.sort_by(f64::total_cmp);
    at
}

/// Pairs strokes with hits, the closest first: by stroke, which hit.
pub fn paired(strokes: &[f64], hits: &[f64]) -> Vec<Option<usize>> {
    let mut near = Vec::new();
    for (s, at) in strokes.iter().enumerate() {
        let from = hits.partition_point(|h| *h < at - RIGHT_FRAMES);
        near.extend((from..hits.len()).take_while(|h| hits[*h] <= at + RIGHT_FRAMES).map(|h| (s, h)));
    }
    near.sort_by(|a, b| (strokes[a.0] - hits[a.1]).abs().total_cmp(&(strokes[b.0] - hits[b.1]).abs()));
    let (mut of, mut taken) = (vec![None; strokes.len()], vec![false; hits.len()]);
    for (s, h) in near {
        if of[s].is_none() && !taken[h] {
            (of[s], taken[h]) = (Some(h), true);
        }
    }
    of
}

/// Compares what was found with the truth.
pub fn score(scene: &Scene, played: &Rendered, c: &Checked, found: &[Played]) -> Score {
    let mut score = Score::default();
    let mut learnt = vec![false; scene.sources.len()];
    for p in found {
        let own = nearest(scene, c, p.source.home);
        if std::mem::replace(&mut learnt[own], true) {
            continue;
        }
        let strokes = strokes(scene, played, c, p.source.home);
        let hits: Vec<&Hit> = p.hits.iter().filter(|h| h.verdict > Verdict::Undecided).collect();
        let places: Vec<f64> = hits.iter().map(|h| h.at).collect();
        let of = paired(&strokes, &places);
        let right = of.iter().flatten().count();
        let mut is_right = vec![false; hits.len()];
        for (stroke, hit) in strokes.iter().zip(&of).filter_map(|(s, h)| Some((s, (*h)?))) {
            is_right[hit] = true;
            score.off_ms.push((places[hit] - stroke) / 48.0);
        }
        let counts = [strokes.len(), right, hits.len() - right];
        let add = |to: &mut [usize; 3]| to.iter_mut().zip(counts).for_each(|(a, b)| *a += b);
        add(&mut score.all);
        if is_drum(&scene.sources[own].name) {
            add(&mut score.drums);
        }
        for (hit, right) in hits.iter().zip(is_right).filter(|(h, _)| h.verdict == Verdict::Solid) {
            score.solid[0] += 1;
            if !right {
                score.solid[1] += 1;
                let (name, label) = (&scene.sources[own].name, &c.tracks[p.source.home].label);
                let off = strokes.iter().map(|s| (hit.at - s) / 48.0).min_by(|a, b| a.abs().total_cmp(&b.abs()));
                let off = off.unwrap_or(f64::INFINITY);
                score.notes.push(format!(
                    "{name} ({label}) at {:.3} s, {off:+.1} ms from a stroke: {hit:.1?}",
                    hit.at / 48_000.0
                ));
            }
        }
        let (name, f) = (&scene.sources[own].name, f_score(counts));
        score.notes.push(format!("{name}: {counts:?}, F {f:.3}, bright {}", p.source.is_bright()));
    }
    let homes = (0..c.names.len()).filter(|m| c.tracks[*m].role == marea_core::track::Role::Near);
    let wanted: std::collections::BTreeSet<usize> = homes.map(|m| nearest(scene, c, m)).collect();
    score.missing = wanted.into_iter().filter(|s| !learnt[*s]).count();
    score
}

fn is_drum(source: &str) -> bool {
    ["Kick", "Snare", "Tom", "Floor"].iter().any(|d| source.starts_with(d))
}
