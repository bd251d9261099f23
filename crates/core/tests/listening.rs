//! What is heard: places, slowed sound, clicks, loudness, and readings of blocks.

mod common;

use common::{noise, rate, scaled};
use marea_core::edit::Edit;
use marea_core::edit::tempo::TempoMap;
use marea_core::measure::pair::measure_pair;
use marea_core::measure::pair::options::PairOptions;
use marea_core::measure::readings::loudness::{loudness, matched, stretches};
use marea_core::measure::readings::meter::CorrelationMeter;
use marea_core::render::click::Click;
use marea_core::render::track::TrackRenderer;
use marea_core::render::varispeed::{Varispeed, between};
use marea_core::render::{Mix, Voice, pan_sides};
use marea_core::signal::{MemSource, Placed, ReadError};
use marea_core::units::{SampleRate, SessionFrame};
use proptest::prelude::*;
use std::convert::Infallible;
use std::f64::consts::TAU;

fn sine(hz: f64, rate_hz: f64, frames: usize, gain: f64, phase: f64) -> Vec<f32> {
    (0..frames).map(|n| (gain * (TAU * hz * n as f64 / rate_hz + phase).sin()) as f32).collect()
}

/// Equal power: the squares of both sides add up to one everywhere; −3.01 dB each in the middle; the ends are exact.
#[test]
fn places_keep_the_power() {
    for step in -20..=20 {
        let [l, r] = pan_sides(f64::from(step) / 20.0);
        assert!((f64::from(l).powi(2) + f64::from(r).powi(2) - 1.0).abs() < 1e-6);
    }
    assert_eq!((pan_sides(-1.0), pan_sides(1.0)), ([1.0, 0.0], [0.0, 1.0]));
    assert_eq!((pan_sides(-9.0), pan_sides(9.0)), ([1.0, 0.0], [0.0, 1.0]), "what lies outside is the end");
    let [l, r] = pan_sides(0.0);
    assert!((20.0 * f64::from(l).log10() + 3.0103).abs() < 1e-3 && (l - r).abs() < 1e-7);
    assert!(pan_sides(0.3)[1] > pan_sides(0.2)[1], "to the right is louder on the right");
}

fn slowed(x: &[f32], at: f64, speed: f64, points: usize) -> Vec<f32> {
    let (mut left, mut right) = (vec![0f32; points], vec![0f32; points]);
    let read = |from: i64, l: &mut [f32], r: &mut [f32]| -> Result<(), Infallible> {
        for (n, (l, r)) in l.iter_mut().zip(r.iter_mut()).enumerate() {
            let i = from + n as i64;
            *l = usize::try_from(i).ok().and_then(|i| x.get(i)).copied().unwrap_or(0.0);
            *r = -*l;
        }
        Ok(())
    };
    Varispeed::default().through(at, speed, [&mut left, &mut right], read).unwrap();
    assert!(left.iter().zip(&right).all(|(l, r)| *l == -*r), "both sides alike");
    left
}

/// A slowed sine is the sine of the slowed frequency: the error is under −100 dB up to 0.4 of the rate (Laakso et al. 1996
/// for the method, the bound is our own).
#[test]
fn slowed_sound_lies_between_the_samples() {
    for hz in [40.0, 997.0, 9_000.0, 19_200.0] {
        let x = sine(hz, 48_000.0, 9_000, 0.5, 0.3);
        for (at, speed) in [(1_000.0, 0.25), (1_000.4, 0.5), (1_000.0, 0.75), (2_000.123, 0.9973)] {
            let got = slowed(&x, at, speed, 4_000);
            let off: f64 = got
                .iter()
                .enumerate()
                .map(|(n, v)| {
                    let place = at + speed * n as f64;
                    (f64::from(*v) - 0.5 * (TAU * hz * place / 48_000.0 + 0.3).sin()).powi(2)
                })
                .sum();
            let db = 10.0 * (off / 4_000.0 / 0.125).log10();
            assert!(db < -100.0, "{hz} Hz at {speed}: {db:.1} dB");
        }
    }
}

proptest! {
    /// Any cutting into blocks gives the same samples: what is heard does not depend on how it was asked for.
    #[test]
    fn slowed_blocks_join(cut in 1usize..999, speed in 0.25f64..1.0, at in 30.0f64..500.0) {
        let x = noise(3_000, 4);
        let whole = slowed(&x, at, speed, 1_000);
        let mut parts = slowed(&x, at, speed, cut);
        parts.extend(slowed(&x, at + speed * cut as f64, speed, 1_000 - cut));
        for (a, b) in whole.iter().zip(&parts) {
            prop_assert!((a - b).abs() < 2e-6, "{a} {b}");
        }
    }

    /// The frames that are told are the frames that are used: none more at either end.
    #[test]
    fn needed_frames_suffice(at in -50.0f64..50.0, speed in 0.25f64..1.0, points in 1usize..300) {
        let (first, count) = between(at, at + speed * points.saturating_sub(1) as f64);
        let last = (at + speed * (points - 1) as f64).floor() as i64;
        prop_assert_eq!(first, at.floor() as i64 - 23);
        prop_assert_eq!(first + count as i64 - 1, last + 24);
    }
}

