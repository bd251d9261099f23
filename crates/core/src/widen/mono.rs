//! What the sum of both sides in mono loses, told before anything is made.

use super::drift::Drift;
use crate::dsp::bands::THIRDS_HZ;
use crate::dsp::spectrum::Transform;
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::{Source, index};
use crate::units::{SampleRate, db_of_power};
use realfft::num_complex::Complex32;
use std::f64::consts::TAU;

/// Length of a window, in seconds: the lowest third-octave holds two of its bins.
const WINDOW_S: f64 = 0.34;
/// Within a window copies move on: they are looked at at so many moments, evenly over its loud half.
const LOOKS: usize = 4;
/// So many windows, each half a window after the one before, are a moment: about a second.
const MOMENT: usize = 6;
/// A band that loses more than this is lost, in dB.
pub const MOST_LOST_DB: f64 = 3.0;
/// What lies so far under all of it does not count, in dB.
const FAINT_DB: f64 = -60.0;
/// Of moments only those count whose band is within this of the loudest, in dB.
const FAINT_MOMENT_DB: f64 = -30.0;

/// A third-octave of the sum.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Band {
    /// Nominal centre, in Hz (ISO 266).
    pub hz: f64,
    /// Against unrelated copies, in dB: 10·log10 of the copies for such as are in step.
    pub gain_db: f64,
    /// The band's part of the energy of the part, in dB.
    pub level_db: f64,
}

/// The band that loses most at one moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Moment {
    /// Frame of the part at its middle.
    pub at: f64,
    /// Nominal centre, in Hz.
    pub hz: f64,
    /// As in [`Band`].
    pub gain_db: f64,
}

/// The sum of both sides in mono.
#[derive(Debug, Clone, PartialEq)]
pub struct MonoSum {
    /// Third-octaves with sound in them, from the lowest up.
    pub bands: Vec<Band>,
    /// Where it is thinnest; none for silence.
    pub thinnest: Option<Moment>,
}

impl MonoSum {
    /// No band loses more than [`MOST_LOST_DB`].
    pub fn is_fine(&self) -> bool {
        self.bands.iter().all(|b| b.gain_db >= -MOST_LOST_DB)
    }
}

/// Energy as unrelated copies would have it, and as these have it.
type Energies = [[f64; 2]; THIRDS_HZ.len()];

/// The third-octave that a frequency lies in; of 1 kHz it is the tenth after 100 Hz (IEC 61260: the base is 10).
fn band_of(hz: f64) -> Option<usize> {
    let lowest = (10.0 * THIRDS_HZ[0].log10()).round();
    let n = (10.0 * hz.log10()).round() - lowest;
    (n >= 0.0 && n < THIRDS_HZ.len() as f64).then_some(n as usize)
}

/// What the sum of copies would be: the energy of the part, window by window, times what copies apart by so much make of each frequency.
///
/// # Errors
/// [`MeasureError`] when the part cannot be read or `report` says stop.
pub fn mono_sum(
    part: &dyn Source,
    drifts: &[Drift],
    rate: SampleRate,
    report: Report,
) -> Result<MonoSum, MeasureError> {
    let half = index(rate.frames(WINDOW_S / 2.0)).max(1);
    let mut transform = Transform::new(2 * half);
    let taper: Vec<f32> = (0..2 * half).map(|i| crate::warp::bands::hann(i, 2 * half)).collect();
    let bands: Vec<Option<usize>> =
        (0..transform.bins()).map(|k| band_of(k as f64 * rate.hz_f64() / (2 * half) as f64)).collect();
    let (mut x, mut spectrum) = (vec![0f32; 2 * half], vec![Complex32::default(); transform.bins()]);
    let windows = index(part.frames()) / half + 1;
    let mut moments: Vec<(f64, Energies)> = Vec::new();
    for n in 0..windows {
        let from = (n * half) as i64 - half as i64;
        part.read(from, &mut x)?;
        x.iter_mut().zip(&taper).for_each(|(v, w)| *v *= w);
        transform.forward(&x, &mut spectrum);
        let about = (n * half) as f64;
        let look = |n: usize| about + half as f64 * ((n as f64 + 0.5) / LOOKS as f64 - 0.5);
        let later: Vec<Vec<f64>> = (0..LOOKS).map(|n| drifts.iter().map(|d| d.later(look(n))).collect()).collect();
        if n % MOMENT == 0 {
            moments.push((about + 0.5 * ((MOMENT - 1) * half) as f64, [[0.0; 2]; THIRDS_HZ.len()]));
        }
        let Some((_, energies)) = moments.last_mut() else { continue };
        for (k, bin) in spectrum.iter().enumerate() {
            let Some(band) = bands[k] else { continue };
            let own = f64::from(bin.norm_sqr());
            energies[band][0] += own;
            let turn = -TAU * k as f64 / (2 * half) as f64;
            energies[band][1] += own * later.iter().map(|l| together(l, turn)).sum::<f64>() / LOOKS as f64;
        }
        if !report(n as f64 / windows as f64) {
            return Err(MeasureError::Stopped);
        }
    }
    Ok(told(&moments))
}

