//! The image of recordings of several channels: closed forms, published signals, known faults.

mod common;

use marea_core::decide::image::judged::Names;
use marea_core::decide::image::{Repair, repair};
use marea_core::decide::kind::Kind;
use marea_core::edit::Correction;
use marea_core::measure::image::layout::{Order, Place, of_mask, usual};
use marea_core::measure::image::{Image, measure_image};
use marea_core::render::track::TrackRenderer;
use marea_core::signal::{MemSource, Placed, Source};
use marea_core::units::{Offset, SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::f64::consts::TAU;

fn image_at(planes: &[Vec<f32>], hz: u64) -> Image {
    let sources: Vec<MemSource> = planes.iter().cloned().map(MemSource).collect();
    let placed: Vec<Placed> = sources.iter().map(|source| Placed { source, start: SessionFrame(0) }).collect();
    let frames = planes.iter().map(Vec::len).max().unwrap_or(0) as i64;
    measure_image(&placed, 0..frames, SampleRate::new(hz).unwrap(), &mut |_| true).unwrap()
}

fn image(planes: &[Vec<f32>]) -> Image {
    image_at(planes, 48_000)
}

fn judged(image: &Image) -> Repair {
    let places = usual(image.channels.len(), Order::Wav);
    repair(image, &Names { places: places.as_deref() })
}

fn sine(seconds: f64, hz: f64, amplitude: f64, degrees: f64) -> Vec<f32> {
    let phase = degrees.to_radians();
    (0..(seconds * 48_000.0) as usize)
        .map(|i| (amplitude * (TAU * hz * i as f64 / 48_000.0 + phase).sin()) as f32)
        .collect()
}

/// Noise with its energy between 100 Hz and a quarter of the rate, in bursts and rests so that there is something to follow.
fn noise(seed: u64, frames: usize) -> Vec<f32> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let (mut low, mut high) = (0f32, 0f32);
    (0..frames)
        .map(|i| {
            let white = rng.random_range(-0.5f32..0.5);
            low += 0.6 * (white - low);
            high += 0.01 * (low - high);
            (low - high) * (0.4 + 0.6 * ((i / 12_000) % 3) as f32 / 2.0)
        })
        .collect()
}

/// Moved by a part of a frame with the renderer that also delivers (its own error is tested elsewhere).
fn moved(x: &[f32], frames: f64) -> Vec<f32> {
    let source = MemSource(x.to_vec());
    let source: &dyn Source = &source;
    let correction = Correction { offset_frames: Offset(frames), invert: false, gain_db: 0.0 };
    let mut track = TrackRenderer::new(
        Placed { source, start: SessionFrame(0) },
        &correction.into(),
        SampleRate::new(48_000).unwrap(),
    );
    let mut out = vec![0f32; x.len()];
    track.read(0, &mut out).unwrap();
    out
}

/// Handbook: identical +1, inverted −1, sines 90 degrees apart 0; unrelated noise 0 ± 3/√N (Cauchy–Schwarz, arithmetic).
#[test]
fn correlation_has_its_closed_forms() {
    let x = sine(4.0, 100.0, 0.5, 0.0);
    let turned: Vec<f32> = x.iter().map(|v| -v).collect();
    for (other, expected) in
        [(x.clone(), 1.0), (turned, -1.0), (sine(4.0, 100.0, 0.5, 90.0), 0.0), (sine(4.0, 100.0, 0.1, 60.0), 0.5)]
    {
        let i = image(&[x.clone(), other]);
        let b = i.between(0, 1).unwrap();
        assert!((b.correlation.unwrap() - expected).abs() < 1e-3, "{:?} for {expected}", b.correlation);
        assert!((b.low_correlation.unwrap() - expected).abs() < 2e-3, "{:?} for {expected}", b.low_correlation);
        assert!(b.strip.iter().all(|c| (f64::from(c.unwrap()) - expected).abs() < 2e-3));
    }
    let n = 192_000;
    let b = image(&[noise(1, n), noise(2, n)]);
    assert!(b.between(0, 1).unwrap().correlation.unwrap().abs() < 0.05);
}