/// 120 quarters a minute at 48 kHz: a click every 24 000 frames, silence between, every fourth stronger and higher.
#[test]
fn clicks_fall_on_the_beats() {
    let click = Click { rate_hz: 48_000.0, beats: TempoMap::default().beats(48_000.0) };
    let (mut l, mut r) = (vec![0.1f32; 120_000], vec![0.0f32; 120_000]);
    click.add(0.0, 1.0, &mut l, &mut r);
    let peak = |beat: usize| r[beat * 24_000..beat * 24_000 + 1_440].iter().fold(0f32, |m, v| m.max(v.abs()));
    assert!(peak(0) > 0.15 && (peak(0) - peak(4)).abs() < 1e-6, "bars begin alike");
    assert!((peak(1) - peak(2)).abs() < 1e-6 && peak(1) < 0.7 * peak(0), "beats within a bar are softer");
    assert!(r[1_440..24_000].iter().all(|v| *v == 0.0), "nothing between");
    assert!(l.iter().zip(&r).all(|(l, r)| (l - 0.1 - r).abs() < 1e-6), "it is added to what sounds");
    assert_eq!(click.at(24_000.0), 0.0, "it begins at nothing");
    assert!(
        (click.at(-24_000.0 + 30.0) - click.at(72_000.0 + 30.0)).abs() < 1e-7,
        "bars go on before the session's start"
    );
    // Bars of three, a beat a second, the first of them a second in: before it falls the last beat of a bar.
    let waltz = Click { beats: TempoMap::single(60.0, 3, 48_000.0).beats(48_000.0), rate_hz: 48_000.0 };
    let peak = |from: usize| (from..from + 1_440).map(|n| waltz.at(n as f64).abs()).fold(0f32, f32::max);
    let strong: Vec<bool> = (0..7).map(|beat| peak(beat * 48_000) > 0.15).collect();
    assert_eq!(strong, [false, true, false, false, true, false, false]);
    // Half the speed: the same click lasts twice as many samples.
    let (mut slow, mut other) = (vec![0f32; 3_000], vec![0f32; 3_000]);
    click.add(0.0, 0.5, &mut slow, &mut other);
    assert!((slow[200] - r[100]).abs() < 1e-7 && slow[2_900] == 0.0);
}

/// EBU Tech 3341, signal 1: a sine of 1 kHz at −23 dBFS (peak) in both channels is −23.0 LUFS ± 0.1 (ITU-R BS.1770). Signal 3's
/// gate: quiet stretches at −36 dBFS beside −23 dBFS leave −23.0.
#[test]
fn loudness_is_that_of_the_published_signals() {
    let told = |parts: &[(f64, f64)]| {
        let x: Vec<f32> = parts
            .iter()
            .flat_map(|(seconds, db)| {
                sine(1_000.0, 48_000.0, (seconds * 48_000.0) as usize, 10f64.powf(db / 20.0), 0.0)
            })
            .collect();
        let whole = Vec::from_iter(std::iter::once(0..x.len() as i64));
        loudness(&whole, rate(), |at, l, r| -> Result<(), ReadError> {
            let at = at as usize;
            l.copy_from_slice(&x[at..at + l.len()]);
            r.copy_from_slice(l);
            Ok(())
        })
        .unwrap()
    };
    assert!((told(&[(20.0, -23.0)]).unwrap() + 23.0).abs() < 0.1);
    assert!((told(&[(20.0, -33.0)]).unwrap() + 33.0).abs() < 0.1);
    assert!((told(&[(10.0, -36.0), (60.0, -23.0), (10.0, -36.0)]).unwrap() + 23.0).abs() < 0.1);
    assert_eq!(told(&[(5.0, -300.0)]), None, "silence has no loudness");
    assert_eq!(matched([Some(-20.0), Some(-26.0)]), Some([-6.0, 0.0]), "the louder one comes down");
    assert_eq!(matched([Some(-26.0), Some(-20.0)]), Some([0.0, -6.0]));
    assert_eq!(matched([None, Some(-20.0)]), None, "nothing is matched to silence");
}

/// All of half a minute, and ten stretches of three seconds spread over what is longer, within it and in order.
#[test]
fn stretches_stand_for_the_whole() {
    let second = 48_000;
    assert!(stretches(5 * second..20 * second, rate()).iter().eq(std::iter::once(&(5 * second..20 * second))));
    assert!(stretches(7..7, rate()).is_empty());
    let parts = stretches(-second..3_600 * second, rate());
    assert_eq!((parts.len(), parts[0].start, parts[9].end), (10, -second, 3_600 * second));
    assert!(parts.windows(2).all(|w| w[0].end <= w[1].start) && parts.iter().all(|p| p.end - p.start == 3 * second));
}

