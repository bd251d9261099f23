//! The measurement of pairs against known delays, a naive oracle, and material that must stay undecided.

mod common;

use common::*;
use marea_core::measure::pair::measure_pair;
use marea_core::measure::pair::options::PairOptions;
use marea_core::progress::MeasureError;
use marea_core::signal::{MemSource, Placed};
use marea_core::units::SessionFrame;
use marea_core::verdict::Verdict;

/// Direct normalised cross-correlation over whole lags: slow, plain, and right for broadband sound without rivals.
fn naive(a: &[f32], b: &[f32], max: i64) -> (i64, i8) {
    let at = |lag: i64| -> f64 {
        (0..a.len() as i64)
            .filter_map(|n| {
                usize::try_from(n + lag).ok().and_then(|i| b.get(i)).map(|v| f64::from(*v) * f64::from(a[n as usize]))
            })
            .sum()
    };
    let best = (-max..=max).max_by(|x, y| at(*x).abs().total_cmp(&at(*y).abs())).unwrap();
    (best, if at(best) < 0.0 { -1 } else { 1 })
}

#[test]
fn whole_lags_agree_with_the_naive_oracle() {
    for (seed, lag, gain) in [(1, 37, 0.8f64), (2, -412, -0.5), (3, 0, -1.0), (4, 1_203, 0.3)] {
        let a = hits(300_000, seed);
        let b = delayed(&a, f64::from(lag), gain);
        let window = 6_000..60_000;
        let (oracle, sign) = naive(&a[window.clone()], &b[window], 1_300);
        let m = measure(&a, &b);
        assert_eq!((oracle, sign), (i64::from(lag), gain.signum() as i8), "the oracle itself");
        let got = m.lag_frames.expect("decided");
        assert!((got - f64::from(lag)).abs() < 0.02 && m.sign == sign, "{got} instead of {lag}: {}", m.reason);
        assert_eq!(m.verdict, Verdict::Solid, "{}", m.reason);
    }
}

/// scipy.signal.correlate on the committed vector, and this file's oracle.
#[test]
fn the_oracle_agrees_with_scipy() {
    let v = vector("correlate");
    let (a, b) = (floats(&v["a"]), floats(&v["b"]));
    assert_eq!(naive(&a, &b, 60), (v["lag"].as_i64().unwrap(), v["sign"].as_i64().unwrap() as i8));
}

/// Fractional lags of struck and of sustained sound, with noise of each microphone's own. Bar: 0.02 frames on clean
/// band-limited sound (the project's own), 0.1 with noise 20 dB down.
#[test]
fn fractional_lags() {
    for (seed, lag) in [(10, 2.37), (11, -4.0), (12, 110.62), (13, -0.5)] {
        for a in [hits(400_000, seed), swelling(400_000, seed)] {
            let clean = delayed(&a, lag, 1.0);
            let m = measure(&a, &clean);
            let got = m.lag_frames.unwrap_or_else(|| panic!("undecided: {}", m.reason));
            assert!((got - lag).abs() < 0.02, "{got} instead of {lag} ({:?})", m.material);
            let level = (a.iter().map(|v| v * v).sum::<f32>() / a.len() as f32).sqrt();
            let noisy = plus(&clean, &scaled(&noise(a.len(), seed + 100), level * 0.1 * 3.46));
            let m = measure(&plus(&a, &scaled(&noise(a.len(), seed + 200), level * 0.1 * 3.46)), &noisy);
            let got = m.lag_frames.unwrap_or_else(|| panic!("undecided: {}", m.reason));
            assert!((got - lag).abs() < 0.1, "{got} instead of {lag} with noise ({:?})", m.material);
        }
    }
}

#[test]
fn a_lag_of_seconds_is_found_by_the_envelopes() {
    let a = hits(1_400_000, 21);
    let mut b = vec![0f32; 96_123];
    b.extend_from_slice(&scaled(&a, -0.6));
    let m = measure(&a, &b);
    assert!((m.lag_frames.expect("decided") - 96_123.0).abs() < 0.05 && m.sign == -1, "{}", m.reason);
    let earlier = measure(&b, &a);
    assert!((earlier.lag_frames.expect("decided") + 96_123.0).abs() < 0.05, "{}", earlier.reason);
}

#[test]
fn placement_on_the_time_line_counts() {
    let a = hits(300_000, 31);
    let (x, y) = (MemSource(a.clone()), MemSource(a));
    let at = |p: &MemSource, start| {
        measure_pair(
            &Placed { source: &x, start: SessionFrame(500) },
            &Placed { source: p, start: SessionFrame(start) },
            rate(),
            PairOptions::default(),
            &mut |_| true,
        )
        .unwrap()
    };
    assert!((at(&y, 540).lag_frames.unwrap() - 40.0).abs() < 0.01);
    assert!((at(&y, 500).lag_frames.unwrap()).abs() < 0.01);
}