/// A full-scale sine is 0 dBFS RMS (AES17); ratios of amplitudes are 20 lg.
#[test]
fn levels_and_balance_have_their_closed_forms() {
    let i = image(&[sine(4.0, 1_000.0, 1.0, 0.0), sine(4.0, 1_000.0, 0.25, 30.0)]);
    assert!(i.channels[0].rms_db.unwrap().abs() < 0.01 && (i.channels[0].peak - 1.0).abs() < 1e-4);
    let b = i.between(0, 1).unwrap();
    assert!((b.balance_db.unwrap() + 12.04).abs() < 0.01 && (b.loudness_balance_db.unwrap() + 12.04).abs() < 0.05);
}

/// EBU Tech 3341, test signals 1 and 2 as one channel: a sine of 1 kHz at −23 (−33) dBFS in both channels of a stereo file reads
/// −23.0 (−33.0) LUFS ± 0.1; one channel alone has half that power, 3.01 dB less. dBFS there is of the peak.
#[test]
fn loudness_is_that_of_the_published_signals() {
    for level in [-23.0f64, -33.0] {
        let i = image(&[
            sine(20.0, 1_000.0, 10f64.powf(level / 20.0), 0.0),
            sine(20.0, 1_000.0, 10f64.powf(level / 20.0), 0.0),
        ]);
        for c in &i.channels {
            assert!((c.loudness_lufs.unwrap() - (level - 3.01)).abs() < 0.1, "{:?} for {level}", c.loudness_lufs);
        }
    }
}

/// A channel turned over: in the sum of a band what was lost comes back. Closed form: the sums as it is and turned over have
/// together twice the energy of both channels.
#[test]
fn the_sum_follows_the_repair() {
    let x = noise(33, 480_000);
    let other: Vec<f32> = x.iter().zip(noise(34, 480_000)).map(|(a, b)| -0.8 * a + 0.3 * b).collect();
    let told = judged(&image(&[x, other]));
    assert!(told.pairs[0].invert);
    for g in told.pairs[0].sum_gain.iter().filter(|g| (200.0..8_000.0).contains(&g.hz)) {
        let energy = |db: f64| 10f64.powf(db / 10.0);
        assert!((energy(g.recorded_db) + energy(g.corrected_db) - 2.0).abs() < 0.05, "{g:?}");
        assert!(g.corrected_db > 2.0 && g.recorded_db < -5.0, "{g:?}");
    }
}

/// The low effects channel passes a filter that turns its phase; no sign is told against it, whatever it looks like.
#[test]
fn low_effects_are_no_inversion() {
    let x = noise(31, 480_000);
    let mut low = x.clone();
    for _ in 0..4 {
        let mut held = 0f32;
        for v in &mut low {
            held += 0.016 * (*v - held);
            *v = -held * 6.0;
        }
    }
    let turned: Vec<f32> = x.iter().map(|v| -v).collect();
    let planes = [x.clone(), x.clone(), x.clone(), low, turned, x.clone()];
    let i = image(&planes);
    let places = usual(6, Order::Wav).unwrap();
    let told = repair(&i, &Names { places: Some(&places) });
    let inverted: Vec<bool> = told.channels.iter().map(|c| c.correction.invert).collect();
    assert_eq!(inverted, [false, false, false, false, true, false], "{:?}", told.findings);
}

/// The angle whose tangent is right over left: alike in the middle, half as loud at 26.57 degrees of 90, opposed apart.
#[test]
fn energy_lies_in_its_direction() {
    let x = noise(30, 96_000);
    for (factor, opposed, step) in [(1.0f32, 0, 10), (0.5, 0, 6), (-1.0, 1, 10), (0.0, 0, 0)] {
        let y: Vec<f32> = x.iter().map(|v| v * factor).collect();
        let i = image(&[x.clone(), y]);
        let d = &i.between(0, 1).unwrap().directions;
        assert!(d[opposed][step] > 0.999, "{factor}: {d:?}");
    }
}

