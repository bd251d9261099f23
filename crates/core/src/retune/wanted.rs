//! By how much the pitch is to go up or down at every moment: notes changed, or a contour drawn towards another one.

use crate::dsp::stats::median;
use crate::pitch::Pitch;
use crate::pitch::notes::key_of;
use crate::pitch::track::STEP_S;

/// What changes within this is vibrato; what is slower is drift; in seconds: two turns of a slow vibrato.
const SLOW_S: f64 = 0.4;
/// A change comes and goes over this, in seconds.
const EASE_S: f64 = 0.03;
/// A double is drawn towards the lead only where the two are this near, octaves apart, in semitones: else it sings something else.
const SAME_NOTE: f64 = 0.8;

/// What becomes of a note.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct NoteChange {
    /// Frames of the sound, as its pitch is told.
    pub from: f64,
    /// The frame after its last.
    pub to: f64,
    /// Up by so many cents.
    pub cents: f64,
    /// Part of its drift that stays, 1 for all of it.
    pub drift: f64,
    /// Part of its vibrato that stays, 1 for all of it.
    pub vibrato: f64,
}

/// Semitones at every step of a pitch by which it goes up; 0 where nothing changes or nothing is voiced.
pub fn by_notes(pitch: &[Pitch], changes: &[NoteChange]) -> Vec<f64> {
    let (mut up, mut steadied) = (vec![0.0; pitch.len()], vec![0.0; pitch.len()]);
    for change in changes {
        let from = pitch.partition_point(|p| p.at < change.from);
        let to = pitch.partition_point(|p| p.at < change.to);
        let keys: Vec<Option<f64>> = pitch[from..to].iter().map(|p| p.hz.map(key_of)).collect();
        let Some(centre) = median(&mut keys.iter().flatten().copied().collect::<Vec<_>>()) else { continue };
        let slow = smoothed(&keys, centre);
        for (n, key) in keys.iter().enumerate() {
            let Some(key) = key else { continue };
            let (drift, vibrato) = (slow[n] - centre, key - slow[n]);
            let kept = centre + change.drift * drift + change.vibrato * vibrato;
            // A note is slid into and out of: drift and vibrato there are no faults.
            let inside = eased(n, keys.len());
            up[from + n] = change.cents / 100.0;
            steadied[from + n] = inside * (kept - key);
        }
    }
    smooth_within(pitch, &up).iter().zip(&steadied).map(|(a, b)| a + b).collect()
}

/// The same for a take that doubles a lead: drawn towards its pitch by a part (0 to 1), or to the nearest of its octaves. `lead` tells the
/// lead's pitch in Hz at a frame of the take. Nothing changes where the two sing different notes.
pub fn towards(pitch: &[Pitch], lead: impl Fn(f64) -> Option<f64>, part: f64) -> Vec<f64> {
    let one = |p: &Pitch| {
        let (Some(own), Some(other)) = (p.hz, lead(p.at)) else { return 0.0 };
        let apart = key_of(other) - key_of(own);
        let apart = apart - 12.0 * (apart / 12.0).round();
        if apart.abs() <= SAME_NOTE { part * apart } else { 0.0 }
    };
    let shifts: Vec<f64> = pitch.iter().map(one).collect();
    smooth_within(pitch, &shifts)
}

/// The mean of what is voiced over [`SLOW_S`] about each, what is near counting more: a vibrato goes out of it.
fn smoothed(keys: &[Option<f64>], centre: f64) -> Vec<f64> {
    let half = (0.5 * SLOW_S / STEP_S).round() as usize;
    let mean = |n: usize| {
        // As much before as after: at an end a vibrato that is cut would lean to one side.
        let beside = half.min(n).min(keys.len() - 1 - n);
        let (mut sum, mut weights) = (0.0, 0.0);
        for (k, key) in (0..).zip(&keys[n - beside..=n + beside]) {
            let away = (f64::from(k) - beside as f64) / (beside + 1) as f64;
            let weight = 0.5 + 0.5 * (std::f64::consts::PI * away).cos();
            if let Some(key) = key {
                (sum, weights) = (sum + weight * key, weights + weight);
            }
        }
        if weights > 0.0 { sum / weights } else { centre }
    };
    (0..keys.len()).map(mean).collect()
}