/// Closed forms: what is alike +1, turned over −1, a quarter of a period apart 0; lows and highs by themselves. Under −60 dBFS
/// there is no signal, and nothing is ever no number.
#[test]
fn correlation_now_has_its_closed_forms() {
    let block = 2_048;
    let last = |a: &[f32], b: &[f32], rate: SampleRate| {
        let mut meter = CorrelationMeter::new(rate);
        a.chunks(block).zip(b.chunks(block)).map(|(a, b)| meter.push(a, b)).last().unwrap()
    };
    for rate_hz in [44_100u64, 48_000, 96_000] {
        let rate = SampleRate::new(rate_hz).unwrap();
        let tone = |hz: f64, phase: f64| sine(hz, rate_hz as f64, 2 * rate_hz as usize, 0.3, phase);
        let (low, high) = (tone(80.0, 0.0), tone(2_000.0, 0.0));
        let plus = |a: &[f32], b: &[f32]| a.iter().zip(b).map(|(a, b)| a + b).collect::<Vec<f32>>();
        let both = plus(&low, &high);
        let near = |got: Option<f32>, wanted: f32| (got.unwrap() - wanted).abs() < 0.02;
        let [all, lows] = last(&both, &both, rate);
        assert!(near(all, 1.0) && near(lows, 1.0));
        let [all, lows] = last(&both, &scaled(&both, -0.4), rate);
        assert!(near(all, -1.0) && near(lows, -1.0));
        let [all, _] = last(&high, &tone(2_000.0, TAU / 4.0), rate);
        assert!(near(all, 0.0), "{all:?}");
        // Only the lows are opposed: half of the energy, so that the whole is nothing.
        let [all, lows] = last(&both, &plus(&scaled(&low, -1.0), &high), rate);
        assert!(near(all, 0.0) && near(lows, -1.0), "{all:?} {lows:?}");
        assert_eq!(last(&scaled(&both, 1e-4), &both, rate), [None, None], "a side under the gate");
        assert_eq!(last(&[0.0; 9_000], &[0.0; 9_000], rate), [None, None]);
    }
    // It forgets: half a second of agreement after opposition reads +1.
    let x = noise(96_000, 3);
    let mut meter = CorrelationMeter::new(rate());
    x.chunks(block).for_each(|c| _ = meter.push(c, &scaled(c, -1.0)));
    let now = x.chunks(block).take(12).map(|c| meter.push(c, c)).last().unwrap();
    assert!(now[0].unwrap() > 0.999, "{now:?}");
}

/// A mix is the sum of its voices at their places, whatever their number.
#[test]
fn a_mix_adds_up() {
    let sounds: Vec<MemSource> = (0..5).map(|n| MemSource(noise(4_000, 50 + n))).collect();
    let places = [-1.0, -0.4, 0.0, 0.7, 1.0];
    let voices = sounds.iter().zip(places).map(|(source, place)| Voice {
        track: TrackRenderer::new(Placed { source, start: SessionFrame(100) }, &Edit::default(), rate()),
        sides: pan_sides(place),
    });
    let mut mix = Mix::new(voices.collect());
    let (mut l, mut r) = (vec![9f32; 500], vec![9f32; 500]);
    mix.read(50, &mut l, &mut r).unwrap();
    for n in 0..500 {
        let mut wanted = [0f64; 2];
        for (source, place) in sounds.iter().zip(places) {
            let v = if n >= 50 { f64::from(source.0[n - 50]) } else { 0.0 };
            let sides = pan_sides(place);
            (0..2).for_each(|i| wanted[i] += v * f64::from(sides[i]));
        }
        assert!((f64::from(l[n]) - wanted[0]).abs() < 1e-6 && (f64::from(r[n]) - wanted[1]).abs() < 1e-6);
    }
}

/// The room before the attack is half a period of the lowest tone of weight: 60 Hz beside a tone 40 dB stronger does not count,
/// beside one 10 dB stronger it does.
#[test]
fn the_lowest_tone_of_weight_is_told() {
    let train = |gain: f64| -> Vec<f32> {
        let mut x = vec![0f32; 480_000];
        for k in 0..12 {
            for (n, v) in x[10_000 + k * 38_000..].iter_mut().take(16_000).enumerate() {
                let t = n as f64 / 48_000.0;
                let fall = (-t / 0.08).exp();
                *v = (fall * (0.4 * (TAU * 800.0 * t).sin() + gain * (TAU * 63.0 * t).sin())) as f32;
            }
        }
        x
    };
    for (gain, low, high) in [(0.126, 50.0, 80.0), (0.002, 500.0, 900.0)] {
        let (a, b) = (MemSource(train(gain)), MemSource(train(gain)));
        let m = measure_pair(
            &Placed { source: &a, start: SessionFrame(0) },
            &Placed { source: &b, start: SessionFrame(0) },
            rate(),
            PairOptions::default(),
            &mut |_| true,
        )
        .unwrap();
        let lowest = m.lowest_hz.unwrap();
        assert!((low..=high).contains(&lowest), "{gain}: {lowest} Hz");
    }
}