#[test]
fn silence_has_no_signal_and_never_a_number_that_is_none() {
    for planes in [vec![vec![0.0; 96_000]; 2], vec![noise(3, 96_000), vec![0.0; 96_000]], vec![Vec::new(), Vec::new()]]
    {
        let i = image(&planes);
        let b = i.between(0, 1).unwrap();
        assert_eq!((b.correlation, b.low_correlation, b.balance_db), (None, None, None));
        assert!(b.strip.iter().all(Option::is_none));
        let r = judged(&i);
        assert!(r.pairs[0].text.contains("no signal") && r.channels.iter().all(|c| c.correction.is_neutral()));
        let text = serde_json::to_string(&(&i, &r)).unwrap();
        assert!(!text.contains("NaN"), "{text}");
    }
    assert!(image(&[noise(4, 96_000)]).pairs.is_empty(), "one channel has no pairs");
}

/// Parts of a sample at three rates, on band-limited noise: within 2/100.
#[test]
fn time_between_channels_is_found_to_two_hundredths_of_a_sample() {
    for hz in [44_100, 48_000, 96_000] {
        for (seed, delay) in [(1, 6.5), (2, -0.37), (3, 2.37), (4, 17.04), (5, -31.82)] {
            let x = noise(seed, 10 * hz as usize);
            let y = moved(&x, delay);
            let i = image_at(&[x, y], hz);
            let r = judged(&i);
            assert!((r.pairs[0].delay_frames - delay).abs() < 0.02, "{hz}: {} for {delay}", r.pairs[0].delay_frames);
            assert_eq!((r.pairs[0].verdict, r.pairs[0].invert), (Verdict::Solid, false));
            let late = usize::from(delay > 0.0);
            assert!((r.channels[late].correction.offset_frames.0 + delay.abs()).abs() < 0.06, "{:?}", r.channels);
            assert!(r.channels[1 - late].correction.is_neutral(), "the earlier one stays");
        }
    }
}

#[test]
fn inversion_and_both_at_once_are_found() {
    for (seed, delay) in [(6, 0.0), (7, 12.4)] {
        let x = noise(seed, 480_000);
        let y: Vec<f32> = moved(&x, delay).iter().map(|v| -v).collect();
        let r = judged(&image(&[x, y]));
        assert!(r.pairs[0].invert && r.pairs[0].verdict == Verdict::Solid, "{:?}", r.pairs);
        assert!((r.pairs[0].delay_frames - delay).abs() < 0.02);
        assert!(r.channels[1].correction.invert && !r.channels[0].correction.invert);
        assert_eq!(r.findings[0].verdict, Verdict::Solid);
    }
}

#[test]
fn one_sound_on_both_channels_is_told_and_left() {
    let x = noise(8, 480_000);
    let r = judged(&image(&[x.clone(), x]));
    let kinds: Vec<Kind> = r.findings.iter().map(|f| f.kind).collect();
    assert_eq!(kinds, [Kind::OneCopied]);
    assert!(r.channels.iter().all(|c| c.correction.is_neutral()));
}

#[test]
fn a_constant_level_difference_is_proposed_in_db() {
    for db in [1.7f64, -3.2] {
        let x = noise(9, 480_000);
        let y: Vec<f32> = x.iter().map(|v| v * 10f64.powf(db / 20.0) as f32).collect();
        let r = judged(&image(&[x, y]));
        let louder = usize::from(db > 0.0);
        assert!((r.channels[louder].correction.gain_db + db.abs()).abs() < 0.05, "{:?}", r.channels);
        assert_eq!(r.findings.iter().find(|f| f.kind == Kind::LevelDifference).unwrap().verdict, Verdict::Solid);
    }
}

