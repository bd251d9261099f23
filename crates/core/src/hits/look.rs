//! What speaks for a stroke of a source at one moment, and what against it.

use super::bins::{BANDS, Bins, GAP, bins_of};
use super::learn::Source;
use crate::units::SampleRate;

/// A longer time before, what rings among it, in seconds.
const LONG_BEFORE_S: f64 = 0.015;
/// A stroke elsewhere counts for a rise here within this of the moment it would arrive, in bins.
const EARLY: i64 = 2;
const LATE: i64 = 4;
/// Contrast on the shortest scale: a millisecond against the two before.
const SHARP_S: [f64; 2] = [0.001, 0.002];
/// Sharper than this ratio of amplitudes tells no more: 15 dB.
const MOST_SHARP: f32 = 5.623;
/// Level where there is none, in dB.
const NEVER_DB: f32 = -40.0;
/// Amplitude that counts as nothing, −180 dBFS.
const NOTHING: f32 = 1e-9;

/// How many numbers there are.
pub const COUNT: usize = 33;

/// What is measured at one moment, in dB.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Signs {
    /// Level against the source's usual stroke, by band.
    pub level: [f32; BANDS],
    /// Level against the 5 ms before.
    pub contrast: [f32; BANDS],
    /// Level against the 15 ms before.
    pub long_contrast: [f32; BANDS],
    /// Level against what all other sources send here at this moment.
    pub over_level: [f32; BANDS],
    /// Level against what they send here that rises at this moment.
    pub over_rise: [f32; BANDS],
    /// What rises in the other microphones where this source would arrive, against what it would send there: the median.
    pub elsewhere: [f32; BANDS],
    /// The mean of what is missing of that.
    pub missing: [f32; BANDS],
    /// How sharply the other microphones rise there.
    pub sharp: [f32; BANDS],
}

impl Signs {
    /// The numbers that are weighed, in dB, each clipped to the range in which it tells something.
    pub fn row(&self) -> [f32; COUNT] {
        let clip = |v: [f32; BANDS], least: f32, most: f32| v.map(|v| v.clamp(least, most));
        let contrast = clip(self.contrast, -3.0, 20.0);
        let rise = clip(self.over_rise, -6.0, 20.0);
        let mut votes: [f32; BANDS] =
            std::array::from_fn(|b| contrast[b].min(rise[b]).min(self.level[b] + 25.0).clamp(-5.0, 20.0));
        votes.sort_by(f32::total_cmp);
        let clear = (0..BANDS).map(|b| contrast[b].min(rise[b])).fold(-6.0, f32::max);
        let mut row = [0f32; COUNT];
        let parts = [
            clip(self.level, -30.0, 6.0),
            contrast,
            clip(self.long_contrast, -6.0, 20.0),
            clip(self.over_level, -6.0, 8.0),
            clip(self.over_rise, -6.0, 8.0),
            clip(self.elsewhere, -15.0, 20.0),
            clip(self.missing, -15.0, 0.0),
            self.sharp,
        ];
        row.iter_mut().zip(parts.as_flattened()).for_each(|(to, v)| *to = *v);
        // In order of size, whichever bands they are of: a stroke of the source itself is loud in all of them.
        let mut level = clip(self.level, -40.0, 10.0);
        level.sort_by(f32::total_cmp);
        let mut over = clip(std::array::from_fn(|b| self.over_level[b].max(self.over_rise[b])), -10.0, 20.0);
        over.sort_by(f32::total_cmp);
        row[COUNT - 9..COUNT - 6].copy_from_slice(&[votes[2], votes[1], clear]);
        row[COUNT - 6..COUNT - 3].copy_from_slice(&level);
        row[COUNT - 3..].copy_from_slice(&over);
        row
    }

    /// Level of the band in which it is largest, against a usual stroke, in dB.
    pub fn loudest(&self) -> f32 {
        self.level.iter().copied().fold(f32::NEG_INFINITY, f32::max)
    }

    /// By how much it stands over everything that others send here, in the band in which that is most, in dB.
    pub fn margin(&self) -> f32 {
        let over = |b: usize| self.over_level[b].min(self.contrast[b]).max(self.over_rise[b].min(self.contrast[b]));
        (0..BANDS).map(over).fold(f32::NEG_INFINITY, f32::max)
    }
}

/// In single precision: it runs some hundred times a moment.
fn db(amplitude: f32) -> f32 {
    20.0 * amplitude.max(NOTHING).log10()
}