/// Power of copies that are later by so many frames each, at a frequency in radians a frame, against unrelated ones.
fn together(later: &[f64], turn: f64) -> f64 {
    let [re, im] = later.iter().fold([0.0, 0.0], |s, by| {
        let (sin, cos) = (turn * by).sin_cos();
        [s[0] + cos, s[1] + sin]
    });
    (re * re + im * im) / later.len().max(1) as f64
}

fn told(moments: &[(f64, Energies)]) -> MonoSum {
    let gain = |[own, sum]: [f64; 2]| db_of_power((sum / own).max(1e-9));
    let all: f64 = moments.iter().flat_map(|m| &m.1).map(|e| e[0]).sum();
    let whole = |n: usize| moments.iter().fold([0.0, 0.0], |s, m| [s[0] + m.1[n][0], s[1] + m.1[n][1]]);
    let band = |n: usize| {
        let energies = whole(n);
        let level_db = db_of_power(energies[0] / all);
        (all > 0.0 && energies[0] > 0.0 && level_db > FAINT_DB).then(|| Band {
            hz: THIRDS_HZ[n],
            gain_db: gain(energies),
            level_db,
        })
    };
    let loudest = moments.iter().flat_map(|m| &m.1).map(|e| e[0]).fold(0.0, f64::max);
    let counts = |e: &[f64; 2]| e[0] > 0.0 && db_of_power(e[0] / loudest) > FAINT_MOMENT_DB;
    let each = moments.iter().flat_map(|(at, energies)| {
        let loud = energies.iter().enumerate().filter(|(_, e)| counts(e));
        loud.map(|(n, e)| Moment { at: *at, hz: THIRDS_HZ[n], gain_db: gain(*e) })
    });
    let thinnest = each.min_by(|a, b| a.gain_db.total_cmp(&b.gain_db));
    MonoSum { bands: (0..THIRDS_HZ.len()).filter_map(band).collect(), thinnest }
}

#[cfg(test)]
mod tests {
    use super::super::Widened;
    use super::super::drift::{Asked, drifts};
    use super::*;
    use crate::dsp::drawn::drawn;
    use crate::signal::MemSource;

    fn noise(frames: u64) -> MemSource {
        MemSource((0..frames).map(|n| (drawn(n) - 0.5) as f32).collect())
    }

    fn predicted(sound: &MemSource, asked: &Asked) -> MonoSum {
        let rate = SampleRate::new(48_000).unwrap();
        mono_sum(sound, &drifts(asked, rate), rate, &|_| true).unwrap()
    }

