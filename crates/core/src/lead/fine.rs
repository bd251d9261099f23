//! A sound in 24 bands every millisecond, where somebody asks: when exactly it changes.

use crate::dsp::spectrum::Transform;
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::{SampleRate, amplitude_of_db};
use crate::warp::bands::{Filter, filters, hann};
use realfft::num_complex::Complex32;

/// Bands, evenly along the mel scale between two frequencies in Hz.
pub const BANDS: usize = 24;
const EDGES_HZ: [f64; 2] = [120.0, 9_000.0];
/// Length of a window, in seconds.
const WINDOW_S: f64 = 512.0 / 48_000.0;
/// What lies so far under a band's own loudest, or under the loudest of all, counts as silence; in dB.
const FLOOR_OF_BAND_DB: f64 = 39.0;
const FLOOR_DB: f64 = 52.0;
/// A band's loudest is looked for in steps of this, in seconds.
const LOOK_S: f64 = 0.02;
/// A change is measured from so many rows before to so many after.
const SIDE: usize = 4;

/// Levels of a moment in ln of power, over the floor.
pub type Row = [f32; BANDS];

/// One sound, heard closely.
pub struct Fine<'a> {
    sound: &'a Placed<'a>,
    rate: SampleRate,
    filters: Vec<Filter>,
    transform: Transform,
    floor: Row,
}

impl<'a> Fine<'a> {
    /// Learns how loud the sound is in its bands.
    ///
    /// # Errors
    /// [`MeasureError::Read`] when the sound cannot be read.
    pub fn new(sound: &'a Placed<'a>, rate: SampleRate) -> Result<Self, MeasureError> {
        let len = 2 * index(rate.frames(WINDOW_S / 2.0));
        let filters = filters(BANDS, EDGES_HZ, rate.hz_f64() / len as f64);
        let mut made =
            Self { sound, rate, filters, transform: Transform::new(len), floor: [f32::MIN_POSITIVE.ln(); BANDS] };
        let step = rate.frames(LOOK_S).max(1);
        let mut most = [f32::MIN; BANDS];
        for at in (sound.start.0..sound.end().0).step_by(index(step)) {
            let row = made.row(at)?;
            (0..BANDS).for_each(|b| most[b] = most[b].max(row[b] + made.floor[b]));
        }
        let under = |db: f64| 2.0 * amplitude_of_db(db).ln() as f32;
        let all = most.iter().copied().fold(f32::MIN, f32::max) - under(FLOOR_DB);
        made.floor = most.map(|m| (m - under(FLOOR_OF_BAND_DB)).max(all));
        Ok(made)
    }

    fn row(&mut self, about: i64) -> Result<Row, MeasureError> {
        let len = self.transform.len();
        let mut x = vec![0f32; len];
        self.sound.read(about - len as i64 / 2, &mut x)?;
        x.iter_mut().enumerate().for_each(|(i, v)| *v *= hann(i, len));
        let mut spectrum = vec![Complex32::default(); self.transform.bins()];
        self.transform.forward(&x, &mut spectrum);
        let power: Vec<f32> = spectrum.iter().map(Complex32::norm_sqr).collect();
        let level = |b: usize| self.filters[b].power(&power).max(f32::MIN_POSITIVE).ln() - self.floor[b];
        Ok(std::array::from_fn(|b| level(b).max(0.0)))
    }

    /// By how much every band rises at so many moments a millisecond apart, the first of them at a session frame.
    ///
    /// # Errors
    /// [`MeasureError::Read`] when the sound cannot be read.
    pub fn rises(&mut self, from: f64, count: usize) -> Result<Vec<Row>, MeasureError> {
        let a_ms = self.rate.hz_f64() / 1_000.0;
        let at = |n: usize| (from + (n as f64 - SIDE as f64) * a_ms).round() as i64;
        let rows = (0..count + 2 * SIDE).map(|n| self.row(at(n))).collect::<Result<Vec<Row>, MeasureError>>()?;
        let rise = |n: usize| std::array::from_fn(|b| rows[n + 2 * SIDE][b] - rows[n][b]);
        Ok((0..count).map(rise).collect())
    }
}