/// One source among all.
#[derive(Clone, Copy)]
pub struct Look<'a> {
    /// All that are known.
    pub sources: &'a [Source],
    /// Which of them.
    pub own: usize,
    /// What all microphones hear.
    pub bins: &'a Bins,
    /// The session's rate.
    pub rate: SampleRate,
}

impl Look<'_> {
    /// The source itself.
    pub fn source(&self) -> &Source {
        &self.sources[self.own]
    }

    /// What is to be seen at a bin of its own microphone.
    pub fn signs(&self, at: i64) -> Signs {
        let source = self.source();
        let of = |band: usize| [source.home, band];
        let peak: [f32; BANDS] = std::array::from_fn(|b| self.bins.peak(of(b), at));
        let long = bins_of(LONG_BEFORE_S, self.rate);
        let over = |before: f32, b: usize| db(peak[b]) - db(before);
        // A band in which the source was never heard tells nothing of how loud it is.
        let level = |b: usize, usual: f32| if usual > NOTHING { db(peak[b]) - db(usual) } else { NEVER_DB };
        let [sent, rise] = self.of_others(at);
        let [elsewhere, missing, sharp] = self.row(at, peak);
        Signs {
            level: std::array::from_fn(|b| level(b, source.loud[b])),
            contrast: std::array::from_fn(|b| over(self.bins.before(of(b), at), b)),
            long_contrast: std::array::from_fn(|b| over(self.bins.most(of(b), at - GAP - long, at - GAP), b)),
            over_level: std::array::from_fn(|b| db(peak[b]) - db(sent[b])),
            over_rise: std::array::from_fn(|b| db(self.bins.rise(of(b), at..=at)) - db(rise[b])),
            elsewhere,
            missing,
            sharp,
        }
    }

    /// What all other sources send to this microphone at a moment, by band: their levels, and what of them rises just then.
    fn of_others(&self, at: i64) -> [[f32; BANDS]; 2] {
        let home = self.source().home;
        let mut sums = [[0f32; BANDS]; 2];
        for other in self.sources.iter().filter(|o| o.home != home) {
            let Some(lag) = other.lags[home] else { continue };
            let then = at - (lag / self.bins.hop as f64).round() as i64;
            for b in 0..BANDS {
                let leak = other.leak[home][b];
                let of = [other.home, b];
                let level = self.bins.peak(of, then - EARLY).max(self.bins.peak(of, then));
                sums[0][b] += (leak * level).powi(2);
                sums[1][b] += (leak * self.bins.rise(of, then - EARLY..=then + LATE)).powi(2);
            }
        }
        sums.map(|of| of.map(f32::sqrt))
    }

    /// What the other microphones show of a stroke with this peak.
    fn row(&self, at: i64, peak: [f32; BANDS]) -> [[f32; BANDS]; 3] {
        let source = self.source();
        let mut found = [[0f32; BANDS]; 3];
        let [after, before] = SHARP_S.map(|s| bins_of(s, self.rate).max(1));
        for b in 0..BANDS {
            let (mut shares, mut sharp, mut weights) = (Vec::new(), 0f32, 0f32);
            for (m, lag) in source.lags.iter().enumerate().filter(|(m, _)| *m != source.home) {
                let Some(lag) = lag else { continue };
                let expected = source.leak[m][b] * peak[b];
                if expected <= NOTHING {
                    continue;
                }
                let then = at + (lag / self.bins.hop as f64).round() as i64;
                let of = [m, b];
                shares.push(db(self.bins.rise(of, then - EARLY..=then + EARLY)) - db(expected));
                let sharpest = (then - EARLY..=then + EARLY).map(|n| {
                    let (after, before) =
                        (self.bins.most(of, n, n + after), self.bins.most(of, n - GAP - before, n - GAP));
                    (after.max(NOTHING) / before.max(NOTHING)).min(MOST_SHARP)
                });
                let weight = (expected / self.bins.before(of, then).max(NOTHING)).min(4.0);
                sharp += weight * db(sharpest.fold(0.0, f32::max)).max(-3.0);
                weights += weight;
            }
            if shares.is_empty() {
                continue;
            }
            shares.sort_by(f32::total_cmp);
            found[0][b] = shares[shares.len() / 2];
            found[1][b] = shares.iter().map(|s| s.clamp(-15.0, 0.0)).sum::<f32>() / shares.len() as f32;
            found[2][b] = if weights > 0.0 { sharp / weights } else { 0.0 };
        }
        found
    }
}
