//! Pitch along time: of the periods that every moment may have, those that go on from one to the next.

use super::yin::{Dip, Yin};
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use crate::verdict::Verdict;
use rayon::prelude::*;

/// From one moment to the next, in seconds.
pub const STEP_S: f64 = 0.005;
/// A moment has no pitch at this cost; a period costs what differs after it, and this for every octave that it is longer than the shortest
/// looked for: of two that fit alike the shorter is the pitch.
const NO_PITCH: f64 = 0.25;
const LONGER: f64 = 0.04;
/// From one moment to the next an octave costs this, and so does the change to or from no pitch.
const OCTAVE: f64 = 1.4;
const CHANGE: f64 = 0.12;
/// A period is solid when less than this differs after it, after every shorter one more than the second number, and after no longer one less
/// by more than the third: else it may be another octave.
const SOLID: f64 = 0.01;
const MUCH: f64 = 0.35;
const LESS: f64 = 0.02;
/// It is solid only where so much of the power lies at the pitch itself: two voices may share a longer period.
const FUNDAMENTAL: f64 = 0.001;
/// It is likely under this.
const LIKELY: f64 = 0.25;
/// Neighbours further apart than this, in octaves, are of two notes.
const OWN: f64 = 0.05;
/// A contour settles over so many moments, in which what was heard before it still sounds, and goes over so many; of those between such a
/// part must be solid by themselves, for any of them to be.
pub const SETTLES: usize = 8;
const GOES: usize = 3;
const PART: f64 = 0.6;
/// How a contour curves is told from so many moments on either side.
const CURVE: usize = 4;
/// Moments heard at a time.
const BLOCK: usize = 256;

/// The pitch of a moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pitch {
    /// Session frame.
    pub at: f64,
    /// In Hz; none where nothing is voiced, or not one voice alone.
    pub hz: Option<f64>,
    /// What differs after a period: 0 to 1.
    pub differs: f64,
    /// How sure.
    pub verdict: Verdict,
}

/// The pitch of a sound every [`STEP_S`].
///
/// # Errors
/// [`MeasureError`] when the sound cannot be read or `report` says stop.
pub fn pitch(sound: &Placed, rate: SampleRate, report: Report) -> Result<Vec<Pitch>, MeasureError> {
    let yin = Yin::new(rate);
    let step = rate.hz_f64() * STEP_S;
    let frames = (sound.end().0 - sound.start.0).max(0) as f64;
    let count = (frames / step).ceil() as usize;
    // What a moment hears begins so long before it that a usual period lies about it.
    let ahead = yin.middle(rate.hz_f64() / 220.0).round() as i64;
    let at = |n: usize| sound.start.0 + (n as f64 * step).round() as i64;
    let blocks: Vec<usize> = (0..count).step_by(BLOCK).collect();
    let heard = |from: &usize| {
        if !report(*from as f64 / count as f64) {
            return Err(MeasureError::Stopped);
        }
        let to = (from + BLOCK).min(count);
        let first = at(*from) - ahead;
        let mut x = vec![0f32; index(at(to - 1) - at(*from)) + yin.needs()];
        sound.read(first, &mut x)?;
        let one = |n: usize| {
            let begins = index(at(n) - at(*from));
            yin.dips(&x[begins..begins + yin.needs()])
        };
        Ok((*from..to).map(one).collect::<Vec<Vec<Dip>>>())
    };
    let dips: Vec<Vec<Dip>> =
        blocks.par_iter().map(heard).collect::<Result<Vec<_>, _>>()?.into_iter().flatten().collect();
    let chosen = going_on(&dips, rate.hz_f64());
    let told = |(n, k): (usize, Option<usize>)| {
        let begins = (at(n) - ahead) as f64;
        match k.map(|k| dips[n][k]) {
            None => Pitch { at: at(n) as f64, hz: None, differs: 1.0, verdict: Verdict::Undecided },
            Some(dip) => Pitch {
                at: begins + dip.about,
                hz: Some(rate.hz_f64() / dip.period),
                differs: dip.differs,
                verdict: sure(dip, &dips[n]),
            },
        }
    };
    let mut told: Vec<Pitch> = chosen.into_iter().enumerate().map(told).collect();
    by_runs(&mut told);
    let mut all: Vec<Pitch> = (0..count).map(|n| at_step(&told, n, at(n) as f64)).collect();
    sharpened(&mut all, rate);
    Ok(all)
}

/// What is told of a moment is the mean over the window and over a period: the tops of a vibrato come out lower than they are. The mean of
/// a curve over a stretch lies off it by half its second derivative times the variance of the stretch; that is taken out.
fn sharpened(all: &mut [Pitch], rate: SampleRate) {
    let keys: Vec<Option<f64>> = all.iter().map(|p| p.hz.map(f64::log2)).collect();
    let goes_on = |n: usize| keys[n].zip(keys[n + 1]).is_some_and(|(a, b)| (a - b).abs() < OWN);
    for n in CURVE..all.len().saturating_sub(CURVE) {
        let near: Vec<f64> = keys[n - CURVE..=n + CURVE].iter().flatten().copied().collect();
        if near.len() <= 2 * CURVE || !(n - CURVE..n + CURVE).all(goes_on) {
            continue;
        }
        let window = super::yin::WINDOW_S;
        let period = all[n].hz.map_or(0.0, |hz| 1.0 / hz).max(1.0 / rate.hz_f64());
        let variance = (window * window + period * period) / 12.0;
        let off = 0.5 * variance * second_derivative(&near) / (STEP_S * STEP_S);
        if let Some(hz) = &mut all[n].hz {
            *hz *= (-off).exp2();
        }
    }
}