#[test]
fn unrelated_recordings_stay_undecided() {
    for seed in 0..12u64 {
        let pairs = [
            (hits(400_000, 400 + seed), hits(400_000, 900 + seed)),
            (swelling(400_000, 500 + seed), swelling(400_000, 1_000 + seed)),
            (hits(400_000, 600 + seed), swelling(400_000, 1_100 + seed)),
            (noise(300_000, 700 + seed), noise(300_000, 1_200 + seed)),
        ];
        for (i, (a, b)) in pairs.iter().enumerate() {
            let m = measure(a, b);
            assert_eq!(
                (m.verdict, m.lag_frames, m.sign),
                (Verdict::Undecided, None, 0),
                "seed {seed} pair {i}: {}",
                m.reason
            );
            assert_eq!(m.propose_offset_frames, 0.0);
            assert!(!m.propose_invert && !m.reason.is_empty());
        }
    }
}

/// Two sources with a lag each give high peaks; none of them is *the* lag.
#[test]
fn two_sources_with_a_lag_each_are_no_constant_delay() {
    let (s, t) = (swelling(500_000, 41), delayed(&swelling(500_000, 42), 20_000.0, 1.0));
    let a = plus(&s, &t);
    let b = plus(&delayed(&s, 200.0, 0.9), &delayed(&t, -150.0, 0.9));
    let m = measure(&a, &b);
    assert_eq!(m.verdict, Verdict::Undecided, "{}", m.reason);
}

#[test]
fn a_moving_lag_is_not_called_solid() {
    // 200 ppm: ten frames a second, far more than a window can blur away.
    let a = hits(960_000, 51);
    let b: Vec<f32> = (0..a.len())
        .map(|n| {
            let at = n as f64 * (1.0 - 200e-6);
            let (i, f) = (at as usize, at.fract() as f32);
            a[i] * (1.0 - f) + a.get(i + 1).copied().unwrap_or(0.0) * f
        })
        .collect();
    assert_ne!(measure(&a, &b).verdict, Verdict::Solid);
}

#[test]
fn too_little_silence_and_nothing_at_all() {
    let few = hits(20_000, 61);
    assert_eq!(measure(&few, &few).verdict, Verdict::Undecided);
    let silent = vec![0f32; 200_000];
    let m = measure(&silent, &hits(200_000, 62));
    assert!(m.reason.contains("anchor is silent"), "{}", m.reason);
    let m = measure(&hits(200_000, 62), &silent);
    assert!(m.reason.contains("other track is silent"), "{}", m.reason);
    assert_eq!(measure(&[], &[]).verdict, Verdict::Undecided);
}

#[test]
fn one_ten_times_longer() {
    let long = hits(2_400_000, 71);
    let short = delayed(&long, 64.0, 1.0)[..240_000].to_vec();
    for (a, b, lag) in [(&long, &short, 64.0), (&short, &long, -64.0)] {
        let m = measure(a, b);
        assert!((m.lag_frames.unwrap_or_else(|| panic!("{}", m.reason)) - lag).abs() < 0.02);
    }
}

#[test]
fn stops_when_asked() {
    let a = MemSource(hits(300_000, 81));
    let p = || Placed { source: &a, start: SessionFrame(0) };
    let mut calls = 0;
    let stopped = measure_pair(&p(), &p(), rate(), PairOptions::default(), &mut |part| {
        assert!((0.0..=1.0).contains(&part), "{part}");
        calls += 1;
        calls < 3
    });
    assert!(matches!(stopped, Err(MeasureError::Stopped)));
}

/// Arithmetic: equal copies in step gain +3.01 dB in every band; an inverted one as recorded cancels and is proposed to be
/// turned over; the null of identical tracks lies below −120 dB.
#[test]
fn sum_gain_and_null_depth() {
    let a = hits(400_000, 91);
    let m = measure(&a, &a);
    assert!(m.sum_gain.len() > 20, "{}", m.sum_gain.len());
    assert!(m.sum_gain.iter().all(|g| (g.recorded_db - 3.01).abs() < 0.02 && (g.corrected_db - 3.01).abs() < 0.02));
    assert!(m.null_depth_db.unwrap() < -100.0, "{:?}", m.null_depth_db);
    let m = measure(&a, &scaled(&a, -1.0));
    assert!(
        m.sum_gain.iter().all(|g| g.recorded_db < -50.0 && (g.corrected_db - 3.01).abs() < 0.02),
        "{:?}",
        m.sum_gain
    );
    assert!(m.propose_invert && m.sign == -1 && !m.phase_turns);
}

/// Everest, Master Handbook of Acoustics: two equal copies 1 ms apart cancel at 500, 1500, 2500 Hz. The third-octave around
/// 500 Hz loses, and taking the lag out brings it back.
#[test]
fn comb_of_a_millisecond() {
    let a = hits(400_000, 92);
    let m = measure(&a, &delayed(&a, 48.0, 1.0));
    let band = |hz: f64| m.sum_gain.iter().find(|g| g.hz == hz).unwrap();
    assert!(band(500.0).recorded_db < -8.0, "{:?}", band(500.0));
    assert!(band(1_000.0).recorded_db > 2.0, "{:?}", band(1_000.0));
    assert!((band(500.0).corrected_db - 3.01).abs() < 0.05);
    assert_eq!(m.propose_offset_frames, -48.0);
}

