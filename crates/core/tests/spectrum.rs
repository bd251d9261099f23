//! Averaged spectra and the curve of agreement: against a direct transform, SciPy and closed forms.

mod common;

use common::*;
use marea_core::dsp::lag_curve::{CurveRange, lag_curve};
use marea_core::dsp::spectrum::{CrossSpectrum, Transform};
use marea_core::measure::readings::meter::{NullMeter, correlation, read_stereo};
use realfft::num_complex::Complex32;

/// The definition, term by term.
fn direct(x: &[f32], bin: usize, len: usize) -> (f64, f64) {
    x.iter().enumerate().fold((0.0, 0.0), |(re, im), (n, v)| {
        let angle = -std::f64::consts::TAU * (bin * n) as f64 / len as f64;
        (re + f64::from(*v) * angle.cos(), im + f64::from(*v) * angle.sin())
    })
}

#[test]
fn the_transform_is_the_definition_with_dirty_scratch() {
    let mut t = Transform::new(256);
    assert_eq!((t.len(), t.bins(), t.is_empty()), (256, 129, false));
    let mut out = vec![Complex32::new(9.0, 9.0); 129];
    // A longer one first: what it leaves behind must not matter.
    t.forward(&noise(256, 1), &mut out);
    let x = noise(100, 2);
    t.forward(&x, &mut out);
    for bin in [0, 1, 7, 64, 128] {
        let (re, im) = direct(&x, bin, 256);
        assert!((f64::from(out[bin].re) - re).abs() < 1e-4 && (f64::from(out[bin].im) - im).abs() < 1e-4, "bin {bin}");
    }
}

/// Two windows in one complex transform come apart as if each had been transformed alone; above the bins asked for nothing is
/// written.
#[test]
fn two_windows_at_once_are_each_as_alone() {
    for (len, filled, bins) in [(256, 256, 129), (256, 100, 129), (448, 300, 90), (640, 1, 2)] {
        let mut t = Transform::new(len);
        let (x, y) = (noise(filled, 11), scaled(&noise(filled, 12), 0.01));
        let mut alone = [0, 1].map(|_| vec![Complex32::default(); t.bins()]);
        t.forward(&x, &mut alone[0]);
        t.forward(&y, &mut alone[1]);
        // What an earlier pair left behind must not matter.
        let [mut fx, mut fy] = [0, 1].map(|_| vec![Complex32::new(7.0, 7.0); bins]);
        t.forward_two([&noise(len, 5), &noise(len, 6)], [&mut fx, &mut fy]);
        t.forward_two([&x, &y], [&mut fx, &mut fy]);
        for (got, expected) in [(&fx, &alone[0]), (&fy, &alone[1])] {
            let off = got.iter().zip(expected).map(|(a, b)| (a - b).norm()).fold(0f32, f32::max);
            assert!(off < 2e-4, "{len}: off by {off}");
        }
    }
}

fn averaged(pairs: &[(Vec<f32>, Vec<f32>)], len: usize) -> CrossSpectrum {
    let mut t = Transform::new(len);
    let mut sum = CrossSpectrum::new(t.bins());
    let (mut a, mut b) = (vec![Complex32::default(); t.bins()], vec![Complex32::default(); t.bins()]);
    for (x, y) in pairs {
        t.forward(x, &mut a);
        t.forward(y, &mut b);
        sum.add(&a, &b, 1.0, 1.0);
    }
    sum
}

/// Two noises that share half their power have a coherence of 1/4 (Carter 1987). scipy.signal.coherence on 64 segments reads
/// more by its bias of about (1 − γ²)²/K; ours takes the bias out.
#[test]
fn coherence_of_half_shared_noise() {
    let v = vector("coherence");
    let pairs: Vec<_> = (0..64)
        .map(|k| {
            let common = noise(256, 3_000 + k);
            (plus(&common, &noise(256, 4_000 + k)), plus(&common, &noise(256, 5_000 + k)))
        })
        .collect();
    let sum = averaged(&pairs, 256);
    let mean = (1..128).map(|k| sum.coherence(k)).sum::<f64>() / 127.0;
    assert!((mean - v["expected"].as_f64().unwrap()).abs() < 0.03, "{mean}");
    assert!((v["mean"].as_f64().unwrap() - mean).abs() < 0.04, "SciPy's {} and ours {mean}", v["mean"]);
}

#[test]
fn coherence_at_its_ends() {
    let same: Vec<_> = (0..8).map(|k| (noise(256, k), scaled(&noise(256, k), -0.3))).collect();
    let sum = averaged(&same, 256);
    assert!((1..128).all(|k| sum.coherence(k) > 0.999));
    let strange: Vec<_> = (0..200).map(|k| (noise(256, k), noise(256, 900 + k))).collect();
    let sum = averaged(&strange, 256);
    assert!((1..128).map(|k| sum.coherence(k)).sum::<f64>() / 127.0 < 0.01);
    assert_eq!(averaged(&[], 256).coherence(5), 0.0);
    assert_eq!(averaged(&same[..1], 256).coherence(5), 0.0, "one window proves nothing");
}

