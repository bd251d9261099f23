//! The time that recordings of one session share.

use crate::dsp::envelope::Envelope;
use crate::dsp::far_lag::far_lag;
use crate::dsp::far_lag::together;
use crate::measure::table::survey::KEPT_MS;
use crate::measure::table::survey::Survey;
use crate::units::SampleRate;
use rayon::prelude::*;
/// What all tracks together do along time, each at its own loudness.
pub struct Common {
    all: Envelope,
}

impl Common {
    pub fn of(surveys: &[Survey]) -> Option<Self> {
        let first = surveys.iter().map(|s| s.bright.first).min()?;
        let end = surveys.iter().map(|s| s.facts.end().0).max()?;
        let hop = surveys.first()?.bright.hop;
        let hops = usize::try_from((end - first) / hop as i64 + 1).ok()?;
        let mut common = Self { all: Envelope { power: vec![0f32; hops], first, hop } };
        surveys.iter().for_each(|s| common.add(s, 1.0));
        Some(common)
    }

    fn add(&mut self, s: &Survey, sign: f32) {
        let loud = s.loud.bright;
        if loud <= 0.0 {
            return;
        }
        let at = usize::try_from((s.bright.first - self.all.first) / self.all.hop as i64).unwrap_or(0);
        let mine = self.all.power[at..].iter_mut().zip(&s.bright.power);
        mine.for_each(|(a, p)| *a = (*a + sign * (p / loud).min(4.0)).max(0.0));
    }

    /// Everybody but one.
    pub fn without(&self, s: &Survey) -> Envelope {
        let e = &self.all;
        let mut rest = Self { all: Envelope { power: e.power.clone(), first: e.first, hop: e.hop } };
        rest.add(s, -1.0);
        rest.all
    }
}

/// Lags of any size against what all others have in common; 0 for those that stand with the others.
pub fn common_time(common: Option<&Common>, surveys: &[Survey], rate: SampleRate) -> Vec<i64> {
    let least = rate.frames(0.06);
    surveys
        .par_iter()
        .map(|s| {
            let rest = common.filter(|_| surveys.len() > 1).map(|c| c.without(s));
            let hops = least / s.bright.hop as i64;
            let rest = rest.filter(|rest| !together(rest, &s.bright, hops));
            let lag = rest.and_then(|rest| far_lag(&rest, &s.bright, KEPT_MS));
            lag.filter(|l| l.abs() > least).unwrap_or(0)
        })
        .collect()
}