/// Unrelated sounds left and right: nothing to repair, and it says so.
#[test]
fn unrelated_channels_are_left_alone() {
    let r = judged(&image(&[noise(10, 480_000), noise(11, 480_000)]));
    assert!(r.findings.is_empty(), "{:?}", r.findings);
    assert!(
        r.channels.iter().all(|c| c.correction.is_neutral()) && r.pairs[0].text.contains("left"),
        "{}",
        r.pairs[0].text
    );
}

/// A range of the file is a file of its own.
#[test]
fn a_range_is_looked_at_by_itself() {
    let x = noise(12, 480_000);
    let mut y = x.clone();
    y[240_000..].iter_mut().for_each(|v| *v = -*v);
    let sources = [MemSource(x), MemSource(y)];
    let placed: Vec<Placed> = sources.iter().map(|source| Placed { source, start: SessionFrame(1_000) }).collect();
    let of = |range| {
        let i = measure_image(&placed, range, SampleRate::new(48_000).unwrap(), &mut |_| true).unwrap();
        i.between(0, 1).unwrap().correlation.unwrap()
    };
    assert!((of(1_000..241_000) - 1.0).abs() < 1e-6);
    assert!((of(241_000..481_000) + 1.0).abs() < 1e-6);
    assert!(of(1_000..481_000).abs() < 0.1);
    assert!(
        measure_image(&placed, 0..480_000, SampleRate::new(48_000).unwrap(), &mut |_| false).is_err(),
        "it stops when told"
    );
}

/// ITU-R BS.775: centre and surrounds at −3 dB (0.7071); the same signal everywhere adds up as amplitudes, unrelated ones as
/// powers, an inverted surround is lost against its front.
#[test]
fn fold_down_follows_bs_775() {
    let places = usual(6, Order::Wav).unwrap();
    let weights: Vec<[f64; 2]> = places.iter().map(|p| p.to_stereo()).collect();
    let h = std::f64::consts::FRAC_1_SQRT_2;
    for (weight, expected) in weights.iter().zip([[1.0, 0.0], [0.0, 1.0], [h, h], [0.0, 0.0], [h, 0.0], [0.0, h]]) {
        assert!((weight[0] - expected[0]).abs() < 1e-7 && (weight[1] - expected[1]).abs() < 1e-7);
    }
    let mono: Vec<f64> = places.iter().map(|p| p.to_mono()).collect();
    for (m, expected) in mono.iter().zip([h, h, 1.0, 0.0, 0.5, 0.5]) {
        assert!((m - expected).abs() < 1e-7);
    }
    let silent = vec![0f32; 240_000];
    let n = |seed| noise(seed, 240_000);
    // Unrelated channels keep all of their power.
    let i = image(&[n(1), n(2), n(3), silent.clone(), n(4), n(5)]);
    for b in i.bands.to_stereo(&places).iter().filter(|b| b.hz > 200.0 && b.hz < 8_000.0) {
        assert!(b.gain_db.abs() < 1.0, "{b:?}");
    }
    // Left and its surround alike: 1 + 0.7071 as amplitudes over 1 + 0.5 as powers: 2.88 dB; inverted: −12.42 dB.
    for (sign, expected) in [(1.0f32, 2.883), (-1.0, -12.427)] {
        let x = n(6);
        let behind: Vec<f32> = x.iter().map(|v| v * sign).collect();
        let i = image(&[x, silent.clone(), silent.clone(), silent.clone(), behind, silent.clone()]);
        for b in i.bands.to_stereo(&places) {
            assert!((b.gain_db - expected).abs() < 0.01, "{b:?} for {expected}");
        }
    }
}

