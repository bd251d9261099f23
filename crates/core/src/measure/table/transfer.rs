//! Transfer of a source's sound from its home microphone to another: by band, and as a mean waveform.

use crate::dsp::bands::BANDS_HZ;
use crate::dsp::spectrum::{CrossSpectrum, Transform, quick_len};
use crate::dsp::sums::energy;
use crate::dsp::window::{Anchor, Purpose, Shape};
use crate::measure::arrival::{Transfer, WAVE_BEFORE_S, WAVE_POINTS};
use crate::measure::lows::{Shared, low_sign};
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use realfft::num_complex::Complex32;

/// Band transfer, sign of the lows and power at home, over windows of about 85 ms cut at the arrival.
pub fn transfer(
    home: &Anchor,
    mic: &Placed,
    places: &[i64],
    lag: i64,
    rate: SampleRate,
) -> Result<(Vec<Transfer>, i8, Vec<f32>), MeasureError> {
    let shape = Shape::of(Purpose::Arrival, rate);
    let mut t = Transform::new(quick_len(shape.taper.len()));
    let mut sum = CrossSpectrum::new(t.bins());
    let (mut x, mut fb) = (Vec::new(), vec![Complex32::default(); t.bins()]);
    let step = places.len().div_ceil(24).max(1);
    for place in places.iter().step_by(step) {
        let at_home = home.window(*place, &shape, &mut t)?;
        shape.cut(mic, *place + lag, &mut x)?;
        t.forward(&x, &mut fb);
        sum.add(&at_home.spectrum, &fb, 1.0, 1.0);
    }
    let hz = rate.hz_f64() / t.len() as f64;
    let (mut bands, mut power) = (Vec::new(), Vec::new());
    for centre in BANDS_HZ {
        let half = 10f64.powf(0.05);
        let low = (centre / half / hz).floor().max(1.0) as usize;
        let high = ((centre * half / hz).ceil() as usize).max(low + 1).min(t.bins());
        let (mut ab, mut aa) = (Complex32::default(), 0f32);
        for k in low..high {
            ab += sum.ab[k];
            aa += sum.aa[k];
        }
        let h = if aa > 0.0 { ab / aa } else { Complex32::default() };
        bands.push(Transfer { re: h.re, im: h.im });
        power.push(aa / (sum.count.max(1) as f32));
    }
    let of = |(hz, (h, p)): (f64, (&Transfer, &f32))| Shared {
        hz,
        re: f64::from(h.re * p),
        size: f64::from(h.re.hypot(h.im) * p),
    };
    let shared: Vec<Shared> = BANDS_HZ.into_iter().zip(bands.iter().zip(&power)).map(of).collect();
    Ok((bands, low_sign(&shared), power))
}

/// Mean of a microphone's sound over the moments, on the time of the home microphone: bleed fades, the source stays.
pub fn wave(
    (home, mic): (&Placed, &Placed),
    places: &[i64],
    centre: i64,
    wave_s: f64,
    rate: SampleRate,
) -> Result<Vec<f32>, MeasureError> {
    let len = index(rate.frames(wave_s));
    let before = rate.frames(WAVE_BEFORE_S);
    let mut mean = vec![0f32; len];
    let mut x = vec![0f32; len];
    let mut own = vec![0f32; index(rate.frames(0.02))];
    let step = places.len().div_ceil(32).max(1);
    for place in places.iter().step_by(step) {
        home.read(*place, &mut own)?;
        let scale = energy(&own).sqrt();
        if scale <= 0.0 {
            continue;
        }
        mic.read(place - before + centre, &mut x)?;
        mean.iter_mut().zip(&x).for_each(|(m, v)| *m += v / scale);
    }
    // The largest excursion of each step is kept, so that an attack is not lost between points.
    let points: Vec<f32> = (0..WAVE_POINTS)
        .map(|i| {
            let part =
                &mean[i * len / WAVE_POINTS..((i + 1) * len / WAVE_POINTS).max(i * len / WAVE_POINTS + 1).min(len)];
            part.iter().copied().max_by(|a, b| a.abs().total_cmp(&b.abs())).unwrap_or(0.0)
        })
        .collect();
    let most = points.iter().fold(0f32, |m, v| m.max(v.abs()));
    if most <= 0.0 {
        return Ok(Vec::new());
    }
    Ok(points.iter().map(|v| (v / most * 1_000.0).round() / 1_000.0).collect())
}
