//! Windows cut from a track, and their spectra, made once for all microphones that are compared with it.

use crate::dsp::spectrum::Transform;
use crate::dsp::sums::energy;
use crate::progress::MeasureError;
use crate::signal::{Placed, index};
use crate::units::SampleRate;
use realfft::num_complex::Complex32;
use std::cell::RefCell;
use std::collections::HashMap;
use std::rc::Rc;
use std::sync::{Arc, Mutex, PoisonError};

/// What a window is cut for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Purpose {
    /// The attack of a strike.
    Strike,
    /// A stretch of something that lasts.
    Passage,
    /// All that arrives, for the transfer by band.
    Arrival,
}

/// A window: how long, how far before the place, which taper.
pub struct Shape {
    purpose: Purpose,
    /// Factors.
    pub taper: Vec<f32>,
    /// Frames before the place.
    pub before: i64,
}

thread_local! {
    static SHAPES: RefCell<HashMap<(Purpose, u32), Rc<Shape>>> = RefCell::default();
}

impl Shape {
    /// The window for a purpose, made once a thread.
    pub fn of(purpose: Purpose, rate: SampleRate) -> Rc<Self> {
        SHAPES.with(|all| {
            let mut all = all.borrow_mut();
            all.entry((purpose, rate.hz())).or_insert_with(|| Rc::new(Self::made(purpose, rate))).clone()
        })
    }

    fn made(purpose: Purpose, rate: SampleRate) -> Self {
        let frames = |s: f64| index(rate.frames(s));
        let (before, len, rise, fall) = match purpose {
            Purpose::Strike => (frames(0.003), frames(0.003) + frames(0.030), frames(0.001), frames(0.008)),
            // With 50 ms to either side it fits a transform of 16 384 samples at 48 kHz.
            Purpose::Passage => (0, frames(0.237), frames(0.237) / 2, frames(0.237) / 2),
            Purpose::Arrival => (frames(0.003), frames(0.085), frames(0.002).max(1), frames(0.085) / 2),
        };
        let mut taper = vec![1f32; len];
        (0..rise).for_each(|i| taper[i] *= half_cosine(i, rise));
        (0..fall).for_each(|i| taper[len - 1 - i] *= half_cosine(i, fall));
        Self { purpose, taper, before: before as i64 }
    }

    /// Reads the window at `place`; its energy.
    ///
    /// # Errors
    /// [`MeasureError`] when the track cannot be read.
    pub fn cut(&self, track: &Placed, place: i64, out: &mut Vec<f32>) -> Result<f32, MeasureError> {
        out.resize(self.taper.len(), 0.0);
        track.read(place - self.before, out)?;
        out.iter_mut().zip(&self.taper).for_each(|(x, t)| *x *= t);
        Ok(energy(out))
    }
}

/// Rises from 0 to 1 over `n` samples.
pub fn half_cosine(i: usize, n: usize) -> f32 {
    let x = (i as f32 + 0.5) / n as f32;
    0.5 - 0.5 * (std::f32::consts::PI * x.min(1.0)).cos()
}

/// Spectrum of one window.
pub struct Windowed {
    /// Unnormalised bins.
    pub spectrum: Vec<Complex32>,
    /// Sum of squares.
    pub energy: f32,
}

type Kept = Mutex<HashMap<(Purpose, usize, i64), Arc<Windowed>>>;

/// The track others are compared with. Its windows are the same for all of them.
pub struct Anchor<'a> {
    /// Its sound.
    pub track: &'a Placed<'a>,
    kept: Option<Kept>,
}

impl<'a> Anchor<'a> {
    /// Compared with one other track only.
    pub fn once(track: &'a Placed<'a>) -> Self {
        Self { track, kept: None }
    }

    /// Compared with many: spectra are kept as long as this lives, 4 bytes a sample of each window's transform.
    pub fn for_many(track: &'a Placed<'a>) -> Self {
        Self { track, kept: Some(Mutex::default()) }
    }

    /// Spectrum of the window at a place.
    ///
    /// # Errors
    /// [`MeasureError`] when the track cannot be read.
    pub fn window(&self, place: i64, shape: &Shape, t: &mut Transform) -> Result<Arc<Windowed>, MeasureError> {
        let key = (shape.purpose, t.len(), place);
        let kept = self.kept.as_ref().map(|k| k.lock().unwrap_or_else(PoisonError::into_inner));
        if let Some(known) = kept.as_ref().and_then(|k| k.get(&key)) {
            return Ok(known.clone());
        }
        drop(kept);
        let mut x = Vec::new();
        let energy = shape.cut(self.track, place, &mut x)?;
        let mut spectrum = vec![Complex32::default(); t.bins()];
        t.forward(&x, &mut spectrum);
        let made = Arc::new(Windowed { spectrum, energy });
        if let Some(kept) = &self.kept {
            kept.lock().unwrap_or_else(PoisonError::into_inner).insert(key, made.clone());
        }
        Ok(made)
    }
}
