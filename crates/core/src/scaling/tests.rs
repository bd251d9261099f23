use super::*;
use crate::signal::MemSource;
use crate::units::db_of_amplitude;
use std::f64::consts::TAU;

fn rate() -> SampleRate {
    SampleRate::new(48_000).unwrap()
}

/// The whole result of sounds along a map.
fn scaled(sounds: &[MemSource], points: &[[f64; 2]], attacks: &[i64]) -> (Plan, Vec<Vec<f32>>) {
    let sources: Vec<&dyn Source> = sounds.iter().map(|s| s as &dyn Source).collect();
    let mut reader = Scaled::new(&sources, &TimeMap::new(points.to_vec()).unwrap(), attacks, rate()).unwrap();
    let mut out = vec![Vec::new(); sounds.len()];
    loop {
        let block = reader.next_block().unwrap();
        if block.is_empty() {
            return (reader.plan().clone(), out);
        }
        out.iter_mut().zip(block).for_each(|(out, block)| out.extend(block));
    }
}

fn tones(parts: &[(f64, f64, f64)], frames: usize) -> MemSource {
    let at =
        |n: usize| parts.iter().map(|(hz, a, turn)| a * (TAU * hz * n as f64 / 48_000.0 + turn).sin()).sum::<f64>();
    MemSource((0..frames).map(|n| at(n) as f32).collect())
}

/// Amplitude and phase of a partial over a second from a frame on, by a Hann window, and the frequency that its phase goes on at.
fn partial(x: &[f32], from: usize, hz: f64) -> (f64, f64, f64) {
    let len = 48_000;
    let at = |from: usize| {
        let (mut re, mut im) = (0.0, 0.0);
        for n in 0..len {
            let w = 0.5 - 0.5 * (TAU * n as f64 / len as f64).cos();
            let (sin, cos) = (TAU * hz * (from + n) as f64 / 48_000.0).sin_cos();
            re += w * f64::from(x[from + n]) * cos;
            im -= w * f64::from(x[from + n]) * sin;
        }
        (re, im)
    };
    let (a, b) = (at(from), at(from + 480));
    let turn = (b.1.atan2(b.0) - a.1.atan2(a.0) + 3.0 * PI).rem_euclid(TAU) - PI;
    (a.0.hypot(a.1) * 4.0 / len as f64, a.1.atan2(a.0), hz + turn * 48_000.0 / (480.0 * TAU))
}

#[test]
fn nothing_changes_bit_by_bit_where_nothing_moves() {
    let x = tones(&[(220.0, 0.3, 0.4), (3_111.0, 0.1, 0.0)], 150_001);
    for later in [0.0, 777.0, -2_400.0] {
        let points = [[0.0, later], [100_000.0, 100_000.0 + later]];
        let (plan, out) = scaled(std::slice::from_ref(&x), &points, &[9_000, 60_000]);
        assert_eq!(plan.first() as f64, later);
        assert!(out[0] == x.0, "{later}");
    }
}

#[test]
fn tones_and_chords_keep_pitch_and_level() {
    // Equal temperament (ISO 16: a at 440 Hz): single tones, a major triad in the middle and one in the bass, each partial on its own.
    let chords: [&[f64]; 4] = [&[440.0], &[82.41], &[220.0, 277.18, 329.63], &[110.0, 138.59, 164.81]];
    for hz in chords {
        let parts: Vec<(f64, f64, f64)> = hz.iter().enumerate().map(|(n, hz)| (*hz, 0.2, n as f64)).collect();
        let x = tones(&parts, 240_000);
        for ratio in [0.8, 0.93, 1.1, 1.25] {
            let (_, out) = scaled(std::slice::from_ref(&x), &[[0.0, 0.0], [240_000.0, 240_000.0 * ratio]], &[]);
            assert_eq!(out[0].len(), (240_000.0 * ratio) as usize);
            for hz in hz {
                let (level, _, found) = partial(&out[0], 60_000, *hz);
                let (cents, db) = (1_200.0 * (found / hz).log2(), db_of_amplitude(level / 0.2));
                assert!(cents.abs() < 2.0 && db.abs() < 0.5, "{hz} Hz × {ratio}: {cents:.2} cents, {db:.2} dB");
            }
        }
    }
}

#[test]
fn channels_keep_their_phases_also_where_they_are_opposed() {
    let left = tones(&[(180.0, 0.3, 0.0), (1_250.0, 0.1, 0.3)], 200_000);
    let right = tones(&[(180.0, 0.2, PI), (1_250.0, 0.1, 1.0)], 200_000);
    let (_, out) = scaled(&[left, right], &[[0.0, 0.0], [200_000.0, 236_000.0]], &[]);
    for (hz, apart) in [(180.0, PI), (1_250.0, 0.7)] {
        let (a, b) = (partial(&out[0], 70_000, hz), partial(&out[1], 70_000, hz));
        let off = ((b.1 - a.1 - apart + 3.0 * PI).rem_euclid(TAU) - PI).to_degrees();
        assert!(off.abs() < 1.0, "{hz} Hz: {off:.2}°");
    }
}

/// Decaying strokes over a chord that sounds on: each comes where the map says, as it was, and nothing of it before.
#[test]
fn attacks_are_where_they_belong_and_as_they_were() {
    let strokes: Vec<i64> = (1..9).map(|n| n * 21_000 + (n * n * 131) % 900).collect();
    let under = tones(&[(196.0, 0.02, 0.0), (246.9, 0.02, 1.0)], 220_000).0;
    let mut x = under.clone();
    for at in &strokes {
        for n in 0..9_000 {
            let t = n as f64 / 48_000.0;
            x[*at as usize + n] += (0.6 * (-t * 30.0).exp() * (TAU * 410.0 * t).sin()) as f32;
        }
    }
    for ratio in [0.8, 1.25] {
        let (plan, out) = scaled(&[MemSource(x.clone())], &[[0.0, 0.0], [220_000.0, 220_000.0 * ratio]], &strokes);
        assert_eq!(plan.attacks.len(), strokes.len());
        for (a, at) in plan.attacks.iter().zip(&strokes) {
            assert!(!a.rides && (a.out as f64 - *at as f64 * ratio).abs() <= 0.5, "{a:?}");
            let (own, made) = (a.own as usize, (a.out - plan.first()) as usize);
            assert!(out[0][made - 90..made + 850] == x[own - 90..own + 850], "the stroke at {at} is copied, × {ratio}");
            let before = out[0][made - 3_000..made - 100].iter().fold(0f32, |m, v| m.max(v.abs()));
            assert!(before < 0.06, "nothing of the stroke at {at} comes before it, × {ratio}: {before}");
        }
    }
}

#[test]
fn a_result_does_not_depend_on_what_came_before_an_attack_long_ago() {
    let x = tones(&[(330.0, 0.3, 0.0)], 120_000);
    let points = [[0.0, 0.0], [60_000.0, 66_000.0], [120_000.0, 120_000.0]];
    let (plan, out) = scaled(std::slice::from_ref(&x), &points, &[60_000]);
    assert_eq!((plan.first(), plan.end(), out[0].len()), (0, 120_000, 120_000));
    assert!(out[0].iter().all(|v| v.is_finite() && v.abs() < 0.5));
}
