//! One source in one microphone: measured on strikes, and on longer passages where strikes leave a doubt.

use crate::dsp::stats::thin;
use crate::dsp::window::Anchor;
use crate::measure::arrival::{Alternative, Cell, MomentLag, empty};
use crate::measure::pair::each::each_lag;
use crate::measure::pair::estimate::Estimate;
use crate::measure::pair::look::{Attempt, Look, leaning};
use crate::measure::pair::options::{Material, PairOptions};
use crate::measure::pair::weigh::{MIN_HEIGHT, MIN_HITS, RIVAL_SOLID, SOLID_HEIGHT};
use crate::measure::table::event::{Group, MOST_PASSAGES, MOST_STRIKES};
use crate::measure::table::memory::{Known, Memory, Which, known};
use crate::measure::table::survey::Survey;
use crate::measure::table::transfer::{transfer, wave};
use crate::progress::{MeasureError, Progress};
use crate::signal::Placed;
use crate::units::{SampleRate, SessionFrame, db_of_power};
use crate::verdict::Verdict;

/// Height of an earlier peak, as part of the strongest, from which the strongest may be a reflection.
const EARLIER_MAY_BE: f64 = 0.4;
/// Height of an earlier peak, as part of the strongest, from which it is taken for the direct sound.
const EARLIER_IS: f64 = 0.7;
/// Strikes and passages measured first; the rest only where these leave a doubt.
const STRIKES_AT_FIRST: usize = 16;
const PASSAGES_AT_FIRST: usize = 12;
/// Largest number of strikes and passages used for the fraction of a frame: a cell needs a frame, not a hundredth.
const FINE_STRIKES: usize = 32;
const FINE_PASSAGES: usize = 12;
/// A microphone whose level at the strikes stays this far under its loud passages does not hear the source.
const HEARD_DB: f64 = -38.0;

