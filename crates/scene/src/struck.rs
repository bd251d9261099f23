//! Hits found on a set, against the strokes that were played.

use crate::score::{Checked, check, mic, nearest};
use crate::sets::{Kind, RATE_HZ, scene};
use crate::{Rendered, Scene};
use marea_core::hits::{Hit, Played};
use marea_core::signal::{MemSource, Placed};
use marea_core::track::Role;
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use std::collections::BTreeMap;
use std::ops::AddAssign;

/// Frames in a millisecond at the rate of all sets, 48 kHz.
const FRAMES_A_MS: f64 = 48.0;
/// A hit is right within so many frames: 5 ms.
const RIGHT_FRAMES: f64 = 5.0 * FRAMES_A_MS;

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

/// Under this gain a microphone of a set was made faint, in dB.
const FAINT_DB: f64 = -30.0;

/// A set that was played and checked.
pub struct Set {
    /// Who plays what, and where.
    pub scene: Scene,
    /// What was recorded.
    pub played: Rendered,
    /// What the check says of it.
    pub checked: Checked,
    sounds: Vec<MemSource>,
}

impl Set {
    /// The set of a seed.
    ///
    /// # Errors
    /// None that its rate does not give.
    pub fn of(seed: u64, seconds: f64, how: How) -> Result<Self, Box<dyn std::error::Error>> {
        let kind = if seed.is_multiple_of(8) { Kind::Clean } else { Kind::Any };
        let mut scene = scene(seconds, seed, kind);
        how.of(&mut scene);
        let played = scene.render();
        let checked = check(&played, SampleRate::new(u64::from(RATE_HZ))?);
        let sounds = played.files.iter().flat_map(|(_, planes)| planes.iter().cloned().map(MemSource)).collect();
        Ok(Self { scene, played, checked, sounds })
    }

    /// No microphone is dead or so faint that it may as well be.
    pub fn is_alive(&self) -> bool {
        self.scene.takes.iter().flat_map(|t| &t.mics).all(|m| m.gain_db > FAINT_DB)
    }

    /// Its sounds, all from the beginning.
    pub fn placed(&self) -> Vec<Placed<'_>> {
        self.sounds.iter().map(|source| Placed { source, start: SessionFrame(0) }).collect()
    }

    /// When any stroke reaches any microphone that is neither dead nor faint, in order: the frame, and the source struck.
    pub fn attacks(&self) -> Vec<(i64, &str)> {
        let frames = self.scene.frames as i64;
        let lives = |a: &&crate::Arrival| {
            let take = self.scene.takes.iter().find(|t| t.file == a.file);
            take.is_some_and(|t| t.mics[usize::from(a.channel) - 1].gain_db > FAINT_DB)
        };
        let of = |a: &crate::Arrival| {
            let source = self.scene.sources.iter().find(|s| s.name == a.source);
            let delay = a.delay_frames;
            source.map(|s| s.hits.iter().map(move |h| ((*h as f64 + delay).round() as i64, s.name.as_str())))
        };
        let mut all: Vec<(i64, &str)> =
            self.played.arrivals.iter().filter(lives).filter_map(of).flatten().filter(|a| a.0 < frames).collect();
        all.sort_unstable();
        all
    }
}

/// Counts over one session or many.
#[derive(Debug, Clone, Default)]
pub struct Score {
    /// Of drums: strokes there are, found, and found where there is none.
    pub drums: [usize; 3],
    /// Of everything with a microphone of its own.
    pub all: [usize; 3],
    /// Hits called solid, and those of them that are none.
    pub solid: [usize; 2],
    /// Sources with a microphone of their own that is not dead and were not learnt: all their strokes are missed.
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
    let direct = mic(scene, c, home).contact.map(|_| mic(scene, c, home).latency_frames);
    let delay = direct.or_else(|| played.arrivals.iter().find(heard).map(|a| a.delay_frames)).unwrap_or(0.0);
    let frames = played.files.first().map_or(0, |f| f.1[0].len()) as f64;
    let mut at: Vec<f64> = source.hits.iter().map(|h| *h as f64 + delay).filter(|h| *h + 480.0 < frames).collect();
    at.sort_by(f64::total_cmp);
    at
}

