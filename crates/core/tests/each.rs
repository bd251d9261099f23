//! The lag of every moment by itself.

mod common;

use common::*;
use marea_core::dsp::window::Anchor;
use marea_core::measure::pair::each::each_lag;
use marea_core::measure::pair::options::Material;
use marea_core::signal::{MemSource, Placed};
use marea_core::units::SessionFrame;
use proptest::prelude::*;

const BAND_HZ: (f64, f64) = (60.0, 14_000.0);
const FAR: i64 = 12_000;

/// Strikes in A, and in B each of them later by a lag of its own, inverted when `sign` says so, with other sounds besides.
fn struck(lags: &[i64], sign: i8, besides: f32, seed: u64) -> (MemSource, MemSource, Vec<i64>) {
    let places: Vec<i64> = (1..=lags.len() as i64).map(|k| k * FAR).collect();
    let length = (lags.len() + 2) * FAR as usize;
    let (mut a, mut b) = (vec![0f32; length], noise(length, seed + 1));
    b.iter_mut().for_each(|x| *x *= besides);
    for (k, (place, lag)) in places.iter().zip(lags).enumerate() {
        for (i, x) in noise(1_400, seed + 2 + k as u64).into_iter().enumerate() {
            let x = x * (-(i as f32) / 400.0).exp();
            a[*place as usize + i] += x;
            b[(*place + lag) as usize + i] += x * f32::from(sign);
        }
    }
    (MemSource(a), MemSource(b), places)
}

fn told(a: &MemSource, b: &MemSource, places: &[i64], lag: f64, sign: i8) -> Vec<Option<f64>> {
    let (a, b) = (Placed { source: a, start: SessionFrame(0) }, Placed { source: b, start: SessionFrame(0) });
    each_lag((&Anchor::once(&a), &b), places, Material::Struck, (lag, sign), (BAND_HZ, rate())).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]
    /// Every strike is found where it is, within a tenth of a frame, though the common lag is right for none of them.
    #[test]
    fn strikes_that_wander_are_followed_one_by_one(
        steps in prop::collection::vec(-40i64..40, 8..20), inverted in any::<bool>(), seed in 0u64..1_000,
    ) {
        let lags: Vec<i64> = steps.iter().map(|s| 200 + s).collect();
        let sign = if inverted { -1 } else { 1 };
        let (a, b, places) = struck(&lags, sign, 0.02, seed);
        // Without a common lag that fits, bins agree little; they still tell what they carry.
        let got = told(&a, &b, &places, 200.0, sign);
        let wrong: Vec<_> = got.iter().zip(&lags).filter(|(g, l)| g.is_some_and(|g| (g - **l as f64).abs() > 0.1)).collect();
        prop_assert!(wrong.is_empty(), "{wrong:?}");
        prop_assert!(got.iter().flatten().count() * 4 >= lags.len() * 3, "{got:?}");
    }
}

#[test]
fn a_moment_that_does_not_tell_says_nothing() {
    let (a, _, places) = struck(&[0; 24], 1, 0.0, 5);
    let other = MemSource(noise(a.0.len(), 77));
    let got = told(&a, &other, &places, 0.0, 1);
    assert!(got.iter().flatten().count() <= 1, "{got:?}");
    // Nor does one of the other sign, or silence.
    let (a, b, places) = struck(&[30; 12], -1, 0.01, 9);
    assert_eq!(told(&a, &b, &places, 30.0, 1), vec![None; 12]);
    let silent = MemSource(vec![0.0; a.0.len()]);
    assert_eq!(told(&a, &silent, &places, 30.0, 1), vec![None; 12]);
}
