//! Strokes that sound alike, and the moments that they agree on.

use super::strokes::Struck;
use crate::dsp::stats::median;
use crate::units::SampleRate;

/// Strokes correlated by more than this sound alike; with less, layers of one instrument would run together.
const ALIKE: f64 = 0.96;

/// When a stroke begins, as those that sound like it have it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Moments {
    /// Session frame.
    pub at: f64,
    /// How many sound alike, this one among them.
    pub alike: usize,
    /// The median of how far their own moments are off, in frames.
    pub spread: f64,
}

/// By how many frames (fractional) the second has to be read later to sound like the first, and their normalised correlation there,
/// negative where one is inverted. None where one is silent.
pub fn alike(a: &Struck, b: &Struck) -> Option<(f64, f64)> {
    shifted(&a.wave, &b.wave, a.shift.min(b.shift))
}

/// The same of any two waves with so many samples on either side of what is compared.
pub fn shifted(a: &[f32], b: &[f32], shift: usize) -> Option<(f64, f64)> {
    let length = a.len().min(b.len()).checked_sub(2 * shift)?;
    let mine = &a[shift..shift + length];
    let power = |x: &[f32]| x.iter().map(|v| f64::from(*v).powi(2)).sum::<f64>();
    let own = power(mine);
    let at = |n: usize| {
        let other = &b[n..n + length];
        let both = power(other) * own;
        let sum: f64 = mine.iter().zip(other).map(|(x, y)| f64::from(x * y)).sum();
        if both > 0.0 { sum / both.sqrt() } else { 0.0 }
    };
    let curve: Vec<f64> = (0..=2 * shift).map(at).collect();
    let best = (0..curve.len()).max_by(|i, j| curve[*i].abs().total_cmp(&curve[*j].abs()))?;
    let around = |n: usize| curve.get(n).map(|c| c.abs());
    let part = match (best.checked_sub(1).and_then(around), around(best + 1)) {
        (Some(l), Some(r)) if 2.0 * curve[best].abs() > l + r => 0.5 * (r - l) / (2.0 * curve[best].abs() - l - r),
        _ => 0.0,
    };
    (curve[best] != 0.0).then_some((best as f64 + part - shift as f64, curve[best]))
}

/// The moments of all strokes: each that of its own rise where nothing sounds like it, else where those alike have it in the median.
pub fn settled(strokes: &[Struck], rate: SampleRate) -> Vec<Moments> {
    // The first of each kind, and who sounds like it, read how much later.
    let mut kinds: Vec<(usize, Vec<(usize, f64)>)> = Vec::new();
    for (n, stroke) in strokes.iter().enumerate() {
        let like = |(first, _): &(usize, Vec<_>)| alike(&strokes[*first], stroke).filter(|(_, c)| *c > ALIKE);
        let best = kinds.iter().enumerate().filter_map(|(k, kind)| Some((k, like(kind)?)));
        match best.max_by(|a, b| a.1.1.total_cmp(&b.1.1)) {
            Some((k, (lag, _))) => kinds[k].1.push((n, lag)),
            None => kinds.push((n, vec![(n, 0.0)])),
        }
    }
    let mut told = vec![Moments { at: 0.0, alike: 1, spread: rate.hz_f64() }; strokes.len()];
    for (_, members) in kinds {
        // From where a member is aligned with the first to where its own rise is seen.
        let off = |(n, lag): &(usize, f64)| strokes[*n].at - (strokes[*n].frame as f64 + lag);
        let mut all: Vec<f64> = members.iter().map(off).collect();
        let usual = median(&mut all).unwrap_or(0.0);
        let mut away: Vec<f64> = members.iter().map(|m| (off(m) - usual).abs()).collect();
        let spread = median(&mut away).unwrap_or(0.0);
        for (n, lag) in &members {
            told[*n] = Moments { at: strokes[*n].frame as f64 + lag + usual, alike: members.len(), spread };
        }
    }
    told
}
