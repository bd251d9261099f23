//! Where a slow sound begins: its envelope is followed down to nothing.

/// Share of the window's largest power that a silence before the sound stays under: −45 dB.
const SILENT: f32 = 3.2e-5;
/// Length of that silence, in ms.
const SILENCE_MS: usize = 30;
/// Levels of a power at which the envelope is read: the highest under the peak, and the lowest over the floor.
const HIGHEST: f32 = 0.016;
/// At least this far over the floor: 10 dB.
const OVER_FLOOR: f32 = 10.0;
/// And no lower than this under the peak: −60 dB.
const LOWEST: f32 = 1e-6;

/// A slow beginning.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Swell {
    /// Where the envelope comes out of nothing, in ms from the window's beginning.
    pub from_ms: f64,
    /// How much later it is there for certain: what the beginning is a guess over.
    pub guessed_ms: f64,
}

/// The beginning of a sound that rises slowly out of silence; none where no silence is before it, or its rise is no power of time.
///
/// `power` is the mean square of each ms, `smooth` ms are taken together (a period of the lowest tone at least). The places t₁, t₂, t₃ at
/// which the envelope passes three levels in even steps of dB tell where a rise a = c·(t − t₀)ᵖ began: (t₂ − t₀)² = (t₁ − t₀)·(t₃ − t₀),
/// whatever p is.
pub fn swell(power: &[f32], smooth: usize) -> Option<Swell> {
    let smooth = smooth.max(1);
    let envelope: Vec<f32> = power.windows(smooth).map(|w| w.iter().sum::<f32>() / smooth as f32).collect();
    let peak = envelope.iter().copied().fold(0f32, f32::max);
    let high = envelope.iter().position(|e| *e > 0.1 * peak)?;
    // The last silence before it: what rings on before that belongs to another note.
    let quiet = (0..high.saturating_sub(SILENCE_MS)).rev().find(|n| {
        let silence = &envelope[*n..n + SILENCE_MS];
        silence.iter().all(|e| *e < SILENT * peak)
    })?;
    let floor = envelope[quiet..quiet + SILENCE_MS].iter().sum::<f32>() / SILENCE_MS as f32;
    let lowest = (floor * OVER_FLOOR).max(LOWEST * peak);
    let highest = HIGHEST * peak;
    if lowest * 16.0 > highest {
        return None;
    }
    let middle = (lowest * highest).sqrt();
    let [t1, t2, t3] = [lowest, middle, highest].map(|level| passes(&envelope[quiet..], level));
    let (t1, t2, t3) = (t1?, t2?, t3?);
    let bend = t1 + t3 - 2.0 * t2;
    // A rise that is even in dB has no beginning.
    if bend < 0.15 * (t3 - t1) {
        return None;
    }
    let from = (t1 * t3 - t2 * t2) / bend;
    // The first sound that comes into a window comes in at its end.
    let end = smooth as f64;
    Some(Swell { from_ms: quiet as f64 + from + end, guessed_ms: t1 - from })
}

/// Where an envelope passes a level for good, between ms.
fn passes(envelope: &[f32], level: f32) -> Option<f64> {
    let at = envelope.iter().position(|e| *e > level)?;
    let before = envelope[at.checked_sub(1)?].max(f32::MIN_POSITIVE);
    let share = (level / before).ln() / (envelope[at] / before).ln();
    Some(at as f64 - 1.0 + f64::from(share.clamp(0.0, 1.0)))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Rises from 100 ms on as a power of time, over a floor.
    fn rising(lasts: f64, exponent: f64, floor: f32) -> Vec<f32> {
        let amplitude = |n: usize| ((n as f64 + 0.5 - 100.0) / lasts).clamp(0.0, 1.0).powf(exponent);
        (0..900).map(|n| amplitude(n).powi(2) as f32 + floor).collect()
    }

    #[test]
    fn a_rise_of_any_power_is_followed_to_its_beginning() {
        for (lasts, exponent, floor) in
            [(60.0, 1.0, 0.0), (300.0, 1.0, 1e-7), (300.0, 2.0, 0.0), (600.0, 2.0, 1e-7), (200.0, 0.5, 1e-6)]
        {
            let found = swell(&rising(lasts, exponent, floor), 5).unwrap();
            assert!((found.from_ms - 100.0).abs() < 5.0, "{lasts} ms, power {exponent}: {found:?}");
        }
    }

    #[test]
    fn what_has_no_silence_before_it_has_no_beginning() {
        let mut x = rising(200.0, 1.0, 0.0);
        x[..160].fill(0.01);
        assert_eq!(swell(&x, 5), None);
        assert_eq!(swell(&[0.0; 500], 5), None);
        let even: Vec<f32> = (0..900).map(|n| 10f32.powf((n as f32 - 500.0).min(0.0) / 50.0)).collect();
        assert_eq!(swell(&even, 5), None, "even in dB");
    }
}