/// One of the surround channels turned over: it alone is found, by all the others.
#[test]
fn one_inverted_surround_channel_is_named() {
    let hall = noise(20, 480_000);
    let own = |seed: u64, delay: f64, part: f32| -> Vec<f32> {
        let mine = noise(seed, 480_000);
        moved(&hall, delay).iter().zip(mine).map(|(h, m)| h * 0.7 + m * part).collect()
    };
    let silent = vec![0f32; 480_000];
    let mut planes =
        vec![own(21, 0.0, 0.2), own(22, 3.0, 0.2), own(23, 1.0, 0.2), silent, own(24, 40.0, 0.3), own(25, 44.0, 0.3)];
    assert!(judged(&image(&planes)).findings.iter().all(|f| f.kind == Kind::Silent), "upright");
    planes[5].iter_mut().for_each(|v| *v = -*v);
    let r = judged(&image(&planes));
    let inverted: Vec<usize> = (0..6).filter(|c| r.channels[*c].correction.invert).collect();
    assert_eq!(inverted, [5]);
    let f = r.findings.iter().find(|f| f.kind == Kind::ChannelInverted).unwrap();
    assert!(f.text.contains("“Rs”"), "{}", f.text);
}

/// Bits of WAV masks and the usual orders name the same places.
#[test]
fn layouts_by_mask_and_by_custom() {
    use Place::{Centre, Left, LeftBack, LeftSurround, Lfe, Right, RightBack, RightSurround};
    let five_one = vec![Left, Right, Centre, Lfe, LeftSurround, RightSurround];
    // 0x3F has the pair behind under "back", 0x60F under "side": both are 5.1.
    assert_eq!(of_mask(0x3F, 6).as_ref(), Some(&five_one));
    assert_eq!(of_mask(0x60F, 6).as_ref(), Some(&five_one));
    assert_eq!(usual(6, Order::Smpte).as_ref(), Some(&five_one));
    assert_eq!(of_mask(0x63F, 8), usual(8, Order::Wav));
    assert_eq!(usual(8, Order::Smpte).unwrap()[4..], [LeftSurround, RightSurround, LeftBack, RightBack]);
    assert_eq!(of_mask(0x3, 6), None, "another number of channels");
    assert_eq!((of_mask(0x8000_0003, 3), usual(16, Order::Wav), usual(7, Order::Wav)), (None, None, None));
    assert_eq!(usual(12, Order::Wav).unwrap().len(), 12);
    // 16 channels of unknown layout are measured all the same.
    let planes: Vec<Vec<f32>> = (0..16).map(|c| noise(40 + c, 60_000)).collect();
    let i = image(&planes);
    assert_eq!((i.channels.len(), i.pairs.len()), (16, 120));
    assert!(judged(&i).channels.iter().all(|c| !c.correction.invert));
}

/// Two sources, one louder on the right, panned by level alone: the balance follows what sounds, so it is told and not moved; an
/// inversion beside it stays solid.
#[test]
fn a_balance_that_follows_what_sounds_is_left_to_the_ears() {
    let (a, b) = (noise(50, 480_000), noise(51, 480_000));
    let gate = |x: &[f32], turn: usize| -> Vec<f32> {
        x.iter().enumerate().map(|(i, v)| if i / 20_000 % 2 == turn { *v } else { v * 0.02 }).collect()
    };
    let (a, b) = (gate(&a, 0), gate(&b, 1));
    let mix = |pa: f32, pb: f32| -> Vec<f32> { a.iter().zip(&b).map(|(x, y)| pa * x + pb * y).collect() };
    let right: Vec<f32> = mix(0.5, 1.4).iter().map(|v| -v).collect();
    let r = judged(&image(&[mix(1.0, 0.5), right]));
    assert!(r.channels.iter().all(|c| c.correction.gain_db == 0.0), "{:?}", r.channels);
    assert!(r.channels[1].correction.invert && r.channels[1].verdict == Verdict::Solid, "{:?}", r.channels);
    let f = r.findings.iter().find(|f| f.kind == Kind::LevelDifference).expect("told all the same");
    assert!(f.verdict == Verdict::Likely && f.advice.starts_with("If it sounds so"), "{f:?}");
}