/// One source in one microphone, to be measured.
pub struct Ear<'a> {
    /// The microphone that hears the source first of all.
    pub home: (&'a Anchor<'a>, &'a Survey),
    /// The one that is looked at, and its index.
    pub mic: (&'a Placed<'a>, &'a Survey, usize),
    /// Moments at which the source sounds.
    pub group: &'a Group,
    /// Coarse lag in frames.
    pub centre: i64,
    /// How far from it is looked, in seconds.
    pub max_lag_s: f64,
    /// Length of the mean waveform in seconds.
    pub wave_s: f64,
    /// The session's rate.
    pub rate: SampleRate,
}

impl Ear<'_> {
    /// What the memory has of it; else measures it.
    ///
    /// # Errors
    /// [`MeasureError`] when a track cannot be read or `progress` says stop.
    pub fn known(&self, memory: &dyn Memory, progress: Progress) -> Result<Cell, MeasureError> {
        let heard = heard(self.mic.1, self.group, self.centre, self.max_lag_s, self.rate);
        let fit = |moments, most| Group::fit(moments, self.mic.2, most);
        let moments = [fit(&self.group.hits, MOST_STRIKES), fit(&self.group.passages, MOST_PASSAGES)];
        let named = Which::of(self.home.0.track).zip(Which::of(self.mic.0));
        let settings = (heard, self.centre, self.max_lag_s, self.rate.hz());
        let made_of = named.map(|named| (named, &moments, settings));
        let mut found = known(memory, made_of, || self.measure(&moments, heard, progress))?;
        if found.wave_s.to_bits() != self.wave_s.to_bits() && !found.moments.is_empty() {
            found.cell.wave = self.wave(&found.moments)?;
        }
        Ok(found.cell)
    }

    fn wave(&self, moments: &[i64]) -> Result<Vec<f32>, MeasureError> {
        wave((self.home.0.track, self.mic.0), moments, self.centre, self.wave_s, self.rate)
    }

    fn measure(&self, moments: &[Vec<i64>; 2], heard: bool, progress: Progress) -> Result<Known, MeasureError> {
        let known = |cell, moments| Known { cell, power: Vec::new(), moments, wave_s: self.wave_s };
        let (home, mic, rate) = (self.home.0, self.mic.0, self.rate);
        let Some(mut best) = self.best(moments, progress)? else {
            return Ok(known(empty("nothing to measure", heard), Vec::new()));
        };
        // A clear arrival is heard, however quiet.
        let heard = heard || best.verdict == Verdict::Solid;
        if heard {
            first_counts(&mut best, rate);
        } else {
            best.verdict = Verdict::Undecided;
            best.reason = "this microphone does not hear the source".into();
        }
        let e = &best.estimate;
        let decided = best.verdict > Verdict::Undecided;
        let places = if best.places.is_empty() { &moments[0] } else { &best.places };
        let (mut bands, mut low_sign, mut each) = Default::default();
        if decided {
            (bands, low_sign, _) = transfer(home, mic, places, e.lag.round() as i64, rate)?;
            let band = PairOptions::default().band_hz;
            let lags = each_lag((home, mic), places, best.material, (e.lag, e.sign), (band, rate))?;
            each = places.iter().zip(lags).map(|(at, lag_frames)| moment(*at, lag_frames)).collect();
        }
        let cell = Cell {
            lag_frames: decided.then_some(e.lag),
            sign: if decided { e.sign } else { 0 },
            low_sign,
            height: e.height,
            coherence: e.coherence,
            alternatives: alternatives(e, decided),
            hits: e.hits,
            material: best.material,
            verdict: best.verdict,
            reason: best.reason,
            heard,
            wave: self.wave(places)?,
            bands,
            each,
        };
        Ok(known(cell, places.clone()))
    }

    /// The surer of what strikes and longer passages say; undecided where they disagree.
    fn best(&self, moments: &[Vec<i64>; 2], progress: Progress) -> Result<Option<Attempt>, MeasureError> {
        let mut best: Option<Attempt> = None;
        let mut note = None;
        for (material, places) in [Material::Struck, Material::Sustained].into_iter().zip(moments) {
            let solid = best.as_ref().is_some_and(|b| b.verdict == Verdict::Solid);
            if solid || (places.len() < MIN_HITS && best.is_some()) {
                continue;
            }
            let mut found = self.attempt(material, places, progress)?;
            let Some(before) = &best else {
                best = Some(found);
                continue;
            };
            let apart = (before.estimate.lag - found.estimate.lag).abs() > self.rate.hz_f64() * 0.000_04;
            let both = before.verdict > Verdict::Undecided && found.verdict > Verdict::Undecided;
            // Too few or too unlike to decide, and yet they point elsewhere: the passages may be another source's.
            if apart && before.estimate.height >= SOLID_HEIGHT && found.verdict == Verdict::Solid {
                found.verdict = Verdict::Likely;
                found.reason = format!("{}; the strikes point elsewhere", found.reason);
            }
            if both && apart {
                note = Some(format!(
                    "strikes point to {:.2} ms, longer passages to {:.2} ms",
                    self.rate.ms(before.estimate.lag),
                    self.rate.ms(found.estimate.lag)
                ));
            } else if (found.verdict, found.estimate.height) > (before.verdict, before.estimate.height) {
                best = Some(found);
            }
        }
        if let (Some(best), Some(note)) = (&mut best, note) {
            best.verdict = Verdict::Undecided;
            best.reason = note;
        }
        Ok(best)
    }

    /// Looks at moments of one kind: some at first, the rest only where these leave a doubt.
    fn attempt(&self, material: Material, places: &[i64], progress: Progress) -> Result<Attempt, MeasureError> {
        let struck = material == Material::Struck;
        let lean = |places: &[i64]| leaning(&self.home.1.full, &self.mic.1.full, self.centre, places, self.rate);
        let at_first = if struck { STRIKES_AT_FIRST } else { PASSAGES_AT_FIRST };
        let most_fine = if struck { FINE_STRIKES } else { FINE_PASSAGES };
        let options = PairOptions { max_lag_s: self.max_lag_s, find_far: false, most_fine, ..PairOptions::default() };
        let mut look = Look::new((self.home.0, self.mic.0), self.rate, options, self.centre, material);
        let first = thin(places, at_first);
        look.add(&first, &lean(&first), progress)?;
        let found = look.judge()?;
        // Noise falls with the square root of the number of moments: a peak too low for that will not stand out.
        let more = (places.len() as f64 / at_first as f64).sqrt();
        if more <= 1.0 || beyond_doubt(&found) || found.estimate.height * more <= MIN_HEIGHT {
            return Ok(found);
        }
        let rest: Vec<i64> = places.iter().copied().filter(|p| first.binary_search(p).is_err()).collect();
        look.add(&rest, &lean(&rest), progress)?;
        look.judge()
    }
}

/// To a hundredth of a frame: one moment tells no more.
fn moment(at: i64, lag: Option<f64>) -> MomentLag {
    MomentLag { at: SessionFrame(at), lag_frames: lag.map(|l| (l * 100.0).round() / 100.0) }
}

/// More moments would change nothing.
fn beyond_doubt(a: &Attempt) -> bool {
    a.verdict == Verdict::Solid && a.estimate.height >= 1.5 * SOLID_HEIGHT && a.estimate.earlier < EARLIER_MAY_BE
}

