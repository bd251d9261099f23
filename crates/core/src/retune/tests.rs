//! The whole way on voices in closed form: pulses through resonances, with and without noise about them.

use super::wanted::{NoteChange, by_notes};
use super::*;
use crate::pitch::pitch;
use crate::signal::{MemSource, Placed};
use crate::units::SessionFrame;
use std::f64::consts::TAU;

fn rate() -> SampleRate {
    SampleRate::new(48_000).unwrap()
}

/// A second of voice at a pitch that sways, between two half seconds of faint noise.
fn voice(hz: f64) -> Vec<f32> {
    let mut seed = 7u32;
    let mut noise = || {
        seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        f64::from(seed) / f64::from(u32::MAX) - 0.5
    };
    let mut x: Vec<f64> = (0..96_000).map(|_| 0.002 * noise()).collect();
    let mut at = 24_000.0;
    while at < 72_000.0 {
        let sway = 0.3 * (TAU * 5.0 * at / 48_000.0).sin();
        // Each pulse rings at three formants.
        for (formant, bandwidth, level) in [(600.0, 80.0, 0.3), (1_150.0, 100.0, 0.15), (2_600.0, 140.0, 0.06)] {
            let from = at.ceil();
            for n in from as usize..(from as usize + 2_400).min(96_000) {
                let t = (n as f64 - at) / 48_000.0;
                x[n] += level * (-std::f64::consts::PI * bandwidth * t).exp() * (TAU * formant * t).sin();
            }
        }
        at += 48_000.0 / (hz * 2f64.powf(sway / 12.0));
    }
    x.into_iter().map(|v| v as f32).collect()
}

fn heard(x: &[f32]) -> Vec<Pitch> {
    let source = MemSource(x.to_vec());
    pitch(&Placed { source: &source, start: SessionFrame(0) }, rate(), &|_| true).unwrap()
}

fn retuned(x: &[f32], pitch: &[Pitch], shifts: &[f64]) -> Vec<f32> {
    let source = MemSource(x.to_vec());
    let sources: [&dyn Source; 1] = [&source];
    let mut reader = Retuned::new(&sources, pitch, shifts, rate());
    let mut out = Vec::new();
    loop {
        let block = reader.next_block().unwrap();
        if block.is_empty() {
            return out;
        }
        out.extend_from_slice(&block[0]);
    }
}

fn change(cents: f64) -> NoteChange {
    NoteChange { from: 0.0, to: 96_000.0, cents, drift: 1.0, vibrato: 1.0 }
}

#[test]
fn without_a_change_every_sample_is_what_it_was() {
    let x = voice(180.0);
    let told = heard(&x);
    assert_eq!(retuned(&x, &told, &vec![0.0; told.len()]), x);
}

#[test]
fn a_voice_goes_up_or_down_by_what_is_asked_and_keeps_its_level() {
    for (hz, cents) in [(120.0, 100.0), (220.0, -100.0), (180.0, 300.0), (330.0, -300.0)] {
        let x = voice(hz);
        let told = heard(&x);
        let got = retuned(&x, &told, &by_notes(&told, &[change(cents)]));
        assert_eq!(got.len(), x.len());
        let after = heard(&got);
        let mut off: Vec<f64> = (120..280)
            .filter_map(|n| Some(1_200.0 * (after[n].hz? / told[n].hz?).log2() - cents))
            .map(f64::abs)
            .collect();
        off.sort_by(f64::total_cmp);
        assert!(off.len() > 140, "{hz} Hz: {} voiced", off.len());
        assert!(off[off.len() / 2] < 5.0 && off[off.len() * 9 / 10] < 15.0, "{hz} Hz by {cents}: {off:?}");
        let power = |x: &[f32]| x[26_000..70_000].iter().map(|v| f64::from(v * v)).sum::<f64>();
        let louder = 10.0 * (power(&got) / power(&x)).log10();
        assert!(louder.abs() < 0.5, "{hz} Hz by {cents}: {louder} dB");
        // What is not voiced is untouched.
        assert_eq!((&got[..20_000], &got[80_000..]), (&x[..20_000], &x[80_000..]), "{hz} Hz by {cents}");
    }
}

#[test]
fn channels_are_changed_alike() {
    let x = voice(150.0);
    let half: Vec<f32> = x.iter().map(|v| 0.5 * v).collect();
    let told = heard(&x);
    let shifts = by_notes(&told, &[change(200.0)]);
    let (left, right) = (MemSource(x), MemSource(half));
    let sources: [&dyn Source; 2] = [&left, &right];
    let mut reader = Retuned::new(&sources, &told, &shifts, rate());
    loop {
        let block = reader.next_block().unwrap();
        if block.is_empty() {
            break;
        }
        assert!(block[0].iter().zip(&block[1]).all(|(l, r)| (0.5 * l - r).abs() < 1e-6));
    }
}