/// Of the parabola that lies nearest to values one apart (Savitzky and Golay 1964).
fn second_derivative(values: &[f64]) -> f64 {
    let middle = (values.len() - 1) as f64 / 2.0;
    let at = |n: usize| n as f64 - middle;
    let square = (0..values.len()).map(|n| at(n).powi(2)).sum::<f64>() / values.len() as f64;
    // Orthogonal to what is constant and to what is straight.
    let basis = |n: usize| at(n).powi(2) - square;
    let size: f64 = (0..values.len()).map(|n| basis(n).powi(2)).sum();
    2.0 * values.iter().enumerate().map(|(n, v)| v * basis(n)).sum::<f64>() / size
}

/// The pitch at a step: a period is told of a moment a little before or after it, and neighbours tell what lies between.
fn at_step(told: &[Pitch], n: usize, at: f64) -> Pitch {
    let own = told[n];
    let beside = if own.at > at { n.checked_sub(1) } else { Some(n + 1) };
    let other = beside.and_then(|b| told.get(b)).and_then(|b| b.hz.map(|hz| (b.at, hz)));
    let hz = own.hz.map(|hz| match other {
        Some((there, next)) if (next / hz).log2().abs() < OWN && (there - own.at).abs() > 1.0 => {
            hz * (next / hz).powf((at - own.at) / (there - own.at))
        }
        _ => hz,
    });
    Pitch { at, hz, ..own }
}

/// A moment alone does not tell its octave where a partial is louder than the voice itself: it is no surer than the contour it lies in.
fn by_runs(told: &mut [Pitch]) {
    let goes_on = |a: &Pitch, b: &Pitch| a.hz.zip(b.hz).is_some_and(|(a, b)| (a / b).log2().abs() < OWN);
    for run in told.chunk_by_mut(goes_on) {
        let inside = SETTLES.min(run.len())..run.len().saturating_sub(GOES).max(SETTLES.min(run.len()));
        let solid = run[inside.clone()].iter().filter(|p| p.verdict == Verdict::Solid).count();
        let agree = solid > 0 && solid as f64 >= PART * inside.len() as f64;
        for (_, p) in run.iter_mut().enumerate().filter(|(n, _)| !agree || !inside.contains(n)) {
            p.verdict = p.verdict.min(Verdict::Likely);
        }
    }
}

fn sure(dip: Dip, all: &[Dip]) -> Verdict {
    let least = |of: &dyn Fn(&Dip) -> bool| all.iter().filter(|d| of(d)).map(|d| d.differs).fold(1.0, f64::min);
    let shorter = least(&|d| d.period < 0.9 * dip.period);
    let longer = least(&|d| d.period > 1.1 * dip.period);
    match dip.differs {
        d if d < SOLID && dip.fundamental > FUNDAMENTAL && shorter > MUCH && longer > d - LESS => Verdict::Solid,
        d if d < LIKELY => Verdict::Likely,
        _ => Verdict::Undecided,
    }
}