/// A microphone in step above and opposed below: two statements, and the lows decide the proposal.
#[test]
fn phase_that_turns_with_frequency() {
    // Struck sounds have lows: white noise through a leaky sum falls by 6 dB an octave.
    let mut past = 0.0;
    let a: Vec<f32> = hits(600_000, 93)
        .iter()
        .map(|v| {
            past = 0.98 * past + 0.2 * v;
            past
        })
        .collect();
    // First-order all-pass around 700 Hz: −180° well below, 0° far above, after one more sign.
    let c = ((std::f64::consts::PI * 700.0 / 48_000.0).tan() - 1.0)
        / ((std::f64::consts::PI * 700.0 / 48_000.0).tan() + 1.0);
    let (mut x1, mut y1) = (0.0f64, 0.0f64);
    let b: Vec<f32> = a
        .iter()
        .map(|&x| {
            let y = c * f64::from(x) + x1 - c * y1;
            x1 = f64::from(x);
            y1 = y;
            -y as f32
        })
        .collect();
    let m = measure(&a, &b);
    assert!(m.verdict > Verdict::Undecided, "{}", m.reason);
    assert!(m.phase_turns && m.propose_invert && m.sign == 1, "{} {} {}", m.phase_turns, m.propose_invert, m.sign);
}

#[test]
fn phase_follows_the_delay() {
    let a = hits(400_000, 94);
    let m = measure(&a, &delayed(&a, 10.0, 1.0));
    assert!(m.phase.len() > 80);
    for p in m.phase.iter().filter(|p| p.hz > 100.0 && p.coherence > 0.9) {
        assert!(p.residual_deg.abs() < 4.0, "{p:?}");
        assert!((p.delay_deg + 360.0 * p.hz * 10.0 / 48_000.0).abs() < 0.5 + p.hz * 0.001, "{p:?}");
    }
}

/// Arithmetic: an offset is minus the lag; nothing that is not resolved breaks bit-exactness.
#[test]
fn proposals_are_whole_where_that_is_honest() {
    use marea_core::edit::offset_for_lag;
    assert_eq!(offset_for_lag(221.03).0, -221.0);
    assert_eq!(offset_for_lag(221.43).0, -221.43);
    assert_eq!(offset_for_lag(-0.004).0, 0.0);
    assert!(offset_for_lag(0.0).0.is_sign_positive());
}

/// Onsets of bursts at known places, to about a millisecond; none in steady noise.
#[test]
fn onsets_are_where_the_strikes_are() {
    use marea_core::dsp::envelope::Envelope;
    let places: Vec<usize> = (0..20).map(|k| 9_000 + k * 13_337).collect();
    let burst = noise(4_000, 5);
    let mut x = scaled(&noise(290_000, 6), 0.001);
    for (k, at) in places.iter().enumerate() {
        for (n, v) in burst.iter().enumerate() {
            x[at + n] += v * (0.3 + k as f32 * 0.03) * (-(n as f32) / 800.0).exp();
        }
    }
    let onsets = |x: Vec<f32>| {
        let s = MemSource(x);
        Envelope::measure(&Placed { source: &s, start: SessionFrame(1_000) }, rate(), &mut |_| true).unwrap().onsets()
    };
    let found = onsets(x);
    assert_eq!(found.len(), places.len());
    for (o, at) in found.iter().zip(&places) {
        assert!((o.frame - 1_000 - *at as i64).abs() <= 60, "{} instead of {at}", o.frame - 1_000);
    }
    assert!(found.windows(2).all(|w| w[1].level_db > w[0].level_db), "louder and louder");
    assert!(onsets(noise(290_000, 7)).is_empty() && onsets(vec![0.0; 100_000]).is_empty());
}

#[test]
fn the_strongest_hit_is_the_loudest_of_the_anchor() {
    let mut a = hits(300_000, 21);
    let places = measure(&a, &delayed(&a, 12.0, 1.0)).hit_frames;
    // Neither the first, nor the last, nor the one at a third.
    let chosen = places.len() - 2;
    assert!(chosen > 2 && chosen != places.len() / 3);
    let at = usize::try_from(places[chosen].0).unwrap();
    a[at..at + 1_000].iter_mut().for_each(|v| *v *= 4.0);
    let m = measure(&a, &delayed(&a, 12.0, 1.0));
    let found = m.hit_frames[m.strongest_hit];
    assert!(found.since(places[chosen]).abs() < 50, "{found} instead of {}", places[chosen]);
}

/// The page and the command line look equally far: as far as the places of the microphones may be apart.
#[test]
fn how_far_is_looked_follows_the_roles() {
    use marea_core::track::Role::{Main, Near, Room, Unknown};
    let reach = |a, b| PairOptions::between(a, b).max_lag_s;
    assert_eq!([reach(Near, Unknown), reach(Near, Main), reach(Room, Main)], [0.03, 0.045, 0.08]);
}