#[test]
fn sums_can_be_joined() {
    let pairs: Vec<_> = (0..6).map(|k| (noise(128, k), noise(128, 50 + k))).collect();
    let mut halves = averaged(&pairs[..2], 128);
    halves.merge(&averaged(&pairs[2..], 128));
    let whole = averaged(&pairs, 128);
    assert_eq!(halves.count, whole.count);
    assert!((0..65).all(|k| (halves.ab[k] - whole.ab[k]).norm() < 1e-4 && (halves.aa[k] - whole.aa[k]).abs() < 1e-3));
}

/// B's window begins `lead` frames before A's; the curve counts that in. Sign and place of the peak, its rival, its height.
#[test]
fn the_curve_peaks_at_the_lag() {
    for (lag, sign) in [(17i64, 1.0f32), (-40, -1.0), (0, 1.0), (63, -1.0)] {
        let pairs: Vec<_> = (0..12)
            .map(|k| {
                let long = noise(1_024, 70 + k);
                let b: Vec<f32> = (0..600).map(|n| sign * long[(n + 200 - 64 - lag) as usize]).collect();
                (long[200..500].to_vec(), b)
            })
            .collect();
        let range = CurveRange { low_bin: 2, high_bin: 460, max_lag: 64, oversampling: 4, lead: 64 };
        let curve = lag_curve(&averaged(&pairs, 1_024), 1_024, range);
        assert_eq!(curve.values.len(), 2 * 64 * 4 + 1);
        let peak = curve.peak();
        assert!((curve.refined(peak) - lag as f64).abs() < 0.05, "{} instead of {lag}", curve.refined(peak));
        assert_eq!(curve.values[peak], sign, "the highest is ±1");
        let rival = curve.rival(peak, 5.0);
        assert!((curve.lag_of(rival) - lag as f64).abs() >= 5.0 && curve.values[rival].abs() < 0.5);
        assert!(1.0 / curve.rms > 8.0, "{}", curve.rms);
    }
}

/// numpy's Σab/√(Σa²Σb²) on the committed vector.
#[test]
fn correlation_against_numpy() {
    let v = vector("correlation");
    let got = correlation(&floats(&v["x"]), &floats(&v["y"])).unwrap();
    assert!((got - v["correlation"].as_f64().unwrap()).abs() < 1e-6, "{got}");
}

/// Cauchy–Schwarz bound and its statistics: unrelated noise lies within 3/√N of 0.
#[test]
fn correlation_of_unrelated_noise() {
    for seed in 0..20 {
        let c = correlation(&noise(10_000, seed), &noise(10_000, 500 + seed)).unwrap();
        assert!(c.abs() < 0.03 * 1.2, "seed {seed}: {c}");
    }
}

#[test]
fn readings_tell_the_sides_apart() {
    let (l, r) = (vec![0.5f32; 100], vec![-0.25f32; 100]);
    let m = read_stereo(&l, &r);
    assert_eq!((m.peak, m.rms), ([0.5, 0.25], [0.5, 0.25]));
    assert_eq!(read_stereo(&[0.0; 10], &[0.0; 10]).peak, [0.0; 2]);
    assert_eq!(read_stereo(&[], &[]).rms, [0.0; 2]);
}

/// Handbook: identical below −120 dB; half as loud leaves half the amplitude, −6.02 dB; turned over, twice, +6.02 dB.
#[test]
fn null_depth_has_its_closed_forms() {
    let x: Vec<f32> = (0..4_096).map(|i| (i as f32 * 0.37).sin() * 0.5).collect();
    let scaled = |f: f32| x.iter().map(|v| v * f).collect::<Vec<f32>>();
    for (factor, expected) in [(0.5, -6.0206), (-1.0, 6.0206), (0.0, 0.0), (0.9, -20.0)] {
        let depth = NullMeter::default().push(&x, &scaled(factor)).unwrap();
        assert!((depth - expected).abs() < 1e-3, "{factor}: {depth}");
    }
    assert!(NullMeter::default().push(&x, &x).unwrap() < -120.0);
    assert_eq!(NullMeter::default().push(&[0.0; 64], &[0.0; 64]), None, "nothing to compare with");
    // The reading covers the last ten blocks and forgets the rest.
    let mut meter = NullMeter::default();
    meter.push(&x, &scaled(-1.0));
    let last = (0..10).map(|_| meter.push(&x, &x).unwrap()).last().unwrap();
    assert!(last < -120.0, "{last}");
}