    /// Of the sum as it is made, against unrelated copies.
    fn made(sound: &MemSource, asked: &Asked) -> Vec<f64> {
        let rate = SampleRate::new(48_000).unwrap();
        let mut reader = Widened::new(sound, drifts(asked, rate), asked.apart_ms * 48.0);
        let mut sum = Vec::new();
        loop {
            let block = reader.next_block().unwrap();
            if block[0].is_empty() {
                break;
            }
            sum.extend(block[0].iter().zip(&block[1]).map(|(l, r)| l + r));
        }
        // One copy by itself, in step with itself: its energy by bands.
        let still = Asked { copies: 1, apart_ms: 0.0, cents: 0.0, drift: 0 };
        let energy = |sound: &MemSource| {
            let all = predicted(sound, &still);
            let total: f64 = sound.0.iter().map(|v| f64::from(v * v)).sum();
            all.bands.iter().map(|b| total * 10f64.powf(b.level_db / 10.0)).collect::<Vec<f64>>()
        };
        // Two sides at the level of the part each.
        let own = energy(sound);
        energy(&MemSource(sum)).iter().zip(own).map(|(sum, own)| db_of_power(sum / (2.0 * own))).collect()
    }

    #[test]
    fn what_is_told_is_what_is_made() {
        let sound = noise(960_000);
        for (copies, apart_ms, cents) in [(2, 12.0, 6.0), (2, 3.0, 2.0), (4, 15.0, 8.0)] {
            let asked = Asked { copies, apart_ms, cents, drift: 5 };
            let all = predicted(&sound, &asked);
            for (band, made) in all.bands.iter().zip(made(&sound, &asked)) {
                // Of two bands that lie a few bins wide noise says no more than to a dB.
                let off = if band.hz < 100.0 { 1.5 } else { 0.7 };
                assert!((band.gain_db - made).abs() < off, "{asked:?}: {band:?}, made {made}");
            }
        }
    }

    /// Copies 2 ms apart that hardly move: 250 Hz is lost, 500 Hz doubled.
    #[test]
    fn copies_that_stand_still_comb_and_are_not_fine() {
        let sound = noise(480_000);
        let rate = SampleRate::new(48_000).unwrap();
        let of = |drift: u32| drifts(&Asked { copies: 2, apart_ms: 4.0, cents: 0.01, drift }, rate);
        let apart = |d: &[Drift]| (d[0].later(240_000.0) - d[1].later(240_000.0)).abs();
        let still = (0..500).map(of).find(|d| (apart(d) - 96.0).abs() < 2.0).expect("one of them is 2 ms apart");
        let all = mono_sum(&sound, &still, rate, &|_| true).unwrap();
        let at = |hz: f64| all.bands.iter().find(|b| b.hz == hz).unwrap().gain_db;
        assert!(at(250.0) < -6.0 && at(500.0) > 1.5 && at(50.0) > 2.5, "{:?}", all.bands);
        assert!(!all.is_fine());
        let thinnest = all.thinnest.unwrap();
        assert!(thinnest.hz == 250.0 && thinnest.gain_db < -6.0, "{thinnest:?}");
    }

    #[test]
    fn copies_in_step_gain_and_silence_says_nothing() {
        let step = Asked { copies: 2, apart_ms: 0.0, cents: 0.0, drift: 1 };
        let all = predicted(&noise(96_000), &step);
        assert!(all.bands.iter().all(|b| (b.gain_db - 3.01).abs() < 0.01) && all.is_fine());
        let nothing = predicted(&MemSource(vec![0.0; 96_000]), &step);
        assert!(nothing.bands.is_empty() && nothing.thinnest.is_none());
    }

    /// IEC 61260: centres are 1,000 Hz times whole powers of the tenth root of ten.
    #[test]
    fn frequencies_lie_in_their_third_octaves() {
        for (n, nominal) in THIRDS_HZ.iter().enumerate() {
            let exact = 10f64.powf((n as f64 + 14.0) / 10.0);
            assert!((exact / nominal - 1.0).abs() < 0.03, "{nominal}");
            assert_eq!([0.9, 1.0, 1.1].map(|f| band_of(f * exact)), [Some(n); 3]);
        }
        assert_eq!((band_of(0.0), band_of(20.0), band_of(19_000.0)), (None, None, None));
    }
}
