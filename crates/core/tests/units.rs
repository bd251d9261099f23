//! Units against the check values of published formulas.

use marea_core::edit::tempo::TempoMap;
use marea_core::measure::readings::meter::correlation;
use marea_core::units::dbfs;
use marea_core::units::*;

fn close(a: f64, b: f64, tolerance: f64) {
    assert!(a.is_finite() && (a - b).abs() <= tolerance, "{a} is not {b} ± {tolerance}");
}

/// ISO 9613-1: 343.2 m/s at 20 °C, 331.3 m/s at 0 °C.
#[test]
fn speed_of_sound() {
    close(Air::new(20.0).unwrap().speed_m_s(), 343.2, 1e-9);
    close(Air::new(0.0).unwrap().speed_m_s(), 331.3, 0.05);
    assert!(Air::new(f64::NAN).is_err() && Air::new(-80.0).is_err());
    // 1 m = 2.914 ms = 139.9 samples at 48 kHz (arithmetic).
    let seconds = 1.0 / Air::default().speed_m_s();
    close(seconds * 1e3, 2.914, 0.000_5);
    close(seconds * 48_000.0, 139.9, 0.05);
}

/// Arithmetic: 4 samples at 44.1 kHz = 90.70 µs; 1 sample at 48 kHz = 20.83 µs.
#[test]
fn samples_and_time() {
    let of = |n: f64, hz| LagUnits::of(n, SampleRate::new(hz).unwrap().into(), 120.0);
    close(of(4.0, 44_100).us, 90.70, 0.005);
    close(of(1.0, 48_000).us, 20.83, 0.005);
    close(of(48_000.0, 48_000).quarters, 2.0, 1e-12);
    close(of(-111.0, 48_000).metres, -0.7937, 1e-3);
    assert_eq!(SampleRate::new(48_000).unwrap().frames(0.0046), 221);
}

/// Arithmetic and common practice: 1/32 at 120 BPM = 62.5 ms; 1/8 at 160 BPM = 187.5 ms; a dotted quarter at 120 = 750 ms.
#[test]
fn note_lengths() {
    let seconds = |quarters: f64, bpm| TempoMap::single(bpm, 4, 0.0).beats(1.0).frame_of(quarters);
    close(seconds(0.125, 120.0), 0.0625, 1e-12);
    close(seconds(0.5, 160.0), 0.1875, 1e-12);
    close(seconds(1.5, 120.0), 0.75, 1e-12);
}

/// Arithmetic: ripple of a copy at half the amplitude is 9.54 dB, at a third 6.02 dB (the 3:1 spacing; common practice, no
/// source).
#[test]
fn comb_depth() {
    let depth = |g: f64| db_of_amplitude((1.0 + g) / (1.0 - g));
    close(depth(0.5), 9.54, 0.005);
    close(depth(1.0 / 3.0), 6.02, 0.005);
    close(amplitude_of_db(db_of_amplitude(0.3)), 0.3, 1e-12);
    close(db_of_power(2.0), 3.0103, 1e-4);
}

/// AES17: a full-scale sine reads 0 dBFS RMS.
#[test]
fn dbfs_of_a_sine() {
    let n = 48_000;
    let rms = ((0..n).map(|i| (std::f64::consts::TAU * 997.0 * f64::from(i) / 48_000.0).sin().powi(2)).sum::<f64>()
        / f64::from(n))
    .sqrt();
    close(dbfs(rms), 0.0, 1e-3);
}

/// Arithmetic: identical +1, inverted −1, sines 90° apart 0, nothing under the gate of −60 dBFS.
#[test]
fn correlation_of_closed_forms() {
    let sine = |phase: f64| -> Vec<f32> {
        (0..4_800).map(|i| (std::f64::consts::TAU * f64::from(i) / 48.0 + phase).sin() as f32).collect()
    };
    let (a, b) = (sine(0.0), sine(std::f64::consts::FRAC_PI_2));
    let inverted: Vec<f32> = a.iter().map(|v| -v).collect();
    close(correlation(&a, &a).unwrap(), 1.0, 1e-9);
    close(correlation(&a, &inverted).unwrap(), -1.0, 1e-9);
    close(correlation(&a, &b).unwrap(), 0.0, 1e-6);
    let quiet: Vec<f32> = a.iter().map(|v| v * 0.000_9).collect();
    assert_eq!(correlation(&a, &quiet), None);
    assert_eq!(correlation(&a, &vec![0.0; 4_800]), None);
    assert_eq!(correlation(&[], &[]), None);
}

#[test]
fn rates_are_checked() {
    for hz in [0, 7_999, 384_001, u64::MAX] {
        assert!(SampleRate::new(hz).is_err(), "{hz}");
    }
    assert!(SampleRate::new(8_000).is_ok() && SampleRate::new(384_000).is_ok());
    assert!(serde_json::from_str::<SampleRate>("44100").is_ok() && serde_json::from_str::<SampleRate>("3").is_err());
}