/// Peaks beside the chosen one; where none is chosen, the highest too, if it stands out.
fn alternatives(e: &Estimate, decided: bool) -> Vec<Alternative> {
    let stands_out = !decided && e.height >= MIN_HEIGHT && e.hits >= MIN_HITS && !e.at_edge;
    let highest = stands_out.then_some((e.lag, e.sign, 1.0));
    let others = [(e.rival_lag, e.rival_sign, e.rival), (e.earlier_lag, e.earlier_sign, e.earlier)];
    highest
        .into_iter()
        .chain(others)
        .filter(|(_, sign, part)| *sign != 0 && *part > 0.0)
        .map(|(lag_frames, sign, part)| Alternative { lag_frames, sign, part })
        .collect()
}

/// Nothing travels faster than the direct sound: a strong peak before the strongest is it, unless something else sounded.
fn first_counts(best: &mut Attempt, rate: SampleRate) {
    let e = &mut best.estimate;
    let decidable = e.hits >= MIN_HITS && e.height >= MIN_HEIGHT && !e.at_edge;
    if !decidable || e.earlier < EARLIER_MAY_BE {
        // Of two equal peaks with the first one higher, the second is a reflection.
        if decidable && best.verdict == Verdict::Undecided && e.rival >= RIVAL_SOLID && e.rival_lag > e.lag {
            best.verdict = Verdict::Likely;
            best.reason = format!(
                "a reflection {:.2} ms later comes to {:.0} % of the first arrival",
                rate.ms(e.rival_lag - e.lag),
                e.rival * 100.0
            );
        }
        return;
    }
    let (lag, part) = (e.lag, e.earlier);
    if part >= EARLIER_IS {
        (e.lag, e.earlier_lag) = (e.earlier_lag, e.lag);
        (e.sign, e.earlier_sign) = (e.earlier_sign, e.sign);
        (e.rival_lag, e.rival, e.rival_sign) = (lag, 1.0 / part, e.earlier_sign);
        best.verdict = Verdict::Likely;
        best.reason = format!("the first arrival; a later one at {:.2} ms is stronger", rate.ms(lag));
    } else if best.verdict > Verdict::Undecided {
        best.verdict = Verdict::Likely;
        best.reason = format!(
            "a weaker arrival may come first: {:.2} ms at {:.0} % of the peak",
            rate.ms(e.earlier_lag),
            part * 100.0
        );
    }
}

/// The home microphone's own cell, and the source's power in it.
///
/// # Errors
/// [`MeasureError`] when the track cannot be read.
pub fn home_cell(
    home: &Anchor,
    group: &Group,
    wave_s: f64,
    rate: SampleRate,
    memory: &dyn Memory,
) -> Result<Known, MeasureError> {
    let struck = group.hits.len() >= MIN_HITS;
    let moments = if struck { &group.hits } else { &group.passages };
    let places: Vec<i64> = moments.iter().map(|m| m.at).collect();
    let made_of = Which::of(home.track).map(|home| (home, &places, struck, rate.hz()));
    let picture = || wave((home.track, home.track), &places, 0, wave_s, rate);
    let mut found = known(memory, made_of, || {
        let (bands, _, power) = transfer(home, home.track, &places, 0, rate)?;
        let cell = Cell {
            each: places.iter().map(|at| moment(*at, Some(0.0))).collect(),
            lag_frames: Some(0.0),
            sign: 1,
            low_sign: 1,
            height: 0.0,
            coherence: 1.0,
            alternatives: Vec::new(),
            hits: places.len(),
            material: if struck { Material::Struck } else { Material::Sustained },
            verdict: Verdict::Solid,
            reason: "home".into(),
            heard: true,
            wave: picture()?,
            bands,
        };
        Ok(Known { cell, power, moments: places.clone(), wave_s })
    })?;
    if found.wave_s.to_bits() != wave_s.to_bits() {
        found.cell.wave = picture()?;
    }
    Ok(found)
}

/// Does the microphone's level rise at the moments above what it is without them?
fn heard(mic: &Survey, group: &Group, centre: i64, reach_s: f64, rate: SampleRate) -> bool {
    let loud = f64::from(mic.loud.bright);
    if loud <= 0.0 {
        return false;
    }
    let reach = rate.frames(reach_s);
    let mut levels: Vec<f64> = group
        .hits
        .iter()
        .chain(&group.passages)
        .map(|m| m.at + centre)
        .map(|t| f64::from(mic.bright.largest(t - rate.frames(0.005), t + reach)))
        .collect();
    levels.sort_by(f64::total_cmp);
    levels.get(levels.len() / 2).is_some_and(|l| db_of_power((l / loud).max(1e-12)) > HEARD_DB)
}