/// 0 at either end of a note, 1 from [`EASE_S`] on.
fn eased(n: usize, len: usize) -> f64 {
    let over = EASE_S / STEP_S;
    let to_end = n.min(len - 1 - n) as f64;
    (to_end / over).min(1.0)
}

/// Changes that come and go over [`EASE_S`] where one note follows another, each stretch that is voiced by itself.
fn smooth_within(pitch: &[Pitch], shifts: &[f64]) -> Vec<f64> {
    let half = (0.5 * EASE_S / STEP_S).round() as usize;
    let voiced = |n: usize| pitch[n].hz.is_some();
    let mean = |n: usize| {
        if !voiced(n) {
            return 0.0;
        }
        let back = (1..=half.min(n)).take_while(|k| voiced(n - k)).count();
        let ahead = (1..=half.min(pitch.len() - 1 - n)).take_while(|k| voiced(n + k)).count();
        let beside = back.min(ahead);
        let near = &shifts[n - beside..=n + beside];
        near.iter().sum::<f64>() / near.len() as f64
    };
    (0..shifts.len()).map(mean).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::verdict::Verdict;

    fn contour(keys: impl Fn(usize) -> Option<f64>, steps: usize) -> Vec<Pitch> {
        let one = |n: usize| {
            let hz = keys(n).map(|k| 440.0 * 2f64.powf((k - 69.0) / 12.0));
            Pitch { at: 240.0 * n as f64, hz, differs: 0.05, verdict: Verdict::Solid }
        };
        (0..steps).map(one).collect()
    }

    fn after(pitch: &[Pitch], shifts: &[f64]) -> Vec<f64> {
        pitch.iter().zip(shifts).filter_map(|(p, s)| Some(key_of(p.hz?) + s)).collect()
    }

    #[test]
    fn a_note_goes_up_and_its_neighbours_stay() {
        let pitch = contour(|n| (!(90..100).contains(&n)).then_some(if n < 50 { 60.0 } else { 62.0 }), 150);
        let change = NoteChange { from: 50.0 * 240.0, to: 90.0 * 240.0, cents: -40.0, drift: 1.0, vibrato: 1.0 };
        let shifts = by_notes(&pitch, &[change]);
        assert!(shifts[..46].iter().chain(&shifts[90..]).all(|s| *s == 0.0), "{shifts:?}");
        assert!(shifts[54..90].iter().all(|s| (s + 0.4).abs() < 1e-9), "{shifts:?}");
        assert!(shifts[47..54].windows(2).all(|s| s[1] <= s[0] + 1e-12), "it comes step by step");
    }

    #[test]
    fn vibrato_goes_and_drift_stays_or_the_other_way_round() {
        let sway = |n: usize| 0.4 * (n as f64 * 0.005 * 6.0 * std::f64::consts::TAU).sin();
        let drift = |n: usize| 0.003 * (n as f64 - 100.0);
        let pitch = contour(|n| Some(60.0 + sway(n) + drift(n)), 200);
        let told = |drift_kept: f64, vibrato: f64| {
            let change = NoteChange { from: 0.0, to: 200.0 * 240.0, cents: 0.0, drift: drift_kept, vibrato };
            after(&pitch, &by_notes(&pitch, &[change]))
        };
        let inside = 40..160;
        let (still, even) = (told(1.0, 0.0), told(0.0, 1.0));
        for n in inside {
            assert!((still[n] - 60.0 - drift(n)).abs() < 0.06, "{n}: {}", still[n]);
            assert!((even[n] - 60.0 - sway(n)).abs() < 0.06, "{n}: {}", even[n]);
        }
        let same = told(1.0, 1.0);
        assert!(same.iter().enumerate().all(|(n, k)| (k - 60.0 - sway(n) - drift(n)).abs() < 1e-9));
    }

    #[test]
    fn a_double_is_drawn_to_the_lead_or_its_octave_and_not_to_another_note() {
        let pitch = contour(|n| Some(if n < 100 { 48.3 } else { 55.0 }), 200);
        let lead = |_: f64| Some(440.0 * 2f64.powf((60.0 - 69.0) / 12.0));
        let shifts = towards(&pitch, lead, 0.5);
        assert!(shifts[..95].iter().all(|s| (s + 0.15).abs() < 1e-9), "an octave below, half of 30 cents");
        assert!(shifts[105..].iter().all(|s| *s == 0.0), "a fourth below is meant");
        assert!(towards(&pitch, |_| None, 1.0).iter().all(|s| *s == 0.0));
    }
}