/// The value that so great a part of all lies under; 0 of none.
pub fn quantile(of: &[f64], part: f64) -> f64 {
    let mut of = of.to_vec();
    of.sort_by(f64::total_cmp);
    of.get((of.len().saturating_sub(1) as f64 * part) as usize).copied().unwrap_or(0.0)
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

/// Compares what was found with the truth. Strokes of a source that was not learnt are missed; a second row of one source finds none
/// anew, and what is wrong in it is wrong.
pub fn score(scene: &Scene, played: &Rendered, c: &Checked, found: &[Played]) -> Score {
    let mut score = Score::default();
    let mut learnt = vec![false; scene.sources.len()];
    for p in found {
        let own = nearest(scene, c, p.source.home);
        let again = std::mem::replace(&mut learnt[own], true);
        score.add_source(&scene.sources[own].name, &strokes(scene, played, c, p.source.home), p, again);
    }
    // Nobody can find what only a dead microphone stands at.
    let hears = |m: &usize| c.tracks[*m].role == Role::Near && !c.table.facts[*m].is_silent();
    let homes: BTreeMap<usize, usize> =
        (0..c.names.len()).filter(hears).map(|m| (nearest(scene, c, m), m)).filter(|(own, _)| !learnt[*own]).collect();
    for (own, home) in homes {
        let there = strokes(scene, played, c, home).len();
        score.missing += 1;
        score.count(&scene.sources[own].name, [there, 0, 0]);
        score.notes.push(format!("{}: not learnt, {there} strokes", scene.sources[own].name));
    }
    score
}

impl Score {
    fn count(&mut self, source: &str, counts: [usize; 3]) {
        let add = |to: &mut [usize; 3]| to.iter_mut().zip(counts).for_each(|(a, b)| *a += b);
        add(&mut self.all);
        if is_drum(source) {
            add(&mut self.drums);
        }
    }

    fn add_source(&mut self, name: &str, strokes: &[f64], p: &Played, again: bool) {
        let hits: Vec<&Hit> = p.hits.iter().filter(|h| h.verdict > Verdict::Undecided).collect();
        let places: Vec<f64> = hits.iter().map(|h| h.at).collect();
        let of = paired(strokes, &places);
        let right = of.iter().flatten().count();
        let mut is_right = vec![false; hits.len()];
        for (stroke, hit) in strokes.iter().zip(&of).filter_map(|(s, h)| Some((s, (*h)?))) {
            is_right[hit] = true;
            self.off_ms.push((places[hit] - stroke) / FRAMES_A_MS);
        }
        let wrong = hits.len() - right;
        let counts = if again { [0, 0, wrong] } else { [strokes.len(), right, wrong] };
        self.count(name, counts);
        for (hit, right) in hits.iter().zip(is_right).filter(|(h, _)| h.verdict == Verdict::Solid) {
            self.solid[0] += 1;
            if !right {
                self.solid[1] += 1;
                let off = strokes.iter().map(|s| (hit.at - s) / FRAMES_A_MS);
                let off = off.min_by(|a, b| a.abs().total_cmp(&b.abs())).unwrap_or(f64::INFINITY);
                self.notes.push(format!("{name}: {off:+.1} ms from a stroke: {hit:.1?}"));
            }
        }
        let second = if again { ", a second row" } else { "" };
        self.notes.push(format!(
            "{name}{second}: {counts:?}, F {:.3}, bright {}",
            f_score(counts),
            p.source.is_bright()
        ));
    }
}

fn is_drum(source: &str) -> bool {
    ["Kick", "Snare", "Tom", "Floor"].iter().any(|d| source.starts_with(d))
}