/// The cheapest way through all moments (Viterbi 1967): which dip of each, or none.
fn going_on(dips: &[Vec<Dip>], hz: f64) -> Vec<Option<usize>> {
    let shortest = hz / super::yin::HZ[1];
    let own = |n: usize, k: usize| match dips[n].get(k) {
        Some(d) => d.differs + LONGER * (d.period / shortest).log2(),
        None => NO_PITCH,
    };
    // The last state of every moment is that without a pitch.
    let between = |n: usize, k: usize, m: usize| match (dips[n - 1].get(k), dips[n].get(m)) {
        (Some(a), Some(b)) => OCTAVE * (a.period / b.period).log2().abs(),
        (None, None) => 0.0,
        _ => CHANGE,
    };
    let mut cost: Vec<f64> = match dips.first() {
        Some(first) => (0..=first.len()).map(|k| own(0, k)).collect(),
        None => return Vec::new(),
    };
    let mut whence: Vec<Vec<usize>> = vec![Vec::new()];
    for n in 1..dips.len() {
        let best = |m: usize| {
            let ways = (0..cost.len()).map(|k| (k, cost[k] + between(n, k, m)));
            ways.min_by(|a, b| a.1.total_cmp(&b.1)).unwrap_or((0, 0.0))
        };
        let (from, next): (Vec<usize>, Vec<f64>) =
            (0..=dips[n].len()).map(best).enumerate().map(|(m, (k, c))| (k, c + own(n, m))).unzip();
        whence.push(from);
        cost = next;
    }
    let mut k = (0..cost.len()).min_by(|a, b| cost[*a].total_cmp(&cost[*b])).unwrap_or(0);
    let mut found = vec![None; dips.len()];
    for n in (0..dips.len()).rev() {
        found[n] = (k < dips[n].len()).then_some(k);
        k = whence[n].get(k).copied().unwrap_or(0);
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::MemSource;
    use crate::units::SessionFrame;
    use std::f64::consts::TAU;

    /// Two voices a fifth apart, and a pure triad, repeat themselves at a pitch that nobody sings.
    #[test]
    fn voices_that_share_a_period_are_no_single_voice() {
        let rate = SampleRate::new(48_000).unwrap();
        let (fifth, triad) = (&[1.0, 1.5][..], &[1.0, 1.25, 1.5][..]);
        // The lowest share a period that a window holds hardly twice.
        for (parts, lowest) in [(fifth, 261.626), (triad, 261.626), (fifth, 392.0), (fifth, 130.813), (fifth, 123.471)]
        {
            let tone = |n: usize, hz: f64| {
                (1..7).map(|k| (TAU * lowest * hz * (k * n) as f64 / 48_000.0 + k as f64).sin() / k as f64).sum::<f64>()
            };
            let x = (0..48_000).map(|n| 0.05 * parts.iter().map(|p| tone(n, *p)).sum::<f64>() as f32).collect();
            let sound = MemSource(x);
            let got = pitch(&Placed { source: &sound, start: SessionFrame(0) }, rate, &|_| true).unwrap();
            assert!(got.iter().all(|p| p.verdict < Verdict::Solid), "{parts:?} of {lowest} Hz");
        }
    }

    #[test]
    fn a_parabola_has_its_second_derivative() {
        let values: Vec<f64> = (0..9).map(|n| 3.0 - 0.7 * f64::from(n) + 0.25 * f64::from(n * n)).collect();
        assert!((second_derivative(&values) - 0.5).abs() < 1e-12);
        assert!(second_derivative(&[2.0; 9]).abs() < 1e-12);
    }

    #[test]
    fn a_moment_is_no_surer_than_its_contour() {
        let one = |hz: f64, verdict: Verdict| Pitch { at: 0.0, hz: Some(hz), differs: 0.05, verdict };
        let run = |hz: f64, solid: usize, all: usize| -> Vec<Pitch> {
            (0..all).map(|n| one(hz, if n < solid { Verdict::Solid } else { Verdict::Undecided })).collect()
        };
        // A long one that agrees; an octave that is solid for a moment; one in which few are.
        let mut told = [run(220.0, 25, 30), run(440.0, 10, 10), run(220.0, 14, 30)].concat();
        by_runs(&mut told);
        let solid = |p: &[Pitch]| p.iter().filter(|p| p.verdict == Verdict::Solid).count();
        assert_eq!([solid(&told[..30]), solid(&told[30..40]), solid(&told[40..])], [25 - SETTLES, 0, 0]);
        assert_eq!(told.iter().filter(|p| p.verdict == Verdict::Undecided).count(), 5 + 16, "none grows surer");
    }

    /// A tone with harmonics whose pitch sways by a semitone five times a second; closed form.
    #[test]
    fn a_swaying_pitch_is_told_within_cents_and_noise_has_none() {
        let rate = SampleRate::new(48_000).unwrap();
        let hz = |s: f64| 220.0 * 2f64.powf((TAU * 5.0 * s).sin() / 12.0);
        let mut cycle = 0.0;
        let mut x: Vec<f32> = (0..96_000)
            .map(|n| {
                cycle += TAU * hz(n as f64 / 48_000.0) / 48_000.0;
                (1..8).map(|k| (k as f64 * cycle).sin() / k as f64).sum::<f64>() as f32 * 0.1
            })
            .collect();
        let mut held = 12_345u32;
        x.extend((0..48_000).map(|_| {
            held = held.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            0.1 * (held as f32 / u32::MAX as f32 - 0.5)
        }));
        let sound = MemSource(x);
        let got = pitch(&Placed { source: &sound, start: SessionFrame(0) }, rate, &|_| true).unwrap();
        let (tone, noise) = got.split_at(400);
        let mut off: Vec<f64> = tone[10..390]
            .iter()
            .map(|p| 1_200.0 * (p.hz.expect("voiced") / hz(p.at / 48_000.0)).log2().abs())
            .collect();
        off.sort_by(f64::total_cmp);
        assert!(off[off.len() / 2] < 1.0 && off[off.len() * 95 / 100] < 2.5, "{off:?}");
        // Where it glides by 60 cents in 20 ms, the periods within a window differ: likely there.
        let solid = tone[10..390].iter().filter(|p| p.verdict == Verdict::Solid).count();
        assert!(solid > 230 && tone[10..390].iter().all(|p| p.verdict >= Verdict::Likely), "{solid} solid");
        assert!(noise[20..].iter().all(|p| p.hz.is_none()), "noise");
    }
}
