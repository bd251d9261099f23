//! The moment at which a stroke begins, to a part of a millisecond: what cannot be foretold from the sound before.

use crate::dsp::prediction::{predictor, residual};
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::SampleRate;

/// Order of the prediction.
const ORDER: usize = 32;
/// Learnt from so much sound, which ends so long before the moment; in seconds.
const LEARNT_S: f64 = 0.06;
const ENDS_S: f64 = 0.006;
/// Looked for from so long before the moment to so long after it, in seconds.
const FROM_S: f64 = 0.005;
const TO_S: f64 = 0.006;
/// The peak of the residual lies at most so long before the moment and so long after it, in seconds.
const PEAK_S: [f64; 2] = [0.001, 0.004];
/// A stroke begins where the residual passes this part of its peak, and this factor times the largest of so many seconds before.
const PART: f64 = 0.06;
const OVER: f64 = 1.3;
const BEFORE_S: f64 = 0.005;
/// A stroke that begins at once has this part of its peak after so long, in seconds.
const RISEN: f64 = 0.3;
const AT_ONCE_S: f64 = 0.001_5;
/// What passes within so long of the last is still the same stroke, in seconds.
const APART_S: f64 = 0.001;

/// The session frame at which a stroke near `about` begins; `about` itself where nothing stands out.
///
/// # Errors
/// [`MeasureError::Read`] when the sound cannot be read.
pub fn moment(sound: &Placed, about: i64, rate: SampleRate) -> Result<f64, MeasureError> {
    let frames = |s: f64| index(rate.frames(s));
    let (learnt, ends, from) = (frames(LEARNT_S), frames(ENDS_S), frames(FROM_S));
    let ([early, late], to, before) = (PEAK_S.map(frames), frames(TO_S), frames(BEFORE_S));
    let begins = about - (learnt + ends + from) as i64;
    let mut x = vec![0f32; learnt + ends + from + to + late];
    sound.read(begins, &mut x)?;
    let told = predictor::<ORDER>(&x[..learnt]);
    // From the end of what was learnt: what the residual is before the moment is known by it.
    let left: Vec<f64> = residual(&x, learnt, &told).into_iter().map(f64::abs).collect();
    let most = |part: &[f64]| part.iter().copied().fold(0.0, f64::max);
    let about_in = ends + from;
    let peak = most(&left[about_in - early..about_in + late]);
    let begins_at = |n: &usize| left[*n] > PART * peak && left[*n] > OVER * most(&left[n - before..*n]);
    let places = ends.max(before)..about_in + to;
    // Another source may be struck a few milliseconds before, so that the nearest of all attacks is taken. Slow strokes have none.
    let (soon, apart) = (frames(AT_ONCE_S), frames(APART_S));
    let at_once = |n: &usize| begins_at(n) && most(&left[*n..(n + soon).min(left.len())]) > RISEN * peak;
    let (mut nearest, mut last): (Option<usize>, Option<usize>) = (None, None);
    for n in places.clone().filter(at_once) {
        let is_new = last.is_none_or(|last| n - last > apart);
        if is_new && nearest.is_none_or(|m| n.abs_diff(about_in) < m.abs_diff(about_in)) {
            nearest = Some(n);
        }
        last = Some(n);
    }
    let at = nearest.or_else(|| places.clone().find(begins_at));
    Ok(at.map_or(about, |n| begins + (learnt + n) as i64) as f64)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::MemSource;
    use crate::units::SessionFrame;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;

    #[test]
    fn a_stroke_begins_where_it_was_put_also_in_what_rings() {
        let rate = SampleRate::new(48_000).unwrap();
        for (seed, ringing) in [(1, 0.0f32), (2, 0.2)] {
            let mut rng = ChaCha8Rng::seed_from_u64(seed);
            let mut x: Vec<f32> =
                (0..12_000).map(|n| ringing * (0.02 * n as f32).sin() + rng.random_range(-1e-4..1e-4)).collect();
            (0..3_000).for_each(|k| x[8_000 + k] += (-(k as f32) / 600.0).exp() * rng.random_range(-0.5f32..0.5));
            let sound = MemSource(x);
            let placed = Placed { source: &sound, start: SessionFrame(500) };
            for about in [8_400, 8_500, 8_650] {
                let at = moment(&placed, about, rate).unwrap();
                assert!((at - 8_500.0).abs() <= 2.0, "{ringing}: {at} from {about}");
            }
        }
    }

    #[test]
    fn nothing_is_made_of_silence() {
        let sound = MemSource(vec![0.0; 10_000]);
        let placed = Placed { source: &sound, start: SessionFrame(0) };
        assert_eq!(moment(&placed, 5_000, SampleRate::new(48_000).unwrap()).unwrap(), 5_000.0);
    }
}
